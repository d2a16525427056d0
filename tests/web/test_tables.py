"""Tables: each is drawn by the same part, and on a phone its cells say their column."""

import re
from pathlib import Path

from markupsafe import Markup

import sedge.web
from sedge.web.shared.tables import labelled

TEMPLATES = [
    path
    for path in sorted(Path(sedge.web.__file__).parent.rglob("*.html"))
    if "standins" not in path.parts
]
# pages outside the frame, and what went wrong
APART = [
    "confirm.html",
    "door.html",
    "first_run.html",
    "label.html",
    "problem.html",
    "sign_in.html",
    "welcome.html",
]
HEAD = '<thead><tr><th><a href="?">No <span aria-hidden="true">↑</span></a></th>'


def drawn(html: str) -> Markup:
    return labelled(Markup(html))  # noqa: S704


def test_only_the_part_draws_a_table():
    drawing = [path.name for path in TEMPLATES if "<table" in path.read_text()]
    assert drawing == ["_parts.html"]


def test_the_heading_of_a_page_stands_in_its_head_row():
    pages = {path.name: path.read_text() for path in TEMPLATES}
    headed = {name: text for name, text in pages.items() if "<h1" in text}
    apart = [
        name
        for name, text in headed.items()
        if not re.search(r'class="title-row[^>]*>\s*(<!--.*?-->)?\s*<h1', text)
    ]
    assert len(headed) > 100
    assert sorted(apart) == APART


def test_a_cell_says_its_column():
    html = drawn(HEAD + "<th>By</th></tr></thead><tbody><tr><td>7</td><td>Ada</td></tr></tbody>")
    assert '<td data-label="No">7</td><td data-label="By">Ada</td>' in html


def test_a_heading_nobody_sees_labels_nothing():
    head = '<thead><tr><th><span class="visually-hidden">Pick</span></th><th>By</th></tr></thead>'
    html = drawn(head + "<tbody><tr><td>x</td><td>Ada</td></tr></tbody>")
    assert '<td>x</td><td data-label="By">Ada</td>' in html


def test_wide_cells_and_headings_count_their_columns():
    head = '<thead><tr><th colspan="2">Seats</th><th>By</th></tr></thead>'
    rows = '<tr><td>1</td><td>2</td><td>Ada</td></tr><tr><td colspan="3">none</td></tr>'
    html = drawn(f"{head}<tbody>{rows}</tbody>")
    assert html.count('data-label="Seats"') == 2
    assert '<td data-label="By">Ada</td>' in html
    assert '<td colspan="3">none</td>' in html


def test_words_of_a_heading_stay_escaped():
    head = "<thead><tr><th>A &lt;b&gt; &#34;c&#34;</th></tr></thead>"
    html = drawn(head + '<tbody><tr><th scope="row">1</th></tr></tbody>')
    assert '<th data-label="A &lt;b&gt; &#34;c&#34;" scope="row">1</th>' in html


def test_a_table_without_a_head_stays_as_it_is():
    plain = "<tbody><tr><td>1</td></tr></tbody>"
    assert drawn(plain) == plain

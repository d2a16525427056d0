"""The words people read follow docs/wording.md, and the lint that says so finds what it should."""

import re
from pathlib import Path

import pytest
from scripts import wording

import sedge
from sedge.web.shared.terms import TERMS, term


def test_nothing_that_people_read_stands_against_the_page_of_words():
    assert wording.findings() == []


def test_the_page_names_phrases_and_what_to_say_instead():
    table = dict(wording.phrases())
    assert len(table) > 30
    assert "emergency call" in table.values()


@pytest.mark.parametrize(
    ("template", "found"),
    [
        ('<button class="act">Keep it</button>', ["Keep it"]),
        ('<a class="act plain" href="/x">Show these</a>', ["Show these"]),
        ('{{ push("/x/" ~ key, "Leave it", class="act") }}', ["Leave it"]),
        ('<button class="act">Save view</button>', []),
    ],
)
def test_a_button_that_ends_in_a_pronoun_is_found(template, found):
    assert list(wording.in_buttons(template)) == found


@pytest.mark.parametrize(
    ("template", "found"),
    [
        ("<h2>What is due</h2>", ["What is due"]),
        ("{% block title %}Who signs in{% endblock %}", ["Who signs in"]),
        ("<th>How many people</th>", []),
        ("<h2>Due</h2>", []),
    ],
)
def test_a_heading_that_is_a_clause_is_found(template, found):
    assert list(wording.in_headings(template)) == found


def test_text_and_quoted_sentences_of_a_template_are_read_and_its_comments_not():
    template = (
        '{# bring in #}<p title="call for help">{{ push("/x", "put it right") }} bring in</p>'
    )
    words = " ".join(wording.words_of_template(template))
    assert "call for help" in words
    assert "put it right" in words
    assert words.count("bring in") == 1


def test_docstrings_are_not_read_and_sentences_are():
    source = '"""Bring in."""\nX = "bring in a file"\n'
    assert list(wording.words_of_module(source)) == ["bring in a file"]


def test_the_page_of_words_explains_the_terms_as_the_help_page_does():
    text = wording.WORDING.read_text()
    assert {f"| {word} | {meaning} |" for word, meaning in TERMS.items()} <= set(text.splitlines())


def test_a_term_leads_to_its_meaning_and_an_unknown_one_is_an_error():
    assert 'href="/help#call-path"' in term("call path")
    assert TERMS["spot"] in term("spot", "spots")
    with pytest.raises(KeyError):
        term("whatsit")


def labels_named(page: str) -> set[str]:
    """What a page names as it stands on the screen: *Label*."""
    found = re.findall(r"(?<!\*)\*([A-Z][^*]+?)\*(?!\*)", page)
    return {" ".join(label.split()) for label in found}


def test_the_tour_names_what_stands_on_the_screens():
    root = Path(sedge.__file__).parent
    shown = "\n".join(
        file.read_text() for kind in ("html", "py") for file in root.rglob(f"*.{kind}")
    )
    labels = labels_named((root.parent.parent / "README.md").read_text())
    assert len(labels) > 10
    assert [label for label in sorted(labels) if label not in shown] == []

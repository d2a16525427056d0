"""Tables that stack on a phone: each cell says which column it belongs to."""

import re
from functools import lru_cache

from markupsafe import Markup

CELL = re.compile(r"<(?P<tag>tr|t[dh])\b(?P<rest>[^>]*)>")
HEAD = re.compile(r"<th\b(?P<rest>[^>]*)>(?P<words>.*?)</th>", re.DOTALL)
SPAN = re.compile(r"colspan=\"(\d+)\"")
UNSEEN = re.compile(
    r"<span (?:aria-hidden|class=\"visually-hidden\")[^>]*>.*?</span>|<[^>]*>", re.DOTALL
)


def labelled(html: Markup) -> Markup:
    """The inside of a table with `data-label` on each cell of its body: the words that its column's
    heading shows. Cells under a heading that shows nothing, and whole-row cells, get none."""
    head, end, body = str(html).partition("</thead>")
    if not end:
        return html
    titles = _titles(head)
    column = 0

    def label(cell: re.Match[str]) -> str:
        nonlocal column
        if cell["tag"] == "tr":
            column = 0
            return cell[0]
        span = _width(cell["rest"])
        title = titles[column] if column < len(titles) and span == 1 else ""
        column += span
        return f'<{cell["tag"]} data-label="{title}"{cell["rest"]}>' if title else cell[0]

    return Markup(head + end + CELL.sub(label, body))  # noqa: S704  drawn and escaped already


@lru_cache(256)
def _titles(head: str) -> tuple[str, ...]:
    """What the headings of columns show, escaped as they stand, one for each column."""
    titles: list[str] = []
    for heading in HEAD.finditer(head):
        words = " ".join(UNSEEN.sub("", heading["words"]).split()).replace('"', "&#34;")
        titles += [words] * _width(heading["rest"])
    return tuple(titles)


def _width(attributes: str) -> int:
    found = SPAN.search(attributes)
    return int(found[1]) if found else 1

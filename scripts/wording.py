"""Finds words that docs/wording.md says not to use, in what people see: templates, sentences of the
code, and scripts of pages. `--check` ends with 1 where there are any."""

import ast
import re
import sys
from collections.abc import Iterator
from pathlib import Path
from typing import NamedTuple

ROOT = Path(__file__).parent.parent
WORDING = ROOT / "docs" / "wording.md"
ROW = re.compile(r"^\| (?P<old>[^|]+?) \| (?P<new>[^|]+?) \|$")
TAG = re.compile(r"\{\{.*?\}\}|\{%.*?%\}|\{#.*?#\}|<[^>]*>", re.DOTALL)
QUOTED = re.compile(r'"([^"]*)"')
BUTTON = re.compile(
    r"<button\b[^>]*>(?P<button>.*?)</button>"
    r"|<a\b[^>]*\bclass=\"act\b[^>]*>(?P<link>.*?)</a>"
    r"|\bpush\([^,]+, \"(?P<push>[^\"]+)\"",
    re.DOTALL,
)
HEADING = re.compile(
    r"<(?:h[1-4]|th)\b[^>]*>(.*?)</(?:h[1-4]|th)>|block title %\}(.*?)\{%", re.DOTALL
)
# what is stored or matched, and seen by nobody
UNSEEN = {"bringing in", "^(?:known as|id in|known elsewhere as)\\s+(.+)$"}
PRONOUN = re.compile(r"\b(it|them|this|these|those|one|so)$", re.IGNORECASE)
# a label in the code: a verb, at most three words, a pronoun
LABEL = re.compile(r"^(?!Nobody)[A-Z][a-z]+(?: [a-z]+){0,3} (?:it|them|these|those)$")
CLAUSE = re.compile(r"^(what|who|how|why|where|when|whom) (?!many\b)", re.IGNORECASE)


class Found(NamedTuple):
    place: str
    words: str
    why: str


def phrases() -> list[tuple[re.Pattern[str], str]]:
    """The phrases of the table and what to say instead."""
    table = WORDING.read_text().partition("| avoid | say |\n|---|---|\n")[2]
    rows = [m for line in table.splitlines() if (m := ROW.match(line))]
    pairs = [(old.strip(), m["new"]) for m in rows for old in m["old"].split(";")]
    return [
        (re.compile(rf"(?<!\w){re.escape(old)}(?!\w)", re.IGNORECASE), new) for old, new in pairs
    ]


def words_of_template(text: str) -> Iterator[str]:
    """What a template shows: its text, and the sentences quoted in its tags and expressions."""
    at = 0
    for tag in TAG.finditer(text):
        yield text[at : tag.start()]
        at = tag.end()
        if not tag[0].startswith("{#"):
            yield from (m for m in QUOTED.findall(tag[0]) if " " in m)
    yield text[at:]


def words_of_module(source: str) -> Iterator[str]:
    """The strings of a module with a space in them, docstrings left out."""
    tree = ast.parse(source)
    docs = {
        id(node.body[0].value)
        for node in ast.walk(tree)
        if isinstance(node, ast.Module | ast.ClassDef | ast.FunctionDef | ast.AsyncFunctionDef)
        and node.body
        and isinstance(node.body[0], ast.Expr)
    }
    for node in ast.walk(tree):
        match node:
            case ast.Constant(value=str(words)) if " " in words:
                if id(node) not in docs and words not in UNSEEN:
                    yield words


def sources() -> Iterator[tuple[Path, list[str]]]:
    """Every file that shows words, with those."""
    for path in sorted((ROOT / "src" / "sedge").rglob("*")):
        if "vendor" in path.parts or "standins" in path.parts or "migrations" in path.parts:
            continue
        if path.suffix == ".html":
            yield path, list(words_of_template(path.read_text()))
        elif path.suffix == ".py":
            yield path, list(words_of_module(path.read_text()))


def _plain(text: str) -> str:
    return re.sub(r"\s+", " ", TAG.sub("", text)).strip().rstrip("…")


def in_buttons(text: str) -> Iterator[str]:
    for found in BUTTON.finditer(text):
        words = _plain(found["button"] or found["link"] or found["push"] or "")
        if PRONOUN.search(words):
            yield words


def in_headings(text: str) -> Iterator[str]:
    for found in HEADING.finditer(text):
        words = _plain(found[1] or found[2] or "")
        if CLAUSE.match(words):
            yield words


def findings() -> list[Found]:
    found, table = [], phrases()
    for path, words in sources():
        place = str(path.relative_to(ROOT))
        for text in words:
            for phrase, new in table:
                if phrase.search(text):
                    found.append(Found(place, " ".join(text.split())[:80], f"say: {new}"))
        if path.suffix == ".py":
            found += [
                Found(place, w, "a label ends in its object") for w in words if LABEL.match(w)
            ]
        if path.suffix == ".html":
            text = path.read_text()
            found += [
                Found(place, w, "a button is a verb and its object") for w in in_buttons(text)
            ]
            found += [Found(place, w, "a heading is a noun phrase") for w in in_headings(text)]
    return found


def main() -> int:
    found = findings()
    for one in found:
        print(f"{one.place}: “{one.words}”: {one.why}")
    print(f"{len(found)} phrases to say otherwise")
    return 1 if found and "--check" in sys.argv else 0


if __name__ == "__main__":
    raise SystemExit(main())

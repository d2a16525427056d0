"""What the pages of a take-over show."""

from collections import Counter
from dataclasses import dataclass

from sedge.core.errors import NotFound
from sedge.core.imports.fields import FIELDS
from sedge.core.imports.takeover_records import Ask, Question
from sedge.services.imports.take_over import Sitting, rows_of
from sedge.store.repositories.take_overs import FileRead, TakeOver

SHOWN = 40


@dataclass(frozen=True)
class Line:
    """One row as the file has it."""

    where: str
    words: str
    key: str


@dataclass(frozen=True)
class QuestionView:
    ask: str
    word: str
    sentence: str
    rows: str
    count: int
    lines: list[Line]
    choices: list[tuple[str, str]]
    is_word: bool
    can_be_new: bool
    asks_number: bool
    asks_mail: bool
    is_twice: bool


@dataclass(frozen=True)
class SittingPage:
    one: TakeOver
    questions: list[QuestionView]
    more: int
    settled: list[tuple[str, int]]
    files: list[tuple[int, FileRead, int]]
    is_open: bool
    can_order: bool


def page(sitting: Sitting) -> SittingPage:
    sheet, one = sitting.sheet, sitting.one
    states = Counter(found.state.value for found in sheet.numbers)
    settled = [
        ("rows read", sheet.rows),
        *((f"numbers {state}", n) for state, n in states.most_common()),
        ("people to be added", sum(1 for p in sheet.people if p.ref is None)),
        ("people known here", sum(1 for p in sheet.people if p.ref is not None)),
        ("rows about numbers that are here already", len(sheet.here_already)),
        ("rows left out", len(sheet.left_out)),
    ]
    is_open = one.state == "open"
    return SittingPage(
        one,
        [_question(q, sitting) for q in sheet.questions[:SHOWN]] if is_open else [],
        max(0, len(sheet.questions) - SHOWN),
        [(words, n) for words, n in settled if n],
        [(i, f, len(set(f.mapping.values()))) for i, f in enumerate(one.files)],
        is_open,
        is_open and not sheet.questions and bool(sheet.numbers or sheet.people),
    )


def _question(question: Question, sitting: Sitting) -> QuestionView:
    lines = [
        Line(
            f"{sitting.one.files[file].name}, line {line}",
            " · ".join(c for c in sitting.said.get((file, line), []) if c.strip())[:160],
            f"{file}.{line}",
        )
        for file, line in question.rows[:3]
    ]
    return QuestionView(
        ask=question.ask.value,
        word=question.word,
        sentence=question.sentence,
        rows=rows_of(question),
        count=len(question.rows),
        lines=lines,
        choices=list(question.choices),
        is_word=question.is_word,
        can_be_new=question.ask is Ask.WHO
        and all(":" in value for value, _ in question.choices)
        and not any(v.startswith("site:") for v, _ in question.choices),
        asks_number=question.ask is Ask.NUMBER,
        asks_mail=question.ask is Ask.MAIL,
        is_twice=question.ask is Ask.TWICE,
    )


def said(*, number: str, who: str, email: str, leave: str) -> dict[str, str]:
    """What a filled-in row form says, by field."""
    found = {"number": number.strip(), "email": email.strip(), "leave": "yes" if leave else ""}
    if who.startswith("site:"):
        found["site"] = who[5:]
    elif who.startswith("mail:"):
        found["email"] = who[5:]
    elif who in {"available", "reserved", "administrative"}:
        found |= {"state": who, "who": "nobody"}
    elif who:
        found["who"] = who
    return {name: value for name, value in found.items() if value}


@dataclass(frozen=True)
class ColumnsPage:
    one: TakeOver
    file: FileRead
    at: int
    columns: list[tuple[int, str, str]]
    fields: list[tuple[str, str]]


def columns_page(sitting: Sitting, file: int) -> ColumnsPage:
    if not 0 <= file < len(sitting.one.files):
        raise NotFound("There is no such file in this take-over.", subject="file")
    of = sitting.one.files[file]
    taken = {at: name for name, at in of.mapping.items()}
    columns = [
        (at, title or f"column {at + 1}", taken.get(at, "")) for at, title in enumerate(of.header)
    ]
    return ColumnsPage(
        sitting.one, of, file, columns, [(k, v) for k, v in FIELDS.items() if k != "known"]
    )

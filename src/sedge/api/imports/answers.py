"""What the JSON interface answers: files, take-overs."""

from typing_extensions import TypedDict

from sedge.core.imports.takeover_records import Ask
from sedge.core.numbers.life import State
from sedge.services.imports.take_over import Sitting
from sedge.store.repositories.number_files import FileState, NumberFile, Report


class FileReportFaultOut(TypedDict):
    line: int
    text: str
    why: str


class FileReportDifferenceOut(TypedDict):
    line: int
    number: str
    what: str


class FileReportOut(TypedDict):
    rows: int
    new: int
    same: int
    changed: int
    differs: int
    bad: int
    faults: list[FileReportFaultOut]
    differences: list[FileReportDifferenceOut]


class NumberFileOut(TypedDict):
    id: str
    name: str
    state: FileState
    columns: dict[str, int]
    header: list[str]
    notes: list[str]
    problem: str
    found: FileReportOut
    brought_in: FileReportOut
    work_order: str | None


class TakeOverRowOut(TypedDict):
    id: str
    name: str
    state: str
    work_order: str | None


class TakeOverFileOut(TypedDict):
    name: str
    rows: int
    columns: dict[str, int]
    notes: list[str]


class TakeOverNumberOut(TypedDict):
    e164: str
    state: State
    site: str
    holder: str | None
    spot: str | None
    path: str | None
    label: str


class TakeOverPeopleOut(TypedDict):
    name: str
    email: str
    site: str
    new: bool


class TakeOverQuestionOut(TypedDict):
    ask: Ask
    word: str
    sentence: str
    rows: list[list[int]]
    choices: list[list[str]]


class TakeOverOut(TypedDict):
    id: str
    name: str
    state: str
    work_order: str | None
    rows: int
    files: list[TakeOverFileOut]
    numbers: list[TakeOverNumberOut]
    people: list[TakeOverPeopleOut]
    questions: list[TakeOverQuestionOut]
    here_already: int
    left_out: int


class TakeOverOrderOut(TypedDict):
    work_order: str
    no: int
    tasks: int


class NotedOut(TypedDict):
    kind: str
    ref: str
    known_as: dict[str, str]


def number_file_out(f: NumberFile) -> NumberFileOut:
    def report(r: Report) -> FileReportOut:
        return {
            "rows": r.rows,
            "new": r.new,
            "same": r.same,
            "changed": r.changed,
            "differs": r.differs,
            "bad": r.bad,
            "faults": [{"line": line, "text": words, "why": why} for line, words, why in r.faults],
            "differences": [
                {"line": line, "number": national, "what": what}
                for line, national, what in r.differences
            ],
        }

    return {
        "id": f.id,
        "name": f.name,
        "state": f.state,
        "columns": f.mapping,
        "header": list(f.header),
        "notes": list(f.notes),
        "problem": f.problem,
        "found": report(f.report),
        "brought_in": report(f.done),
        "work_order": f.work_order,
    }


def take_over_out(s: Sitting) -> TakeOverOut:
    sheet = s.sheet
    numbers: list[TakeOverNumberOut] = [
        {
            "e164": f"+{n.number}",
            "state": n.state,
            "site": n.site,
            "holder": n.who.name if n.who else None,
            "spot": n.spot,
            "path": n.path,
            "label": n.label,
        }
        for n in sheet.numbers
    ]
    questions: list[TakeOverQuestionOut] = [
        {
            "ask": q.ask,
            "word": q.word,
            "sentence": q.sentence,
            "rows": [list(row) for row in q.rows],
            "choices": [list(c) for c in q.choices],
        }
        for q in sheet.questions
    ]
    return {
        "id": s.one.id,
        "name": s.one.name,
        "state": s.one.state,
        "work_order": s.one.work_order,
        "rows": sheet.rows,
        "files": [
            {"name": f.name, "rows": f.rows, "columns": f.mapping, "notes": list(f.notes)}
            for f in s.one.files
        ],
        "numbers": numbers,
        "people": [
            {"name": p.name, "email": p.email, "site": p.site, "new": p.ref is None}
            for p in sheet.people
        ],
        "questions": questions,
        "here_already": len(sheet.here_already),
        "left_out": len(sheet.left_out),
    }

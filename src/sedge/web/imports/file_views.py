"""What the pages about files of numbers show."""

from dataclasses import dataclass
from datetime import datetime

from sedge.core.imports.fields import FIELDS
from sedge.store.repositories.number_files import FileState, NumberFile, Report


@dataclass(frozen=True)
class FileRow:
    id: str
    name: str
    state: str
    rows: int
    at: datetime
    by: str
    done: int
    total: int
    is_going: bool


@dataclass(frozen=True)
class FileColumn:
    at: int
    title: str
    chosen: str


@dataclass(frozen=True)
class FilePage:
    """One file: its columns, what was found in it, and what may be done now."""

    file: NumberFile
    columns: list[FileColumn]
    fields: list[tuple[str, str]]
    sites: list[tuple[str, str]]
    accounts: list[tuple[str, str]]
    counts: list[tuple[str, int, str]]
    report: Report
    done: int
    total: int
    is_going: bool
    is_ready: bool
    is_done: bool
    can_change: bool
    step: str


def row(file: NumberFile) -> FileRow:
    page_ = page(file, [], [])
    return FileRow(
        file.id,
        file.name,
        file.state.value,
        file.report.rows,
        file.created_at,
        file.created_by,
        page_.done,
        page_.total,
        page_.is_going,
    )


def page(file: NumberFile, sites: list[str], accounts: list[str]) -> FilePage:
    taken = {at: name for name, at in file.mapping.items()}
    bringing = file.state in {FileState.BRINGING_IN, FileState.DONE}
    report = file.done if bringing and file.done.rows else file.report
    looked = file.state is FileState.READ and not file.problem
    return FilePage(
        file=file,
        columns=[
            FileColumn(
                at, title, "known" if taken.get(at, "").startswith("known:") else taken.get(at, "")
            )
            for at, title in enumerate(file.header)
        ],
        fields=list(FIELDS.items()),
        sites=[(name, name) for name in sites],
        accounts=[(name, name) for name in accounts],
        counts=[
            ("new", report.new, "will be imported" if not bringing else "imported"),
            (
                "changed",
                report.changed,
                "are here; label, note, tags, cost centre or other ids are taken over",
            ),
            ("the same", report.same, "are here already, nothing changes"),
            ("differ", report.differs, "are here in another state, site or hand: left as they are"),
            ("can't be read", report.bad, "are left out"),
        ],
        report=report,
        done=report.rows,
        total=max(file.total, report.rows),
        is_going=file.state in {FileState.READING, FileState.BRINGING_IN},
        is_ready=looked and bool(file.report.new or file.report.changed),
        is_done=file.state is FileState.DONE,
        can_change=file.state in {FileState.NEW, FileState.READ},
        step={
            FileState.NEW: "Say what its columns are",
            FileState.READING: "It is being looked through",
            FileState.READ: "It has been looked through; nothing is changed yet",
            FileState.BRINGING_IN: "The file is being imported",
            FileState.DONE: "The file is imported",
        }[file.state],
    )

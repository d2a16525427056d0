"""The finder's index: trigrams of two FTS5 tables, `digits` of all numbers and `finder` of
everything that has words.

A number's digits never change, so `digits` keeps no text of its own, is only ever added to, and
costs half of what a row in `finder` does; numbers with a label, tags or ids of other systems are in
both. Only this and `scoped` have SQLite-only SQL. Measured at a million numbers: a middle fragment
1.6 ms, an ending 1.1 ms. Fragments under three digits have no trigram; ask `numbers` for ranges
instead.
"""

import hashlib
from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass
from typing import Any, Protocol, cast

from rapidfuzz.distance import OSA
from rapidfuzz.process import extract
from sqlalchemy import Connection

from sedge.core.records import (
    Area,
    Carrier,
    Downstream,
    Group,
    Number,
    Order,
    PathVersion,
    Person,
    Sbc,
    ServiceLine,
    Site,
    Spot,
    Subject,
    Trunk,
)

CREATE = (
    "CREATE VIRTUAL TABLE finder USING fts5(words, subject UNINDEXED, ref UNINDEXED, title"
    " UNINDEXED, tokenize = 'trigram')"
)
CREATE_DIGITS = (
    "CREATE VIRTUAL TABLE IF NOT EXISTS digits USING fts5(written, content='', columnsize=0,"
    " tokenize = 'trigram')"
)
DROP = "DROP TABLE finder"
END_MARK = "$"
FOUND = (
    Subject.NUMBER,
    Subject.PERSON,
    Subject.SERVICE_LINE,
    Subject.GROUP,
    Subject.SITE,
    Subject.SPOT,
    Subject.AREA,
    Subject.PATH,
    Subject.CARRIER,
    Subject.TRUNK,
    Subject.SBC,
    Subject.DOWNSTREAM,
    Subject.ORDER,
)

BY_NAME: dict[type, Subject] = {
    Area: Subject.AREA,
    Carrier: Subject.CARRIER,
    Downstream: Subject.DOWNSTREAM,
    Group: Subject.GROUP,
    PathVersion: Subject.PATH,
    Person: Subject.PERSON,
    Sbc: Subject.SBC,
    ServiceLine: Subject.SERVICE_LINE,
    Site: Subject.SITE,
    Trunk: Subject.TRUNK,
}
# by what fact something ceases to be found
GONE: dict[type, str] = {
    Downstream: "removed",
    Group: "removed",
    PathVersion: "retired",
    Sbc: "retired",
}


class Named(Protocol):
    id: str
    name: str


@dataclass(frozen=True)
class Hit:
    subject: Subject
    ref: str
    title: str


def entry_of(record: object) -> tuple[str, Subject, str, str] | None:
    """Words, subject, reference and title under which a record is found; None where it isn't."""
    match record:
        case Number():
            said = " ".join(
                (record.label, *record.tags, record.cost_centre, *record.known_as.values())
            ).strip()
            return (
                (f"{record.e164[1:]}{END_MARK} {said}", Subject.NUMBER, record.e164, record.label)
                if said
                else None
            )
        case Order():
            return f"{record.reference} {record.id}", Subject.ORDER, record.id, record.reference
        case Spot():
            title = f"{record.name} ({record.id})"
            return f"{record.id} {record.name} {known(record)}", Subject.SPOT, record.id, title
    named = cast("Named", record)
    subject = BY_NAME.get(type(record))
    if subject is None or getattr(named, GONE.get(type(record), ""), False):
        return None
    return f"{named.name} {_besides(record)}".strip(), subject, named.id, named.name


def _besides(record: object) -> str:
    """Words by which something is found besides its name."""
    match record:
        case Person():
            details = f"{record.email} {record.department} {record.job}"
            return f"{details} {record.extension}{END_MARK}"
        case ServiceLine():
            return str(record.kind)
        case Site():
            return f"{record.code} {known(record)}"
        case Area():
            return known(record)
        case Trunk() | Sbc() | Downstream():
            return record.host
    return ""


def known(record: Any) -> str:
    """The ids under which other systems know it."""
    return " ".join(record.known_as.values())


def index(connection: Connection, records: Iterable[object]) -> None:
    """Put saved records into the index, replacing what it had of them."""
    entries: dict[int, tuple[str, Subject, str, str] | None] = {}
    fresh: set[int] = set()
    for record in records:
        if isinstance(record, Number):
            entries[int(record.e164)] = entry_of(record)
            if record.version == 1:
                fresh.add(int(record.e164))
        elif entry := entry_of(record):
            entries[_rowid(entry[1], entry[2])] = entry
        elif type(record) in GONE:
            entries[_rowid(BY_NAME[type(record)], record.id)] = None  # type: ignore[attr-defined]
    if entries:
        connection.exec_driver_sql(
            "DELETE FROM finder WHERE rowid = ?", [(rowid,) for rowid in entries]
        )
    if found := [
        (rowid, words, subject.value, ref, title)
        for rowid, (words, subject, ref, title) in _there(entries)
    ]:
        connection.exec_driver_sql(
            "INSERT INTO finder (rowid, words, subject, ref, title) VALUES (?, ?, ?, ?, ?)", found
        )
    if fresh:
        connection.exec_driver_sql(
            f"INSERT INTO digits (rowid, written) SELECT ?1, ?1 || '{END_MARK}'"  # noqa: S608
            " WHERE (SELECT count(*) FROM life WHERE number = ?1) < 2",
            [(number,) for number in sorted(fresh)],
        )


def scrub(connection: Connection, wanted: Iterable[str], function: str) -> int:
    """Send words and titles that have any of what is wanted through a function that the connection
    knows; in how many rows."""
    rows = 0
    for one in wanted:
        rows += connection.exec_driver_sql(
            f"UPDATE finder SET words = {function}(words), title = {function}(title)"  # noqa: S608
            " WHERE instr(words, ?1) OR instr(title, ?1)",
            (one,),
        ).rowcount
    return rows


def _there(
    entries: Mapping[int, tuple[str, Subject, str, str] | None],
) -> Iterator[tuple[int, tuple[str, Subject, str, str]]]:
    for rowid, entry in entries.items():
        if entry:
            yield rowid, entry


def index_digits_anew(connection: Connection) -> None:
    """The digits of all numbers, out of their rows."""
    connection.exec_driver_sql("INSERT INTO digits (digits) VALUES ('delete-all')")
    connection.exec_driver_sql(
        "INSERT INTO digits (rowid, written)"  # noqa: S608
        f" SELECT DISTINCT number, number || '{END_MARK}' FROM life ORDER BY number"
    )


def _rowid(subject: Subject, ref: str) -> int:
    """Numbers are their own row; others a hash outside the numbers' range, so that replacing needs
    no scan."""
    if subject is Subject.NUMBER:
        return int(ref)
    return (
        10**15
        + int.from_bytes(
            hashlib.blake2b(f"{subject}:{ref}".encode(), digest_size=7).digest(), "big"
        )
        % 10**18
    )


def numbers_with(
    connection: Connection, fragments: Iterable[str], *, ending: bool = False, limit: int = 50
) -> list[int]:
    """Numbers whose digits contain any of the fragments (three digits at least). `ending`: at their
    end."""
    usable = [f for f in fragments if len(f) + ending >= 3]
    if not usable:
        return []
    query = " OR ".join(
        '"' + f.replace('"', '""') + (END_MARK if ending else "") + '"' for f in usable
    )
    return list(
        connection.exec_driver_sql(
            "SELECT rowid FROM digits WHERE written MATCH ? LIMIT ?", (query, limit)
        ).scalars()
    )


MOST_READ = 50_000  # entries looked through for a word that nobody spells so


def find_words(
    connection: Connection, text: str, *, subject: Subject | None = None, limit: int = 50
) -> tuple[list[Hit], bool]:
    """Records with every typed word, best first, and True; where there are none, those with one
    slip of the keys forgiven, and False."""
    if hits := match_all_words(connection, text, subject=subject, limit=4 * limit):
        return sorted(hits, key=lambda hit: (_rank(hit.title, text), hit.title))[:limit], True
    return nearly(connection, text, subject=subject, limit=limit), False


def _rank(title: str, text: str) -> int:
    """0 the very name, 1 it begins so, 2 a word of it begins so, 3 it stands somewhere in it, 4
    only in other words of the record."""
    title, text = title.casefold(), text.strip().casefold()
    if title == text:
        return 0
    if title.startswith(text):
        return 1
    return 2 if f" {text}" in title else 3 if text in title else 4


def nearly(
    connection: Connection, text: str, *, subject: Subject | None = None, limit: int = 50
) -> list[Hit]:
    """Records in which each typed word of four letters or more stands with one letter wrong,
    missing, too many or swapped with its neighbour (the optimal string alignment distance is 1)."""
    wanted = [word for word in text.casefold().split() if len(word) >= 4]
    if not wanted or any(c.isdecimal() for c in text):
        return []
    sql = (
        "SELECT words, subject, ref, title FROM finder WHERE subject = ?"
        if subject
        else "SELECT words, subject, ref, title FROM finder"
    )
    rows = connection.exec_driver_sql(
        sql + " LIMIT ?", (*((subject.value,) if subject else ()), MOST_READ)
    ).all()
    lines: dict[str, set[int]] = {}
    for line, row in enumerate(rows):
        for word in row[0].casefold().split():
            lines.setdefault(word.rstrip(END_MARK), set()).add(line)
    found: set[int] | None = None
    for word in wanted:
        alike = extract(
            word, lines.keys(), scorer=OSA.distance, processor=None, score_cutoff=1, limit=None
        )
        on = set[int]().union(*(lines[name] for name, *_ in alike))
        found = on if found is None else found & on
    return sorted(
        (Hit(Subject(rows[n][1]), rows[n][2], rows[n][3]) for n in found or ()),
        key=lambda hit: hit.title,
    )[:limit]


def match_all_words(
    connection: Connection, text: str, *, subject: Subject | None = None, limit: int = 50
) -> list[Hit]:
    """Records that contain every typed word of three letters or more (shorter words narrow
    nothing)."""
    words = [w for w in text.split() if len(w) >= 3]
    if not words:
        return []
    query = " AND ".join('"' + w.replace('"', '""') + '"' for w in words)
    sql = "SELECT subject, ref, title FROM finder WHERE words MATCH ?"
    parameters: tuple[object, ...] = (query,)
    if subject is not None:
        sql, parameters = sql + " AND subject = ?", (query, subject.value)
    rows = connection.exec_driver_sql(sql + " LIMIT ?", (*parameters, limit))
    return [Hit(Subject(row[0]), row[1], row[2]) for row in rows]

"""Taking somebody's personal data out of everything that is kept of an organisation, the ledger
included, so that its chain still holds."""

import json
import re
import sqlite3
from collections.abc import Iterator
from typing import NamedTuple, cast

from sqlalchemy import Column, Connection, String, Table, delete, func, select, text, update

from sedge.core.facts import to_canonical_json
from sedge.core.ledger.chain import BEGINNING, Entry, ErasedEntry, link
from sedge.core.records import Subject
from sedge.store.projections import finder
from sedge.store.schema import chain, tables
from sedge.store.schema.mails import mail, mail_file
from sedge.store.schema.tables import estate_metadata

PERSONAL = ("email", "extension", "job", "department", "known_elsewhere_as")


class Words(NamedTuple):
    """What is looked for and what stands there instead; `by_name` False where somebody else has the
    same name, or it is too short to be told from other words."""

    name: str
    email: str
    instead: str
    by_name: bool

    def wanted(self) -> list[str]:
        """What is looked for."""
        return [*([self.name] if self.by_name else []), *([self.email] if self.email else [])]

    def without(self, words: str) -> str:
        """The same words without them. What is part of a longer word or address is another's."""
        if self.by_name:
            words = re.sub(rf"(?<!\w){re.escape(self.name)}(?!\w)", self.instead, words)
        if self.email:
            whole = rf"(?<![\w.+-]){re.escape(self.email)}(?![\w-]|\.\w)"
            words = re.sub(whole, "", words)
        return words


def scrub(connection: Connection, words: Words) -> int:
    """Take a person's name and mail address out of every text that is kept, beside the ledger,
    and their mails away; how many rows that were. The pages that SQLite frees are overwritten."""
    connection.execute(text("PRAGMA secure_delete = ON"))
    driver = cast(sqlite3.Connection, connection.connection.driver_connection)
    driver.create_function("without_them", 1, words.without, deterministic=True)
    rows = 0
    if words.email:
        theirs = select(mail.c.id).where(mail.c.recipient == words.email)
        connection.execute(delete(mail_file).where(mail_file.c.mail.in_(theirs)))
        rows += connection.execute(delete(mail).where(mail.c.recipient == words.email)).rowcount
    for table in estate_metadata.sorted_tables:
        if table is chain.ledger or table.name == chain.ledger_head.name:
            continue
        for column in _texts(table):
            for wanted in words.wanted():
                rows += connection.execute(
                    update(table)
                    .where(func.instr(column, wanted) > 0)
                    .values({column.name: func.without_them(column)})
                ).rowcount
    return rows + finder.scrub(connection, words.wanted(), "without_them")


def _texts(table: Table) -> Iterator[Column[str]]:
    """The columns of a table that may hold words that somebody wrote."""
    for column in table.columns:
        is_key = column.primary_key or column.unique or column.name.endswith("_id")
        if isinstance(column.type, String) and not is_key:
            yield column


def scrub_ledger(connection: Connection, key: str, words: Words) -> list[ErasedEntry]:
    """The same in the ledger: each entry about the person, or that names them, tells the rest. What
    was changed, for the entry that says so."""
    table = chain.ledger
    names = [table.c[name] for name in Entry.model_fields]
    told = table.c.title + table.c.reason + func.coalesce(table.c.after, "")
    about = (table.c.subject == Subject.PERSON.value) & (table.c.subject_id == key)
    for wanted in words.wanted():
        about |= func.instr(told, wanted) > 0
    found: list[ErasedEntry] = []
    rows = connection.execute(select(*names, table.c.hash).where(about).order_by(table.c.sequence))
    for row in rows.all():
        values = dict(row._mapping)
        stored = values.pop("hash")
        left = _without(Entry.model_construct(**values), key, words)
        before = connection.execute(
            select(table.c.hash).where(table.c.sequence == left.sequence - 1)
        ).scalar()
        found.append(ErasedEntry(left.sequence, stored, link(before or BEGINNING, left)))
        connection.execute(
            update(table)
            .where(table.c.sequence == left.sequence)
            .values(title=left.title, reason=left.reason, after=left.after, erased=True)
        )
    return found


def _without(entry: Entry, key: str, words: Words) -> Entry:
    after = entry.after
    if after and entry.subject == Subject.PERSON.value and entry.subject_id == key:
        after = _record_without(after, words)
    return entry.copy_with(
        title=words.without(entry.title),
        reason=words.without(entry.reason),
        after=words.without(after) if after else after,
        erased=True,
    )


def _record_without(after: str, words: Words) -> str:
    """A snapshot of the person; where they sat and what they might do stays."""
    record = json.loads(after)
    if not isinstance(record, dict):
        return after
    if "name" not in record:
        return after
    gone = {name: "" for name in PERSONAL if record.get(name)}
    return to_canonical_json(record | gone | {"name": words.instead, "manager": None})


def namesakes(connection: Connection, key: str, name: str) -> int:
    """How many others have the same name, alone or in a longer one."""
    person = tables.person
    query = select(func.count()).where(func.instr(person.c.name, name) > 0, person.c.id != key)
    return connection.execute(query).scalar_one()

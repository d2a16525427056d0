"""Taking over an estate: files in any shape, a worksheet kept between sittings, then
one work order."""

import tempfile
from collections.abc import Sequence
from dataclasses import dataclass, replace
from decimal import Decimal
from pathlib import Path
from typing import Any, BinaryIO

import sedge
from sedge.core.access.roles import May
from sedge.core.errors import NotAllowedNow, NotFound, NotUnderstood
from sedge.core.facts import Money
from sedge.core.imports.directory import Directory
from sedge.core.imports.fields import FIELDS, fingerprint, recognised
from sedge.core.imports.rows import Fault, amount_of
from sedge.core.imports.takeover import put_together
from sedge.core.imports.takeover_records import Ask, Found, Known, Question, Somebody, Worksheet
from sedge.core.numbers.e164 import read
from sedge.core.numbers.life import State
from sedge.core.numbers.ranges import NumberSet
from sedge.core.records import (
    Account,
    HolderKind,
    HolderRef,
    Number,
    PathVersion,
    Person,
    Product,
    Role,
    ServiceLine,
    Site,
    Spot,
    Trunk,
)
from sedge.core.workorders import tasks as t
from sedge.core.workorders.task_base import Task
from sedge.formats import sheets
from sedge.services.context import Context, Reading
from sedge.services.numbers.numbers import also_countries
from sedge.services.workorders import workorders
from sedge.store.repositories import number_files
from sedge.store.repositories import numbers as number_store
from sedge.store.repositories import take_overs as store
from sedge.store.repositories.take_overs import FileRead, TakeOver
from sedge.store.schema import tables

MOST_ROWS, MOST_FILES = 20_000, 20
UNTIDY = Path(sedge.__file__).parent / "demo" / "untidy"


@dataclass(frozen=True)
class Sitting:
    """A take-over with its worksheet; `said` has the cells of the rows that questions are about."""

    one: TakeOver
    sheet: Worksheet
    said: dict[tuple[int, int], list[str]]


def list_take_overs(context: Context) -> list[TakeOver]:
    with context.reading() as reading:
        return store.list_take_overs(reading.connection)


def begin(context: Context, name: str) -> TakeOver:
    context.require(May.IMPORT)
    name = name.strip()[:120]
    if not name:
        raise NotUnderstood(
            "Give the take-over a name, such as that of the organisation.", field="name"
        )
    one = TakeOver(context.new_id("take-over"), name, "open", context.actor, context.now())
    with context.writing() as writing:
        store.add(writing.connection, one)
        writing.touch()
    return one


def begin_with_untidy_files(context: Context) -> TakeOver:
    """The demo's own set of files, to try it with. Raises NotFound outside the demo."""
    if not context.installation.settings.demo:
        raise NotFound("Only the demo has files to try it with.")
    one = begin(context, "Old trust office")
    for path in sorted(UNTIDY.iterdir()):
        if path.suffix in {".csv", ".txt", ".xlsx"}:
            with path.open("rb") as data:
                one = add_file(context, one.id, path.name, data)
    return one


def add_file(context: Context, key: str, name: str, data: BinaryIO) -> TakeOver:
    """Read one more file into the take-over. Raises NotUnderstood."""
    one = _open(context, key)
    if len(one.files) >= MOST_FILES:
        raise NotUnderstood(
            f"At most {MOST_FILES} files fit into one take-over. Begin another one.", field="file"
        )
    with tempfile.TemporaryDirectory() as folder:
        raw, plain = Path(folder) / "raw", Path(folder) / "plain"
        size = raw.write_bytes(data.read(sheets.MOST_SPREADSHEET_BYTES + 1))
        if size > sheets.MOST_SPREADSHEET_BYTES:
            raise NotUnderstood(
                "A file may have 60 MB here. Import a larger one by itself under “Import a file”.",
                field="file",
            )
        notes = sheets.from_spreadsheet(raw, plain) if raw.read_bytes()[:4] == b"PK\x03\x04" else ()
        head = sheets.head_of(plain if notes or plain.exists() else raw)
        rows = list(sheets.rows_of(plain if plain.exists() else raw, head))
    if len(rows) + sum(f.rows for f in one.files) > MOST_ROWS:
        raise NotUnderstood(
            f"At most {MOST_ROWS:,} rows fit into one take-over. Split it by sites.", field="file"
        )
    with context.writing() as writing:
        known = number_files.remembered(writing.connection, fingerprint(head.header))
        mapping = known[0] if known else recognised(head.header)
        file = FileRead(
            name[:200] or "file", tuple(head.header), mapping, len(rows), (*notes, *head.notes)
        )
        one = store.save(writing.connection, replace(one, files=(*one.files, file)))
        store.put_rows(writing.connection, one.id, len(one.files) - 1, rows)
        writing.touch()
    return one


def settle_columns(context: Context, key: str, file: int, mapping: dict[str, int]) -> None:
    """Say which column of a file is which field."""
    one = _open(context, key)
    if not 0 <= file < len(one.files):
        raise NotFound("There is no such file in this take-over.", subject="file")
    of = one.files[file]
    if any(name not in FIELDS or not 0 <= at < len(of.header) for name, at in mapping.items()):
        raise NotUnderstood("That is no field, or no column of this file.", field="mapping")
    files = (*one.files[:file], replace(of, mapping=mapping), *one.files[file + 1 :])
    with context.writing() as writing:
        number_files.remember(writing.connection, fingerprint(of.header), mapping, {})
        store.save(writing.connection, replace(one, files=files))
        writing.touch()


def _open(context: Context, key: str) -> TakeOver:
    with context.reading() as reading:
        one = store.get(reading.connection, key)
    if one.state != "open":
        raise NotAllowedNow(
            f"{one.name} has become a work order already.",
            reason="state",
            work_order=one.work_order,
        )
    return one


def view_sitting(context: Context, key: str) -> Sitting:
    with context.reading() as reading:
        one = store.get(reading.connection, key)
        rows, decisions = store.rows(reading.connection, one)
        sheet = put_together(rows, _known(context, reading, rows), decisions)
        about = {key for question in sheet.questions for key in question.rows[:3]}
        said = store.cells_of(reading.connection, one.id, about)
    return Sitting(one, sheet, said)


def _known(context: Context, reading: Reading, rows: Sequence[Any]) -> Known:
    home, also = context.organisation.home_country, also_countries(context)
    candidates = [
        read(row.said["number"], home, also).candidates for row in rows if row.said.get("number")
    ]
    numbers = NumberSet.of(int(c[0].e164) for c in candidates if c)
    person = tables.person
    people = reading.records.where(Person, person.c.departed.is_(False))
    return Known(
        home,
        also,
        tuple(reading.records.all(Site)),
        tuple(reading.records.all(Account)),
        tuple(reading.records.all(Product)),
        tuple(reading.records.all(PathVersion)),
        tuple(reading.records.all(Spot)),
        tuple(reading.records.all(Trunk)),
        Directory.of(people, reading.records.all(ServiceLine)),
        frozenset(number_store.owned(reading.connection, numbers)),
    )


def settle_word(context: Context, key: str, ask: str, word: str, meaning: str) -> None:
    """What a word means, for every row that uses it; '' for nothing."""
    one = _open(context, key)
    if ask not in {a.value for a in Ask}:
        raise NotUnderstood("That is nothing a word can stand for.", field="ask")
    spellings = {
        **one.spellings,
        ask: {**one.spellings.get(ask, {}), word.lower()[:200]: meaning[:80]},
    }
    with context.writing() as writing:
        store.save(writing.connection, replace(one, spellings=spellings))
        writing.touch()


def settle_rows(
    context: Context, key: str, rows: Sequence[tuple[int, int]], said: dict[str, str]
) -> None:
    """What rows say instead: number, who, email, site, state, or leave. Raises NotUnderstood."""
    one = _open(context, key)
    allowed = {"number", "who", "email", "site", "state", "leave", "holder"}
    if not said or set(said) - allowed:
        raise NotUnderstood(f"A row can be settled by {', '.join(sorted(allowed))}.", field="said")
    if said.get("email") and ("@" not in said["email"] or " " in said["email"]):
        raise NotUnderstood("That is no mail address.", field="email")
    said = {name: value[:200] for name, value in said.items()}
    with context.writing() as writing:
        store.save(writing.connection, one)
        for file, line in rows:
            store.settle(writing.connection, one.id, file, line, said)
        writing.touch()


def ask_again(context: Context, key: str) -> None:
    """Forget every decision on words and rows."""
    one = _open(context, key)
    with context.writing() as writing:
        _rows, decisions = store.rows(writing.connection, one)
        for file, line in decisions.rows:
            store.unsettle(writing.connection, one.id, file, line)
        store.save(writing.connection, replace(one, spellings={}))
        writing.touch()


def leave_open_ones(context: Context, key: str) -> int:
    """Leave out every row that something is still asked about; how many rows. Words without a
    meaning mean nothing."""
    sitting = view_sitting(context, key)
    for question in sitting.sheet.questions:
        if question.is_word and question.ask not in {Ask.SITE, Ask.STATE}:
            settle_word(context, key, question.ask.value, question.word, "")
    rows = sorted(
        {
            row
            for q in sitting.sheet.questions
            if not q.is_word or q.ask in {Ask.SITE, Ask.STATE}
            for row in q.rows
        }
    )
    if rows:
        settle_rows(context, key, rows, {"leave": "yes"})
    return len(rows)


def forget(context: Context, key: str) -> None:
    with context.writing() as writing:
        store.get(writing.connection, key)
        store.forget(writing.connection, key)
        writing.touch()


def make_order(context: Context, key: str) -> Any:
    """The one work order that takes everything settled over: people, spots, licences, then numbers
    as they were found.

    Raises NotAllowedNow while something is still asked.
    """
    sitting = view_sitting(context, key)
    one, sheet = sitting.one, sitting.sheet
    if one.state != "open":
        return workorders.find(context, key)
    if sheet.questions:
        raise NotAllowedNow(
            f"{len(sheet.questions)} questions are still open. Settle them, or leave their rows"
            " out.",
            reason="open",
        )
    tasks = plan(context, sheet)
    if not tasks:
        raise NotAllowedNow("Nothing is left to be taken over.", reason="nothing")
    order = workorders.draft(
        context,
        f"Take over {one.name}",
        tasks,
        reason=f"from {len(one.files)} files of {sheet.rows:,} rows",
        identity=key,
    )
    with context.writing() as writing:
        store.save(writing.connection, replace(one, state="done", work_order=order.id))
        writing.touch()
    return order


def plan(context: Context, sheet: Worksheet) -> list[Task]:
    """Tasks in an order that people would do them in."""
    with context.reading() as reading:
        wanted = [found.who.ref for found in sheet.numbers if found.who and found.who.ref]
        held = reading.records.held_by(Number, list(dict.fromkeys(wanted)))
        mains: set[object] = set()
        mains.update(
            n.assignment.holder for n in held if n.assignment and n.assignment.role is Role.MAIN
        )
        currencies = {a.id: a.balance.currency for a in reading.records.all(Account)}
    tasks: list[Task] = []
    for somebody in sheet.people:
        ref = ref_of(somebody)
        if somebody.ref is None:
            tasks.append(
                t.AddPerson(
                    id=ref.id,
                    name=somebody.name[:120],
                    email=somebody.email,
                    site=somebody.site,
                    department=somebody.department[:80],
                    extension=somebody.extension[:7],
                    spot=somebody.spot,
                )
            )
        elif somebody.spot and ref.kind is HolderKind.PERSON:
            tasks.append(t.SetSpot(person=ref.id, spot=somebody.spot))
        tasks += [
            t.GrantLicence(holder=ref, product=product) for product in sorted(somebody.licences)
        ]
    for found in sheet.numbers:
        tasks.append(_adopted(found, mains, currencies))
    return tasks


def _adopted(found: Found, mains: set[Any], currencies: dict[str, str]) -> t.AdoptNumber:
    ref = ref_of(found.who) if found.who else None
    role = Role.MAIN
    if ref is not None and found.state is State.ASSIGNED:
        role = Role.EXTRA if ref in mains else Role.MAIN
        mains.add(ref)
    try:
        price = amount_of(found.price or "0")
    except Fault:
        price = "0"
    state: Any = found.state.value
    return t.AdoptNumber(
        number=f"+{found.number}",
        account=found.account,
        site=found.site,
        state=state,
        monthly=Money(amount=Decimal(price), currency=currencies.get(found.account, "GBP")),
        holder=ref,
        role=role,
        spot=found.spot,
        label=found.label,
        trunk=found.trunk if found.state is State.ASSIGNED else None,
        path=found.path,
    )


def ref_of(somebody: Somebody) -> HolderRef:
    return somebody.ref or HolderRef(kind=HolderKind.PERSON, id=somebody.id)


def rows_of(question: Question) -> str:
    """The rows a question is about, as a form sends them."""
    return ",".join(f"{file}.{line}" for file, line in question.rows)


def parse_rows(text: str) -> list[tuple[int, int]]:
    try:
        return [
            (int(file), int(line))
            for file, _, line in (part.partition(".") for part in text.split(",") if part)
        ]
    except ValueError as error:
        raise NotUnderstood(
            "Rows are written as file.line, with commas between.", field="rows"
        ) from error

"""Call records coming in: from files of any columns, from programs; each kept once, then priced."""

import hashlib
import time
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace
from datetime import datetime, timedelta
from functools import lru_cache
from pathlib import Path
from typing import BinaryIO
from zoneinfo import ZoneInfo

from sedge.core.access.roles import May
from sedge.core.errors import NotAllowedNow, NotUnderstood
from sedge.core.imports.fields import fingerprint
from sedge.core.numbers.plan import COUNTRIES
from sedge.core.records import ORGANISATION, Account, Site, Subject, Trunk
from sedge.core.spend.call_legs import CallLeg, shortened
from sedge.core.spend.call_rows import FIELDS, CallReader, RowProblem, missing, recognised
from sedge.core.spend.rates.rating import price
from sedge.formats import sheets
from sedge.services.context import Context, Writing
from sedge.services.imports.file_rows import folder
from sedge.services.periodic import periodic
from sedge.services.spend import call_settings
from sedge.services.spend.rates import rate_decks, rating
from sedge.store.repositories.spend import call_files, calls
from sedge.store.repositories.spend import settings as spend_settings
from sedge.store.repositories.spend.call_files import CallFile, CallFileState
from sedge.store.repositories.spend.own_numbers import Ours

READ_AT_ONCE = 60_000  # rows of a file that are read while whoever sends it waits
ROWS_IN_ONE = 20_000  # in one transaction
SLICE_SECONDS = 2.0
MOST_FAULTS = 200
LONGEST_SOURCE = 40
MOST_SENT = 10_000


@dataclass(frozen=True)
class Taken:
    """What became of records that were sent: new, known already, corrected, and those that can't
    be taken with their place and why."""

    fresh: int
    same: int
    corrected: int
    faults: tuple[tuple[int, str], ...]


def read_source(text: str) -> str:
    """The name of where records come from. Raises NotUnderstood."""
    name = " ".join(text.split())
    if not 1 <= len(name) <= LONGEST_SOURCE:
        message = f"Name where the records come from, in 1 to {LONGEST_SOURCE} characters."
        raise NotUnderstood(message, field="source")
    return name


def receive(
    context: Context, name: str, data: BinaryIO, *, source: str, zone: str = ""
) -> CallFile:
    """Keep a file and read it, or ask which column is which. Raises NotUnderstood."""
    context.require(May.KEEP_BOOKS)
    source = read_source(source)
    zone = call_settings.read_zone(
        zone or str(context.installation.home_zone(context.who.organisation))
    )
    key = context.new_id("calls")
    target, digest = _kept(context, key, data)
    try:
        head = sheets.head_of(target)
    except NotUnderstood:
        target.unlink(missing_ok=True)
        raise
    with context.reading() as reading:
        known = spend_settings.read(reading.connection, _columns_name(source, head.header))
        before = call_files.with_digest(reading.connection, digest)
    mapping = known or recognised(head.header)
    file = CallFile(
        id=key,
        name=name[:200] or "file",
        source=source,
        digest=digest,
        state=CallFileState.COLUMNS if missing(mapping) else CallFileState.READING,
        created_by=context.actor,
        created_at=context.now(),
        header=tuple(head.header),
        encoding=head.encoding,
        delimiter=head.delimiter,
        zone=zone,
        mapping=mapping,
        total=_about(target),
        before=f"{before.name}, {before.created_at:%-d %B %Y}" if before else "",
    )
    with context.writing() as writing:
        call_files.add(writing.connection, file)
        writing.record_event("calls.received", Subject.DEFAULTS, ORGANISATION, file.name)
    return _read_first(context, file)


def _kept(context: Context, key: str, data: BinaryIO) -> tuple[Path, str]:
    raw, target = folder(context) / f"{key}.raw", folder(context) / f"{key}.csv"
    digest, size = hashlib.sha256(), 0
    try:
        with raw.open("wb") as out:
            while piece := data.read(1 << 20):
                size += len(piece)
                if size > sheets.MOST_BYTES:
                    message = "A file may have 250 MB; this is larger. Split it into parts."
                    raise NotUnderstood(message, field="file")
                digest.update(piece)
                out.write(piece)
        with raw.open("rb") as begun:
            is_book = begun.read(4) == b"PK\x03\x04"
        if is_book:
            sheets.from_spreadsheet(raw, target)
        else:
            raw.rename(target)
    finally:
        raw.unlink(missing_ok=True)
    return target, digest.hexdigest()


def _about(path: Path) -> int:
    """About how many rows there are, from the length of the first ones."""
    size = path.stat().st_size
    with path.open("rb") as raw:
        sample = raw.read(200_000)
    return max(1, round(max(1, sample.count(b"\n")) * size / max(1, len(sample))) - 1)


def _columns_name(source: str, header: Sequence[str]) -> str:
    return f"columns {fingerprint([source, *header])}"


def settle_columns(context: Context, key: str, mapping: dict[str, int]) -> CallFile:
    """Say which column is which; remembered for this source's files of the same columns. Raises
    NotFound, NotUnderstood, NotAllowedNow."""
    context.require(May.KEEP_BOOKS)
    file = get(context, key)
    if file.state is not CallFileState.COLUMNS:
        message = f"{file.name} has been read already. Upload it again to change its columns."
        raise NotAllowedNow(message, reason="state")
    if any(name not in FIELDS or not 0 <= at < len(file.header) for name, at in mapping.items()):
        raise NotUnderstood("That is no field, or no column of this file.", field="mapping")
    if lacking := missing(mapping):
        raise NotUnderstood(f"Say which column has: {', '.join(lacking)}.", field="mapping")
    file = replace(file, mapping=mapping, state=CallFileState.READING)
    with context.writing() as writing:
        name = _columns_name(file.source, file.header)
        spend_settings.keep(writing.connection, name, mapping)
        call_files.save(writing.connection, file)
        writing.touch()
    return _read_first(context, file)


def _read_first(context: Context, file: CallFile) -> CallFile:
    """Small files are read at once, others in slices by the runner."""
    while file.state is CallFileState.READING and file.total <= READ_AT_ONCE:
        file = read_on(context, file)
    return file


def get(context: Context, key: str) -> CallFile:
    with context.reading() as reading:
        return call_files.get(reading.connection, key)


def list_files(context: Context) -> list[CallFile]:
    with context.reading() as reading:
        return call_files.list_files(reading.connection)


def leave(context: Context, key: str) -> None:
    """Throw away a file whose columns nobody has said. Raises NotFound, NotAllowedNow."""
    context.require(May.KEEP_BOOKS)
    file = get(context, key)
    if file.state is not CallFileState.COLUMNS:
        raise NotAllowedNow(f"{file.name} has been read; its calls are kept.", reason="state")
    with context.writing() as writing:
        call_files.forget(writing.connection, key)
        writing.touch()
    (folder(context) / f"{key}.csv").unlink(missing_ok=True)


@periodic("call records")
def go_on_reading(context: Context) -> int:
    """One slice of each file that is being read; how many were."""
    with context.reading() as reading:
        files = call_files.list_files(reading.connection, CallFileState.READING)
    for file in files:
        read_on(context.as_system(), file)
    return len(files)


def read_on(context: Context, file: CallFile, *, seconds: float = SLICE_SECONDS) -> CallFile:
    """Go on for about so long; calls, what is counted of them and how far the file is land
    together, so that it goes on from there after a break."""
    path = folder(context) / f"{file.id}.csv"
    head = sheets.Head(list(file.header), file.encoding, file.delimiter)
    begun, seen = time.monotonic(), Ours()
    try:
        rows = sheets.rows_of(path, head, skip=file.rows)
        while True:
            batch = [row for row, _ in zip(rows, range(ROWS_IN_ONE), strict=False)]
            file = _read_some(context, file, batch, seen)
            if len(batch) < ROWS_IN_ONE:
                file = replace(file, state=CallFileState.DONE, total=file.rows)
                break
            if time.monotonic() - begun > seconds:
                break
    except (NotUnderstood, OSError) as wrong:
        told = wrong.message if isinstance(wrong, NotUnderstood) else "The file is gone."
        file = replace(file, state=CallFileState.DONE, problem=told)
    with context.writing() as writing:
        call_files.save(writing.connection, file)
        writing.touch()
    if file.state is CallFileState.DONE:
        path.unlink(missing_ok=True)
        rating.rate_months(context, file.months)
    return file


def _read_some(
    context: Context, file: CallFile, batch: list[tuple[int, list[str]]], seen: Ours
) -> CallFile:
    faults = list(file.faults)
    reasons = dict(file.reasons)
    with context.writing() as writing:
        reader = _reader(writing, context, file.mapping, file.zone, seen)

        def legs() -> Iterable[CallLeg]:
            for line, cells in batch:
                try:
                    yield reader.read(cells)
                except RowProblem as wrong:
                    reasons[wrong.reason or "row"] = reasons.get(wrong.reason or "row", 0) + 1
                    if len(faults) < MOST_FAULTS:
                        faults.append((line, wrong.message))

        made = keep_legs(writing, context, file.source, legs())
        file = replace(
            file,
            rows=file.rows + len(batch),
            fresh=file.fresh + made.fresh,
            same=file.same + made.same,
            corrected=file.corrected + made.corrected,
            bad=sum(reasons.values()),
            months=tuple(sorted({*file.months, *made.months})),
            faults=tuple(faults),
            reasons=reasons,
        )
        call_files.save(writing.connection, file)
        writing.touch()
    return file


def take(context: Context, source: str, rows: Sequence[dict[str, str]]) -> Taken:
    """Records that a program sends; fields as in `FIELDS`, moments with their offset (RFC 3339).
    Raises NotUnderstood."""
    context.require(May.KEEP_BOOKS)
    source = read_source(source)
    if len(rows) > MOST_SENT:
        message = f"At most {MOST_SENT:,} records at once; these are {len(rows):,}."
        raise NotUnderstood(message, field="records")
    names = list(FIELDS)
    mapping = {name: at for at, name in enumerate(names)}
    faults: list[tuple[int, str]] = []
    with context.writing() as writing:
        reader = _reader(writing, context, mapping, "UTC", Ours())

        def legs() -> Iterable[CallLeg]:
            for place, row in enumerate(rows):
                try:
                    yield reader.read([row.get(name, "") for name in names])
                except RowProblem as wrong:
                    faults.append((place, wrong.message))

        made = keep_legs(writing, context, source, legs())
        writing.touch()
    rating.rate_months(context, made.months)
    return Taken(made.fresh, made.same, made.corrected, tuple(faults))


def keep_legs(
    writing: Writing, context: Context, source: str, legs: Iterable[CallLeg]
) -> calls.Counts:
    """Keep legs as the organisation has settled it: not those that are too old, others' numbers
    shortened where it wants so."""
    settings = call_settings.read(writing.connection)
    if settings.shorten:
        legs = (leg._replace(other=shortened(leg.other)) for leg in legs)
    earliest = 0
    if settings.keep_days:
        earliest = int((context.now() - timedelta(days=settings.keep_days)).timestamp())
        legs = (leg for leg in legs if leg.started >= earliest)
    zones = {site.id: site.timezone for site in writing.records.all(Site)}
    home = str(context.installation.home_zone(context.who.organisation))

    def day_at(site: str, moment: int) -> str:
        return _day(zones.get(site, home), moment // 900)

    carriers = {x.id: x.carrier for x in writing.records.all(Trunk)}
    accounts: dict[str, str] = {}
    for account in sorted(writing.records.all(Account), key=lambda a: a.id):
        accounts.setdefault(account.carrier, account.id)

    def account_at(trunk: str, held: calls.Held) -> str:
        """Calls over a trunk are its carrier's; on the number's own account where that is it."""
        carrier = carriers.get(trunk, held.carrier)
        return held.account if carrier == held.carrier else accounts.get(carrier, "")

    find = rate_decks.finder(writing.connection)
    known = calls.Surroundings(
        calls.HeldNumbers(writing.connection),
        day_at,
        account_at,
        lambda leg: price(leg, find, ()),
    )
    return calls.keep(writing.connection, source, legs, known)


@lru_cache(50_000)
def _day(zone: str, quarter: int) -> str:
    """The day of a quarter of an hour; the offsets of all zones are whole quarters."""
    return f"{_local(zone, quarter * 900):%Y-%m-%d}"


def _local(zone: str, moment: int) -> datetime:
    return datetime.fromtimestamp(moment, ZoneInfo(zone))


def _reader(
    writing: Writing, context: Context, mapping: dict[str, int], zone: str, seen: Ours
) -> CallReader:
    trunks = writing.records.all(Trunk)
    names = {x.id: x.id for x in trunks} | {x.name: x.id for x in trunks}
    return CallReader(
        mapping,
        zone=zone,
        home=context.organisation.home_country,
        is_ours=seen.within(writing.connection),
        trunks=names,
        now=int(context.now().timestamp()),
        numbers=seen.read,
    )


def zones() -> list[str]:
    """The time zones that are offered: of the countries that are known."""
    return ["UTC", *sorted({country.timezone for country in COUNTRIES.values()})]

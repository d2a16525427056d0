"""The emergency test of everything, or of one site: computed in batches, kept as a dated report
that a safety officer can file."""

import csv
import io
import json
import time
import zlib
from collections import Counter
from dataclasses import asdict, dataclass, field
from datetime import datetime
from typing import Any, NamedTuple

from sqlalchemy import and_, func, insert, or_, select, update

from sedge.core.access.roles import May
from sedge.core.errors import NotFound
from sedge.core.load_spec import LoadSpec
from sedge.core.numbers.e164 import describe
from sedge.core.records import Number, Person, Site, Subject
from sedge.core.safety.coverage import NO_SPOT
from sedge.core.safety.emergency_tests import Tested, help_from
from sedge.formats.safety_report import ReportFacts, safety_report
from sedge.services.context import Context
from sedge.services.periodic import periodic
from sedge.store.schema import tables
from sedge.store.schema.safety import emergency_report, emergency_report_part

BATCH, SLICE = 400, 2000  # numbers looked at together; numbers tested before others get their turn
MOST_ON_PAPER, SHOWN, MOST_REASONS, MOST_NAMED = 400, 1000, 40, 500
COLUMNS = (
    "number",
    "holder",
    "site",
    "responders come",
    "sent to",
    "answered by",
    "rings back",
    "trunk",
    "told",
    "broken",
    "to look at",
)
Cursor = tuple[str, int]  # site and number after which it goes on


class WithoutSpot(NamedTuple):
    """Somebody whom responders would not find, when the test was made."""

    id: str
    name: str
    site: str


@dataclass(frozen=True)
class Report:
    """`of` names what was tested; `total` numbers in use are to be, `numbers` have been. `reasons`
    are broken links with how often each; `without_spot` has the first `MOST_NAMED` people."""

    id: str
    at: datetime
    by: str
    of: str
    total: int
    numbers: int
    comes: int
    cautions: int
    people_without_spot: int
    without_spot: list[WithoutSpot]
    sites: dict[str, tuple[int, int]]
    reasons: dict[str, int]
    seconds: float
    done: bool


@dataclass
class _Sheet:
    """A report while it is made; what is kept of it in the row's JSON."""

    id: str
    at: str
    by: str
    of: str
    site: str
    total: int
    people_without_spot: int
    after: Cursor | None = ("", 0)
    numbers: int = 0
    comes: int = 0
    cautions: int = 0
    sites: dict[str, list[int]] = field(default_factory=dict)
    reasons: dict[str, int] = field(default_factory=dict)
    wrong: list[dict[str, object]] = field(default_factory=list)
    wrong_count: int = 0
    without_spot: list[list[str]] = field(default_factory=list)
    seconds: float = 0.0

    def add(self, line: Tested) -> None:
        self.numbers += 1
        self.comes += line.comes
        self.cautions += bool(line.cautions)
        of_site = self.sites.setdefault(line.site, [0, 0])
        of_site[0] += 1
        of_site[1] += line.comes
        if line.comes and not line.cautions:
            return
        national = describe(line.e164).shown
        for reason in {
            link.replace(national, "the number") for link in (*line.broken, *line.cautions)
        }:
            self.reasons[reason] = self.reasons.get(reason, 0) + 1
        self.wrong_count += 1
        if len(self.wrong) < SHOWN:
            self.wrong.append(line.__dict__)

    @property
    def report(self) -> Report:
        reasons = Counter(self.reasons)
        if self.people_without_spot:
            reasons[f"People with {NO_SPOT}"] = self.people_without_spot
        by_site = sorted(self.sites.items(), key=lambda x: (x[1][0] == x[1][1], x[0]))
        return Report(
            self.id,
            datetime.fromisoformat(self.at),
            self.by,
            self.of,
            self.total,
            self.numbers,
            self.comes,
            self.cautions,
            self.people_without_spot,
            [WithoutSpot(*one) for one in self.without_spot],
            {name: (count, comes) for name, (count, comes) in by_site},
            dict(reasons.most_common(MOST_REASONS)),
            round(self.seconds, 2),
            self.after is None,
        )


def begin(context: Context, *, site: str = "") -> Report:
    """Test everything (or a site): a small estate at once, a large one in slices that the runner
    goes on with, so that it can be left and come back to. Raises NotFound for an unknown site."""
    context.require(May.PLACE_TEST_CALL)
    context.who.scope.require(site or None)
    sheet = _new_sheet(context, site)
    _keep(context, sheet, _slice(context, sheet), part=0, is_new=True)
    return sheet.report


def run(context: Context, *, site: str = "") -> Report:
    """As `begin`, to the end in one go."""
    key = begin(context, site=site).id
    while _continue(context, key):
        pass
    return view_report(context, key)[0]


@periodic("emergency tests")
def continue_reports(context: Context) -> int:
    """A slice of a test that has been begun; how much was done."""
    with context.reading() as reading:
        key = reading.connection.execute(
            select(emergency_report.c.id).where(emergency_report.c.done.is_(False)).limit(1)
        ).scalar()
    return int(_continue(context, key)) if key else 0


def _continue(context: Context, key: str) -> bool:
    row = _row(context, key)
    if row.done:
        return False
    sheet = _sheet_of(row.body)
    _keep(context, sheet, _slice(context, sheet), part=row.parts)
    return True


def _new_sheet(context: Context, site: str) -> _Sheet:
    life, person = tables.life, tables.person
    with context.reading() as reading:
        of = reading.records.the(Site, site).name if site else "every site"
        here = (life.c.site == site,) if site else ()
        total = (
            reading.connection.execute(
                select(func.count()).select_from(life).where(tables.IN_USE, *here)
            ).scalar()
            or 0
        )
        theirs = (person.c.site == site,) if site else ()
        nowhere = (person.c.departed.is_(False), person.c.spot.is_(None), *theirs)
        without = (
            reading.connection.execute(
                select(func.count()).select_from(person).where(*nowhere)
            ).scalar()
            or 0
        )
        people = reading.records.where(Person, *nowhere, order_by=person.c.name, limit=MOST_NAMED)
        names = {s.id: s.name for s in reading.records.many(Site, {p.site for p in people})}
    return _Sheet(
        context.new_id("report"),
        context.now().isoformat(),
        context.actor,
        of,
        site,
        total,
        without,
        without_spot=[[p.id, p.name, names.get(p.site, p.site)] for p in people],
    )


def _slice(context: Context, sheet: _Sheet) -> list[Tested]:
    """The next numbers of a test, by site and number; `sheet` is brought up to them."""
    started = time.perf_counter()
    lines: list[Tested] = []
    while sheet.after is not None and len(lines) < SLICE:
        numbers = _next_numbers(context, sheet)
        with context.reading() as reading:
            estate = reading.estate(LoadSpec(numbers={f"+{n}" for _, n in numbers}))
        for _, n in numbers:
            number = estate.get(Number, f"+{n}")
            if number is not None and number.in_use:
                lines.append(help_from(number, estate))
        sheet.after = numbers[-1] if len(numbers) == BATCH else None
    for line in lines:
        sheet.add(line)
    sheet.seconds += time.perf_counter() - started
    return lines


def _next_numbers(context: Context, sheet: _Sheet) -> list[Cursor]:
    life = tables.life
    site, number = sheet.after or ("", 0)
    here = (life.c.site == sheet.site,) if sheet.site else ()
    beyond = or_(life.c.site > site, and_(life.c.site == site, life.c.number > number))
    query = (
        select(life.c.site, life.c.number)
        .where(tables.IN_USE, beyond, *here)
        .order_by(life.c.site, life.c.number)
        .limit(BATCH)
    )
    with context.reading() as reading:
        return [(s, n) for s, n in reading.connection.execute(query)]


def _keep(
    context: Context, sheet: _Sheet, lines: list[Tested], *, part: int, is_new: bool = False
) -> None:
    """The report as far as it is, and the lines of this slice; the ledger once it is whole."""
    done = sheet.after is None
    values = {"body": json.dumps(asdict(sheet)), "done": done, "parts": part + 1}
    kept = zlib.compress(json.dumps([x.__dict__ for x in lines]).encode(), level=1)
    with context.writing() as writing:
        if is_new:
            row = {"id": sheet.id, "at": datetime.fromisoformat(sheet.at), "by": sheet.by, **values}
            writing.connection.execute(insert(emergency_report).values(**row))
        else:
            at = (emergency_report.c.id == sheet.id, emergency_report.c.parts == part)
            if (
                writing.connection.execute(
                    update(emergency_report).where(*at).values(**values)
                ).rowcount
                != 1
            ):
                return  # somebody else has gone on with it meanwhile
        writing.connection.execute(
            insert(emergency_report_part).values(report=sheet.id, part=part, lines=kept)
        )
        writing.touch()
        if done:
            title = f"{sheet.of}: responders come for {sheet.comes} of {sheet.numbers}"
            writing.record_event("emergency.tested", Subject.SITE, sheet.site or "all", title)


def reports(context: Context, *, limit: int = 50) -> list[Report]:
    """Newest first."""
    with context.reading() as reading:
        rows = reading.connection.execute(
            select(emergency_report.c.body).order_by(emergency_report.c.at.desc()).limit(limit)
        ).scalars()
        return [_sheet_of(body).report for body in rows]


def _sheet_of(body: str) -> _Sheet:
    plain = json.loads(body)
    after = plain["after"]
    return _Sheet(**{**plain, "after": (after[0], after[1]) if after else None})


def view_report(context: Context, key: str) -> tuple[Report, list[Tested], int]:
    """A report with the first of those lines for which help would not come, or that should be
    looked at, and how many there are. Raises NotFound."""
    sheet = _sheet_of(_row(context, key).body)
    lines = sorted((_line(x) for x in sheet.wrong), key=lambda x: (x.comes, x.site, x.e164))
    return sheet.report, lines, sheet.wrong_count


def _row(context: Context, key: str) -> Any:
    with context.reading() as reading:
        row = reading.connection.execute(
            select(emergency_report).where(emergency_report.c.id == key)
        ).first()
    if row is None:
        raise NotFound("There is no such report.", subject="emergency report", id=key)
    return row


def _line(plain: dict[str, Any]) -> Tested:
    return Tested(
        **{**plain, "broken": tuple(plain["broken"]), "cautions": tuple(plain["cautions"])}
    )


def as_csv(context: Context, key: str) -> str:
    """One line a number (RFC 4180), all of them."""
    context.require(May.LOOK)
    _row(context, key)
    parts = (
        select(emergency_report_part.c.lines)
        .where(emergency_report_part.c.report == key)
        .order_by(emergency_report_part.c.part)
    )
    with context.reading() as reading:
        lines = [
            _line(x)
            for kept in reading.connection.execute(parts).scalars()
            for x in json.loads(zlib.decompress(kept))
        ]
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\r\n")
    writer.writerow(COLUMNS)
    for x in lines:
        comes = "yes" if x.comes else "no"
        writer.writerow(
            [
                x.e164,
                x.holder,
                x.site,
                comes,
                x.spot,
                x.psap,
                x.callback,
                x.trunk,
                x.told,
                " ".join(x.broken),
                " ".join(x.cautions),
            ]
        )
    return out.getvalue()


def as_pdf(context: Context, key: str) -> bytes:
    """The report on paper: figures, reasons, and every number for which help would not come."""
    report, lines, _ = view_report(context, key)
    wrong = [x for x in lines if not x.comes]
    rows = tuple(
        (describe(x.e164).shown, x.holder, x.site, " ".join(x.broken))
        for x in wrong[:MOST_ON_PAPER]
    )
    figures = (
        ("Tested", f"{report.numbers:,} numbers in use, {report.of}"),
        ("Responders come", f"for {report.comes:,} of them"),
        ("To look at", f"{report.cautions:,}"),
        ("People without a spot", f"{report.people_without_spot:,}"),
        ("By", report.by),
        ("When", f"{report.at:%-d %B %Y, %H:%M} UTC"),
    )
    return safety_report(
        ReportFacts(
            organisation=context.organisation.name,
            figures=figures,
            sites=tuple((n, c, k) for n, (c, k) in report.sites.items()),
            reasons=tuple(report.reasons.items()),
            rows=rows,
            left_out=max(0, report.numbers - report.comes - MOST_ON_PAPER),
            without_spot=tuple((one.name, one.site) for one in report.without_spot),
            more_without=report.people_without_spot - len(report.without_spot),
        )
    )

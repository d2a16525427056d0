"""The emergency test of everything, or of one site: computed in batches, kept as a dated report that a safety officer can file."""

import csv
import io
import json
import zlib
from collections import Counter
from collections.abc import Iterator
from dataclasses import asdict, dataclass
from datetime import datetime
from typing import Any

from sqlalchemy import insert, select

from sedge.core.access.roles import May
from sedge.core.errors import NotFound
from sedge.core.numbers.e164 import describe
from sedge.core.numbers.life import State
from sedge.core.records import Number, Person, Site, Subject
from sedge.core.safety.coverage import NO_SPOT
from sedge.core.safety.help import Tested, help_from
from sedge.core.workorders.tasks import Needs
from sedge.desk.desk import Desk
from sedge.formats.safety_report import ReportFacts, safety_report
from sedge.store import tables
from sedge.store.safety_tables import emergency_report

BATCH = 400
MOST_ON_PAPER, SHOWN = 400, 1000
COLUMNS = ("number", "holder", "site", "help comes", "sent to", "answered by", "rings back", "trunk", "told", "broken", "to look at")


@dataclass(frozen=True)
class Report:
    """`of` names what was tested. `reasons` are broken links with how often each; `people` without a spot stand in it too."""

    id: str
    at: datetime
    by: str
    of: str
    numbers: int
    comes: int
    cautions: int
    people_without_spot: int
    sites: dict[str, tuple[int, int]]
    reasons: dict[str, int]
    seconds: float


def run(desk: Desk, *, site: str = "") -> Report:
    """Test everything (or a site) now, and keep the report. Raises NotFound for an unknown site."""
    started = desk.house.clock.real()
    with desk.reading() as reading:
        of = reading.records.the(Site, site).name if site else "every site"
        person = tables.person
        without = len(
            reading.records.where(Person, person.c.departed.is_(False), person.c.spot.is_(None), *([person.c.site == site] if site else []))
        )
    lines = list(_lines(desk, site))
    report = Report(
        id=desk.new_id("report"), at=desk.now(), by=desk.actor, of=of, numbers=len(lines), comes=sum(x.comes for x in lines),
        cautions=sum(bool(x.cautions) for x in lines), people_without_spot=without, sites=_by_site(lines), reasons=_reasons(lines, without),
        seconds=round((desk.house.clock.real() - started).total_seconds(), 2),
    )  # fmt: skip
    wrong = sorted((x for x in lines if not x.comes or x.cautions), key=lambda x: (x.comes, x.site, x.e164))
    body = {**asdict(report), "at": report.at.isoformat(), "wrong": [x.__dict__ for x in wrong[:SHOWN]], "wrong_count": len(wrong)}
    kept = zlib.compress(json.dumps([x.__dict__ for x in lines]).encode(), level=1)
    with desk.writing() as writing:
        writing.connection.execute(
            insert(emergency_report).values(id=report.id, at=report.at, by=report.by, body=json.dumps(body), lines=kept)
        )
        writing.remark("emergency.tested", Subject.SITE, site or "all", f"{of}: help comes for {report.comes} of {report.numbers}")
    return report


def _lines(desk: Desk, site: str) -> Iterator[Tested]:
    """Site by site and in batches, so that a large estate is never in memory whole."""
    life = tables.life
    of_site = (life.c.site == site,) if site else ()
    with desk.reading() as reading:
        numbers = reading.connection.execute(
            select(life.c.number).where(life.c.state == State.ASSIGNED.value, *of_site).order_by(life.c.site, life.c.number)
        ).scalars().all()  # fmt: skip
    for start in range(0, len(numbers), BATCH):
        wanted = {f"+{n}" for n in numbers[start : start + BATCH]}
        with desk.reading() as reading:
            estate = reading.estate(Needs(numbers=wanted))
        for e164 in sorted(wanted):
            number = estate.get(Number, e164)
            if number is not None and number.state is State.ASSIGNED:
                yield help_from(number, estate)


def _by_site(lines: list[Tested]) -> dict[str, tuple[int, int]]:
    every, comes = Counter(x.site for x in lines), Counter(x.site for x in lines if x.comes)
    return {name: (count, comes[name]) for name, count in sorted(every.items(), key=lambda x: (comes[x[0]] == x[1], x[0]))}


def _reasons(lines: list[Tested], without: int) -> dict[str, int]:
    """Broken links by what is wrong, numbers taken out of the sentences so that like stands with like."""
    found: Counter[str] = Counter()
    for line in lines:
        national = describe(line.e164).national
        found.update({link.replace(national, "the number") for link in (*line.broken, *line.cautions)})
    if without:
        found[f"People with {NO_SPOT}"] = without
    return dict(found.most_common(40))


def reports(desk: Desk, *, limit: int = 50) -> list[Report]:
    """Newest first."""
    with desk.reading() as reading:
        rows = reading.connection.execute(select(emergency_report.c.body).order_by(emergency_report.c.at.desc()).limit(limit)).scalars()
        return [_read(body) for body in rows]


def _read(body: str) -> Report:
    plain = {name: value for name, value in json.loads(body).items() if name in Report.__dataclass_fields__}
    sites = {name: (count, comes) for name, (count, comes) in plain["sites"].items()}
    return Report(**{**plain, "at": datetime.fromisoformat(plain["at"]), "sites": sites})


def look(desk: Desk, key: str) -> tuple[Report, list[Tested], int]:
    """A report with the first of those lines for which help would not come, or that should be looked at, and how many there are. Raises
    NotFound."""
    row = _row(desk, key)
    plain = json.loads(row.body)
    return _read(row.body), [_line(x) for x in plain["wrong"]], plain["wrong_count"]


def _row(desk: Desk, key: str) -> Any:
    with desk.reading() as reading:
        row = reading.connection.execute(select(emergency_report).where(emergency_report.c.id == key)).first()
    if row is None:
        raise NotFound("There is no such report.", subject="emergency report", id=key)
    return row


def _line(plain: dict[str, Any]) -> Tested:
    return Tested(**{**plain, "broken": tuple(plain["broken"]), "cautions": tuple(plain["cautions"])})


def as_csv(desk: Desk, key: str) -> str:
    """One line a number (RFC 4180), all of them."""
    desk.require(May.LOOK)
    lines = [_line(x) for x in json.loads(zlib.decompress(_row(desk, key).lines))]
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\r\n")
    writer.writerow(COLUMNS)
    for x in lines:
        comes = "yes" if x.comes else "no"
        writer.writerow(
            [x.e164, x.holder, x.site, comes, x.spot, x.psap, x.callback, x.trunk, x.told, " ".join(x.broken), " ".join(x.cautions)]
        )
    return out.getvalue()


def as_pdf(desk: Desk, key: str) -> bytes:
    """The report on paper: figures, reasons, and every number for which help would not come."""
    report, lines, _ = look(desk, key)
    wrong = [x for x in lines if not x.comes]
    rows = tuple((describe(x.e164).national, x.holder, x.site, " ".join(x.broken)) for x in wrong[:MOST_ON_PAPER])
    figures = (
        ("Tested", f"{report.numbers:,} numbers in use, {report.of}"), ("Help comes", f"for {report.comes:,} of them"), ("To look at", f"{report.cautions:,}"),
        ("People without a spot", f"{report.people_without_spot:,}"), ("By", report.by), ("When", f"{report.at:%-d %B %Y, %H:%M} UTC"),
    )  # fmt: skip
    return safety_report(
        ReportFacts(
            organisation=desk.organisation.name, figures=figures, sites=tuple((n, c, k) for n, (c, k) in report.sites.items()),
            reasons=tuple(report.reasons.items()), rows=rows, left_out=max(0, report.numbers - report.comes - MOST_ON_PAPER),
        )
    )  # fmt: skip

"""The demo's calls: what a museum trust's phones do in a day, by hour, weekday, holiday and season;
made from a fixed seed."""

import math
from collections.abc import Iterator
from dataclasses import dataclass
from datetime import UTC, date, datetime, timedelta
from functools import lru_cache
from random import Random
from zoneinfo import ZoneInfo

import holidays
from sqlalchemy import Connection, select

from sedge.core.callpaths.steps import Path
from sedge.core.records import PathVersion, ServiceLine, Site
from sedge.core.spend.call_legs import CallLeg, Direction
from sedge.demo.traffic.ways import Ways
from sedge.store.repositories.records import Records, is_open
from sedge.store.schema import spend, tables

SEED = 20_240_917
SILENT = 9  # one in so many people's numbers is called by nobody
FORWARDED_AT_NIGHT = "line-security-control-room"
DUTY_MOBILE = "+447700900417"
BURST_FROM, BURST_CALLS, BURST_DAYS_AGO = 441134960128, 96, 12
OFFICE = (0, 0, 0, 0, 0, 0, 0, 1, 4, 9, 12, 11, 7, 8, 10, 10, 8, 4, 1, 0, 0, 0, 0, 0)
VISITORS = (0, 0, 0, 0, 0, 0, 0, 0, 3, 9, 14, 15, 13, 12, 11, 9, 7, 4, 2, 1, 0, 0, 0, 0)
ALWAYS = (2, 1, 1, 1, 1, 2, 3, 4, 5, 5, 5, 5, 5, 5, 5, 5, 5, 5, 5, 4, 4, 3, 3, 2)


@dataclass(frozen=True)
class Habit:
    """Calls a working day in and out, on Saturdays and Sundays a share of that; `answered` of those
    in; `talk` seconds in the middle; `hours` weigh the hours of the day."""

    ins: float
    outs: float
    weekend: float
    answered: float
    talk: float
    hours: tuple[int, ...]


PERSON = Habit(2.3, 2.5, 0.05, 0.78, 140, OFFICE)
SITE = Habit(9, 2, 0.5, 0.8, 90, VISITORS)
LINES = {
    "menu": Habit(44, 0, 1.25, 0.83, 170, VISITORS),
    "queue": Habit(23, 2, 0.9, 0.84, 190, VISITORS),
    "mailbox": Habit(4, 0, 0.4, 0.97, 35, VISITORS),
    "announcement": Habit(21, 0, 1.4, 0.99, 55, ALWAYS),
    "alarm phone": Habit(0.02, 0.1, 1, 0.9, 40, ALWAYS),
    "conference bridge": Habit(7, 0, 0, 0.96, 1500, OFFICE),
}
SEASON = (0.8, 0.9, 1.0, 1.1, 1.1, 1.05, 1.2, 1.3, 1.0, 1.1, 0.95, 0.85)  # by month
CALLERS = {
    "GB": (("+4477009", 5, 0.5), ("+4420794600", 2, 0.2), ("+441632960", 3, 0.3)),
    "DE": (("+493023125", 3, 0.7), ("+4477009", 5, 0.3)),
    "US": (("+1617555014", 1, 1.0),),
}
CALLED = {
    "GB": (
        ("+4420794600", 2, 0.34),
        ("+441632960", 3, 0.3),
        ("+4477009", 5, 0.28),
        ("+493023125", 3, 0.05),
        ("+1617555014", 1, 0.03),
    ),
    "DE": (("+493023125", 3, 0.8), ("+4420794600", 2, 0.2)),
    "US": (("+1617555014", 1, 0.8), ("+4420794600", 2, 0.2)),
}
ABROAD = "+33199005"
Held = tuple[int, str, str, str, datetime, datetime | None]


class Caller:
    """Everybody who calls and is called."""

    def __init__(self, connection: Connection) -> None:
        records = Records(connection)
        self.connection = connection
        self.sites = {site.id: site for site in records.all(Site)}
        self.kinds = {line.id: line.kind for line in records.all(ServiceLine)}
        life = tables.life
        self.trunks = dict(
            connection.execute(
                select(life.c.number, life.c.trunk).where(life.c.trunk.is_not(None))
            ).all()
        )
        self.ways = Ways({p.id: Path.model_validate(p.body) for p in records.all(PathVersion)})
        self.path_of = dict(
            connection.execute(
                select(life.c.number, life.c.path).where(life.c.path.is_not(None), is_open())
            ).all()
        )

    def calls(self, first: date, last: date, now: datetime, burst_on: date) -> Iterator[CallLeg]:
        """Every call of these days that is over by now, in their order."""
        random = Random(f"{SEED} {first}")
        held = self._held(first, last)
        day = first
        while day <= last:
            found = [leg for line in held for leg in self._of_day(random, line, day)]
            if day == burst_on:
                found += self._burst(random, day)
            ends = int(now.timestamp())
            yield from sorted(
                (leg for leg in found if leg.started + leg.ring + leg.talk < ends),
                key=lambda leg: (leg.started, leg.key),
            )
            day += timedelta(days=1)

    def _held(self, first: date, last: date) -> list[Held]:
        table = spend.fee_span
        begins = datetime(first.year, first.month, first.day, tzinfo=UTC)
        ends = datetime(last.year, last.month, last.day, tzinfo=UTC) + timedelta(days=1)
        query = (
            select(
                table.c.number,
                table.c.holder_kind,
                table.c.holder_id,
                table.c.site,
                table.c.since,
                table.c.until,
            )
            .where(table.c.holder_id != "", table.c.since < ends)
            .where(table.c.until.is_(None) | (table.c.until > begins))
            .order_by(table.c.number, table.c.since)
        )
        return [tuple(row) for row in self.connection.execute(query)]  # type: ignore[misc]

    def _of_day(self, random: Random, line: Held, day: date) -> Iterator[CallLeg]:
        number, kind, key, site_id, since, until = line
        site = self.sites[site_id]
        noon = datetime(day.year, day.month, day.day, 12, tzinfo=UTC)
        if since > noon or (until is not None and until <= noon):
            return
        habit = self._habit(kind, key, number)
        factor = _factor(habit, day, site.country, site.country == "GB" and kind != "person")
        for _ in range(_drawn(random, habit.ins * factor)):
            leg = self._on_its_way(self._leg(random, line, habit, day, Direction.IN))
            yield leg
            if key == FORWARDED_AT_NIGHT and leg.answered and not 7 <= _hour(site, leg) < 19:
                yield leg._replace(
                    key=f"{leg.key} on",
                    started=leg.started + leg.ring,
                    ring=6,
                    direction=Direction.FORWARD,
                    other=DUTY_MOBILE,
                    way=(),
                )
        for _ in range(_drawn(random, habit.outs * factor)):
            yield self._leg(random, line, habit, day, Direction.OUT)

    def _on_its_way(self, leg: CallLeg) -> CallLeg:
        return leg._replace(way=self.ways.of(leg, self.path_of.get(int(leg.number), "")))

    def _habit(self, kind: str, key: str, number: int) -> Habit:
        if kind == "person":
            silent = number % SILENT == 0
            return Habit(0, 0, 0, 1, 1, OFFICE) if silent else PERSON
        if kind == "service_line":
            return LINES.get(self.kinds.get(key, ""), SITE)
        return SITE

    def _leg(
        self, random: Random, line: Held, habit: Habit, day: date, direction: Direction
    ) -> CallLeg:
        number, _, _, site_id, _, _ = line
        site = self.sites[site_id]
        hour = random.choices(range(24), habit.hours)[0]
        local = datetime(
            day.year,
            day.month,
            day.day,
            hour,
            random.randrange(60),
            random.randrange(60),
            tzinfo=_zone(site.timezone),
        )
        is_in = direction is Direction.IN
        pool = (CALLERS if is_in else CALLED).get(site.country, CALLERS["GB"])
        answered = random.random() < (habit.answered if is_in else 0.86)
        talk = max(4, round(random.lognormvariate(math.log(habit.talk), 0.8))) if answered else 0
        ring = random.randrange(3, 26) if answered else random.randrange(12, 70)
        started = int(local.timestamp())
        return CallLeg(
            f"{started} {number} {direction} {random.getrandbits(24):06x}",
            started,
            ring,
            min(talk, 7200),
            answered,
            direction,
            f"+{number}",
            "" if is_in and random.random() < 0.06 else _other(random, pool),
            self.trunks.get(number) or "",
            16 if answered else random.choice((16, 17, 19)),
        )

    def _burst(self, random: Random, day: date) -> Iterator[CallLeg]:
        """Somebody has got hold of a phone's password."""
        begins = int(datetime(day.year, day.month, day.day, 1, 40, tzinfo=UTC).timestamp())
        for i in range(BURST_CALLS):
            started = begins + i * 92 + random.randrange(40)
            yield CallLeg(
                f"{started} burst {i}",
                started,
                random.randrange(2, 9),
                random.randrange(60, 400),
                True,
                Direction.OUT,
                f"+{BURST_FROM}",
                f"{ABROAD}{random.randrange(1000):03d}",
                self.trunks.get(BURST_FROM) or "leeds-a",
                16,
            )


def _factor(habit: Habit, day: date, country: str, is_visited: bool) -> float:
    """How much of a usual working day's calls a day has."""
    if day in _holidays(country, day.year):
        return 0.08 if not is_visited else 0.7
    share = habit.weekend if day.isoweekday() > 5 else (1.1 if day.isoweekday() == 1 else 1.0)
    return share * (SEASON[day.month - 1] if is_visited else 1.0)


@lru_cache
def _holidays(country: str, year: int) -> frozenset[date]:
    subdivision = "ENG" if country == "GB" else None
    return frozenset(holidays.country_holidays(country, subdiv=subdivision, years=year))


def _drawn(random: Random, mean: float) -> int:
    """By Poisson's law."""
    if mean <= 0:
        return 0
    limit, product, count = math.exp(-mean), random.random(), 0
    while product > limit:
        product *= random.random()
        count += 1
    return count


@lru_cache
def _zone(name: str) -> ZoneInfo:
    return ZoneInfo(name)


def _hour(site: Site, leg: CallLeg) -> int:
    return datetime.fromtimestamp(leg.started, _zone(site.timezone)).hour


def _other(random: Random, pool: tuple[tuple[str, int, float], ...]) -> str:
    prefix, digits, _ = random.choices(pool, [share for _, _, share in pool])[0]
    return f"{prefix}{random.randrange(10**digits):0{digits}d}"

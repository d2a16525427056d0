"""The earliest day on which numbers can move, and why: working days of the losing carrier's
country, counted as the trade counts.

Day 0 is the day of the request if it is a working day, and for a simple port before the hour of the
country's table; otherwise the next working day. Weekends and public holidays of country and
subdivision don't count.
"""

import re
from collections.abc import Iterable
from dataclasses import dataclass
from datetime import UTC, date, datetime, time, timedelta
from enum import StrEnum

from sedge.core.callpaths.openings import holiday_places, holidays_of, zone
from sedge.core.errors import NotUnderstood
from sedge.core.facts import counted
from sedge.core.numbers.plan import COUNTRIES, country_name
from sedge.core.porting.lead_times import LEADS, Lead

LATE_BACK_OUT = timedelta(hours=2)
MOST_DAYS = 400  # of looking ahead; nobody is closed that long


class Size(StrEnum):
    SIMPLE = "simple"
    COMPLEX = "complex"
    LARGE = "large"
    TOLL_FREE = "toll-free"


@dataclass(frozen=True)
class Earliest:
    """`day` between `opens` and `closes`, local time; `reasons` tell how it came about, in their
    order."""

    day: date
    opens: time
    closes: time
    day_zero: date
    lead: int
    size: Size
    timezone: str
    reasons: tuple[str, ...]

    @property
    def moment(self) -> datetime:
        return datetime.combine(self.day, self.opens, zone(self.timezone))


@dataclass(frozen=True)
class Blackout:
    """Days on which nothing is switched: the site is closed, or busy."""

    first: date
    last: date
    why: str


def lead_of(country: str) -> Lead:
    """Raises NotUnderstood for a country without a table."""
    lead = LEADS.get(country)
    if lead is None:
        name = COUNTRIES[country].name if country in COUNTRIES else country
        raise NotUnderstood(
            f"There is no table of porting times for {name} yet. Ask the carrier for its dates.",
            field="country",
        )
    return lead


def size_of(country: str, numbers: int, sites: int, *, toll_free: bool = False) -> Size:
    lead = lead_of(country)
    if toll_free and lead.toll_free is not None:
        return Size.TOLL_FREE
    if lead.large is not None and (numbers > lead.large_over or sites > 1):
        return Size.LARGE
    return Size.SIMPLE if numbers <= 1 and sites <= 1 else Size.COMPLEX


def earliest(
    country: str,
    submitted: datetime,
    *,
    subdivision: str = "",
    numbers: int = 1,
    sites: int = 1,
    toll_free: bool = False,
    blackouts: Iterable[Blackout] = (),
    timezone: str = "",
) -> Earliest:
    """`submitted` is aware; `subdivision` as in ISO 3166-2 without the country (`ENG`, `BE`);
    `timezone` the losing side's where the country has several. Raises NotUnderstood for a country
    without a table, or where no day is left."""
    lead, size = lead_of(country), size_of(country, numbers, sites, toll_free=toll_free)
    place = f"{country}-{subdivision}" if subdivision else country
    timezone = timezone or COUNTRIES[country].timezone
    local = submitted.astimezone(zone(timezone))
    reasons: list[str] = []
    day_zero = _day_zero(local, lead, size, place, reasons)
    days = {
        Size.SIMPLE: lead.simple,
        Size.COMPLEX: lead.complex,
        Size.LARGE: lead.large or lead.complex,
        Size.TOLL_FREE: lead.toll_free or 0,
    }[size]
    reasons.append(f"{_sized(size, numbers, sites)}: {counted(days, 'working day')} ({lead.basis})")
    day = _after(day_zero, days, place, reasons)
    day = _not_closed(day, place, tuple(blackouts), reasons)
    if lead.note and size is not Size.TOLL_FREE and numbers > 1:
        reasons.append(lead.note)
    opens, closes = lead.window
    reasons.append(f"Numbers are switched between {opens:%H:%M} and {closes:%H:%M} ({timezone})")
    return Earliest(day, opens, closes, day_zero, days, size, timezone, tuple(reasons))


USUAL = {
    ("GB", "Europe/London"): "ENG",
    ("DE", "Europe/Berlin"): "BE",
    ("CA", "America/Toronto"): "ON",
    ("US", "America/New_York"): "MA",
}


def usual_subdivision(country: str, timezone: str) -> str:
    """The part of a country whose public holidays usually count at a clock, as a default to be
    changed; '' for those of all of it. A clock does not tell England from Scotland: whoever ports
    there says so."""
    return USUAL.get((country, timezone), "")


def holiday_parts(country: str) -> list[tuple[str, str]]:
    """Parts of a country with public holidays of their own: code (ISO 3166-2 without the country)
    and name; none where it is not known."""
    if country not in COUNTRIES:
        return []
    parts = ((place.partition("-")[2], name) for place, name in holiday_places(country))
    return [(code, name) for code, name in parts if re.fullmatch(r"[A-Z0-9]{1,3}", code)]


def part_of(country: str, typed: str) -> str:
    """A part of a country whose public holidays count; '' for those of all of it. Raises
    NotUnderstood."""
    part, known = typed.strip().upper(), holiday_parts(country)
    if part and not known:
        raise NotUnderstood(
            f"{country_name(country)} has no parts with holidays of their own here; leave it"
            " empty.",
            field="subdivision",
        )
    if part and part not in dict(known):
        some = ", ".join(f"{code} ({name})" for code, name in known[:4])
        raise NotUnderstood(
            f"A part of the country as in ISO 3166-2, such as {some}; empty: the holidays of all"
            " of it.",
            field="subdivision",
        )
    return part


def no_working_day(day: date, place: str) -> str:
    """Why a day doesn't count; '' where it does."""
    if day.weekday() >= 5:
        return "weekend"
    known = holidays_of(place, day.year) or holidays_of(
        place[:2], day.year
    )  # a part nobody knows has at least the holidays of all
    return known.get(day, "")


def refused_day(
    country: str,
    subdivision: str,
    at: datetime,
    blackouts: Iterable[Blackout] = (),
    timezone: str = "",
) -> str:
    """Why numbers can't be switched at a moment somebody names (a FOC on a holiday); '' where they
    can."""
    lead = lead_of(country)
    local = at.astimezone(zone(timezone or COUNTRIES[country].timezone))
    place = f"{country}-{subdivision}" if subdivision else country
    if why := no_working_day(local.date(), place):
        return f"{_day(local.date())} is no working day there: {why}."
    if closed := next((b for b in blackouts if b.first <= local.date() <= b.last), None):
        return f"{_day(local.date())} is kept free: {closed.why}."
    opens, closes = lead.window
    if not opens <= local.time().replace(second=0, microsecond=0) <= closes:
        return (
            f"Numbers are switched between {opens:%H:%M} and {closes:%H:%M} there, not at"
            f" {local:%H:%M}."
        )
    return ""


def back_out_until(country: str, switched: datetime, timezone: str) -> datetime:
    """Until when numbers switched at a moment can go back: when the day's window closes, or two
    hours after a late switch."""
    lead, place = lead_of(country), zone(timezone)
    local = switched.astimezone(place)
    return max(
        datetime.combine(local.date(), lead.window[1], place), local + LATE_BACK_OUT
    ).astimezone(UTC)


def _day_zero(local: datetime, lead: Lead, size: Size, place: str, reasons: list[str]) -> date:
    day = local.date()
    said = f"Asked for on {_day(day)} at {local:%H:%M}"
    late = size is Size.SIMPLE and lead.cutoff is not None and local.time() >= lead.cutoff
    if why := no_working_day(day, place):
        day = _next_working(day, place)
        reasons.append(f"{said}, which is no working day ({why}): day 0 is {_day(day)}")
    elif late and lead.cutoff:
        day = _next_working(day, place)
        reasons.append(f"{said}, not before {lead.cutoff:%H:%M}: day 0 is {_day(day)}")
    else:
        reasons.append(f"{said}: that is day 0")
    return day


def _next_working(day: date, place: str) -> date:
    day += timedelta(days=1)
    while no_working_day(day, place):
        day += timedelta(days=1)
    return day


def _after(day: date, days: int, place: str, reasons: list[str]) -> date:
    """So many working days later; public holidays on the way are said."""
    left = days
    while left:
        day += timedelta(days=1)
        why = no_working_day(day, place)
        if not why:
            left -= 1
        elif why != "weekend":
            reasons.append(f"{_day(day)} doesn't count: {why}")
    return day


def _not_closed(day: date, place: str, blackouts: tuple[Blackout, ...], reasons: list[str]) -> date:
    begin = day
    while closed := next((b for b in blackouts if b.first <= day <= b.last), None):
        if (closed.last - begin).days > MOST_DAYS:
            raise NotUnderstood(
                "Every day of the coming year is kept free. Take some of it out.", field="blackouts"
            )
        reasons.append(f"{_day(day)} is kept free: {closed.why}")
        day = closed.last
        day = _next_working(day, place)
    return day


def _sized(size: Size, numbers: int, sites: int) -> str:
    match size:
        case Size.TOLL_FREE:
            return "Toll-free numbers change their responsible organisation"
        case Size.SIMPLE:
            return "One number at one site is a simple port"
        case _:
            where = f" at {sites} sites" if sites > 1 else ""
            return (
                f"{numbers:,} numbers{where} are a {size} port"
                if numbers != 1
                else f"One number{where} is a {size} port"
            )


def _day(day: date) -> str:
    return f"{day:%A} {day.day} {day:%B %Y}"

"""A week of answers to OPTIONS: a line for each day that runs level while all is answered. What is
missing hangs from it, hour by hour, as deep as its share; it is told in words too."""

from collections import defaultdict
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import UTC, date, datetime, timedelta
from zoneinfo import ZoneInfo

from markupsafe import Markup

from sedge.core.facts import counted
from sedge.core.trunks.answers import HOURS_SHOWN, Hour, answered_share

WIDTH, LEFT, TOP, ROW, DEEP = 640, 92, 22, 24, 14
SLOT = (WIDTH - LEFT) / 24
MOST_GAPS = 5


@dataclass(frozen=True)
class Gap:
    """Hours one after the other in which answers were missing, from the first to the end of the
    last."""

    begins: datetime
    ends: datetime
    missing: int


def gaps_of(hours: Sequence[Hour]) -> list[Gap]:
    """The latest first."""
    found: list[Gap] = []
    for hour in hours:
        missing = hour.asked - hour.answered
        if not missing:
            continue
        begins = datetime.fromtimestamp(hour.hour * 3600, UTC)
        ends = begins + timedelta(hours=1)
        if found and found[-1].ends == begins:
            found[-1] = Gap(found[-1].begins, ends, found[-1].missing + missing)
        else:
            found.append(Gap(begins, ends, missing))
    return found[::-1]


def gap_words(gap: Gap, zone: ZoneInfo) -> str:
    """`160 answers missing, Fri 27 Nov 08:00 to 11:00`, by the clock of a zone."""
    begins, ends = gap.begins.astimezone(zone), gap.ends.astimezone(zone)
    same = begins.date() == (ends - timedelta(seconds=1)).date()
    until = f"{ends:%H:%M}" if same else f"{ends:%a %-d %b %H:%M}"
    return f"{counted(gap.missing, 'answer')} missing, {begins:%a %-d %b %H:%M} to {until}"


def answers_picture(hours: Sequence[Hour], last_hour: int, zone: ZoneInfo) -> Markup:
    """SVG of the last seven days up to `last_hour` (hours since 1970), by the clock of a zone."""
    by_place: dict[tuple[date, int], list[Hour]] = defaultdict(list)
    for hour in hours:
        local = datetime.fromtimestamp(hour.hour * 3600, zone)
        by_place[local.date(), local.hour].append(hour)
    last = datetime.fromtimestamp(last_hour * 3600, zone).date()
    days = [last - timedelta(days=back) for back in range(HOURS_SHOWN // 24 - 1, -1, -1)]
    rows = Markup("").join(_row(place, day, by_place) for place, day in enumerate(days))
    marks = Markup("").join(
        Markup('<text class="map-label" x="{:.1f}" y="{}">{:02d}:00</text>').format(
            LEFT + at * SLOT, TOP - 10, at
        )
        for at in range(0, 24, 6)
    )
    height = TOP + ROW * len(days)
    return Markup(
        '<svg class="answers-week" viewBox="0 0 {} {}" width="{}" height="{}" role="img"'
        ' aria-label="{}">{}{}</svg>'
    ).format(WIDTH, height, WIDTH, height, _told(hours), marks, rows)


def _row(place: int, day: date, by_place: dict[tuple[date, int], list[Hour]]) -> Markup:
    top = TOP + place * ROW
    shares = {
        at: share
        for at in range(24)
        if (share := answered_share(by_place.get((day, at), []))) is not None
    }
    level = "".join(f"M{LEFT + at * SLOT:.1f} {top}h{SLOT:.1f}" for at in shares)
    missing = Markup("").join(_missing(at, top, share) for at, share in shares.items() if share < 1)
    return Markup(
        '<text class="map-label" x="0" y="{}">{}</text><path class="answers-ground"'
        ' d="M{} {}H{}"/>{}<path class="answers-level" d="{}"/>'
    ).format(top + 4, f"{day:%a %-d %b}", LEFT, top, WIDTH, missing, level)


def _missing(at: int, top: int, share: float) -> Markup:
    """What hangs from the line; where nothing came at all it is crossed."""
    x, deep = LEFT + at * SLOT, max(3.0, DEEP * (1 - share))
    hung = Markup('<rect class="answers-some" x="{:.1f}" y="{}" width="{:.1f}" height="{:.1f}"/>')
    cross = Markup('<path class="answers-none" d="M{0:.1f} {1}l6 6m0 -6l-6 6"/>')
    drawn = hung.format(x, top, SLOT, deep)
    return drawn if share else drawn + cross.format(x + SLOT / 2 - 3, top + 4)


def _told(hours: Sequence[Hour]) -> str:
    share = answered_share(hours)
    if share is None:
        return "It was not asked in the last seven days."
    asked = counted(sum(hour.asked for hour in hours), "request")
    gaps = len(gaps_of(hours))
    missing = f"; {counted(gaps, 'gap')}" if gaps else ""
    return f"Answers in the last seven days: {share:.1%} of {asked}{missing}."

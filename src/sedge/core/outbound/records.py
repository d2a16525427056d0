"""Records of calls out: a site's own dial rules, and the organisation's outbound routes."""

from enum import StrEnum
from typing import Annotated, Literal

from pydantic import Field

from sedge.core.enums import Reached, Right
from sedge.core.facts import Fact, counted


class OwnDialRule(Fact):
    """A rule that a site has besides its country's: of what `pattern` (a digit map) takes, `strip`
    keys are taken off the front and `before` is put there. `name` says what it is for."""

    name: str
    pattern: str
    leads_to: Literal[Reached.NUMBER, Reached.EXTENSION, Reached.SERVICE, Reached.REFUSED]
    strip: int = 0
    before: str = ""
    right: Right = Right.NATIONAL


class DestinationKind(StrEnum):
    """Destinations that are told by what a number is, not by its first digits."""

    PREMIUM = "premium"
    MOBILE = "mobile"
    FREEPHONE = "freephone"
    INTERNATIONAL = "international"
    NATIONAL = "national"


DAYS = ("Mon", "Tue", "Wed", "Thu", "Fri", "Sat", "Sun")


def clock(minute: int) -> str:
    """A minute of the day as `09:00`; the last one is `24:00`."""
    return f"{minute // 60:02d}:{minute % 60:02d}"


OF_COUNTRY = "country "  # before the name of one that shares its calling code with others
RATE_GROUP = "rate group "  # before the name that a rate deck gives to destinations


class RouteHours(Fact):
    """On these weekdays (0 Monday) from `start` to `end`, minutes of the day at the caller's site;
    an end before the start is on the next day."""

    weekdays: tuple[Annotated[int, Field(ge=0, le=6)], ...]
    start: Annotated[int, Field(ge=0, le=1439)]
    end: Annotated[int, Field(ge=1, le=1440)]

    @property
    def in_words(self) -> str:
        """`Mon, Tue, Wed 09:00 to 17:00`."""
        days = ", ".join(DAYS[day] for day in self.weekdays)
        whole_week = len(set(self.weekdays)) == len(DAYS)
        return f"{'every day' if whole_week else days} {clock(self.start)} to {clock(self.end)}"


class RouteLimits(Fact):
    """What calls over a route may come to on a day, and one of them alone, in minutes; 0 for no
    limit. `told` is the mail address of who is told when it is passed."""

    minutes_a_call: Annotated[int, Field(ge=0, le=1440)] = 0
    minutes_a_day: Annotated[int, Field(ge=0, le=1_000_000)] = 0
    calls_a_day: Annotated[int, Field(ge=0, le=1_000_000)] = 0
    told: str = ""

    @property
    def in_words(self) -> str:
        """`60 minutes a call, 500 minutes a day`."""
        said = (
            (self.minutes_a_call, "minute", "a call"),
            (self.minutes_a_day, "minute", "a day"),
            (self.calls_a_day, "call", "a day"),
        )
        return ", ".join(f"{counted(most, what)} {per}" for most, what, per in said if most)


class OutboundRoute(Fact):
    """Which trunks take calls to `destinations`: the first digits of E.164 (`+` for all), a kind of
    number, or a rate group; from the `sites`, or from every one where none is named.

    The trunks are tried in their order, the cheapest first, or by `shares`: of 100 numbers so many
    try that trunk first. `hours` None: at all times. `right` is needed besides the one that the
    number itself needs. Without a trunk such calls are refused."""

    name: str
    destinations: tuple[str, ...]
    sites: tuple[str, ...] = ()
    trunks: tuple[str, ...] = ()
    cheapest: bool = False
    shares: tuple[Annotated[int, Field(ge=0, le=100)], ...] = ()
    hours: RouteHours | None = None
    right: Right | None = None
    limits: RouteLimits | None = None

"""Many people and many numbers: who gets which. What must hold, what is wished for, and what each
wish is worth.

Hard: the number is of the person's site, else of their country, and carries one call; pinned pairs
stay, barred ones don't come back. Wishes are worth points times their weight; nobody is left out
for a wish.
"""

from enum import StrEnum

from pydantic import Field

from sedge.core.facts import Fact


class Wish(StrEnum):
    """`weight` of each from 0 (never mind) to 10."""

    EXTENSION = "extension"
    BEFORE = "before"
    TEAM = "team"
    SERVICE = "service"
    RUNS = "runs"


WORDS = {
    Wish.EXTENSION: "last digits equal the extension",
    Wish.BEFORE: "same ending as before",
    Wish.TEAM: "a team in one run",
    Wish.SERVICE: "memorable numbers kept for service lines",
    Wish.RUNS: "long runs left whole",
}
USUAL = {Wish.EXTENSION: 8, Wish.BEFORE: 6, Wish.TEAM: 5, Wish.SERVICE: 4, Wish.RUNS: 3}
MOST_WEIGHT = 10
MEMORABLE = 0.5  # from this memorability on a number is kept for service lines
LONG_RUN = 100


class Wants(Fact):
    """Somebody who wants a number. `before` is an E.164 they had or have; `team` whom they sit
    with."""

    id: str
    name: str
    site: str
    country: str
    extension: str = ""
    team: str = ""
    before: str = ""


class Free(Fact):
    """A number that may be given. `memorable` from 0 to 1; `run` is how many free numbers lie in a
    row around it."""

    e164: str
    site: str
    country: str
    memorable: float = 0.0
    run: int = 1


class Problem(Fact):
    """`pins` are pairs somebody set by hand (person to number), `barred` pairs they took apart."""

    people: tuple[Wants, ...]
    numbers: tuple[Free, ...]
    weights: dict[Wish, int] = Field(default_factory=lambda: dict(USUAL))
    pins: dict[str, str] = {}
    barred: tuple[tuple[str, str], ...] = ()

    def weight(self, wish: Wish) -> int:
        return self.weights.get(wish, 0)


class Met(Fact):
    """One wish of a person: met or not, and why."""

    wish: Wish
    met: bool
    why: str


class Given(Fact):
    """Who gets what. `number` None: nobody has one for them, `why` says why."""

    person: str
    number: str | None
    wishes: tuple[Met, ...] = ()
    why: str = ""
    pinned: bool = False


class Plan(Fact):
    """`points` of all wishes met; `windows` the run that each team was to have, as first and last
    number."""

    given: tuple[Given, ...]
    points: float
    windows: dict[str, tuple[str, str]] = {}

    @property
    def left_out(self) -> list[Given]:
        return [g for g in self.given if g.number is None]


def number_points(number: Free, problem: Problem) -> float:
    """What giving this number to a person costs or brings, whoever it is."""
    points = 0.0
    if number.memorable >= MEMORABLE:
        points -= problem.weight(Wish.SERVICE)
    points -= problem.weight(Wish.RUNS) * min(number.run, LONG_RUN) / LONG_RUN
    return points


def pair_points(person: Wants, number: Free, window: str | None, problem: Problem) -> float:
    """What a pair is worth: `window` is the team whose run the number lies in."""
    points = number_points(number, problem)
    if fits_extension(person, number):
        points += problem.weight(Wish.EXTENSION)
    if same_ending(person, number):
        points += problem.weight(Wish.BEFORE)
    if window is not None and window == team_of(person):
        points += problem.weight(Wish.TEAM)
    return points


def allowed(person: Wants, number: Free) -> bool:
    return person.country == number.country


def fits_extension(person: Wants, number: Free) -> bool:
    return len(person.extension) >= 2 and number.e164.endswith(person.extension)


def same_ending(person: Wants, number: Free) -> bool:
    return bool(person.before) and number.e164[-3:] == person.before[-3:]


def team_of(person: Wants) -> str:
    """A team sits at one site; somebody without a department is in none."""
    return f"{person.site}/{person.team}" if person.team else ""


def elsewhere_costs(person: Wants, number: Free) -> float:
    """A number of another site in the same country is a last resort."""
    return 0.0 if person.site == number.site else ELSEWHERE


ELSEWHERE = 100.0
LEFT_OUT = 10_000.0

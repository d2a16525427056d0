"""Why a plan gives somebody what it gives: each wish met or not, with the reason; and why somebody
is left out."""

from collections import Counter, defaultdict
from collections.abc import Mapping
from typing import Any

from sedge.core.numbers.e164 import describe
from sedge.core.numbers.plan import the_country
from sedge.core.workorders.planner.problem import (
    MEMORABLE,
    Free,
    Met,
    Problem,
    Wants,
    Wish,
    fits_extension,
    same_ending,
    team_of,
)


class Seen:
    """A plan with what explaining it needs, looked up once."""

    def __init__(
        self, problem: Problem, chosen: Mapping[str, str], windows: Mapping[str, str]
    ) -> None:
        self.problem, self.chosen, self.windows = problem, chosen, windows
        self.numbers = {n.e164: n for n in problem.numbers}
        self.holders = {chosen[p.id]: p.name for p in problem.people if p.id in chosen}
        self.teams = set(windows.values())
        self.there = Counter(n.country for n in problem.numbers)
        self.taken = Counter(self.numbers[n].country for n in chosen.values() if n in self.numbers)
        self.ends: dict[str, list[Free]] = defaultdict(list)
        lengths = {len(p.extension) for p in problem.people if len(p.extension) >= 2} | {3}
        for n in problem.numbers:
            for length in lengths:
                self.ends[n.e164[-length:]].append(n)

    def explained(self, person: Wants) -> dict[str, Any]:
        """`wishes` and `why` of what somebody is given."""
        e164 = self.chosen.get(person.id)
        if e164 is None:
            return {"why": self._left_out(person)}
        number = self.numbers[e164]
        wishes = (
            self._extension(person, number),
            self._before(person, number),
            self._team(person, e164),
            self._service(number),
        )
        why = (
            ""
            if number.site == person.site
            else (
                "No number of their own site was left, so it is one of another site in the country."
            )
        )
        return {"wishes": tuple(m for m in wishes if m), "why": why}

    def _left_out(self, person: Wants) -> str:
        if not self.there[person.country]:
            return f"There is no number of {person.country} among those that may be given."
        return (
            f"All {self.taken[person.country]} numbers of {the_country(person.country)} go to"
            " others. Add more, or order what is missing."
        )

    def _extension(self, person: Wants, number: Free) -> Met | None:
        if not self.problem.weight(Wish.EXTENSION) or len(person.extension) < 2:
            return None
        if fits_extension(person, number):
            return Met(
                wish=Wish.EXTENSION, met=True, why=f"ends in {person.extension}, as the extension"
            )
        return Met(wish=Wish.EXTENSION, met=False, why=self._why_not(person, person.extension))

    def _before(self, person: Wants, number: Free) -> Met | None:
        if not self.problem.weight(Wish.BEFORE) or not person.before:
            return None
        if same_ending(person, number):
            return Met(
                wish=Wish.BEFORE,
                met=True,
                why=f"ends in {person.before[-3:]}, as {describe(person.before).shown} did",
            )
        return Met(wish=Wish.BEFORE, met=False, why=self._why_not(person, person.before[-3:]))

    def _why_not(self, person: Wants, end: str) -> str:
        fitting = [n for n in self.ends.get(end, ()) if n.country == person.country]
        if not fitting:
            return f"no number that may be given ends in {end}"
        holder = self.holders.get(fitting[0].e164)
        national = describe(fitting[0].e164).shown
        if holder:
            return f"{national} goes to {holder}, for whom it is worth as much or more"
        return f"{national} would cost more of the other wishes than this one is worth"

    def _team(self, person: Wants, e164: str) -> Met | None:
        team = team_of(person)
        if not self.problem.weight(Wish.TEAM) or team not in self.teams:
            return None
        if self.windows.get(e164) == team:
            return Met(wish=Wish.TEAM, met=True, why=f"in the run of {person.team}")
        return Met(
            wish=Wish.TEAM,
            met=False,
            why=(
                f"outside the run of {person.team}: another wish is worth more, or the run is too"
                " short"
            ),
        )

    def _service(self, number: Free) -> Met | None:
        if not self.problem.weight(Wish.SERVICE) or number.memorable < MEMORABLE:
            return None
        return Met(
            wish=Wish.SERVICE,
            met=False,
            why="easily remembered, and given to a person all the same: nothing plainer was left",
        )

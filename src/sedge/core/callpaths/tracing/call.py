"""The state of one followed call: how late it is, what has been told of it, and what is chosen for
it."""

from collections.abc import Sequence

from sedge.core.callpaths.steps import Path, Shown
from sedge.core.callpaths.tracing.world import Asked, Ending, EndingKind, Happening, Option, Trace
from sedge.core.estate import Estate
from sedge.core.facts import Money
from sedge.core.records import RECORD_TYPES


class Call:
    """`seconds` since it came in; `here` the step it is at; `inside` the other path it is in."""

    def __init__(self, asked: Asked, estate: Estate, draft: dict[str, Path] | None = None) -> None:
        """`draft` holds call paths that are to be followed instead of those published under their
        ids."""
        self.asked, self.estate, self.draft = asked, estate, draft or {}
        self.world, self.at, self.called = asked.world, asked.at, asked.called
        self.seconds = 0
        self.presses = [*self.world.presses, *self.world.says]
        self.choices = list(self.world.choices) if self.world.choices is not None else None
        self.story: list[Happening] = []
        self.rang: list[str] = []
        self.way: list[tuple[str, str]] = []
        self.asked_to_choose = False
        self.options: list[Option] = []
        self.paths: dict[str, Path] = {}
        self.inside = ""
        self.here = ""

    def say(
        self,
        title: str,
        text: str,
        way_out: str = "",
        *,
        wrong: bool = False,
        sees: str = "",
        plays: str = "",
        rate: Money | None = None,
    ) -> None:
        """One more step of the story, now."""
        self.story.append(
            Happening(self.seconds, self.here, title, text, way_out, wrong, sees, plays, rate)
        )

    def choose(self, options: Sequence[Option]) -> str | Ending | None:
        """The choice made beforehand for this step, or None where the world decides; an open ending
        where it is still to be made."""
        if self.choices is None:
            return None
        if not self.choices:
            self.options = list(options)
            return self.ends(EndingKind.OPEN, "waits for what happens next")
        wanted = self.choices.pop(0)
        return wanted if any(o.choice == wanted for o in options) else options[0].choice

    def ends(self, kind: EndingKind, reason: str, who: str = "") -> Ending:
        """An ending at the step it is at."""
        return Ending(kind, reason, who, self.here)

    def told(self, ending: Ending) -> Trace:
        return Trace(
            self.story, ending, self.rang, self.way, self.asked_to_choose, self.options, self.paths
        )

    def sees(self, shown: Shown) -> str:
        """What the callee reads."""
        caller = self.asked.caller or "the caller"
        holder = self.called.holder
        record = self.estate.get(RECORD_TYPES[holder.subject], holder.id) if holder else None
        line = self.called.label or getattr(record, "name", "") or self.called.name
        return {
            Shown.CALLER: caller,
            Shown.CALLED: self.called.name,
            Shown.LINE: f"{line}: {caller}",
            Shown.WITHHELD: "nothing, it is withheld",
        }[shown]

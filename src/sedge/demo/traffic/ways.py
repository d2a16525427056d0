"""The way that each of the demo's calls takes through the call path of its number: hours by the
clock, keys as callers choose them, some who give up."""

from collections.abc import Mapping
from datetime import UTC, datetime
from random import Random

from sedge.core.callpaths.openings import opening_at
from sedge.core.callpaths.steps import (
    Announce,
    Exit,
    Forward,
    Hours,
    Mailbox,
    Menu,
    OtherPath,
    Path,
    Queue,
    Ring,
    SipAddress,
    Step,
)
from sedge.core.spend.call_legs import CallLeg
from sedge.core.spend.step_use import GAVE_UP, WENT_ON, Passed

MOST_STEPS = 12
HANGS_UP, SAYS_NOTHING, MISTAKEN = 0.06, 0.04, 0.02  # in a menu
WAITS_ON = 0.45  # of those whom nobody answers
QUARTER = 900


class Ways:
    """The published paths by id, and what their clocks said."""

    def __init__(self, paths: Mapping[str, Path]) -> None:
        self.paths = paths
        self._said: dict[tuple[str, str, int], str] = {}

    def of(self, leg: CallLeg, start: str) -> tuple[Passed, ...]:
        """By the call's own key, so that the same call always goes the same way; nothing where no
        such path is published."""
        at, path, passed = start, self.paths.get(start), []
        random, key = Random(leg.key), path.first if path else ""
        while path and len(passed) < MOST_STEPS:
            step = path.steps[key]
            if isinstance(step, OtherPath):
                passed.append(Passed(at, key, WENT_ON, 0))
                at, path = step.path, self.paths.get(step.path)
                key = path.first if path else ""
                continue
            way, seconds = self._left(random, at, key, step, leg)
            following = step.exits.get(way)
            if way == Exit.DONE and following is None:
                way = "announced"
            passed.append(Passed(at, key, way, seconds))
            if following is None:
                break
            key = following
        return tuple(passed)

    def _left(self, random: Random, at: str, key: str, step: Step, leg: CallLeg) -> tuple[str, int]:
        """The exit, and the seconds until then."""
        match step:
            case Hours():
                return self._by_clock(at, key, step, leg.started // QUARTER), 0
            case Menu():
                return _key_of(random, step), random.randrange(4, 19)
            case Ring() | Queue():
                if leg.answered:
                    return "answered", leg.ring
                late = Exit.NO_ANSWER if isinstance(step, Ring) else Exit.WAITED_TOO_LONG
                return (late if random.random() < WAITS_ON else GAVE_UP), leg.ring
            case Announce():
                return Exit.DONE, random.randrange(6, 20)
            case Mailbox():
                return ("mailbox" if leg.answered else GAVE_UP), random.randrange(5, 40)
            case Forward() | SipAddress():
                return ("forwarded" if leg.answered else Exit.NO_ANSWER), leg.ring
            case _:
                return "ended", 0

    def _by_clock(self, at: str, key: str, step: Hours, quarter: int) -> str:
        said = self._said.get((at, key, quarter))
        if said is None:
            said = opening_at(step, datetime.fromtimestamp(quarter * QUARTER, UTC))[0]
            self._said[at, key, quarter] = said
        return said


def _key_of(random: Random, step: Menu) -> str:
    """The first keys are heard first, and pressed most."""
    luck = random.random()
    if luck < HANGS_UP:
        return GAVE_UP
    if luck < HANGS_UP + SAYS_NOTHING:
        return Exit.NO_INPUT
    if luck < HANGS_UP + SAYS_NOTHING + MISTAKEN:
        return Exit.WRONG_INPUT
    keys = list(step.keys)
    return random.choices(keys, [1 / (i + 1.5) for i in range(len(keys))])[0]

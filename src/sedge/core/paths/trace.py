"""Following one call in through the rules: each step with its seconds, decision and reason, and how it ends.

The world is part of the question: who is busy, who answers when, what is pressed, how many wait, which trunks are down.
"""

from dataclasses import dataclass, field
from datetime import datetime
from enum import StrEnum
from functools import lru_cache
from zoneinfo import ZoneInfo

from pydantic import Field

from sedge.core.estate import Estate
from sedge.core.facts import Fact
from sedge.core.moments import clock
from sedge.core.numbers.life import State
from sedge.core.paths.steps import Announce, Hours, Mailbox, Menu, Path, Queue, Ring, Step, holder_path
from sedge.core.records import Account, Device, Downstream, Group, HolderKind, Number, PathVersion, Person, ServiceLine, Trunk

ANSWERS_AFTER = 6
MOST_STEPS = 200


class EndingKind(StrEnum):
    ANSWERED = "answered"
    MAILBOX = "mailbox"
    FORWARDED = "forwarded"
    ANNOUNCED = "announced"
    ENDED = "ended"
    REJECTED = "rejected"


class World(Fact):
    """How the world behaves. `answers` maps a person to seconds, or None: doesn't pick up; others pick up after 6 s."""

    busy: tuple[str, ...] = ()
    answers: dict[str, int | None] = {}
    presses: tuple[str, ...] = ()
    says: tuple[str, ...] = ()
    queue: dict[str, int] = {}
    trunks_down: tuple[str, ...] = ()
    nobody_answers: bool = Field(default=False, description="nobody picks up, whoever it is")


@dataclass(frozen=True)
class Happening:
    """One step of the story, `at` seconds after the call came in. `exit` is the way it was left by."""

    at: int
    step: str
    title: str
    text: str
    exit: str = ""
    wrong: bool = False


@dataclass(frozen=True)
class Ending:
    kind: EndingKind
    reason: str
    who: str = ""


@dataclass(frozen=True)
class Trace:
    """`way` lists the exits taken as (step, exit); `rang` the devices that rang; `asked_to_choose`: it came past a menu."""

    happenings: list[Happening]
    ending: Ending
    rang: list[str]
    way: list[tuple[str, str]] = field(default_factory=list)
    asked_to_choose: bool = False

    @property
    def seconds(self) -> int:
        return self.happenings[-1].at if self.happenings else 0


def path_of(number: Number, estate: Estate) -> Path:
    """The path in force for a number: its own, else ring the holder, then their mailbox."""
    published = estate.get(PathVersion, number.path)
    if published:
        return Path.model_validate(published.body)
    holder = estate.get(Person, number.holder.id) if number.holder and number.holder.kind is HolderKind.PERSON else None
    return holder_path(holder.ring_seconds if holder else 25)


def trace_inbound(e164: str, at: datetime, world: World, estate: Estate, *, caller: str = "") -> Trace:
    """Follow a call to `e164` that comes in at `at` from `caller` (as shown to people; '' where it doesn't matter).

    Raises NotFound where the number isn't in the estate.
    """
    number = estate.number(e164)
    trunk = estate.get(Trunk, number.trunk)
    if reason := _stopped_before(number, trunk, at, world, estate.get(Account, number.account)):
        return Trace([Happening(0, "carrier", estate.carrier_of(number).name, reason, wrong=True)], Ending(EndingKind.REJECTED, reason), [])
    call = _Call(number, at, world, estate)
    carrier = estate.carrier_of(number).name
    call.story.append(
        Happening(
            0, "carrier", carrier, f"hands the call{f' from {caller}' if caller else ''} over to {trunk.name if trunk else 'nobody'}."
        )
    )
    if number.holder and number.holder.kind is HolderKind.DOWNSTREAM:
        return call.hand_over(estate.the(Downstream, number.holder.id))
    return call.follow(path_of(number, estate))


def _stopped_before(number: Number, trunk: Trunk | None, at: datetime, world: World, account: Account | None) -> str | None:
    if number.state is not State.ASSIGNED or number.assignment is None:
        arrives = f"It arrives over {trunk.name}, and " if trunk and trunk.connection and trunk.up else ""
        return f"{arrives}{'the' if arrives else 'The'} number is {number.state}; callers hear that it is not in use."
    if trunk is None:
        return "The number is on no trunk's list, so the call does not arrive."
    if trunk.id in world.trunks_down or not trunk.up:
        return f"Trunk {trunk.name} is down and no fallback is set; callers hear the engaged tone."
    if account and account.suspended_since:
        return f"The carrier has suspended {account.name}, so no call to its numbers arrives. A deposit brings service back."
    if number.usable_from and number.usable_from > at:
        return f"The carrier has the number in service only from {clock(number.usable_from, at)}."
    if number.assignment.works_from > at:
        return f"The assignment works only from {clock(number.assignment.works_from, at)}."
    return None


class _Call:
    """The state of one followed call."""

    def __init__(self, number: Number, at: datetime, world: World, estate: Estate) -> None:
        self.number, self.at, self.world, self.estate = number, at, world, estate
        self.seconds = 0
        self.presses = list(world.presses) + list(world.says)
        self.story: list[Happening] = []
        self.rang: list[str] = []
        self.way: list[tuple[str, str]] = []
        self.asked_to_choose = False

    def follow(self, path: Path) -> Trace:
        key: str | None = path.first
        for _ in range(MOST_STEPS):
            if key is None:
                return self._end(EndingKind.ENDED, "the path goes no further; the caller is hung up on")
            step = path.steps[key]
            result = self._take(key, step)
            if isinstance(result, Ending):
                return self._told(result)
            self.way.append((key, result))
            key = step.exits.get(result)
            if key is None and isinstance(step, Announce):
                return self._end(EndingKind.ANNOUNCED, "the announcement is over")
            if key is None:
                return self._end(EndingKind.ENDED, f"{result}, and no way on is drawn for it")
        return self._end(EndingKind.ENDED, "the path goes round in a circle")

    def hand_over(self, system: Downstream) -> Trace:
        """Downstream systems get their numbers whole: what rings there is theirs to say."""
        self._say(
            "downstream", system.name, f"gets the call at {system.host}, port {system.port}; what rings is set up there.", "handed over"
        )
        return self._end(EndingKind.FORWARDED, f"handed over to {system.name}")

    def _end(self, kind: EndingKind, reason: str) -> Trace:
        return self._told(Ending(kind, reason))

    def _told(self, ending: Ending) -> Trace:
        return Trace(self.story, ending, self.rang, self.way, self.asked_to_choose)

    def _say(self, key: str, title: str, text: str, way_out: str = "", *, wrong: bool = False) -> None:
        self.story.append(Happening(self.seconds, key, title, text, way_out, wrong))

    # ── steps; each gives the exit taken, or the ending ──

    def _take(self, key: str, step: Step) -> str | Ending:
        match step:
            case Hours():
                return self._hours(key, step)
            case Menu():
                return self._menu(key, step)
            case Ring():
                return self._ring(key, step)
            case Queue():
                return self._queue(key, step)
            case Announce():
                return self._announce(key, step)
            case Mailbox():
                return self._mailbox(key, step)
            case _:
                self._say(key, step.title, "the call ends here.")
                return Ending(EndingKind.ENDED, "the path ends here")

    def _hours(self, key: str, step: Hours) -> str:
        way_out, why = opening_at(step, self.at)
        self._say(key, step.title, f"{way_out}. {why}", way_out)
        return way_out

    def _menu(self, key: str, step: Menu) -> str:
        self.asked_to_choose = True
        speaks = max(3, len(step.greeting.split()) // 2)
        for _ in range(step.repeats):
            if self.presses:
                pressed = self.presses.pop(0)
                chosen = (
                    pressed if pressed in step.keys else next((k for k, word in step.keys.items() if word.lower() == pressed.lower()), None)
                )
                self._say(
                    key,
                    step.title,
                    f"speaks for {speaks} s; the caller chooses {pressed}{', ' + step.keys[chosen] if chosen else ''}.",
                    chosen or "wrong input",
                )
                self.seconds += speaks
                return chosen or "wrong input"
            self._say(key, step.title, f"speaks for {speaks} s and waits {step.wait_seconds} s; nothing is pressed.", "no input")
            self.seconds += speaks + step.wait_seconds
        return "no input"

    def _ring(self, key: str, step: Ring) -> str | Ending:
        people = self._people(step.people, step.groups)
        if not people:
            self._say(
                key, step.title, "there is nobody to ring: the holder is not a person and nobody is named.", "nobody reachable", wrong=True
            )
            return "nobody reachable"
        return self._try_people(key, step.title, people, step.seconds, one_by_one=step.order == "in order")

    def _queue(self, key: str, step: Queue) -> str | Ending:
        waiting = self.world.queue.get(key, 0)
        if waiting >= step.most_waiting > 0:
            self._say(key, step.title, f"{waiting} are waiting and no more than {step.most_waiting} may: full.", "full")
            return "full"
        people = self._people(step.people, step.groups)
        if not any(self._phones(p) for p in people):
            self._say(key, step.title, "nobody is signed in: no phone of the queue's people is registered.", "nobody signed in", wrong=True)
            return "nobody signed in"
        place = f"{waiting} are waiting, so place {waiting + 1}. " if waiting else ""
        result = self._try_people(key, step.title, people, step.ring_seconds, one_by_one=True, first_words=place)
        if isinstance(result, Ending):
            return result
        self.seconds = max(self.seconds, step.longest_wait)
        self._say(key, step.title, f"waited {step.longest_wait // 60}:{step.longest_wait % 60:02d}, too long.", "waited too long")
        return "waited too long"

    def _announce(self, key: str, step: Announce) -> str:
        self._say(key, step.title, f"says “{step.text}”", "done")
        self.seconds += max(2, len(step.text.split()) // 2)
        return "done"

    def _mailbox(self, key: str, step: Mailbox) -> Ending:
        people = self._people(step.recipients, step.groups)
        names = ", ".join(p.name for p in people[:3]) or "nobody"
        self._say(key, step.title, f"takes a message; mail to {names}.", wrong=not people)
        return Ending(EndingKind.MAILBOX, f"message for {names}", names)

    def _people(self, named: tuple[str, ...], groups: tuple[str, ...]) -> list[Person]:
        if named or groups:
            members = (m for key in groups if (group := self.estate.get(Group, key)) and not group.removed for m in group.members)
            return [p for p in (self.estate.get(Person, key) for key in dict.fromkeys((*named, *members))) if p and not p.left]
        holder = self.number.holder
        if holder and holder.kind is HolderKind.PERSON:
            return [self.estate.the(Person, holder.id)]
        if holder and holder.kind is HolderKind.SERVICE_LINE:
            line = self.estate.holder(holder)
            return self._people_of_line(line) if isinstance(line, ServiceLine) else []
        return []

    def _people_of_line(self, line: ServiceLine) -> list[Person]:
        named = line.members or line.recipients
        return self._people(named, line.groups) if named or line.groups else []

    def _phones(self, person: Person) -> list[Device]:
        return [d for d in self.estate.devices_of(person.id) if d.registered]

    def _try_people(
        self, key: str, title: str, people: list[Person], seconds: int, *, one_by_one: bool, first_words: str = ""
    ) -> str | Ending:
        """Ring them all at once, or one after the other; the first who answers ends the story."""
        reachable = [p for p in people if self._phones(p)]
        skipped = [p.name for p in people if not self._phones(p)]
        if skipped:
            self._say(key, title, f"{', '.join(skipped)} {'is' if len(skipped) == 1 else 'are'} skipped: no phone registered.", wrong=True)
        if not reachable:
            return "nobody reachable"
        if all(p.id in self.world.busy for p in reachable):
            self._say(key, title, f"{', '.join(p.name for p in reachable)}: busy.", "busy")
            return "busy"
        groups = [[p] for p in reachable] if one_by_one else [reachable]
        for group in groups:
            if ending := self._ring_together(key, title, group, seconds, first_words):
                return ending
        return "no answer"

    def _ring_together(self, key: str, title: str, group: list[Person], seconds: int, first_words: str) -> Ending | None:
        phones = [d for p in group for d in self._phones(p)]
        self.rang += [d.name for d in phones]
        names = ", ".join(f"{p.name} ({', '.join(d.name for d in self._phones(p))})" for p in group)
        picks = {p.id: self._picks_up(p) for p in group}
        ready = [(after, p) for p in group if (after := picks[p.id]) is not None and after <= seconds]
        if ready:
            after, who = min(ready, key=lambda pair: pair[0])
            self._say(key, title, f"{first_words}rings {names}; {who.name} answers after {after} s.", "answered")
            self.seconds += after
            return Ending(EndingKind.ANSWERED, f"{who.name} answers", who.name)
        self._say(key, title, f"{first_words}rings {names} for {seconds} s; nobody picks up.", "no answer")
        self.seconds += seconds
        return None

    def _picks_up(self, person: Person) -> int | None:
        if person.id in self.world.busy or self.world.nobody_answers:
            return None
        return self.world.answers.get(person.id, ANSWERS_AFTER)


@lru_cache(maxsize=64)
def _holidays_of(place: str, year: int) -> dict:
    import holidays

    country, _, subdivision = place.partition("-")
    return dict(holidays.country_holidays(country, subdiv=subdivision or None, years=year))


def opening_at(step: Hours, at: datetime) -> tuple[str, str]:
    """The exit of an hours step at a moment and the reason in words. First match wins: holiday, closure, opening."""
    local = at.astimezone(ZoneInfo(step.timezone))
    day = f"{local:%A} {local:%H:%M}"
    if step.holidays_of and (name := _holidays_of(step.holidays_of, local.year).get(local.date())):
        return "holiday", f"{day} is {name}."
    for closure in step.closures:
        if closure.first <= local.date() <= closure.last:
            return "closed", f"Closure: {closure.name}."
    clock = f"{local:%H:%M}"
    for opening in step.openings:
        if local.weekday() in opening.weekdays and opening.start <= clock < opening.end:
            return "open", f"{local:%A} {opening.start} to {opening.end}, no closure today."
    today = [o for o in step.openings if local.weekday() in o.weekdays]
    if today:
        return "closed", f"{day}; open {' and '.join(f'{o.start} to {o.end}' for o in today)} on this day."
    return "closed", f"{day}; closed all {local:%A}."

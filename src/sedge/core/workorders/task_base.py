"""What every kind of task has to say of itself, and how tasks name numbers and each other.

Whatever is true of a kind stands in its class, in `core/<area>/tasks.py`. A kind that leaves one of
the questions of `Task` open can't be defined; for the usual answers there are functions here, which
a class puts in the place of a method.
"""

from abc import abstractmethod
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from enum import StrEnum
from typing import Annotated, Any, ClassVar, NamedTuple, Self

from pydantic import Field

from sedge.core.access.roles import May
from sedge.core.enums import HolderKind, Subject
from sedge.core.errors import NotAllowedNow, NotUnderstood
from sedge.core.estate import Change, Estate
from sedge.core.facts import Fact, Money
from sedge.core.holding import HolderRef
from sedge.core.load_spec import LoadSpec
from sedge.core.numbers.e164 import describe
from sedge.core.records import RECORD_TYPES, Number

E164 = Annotated[str, Field(pattern=r"^\+[1-9]\d{6,14}$", description="E.164: plus and digits")]
Name = Annotated[str, Field(min_length=1, max_length=80)]
RecordId = Annotated[str, Field(pattern=r"^[a-z0-9-]{1,80}$")]
NOTHING_MORE: frozenset[May] = frozenset()


class OutputOf(Fact):
    """The number that comes out of another task of the same work order: its `index`-th, from 0."""

    output_of: int = Field(ge=0, description="position of the other task, from 0")
    index: int = Field(default=0, ge=0)


NumberField = E164 | OutputOf


class Thing(StrEnum):
    """What a task brings about that another may have to wait for."""

    ANSWERING = "answering rules"
    ASSIGNED = "assigned"  # of a number
    AT_ITS_SITE = "at its site"  # of a number
    CALLER_IDS = "caller IDs"
    FEATURE = "feature"  # of a number, with its name
    FREE = "free"  # of a number
    GIVEN_UP = "given up"  # of a holder: a number
    GROUPS = "groups"
    LICENCE = "licence"  # of a holder, of a product or any
    LISTED = "listed"  # of a number, on a trunk
    NUMBER = "number"  # it is in the estate
    PATH = "call path"  # by its id
    PATH_OF = "call path of"  # of a number
    PATHS = "call paths"
    PERSON = "person"  # they are in the directory
    PERSON_CHANGED = "person changed"
    PORT_SUBMITTED = "port submitted"
    PREPARED = "prepared"  # whatever the numbers of a port need on their day
    RIGHTS = "calling rights"  # of a holder
    SEAT_GIVEN_UP = "seat given up"  # of a holder
    SEATS = "seats"  # of a product
    SPOT = "spot"  # of a holder or a number
    SPOTS = "spots"
    SWITCHED = "switched"  # the numbers of ports
    TAKEN_BACK = "taken back"  # a licence of a holder, of a product
    UNLISTED = "unlisted"  # of a number


class Provision(NamedTuple):
    """A thing with whose it is: `of` is an E.164 number, a record's id, or a holder as `key_of`."""

    what: Thing
    of: str = ""
    product: str = ""


Prerequisites = Mapping[str, tuple[str, ...]]  # licence products, and those each of them needs


class Cost(NamedTuple):
    """What a task adds per month and once, as far as it is paid through Sedge; None: nothing. The
    monthly part begins with the task, or at a moment that is known (`begins`)."""

    monthly: Money | None = None
    once: Money | None = None
    begins: datetime | None = None


class Waiting(NamedTuple):
    """Until when a task can't be done; `what` completes *waiting for …*."""

    until: datetime
    what: str


class Snapshot(Fact):
    """A record as a done task found and left it, canonical."""

    subject: Subject
    id: str
    before: dict[str, Any] | None
    after: dict[str, Any]


@dataclass(frozen=True)
class Irreversible:
    """A task that no undo takes back; `what` it did, in words."""

    what: str


class Task(Fact):
    """One change as somebody wants it, in the trade's words; who is about one number has `number`.

    - `takes`: what somebody must be allowed beyond planning and running work orders, asked whenever
      a work order with such a task is drafted, changed, run, rescheduled, undone or discarded.
    - `for_good`: what of it no undo takes back, in words; empty where all can be put back.
    - `asks_again`: whether somebody at the pages proves who they are before it is run.
    - `may_be_new`: whether the number it names may be one that is not in the estate.
    """

    kind: Any
    takes: ClassVar[frozenset[May]]
    for_good: ClassVar[str] = ""
    asks_again: ClassVar[bool] = False
    may_be_new: ClassVar[bool] = False

    @classmethod
    def __pydantic_init_subclass__(cls, **kwargs: object) -> None:
        super().__pydantic_init_subclass__(**kwargs)
        left_open = sorted(cls.__abstractmethods__ | ({"takes"} - {*vars(cls)}))
        if left_open:
            raise TypeError(f"{cls.__name__} does not say: {', '.join(left_open)}")

    # ── what each kind says ──

    @abstractmethod
    def needs(self) -> LoadSpec:
        """What to load before it can be judged or applied, but for what numbers drag in anyway."""

    @abstractmethod
    def provides(self) -> Iterator[Provision]:
        """What it brings about that other tasks may wait for."""

    @abstractmethod
    def requires(self, prerequisites: Prerequisites) -> Iterator[Provision]:
        """What must come before it, where another task of the work order brings it about."""

    @abstractmethod
    def describe(self, estate: Estate) -> tuple[str, str]:
        """The verb with its object, and the rest: (`Assign 0113 496 0142`, `to Ifeoma Okafor
        …`)."""

    @abstractmethod
    def apply(self, estate: Estate, identity: str = "new") -> list[Change]:
        """The changes it makes; ids of new records follow from `identity`, the task's own id.

        Decides nothing about wisdom (that is the checks' work) but refuses what the life of a
        number does not allow. Knows no clock: now is `estate.now`. Leaves the estate as it was; see
        `Estate.absorb`. Raises NotFound, NotAllowedNow.
        """

    @abstractmethod
    def reversal(self, snapshots: Sequence[Snapshot], words: str) -> "Task | Irreversible":
        """What undoes it: from the records as it found and left them, and itself in words."""

    @abstractmethod
    def waits(self, estate: Estate) -> Waiting | None:
        """What it must wait for before it can be done; None when it can go on now."""

    @abstractmethod
    def works(self, estate: Estate) -> str:
        """When it works, in words for a draft."""

    @abstractmethod
    def costs(self, estate: Estate) -> Cost:
        """What it adds to what is paid."""

    # ── what some say otherwise ──

    def settles(self, after: Estate) -> datetime | None:
        """The moment from which it works, seen on the estate as it is after the whole work order;
        None where somebody outside decides."""
        waits = self.waits(after)
        return waits.until if waits else after.now

    def project(self, estate: Estate, identity: str) -> list[Change]:
        """The changes seen as done, whatever the outside still has to do for it."""
        return self.apply(estate, identity)

    def brings(self) -> tuple[str, ...]:
        """The numbers (E.164) it brings into the estate."""
        return ()

    def names(self) -> Iterator[tuple[Subject, str]]:
        """The numbers and holders it names, changed or not."""
        if self.e164:
            yield Subject.NUMBER, self.e164
        if holder := self.for_holder:
            yield holder.subject, holder.id

    def together(self, other: "Task") -> "Task | None":
        """One task that does what both do, where two remedies of one kind add up."""
        return None

    def is_idle(self, tasks: "Sequence[Task]", estate: Estate) -> bool:
        """Whether it, not run yet, finds nothing to do, and so costs and saves nothing."""
        return False

    @property
    def leans_on(self) -> int | None:
        """The position of another task that this one names, if it does."""
        number = getattr(self, "number", None)
        return number.output_of if isinstance(number, OutputOf) else None

    def moved(self, place: Callable[[int], int]) -> Self:
        """The same with what it says of other tasks' positions as `place` maps them."""
        number = getattr(self, "number", None)
        if not isinstance(number, OutputOf):
            return self
        return self.copy_with(number=number.copy_with(output_of=place(number.output_of)))

    def resolved(self, tasks: "Sequence[Task]") -> Self:
        """The same with what it leaves to another of `tasks` filled in. Raises NotUnderstood."""
        number = getattr(self, "number", None)
        if not isinstance(number, OutputOf):
            return self
        numbers = tasks[number.output_of].brings() if number.output_of < len(tasks) else ()
        if number.index >= len(numbers):
            message = "“output_of” names a task that gives no such number."
            raise NotUnderstood(message, field="number", reason="output-of")
        return self.copy_with(number=numbers[number.index])

    # ── what all have ──

    @property
    def e164(self) -> str | None:
        """The number it is about; None where there is none, or where another task brings it."""
        number = getattr(self, "number", None)
        return number if isinstance(number, str) else None

    @property
    def for_holder(self) -> HolderRef | None:
        """Whom it concerns: the holder or the person it names."""
        person = getattr(self, "person", None)
        return getattr(self, "holder", None) or (person_ref(person) if person else None)

    @property
    def known_number(self) -> str:
        """The number it is about. Raises NotAllowedNow while another task has yet to bring it."""
        if self.e164 is None:
            message = "This task waits for a number from another task."
            raise NotAllowedNow(message, reason="unresolved")
        return self.e164

    @property
    def shown(self) -> str:
        """Its number as people write it."""
        return describe(self.e164).shown if self.e164 else "the number that arrives"

    def in_words(self, estate: Estate) -> str:
        """The task as one sentence."""
        return " ".join(part for part in self.describe(estate) if part)

    def lacks_its_number(self, estate: Estate) -> bool:
        """Whether the number it names isn't there, so that further rules would only repeat it."""
        if self.e164 is None or self.may_be_new:
            return False
        return estate.get(Number, self.e164) is None


# ── usual answers, put in the place of a method ──


def what_it_names(self: Task) -> LoadSpec:
    """The number, the holder, and the records it names by their ids."""
    found = LoadSpec()
    if self.e164:
        found.numbers.add(self.e164)
    if holder := getattr(self, "holder", None):
        found.holders.add(holder)
    for field in ("site", "spot", "account", "path", "order", "trunk", "hold"):
        if key := getattr(self, field, None):
            getattr(found, f"{field}s").add(key)
    return found


def nothing(self: Task) -> Iterator[Provision]:
    """Nothing that others wait for."""
    yield from ()


def what_it_is_about(self: Task, prerequisites: Prerequisites) -> Iterator[Provision]:
    """Its number and its holder must be here."""
    if self.e164 and not self.may_be_new:
        yield Provision(Thing.NUMBER, self.e164)
    if holder := getattr(self, "holder", None):
        yield Provision(Thing.PERSON, holder.id)


def no_changes(self: Task, estate: Estate, identity: str = "new") -> list[Change]:
    """Nothing changes here."""
    return []


def for_nothing(self: Task, estate: Estate) -> Waiting | None:
    """It can go on at any time."""
    return None


def at_once(self: Task, estate: Estate) -> str:
    """It works as soon as it is done."""
    return "at once"


def outside_decides(self: Task, after: Estate) -> datetime | None:
    """Nobody here knows the moment."""
    return None


def free(self: Task, estate: Estate) -> Cost:
    """It changes nothing of what is paid."""
    return Cost()


def not_at_all(self: Task, snapshots: Sequence[Snapshot], words: str) -> Irreversible:
    """No undo takes it back."""
    return Irreversible(self.for_good)


# ── words ──


def person_ref(key: str) -> HolderRef:
    """A person as a holder."""
    return HolderRef(kind=HolderKind.PERSON, id=key)


def key_of(holder: HolderRef) -> str:
    """A holder as provisions name them."""
    return f"{holder.kind}/{holder.id}"


def name_of(estate: Estate, record_type: Any, key: str | None) -> str:
    """A record's name or title; its id where it is not known."""
    found = estate.get(record_type, key)
    return (getattr(found, "name", "") or getattr(found, "title", "")) if found else (key or "")


def holder_name(ref: HolderRef, estate: Estate) -> str:
    """A holder's name; the id where they are not known."""
    return name_of(estate, RECORD_TYPES[ref.subject], ref.id)

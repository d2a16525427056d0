"""The kinds of task: one closed union, the same for pages, API, runner and undo.

A task says what shall be, in the trade's words; what it changes is worked out by `core.reduce`, what it needs
loaded by `needs`, in which order tasks run by `plan`. Numbers may be typed in any unambiguous form at the
doors; here they are E.164.
"""

from datetime import datetime
from typing import Annotated, Any, Literal

from pydantic import AwareDatetime, Field, TypeAdapter, field_validator

from sedge.core.access.roles import May
from sedge.core.callpaths.steps import Path
from sedge.core.facts import Fact, Money
from sedge.core.records import Answering, Capacity, HolderRef, Right, Role, Subject
from sedge.core.workorders.carrier_tasks import (
    ActivatePort,
    ApprovePortOut,
    BackOutPort,
    CancelOrder,
    ConnectNumber,
    FollowCarrier,
    OrderNumbers,
    OrderWhenFree,
    RecordArrival,
    ReleaseNumber,
    SendPaper,
    SetFeature,
    SubmitPort,
    TellCarrier,
)
from sedge.core.workorders.task_base import E164, NOTHING_MORE, AnyTask, Name, NumberField

PAGES_OF_PATHS = frozenset({"bring-in", "draw", "new", "out", "prove", "questions", "sounds", "week"})  # stand where a path's id would


class GrantLicence(AnyTask):
    kind: Literal["grant_licence"] = "grant_licence"
    takes = NOTHING_MORE
    holder: HolderRef
    product: Name


class RevokeLicence(AnyTask):
    kind: Literal["revoke_licence"] = "revoke_licence"
    takes = NOTHING_MORE
    holder: HolderRef
    product: Name


class BuySeats(AnyTask):
    kind: Literal["buy_seats"] = "buy_seats"
    takes = frozenset({May.BUY})
    product: Name
    seats: int = Field(ge=1, le=10_000)

    def together(self, other: Any) -> Any:
        same = isinstance(other, BuySeats) and other.product == self.product
        return self.but(seats=self.seats + other.seats) if same and self.seats + other.seats <= 10_000 else None


class StartTrial(AnyTask):
    """Seats of a product for its trial's days, without cost."""

    kind: Literal["start_trial"] = "start_trial"
    takes = frozenset({May.BUY})
    product: Name
    seats: int = Field(ge=1, le=10_000)


class CancelSeats(AnyTask):
    """Seats that are not wanted after the subscription's term."""

    kind: Literal["cancel_seats"] = "cancel_seats"
    takes = frozenset({May.BUY})
    subscription: Name
    seats: int = Field(ge=1, le=100_000)


class ExchangeLicence(AnyTask):
    """One product for another: the old seat goes on until the new one works."""

    kind: Literal["exchange_licence"] = "exchange_licence"
    takes = NOTHING_MORE
    holder: HolderRef
    product: Name
    to: Name


class AssignNumber(AnyTask):
    kind: Literal["assign_number"] = "assign_number"
    takes = NOTHING_MORE
    number: NumberField
    holder: HolderRef
    role: Role = Role.MAIN
    spot: str | None = None


class UnassignNumber(AnyTask):
    """`rest` is the days of rest; None for the policy's. `holder`, where known, must still have it. `announcement` is what callers hear
    while it rests; empty: that it is not in use."""

    kind: Literal["unassign_number"] = "unassign_number"
    takes = NOTHING_MORE
    number: NumberField
    holder: HolderRef | None = None
    rest: int | None = Field(default=None, ge=0, le=3650)
    announcement: str = Field(default="", max_length=300)


class ReserveNumber(AnyTask):
    kind: Literal["reserve_number"] = "reserve_number"
    takes = NOTHING_MORE
    number: NumberField
    holder: HolderRef | None = None
    reason: str = Field(default="", max_length=200)
    until: datetime | None = None


class UnreserveNumber(AnyTask):
    kind: Literal["unreserve_number"] = "unreserve_number"
    takes = NOTHING_MORE
    number: NumberField


class SetAside(AnyTask):
    kind: Literal["set_aside"] = "set_aside"
    takes = NOTHING_MORE
    number: NumberField
    reason: str = Field(default="", max_length=200)


class ReturnNumber(AnyTask):
    kind: Literal["return_number"] = "return_number"
    takes = NOTHING_MORE
    number: NumberField


class EndRest(AnyTask):
    kind: Literal["end_rest"] = "end_rest"
    takes = NOTHING_MORE
    number: NumberField
    reason: str = Field(min_length=3, max_length=200)


class MoveNumber(AnyTask):
    """To another site of the organisation. Its spot, if that is at the old site, does not go along."""

    kind: Literal["move_number"] = "move_number"
    takes = NOTHING_MORE
    number: NumberField
    site: Name


class AdoptNumber(AnyTask):
    """A number that is the organisation's already, brought in as found."""

    kind: Literal["adopt_number"] = "adopt_number"
    takes = frozenset({May.IMPORT})
    number: E164
    account: Name
    site: Name
    state: Literal["available", "reserved", "assigned", "aging", "administrative"] = "available"
    capacity: Capacity = Capacity.ANY
    monthly: Money
    holder: HolderRef | None = None
    role: Role = Role.MAIN
    spot: str | None = None
    until: datetime | None = None
    reason: str = Field(default="", max_length=200)
    label: str = Field(default="", max_length=80)
    trunk: str | None = None
    path: str | None = None


class AddPerson(AnyTask):
    """Somebody new, with a phone of their own. `id` is chosen beforehand, so that other tasks can name them."""

    kind: Literal["add_person"] = "add_person"
    takes = frozenset({May.CHANGE_HOLDERS})
    id: Annotated[str, Field(pattern=r"^[a-z0-9-]{1,80}$")]
    name: Annotated[str, Field(min_length=1, max_length=120)]
    email: Annotated[str, Field(min_length=3, max_length=200, pattern=r"^[^@\s]+@[^@\s]+$")]
    site: Name
    department: str = Field(default="", max_length=80)
    extension: str = Field(default="", pattern=r"^\d{0,7}$")
    job: str = Field(default="", max_length=80)
    known_elsewhere_as: str = Field(default="", max_length=120)
    spot: str | None = None


class ChangePerson(AnyTask):
    """What is known of somebody; what is None stays. `left`: they are no longer here."""

    kind: Literal["change_person"] = "change_person"
    takes = frozenset({May.CHANGE_HOLDERS})
    person: Name
    name: str | None = Field(default=None, min_length=1, max_length=120)
    email: str | None = Field(default=None, min_length=3, max_length=200, pattern=r"^[^@\s]+@[^@\s]+$")
    site: str | None = Field(default=None, max_length=80)
    department: str | None = Field(default=None, max_length=80)
    job: str | None = Field(default=None, max_length=80)
    extension: str | None = Field(default=None, pattern=r"^\d{0,7}$")
    manager: str | None = Field(default=None, max_length=80)
    known_elsewhere_as: str | None = Field(default=None, max_length=120)
    left: bool | None = None


class SetGroup(AnyTask):
    """A group and all its members, people by their ids; one that is not there comes to be."""

    kind: Literal["set_group"] = "set_group"
    takes = frozenset({May.CHANGE_HOLDERS})
    group: Annotated[str, Field(pattern=r"^[a-z0-9-]{1,80}$")]
    name: Name
    members: tuple[str, ...] = Field(default=(), max_length=5000)
    known_elsewhere_as: str = Field(default="", max_length=120)
    removed: bool = False


class SetSpot(AnyTask):
    """For a number or a person, exactly one of them."""

    kind: Literal["set_spot"] = "set_spot"
    takes = frozenset({May.CHANGE_SAFETY})
    number: NumberField | None = None
    person: str | None = None
    spot: str


class RegisterAddress(AnyTask):
    """Send the number's spot to its carrier, for the emergency service."""

    kind: Literal["register_address"] = "register_address"
    takes = frozenset({May.CHANGE_SAFETY})
    number: NumberField


class TellPlace(AnyTask):
    """The words of a number's spot or its address have changed: tell the telephone system, with whose calls they travel, and the carrier
    where it keeps addresses."""

    kind: Literal["tell_place"] = "tell_place"
    takes = frozenset({May.CHANGE_SAFETY})
    number: NumberField


class SetPath(AnyTask):
    kind: Literal["set_path"] = "set_path"
    takes = NOTHING_MORE
    number: NumberField
    path: str


class PublishPath(AnyTask):
    kind: Literal["publish_path"] = "publish_path"
    takes = NOTHING_MORE
    path: Annotated[str, Field(pattern=r"^[a-z0-9-]{1,80}$")]
    name: Name
    body: Path

    @field_validator("path")
    @classmethod
    def _no_page(cls, value: str) -> str:
        if value in PAGES_OF_PATHS:
            raise ValueError(f"“{value}” is the name of a page; give the path another id")
        return value

    based_on: int | None = Field(default=None, description="the version that the drawing began from; 0 for a new path")


class SetAnswering(AnyTask):
    """A person's own answering rules: hours, ring time, devices, mobile, who may pick up, what then."""

    kind: Literal["set_answering"] = "set_answering"
    takes = NOTHING_MORE
    holder: HolderRef
    ring_seconds: Annotated[int, Field(ge=5, le=300)] = 25
    answering: Answering


class SetFallback(AnyTask):
    """Where the number's carrier sends its calls while its trunk does not take them; nowhere where `to` is empty."""

    kind: Literal["set_fallback"] = "set_fallback"
    takes = NOTHING_MORE
    number: NumberField
    to: Annotated[str, Field(pattern=r"^(\+\d{5,15})?$")]


class SetCallerId(AnyTask):
    """What the called party sees: for a person, a site, or without a holder for the whole organisation. `shows` empty: what the site,
    then the organisation says; `caller_id` is the number, or for `own` the one of who has none."""

    kind: Literal["set_caller_id"] = "set_caller_id"
    takes = NOTHING_MORE
    holder: HolderRef | None = None
    shows: Literal["", "own", "number", "withheld"] = "own"
    caller_id: Annotated[str, Field(pattern=r"^(\+\d{5,15})?$")] = ""


class SetCallingRights(AnyTask):
    kind: Literal["set_calling_rights"] = "set_calling_rights"
    takes = NOTHING_MORE
    holder: HolderRef
    rights: tuple[Right, ...]


class ListOnTrunk(AnyTask):
    kind: Literal["list_on_trunk"] = "list_on_trunk"
    takes = NOTHING_MORE
    number: NumberField
    trunk: Name


class UnlistFromTrunk(AnyTask):
    kind: Literal["unlist_from_trunk"] = "unlist_from_trunk"
    takes = NOTHING_MORE
    number: NumberField


Tag = Annotated[str, Field(min_length=1, max_length=40)]


class LabelNumbers(AnyTask):
    """Small facts of many numbers; what is None or empty stays. `tags` replaces all, `add_tags` and `drop_tags` change some."""

    kind: Literal["label_numbers"] = "label_numbers"
    takes = frozenset({May.EDIT_FACTS})
    numbers: tuple[E164, ...] = Field(min_length=1, max_length=10_000)
    label: str | None = Field(default=None, max_length=80)
    note: str | None = Field(default=None, max_length=2000)
    cost_centre: str | None = Field(default=None, max_length=40)
    tags: tuple[Tag, ...] | None = Field(default=None, max_length=50)
    add_tags: tuple[Tag, ...] = Field(default=(), max_length=50)
    drop_tags: tuple[Tag, ...] = Field(default=(), max_length=50)


class ImportNumbers(AnyTask):
    """The good rows of a file that was looked through: numbers brought in as found, small facts of known ones taken over."""

    kind: Literal["import_numbers"] = "import_numbers"
    takes = frozenset({May.IMPORT})
    file: Name


class PlaceTestCall(AnyTask):
    kind: Literal["place_test_call"] = "place_test_call"
    takes = frozenset({May.PLACE_TEST_CALL})
    number: NumberField
    direction: Literal["in", "out"] = "in"


class Snapshot(Fact):
    """A record as a done task found and left it, canonical."""

    subject: Subject
    id: str
    before: dict[str, Any] | None
    after: dict[str, Any]


class PutBack(AnyTask):
    """Undo of one task: every record it changed, as it was before; refused where somebody changed it since."""

    kind: Literal["put_back"] = "put_back"
    takes = NOTHING_MORE
    of: str = Field(description="the title of the task that is undone")
    snapshots: tuple[Snapshot, ...]


class PutBackLater(AnyTask):
    """A temporary change: at that moment what another task of the same work order changed is put back as it was."""

    kind: Literal["put_back_later"] = "put_back_later"
    takes = NOTHING_MORE
    task: int = Field(ge=0, description="position of the other task, from 0")
    at: AwareDatetime
    of_kind: str = Field(default="", description="filled in by Sedge: the kind of the other task")


Task = Annotated[
    GrantLicence | RevokeLicence | ExchangeLicence | BuySeats | StartTrial | CancelSeats | ChangePerson | SetGroup | PutBackLater | AssignNumber | UnassignNumber | ReserveNumber | UnreserveNumber | SetAside | ReturnNumber
    | EndRest | MoveNumber | AdoptNumber | SetSpot | RegisterAddress | TellPlace | SetPath | PublishPath | SetAnswering | SetFallback | SetCallerId | SubmitPort | ActivatePort | BackOutPort | ApprovePortOut | SetCallingRights | ListOnTrunk | UnlistFromTrunk
    | LabelNumbers | AddPerson | ImportNumbers | OrderNumbers | OrderWhenFree | RecordArrival | SendPaper | CancelOrder | ReleaseNumber | ConnectNumber | FollowCarrier | TellCarrier | SetFeature | PlaceTestCall | PutBack,
    Field(discriminator="kind"),
]  # fmt: skip
Bringing = AdoptNumber | ConnectNumber | TellCarrier  # they name a number that may not be in the estate
TASK: TypeAdapter[Any] = TypeAdapter(Task)

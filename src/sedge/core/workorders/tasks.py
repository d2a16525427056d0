"""The kinds of task: one closed union, the same for pages, API, runner and undo.

A task says what shall be, in the trade's words; what it changes is worked out by `core.reduce`, what it needs
loaded by `needs`, in which order tasks run by `plan`. Numbers may be typed in any unambiguous form at the
doors; here they are E.164.
"""

from datetime import datetime
from typing import Annotated, Any, Literal

from pydantic import AwareDatetime, Field, TypeAdapter, field_validator

from sedge.core.facts import Fact, Money
from sedge.core.paths.steps import Path
from sedge.core.records import Answering, Capacity, HolderRef, Right, Role, Subject

E164 = Annotated[str, Field(pattern=r"^\+[1-9]\d{6,14}$", description="E.164: plus and digits")]
PAGES_OF_PATHS = frozenset({"bring-in", "draw", "new", "out", "prove", "questions", "sounds", "week"})  # stand where a path's id would
Name = Annotated[str, Field(min_length=1, max_length=80)]


class OutputOf(Fact):
    """The number that comes out of another task of the same work order: its `index`-th, from 0."""

    output_of: int = Field(ge=0, description="position of the other task, from 0")
    index: int = Field(default=0, ge=0)


NumberField = E164 | OutputOf


class _Task(Fact):
    @property
    def e164(self) -> str | None:
        number = getattr(self, "number", None)
        return number if isinstance(number, str) else None


class GrantLicence(_Task):
    kind: Literal["grant_licence"] = "grant_licence"
    holder: HolderRef
    product: Name


class RevokeLicence(_Task):
    kind: Literal["revoke_licence"] = "revoke_licence"
    holder: HolderRef
    product: Name


class BuySeats(_Task):
    kind: Literal["buy_seats"] = "buy_seats"
    product: Name
    seats: int = Field(ge=1, le=10_000)


class StartTrial(_Task):
    """Seats of a product for its trial's days, without cost."""

    kind: Literal["start_trial"] = "start_trial"
    product: Name
    seats: int = Field(ge=1, le=10_000)


class CancelSeats(_Task):
    """Seats that are not wanted after the subscription's term."""

    kind: Literal["cancel_seats"] = "cancel_seats"
    subscription: Name
    seats: int = Field(ge=1, le=100_000)


class ExchangeLicence(_Task):
    """One product for another: the old seat goes on until the new one works."""

    kind: Literal["exchange_licence"] = "exchange_licence"
    holder: HolderRef
    product: Name
    to: Name


class AssignNumber(_Task):
    kind: Literal["assign_number"] = "assign_number"
    number: NumberField
    holder: HolderRef
    role: Role = Role.MAIN
    spot: str | None = None


class UnassignNumber(_Task):
    """`rest` is the days of rest; None for the policy's. `holder`, where known, must still have it. `announcement` is what callers hear
    while it rests; empty: that it is not in use."""

    kind: Literal["unassign_number"] = "unassign_number"
    number: NumberField
    holder: HolderRef | None = None
    rest: int | None = Field(default=None, ge=0, le=3650)
    announcement: str = Field(default="", max_length=300)


class ReserveNumber(_Task):
    kind: Literal["reserve_number"] = "reserve_number"
    number: NumberField
    holder: HolderRef | None = None
    reason: str = Field(default="", max_length=200)
    until: datetime | None = None


class UnreserveNumber(_Task):
    kind: Literal["unreserve_number"] = "unreserve_number"
    number: NumberField


class SetAside(_Task):
    kind: Literal["set_aside"] = "set_aside"
    number: NumberField
    reason: str = Field(default="", max_length=200)


class ReturnNumber(_Task):
    kind: Literal["return_number"] = "return_number"
    number: NumberField


class EndRest(_Task):
    kind: Literal["end_rest"] = "end_rest"
    number: NumberField
    reason: str = Field(min_length=3, max_length=200)


class AdoptNumber(_Task):
    """A number that is the organisation's already, brought in as found."""

    kind: Literal["adopt_number"] = "adopt_number"
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


class AddPerson(_Task):
    """Somebody new, with a phone of their own. `id` is chosen beforehand, so that other tasks can name them."""

    kind: Literal["add_person"] = "add_person"
    id: Annotated[str, Field(pattern=r"^[a-z0-9-]{1,80}$")]
    name: Annotated[str, Field(min_length=1, max_length=120)]
    email: Annotated[str, Field(min_length=3, max_length=200, pattern=r"^[^@\s]+@[^@\s]+$")]
    site: Name
    department: str = Field(default="", max_length=80)
    extension: str = Field(default="", pattern=r"^\d{0,7}$")
    job: str = Field(default="", max_length=80)
    known_elsewhere_as: str = Field(default="", max_length=120)
    spot: str | None = None


class ChangePerson(_Task):
    """What is known of somebody; what is None stays. `left`: they are no longer here."""

    kind: Literal["change_person"] = "change_person"
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


class SetGroup(_Task):
    """A group and all its members, people by their ids; one that is not there comes to be."""

    kind: Literal["set_group"] = "set_group"
    group: Annotated[str, Field(pattern=r"^[a-z0-9-]{1,80}$")]
    name: Name
    members: tuple[str, ...] = Field(default=(), max_length=5000)
    known_elsewhere_as: str = Field(default="", max_length=120)
    removed: bool = False


class SetSpot(_Task):
    """For a number or a person, exactly one of them."""

    kind: Literal["set_spot"] = "set_spot"
    number: NumberField | None = None
    person: str | None = None
    spot: str


class RegisterAddress(_Task):
    """Send the number's spot to its carrier, for the emergency service."""

    kind: Literal["register_address"] = "register_address"
    number: NumberField


class TellPlace(_Task):
    """The words of a number's spot or its address have changed: tell the telephone system, with whose calls they travel, and the carrier
    where it keeps addresses."""

    kind: Literal["tell_place"] = "tell_place"
    number: NumberField


class SetPath(_Task):
    kind: Literal["set_path"] = "set_path"
    number: NumberField
    path: str


class PublishPath(_Task):
    kind: Literal["publish_path"] = "publish_path"
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


class SetAnswering(_Task):
    """A person's own answering rules: hours, ring time, devices, mobile, who may pick up, what then."""

    kind: Literal["set_answering"] = "set_answering"
    holder: HolderRef
    ring_seconds: Annotated[int, Field(ge=5, le=300)] = 25
    answering: Answering


class SetFallback(_Task):
    """Where the number's carrier sends its calls while its trunk does not take them; nowhere where `to` is empty."""

    kind: Literal["set_fallback"] = "set_fallback"
    number: NumberField
    to: Annotated[str, Field(pattern=r"^(\+\d{5,15})?$")]


class SetCallerId(_Task):
    """What the called party sees: for a person, a site, or without a holder for the whole organisation. `shows` empty: what the site,
    then the organisation says; `caller_id` is the number, or for `own` the one of who has none."""

    kind: Literal["set_caller_id"] = "set_caller_id"
    holder: HolderRef | None = None
    shows: Literal["", "own", "number", "withheld"] = "own"
    caller_id: Annotated[str, Field(pattern=r"^(\+\d{5,15})?$")] = ""


class SubmitPort(_Task):
    """Ask the losing carrier, through the gaining one, to let the numbers of a port go; after a rejection the same port again."""

    kind: Literal["submit_port"] = "submit_port"
    port: Name


class ActivatePort(_Task):
    """Switch the numbers of a port whose day has come; those that were accepted become ours."""

    kind: Literal["activate_port"] = "activate_port"
    port: Name


class BackOutPort(_Task):
    """Give the numbers of a port back to the losing carrier, while it still takes them: whatever went wrong, callers get through again."""

    kind: Literal["back_out_port"] = "back_out_port"
    port: Name
    reason: str = Field(min_length=3, max_length=200)


class ApprovePortOut(_Task):
    """Let numbers go that another carrier has asked ours for; `vouched` is who has compared what it says of our account."""

    kind: Literal["approve_port_out"] = "approve_port_out"
    request: Name
    vouched: str = Field(default="", max_length=120)


class SetCallingRights(_Task):
    kind: Literal["set_calling_rights"] = "set_calling_rights"
    holder: HolderRef
    rights: tuple[Right, ...]


class ListOnTrunk(_Task):
    kind: Literal["list_on_trunk"] = "list_on_trunk"
    number: NumberField
    trunk: Name


class UnlistFromTrunk(_Task):
    kind: Literal["unlist_from_trunk"] = "unlist_from_trunk"
    number: NumberField


Tag = Annotated[str, Field(min_length=1, max_length=40)]


class LabelNumbers(_Task):
    """Small facts of many numbers; what is None or empty stays. `tags` replaces all, `add_tags` and `drop_tags` change some."""

    kind: Literal["label_numbers"] = "label_numbers"
    numbers: tuple[E164, ...] = Field(min_length=1, max_length=10_000)
    label: str | None = Field(default=None, max_length=80)
    note: str | None = Field(default=None, max_length=2000)
    cost_centre: str | None = Field(default=None, max_length=40)
    tags: tuple[Tag, ...] | None = Field(default=None, max_length=50)
    add_tags: tuple[Tag, ...] = Field(default=(), max_length=50)
    drop_tags: tuple[Tag, ...] = Field(default=(), max_length=50)


class ImportNumbers(_Task):
    """The good rows of a file that was looked through: numbers brought in as found, small facts of known ones taken over."""

    kind: Literal["import_numbers"] = "import_numbers"
    file: Name


class OrderedLine(Fact):
    """`monthly` with the features switched on, `listed` without, as the carrier was seen to ask."""

    number: E164
    capacity: Capacity
    setup: Money
    monthly: Money
    listed: Money | None = None


class OrderNumbers(_Task):
    kind: Literal["order_numbers"] = "order_numbers"
    reference: Name
    account: Name
    site: Name
    spot: str | None = None
    hold: str | None = None
    features: tuple[str, ...] = ()
    lines: tuple[OrderedLine, ...] = Field(min_length=1, max_length=1000)


class CancelOrder(_Task):
    kind: Literal["cancel_order"] = "cancel_order"
    order: Name


class OrderWhenFree(_Task):
    """Order numbers once a carrier has such in stock: asked for now and then, bought within the limits of price only.

    The wish is as in a search; `most_monthly` and `most_setup` are for each number, in the account's currency.
    """

    kind: Literal["order_when_free"] = "order_when_free"
    reference: Name
    account: Name
    site: Name
    spot: str | None = None
    country: Annotated[str, Field(pattern=r"^[A-Z]{2}$")]
    area: str = Field(default="", max_length=80)
    number_kind: str = Field(default="", max_length=20)
    capacity: str = Field(default="", max_length=10)
    starts: str = Field(default="", max_length=20)
    pattern: str = Field(default="", max_length=15)
    quantity: int = Field(default=1, ge=1, le=100)
    consecutive: bool = False
    most_setup: Money
    most_monthly: Money
    until: datetime


class ArrivedLine(Fact):
    """A number as the carrier's letter tells of it."""

    number: E164
    setup: Money
    monthly: Money


class RecordArrival(_Task):
    """Numbers that were ordered on a form have arrived."""

    kind: Literal["record_arrival"] = "record_arrival"
    order: Name
    lines: tuple[ArrivedLine, ...] = Field(min_length=1, max_length=1000)


class SendPaper(_Task):
    """Send a carrier another document for one of an order's that it has rejected."""

    kind: Literal["send_paper"] = "send_paper"
    order: Name
    document: Name
    instead_of: Name


class ReleaseNumber(_Task):
    """Hand a number back to its carrier; with `after_rest` once its rest is over."""

    kind: Literal["release_number"] = "release_number"
    number: NumberField
    after_rest: bool = False


class ConnectNumber(_Task):
    """A number that stays with its carrier comes into the estate and is reached over a connection, which is a trunk."""

    kind: Literal["connect_number"] = "connect_number"
    number: E164
    trunk: Name
    account: Name
    site: Name
    capacity: Capacity = Capacity.ANY
    monthly: Money


DriftWord = Literal["not listed", "not ours", "other price", "other state", "other trunk"]


class FollowCarrier(_Task):
    """Make our record of a number what its carrier lists; `theirs` as the comparison found it."""

    kind: Literal["follow_carrier"] = "follow_carrier"
    number: E164
    drift: DriftWord
    theirs: str = Field(max_length=200)


class TellCarrier(_Task):
    """Tell a carrier that its list is to be what is so here; with `not ours`: hand the number back. `ours` as it is told."""

    kind: Literal["tell_carrier"] = "tell_carrier"
    number: E164
    account: Name
    drift: DriftWord
    ours: str = Field(default="", max_length=200)


class SetFeature(_Task):
    """Switch a feature of a number on or off at its carrier."""

    kind: Literal["set_feature"] = "set_feature"
    number: NumberField
    feature: Name
    on: bool = True


class PlaceTestCall(_Task):
    kind: Literal["place_test_call"] = "place_test_call"
    number: NumberField
    direction: Literal["in", "out"] = "in"


class Snapshot(Fact):
    """A record as a done task found and left it, canonical."""

    subject: Subject
    id: str
    before: dict[str, Any] | None
    after: dict[str, Any]


class PutBack(_Task):
    """Undo of one task: every record it changed, as it was before; refused where somebody changed it since."""

    kind: Literal["put_back"] = "put_back"
    of: str = Field(description="the title of the task that is undone")
    snapshots: tuple[Snapshot, ...]


class PutBackLater(_Task):
    """A temporary change: at that moment what another task of the same work order changed is put back as it was."""

    kind: Literal["put_back_later"] = "put_back_later"
    task: int = Field(ge=0, description="position of the other task, from 0")
    at: AwareDatetime
    of_kind: str = Field(default="", description="filled in by Sedge: the kind of the other task")


Task = Annotated[
    GrantLicence | RevokeLicence | ExchangeLicence | BuySeats | StartTrial | CancelSeats | ChangePerson | SetGroup | PutBackLater | AssignNumber | UnassignNumber | ReserveNumber | UnreserveNumber | SetAside | ReturnNumber
    | EndRest | AdoptNumber | SetSpot | RegisterAddress | TellPlace | SetPath | PublishPath | SetAnswering | SetFallback | SetCallerId | SubmitPort | ActivatePort | BackOutPort | ApprovePortOut | SetCallingRights | ListOnTrunk | UnlistFromTrunk
    | LabelNumbers | AddPerson | ImportNumbers | OrderNumbers | OrderWhenFree | RecordArrival | SendPaper | CancelOrder | ReleaseNumber | ConnectNumber | FollowCarrier | TellCarrier | SetFeature | PlaceTestCall | PutBack,
    Field(discriminator="kind"),
]  # fmt: skip
AnyTask = _Task
Bringing = AdoptNumber | ConnectNumber | TellCarrier  # they name a number that may not be in the estate
TASK: TypeAdapter[Any] = TypeAdapter(Task)

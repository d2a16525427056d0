"""The records of an estate: what there is, as frozen facts; which of them is the ledger's subject
under which word."""

from datetime import datetime
from enum import StrEnum
from typing import Any, Literal

from pydantic import field_validator

from sedge.core.callpaths.steps import Opening

# whoever imports records finds these here
from sedge.core.enums import Capacity as Capacity  # noqa: PLC0414
from sedge.core.enums import HolderKind as HolderKind  # noqa: PLC0414
from sedge.core.enums import Right, Subject, SupplyModel, Transport
from sedge.core.enums import Role as Role  # noqa: PLC0414
from sedge.core.facts import Fact
from sedge.core.holding import HolderRef as HolderRef  # noqa: PLC0414
from sedge.core.licences.records import Grant, Product, Subscription
from sedge.core.numbers.records import Assignment as Assignment  # noqa: PLC0414
from sedge.core.numbers.records import KnownAs, Number
from sedge.core.outbound.records import OutboundRoute, OwnDialRule
from sedge.core.porting.outgoing_records import PortOut
from sedge.core.porting.records import KeptFree, Port
from sedge.core.supply.records import Account, Carrier, Document, Hold, Order
from sedge.core.trunks.records import Connection, Sbc, TestedLink, TrunkSettings, TrunkState

BASIC_RIGHTS = (Right.INTERNAL, Right.EMERGENCY, Right.NATIONAL, Right.MOBILE)


def tags_in(text: str) -> tuple[str, ...]:
    """Tags from a text with commas between: small letters, at most 40 of them each, no repeats."""
    return tuple(sorted({tag.strip().lower()[:40] for tag in text.split(",") if tag.strip()}))


class CivicElements(Fact):
    """The elements of RFC 5139 that Sedge uses: country, A1, A3, RD with STS, HNO with HNS, PC,
    LMK, BLD."""

    country: str
    region: str = ""
    city: str
    street: str
    house_number: str
    postcode: str
    landmark: str = ""
    building: str = ""

    @property
    def one_line(self) -> str:
        """As letters are addressed there."""
        if self.country == "DE":
            return f"{self.street} {self.house_number}, {self.postcode} {self.city}".strip()
        if self.country == "FR":
            return f"{self.house_number} {self.street}, {self.postcode} {self.city}".strip()
        comma = " " if self.country == "AU" else ", "
        has_region = self.country in {"US", "CA", "AU"} and self.region
        region = f"{comma}{self.region}" if has_region else ""
        return f"{self.house_number} {self.street}, {self.city}{region} {self.postcode}".strip()


class Verdict(StrEnum):
    EXACT = "exact"
    CORRECTED = "corrected"
    AMBIGUOUS = "ambiguous"
    UNKNOWN = "unknown"
    BY_HAND = "checked by hand"

    @property
    def is_exact(self) -> bool:
        return self is Verdict.EXACT

    @property
    def is_corrected(self) -> bool:
        return self is Verdict.CORRECTED

    @property
    def is_ambiguous(self) -> bool:
        return self is Verdict.AMBIGUOUS

    @property
    def is_by_hand(self) -> bool:
        return self is Verdict.BY_HAND


class Address(Fact):
    """A civic address of a site. `floors` and `area_m2` decide how much detail its spots need, or
    `detail` asks for floor and room whatever its size; `point` is latitude and longitude in WGS 84,
    as the register has them."""

    id: str
    site: str
    elements: CivicElements
    verdict: Verdict
    accepted: bool = False
    psap: str = ""
    floors: int = 1
    area_m2: int = 0
    detail: bool = False
    point: tuple[float, float] | None = None
    version: int = 0

    @property
    def dispatchable(self) -> bool:
        return self.verdict is Verdict.EXACT or (
            self.verdict in {Verdict.CORRECTED, Verdict.BY_HAND} and self.accepted
        )


class Spot(Fact):
    """A place inside a civic address where help must go; `id` is its spot code. `place` is where it
    lies on the plan of its floor, in hundredths of the plan's width and height; `note` tells a crew
    how to get there. `removed`: nobody is there any more, the code is never given again. `doubt` is
    what somebody at the site says is wrong with it."""

    id: str
    address: str
    site: str
    name: str
    building: str = ""
    floor: str = ""
    wing: str = ""
    room: str = ""
    note: str = ""
    place: tuple[float, float] | None = None
    whole: bool = False
    removed: bool = False
    confirmed_by: str = ""
    doubt: str = ""
    confirmed_at: datetime | None = None
    known_as: KnownAs = {}
    version: int = 0


class CallerId(Fact):
    """What the called party sees. `own`: one's own number, or `number` for who has none; `number`:
    that one, whoever calls; `withheld`: none; empty: what the site says, then the organisation,
    else one's own. `number` is E.164."""

    shows: Literal["", "own", "number", "withheld"] = ""
    number: str = ""


class Site(Fact):
    id: str
    name: str
    code: str
    country: str
    timezone: str
    language: str
    supply_model: SupplyModel
    account: str | None = None
    address: str | None = None
    spot: str | None = None
    outside_prefix: str = ""
    extension_digits: int = 3
    dial_rules: tuple[OwnDialRule, ...] = ()
    rights: tuple[Right, ...] = BASIC_RIGHTS
    security_desk: str = ""
    caller_id: CallerId = CallerId()
    known_as: KnownAs = {}
    version: int = 0


class Defaults(Fact):
    """What holds for the whole organisation where nobody nearer says otherwise; there is one,
    `ORGANISATION`. `rests` are days of rest by country (`GB`, `GB toll-free`), where they are not
    the policy's. `routes` of calls out, the first of those that fit equally well wins. After
    `erase_after_days` the personal data of who has left is erased, with 0 never by itself."""

    id: str
    caller_id: CallerId = CallerId()
    rests: dict[str, int] = {}
    routes: tuple[OutboundRoute, ...] = ()
    erase_after_days: int = 0
    version: int = 0


ORGANISATION = "organisation"


SECONDS_EACH = range(5, 121)  # that one device of a person may ring before the next


class Answering(Fact):
    """A person's own answering rules. `openings` are the hours they may be rung, in their site's
    time (none: always); `devices` those of their devices that ring (none: all); `mobile` (E.164)
    rings along. With `seconds_each` they ring one after the other, so long each, the mobile last; 0
    is all at once. `pickup` are colleagues who may answer for them; `then` is what happens to a
    call to their own number that nobody answers, `cover` the colleague who is rung for it.
    """

    openings: tuple[Opening, ...] = ()
    devices: tuple[str, ...] = ()
    mobile: str = ""
    seconds_each: int = 0
    pickup: tuple[str, ...] = ()
    then: Literal["mailbox", "colleague", "mobile", "nothing"] = "mailbox"
    cover: str = ""

    @field_validator("seconds_each")
    @classmethod
    def _long_enough_to_be_heard(cls, value: int) -> int:
        if value and value not in SECONDS_EACH:
            raise ValueError("5 to 120 seconds each, or 0 for all at once")
        return value


class Person(Fact):
    id: str
    name: str
    email: str
    site: str
    department: str = ""
    job: str = ""
    extension: str = ""
    spot: str | None = None
    rights: tuple[Right, ...] = BASIC_RIGHTS
    ring_seconds: int = 25
    answering: Answering = Answering()
    caller_id: CallerId = CallerId()
    manager: str | None = None
    left: bool = False
    known_elsewhere_as: str = ""
    version: int = 0


class ServiceLine(Fact):
    """`members` (people) and `groups` answer it; what rings, and how, is its call path's matter."""

    id: str
    name: str
    kind: str
    site: str
    members: tuple[str, ...] = ()
    groups: tuple[str, ...] = ()
    recipients: tuple[str, ...] = ()
    spot: str | None = None
    rights: tuple[Right, ...] = BASIC_RIGHTS
    version: int = 0


class Group(Fact):
    """People who answer together or read a mailbox together; `known_elsewhere_as` is the
    directory's id where it keeps the members."""

    id: str
    name: str
    members: tuple[str, ...] = ()
    known_elsewhere_as: str = ""
    removed: bool = False
    version: int = 0


class Device(Fact):
    """A phone that can ring. `registered` is what the telephone system last said, at `seen_at`, and
    `said` why not, in one word of its own. It signs in as `user`; the secret lies sealed
    elsewhere."""

    id: str
    person: str
    kind: str
    name: str
    user: str = ""
    registered: bool = False
    said: str = ""
    seen_at: datetime | None = None
    removed: bool = False
    version: int = 0


class Downstream(Fact):
    """Another telephone system of the organisation's that gets numbers whole, over a SIP trunk of
    ours to `host`."""

    id: str
    name: str
    site: str
    host: str
    port: int = 5061
    transport: Transport = Transport.TLS
    number_format: str = "with plus"
    spot: str | None = None
    removed: bool = False
    version: int = 0


class Trunk(Fact):
    """A SIP trunk. Which numbers are on its list stands with the numbers (`Number.trunk`).
    `channels` 0: the carrier has said no limit. With a `connection` it leads to a carrier that
    keeps its numbers and lets us sign in for them; `host` is where an own one ends. `settings`
    None: nobody has said how it is set up. `links` is what the last connection test found. Calls
    out of `site`, where it ends, go over it and those of the sites it `serves`; of every site where
    none is named.
    """

    id: str
    name: str
    site: str
    carrier: str
    channels: int
    serves: tuple[str, ...] = ()
    up: bool = True
    seen_at: datetime | None = None
    emergency: bool = True
    host: str = ""
    connection: Connection | None = None
    settings: TrunkSettings | None = None
    links: tuple[TestedLink, ...] = ()
    tested_at: datetime | None = None
    state: TrunkState = TrunkState.IN_SERVICE
    sbc: str = ""  # the one of ours that it ends at
    version: int = 0

    @property
    def carries(self) -> bool:
        """Whether it takes calls now."""
        return self.up and self.state is TrunkState.IN_SERVICE

    def serves_site(self, site: str) -> bool:
        """Whether calls out of a site may go over it."""
        return not self.serves or site == self.site or site in self.serves

    @property
    def why_not(self) -> str:
        """Why it takes no calls: *is …*; '' where it does."""
        if self.state is not TrunkState.IN_SERVICE:
            return f"is {self.state}"
        return "" if self.up else "is down"


class PathVersion(Fact):
    """A published call path. `body` is the graph of `core.paths.steps`, as plain data; one that is
    retired takes no calls any more."""

    id: str
    name: str
    number: int = 1
    body: dict[str, Any]
    in_force_from: datetime
    retired: bool = False
    version: int = 0

    def retired_at(self, now: datetime) -> "PathVersion":
        """Versions are never rewritten: that a path is retired is a new one."""
        return self.copy_with(retired=True, number=self.number + 1, in_force_from=now)


class Proof(Fact):
    """The dated result of a test call. `way` is a fingerprint of all it depended on when it was
    placed."""

    id: str
    e164: str
    direction: str
    at: datetime
    ok: bool
    heard: str
    rang: tuple[str, ...] = ()
    differs: str = ""
    way: str = ""
    by: str = ""  # the person who called by hand: nothing was compared then
    note: str = ""
    version: int = 0


class Area(Fact):
    """A dialling area of the estate. `id` is its leading E.164 digits; it is kept once another
    system's id is noted."""

    id: str
    name: str
    known_as: KnownAs = {}
    version: int = 0


Record = (
    Number
    | Person
    | Site
    | ServiceLine
    | Group
    | Device
    | Downstream
    | Address
    | Spot
    | Product
    | Subscription
    | Grant
    | Carrier
    | Account
    | Hold
    | Order
    | Trunk
    | PathVersion
    | Proof
    | Area
    | Document
    | Defaults
    | Port
    | PortOut
    | KeptFree
    | Sbc
)

RECORD_TYPES: dict[Subject, type[Fact]] = {
    Subject.NUMBER: Number,
    Subject.PERSON: Person,
    Subject.SITE: Site,
    Subject.SERVICE_LINE: ServiceLine,
    Subject.GROUP: Group,
    Subject.DEVICE: Device,
    Subject.DOWNSTREAM: Downstream,
    Subject.ADDRESS: Address,
    Subject.SPOT: Spot,
    Subject.PRODUCT: Product,
    Subject.SUBSCRIPTION: Subscription,
    Subject.GRANT: Grant,
    Subject.CARRIER: Carrier,
    Subject.ACCOUNT: Account,
    Subject.HOLD: Hold,
    Subject.ORDER: Order,
    Subject.TRUNK: Trunk,
    Subject.PATH: PathVersion,
    Subject.PROOF: Proof,
    Subject.AREA: Area,
    Subject.DOCUMENT: Document,
    Subject.DEFAULTS: Defaults,
    Subject.PORT: Port,
    Subject.PORT_OUT: PortOut,
    Subject.KEPT_FREE: KeptFree,
    Subject.SBC: Sbc,
}
SUBJECT_OF = {record_type: subject for subject, record_type in RECORD_TYPES.items()}

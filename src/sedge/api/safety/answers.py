"""What the JSON interface answers: spots, addresses, coverage, emergency tests."""

from typing_extensions import TypedDict

from sedge.api.answers import moment
from sedge.core.records import CivicElements, Spot, Verdict


class CivicElementsOut(TypedDict):
    """An address by the elements of RFC 5139."""

    country: str
    region: str
    city: str
    street: str
    house_number: str
    postcode: str
    landmark: str
    building: str


class AddressCandidateOut(CivicElementsOut):
    """An address that the register has; the point in WGS 84."""

    score: float
    psap: str
    latitude: float | None
    longitude: float | None


class EmergencyTestLineOut(TypedDict):
    """How a call for help from one number would go."""

    e164: str
    holder: str
    site: str
    spot: str
    psap: str
    callback: str
    trunk: str
    told: str
    broken: list[str]
    cautions: list[str]
    remedy: str
    help_comes: bool


class AddressMatchOut(TypedDict):
    verdict: Verdict
    candidates: list[AddressCandidateOut]
    differences: dict[str, tuple[str, str]]
    why: str | None


class AddressFormFieldOut(TypedDict):
    name: str
    element: str
    label: str
    example: str
    required: bool


class AddressFormOut(TypedDict):
    country: str
    fields: list[AddressFormFieldOut]


class RecheckChangedOut(TypedDict):
    id: str
    site: str
    verdict: Verdict
    psap: str


class RecheckOut(TypedDict):
    asked: int
    changed: list[RecheckChangedOut]
    trouble: str | None


class SpotOut(TypedDict):
    code: str
    name: str
    site: str
    civic_address: CivicElements
    floor: str
    room: str
    confirmed_at: str | None


class SpotCardOut(SpotOut):
    building: str
    wing: str
    note: str
    place: tuple[float, float] | None
    doubt: str | None
    confirmed_by: str | None


class SpotDetailOut(SpotCardOut):
    problem: str | None
    review_due: bool
    people: list[str]
    numbers: list[str]
    service_lines: list[str]
    people_count: int
    number_count: int


class SpotRemovedOut(TypedDict):
    code: str
    removed: bool


class FloorPlanOut(TypedDict):
    site: str
    floor: str
    has_plan: bool


class CoverageShareOut(TypedDict):
    numbers: int
    people: int
    found_numbers: int
    found_people: int
    per_cent: int | None
    reasons: dict[str, int]


class CoverageItemOut(TypedDict):
    key: str
    reason: str
    count: int
    numbers: list[str]
    people: list[dict[str, str]]


class CoverageSiteOut(CoverageShareOut):
    site: str
    unconfirmed: int
    floors: dict[str, CoverageShareOut]


class CoverageOut(TypedDict):
    items: list[CoverageItemOut]
    sites: list[CoverageSiteOut]
    next: None


class EmergencyReportOut(TypedDict):
    id: str
    at: str
    by: str
    of: str
    done: bool
    total: int
    numbers: int
    help_comes: int
    to_look_at: int
    people_without_spot: int
    sites: dict[str, dict[str, int]]
    reasons: dict[str, int]
    seconds: float


class EmergencyReportDetailOut(EmergencyReportOut):
    lines: list[EmergencyTestLineOut]
    lines_in_all: int


class RegisteredItemPartOut(TypedDict):
    part: str
    sedge: str
    carrier: str


class RegisteredItemOut(TypedDict):
    e164: str
    site: str
    has_none: bool
    parts: list[RegisteredItemPartOut]


class RegisteredOut(TypedDict):
    items: list[RegisteredItemOut]
    alike: int
    trouble: str | None
    at: str
    next: None


class ConfirmationLinkOut(TypedDict):
    """An address that works once, for whoever confirms the spot without signing in."""

    path: str
    good_for_days: int


class HelpCallOut(TypedDict):
    proof: str
    ok: bool
    heard: str
    differs: str | None


class SpotsImportOut(TypedDict):
    """How many rows are new, changed and the same; `bad` is what is wrong, by line."""

    new: int
    changed: int
    same: int
    bad: list[str]
    done: bool


def spot_out(s: Spot, address: CivicElements) -> SpotOut:
    return {
        "code": s.id,
        "name": s.name,
        "site": s.site,
        "civic_address": address,
        "floor": s.floor,
        "room": s.room,
        "confirmed_at": moment(s.confirmed_at),
    }

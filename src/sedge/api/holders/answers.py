"""What the JSON interface answers: people, service lines, sites, groups, devices, systems."""

from datetime import datetime

from pydantic import ConfigDict
from typing_extensions import TypedDict

from sedge.api.answers import JsonObject
from sedge.api.carriers.answers import AccountOut
from sedge.core.callpaths.steps import Opening
from sedge.core.enums import Right, SupplyModel, Transport
from sedge.core.holders.directory import Difference, ProposalKind
from sedge.core.records import CivicElements, Person, ServiceLine, Site
from sedge.core.workorders.findings import Level
from sedge.core.workorders.planner.problem import Given


class PersonDeviceOut(TypedDict):
    id: str
    kind: str
    name: str
    registered: bool


class AnsweringOut(TypedDict):
    openings: list[Opening]
    devices: list[str]
    mobile: str
    seconds_each: int
    pickup: list[str]
    then: str
    cover: str
    ring_seconds: int


class PersonOut(TypedDict):
    id: str
    name: str
    email: str
    site: str
    department: str
    job: str
    extension: str
    spot: str | None
    rights: list[Right]
    licences: list[str]
    numbers: list[str]
    devices: list[PersonDeviceOut]
    groups: list[str]
    ready: bool
    left: bool
    answering: AnsweringOut


class PersonDetailOut(PersonOut):
    missing: list[str]


class ServiceLineOut(TypedDict):
    id: str
    name: str
    kind: str
    site: str
    recipients: list[str]
    spot: str | None


class ServiceLineDetailOut(ServiceLineOut):
    numbers: list[str]
    licences: list[str]
    missing: list[str]


class SiteOut(TypedDict):
    id: str
    name: str
    country: str
    timezone: str
    language: str
    supply_model: SupplyModel
    code: str
    civic_address: CivicElements | None
    spots: list[str]
    security_desk: str


class SiteDetailOut(SiteOut):
    main_number: str | None


class PeopleImportBadOut(TypedDict):
    line: int
    name: str
    email: str
    why: str


class PeopleImportOut(TypedDict):
    added: int
    changed: int
    same: int
    bad: list[PeopleImportBadOut]
    columns: dict[str, str]
    ignored: list[str]
    dry_run: bool


class CarrierOut(TypedDict):
    id: str
    name: str
    supply_model: SupplyModel
    countries: list[str]
    accounts: list[AccountOut]


class TrunkOut(TypedDict):
    id: str
    name: str
    carrier: str
    site: str
    up: bool
    channels: int
    listed: int


class DeviceStateOut(TypedDict):
    id: str
    person: str
    kind: str
    name: str
    registered: bool


class GroupOut(TypedDict):
    id: str
    name: str
    members: list[str]
    known_elsewhere_as: str
    removed: bool


class GroupDetailOut(GroupOut):
    paths: list[str]
    service_lines: list[str]


class DeviceOut(TypedDict):
    id: str
    person: str
    kind: str
    name: str
    user: str
    registered: bool
    why_not: str


class DeviceAddedOut(DeviceOut):
    secret: str
    settings: dict[str, str]


class DeviceDetailOut(DeviceOut):
    settings: dict[str, str]


class DeviceSecretOut(DeviceOut):
    secret: str


class SystemOut(TypedDict):
    id: str
    name: str
    site: str
    host: str
    port: int
    transport: Transport
    number_format: str
    spot: str | None


class SystemsOut(SystemOut):
    numbers: int


class SystemDetailOut(SystemOut):
    ranges: list[str]
    written: list[str]


class LineChangedOut(ServiceLineOut):
    members: list[str]
    groups: list[str]


class SetUpStepOut(TypedDict):
    key: str
    what: str
    level: Level
    how: str


class SetUpOut(TypedDict):
    site: str
    steps: list[SetUpStepOut]


class ErasedOut(TypedDict):
    """`rows`: of what is kept beside the ledger; `entries`: of the ledger."""

    rows: int
    entries: int


class LeaverOut(TypedDict):
    """`on`: when their personal data is erased by itself, None for not by itself."""

    person: str
    name: str
    since: datetime
    missing: str
    on: datetime | None


class ErasureRuleOut(TypedDict):
    """`days` 0: never by itself."""

    days: int
    leavers: list[LeaverOut]


class DismissedOut(TypedDict):
    dismissed: int


class PulledOut(TypedDict):
    open: int


class ScimMetaOut(TypedDict):
    resourceType: str
    location: str


class ScimResourceOut(TypedDict):
    """A user with the enterprise extension, or a group, with all attributes the directory sent
    (RFC 7643, 4)."""

    __pydantic_config__ = ConfigDict(extra="allow")  # type: ignore[misc]

    schemas: list[str]
    id: str
    meta: ScimMetaOut


class ScimDescriptionOut(TypedDict):
    """What the server can do, or what its resources look like (RFC 7643, 5 to 7)."""

    __pydantic_config__ = ConfigDict(extra="allow")  # type: ignore[misc]

    schemas: list[str]


class ScimListOut(TypedDict):
    """RFC 7644, 3.4.2."""

    schemas: list[str]
    totalResults: int
    startIndex: int
    itemsPerPage: int
    Resources: list[ScimResourceOut]


class ScimDescriptionsOut(TypedDict):
    schemas: list[str]
    totalResults: int
    startIndex: int
    itemsPerPage: int
    Resources: list[ScimDescriptionOut]


def person_out(
    p: Person,
    numbers: list[str],
    licences: list[str],
    devices: list[PersonDeviceOut],
    *,
    in_groups: list[str],
    ready: bool,
) -> PersonOut:
    return {
        "id": p.id,
        "name": p.name,
        "email": p.email,
        "site": p.site,
        "department": p.department,
        "job": p.job,
        "extension": p.extension,
        "spot": p.spot,
        "rights": list(p.rights),
        "licences": licences,
        "numbers": numbers,
        "devices": devices,
        "groups": in_groups,
        "ready": ready,
        "left": p.left,
        "answering": {
            "openings": list(p.answering.openings),
            "devices": list(p.answering.devices),
            "mobile": p.answering.mobile,
            "seconds_each": p.answering.seconds_each,
            "pickup": list(p.answering.pickup),
            "then": p.answering.then,
            "cover": p.answering.cover,
            "ring_seconds": p.ring_seconds,
        },
    }


def site_out(s: Site, address: CivicElements | None, spots: list[str]) -> SiteOut:
    return {
        "id": s.id,
        "name": s.name,
        "country": s.country,
        "timezone": s.timezone,
        "language": s.language,
        "supply_model": s.supply_model,
        "code": s.code,
        "civic_address": address,
        "spots": spots,
        "security_desk": s.security_desk,
    }


def service_line_out(x: ServiceLine) -> ServiceLineOut:
    return {
        "id": x.id,
        "name": x.name,
        "kind": x.kind,
        "site": x.site,
        "recipients": list(x.recipients),
        "spot": x.spot,
    }


class ProposalOut(TypedDict):
    """What the directory proposes: `said` as it said it, `changes` to a person's facts."""

    id: str
    state: str
    work_order: str | None
    kind: ProposalKind
    about: str
    name: str
    said: JsonObject
    differences: list[Difference]
    changes: JsonObject
    problem: str


class PlanOut(TypedDict):
    """Who gets what; `windows` are the runs that teams were to have, first and last number."""

    given: list[Given]
    points: float
    windows: dict[str, tuple[str, str]]
    left_out: int
    work_order: str | None

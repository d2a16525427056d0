"""People, sites, service lines, spots, licence products, subscriptions, carriers, trunks,
devices."""

from typing import Any, TypeVar

from fastapi import Request
from fastapi.responses import Response
from pydantic import BaseModel, ConfigDict, Field
from starlette.concurrency import run_in_threadpool

from sedge.api.answers import Page
from sedge.api.carriers.answers import account_out
from sedge.api.holders.answers import (
    CarrierOut,
    DeviceStateOut,
    PeopleImportBadOut,
    PeopleImportOut,
    PersonDetailOut,
    PersonDeviceOut,
    PersonOut,
    ServiceLineDetailOut,
    SiteDetailOut,
    SiteOut,
    TrunkOut,
    person_out,
    service_line_out,
    site_out,
)
from sedge.api.routing import RequestContext, Resource, once, page_limit
from sedge.core.access.roles import May, allowed
from sedge.core.facts import Fact
from sedge.core.records import CivicElements, Device, HolderKind, ServiceLine, Spot
from sedge.services.carriers import balances
from sedge.services.context import Context
from sedge.services.holders import (
    groups,
    holders,
    service_lines,
    site_facts,
    site_management,
    site_setup,
)
from sedge.services.holders.holders import HolderRow
from sedge.services.imports import people_import
from sedge.services.trunks import trunks

R = TypeVar("R", bound=Fact)
resource = Resource(tags=["holders"])


class PersonAsked(BaseModel):
    model_config = ConfigDict(extra="forbid")
    name: str
    email: str
    site: str
    department: str = ""
    job: str = ""
    extension: str = ""


class LineAsked(BaseModel):
    model_config = ConfigDict(extra="forbid")
    name: str
    kind: str
    site: str
    spot: str = ""


class AddressAsked(BaseModel):
    model_config = ConfigDict(extra="ignore")
    country: str = Field(min_length=2, max_length=2)
    region: str = Field(default="", max_length=80)
    city: str = Field(max_length=80)
    street: str = Field(max_length=120)
    house_number: str = Field(max_length=12)
    postcode: str = Field(max_length=12)


class SiteChanged(BaseModel):
    model_config = ConfigDict(extra="forbid")
    name: str | None = Field(default=None, max_length=120)
    security_desk: str | None = Field(default=None, max_length=200)
    civic_address: AddressAsked | None = None
    floors: int | None = Field(default=None, ge=1, le=200)
    area_m2: int | None = Field(default=None, ge=0)
    detail: bool | None = None
    accepted: bool | None = None


class SiteAsked(BaseModel):
    model_config = ConfigDict(extra="forbid")
    name: str
    code: str
    civic_address: AddressAsked
    accepted: bool = False
    floors: int = 1
    area_m2: int = 0
    account: str | None = None
    security_desk: str = ""


class SpotAsked(BaseModel):
    model_config = ConfigDict(extra="forbid")
    site: str
    floor: str = ""
    room: str = ""
    name: str = ""


def _person(row: HolderRow, in_groups: list[str]) -> PersonDetailOut:
    devices: list[PersonDeviceOut] = [
        {"id": d.id, "kind": d.kind, "name": d.name, "registered": d.registered}
        for d in row.devices
    ]
    numbers = [n.e164 for n in row.numbers]
    body: PersonOut = person_out(
        row.holder,  # type: ignore[arg-type]
        numbers,
        row.licences,
        devices,
        in_groups=in_groups,
        ready=not row.missing,
    )
    return {**body, "missing": row.missing}


@resource.read("/people")
def people(
    context: RequestContext, site: str = "", find: str = "", after: str = "", limit: int = 100
) -> Page[PersonDetailOut]:
    rows, following = holders.people(
        context, site=site, find=find, after=after, limit=page_limit(limit)
    )
    known = groups.groups_of(context, [r.holder.id for r in rows])
    return {"items": [_person(r, known[r.holder.id]) for r in rows], "next": following}


@resource.creates("/people", May.CHANGE_HOLDERS, PersonDetailOut)
def add_person(request: Request, context: RequestContext, asked: PersonAsked) -> Response:
    def make(identity: str | None) -> tuple[int, Any]:
        made = holders.add_person(context, **asked.model_dump())
        return 201, _person(holders.one_holder(context, HolderKind.PERSON, made.id), [])

    return once(request, context, asked.model_dump(), make)


@resource.read("/people/{key}")
def person(context: RequestContext, key: str) -> PersonDetailOut:
    row = holders.one_holder(context, HolderKind.PERSON, key)
    return _person(row, groups.groups_of(context, [key])[key])


@resource.read("/service-lines")
def lines(context: RequestContext, site: str = "") -> Page[ServiceLineDetailOut]:
    rows = holders.service_lines(context, site=site)
    return {"items": [_line(r) for r in rows], "next": None}


def _line(row: HolderRow) -> ServiceLineDetailOut:
    line: ServiceLine = row.holder  # type: ignore[assignment]
    return {
        **service_line_out(line),
        "numbers": [n.e164 for n in row.numbers],
        "licences": row.licences,
        "missing": row.missing,
    }


@resource.creates("/service-lines", May.CHANGE_HOLDERS, ServiceLineDetailOut)
def add_line(request: Request, context: RequestContext, asked: LineAsked) -> Response:
    def make(identity: str | None) -> tuple[int, Any]:
        made = service_lines.add_service_line(context, **asked.model_dump())
        return 201, _line(holders.one_holder(context, HolderKind.SERVICE_LINE, made.id))

    return once(request, context, asked.model_dump(), make)


@resource.read("/service-lines/{key}")
def line(context: RequestContext, key: str) -> ServiceLineDetailOut:
    return _line(holders.one_holder(context, HolderKind.SERVICE_LINE, key))


@resource.read("/sites")
def sites(context: RequestContext) -> Page[SiteOut]:
    spots = _all(context, Spot)
    items: list[SiteOut] = [
        site_out(
            row.site,
            row.address.elements if row.address else None,
            [s.id for s in spots if s.site == row.site.id],
        )
        for row in site_management.sites(context)
    ]
    return {"items": items, "next": None}


@resource.creates("/sites", May.CHANGE_HOLDERS, SiteDetailOut)
def add_site(request: Request, context: RequestContext, asked: SiteAsked) -> Response:
    """The civic address is checked against the register; `accepted` takes the register's
    correction."""

    def make(identity: str | None) -> tuple[int, Any]:
        typed = CivicElements(**asked.civic_address.model_dump())
        values = asked.model_dump(exclude={"civic_address"})
        made = site_management.add_site(context, typed=typed, **values)
        return 201, _site(context, made.id)

    return once(request, context, asked.model_dump(), make)


@resource.read("/sites/{key}")
def site(context: RequestContext, key: str) -> SiteDetailOut:
    return _site(context, key)


@resource.write("/sites/{key}", May.CHANGE_SAFETY, method="PATCH")
def change_site(context: RequestContext, key: str, asked: SiteChanged) -> SiteDetailOut:
    """What is given is changed, the rest stays; an address is checked against the register."""
    site, address = site_facts.facts_of_site(context, key)
    now = {"name": site.name, "security_desk": site.security_desk}
    if address:
        now |= {
            **address.elements.model_dump(),
            "floors": str(address.floors),
            "area_m2": str(address.area_m2),
            "detail": "1" if address.detail else "",
        }
    given = asked.model_dump(exclude_none=True)
    typed = {**given.pop("civic_address", {}), **given}
    site_facts.change_site(
        context,
        key,
        {
            **now,
            **{
                name: "1" if value is True else "" if value is False else str(value)
                for name, value in typed.items()
            },
        },
    )
    return _site(context, key)


class SupplyChosen(BaseModel):
    model_config = ConfigDict(extra="forbid")
    account: str = Field(max_length=80)


@resource.write("/sites/{key}/supply", May.ADD_SITE, method="PUT")
def choose_supply(context: RequestContext, key: str, asked: SupplyChosen) -> SiteDetailOut:
    """The carrier account that the site's numbers and calls are paid on; where the carrier brings
    the trunk, it comes along."""
    site_setup.choose_account(context, key, asked.account)
    return _site(context, key)


def _site(context: Context, key: str) -> SiteDetailOut:
    view = site_management.one_site(context, key)
    address = view.row.address.elements if view.row.address else None
    return {
        **site_out(view.row.site, address, [s.id for s in view.spots]),
        "main_number": view.main or None,
    }


@resource.write("/imports/people", May.CHANGE_HOLDERS)
async def import_people(
    request: Request, context: RequestContext, dry_run: bool = False, site: str = ""
) -> PeopleImportOut:
    """A CSV file as the body; `dry_run` only looks. Bad rows are left out and named; bringing in
    the same file again changes nothing."""
    data = await request.body()

    def done() -> people_import.Preview:
        found = people_import.preview_people(context, data, site)
        return (
            found if dry_run else people_import.bring_in_people(context, data, found.digest, site)
        )

    found = await run_in_threadpool(done)
    bad: list[PeopleImportBadOut] = [
        {"line": b.row.number, "name": b.row.name, "email": b.row.email, "why": b.why}
        for b in found.bad
    ]
    return {
        "added": len(found.new),
        "changed": len(found.changed),
        "same": found.same,
        "bad": bad,
        "columns": found.sheet.columns,
        "ignored": found.sheet.ignored,
        "dry_run": dry_run,
    }


@resource.read("/carriers")
def carriers(context: RequestContext) -> Page[CarrierOut]:
    ahead = balances.outlooks(context)
    items: list[CarrierOut] = [
        {
            "id": v.carrier.id,
            "name": v.carrier.name,
            "supply_model": v.carrier.supply_model,
            "countries": list(v.carrier.countries),
            "accounts": [
                account_out(a, ahead[a.id] if _sees_money(context) else None) for a in v.accounts
            ],
        }
        for v in trunks.carriers(context)
    ]
    return {"items": items, "next": None}


def _sees_money(context: Context) -> bool:
    return allowed(context.who.role, May.SEE_MONEY)


@resource.read("/trunks")
def trunk_list(context: RequestContext) -> Page[TrunkOut]:
    items: list[TrunkOut] = [
        {
            "id": x.trunk.id,
            "name": x.trunk.name,
            "carrier": x.trunk.carrier,
            "site": x.trunk.site,
            "up": x.trunk.up,
            "channels": x.trunk.channels,
            "listed": x.listed,
        }
        for v in trunks.carriers(context)
        for x in v.trunks
    ]
    return {"items": items, "next": None}


@resource.read("/devices")
def devices(context: RequestContext) -> Page[DeviceStateOut]:
    items: list[DeviceStateOut] = [
        {"id": d.id, "person": d.person, "kind": d.kind, "name": d.name, "registered": d.registered}
        for d in _all(context, Device)
        if not d.removed
    ]
    return {"items": items, "next": None}


def _all(context: Context, record_type: type[R]) -> list[R]:
    with context.reading() as reading:
        return reading.records.all(record_type)

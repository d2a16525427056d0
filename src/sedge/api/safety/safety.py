"""Safety: addresses against the register, spots, coverage, emergency tests, what carriers have
registered, open formats."""

from typing import Annotated, Any, cast

from fastapi import Query, Request
from fastapi.responses import Response
from pydantic import BaseModel, ConfigDict, Field
from starlette.concurrency import run_in_threadpool

from sedge.api.answers import OrderMadeOut, Page, moment
from sedge.api.routing import RequestContext, Resource, once
from sedge.api.safety.answers import (
    AddressCandidateOut,
    AddressFormOut,
    AddressMatchOut,
    CivicElementsOut,
    ConfirmationLinkOut,
    CoverageItemOut,
    CoverageOut,
    CoverageShareOut,
    CoverageSiteOut,
    EmergencyReportDetailOut,
    EmergencyReportOut,
    EmergencyTestLineOut,
    FloorPlanOut,
    HelpCallOut,
    RecheckChangedOut,
    RecheckOut,
    RegisteredItemOut,
    RegisteredOut,
    SpotCardOut,
    SpotDetailOut,
    SpotRemovedOut,
    SpotsImportOut,
    spot_out,
)
from sedge.core.access.roles import May
from sedge.core.records import CivicElements, Spot
from sedge.core.safety.countries import FORMS, RULES, CountryRules
from sedge.core.safety.coverage import Share
from sedge.core.safety.emergency_tests import Tested
from sedge.services.callpaths import calls
from sedge.services.holders import relocations
from sedge.services.numbers.numbers import the_number
from sedge.services.safety import (
    address_revalidation,
    address_search,
    carrier_registrations,
    confirmation_links,
    coverage,
    emergency_exports,
    emergency_reports,
    safety,
)
from sedge.services.safety import spots as places
from sedge.services.safety.emergency_reports import Report

resource = Resource(tags=["safety"])


class AddressTyped(BaseModel):
    """Elements of RFC 5139 by plain names."""

    model_config = ConfigDict(extra="ignore")
    country: str = Field(max_length=2)
    region: str = Field(default="", max_length=200)
    city: str = Field(default="", max_length=200)
    street: str = Field(default="", max_length=2000)
    house_number: str = Field(default="", max_length=200)
    postcode: str = Field(default="", max_length=200)
    building: str = Field(default="", max_length=200)


class SpotAsked(BaseModel):
    model_config = ConfigDict(extra="forbid")
    site: str = Field(max_length=80)
    floor: str = Field(default="", max_length=60)
    room: str = Field(default="", max_length=60)
    name: str = Field(default="", max_length=120)


class SpotWords(BaseModel):
    """All words of a spot, set anew."""

    model_config = ConfigDict(extra="forbid")
    name: str = Field(default="", max_length=120)
    building: str = Field(default="", max_length=60)
    floor: str = Field(default="", max_length=60)
    wing: str = Field(default="", max_length=60)
    room: str = Field(default="", max_length=60)
    note: str = Field(default="", max_length=400)


class OnPlan(BaseModel):
    model_config = ConfigDict(extra="forbid")
    x: float = Field(ge=0, le=100, description="hundredths of the plan's width")
    y: float = Field(ge=0, le=100, description="hundredths of its height")


class Move(BaseModel):
    model_config = ConfigDict(extra="forbid")
    to: str = Field(max_length=40, description="spot code")
    people: list[str] = Field(default=[], max_length=relocations.MOST)
    from_spot: str = Field(default="", max_length=40)


class LinkAsked(BaseModel):
    model_config = ConfigDict(extra="forbid")
    to: str = Field(default="", max_length=200, description="mail address it is sent to")


class TestAsked(BaseModel):
    model_config = ConfigDict(extra="forbid")
    site: str = Field(default="", max_length=80)


class HelpCallAsked(BaseModel):
    model_config = ConfigDict(extra="forbid")
    number: str = Field(max_length=60)


@resource.write("/civic-addresses/match", May.LOOK)
def match_address(context: RequestContext, asked: AddressTyped) -> AddressMatchOut:
    found = safety.match_address(context, asked.model_dump())
    candidates: list[AddressCandidateOut] = [
        {
            **_elements(c.elements),
            "score": c.score,
            "psap": c.psap,
            "latitude": (c.point or (None, None))[0],
            "longitude": (c.point or (None, None))[1],
        }
        for c in found.candidates
    ]
    return {
        "verdict": found.verdict,
        "candidates": candidates,
        "differences": found.differences,
        "why": found.why or None,
    }


@resource.read("/civic-addresses/suggestions")
def suggested_addresses(
    context: RequestContext,
    line: Annotated[str, Query(max_length=200, description="12 Lanternfield Wharf, Leeds")],
    country: Annotated[str, Query(max_length=2, description="of the organisation, if empty")] = "",
) -> Page[CivicElementsOut]:
    """The register's addresses that a line may mean, the likeliest first. They are to be chosen
    from; whether responders can be sent there, `match` says."""
    found = address_search.search_addresses(context, country, line)
    return {"items": [_elements(one) for one in found.addresses], "next": None}


def _elements(found: CivicElements) -> CivicElementsOut:
    return {
        "country": found.country,
        "region": found.region,
        "city": found.city,
        "street": found.street,
        "house_number": found.house_number,
        "postcode": found.postcode,
        "landmark": found.landmark,
        "building": found.building,
    }


@resource.read("/civic-addresses/forms")
def address_forms() -> Page[AddressFormOut]:
    """How addresses are typed, country by country; `element` is that of RFC 5139."""
    items: list[AddressFormOut] = [
        {
            "country": c,
            "fields": [
                {
                    "name": f.name,
                    "element": f.element,
                    "label": f.label,
                    "example": f.example,
                    "required": f.required,
                }
                for f in fields
            ],
        }
        for c, fields in FORMS.items()
    ]
    return {"items": items, "next": None}


@resource.write("/civic-addresses/recheck", May.CHANGE_SAFETY)
def recheck(context: RequestContext) -> RecheckOut:
    """Every address of ours held against the register again."""
    done = address_revalidation.recheck(context)
    items: list[RecheckChangedOut] = [
        {"id": a.id, "site": a.site, "verdict": a.verdict, "psap": a.psap} for a in done.changed
    ]
    return {"asked": done.asked, "changed": items, "trouble": done.trouble or None}


@resource.read("/safety/rules")
def rules() -> Page[CountryRules]:
    """What each country asks of emergency data, with its source."""
    return {"items": list(RULES.values()), "next": None}


# ── spots ──


@resource.read("/spots")
def spots(context: RequestContext, site: str = "") -> Page[SpotCardOut]:
    items: list[SpotCardOut] = [
        _card(context, row.spot) for row in safety.spots(context, [site] if site else None)
    ]
    return {"items": items, "next": None}


@resource.creates("/spots", May.CHANGE_SAFETY, SpotCardOut)
def add_spot(request: Request, context: RequestContext, asked: SpotAsked) -> Response:
    """A new spot in the site's address, under the next code."""

    def make(identity: str | None) -> tuple[int, Any]:
        return 201, _card(context, safety.add_spot(context, **asked.model_dump()))

    return once(request, context, asked.model_dump(), make)


def _card(context: RequestContext, spot: Spot) -> SpotCardOut:
    address = safety.address_of(context, spot)
    return {
        **spot_out(spot, address.elements),
        "building": spot.building,
        "wing": spot.wing,
        "note": spot.note,
        "place": spot.place,
        "doubt": spot.doubt or None,
        "confirmed_by": spot.confirmed_by or None,
    }


@resource.read("/spots/{code}")
def spot(context: RequestContext, code: str) -> SpotDetailOut:
    """One spot with who is at it. The code may be typed without dashes; a mistyped one is refused
    and the nearest told."""
    card = places.card(context, safety.the_spot(context, code))
    return {
        **_card(context, card.spot),
        "problem": card.problem or None,
        "review_due": card.review,
        "people": [p.id for p in card.people],
        "numbers": [n.e164 for n in card.numbers],
        "service_lines": [x.id for x in card.lines],
        "people_count": card.many[0],
        "number_count": card.many[1],
    }


@resource.write("/spots/{code}", May.CHANGE_SAFETY, method="PATCH")
def change_spot(context: RequestContext, code: str, asked: SpotWords) -> SpotCardOut:
    return _card(context, places.change_spot(context, code, asked.model_dump()))


@resource.write("/spots/{code}", May.CHANGE_SAFETY, method="DELETE")
def remove_spot(context: RequestContext, code: str) -> SpotRemovedOut:
    """Taken out of use; refused while somebody is there."""
    return {"code": places.remove(context, code).id, "removed": True}


@resource.write("/spots/{code}/place", May.CHANGE_SAFETY)
def place_spot(context: RequestContext, code: str, asked: OnPlan) -> SpotCardOut:
    return _card(context, places.put_on_plan(context, code, asked.x, asked.y))


@resource.write("/spots/{code}/confirm", May.CHANGE_SAFETY)
def confirm_spot(context: RequestContext, code: str) -> SpotCardOut:
    """Somebody has looked: the spot is still right."""
    return _card(context, safety.confirm_spot(context, code))


@resource.write("/spots/{code}/links", May.CHANGE_SAFETY, status_code=201)
def confirm_link(context: RequestContext, code: str, asked: LinkAsked) -> ConfirmationLinkOut:
    """A link for somebody at the site, good once and for some days; told this once."""
    return {
        "path": confirmation_links.make_link(context, code, to=asked.to),
        "good_for_days": confirmation_links.GOOD_FOR.days,
    }


@resource.file("/spots/{code}/pidf-lo.xml", May.LOOK, "application/pidf+xml")
def spot_pidf_lo(context: RequestContext, code: str) -> Response:
    return Response(
        emergency_exports.spot_pidf_lo(context, code), media_type="application/pidf+xml"
    )


@resource.file("/numbers/{number}/pidf-lo.xml", May.LOOK, "application/pidf+xml")
def number_pidf_lo(context: RequestContext, number: str) -> Response:
    return Response(
        emergency_exports.number_pidf_lo(context, the_number(context, number)),
        media_type="application/pidf+xml",
    )


@resource.file("/exports/spots.csv", May.LOOK, "text/csv")
def spots_csv(context: RequestContext) -> Response:
    return Response(emergency_exports.spots_csv(context), media_type="text/csv; charset=utf-8")


@resource.write("/imports/spots", May.CHANGE_SAFETY)
async def import_spots(
    request: Request, context: RequestContext, dry_run: bool = False
) -> SpotsImportOut:
    """A CSV as the body; all rows or none. `dry_run` only looks."""
    content = await request.body()
    done = await run_in_threadpool(emergency_exports.spots_in, context, content, dry_run=dry_run)
    return cast(SpotsImportOut, done)


@resource.write("/sites/{key}/floor-plan", May.CHANGE_SAFETY, method="PUT")
async def put_plan(request: Request, context: RequestContext, key: str, floor: str) -> FloorPlanOut:
    """A picture (PNG, JPEG) of a floor as the body; an empty body takes it away."""
    content = await request.body()
    if content:
        await run_in_threadpool(places.put_plan, context, key, floor, content)
    else:
        await run_in_threadpool(places.take_plan_away, context, key, floor)
    return {"site": key, "floor": floor, "has_plan": bool(content)}


@resource.file("/sites/{key}/floor-plan", May.LOOK, "image/png", "image/jpeg", "image/svg+xml")
def floor_plan(context: RequestContext, key: str, floor: str) -> Response:
    media_type, content = places.plan(context, key, floor)
    return Response(content, media_type=media_type, headers={"X-Content-Type-Options": "nosniff"})


# ── coverage, tests, drift, moves ──


def _share(share: Share) -> CoverageShareOut:
    return {
        "numbers": share.numbers,
        "people": share.people,
        "found_numbers": share.found_numbers,
        "found_people": share.found_people,
        "per_cent": None if share.is_empty else share.per_cent,
        "reasons": dict(share.reasons),
    }


@resource.read("/safety/coverage")
def cover(context: RequestContext) -> CoverageOut:
    """Gaps by reason, and the shares of each site and floor."""
    items: list[CoverageItemOut] = [
        {
            "key": g.key,
            "reason": g.reason,
            "count": g.count,
            "numbers": g.numbers,
            "people": g.people,
        }
        for g in coverage.gaps(context)
    ]
    sites: list[CoverageSiteOut] = [
        {
            "site": c.site.id,
            **_share(c.whole),
            "unconfirmed": c.unconfirmed,
            "floors": {floor: _share(share) for floor, share in c.floors.items()},
        }
        for c in coverage.by_site(context)
    ]
    return {"items": items, "sites": sites, "next": None}


@resource.write("/safety/gaps/{key}/put-right", May.CHANGE_ESTATE, status_code=201)
def put_right(context: RequestContext, key: str) -> OrderMadeOut:
    order = coverage.put_right(context, key)
    return {"work_order": order.id, "no": order.no}


@resource.write("/safety/moves", May.CHANGE_ESTATE, status_code=201)
def move(context: RequestContext, asked: Move) -> OrderMadeOut:
    """The draft of a work order that moves people, their numbers and registrations to a spot."""
    order = relocations.draft(
        context,
        safety.the_spot(context, asked.to, field="to"),
        people=asked.people,
        from_spot=asked.from_spot,
    )
    return {"work_order": order.id, "no": order.no}


@resource.write("/safety/help-calls", May.PLACE_TEST_CALL, status_code=201)
def help_call(context: RequestContext, asked: HelpCallAsked) -> HelpCallOut:
    """A call for help that ends at the stand-in of an answering point, never at a real one."""
    proof = calls.place_help_call(context, the_number(context, asked.number))
    return {
        "proof": proof.id,
        "ok": proof.ok,
        "heard": proof.heard,
        "differs": proof.differs or None,
    }


@resource.write("/safety/tests", May.PLACE_TEST_CALL, status_code=201)
def run_test(context: RequestContext, asked: TestAsked) -> EmergencyReportOut:
    """The emergency test of every number in use, or of a site's; kept as a dated report. A large
    one goes on by itself until it is `done`."""
    return _report(emergency_reports.begin(context, site=asked.site))


def _report(report: Report) -> EmergencyReportOut:
    return {
        "id": report.id,
        "at": moment(report.at),
        "by": report.by,
        "of": report.of,
        "done": report.done,
        "total": report.total,
        "numbers": report.numbers,
        "help_comes": report.comes,
        "to_look_at": report.cautions,
        "people_without_spot": report.people_without_spot,
        "sites": {name: {"numbers": n, "help_comes": c} for name, (n, c) in report.sites.items()},
        "reasons": report.reasons,
        "seconds": report.seconds,
    }


@resource.read("/safety/tests")
def reports(context: RequestContext) -> Page[EmergencyReportOut]:
    return {"items": [_report(r) for r in emergency_reports.reports(context)], "next": None}


@resource.read("/safety/tests/{key}")
def report(context: RequestContext, key: str) -> EmergencyReportDetailOut:
    found, lines, count = emergency_reports.view_report(context, key)
    return {
        **_report(found),
        "lines": [_tested(x) for x in lines],
        "lines_in_all": count,
    }


def _tested(line: Tested) -> EmergencyTestLineOut:
    return {
        "e164": line.e164,
        "holder": line.holder,
        "site": line.site,
        "spot": line.spot,
        "psap": line.psap,
        "callback": line.callback,
        "trunk": line.trunk,
        "told": line.told,
        "broken": list(line.broken),
        "cautions": list(line.cautions),
        "remedy": line.remedy,
        "help_comes": line.comes,
    }


@resource.file("/safety/tests/{key}/report.csv", May.LOOK, "text/csv")
def report_csv(context: RequestContext, key: str) -> Response:
    return Response(emergency_reports.as_csv(context, key), media_type="text/csv; charset=utf-8")


@resource.file("/safety/tests/{key}/report.pdf", May.LOOK, "application/pdf")
def report_pdf(context: RequestContext, key: str) -> Response:
    return Response(emergency_reports.as_pdf(context, key), media_type="application/pdf")


@resource.read("/safety/registered/{carrier}")
def registered_addresses(context: RequestContext, carrier: str) -> RegisteredOut:
    """What a carrier has registered against what Sedge says."""
    found = carrier_registrations.compare(context, carrier)
    items: list[RegisteredItemOut] = [
        {
            "e164": d.number.e164,
            "site": d.number.site,
            "has_none": d.has_none,
            "parts": [{"part": p, "sedge": ours, "carrier": theirs} for p, ours, theirs in d.parts],
        }
        for d in found.differences
    ]
    return {
        "items": items,
        "alike": found.alike,
        "trouble": found.trouble or None,
        "at": moment(found.at),
        "next": None,
    }


@resource.write("/safety/registered/{carrier}", May.CHANGE_ESTATE, status_code=201)
def send_again(context: RequestContext, carrier: str) -> OrderMadeOut:
    """The draft of a work order that registers every address that differs."""
    order = carrier_registrations.send_again(context, carrier)
    return {"work_order": order.id, "no": order.no}

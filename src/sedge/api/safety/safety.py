"""Safety: addresses against the register, spots, coverage, emergency tests, what carriers have
registered, open formats."""

from typing import Any

from fastapi import Request
from fastapi.responses import JSONResponse, Response
from pydantic import BaseModel, ConfigDict, Field
from starlette.concurrency import run_in_threadpool

from sedge.api import shapes
from sedge.api.routing import AtDesk, Resource, once
from sedge.core.access.roles import May
from sedge.core.records import Spot
from sedge.core.safety.countries import FORMS, RULES
from sedge.core.safety.coverage import Share
from sedge.services.callpaths import calls
from sedge.services.holders import relocations
from sedge.services.numbers.numbers import the_number
from sedge.services.safety import (
    address_revalidation,
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
def match_address(desk: AtDesk, asked: AddressTyped) -> dict[str, Any]:
    found = safety.match_address(desk, asked.model_dump())
    candidates = [
        {
            **c.elements.model_dump(),
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


@resource.read("/civic-addresses/forms")
def address_forms() -> dict[str, Any]:
    """How addresses are typed, country by country; `element` is that of RFC 5139."""
    items = [
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
def recheck(desk: AtDesk) -> dict[str, Any]:
    """Every address of ours held against the register again."""
    done = address_revalidation.recheck(desk)
    items = [
        {"id": a.id, "site": a.site, "verdict": a.verdict, "psap": a.psap} for a in done.changed
    ]
    return {"asked": done.asked, "changed": items, "trouble": done.trouble or None}


@resource.read("/safety/rules")
def rules() -> dict[str, Any]:
    """What each country asks of emergency data, with its source."""
    items = [{**r.__dict__, "emergency": list(r.emergency)} for r in RULES.values()]
    return {"items": items, "next": None}


# ── spots ──


@resource.read("/spots")
def spots(desk: AtDesk, site: str = "") -> dict[str, Any]:
    items = [_card(desk, row.spot) for row in safety.spots(desk, [site] if site else None)]
    return {"items": items, "next": None}


@resource.write("/spots", May.CHANGE_SAFETY)
def add_spot(request: Request, desk: AtDesk, asked: SpotAsked) -> Response:
    """A new spot in the site's address, under the next code."""

    def make(identity: str | None) -> tuple[int, Any]:
        return 201, _card(desk, safety.add_spot(desk, **asked.model_dump()))

    return once(request, desk, asked.model_dump(), make)


def _card(desk: AtDesk, spot: Spot) -> dict[str, Any]:
    address = safety.address_of(desk, spot)
    return {
        **shapes.spot(spot, address.elements.model_dump()),
        "building": spot.building,
        "wing": spot.wing,
        "note": spot.note,
        "place": spot.place,
        "doubt": spot.doubt or None,
        "confirmed_by": spot.confirmed_by or None,
    }


@resource.read("/spots/{code}")
def spot(desk: AtDesk, code: str) -> dict[str, Any]:
    """One spot with who is at it. The code may be typed without dashes; a mistyped one is refused
    and the nearest told."""
    card = places.card(desk, safety.the_spot(desk, code))
    return {
        **_card(desk, card.spot),
        "problem": card.problem or None,
        "review_due": card.review,
        "people": [p.id for p in card.people],
        "numbers": [n.e164 for n in card.numbers],
        "service_lines": [x.id for x in card.lines],
        "people_count": card.many[0],
        "number_count": card.many[1],
    }


@resource.write("/spots/{code}", May.CHANGE_SAFETY, method="PATCH")
def change_spot(desk: AtDesk, code: str, asked: SpotWords) -> dict[str, Any]:
    return _card(desk, places.change(desk, code, asked.model_dump()))


@resource.write("/spots/{code}", May.CHANGE_SAFETY, method="DELETE")
def remove_spot(desk: AtDesk, code: str) -> dict[str, Any]:
    """Taken out of use; refused while somebody is there."""
    return {"code": places.remove(desk, code).id, "removed": True}


@resource.write("/spots/{code}/place", May.CHANGE_SAFETY)
def place_spot(desk: AtDesk, code: str, asked: OnPlan) -> dict[str, Any]:
    return _card(desk, places.put_on_plan(desk, code, asked.x, asked.y))


@resource.write("/spots/{code}/confirm", May.CHANGE_SAFETY)
def confirm_spot(desk: AtDesk, code: str) -> dict[str, Any]:
    """Somebody has looked: the spot is still right."""
    return _card(desk, safety.confirm_spot(desk, code))


@resource.write("/spots/{code}/links", May.CHANGE_SAFETY)
def confirm_link(desk: AtDesk, code: str, asked: LinkAsked) -> Response:
    """A link for somebody at the site, good once and for some days; told this once."""
    return JSONResponse(
        {
            "path": confirmation_links.make_link(desk, code, to=asked.to),
            "good_for_days": confirmation_links.GOOD_FOR.days,
        },
        201,
    )


@resource.read("/spots/{code}/pidf-lo.xml")
def spot_pidf_lo(desk: AtDesk, code: str) -> Response:
    return Response(emergency_exports.spot_pidf_lo(desk, code), media_type="application/pidf+xml")


@resource.read("/numbers/{number}/pidf-lo.xml")
def number_pidf_lo(desk: AtDesk, number: str) -> Response:
    return Response(
        emergency_exports.number_pidf_lo(desk, the_number(desk, number)),
        media_type="application/pidf+xml",
    )


@resource.read("/exports/spots.csv")
def spots_csv(desk: AtDesk) -> Response:
    return Response(emergency_exports.spots_csv(desk), media_type="text/csv; charset=utf-8")


@resource.write("/imports/spots", May.CHANGE_SAFETY)
async def import_spots(request: Request, desk: AtDesk, dry_run: bool = False) -> dict[str, Any]:
    """A CSV as the body; all rows or none. `dry_run` only looks."""
    content = await request.body()
    return await run_in_threadpool(emergency_exports.spots_in, desk, content, dry_run=dry_run)


@resource.write("/sites/{key}/floor-plan", May.CHANGE_SAFETY, method="PUT")
async def put_plan(request: Request, desk: AtDesk, key: str, floor: str) -> dict[str, Any]:
    """A picture (PNG, JPEG) of a floor as the body; an empty body takes it away."""
    content = await request.body()
    if content:
        await run_in_threadpool(places.put_plan, desk, key, floor, content)
    else:
        await run_in_threadpool(places.take_plan_away, desk, key, floor)
    return {"site": key, "floor": floor, "has_plan": bool(content)}


@resource.read("/sites/{key}/floor-plan")
def floor_plan(desk: AtDesk, key: str, floor: str) -> Response:
    media_type, content = places.plan(desk, key, floor)
    return Response(content, media_type=media_type, headers={"X-Content-Type-Options": "nosniff"})


# ── coverage, tests, drift, moves ──


def _share(share: Share) -> dict[str, Any]:
    return {
        "numbers": share.numbers,
        "people": share.people,
        "found_numbers": share.found_numbers,
        "found_people": share.found_people,
        "per_cent": None if share.is_empty else share.per_cent,
        "reasons": dict(share.reasons),
    }


@resource.read("/safety/coverage")
def cover(desk: AtDesk) -> dict[str, Any]:
    """Gaps by reason, and the shares of each site and floor."""
    items = [
        {
            "key": g.key,
            "reason": g.reason,
            "count": g.count,
            "numbers": g.numbers,
            "people": g.people,
        }
        for g in coverage.gaps(desk)
    ]
    sites = [
        {
            "site": c.site.id,
            **_share(c.whole),
            "unconfirmed": c.unconfirmed,
            "floors": {floor: _share(share) for floor, share in c.floors.items()},
        }
        for c in coverage.by_site(desk)
    ]
    return {"items": items, "sites": sites, "next": None}


@resource.write("/safety/gaps/{key}/put-right", May.CHANGE_ESTATE)
def put_right(desk: AtDesk, key: str) -> Response:
    order = coverage.put_right(desk, key)
    return JSONResponse({"work_order": order.id, "no": order.no}, 201)


@resource.write("/safety/moves", May.CHANGE_ESTATE)
def move(desk: AtDesk, asked: Move) -> Response:
    """The draft of a work order that moves people, their numbers and registrations to a spot."""
    order = relocations.draft(
        desk,
        safety.the_spot(desk, asked.to, field="to"),
        people=asked.people,
        from_spot=asked.from_spot,
    )
    return JSONResponse({"work_order": order.id, "no": order.no}, 201)


@resource.write("/safety/help-calls", May.PLACE_TEST_CALL)
def help_call(desk: AtDesk, asked: HelpCallAsked) -> Response:
    """A call for help that ends at the stand-in of an answering point, never at a real one."""
    proof = calls.place_help_call(desk, the_number(desk, asked.number))
    return JSONResponse(
        {"proof": proof.id, "ok": proof.ok, "heard": proof.heard, "differs": proof.differs or None},
        201,
    )


@resource.write("/safety/tests", May.PLACE_TEST_CALL)
def run_test(desk: AtDesk, asked: TestAsked) -> Response:
    """The emergency test of every number in use, or of a site's; kept as a dated report. A large
    one goes on by itself until it is `done`."""
    return JSONResponse(_report(emergency_reports.begin(desk, site=asked.site)), 201)


def _report(report: Report) -> dict[str, Any]:
    return {
        "id": report.id,
        "at": shapes.moment(report.at),
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
def reports(desk: AtDesk) -> dict[str, Any]:
    return {"items": [_report(r) for r in emergency_reports.reports(desk)], "next": None}


@resource.read("/safety/tests/{key}")
def report(desk: AtDesk, key: str) -> dict[str, Any]:
    found, lines, count = emergency_reports.look(desk, key)
    return {
        **_report(found),
        "lines": [{**x.__dict__, "help_comes": x.comes} for x in lines],
        "lines_in_all": count,
    }


@resource.read("/safety/tests/{key}/report.csv")
def report_csv(desk: AtDesk, key: str) -> Response:
    return Response(emergency_reports.as_csv(desk, key), media_type="text/csv; charset=utf-8")


@resource.read("/safety/tests/{key}/report.pdf")
def report_pdf(desk: AtDesk, key: str) -> Response:
    return Response(emergency_reports.as_pdf(desk, key), media_type="application/pdf")


@resource.read("/safety/registered/{carrier}")
def registered_addresses(desk: AtDesk, carrier: str) -> dict[str, Any]:
    """What a carrier has registered against what Sedge says."""
    found = carrier_registrations.compare(desk, carrier)
    items = [
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
        "at": shapes.moment(found.at),
        "next": None,
    }


@resource.write("/safety/registered/{carrier}", May.CHANGE_ESTATE)
def send_again(desk: AtDesk, carrier: str) -> Response:
    """The draft of a work order that registers every address that differs."""
    order = carrier_registrations.send_again(desk, carrier)
    return JSONResponse({"work_order": order.id, "no": order.no}, 201)

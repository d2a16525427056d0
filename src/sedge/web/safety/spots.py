"""Safety, place by place: buildings with their floors, spots, plans, who moves; and the page for
somebody at the site who has no account."""

from typing import Annotated

from fastapi import File, Form, Request, UploadFile
from fastapi.responses import Response

from sedge.core.access.roles import May
from sedge.core.errors import NotUnderstood
from sedge.services.holders import relocations
from sedge.services.numbers.numbers import the_number
from sedge.services.safety import confirmation_links, emergency_exports, safety, spots
from sedge.web.routing import Place, RequestContext, address_of, installation_of
from sedge.web.safety import views
from sedge.web.shared.rendering import go, render, target

place = Place()
Typed = Annotated[str, Form(max_length=500)]


@place.page("/safety/sites/{site}", May.LOOK)
def building(
    request: Request, context: RequestContext, site: str, floor: str = "", spot: str = ""
) -> Response:
    """A site cut open; with `floor` its plan."""
    return render(
        request,
        "building.html",
        view=views.building_view(spots.building(context, site), floor[:60], spot[:20]),
    )


@place.action("/safety/spots", May.CHANGE_SAFETY)
def add_spot(
    request: Request,
    context: RequestContext,
    site: Typed = "",
    floor: Typed = "",
    room: Typed = "",
    name: Typed = "",
    to: Typed = "",
) -> Response:
    safety.add_spot(context, site=site, floor=floor, room=room, name=name)
    return go(request, f"/safety/sites/{site}" if to == "building" else f"/safety?site={site}")


@place.page("/safety/spots/{code}", May.LOOK)
def spot(request: Request, context: RequestContext, code: str) -> Response:
    found = safety.the_spot(context, code)
    return render(request, "spot.html", card=spots.card(context, found), link="")


@place.action("/safety/spots/{code}/confirm", May.CHANGE_SAFETY)
def confirm(request: Request, context: RequestContext, code: str) -> Response:
    found = safety.confirm_spot(context, code)
    return go(request, f"/safety?site={found.site}")


@place.action("/safety/spots/{code}", May.CHANGE_SAFETY)
def change_spot(
    request: Request,
    context: RequestContext,
    code: str,
    name: Typed = "",
    building: Typed = "",
    floor: Typed = "",
    wing: Typed = "",
    room: Typed = "",
    note: Typed = "",
) -> Response:
    spots.change_spot(
        context,
        code,
        {
            "name": name,
            "building": building,
            "floor": floor,
            "wing": wing,
            "room": room,
            "note": note,
        },
    )
    return go(request, f"/safety/spots/{code}")


@place.action("/safety/spots/{code}/remove", May.CHANGE_SAFETY)
def remove(request: Request, context: RequestContext, code: str) -> Response:
    return go(request, f"/safety/sites/{spots.remove(context, code).site}")


@place.action("/safety/spots/{code}/link", May.CHANGE_SAFETY)
def link(request: Request, context: RequestContext, code: str, to: Typed = "") -> Response:
    """A link for somebody at the site, shown this once."""
    path = confirmation_links.make_link(context, code, to=to.strip())
    address = f"{address_of(request)}{path}"
    if target(request):
        return render(
            request,
            "_link.html",
            link=address,
            to=to.strip(),
            days=confirmation_links.GOOD_FOR.days,
        )
    return render(request, "spot.html", card=spots.card(context, code), link=address)


@place.page("/safety/spots/{code}/label", May.LOOK)
def label(request: Request, context: RequestContext, code: str) -> Response:
    """A label for the wall, to print."""
    return render(request, "label.html", card=spots.card(context, code), qr=views.qr_of(code))


@place.page("/safety/spots/{code}/pidf-lo.xml", May.LOOK)
def pidf_lo(context: RequestContext, code: str) -> Response:
    headers = {"Content-Disposition": f'attachment; filename="{code}.xml"'}
    return Response(
        emergency_exports.spot_pidf_lo(context, code),
        media_type="application/pidf+xml",
        headers=headers,
    )


@place.action("/safety/plans/{site}/place", May.CHANGE_SAFETY)
def put_on_plan(
    request: Request,
    context: RequestContext,
    site: str,
    code: Typed = "",
    x: Annotated[float, Form()] = 50,
    y: Annotated[float, Form()] = 50,
) -> Response:
    placed = spots.put_on_plan(context, code, x, y)
    view = views.building_view(spots.building(context, site), placed.floor, placed.id)
    return (
        render(request, "_plan.html", view=view)
        if target(request)
        else go(request, f"/safety/sites/{site}?floor={placed.floor}&spot={placed.id}")
    )


@place.action("/safety/plans/{site}", May.CHANGE_SAFETY)
def put_plan(
    request: Request,
    context: RequestContext,
    site: str,
    floor: Typed = "",
    file: Annotated[UploadFile | None, File()] = None,
) -> Response:
    content = file.file.read(spots.MOST_BYTES + 1) if file else b""
    spots.put_plan(context, site, floor, content)
    return go(request, f"/safety/sites/{site}?floor={floor}")


@place.action("/safety/plans/{site}/away", May.CHANGE_SAFETY)
def take_plan_away(
    request: Request, context: RequestContext, site: str, floor: Typed = ""
) -> Response:
    spots.take_plan_away(context, site, floor)
    return go(request, f"/safety/sites/{site}?floor={floor}")


@place.page("/safety/plans/{site}/picture", May.LOOK)
def picture(context: RequestContext, site: str, floor: str = "") -> Response:
    media_type, content = spots.plan(context, site, floor)
    return Response(
        content,
        media_type=media_type,
        headers={"Content-Disposition": "inline", "X-Content-Type-Options": "nosniff"},
    )


# ── who moves ──


@place.page("/safety/move", May.CHANGE_ESTATE)
def move(
    request: Request,
    context: RequestContext,
    site: str = "",
    department: str = "",
    floor: str = "",
    spot: str = "",
    to: str = "",
) -> Response:
    return render(
        request,
        "move.html",
        view=views.move_view(context, views.Moving(site, department, floor, spot, to)),
    )


@place.action("/safety/move", May.CHANGE_ESTATE)
def draft_move(
    request: Request,
    context: RequestContext,
    to: Typed = "",
    people: Annotated[list[str] | None, Form()] = None,
    everybody: Typed = "",
    site: Typed = "",
    department: Typed = "",
    floor: Typed = "",
    spot: Typed = "",
) -> Response:
    """Those ticked, or everybody who was shown."""
    if not to:
        raise NotUnderstood("Choose the spot they move to.", field="to")
    chosen = (
        [
            p.id
            for p in relocations.who(
                context, site=site, department=department, floor=floor, spot=spot
            )
        ]
        if everybody
        else people or []
    )
    made = relocations.draft(context, safety.the_spot(context, to, field="to"), people=chosen)
    return go(request, f"/work-orders/{made.no}")


# ── files ──


@place.page("/safety/files", May.LOOK)
def files(request: Request) -> Response:
    return render(request, "safety_files.html", found=None)


@place.page("/safety/files/spots.csv", May.LOOK)
def spots_csv(context: RequestContext) -> Response:
    headers = {"Content-Disposition": 'attachment; filename="spots.csv"'}
    return Response(
        emergency_exports.spots_csv(context), media_type="text/csv; charset=utf-8", headers=headers
    )


@place.action("/safety/files", May.CHANGE_SAFETY)
def bring_in(
    request: Request,
    context: RequestContext,
    file: Annotated[UploadFile | None, File()] = None,
    only_look: Typed = "",
) -> Response:
    """What a file of spots would change, or has changed."""
    content = file.file.read(spots.MOST_BYTES) if file else b""
    found = emergency_exports.spots_in(context, content, dry_run=bool(only_look))
    return render(
        request, "_spots_in.html" if target(request) else "safety_files.html", found=found
    )


@place.page("/safety/numbers/{number}/pidf-lo.xml", May.LOOK)
def number_pidf_lo(context: RequestContext, number: str) -> Response:
    headers = {"Content-Disposition": 'attachment; filename="number.xml"'}
    return Response(
        emergency_exports.number_pidf_lo(context, the_number(context, number)),
        media_type="application/pidf+xml",
        headers=headers,
    )


# ── for somebody at the site ──


@place.page("/confirm/{token}", May.OPEN)
def asked(request: Request, token: str) -> Response:
    return render(
        request,
        "confirm.html",
        asked=confirmation_links.asked(installation_of(request), token),
        token=token,
        done=None,
    )


@place.action("/confirm/{token}", May.OPEN)
def answered(
    request: Request, token: str, right: Typed = "", name: Typed = "", note: Typed = ""
) -> Response:
    done = confirmation_links.answer(
        installation_of(request), token, right=right == "yes", name=name, note=note
    )
    return render(request, "confirm.html", asked=None, token=token, done=done)

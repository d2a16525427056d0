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
from sedge.web.routing import AtDesk, Place, address_of, house_of
from sedge.web.safety import views
from sedge.web.shared.rendering import draw, go, target

place = Place()
Typed = Annotated[str, Form(max_length=500)]


@place.page("/safety/sites/{site}", May.LOOK)
def building(
    request: Request, desk: AtDesk, site: str, floor: str = "", spot: str = ""
) -> Response:
    """A site cut open; with `floor` its plan."""
    return draw(
        request,
        "building.html",
        view=views.building_view(spots.building(desk, site), floor[:60], spot[:20]),
    )


@place.action("/safety/spots", May.CHANGE_SAFETY)
def add_spot(
    request: Request,
    desk: AtDesk,
    site: Typed = "",
    floor: Typed = "",
    room: Typed = "",
    name: Typed = "",
    to: Typed = "",
) -> Response:
    safety.add_spot(desk, site=site, floor=floor, room=room, name=name)
    return go(request, f"/safety/sites/{site}" if to == "building" else f"/safety?site={site}")


@place.page("/safety/spots/{code}", May.LOOK)
def spot(request: Request, desk: AtDesk, code: str) -> Response:
    found = safety.the_spot(desk, code)
    return draw(request, "spot.html", card=spots.card(desk, found), link="")


@place.action("/safety/spots/{code}/confirm", May.CHANGE_SAFETY)
def confirm(request: Request, desk: AtDesk, code: str) -> Response:
    found = safety.confirm_spot(desk, code)
    return go(request, f"/safety?site={found.site}")


@place.action("/safety/spots/{code}", May.CHANGE_SAFETY)
def change(
    request: Request,
    desk: AtDesk,
    code: str,
    name: Typed = "",
    building: Typed = "",
    floor: Typed = "",
    wing: Typed = "",
    room: Typed = "",
    note: Typed = "",
) -> Response:
    spots.change_spot(
        desk,
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
def remove(request: Request, desk: AtDesk, code: str) -> Response:
    return go(request, f"/safety/sites/{spots.remove(desk, code).site}")


@place.action("/safety/spots/{code}/link", May.CHANGE_SAFETY)
def link(request: Request, desk: AtDesk, code: str, to: Typed = "") -> Response:
    """A link for somebody at the site, shown this once."""
    path = confirmation_links.make_link(desk, code, to=to.strip())
    address = f"{address_of(request)}{path}"
    if target(request):
        return draw(
            request,
            "_link.html",
            link=address,
            to=to.strip(),
            days=confirmation_links.GOOD_FOR.days,
        )
    return draw(request, "spot.html", card=spots.card(desk, code), link=address)


@place.page("/safety/spots/{code}/label", May.LOOK)
def label(request: Request, desk: AtDesk, code: str) -> Response:
    """A label for the wall, to print."""
    return draw(request, "label.html", card=spots.card(desk, code), qr=views.qr_of(code))


@place.page("/safety/spots/{code}/pidf-lo.xml", May.LOOK)
def pidf_lo(desk: AtDesk, code: str) -> Response:
    headers = {"Content-Disposition": f'attachment; filename="{code}.xml"'}
    return Response(
        emergency_exports.spot_pidf_lo(desk, code),
        media_type="application/pidf+xml",
        headers=headers,
    )


@place.action("/safety/plans/{site}/place", May.CHANGE_SAFETY)
def put_on_plan(
    request: Request,
    desk: AtDesk,
    site: str,
    code: Typed = "",
    x: Annotated[float, Form()] = 50,
    y: Annotated[float, Form()] = 50,
) -> Response:
    placed = spots.put_on_plan(desk, code, x, y)
    view = views.building_view(spots.building(desk, site), placed.floor, placed.id)
    return (
        draw(request, "_plan.html", view=view)
        if target(request)
        else go(request, f"/safety/sites/{site}?floor={placed.floor}&spot={placed.id}")
    )


@place.action("/safety/plans/{site}", May.CHANGE_SAFETY)
def put_plan(
    request: Request,
    desk: AtDesk,
    site: str,
    floor: Typed = "",
    file: Annotated[UploadFile | None, File()] = None,
) -> Response:
    content = file.file.read(spots.MOST_BYTES + 1) if file else b""
    spots.put_plan(desk, site, floor, content)
    return go(request, f"/safety/sites/{site}?floor={floor}")


@place.action("/safety/plans/{site}/away", May.CHANGE_SAFETY)
def take_plan_away(request: Request, desk: AtDesk, site: str, floor: Typed = "") -> Response:
    spots.take_plan_away(desk, site, floor)
    return go(request, f"/safety/sites/{site}?floor={floor}")


@place.page("/safety/plans/{site}/picture", May.LOOK)
def picture(desk: AtDesk, site: str, floor: str = "") -> Response:
    media_type, content = spots.plan(desk, site, floor)
    return Response(
        content,
        media_type=media_type,
        headers={"Content-Disposition": "inline", "X-Content-Type-Options": "nosniff"},
    )


# ── who moves ──


@place.page("/safety/move", May.CHANGE_ESTATE)
def move(
    request: Request,
    desk: AtDesk,
    site: str = "",
    department: str = "",
    floor: str = "",
    spot: str = "",
    to: str = "",
) -> Response:
    return draw(
        request,
        "move.html",
        view=views.move_view(desk, views.Moving(site, department, floor, spot, to)),
    )


@place.action("/safety/move", May.CHANGE_ESTATE)
def draft_move(
    request: Request,
    desk: AtDesk,
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
            for p in relocations.who(desk, site=site, department=department, floor=floor, spot=spot)
        ]
        if everybody
        else people or []
    )
    made = relocations.draft(desk, safety.the_spot(desk, to, field="to"), people=chosen)
    return go(request, f"/work-orders/{made.no}")


# ── files ──


@place.page("/safety/files", May.LOOK)
def files(request: Request) -> Response:
    return draw(request, "safety_files.html", found=None)


@place.page("/safety/files/spots.csv", May.LOOK)
def spots_csv(desk: AtDesk) -> Response:
    headers = {"Content-Disposition": 'attachment; filename="spots.csv"'}
    return Response(
        emergency_exports.spots_csv(desk), media_type="text/csv; charset=utf-8", headers=headers
    )


@place.action("/safety/files", May.CHANGE_SAFETY)
def bring_in(
    request: Request,
    desk: AtDesk,
    file: Annotated[UploadFile | None, File()] = None,
    only_look: Typed = "",
) -> Response:
    """What a file of spots would change, or has changed."""
    content = file.file.read(spots.MOST_BYTES) if file else b""
    found = emergency_exports.spots_in(desk, content, dry_run=bool(only_look))
    return draw(request, "_spots_in.html" if target(request) else "safety_files.html", found=found)


@place.page("/safety/numbers/{number}/pidf-lo.xml", May.LOOK)
def number_pidf_lo(desk: AtDesk, number: str) -> Response:
    headers = {"Content-Disposition": 'attachment; filename="number.xml"'}
    return Response(
        emergency_exports.number_pidf_lo(desk, the_number(desk, number)),
        media_type="application/pidf+xml",
        headers=headers,
    )


# ── for somebody at the site ──


@place.page("/confirm/{token}", May.OPEN)
def asked(request: Request, token: str) -> Response:
    return draw(
        request,
        "confirm.html",
        asked=confirmation_links.asked(house_of(request), token),
        token=token,
        done=None,
    )


@place.action("/confirm/{token}", May.OPEN)
def answered(
    request: Request, token: str, right: Typed = "", name: Typed = "", note: Typed = ""
) -> Response:
    done = confirmation_links.answer(
        house_of(request), token, right=right == "yes", name=name, note=note
    )
    return draw(request, "confirm.html", asked=None, token=token, done=done)

"""The same for several people at once: who, what, and the work order it becomes."""

from typing import Annotated

from fastapi import Form, Query, Request
from fastapi.responses import Response

from sedge.core.access.roles import May
from sedge.core.enums import Right
from sedge.core.errors import NotUnderstood
from sedge.core.holders.devices import KINDS, DeviceKind
from sedge.core.records import BASIC_RIGHTS, HolderKind
from sedge.services.context import Context
from sedge.services.holders import several_people, site_management
from sedge.services.licences import licences
from sedge.web.routing import Place, RequestContext
from sedge.web.shared.rendering import go, render

place = Place()


def _kind(typed: str) -> DeviceKind | None:
    """Raises NotUnderstood."""
    if not typed:
        return None
    if typed not in KINDS:
        raise NotUnderstood(f"A phone is one of: {', '.join(KINDS)}.", field="phone")
    return DeviceKind(typed)


def _products(context: Context) -> list[tuple[str, str]]:
    return [
        (product.id, product.name)
        for product in licences.products(context)
        if HolderKind.PERSON in product.for_holders and not product.withdrawn
    ]


@place.page("/holders/several", May.CHANGE_ESTATE)
def several(
    request: Request,
    context: RequestContext,
    who: Annotated[list[str], Query(max_length=several_people.MOST_PEOPLE)] = [],  # noqa: B006
    site: str = "",
    find: str = "",
) -> Response:
    """What several people are to have, for those who were ticked or all that a list shows."""
    people = several_people.chosen(context, who, site=site, find=find)
    theirs = {p.site for p in people}
    of_sites = [one for one in site_management.site_choices(context) if one[0] in theirs]
    return render(
        request,
        "several.html",
        people=people,
        products=_products(context),
        kinds=[(kind.value, kind.value) for kind in DeviceKind],
        spots=site_management.spot_choices(context, of_sites, whole=False),
        rights=[(r.value, r in BASIC_RIGHTS) for r in Right if r is not Right.EMERGENCY],
    )


@place.action("/holders/several", May.CHANGE_ESTATE)
def change_several(
    request: Request,
    context: RequestContext,
    people: Annotated[list[str], Form()] = [],  # noqa: B006
    product: Annotated[str, Form(max_length=80)] = "",
    change_rights: Annotated[str, Form(max_length=3)] = "",
    right: Annotated[list[str], Form()] = [],  # noqa: B006
    spot: Annotated[str, Form(max_length=40)] = "",
    number: Annotated[str, Form(max_length=3)] = "",
    phone: Annotated[str, Form(max_length=40)] = "",
) -> Response:
    """As a draft, so that its checks are seen."""
    rights = tuple(r for r in Right if r.value in {*right, Right.EMERGENCY.value})
    same = several_people.Same(
        product=product,
        rights=rights if change_rights else None,
        spot=spot,
        number=bool(number),
        phone=_kind(phone),
    )
    made = several_people.draft(context, people, same)
    return go(request, f"/work-orders/{made.no}")

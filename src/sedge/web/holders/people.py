"""What belongs to people: devices, groups, rights; downstream systems; what the directory
proposes."""

from typing import Annotated

from fastapi import Form, Request
from fastapi.responses import Response
from starlette.concurrency import run_in_threadpool

from sedge.core.access.roles import May
from sedge.core.enums import Right
from sedge.core.errors import NotFound, NotUnderstood
from sedge.core.outbound.tasks import SetCallingRights
from sedge.core.records import HolderKind, HolderRef, Person
from sedge.core.trunks.system_sheets import End
from sedge.formats.trunk_sheet import sheet_on_paper
from sedge.services import people_lookup
from sedge.services.context import Context
from sedge.services.holders import (
    directory_proposals,
    downstream,
    groups,
    holders,
    person_details,
    service_lines,
    site_management,
)
from sedge.services.holders.devices import devices, links
from sedge.services.workorders import order_running, workorders
from sedge.web.routing import Place, RequestContext, installation_of
from sedge.web.safety.views import qr_of
from sedge.web.shared.picking import person_options
from sedge.web.shared.rendering import go, render, target
from sedge.web.shared.saving import Now, run_or_review

place = Place()
MOST_FOUND = 12


# ── chosen as one types ──


@place.page("/choose/people", May.LOOK)
def choose_people(
    request: Request, context: RequestContext, who: str = "", by: str = "id"
) -> Response:
    """People whose name, extension, mail address or department fits; `by` says what each is
    chosen by."""
    found, _ = holders.people(context, find=who, limit=MOST_FOUND) if who.strip() else ([], None)
    people = [row.holder for row in found if isinstance(row.holder, Person)]
    options = person_options(people, "email" if by == "email" else "id")
    return render(request, "_pick_found.html", options=options)


# ── devices ──


@place.action("/holders/people/{key}/devices", May.CHANGE_HOLDERS)
def add_device(
    request: Request,
    context: RequestContext,
    key: str,
    kind: Annotated[str, Form()] = "desk phone",
    name: Annotated[str, Form()] = "",
) -> Response:
    sheet = devices.add(context, key, kind, name[:80])
    if target(request):
        facts = {
            "qr": qr_of(sheet.code),
            "card": person_details.view_person(context, key),
            "row": holders.one_holder(context, HolderKind.PERSON, key),
        }
        return render(request, "_device_added.html", sheet=sheet, **facts)
    return _sheet(request, sheet)


@place.action("/holders/devices/{key}/secret", May.CHANGE_HOLDERS)
def new_secret(request: Request, context: RequestContext, key: str) -> Response:
    return _sheet(request, devices.new_secret(context, key))


@place.action("/holders/devices/{key}/remove", May.CHANGE_HOLDERS)
def remove_device(request: Request, context: RequestContext, key: str) -> Response:
    return go(request, f"/holders/people/{devices.remove(context, key).person}")


@place.page("/phone/{token}", May.OPEN)
def sign_in_offered(request: Request, token: str) -> Response:
    """Nothing is shown before somebody asks for it: programs that look into mails follow links."""
    organisation, device = links.asked(installation_of(request), token)
    return render(
        request,
        "phone_link.html",
        organisation=organisation,
        device=device,
        token=token,
        sheet=None,
    )


@place.action("/phone/{token}", May.OPEN)
def sign_in_shown(request: Request, token: str) -> Response:
    sheet = links.use(installation_of(request), token)
    facts = {"device": sheet.device, "qr": qr_of(sheet.code)}
    return render(request, "phone_link.html", token=token, sheet=sheet, **facts)


@place.page("/holders/devices/{key}", May.LOOK)
def device(request: Request, context: RequestContext, key: str) -> Response:
    return _sheet(request, devices.sheet(context, key))


def _sheet(request: Request, sheet: devices.Sheet) -> Response:
    template = "_device.html" if target(request) else "device.html"
    return render(request, template, sheet=sheet, qr=qr_of(sheet.code))


# ── what may be called ──


@place.action("/holders/people/{key}/rights", May.CHANGE_ESTATE)
def set_rights(
    request: Request,
    context: RequestContext,
    key: str,
    right: Annotated[list[str] | None, Form()] = None,
) -> Response:
    wanted = [r.value for r in Right if r.value in set(right or []) | {Right.EMERGENCY.value}]
    raw = [
        {"kind": "set_calling_rights", "holder": {"kind": "person", "id": key}, "rights": wanted}
    ]
    name = holders.one_holder(context, holders.HolderKind.PERSON, key).holder.name
    order = order_running.run_now(
        context, f"Calling rights of {name}", workorders.read_tasks(context, raw)
    )
    return go(request, f"/holders/people/{key}?done={order.no}")


@place.action("/holders/lines/{key}/rights", May.CHANGE_ESTATE)
def set_rights_of_line(
    request: Request,
    context: RequestContext,
    key: str,
    right: Annotated[list[str] | None, Form()] = None,
) -> Response:
    line = holders.one_holder(context, HolderKind.SERVICE_LINE, key).holder
    ref = HolderRef(kind=HolderKind.SERVICE_LINE, id=key)
    return _rights_drafted(request, context, ref, line.name, right or [])


@place.action("/holders/sites/{key}/rights", May.CHANGE_ESTATE)
def set_rights_of_site(
    request: Request,
    context: RequestContext,
    key: str,
    right: Annotated[list[str] | None, Form()] = None,
) -> Response:
    site = site_management.one_site(context, key).row.site
    ref = HolderRef(kind=HolderKind.SITE, id=key)
    return _rights_drafted(request, context, ref, site.name, right or [])


def _rights_drafted(
    request: Request, context: Context, holder: HolderRef, name: str, right: list[str]
) -> Response:
    """As a draft, so that its checks are seen."""
    rights = tuple(r for r in Right if r.value in {*right, Right.EMERGENCY.value})
    task = SetCallingRights(holder=holder, rights=rights)
    made = workorders.draft(context, f"Calling rights of {name}", [task], look=True)
    return go(request, f"/work-orders/{made.no}")


@place.action("/holders/people/{key}/change", May.CHANGE_ESTATE)
def change_person(
    request: Request,
    context: RequestContext,
    key: str,
    name: Annotated[str, Form()] = "",
    email: Annotated[str, Form()] = "",
    department: Annotated[str, Form()] = "",
    job: Annotated[str, Form()] = "",
    extension: Annotated[str, Form()] = "",
    manager: Annotated[str, Form()] = "",
    now: Now = "",
) -> Response:
    """What is known of somebody."""
    known = holders.one_holder(context, holders.HolderKind.PERSON, key).holder
    given = {
        "name": name.strip(),
        "email": email.strip(),
        "department": department.strip(),
        "job": job.strip(),
        "extension": extension.strip(),
    }
    fresh = {field: value for field, value in given.items() if value != getattr(known, field)}
    if manager.strip():
        fresh["manager"] = people_lookup.people_in(context, manager, most=1, field="manager")[0].id
    if not fresh:
        raise NotUnderstood("Nothing is different from what is known.", field="name")
    order = workorders.draft(
        context,
        f"Change {known.name}",
        workorders.read_tasks(context, [{"kind": "change_person", "person": key, **fresh}]),
        look=True,
    )
    return run_or_review(request, context, order.no, f"/holders/people/{key}", now)


# ── groups ──


@place.page("/holders/groups", May.LOOK)
def group_list(request: Request, context: RequestContext) -> Response:
    return render(request, "groups.html", tab="groups", rows=groups.list_groups(context))


@place.page("/holders/groups/new", May.CHANGE_HOLDERS)
def new_group(request: Request, context: RequestContext) -> Response:
    return render(request, "group_form.html", view=None)


@place.page("/holders/groups/{key}", May.LOOK)
def group(request: Request, context: RequestContext, key: str) -> Response:
    return render(request, "group.html", view=groups.view_group(context, key))


@place.action("/holders/groups", May.CHANGE_HOLDERS)
def add_group(
    request: Request,
    context: RequestContext,
    name: Annotated[str, Form()] = "",
    members: Annotated[list[str] | None, Form()] = None,
) -> Response:
    order = groups.set_group(context, name, _lines(members))
    return go(request, f"/work-orders/{order.no}")


@place.action("/holders/groups/{key}", May.CHANGE_HOLDERS)
def change_group(
    request: Request,
    context: RequestContext,
    key: str,
    name: Annotated[str, Form()] = "",
    members: Annotated[list[str] | None, Form()] = None,
) -> Response:
    order = groups.set_group(context, name, _lines(members), key)
    return go(request, f"/holders/groups/{key}?done={order.no}")


@place.action("/holders/groups/{key}/remove", May.CHANGE_HOLDERS)
def remove_group(request: Request, context: RequestContext, key: str) -> Response:
    return go(request, f"/work-orders/{groups.take_away(context, key).no}")


# ── downstream systems ──


@place.page("/holders/systems", May.LOOK)
def systems(request: Request, context: RequestContext) -> Response:
    return render(request, "systems.html", tab="systems", rows=downstream.list_systems(context))


@place.page("/holders/systems/new", May.CHANGE_HOLDERS)
def new_system(request: Request, context: RequestContext) -> Response:
    sites = site_management.site_choices(context)
    return render(
        request,
        "system_form.html",
        system=None,
        sites=sites,
        formats=[(f, f) for f in downstream.FORMATS],
        spots=site_management.spot_choices(context, sites),
    )


@place.page("/holders/systems/{key}", May.LOOK)
def system(request: Request, context: RequestContext, key: str) -> Response:
    view = downstream.view_system(context, key)
    sites = site_management.site_choices(context)
    return render(
        request,
        "system.html",
        view=view,
        system=view.system,
        sites=sites,
        formats=[(f, f) for f in downstream.FORMATS],
        spots=site_management.spot_choices(context, sites),
    )


@place.page("/holders/systems/{key}/sheets", May.LOOK)
def system_sheets(request: Request, context: RequestContext, key: str) -> Response:
    """The trunk between our telephone system and this one: a sheet for each end."""
    view = downstream.view_system(context, key)
    sheets = [(end.value, downstream.sheet(context, key, end)) for end in End]
    return render(request, "system_sheets.html", system=view.system, sheets=sheets)


@place.page("/holders/systems/{key}/sheets/{end}.pdf", May.LOOK)
def system_sheet_pdf(context: RequestContext, key: str, end: str) -> Response:
    if end not in set(End):
        raise NotFound("There is a sheet for each end: theirs and ours.", subject="sheet", id=end)
    paper = sheet_on_paper(downstream.sheet(context, key, End(end)), context.organisation.name)
    return Response(paper, media_type="application/pdf")


@place.action("/holders/systems", May.CHANGE_HOLDERS)
async def add_system(request: Request, context: RequestContext) -> Response:
    form = {name: str(value)[:300] for name, value in (await request.form()).items()}
    made = await run_in_threadpool(downstream.keep_system, context, form)
    return go(request, f"/holders/systems/{made.id}")


@place.action("/holders/systems/{key}", May.CHANGE_HOLDERS)
async def change_system(request: Request, context: RequestContext, key: str) -> Response:
    form = {name: str(value)[:300] for name, value in (await request.form()).items()}
    await run_in_threadpool(downstream.keep_system, context, form, key)
    return go(request, f"/holders/systems/{key}")


@place.action("/holders/systems/{key}/numbers", May.CHANGE_ESTATE)
def give_numbers(
    request: Request, context: RequestContext, key: str, numbers: Annotated[str, Form()] = ""
) -> Response:
    return go(request, f"/work-orders/{downstream.give(context, key, numbers).no}")


def _lines(picked: list[str] | None) -> str:
    """Those that were picked one by one, then those of a pasted list; nobody twice."""
    lines = [line.strip() for text in picked or [] for line in text.splitlines()]
    return "\n".join(dict.fromkeys(line for line in lines if line))


# ── service lines ──


@place.action("/holders/lines/{key}/change", May.CHANGE_HOLDERS)
def change_line(
    request: Request,
    context: RequestContext,
    key: str,
    name: Annotated[str, Form()] = "",
    kind: Annotated[str, Form()] = "",
    members: Annotated[list[str] | None, Form()] = None,
    group: Annotated[list[str] | None, Form()] = None,
    spot: Annotated[str, Form()] = "",
) -> Response:
    service_lines.change_line(
        context,
        key,
        name=name,
        kind=kind,
        members=_lines(members),
        groups=(group or [])[:50],
        spot=spot,
    )
    return go(request, f"/holders/lines/{key}")


# ── the directory ──


@place.page("/holders/directory", May.LOOK)
def proposals(request: Request, context: RequestContext) -> Response:
    rows = directory_proposals.proposals(context)
    return render(
        request,
        "directory.html",
        tab="directory",
        rows=rows,
        taken=directory_proposals.proposals(context, state="taken"),
        sites=site_management.site_choices(context),
        connected=context.organisation.asks_directory,
    )


@place.action("/holders/directory", May.DIRECTORY)
async def take(request: Request, context: RequestContext) -> Response:
    form = await request.form()
    picked = [str(value)[:80] for value in form.getlist("pick")][:500]
    sites = {
        name[5:]: str(value) for name, value in form.items() if name.startswith("site-") and value
    }
    if form.get("what") == "dismiss":
        await run_in_threadpool(directory_proposals.dismiss, context, picked)
        return go(request, "/holders/directory")
    order = await run_in_threadpool(lambda: directory_proposals.take(context, picked, sites=sites))
    return go(request, f"/work-orders/{order.no}")


@place.action("/holders/directory/ask", May.DIRECTORY)
def ask_directory(request: Request, context: RequestContext) -> Response:
    directory_proposals.pull(context)
    return go(request, "/holders/directory")

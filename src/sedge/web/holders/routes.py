"""Holders: people, service lines, sites; bringing people in from a file."""

import base64
from typing import Annotated
from urllib.parse import urlencode

from fastapi import File, Form, Request, UploadFile
from fastapi.responses import Response
from pydantic import BaseModel
from starlette.concurrency import run_in_threadpool

from sedge.core.access.roles import May
from sedge.core.enums import Right
from sedge.core.errors import NotUnderstood
from sedge.core.holders.devices import KINDS
from sedge.core.numbers.plan import COUNTRIES
from sedge.core.outbound.caller_id import in_words
from sedge.core.outbound.dialling.dialplan import dial, plan_of
from sedge.core.records import CivicElements, HolderKind, HolderRef, Subject
from sedge.core.safety.countries import FORMS
from sedge.services.holders import (
    erasure,
    groups,
    holders,
    person_details,
    service_lines,
    site_facts,
    site_management,
    site_setup,
)
from sedge.services.holders.service_lines import LINE_KINDS
from sedge.services.imports import people_import
from sedge.services.ledger import ledger
from sedge.web.routing import Place, RequestContext
from sedge.web.shared.rendering import go, render, target

place = Place()
NEW = {"person": "person", "line": "service line", "site": "site"}


@place.page("/holders", May.LOOK)
def people(
    request: Request, context: RequestContext, site: str = "", find: str = "", after: str = ""
) -> Response:
    rows, following = holders.people(context, site=site, find=holders.searched(find), after=after)
    template = "_people.html" if target(request) == "people" else "holders.html"
    return render(
        request,
        template,
        tab="people",
        rows=rows,
        following=following,
        sites=_sites(context),
        site=site,
        find=find,
    )


@place.page("/holders/lines", May.LOOK)
def lines(request: Request, context: RequestContext, site: str = "") -> Response:
    return render(
        request, "lines.html", tab="lines", rows=holders.service_lines(context, site=site)
    )


@place.page("/holders/sites", May.LOOK)
def sites(request: Request, context: RequestContext) -> Response:
    return render(request, "sites.html", tab="sites", rows=site_management.sites(context))


@place.page("/holders/people/{key}", May.LOOK)
def person(request: Request, context: RequestContext, key: str, phone: str = "") -> Response:
    card = person_details.view_person(context, key)
    row = holders.one_holder(context, HolderKind.PERSON, key)
    what = ", ".join(x for x in (card.person.job, card.person.department) if x) or "person"
    history = ledger.read(context, subject=Subject.PERSON, key=key, limit=20).entries
    return render(
        request,
        "person.html",
        row=row,
        card=card,
        what=what,
        history=history,
        spots=[(s.id, f"{s.name} ({s.id})") for s in card.spots],
        spot_name=_spot_name(context, row),
        kinds=[(k, k) for k in KINDS],
        phone=phone if phone in KINDS else "",
        rights=[(r.value, r in card.person.rights) for r in Right],
    )


@place.page("/holders/people/{key}/erase", May.SET_RULES)
def what_is_erased(request: Request, context: RequestContext, key: str) -> Response:
    return render(request, "erase.html", found=erasure.view(context, key))


@place.action("/holders/people/{key}/erase", May.SET_RULES)
def erase(
    request: Request,
    context: RequestContext,
    key: str,
    reason: Annotated[str, Form(max_length=200)] = "",
) -> Response:
    erasure.erase(context, key, reason)
    return go(request, f"/holders/people/{key}")


@place.page("/holders/lines/{key}", May.LOOK)
def line(request: Request, context: RequestContext, key: str) -> Response:
    row = holders.one_holder(context, HolderKind.SERVICE_LINE, key)
    history = ledger.read(context, subject=Subject.SERVICE_LINE, key=key, limit=20).entries
    known = groups.list_groups(context)
    return render(
        request,
        "line.html",
        row=row,
        calls=person_details.calls_to(
            context, Subject.SERVICE_LINE, HolderRef(kind=HolderKind.SERVICE_LINE, id=key)
        ),
        paths=holders.paths_of(context, row),
        history=history,
        spot_name=_spot_name(context, row),
        members=holders.names_of(context, row.holder),
        rights=[(r.value, r in row.holder.rights) for r in Right],
        groups=known,
        kinds=[(k, k) for k in LINE_KINDS],
        spots=site_management.good_spots(context, row.holder.site, keep=row.holder.spot),
    )


def _spot_name(context: RequestContext, row: holders.HolderRow) -> str:
    return next(
        (
            s.name
            for s in site_management.spots_of(context, row.holder.site)
            if s.id == row.holder.spot
        ),
        "",
    )


@place.page("/holders/sites/{key}", May.LOOK)
def site_page(request: Request, context: RequestContext, key: str, dialled: str = "") -> Response:
    """A site with its spots and its dial plan, in which dialled digits can be tried."""
    view = site_management.one_site(context, key)
    tried = dial(dialled[:40], view.row.site) if dialled.strip() else None
    return render(
        request,
        "site.html",
        row=view.row,
        spots=view.spots,
        main=view.main,
        account=view.account,
        plan=plan_of(view.row.site),
        dialled=dialled,
        tried=tried,
        country=COUNTRIES[view.row.site.country],
        rights=[(r.value, r in view.row.site.rights) for r in Right],
        calls_show=in_words(view.row.site.caller_id, "the organisation"),
    )


SETUP = {
    "change": "/holders/sites/{}/change",
    "spots": "/safety?site={}",
    "carriers": "/carriers/trunks/new?site={}",
    "supply": "/holders/sites/{}/supply",
    "order": "/supply/for-site?site={}",
    "path": "/paths/new?site={}",
    "give-main": "/work-orders/new/assign?site={}&role=main",
    "give-mailbox": "/work-orders/new/assign?site={}&role=mailbox+access",
    "people": "/holders/import",
}


@place.page("/holders/sites/{key}/supply", May.ADD_SITE)
def supply_page(request: Request, context: RequestContext, key: str) -> Response:
    return render(
        request,
        "site_supply.html",
        site=site_management.one_site(context, key).row.site,
        accounts=site_management.supply_choices(context),
    )


@place.action("/holders/sites/{key}/supply", May.ADD_SITE)
def choose_supply(
    request: Request, context: RequestContext, key: str, account: Annotated[str, Form()] = ""
) -> Response:
    site_setup.choose_account(context, key, account)
    return go(request, f"/holders/sites/{key}/set-up")


@place.page("/holders/sites/{key}/set-up", May.LOOK)
def set_up(request: Request, context: RequestContext, key: str) -> Response:
    """What the site has and what it lacks, in the order in which it is done."""
    found = site_setup.guide(context, key)
    rows = [(s, SETUP.get(s.leads_to, "").format(key)) for s in found.steps]
    return render(request, "site_setup.html", guide=found, rows=rows)


@place.action("/holders/sites/{key}/like", May.CHANGE_HOLDERS)
def like(
    request: Request, context: RequestContext, key: str, pattern: Annotated[str, Form()] = ""
) -> Response:
    site_setup.like(context, key, pattern)
    return go(request, f"/holders/sites/{key}/set-up")


@place.page("/holders/sites/{key}/change", May.CHANGE_SAFETY)
def change_site_page(request: Request, context: RequestContext, key: str) -> Response:
    site, address = site_facts.facts_of_site(context, key)
    return render(
        request, "site_change.html", site=site, address=address, fields=FORMS[site.country]
    )


@place.action("/holders/sites/{key}/change", May.CHANGE_SAFETY)
async def change_site(request: Request, context: RequestContext, key: str) -> Response:
    form = {name: str(value)[:300] for name, value in (await request.form()).items()}
    return await run_in_threadpool(_change_site, request, context, key, form)


def _change_site(
    request: Request, context: RequestContext, key: str, form: dict[str, str]
) -> Response:
    site_facts.change_site(context, key, form)
    return go(request, f"/holders/sites/{key}")


def _sites(context: RequestContext) -> list[tuple[str, str]]:
    return [(site.id, site.name) for site in site_management.plain_sites(context)]


@place.page("/holders/new/site", May.ADD_SITE)
def new_site(request: Request, context: RequestContext, country: str = "") -> Response:
    return _new(request, context, "site", country)


@place.page("/holders/new/{what}", May.CHANGE_HOLDERS)
def new(request: Request, context: RequestContext, what: str) -> Response:
    return _new(request, context, what if what in NEW else "person")


def _new(request: Request, context: RequestContext, kind: str, country: str = "") -> Response:
    home = country.upper() if country.upper() in FORMS else context.organisation.home_country
    sites_ = _sites(context)
    spots = site_management.spots_by_site(context, sites_) if kind in {"line", "person"} else []
    return render(
        request,
        "holder_new.html",
        what=kind,
        words=NEW[kind],
        sites=sites_,
        kinds=[(k, k) for k in LINE_KINDS],
        spots=spots,
        countries=[(c.code, c.name) for c in COUNTRIES.values()],
        accounts=site_management.supply_choices(context),
        phones=[(k, k) for k in KINDS],
        country=home,
        fields=FORMS[home],
    )


@place.action("/holders/people", May.CHANGE_HOLDERS)
def add_person(
    request: Request,
    context: RequestContext,
    name: Annotated[str, Form()] = "",
    email: Annotated[str, Form()] = "",
    site: Annotated[str, Form()] = "",
    department: Annotated[str, Form()] = "",
    job: Annotated[str, Form()] = "",
    extension: Annotated[str, Form()] = "",
    phone: Annotated[str, Form()] = "",
    spot: Annotated[str, Form()] = "",
    then: Annotated[str, Form()] = "",
) -> Response:
    """Adds somebody; `then` says whether a number is given next."""
    made = holders.add_person(
        context,
        name=name,
        email=email,
        site=site,
        department=department,
        job=job,
        extension=extension,
        spot=spot,
    )
    asked = {"phone": phone} if phone else {}
    if then == "number":
        return go(request, f"/work-orders/new/assign?{urlencode({'person': made.id, **asked})}")
    return go(request, f"/holders/people/{made.id}{'?' + urlencode(asked) if asked else ''}")


@place.action("/holders/lines", May.CHANGE_HOLDERS)
def add_line(
    request: Request,
    context: RequestContext,
    name: Annotated[str, Form()] = "",
    kind: Annotated[str, Form()] = "",
    site: Annotated[str, Form()] = "",
    spot: Annotated[str, Form()] = "",
) -> Response:
    made = service_lines.add_service_line(context, name=name, kind=kind, site=site, spot=spot)
    return go(request, f"/holders/lines/{made.id}")


class NewSite(BaseModel):
    """A site with its address as typed; `accepted`: as the register corrects it."""

    name: str = ""
    code: str = ""
    country: str = "GB"
    street: str = ""
    house_number: str = ""
    city: str = ""
    postcode: str = ""
    region: str = ""
    building: str = ""
    floors: str = "1"
    area_m2: str = "0"
    account: str = ""
    security_desk: str = ""
    accepted: str = ""

    @property
    def elements(self) -> CivicElements:
        return CivicElements(
            country=self.country,
            region=self.region,
            city=self.city,
            street=self.street,
            house_number=self.house_number,
            postcode=self.postcode,
            building=self.building.strip()[:60],
        )


@place.action("/holders/sites", May.ADD_SITE)
def add_site(
    request: Request, context: RequestContext, form: Annotated[NewSite, Form()]
) -> Response:
    """The address is checked against the register first; a correction has to be accepted, a guess
    is never taken."""
    made = site_management.add_site(
        context,
        name=form.name,
        code=form.code,
        typed=form.elements,
        accepted=bool(form.accepted),
        floors=_whole(form.floors, "floors"),
        area_m2=_whole(form.area_m2, "area_m2"),
        account=form.account or None,
        security_desk=form.security_desk,
    )
    return go(request, f"/holders/sites/{made.id}/set-up")


def _whole(text: str, field: str) -> int:
    if not (text.isascii() and text.isdigit() and len(text) < 10):
        raise NotUnderstood("Type a whole number.", field=field)
    return int(text)


@place.page("/holders/import", May.CHANGE_HOLDERS)
def import_page(request: Request, context: RequestContext) -> Response:
    return render(
        request,
        "import.html",
        tab="people",
        sites=_sites(context),
        preview=None,
        file="",
        site="",
        done=None,
    )


@place.action("/holders/import", May.CHANGE_HOLDERS)
def preview(
    request: Request,
    context: RequestContext,
    file: Annotated[UploadFile, File()],
    site: Annotated[str, Form()] = "",
) -> Response:
    data = file.file.read()
    found = people_import.preview_people(context, data, site)
    return render(
        request,
        "import.html",
        tab="people",
        sites=_sites(context),
        preview=found,
        file=base64.b64encode(data).decode(),
        site=site,
        done=None,
    )


@place.action("/holders/import/run", May.CHANGE_HOLDERS)
def bring_in(
    request: Request,
    context: RequestContext,
    content: Annotated[str, Form()],
    digest: Annotated[str, Form()],
    site: Annotated[str, Form()] = "",
) -> Response:
    try:
        data = base64.b64decode(content, validate=True)
    except ValueError as error:
        raise NotUnderstood(
            "The file got lost on the way. Choose it again.", field="file"
        ) from error
    done = people_import.bring_in_people(context, data, digest, site)
    return render(
        request,
        "import.html",
        tab="people",
        sites=_sites(context),
        preview=None,
        file="",
        site="",
        done=done,
    )

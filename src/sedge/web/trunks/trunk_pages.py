"""Trunks: the list, one with its tests, how it is set up, and the sheet for the other side."""

import math
from typing import Annotated

from fastapi import Form, Request
from fastapi.responses import Response
from pydantic import ValidationError
from starlette.concurrency import run_in_threadpool

from sedge.core.access.roles import May
from sedge.core.enums import Transport
from sedge.core.errors import NotUnderstood
from sedge.core.trunks.erlang import advise
from sedge.core.trunks.life import ON_THE_WAY, TrunkEvent, events_of
from sedge.core.trunks.pasted import read_pasted
from sedge.core.trunks.records import (
    CODECS,
    Diversion,
    Dtmf,
    Identity,
    KnownBy,
    NumberFormat,
    SignIn,
)
from sedge.formats.trunk_sheet import sheet_on_paper
from sedge.services.callpaths import proof_calls
from sedge.services.holders import site_management
from sedge.services.spend import usage
from sedge.services.trunks import (
    adding,
    connection_tests,
    sbcs,
    trunk_settings,
    trunks,
    watching,
)
from sedge.services.trunks.trunk_settings import SettingsAsked
from sedge.web.routing import Place, RequestContext
from sedge.web.shared.rendering import go, render, target
from sedge.web.trunks.answers_picture import MOST_GAPS, answers_picture, gap_words, gaps_of
from sedge.web.trunks.blocking_chart import blocking_chart

place = Place()
Typed = Annotated[str, Form(max_length=500)]
PASTED = {
    "host": "Host",
    "port": "Port",
    "transport": "Transport",
    "outbound_proxy": "Outbound proxy",
    "user": "Sign-in name",
    "secret": "Secret",
    "codecs": "Codecs",
    "dtmf": "DTMF",
    "channels": "Channels",
    "addresses": "Addresses",
    "session": "Session timer",
}
CHOICES = {
    "transports": [(x.value, x.value.upper()) for x in Transport],
    "sign_ins": [
        (SignIn.REGISTER.value, "register with name and secret"),
        (SignIn.ADDRESS.value, "trust by address"),
    ],
    "dtmfs": [(x.value, x.value) for x in Dtmf],
    "formats": [(x.value, x.value) for x in NumberFormat],
    "identities_out": [(x.value, x.value) for x in (Identity.PAI, Identity.FROM)],
    "identities_in": [(x.value, x.value) for x in Identity],
    "others": [("no", "refused"), ("yes", "taken")],
    "emergencies": [("yes", "takes them"), ("no", "takes none")],
    "known_by": [(x.value, x.value) for x in KnownBy],
    "diversions": [(x.value, x.value) for x in Diversion],
}


@place.page("/carriers/trunks", May.LOOK)
def every_trunk(request: Request, context: RequestContext) -> Response:
    rows = [x for row in trunks.carriers(context) for x in row.trunks]
    return render(
        request,
        "trunks.html",
        rows=sorted(rows, key=lambda x: x.trunk.name.lower()),
        standings=watching.standings_of(context),
    )


@place.page("/carriers/trunks/new", May.TRUNKS)
def new_trunk(
    request: Request, context: RequestContext, site: str = "", account: str = ""
) -> Response:
    """The simple form of one's own trunk."""
    found = [
        (a.id, f"{a.name}, {v.carrier.name}") for v in trunks.carriers(context) for a in v.accounts
    ]
    sites = site_management.site_choices(context)
    return render(
        request, "trunk_new.html", accounts=found, sites=sites, site=site, account=account
    )


@place.action("/carriers/trunks", May.TRUNKS)
def add_trunk(
    request: Request,
    context: RequestContext,
    name: Typed = "",
    account: Typed = "",
    site: Typed = "",
    host: Typed = "",
    channels: Typed = "",
    serves: Annotated[list[str] | None, Form(max_length=1000)] = None,
) -> Response:
    calls = int(channels) if channels.isascii() and channels.isdigit() and len(channels) < 7 else 0
    trunk = adding.add_trunk(
        context,
        name=name,
        account=account,
        site=site,
        host=host,
        channels=calls,
        serves=serves or (),
    )
    return go(request, f"/carriers/trunks/{trunk.id}")


@place.page("/carriers/channels", May.LOOK)
def channels(
    request: Request,
    context: RequestContext,
    load: str = "",
    blocking: str = "1",
    retries: str = "0",
    trunk: str = "",
) -> Response:
    """How many channels a load needs, beside those that are bought; of a trunk its measured
    load."""
    every = trunks.plain(context)
    known = [(x.name, x.channels) for x in every if x.channels and trunk in {"", x.id}]
    loads = usage.peaks(context)
    measured = [(x, loads[x.id]) for x in every if loads.get(x.id)]
    advice, problems = None, {}
    try:
        if load.strip():
            advice = advise(
                _number(load, "load"),
                _number(blocking, "blocking") / 100,
                _number(retries, "retries") / 100,
            )
    except NotUnderstood as wrong:
        problems = {wrong.facts.get("field") or wrong.field: wrong.message}
    return render(
        request,
        "channels.html",
        load=load[:20],
        blocking=blocking[:20],
        retries=retries[:20],
        advice=advice,
        problems=problems,
        trunks=known,
        measured=measured,
        chart=blocking_chart(advice, known) if advice else "",
    )


def _number(text: str, field: str) -> float:
    try:
        found = float(text.replace(",", "."))
    except ValueError:
        found = float("nan")
    if not math.isfinite(found):
        raise NotUnderstood(f"“{text[:20]}” is no number.", field=field)
    return found


@place.page("/carriers/trunks/{key}", May.LOOK)
def trunk(request: Request, context: RequestContext, key: str) -> Response:
    answers, seen = watching.watched(context, key), trunk_settings.view(context, key)
    zone = context.installation.home_zone(context.who.organisation)
    proofs = proof_calls.proofs_of(context, trunk=key)
    return render(
        request,
        "trunk.html",
        view=trunks.one(context, key),
        answers=answers,
        phases=ON_THE_WAY,
        ends_at=sbcs.standing_in(context, seen.trunk.sbc),
        picture=answers_picture(answers.hours, answers.last_hour, zone),
        gaps=[gap_words(gap, zone) for gap in gaps_of(answers.hours)[:MOST_GAPS]],
        settings=seen,
        events=[event.value for event in events_of(seen.trunk.state)],
        proofs=proofs,
        changed=proof_calls.what_changed(context, proofs),
        used=usage.of_trunk(context, key),
    )


@place.page("/carriers/trunks/{key}/settings", May.TRUNKS)
def settings_form(request: Request, context: RequestContext, key: str) -> Response:
    view = trunk_settings.view(context, key)
    return render(
        request,
        "trunk_settings.html",
        view=view,
        codecs=CODECS,
        choices=CHOICES,
        sbcs=sbcs.choices(context),
        sites=site_management.site_choices(context, chosen=view.trunk.serves),
        pasted=None,
        names=PASTED,
    )


@place.action("/carriers/trunks/{key}/pasted", May.TRUNKS)
def read_pasted_values(
    request: Request,
    context: RequestContext,
    key: str,
    text: Annotated[str, Form(max_length=50_000)] = "",
) -> Response:
    """The form filled with what was recognised of the other side's values; nothing is kept."""
    pasted = read_pasted(text)
    view = trunk_settings.with_pasted(context, key, pasted)
    return render(
        request,
        "trunk_settings.html",
        view=view,
        codecs=CODECS,
        choices=CHOICES,
        sbcs=sbcs.choices(context),
        sites=site_management.site_choices(context, chosen=view.trunk.serves),
        pasted=pasted,
        names=PASTED,
    )


@place.action("/carriers/trunks/{key}/settings", May.TRUNKS)
async def change_settings(request: Request, context: RequestContext, key: str) -> Response:
    """As a draft, so that its checks are seen."""
    given = await request.form()
    form = {name: str(value) for name, value in given.items() if name != "serves"}
    serves = [str(site) for site in given.getlist("serves")]
    secret = form.pop("secret", "")
    try:
        asked = SettingsAsked.model_validate(form | {"serves": serves})
    except ValidationError as wrong:
        field = str(wrong.errors()[0]["loc"][0])
        message = f"“{form.get(field, '')[:60]}” can't be used for {field.replace('_', ' ')}."
        raise NotUnderstood(message, field=field) from None
    made = await run_in_threadpool(trunk_settings.draft, context, key, asked, secret)
    return go(request, f"/work-orders/{made.no}")


@place.action("/carriers/trunks/{key}/move", May.TRUNKS)
def move(request: Request, context: RequestContext, key: str, event: Typed = "") -> Response:
    """Suspended, resumed or retired; as a draft, so that what that changes is seen."""
    if event not in set(TrunkEvent):
        raise NotUnderstood("A trunk is suspended, resumed or retired.", field="event")
    made = trunk_settings.move(context, key, TrunkEvent(event))
    return go(request, f"/work-orders/{made.no}")


@place.action("/carriers/trunks/{key}/secret", May.TRUNKS)
def give_secret(
    request: Request, context: RequestContext, key: str, secret: Typed = ""
) -> Response:
    trunk_settings.keep_secret(context, key, secret)
    return go(request, f"/carriers/trunks/{key}")


@place.action("/carriers/trunks/{key}/new-secret", May.TRUNKS)
def new_secret(request: Request, context: RequestContext, key: str) -> Response:
    """A secret made anew, shown this once."""
    secret = trunk_settings.make_secret(context, key)
    view = trunk_settings.view(context, key)
    return render(request, "trunk_secret.html", view=view, secret=secret)


@place.action("/carriers/trunks/{key}/test", May.PLACE_TEST_CALL)
def test(request: Request, context: RequestContext, key: str) -> Response:
    """Every link tried now; the result in the place of the last one."""
    connection_tests.run(context, key)
    if target(request):
        return render(request, "_trunk_links.html", trunk=trunks.one(context, key).trunk)
    return go(request, f"/carriers/trunks/{key}")


@place.page("/carriers/trunks/{key}/sheet", May.LOOK)
def sheet(request: Request, context: RequestContext, key: str) -> Response:
    return render(request, "trunk_sheet.html", key=key, sheet=trunk_settings.sheet(context, key))


@place.page("/carriers/trunks/{key}/sheet.pdf", May.LOOK)
def sheet_pdf(context: RequestContext, key: str) -> Response:
    paper = sheet_on_paper(trunk_settings.sheet(context, key), context.organisation.name)
    return Response(paper, media_type="application/pdf")


@place.action("/carriers/trunks/{key}/prove", May.CHANGE_ESTATE)
def prove(request: Request, context: RequestContext, key: str) -> Response:
    """A test call to every number on the trunk's list."""
    return go(request, f"/work-orders/{proof_calls.prove_again(context, trunk=key).no}")

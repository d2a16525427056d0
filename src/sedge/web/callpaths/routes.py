"""Call paths, followed calls, test calls: all that concerns what happens to a number's calls."""

from typing import Annotated
from urllib.parse import urlencode
from zoneinfo import ZoneInfo

from fastapi import Form, Query, Request
from fastapi.responses import Response
from pydantic import BaseModel
from starlette.concurrency import run_in_threadpool

from sedge.core.access.roles import May
from sedge.core.errors import NotUnderstood
from sedge.core.numbers.e164 import describe
from sedge.core.records import Proof
from sedge.services.callpaths import calls, calls_out, own_calls, path_analysis, paths, proof_calls
from sedge.services.callpaths.paths_now import paths_now
from sedge.services.context import Context
from sedge.services.holders import site_management
from sedge.services.numbers import numbers
from sedge.services.spend import usage
from sedge.web.callpaths import views
from sedge.web.routing import Place, RequestContext
from sedge.web.shared.rendering import go, is_swap, render

place = Place()
CALLER = describe("+441314960999").shown


@place.page("/paths", May.LOOK)
def list_paths(request: Request, context: RequestContext) -> Response:
    proofs = calls.proofs(context, limit=60)
    return render(
        request,
        "paths.html",
        rows=views.path_rows(paths_now(context)),
        counts=paths.counts(context),
        proofs=proofs,
        changed=proof_calls.what_changed(context, proofs),
        drawings=paths.drawings(context),
    )


@place.page("/paths/out", May.LOOK)
def out(
    request: Request, context: RequestContext, person: str = "", dialled: str = "", at: str = ""
) -> Response:
    """What a call out becomes; `person` is an id, or a name, extension or mail address as typed, of
    a person, a device, a service line, a site, another telephone system or a trunk."""
    row, trace, problem = None, None, ""
    zone = context.installation.home_zone(context.who.organisation)
    try:
        if person.strip():
            row = calls_out.caller_named(context, person)
            moment = views.moment_of(at, zone, context.now()) if at.strip() else None
            if dialled.strip():
                trace = calls_out.follow_out(context, row.subject, row.id, dialled[:40], moment)
    except NotUnderstood as error:
        problem = error.message
    return render(
        request,
        "follow_out.html",
        who=row,
        person=person[:80],
        problem=problem,
        dialled=dialled,
        at=at[:20],
        trace=trace,
    )


@place.page("/paths/new", May.CHANGE_ESTATE)
def new(request: Request, context: RequestContext, site: str = "") -> Response:
    sites = [(s.id, s.name) for s in site_management.plain_sites(context)]
    if not sites:
        return render(
            request,
            "problem.html",
            heading="No site yet",
            message="A call path belongs to a site. Add the site first.",
            onward="/holders/new/site",
            onward_words="New site",
        )
    return render(
        request, "path_form.html", form=views.path_form(paths.form_facts(context, site=site), sites)
    )


@place.action("/paths/new", May.CHANGE_ESTATE)
async def plan_new(request: Request, context: RequestContext) -> Response:
    return await _plan(request, context, "")


@place.page("/paths/{key}/follow", May.LOOK)
def follow_path(request: Request, context: RequestContext, key: str, drawn: str = "") -> Response:
    """A call through a path: on a number that follows it, else on one of its site as if it did."""
    more = {"drawn": "1", "of": key} if drawn else {}
    number = calls.number_to_follow(context, key)[1:]
    return go(request, f"/numbers/{number}/follow{'?' + urlencode(more) if more else ''}")


@place.page("/paths/{key}", May.LOOK)
def path_page(request: Request, context: RequestContext, key: str) -> Response:
    view = paths.view_path(context, key)
    use = usage.of_steps(context, key, *usage.read_days(context, "", ""))
    used = use if any(step.calls for step in use) else []
    page = views.path_page(
        view,
        path_analysis.analyse(context, key),
        paths.versions(context, key),
        used,
        drawing=paths.is_drawn(context, key),
    )
    proofs = proof_calls.proofs_of(context, path=key)
    return render(
        request,
        "path.html",
        page=page,
        use=used,
        proofs=proofs,
        changed=proof_calls.what_changed(context, proofs),
        unproven=proof_calls.without_proof(context, key),
    )


@place.action("/paths/{key}/prove", May.CHANGE_ESTATE)
def prove(request: Request, context: RequestContext, key: str) -> Response:
    return go(request, f"/work-orders/{proof_calls.prove_again(context, path=key).no}")


@place.action("/paths/{key}/retire", May.CHANGE_ESTATE)
def retire_path(request: Request, context: RequestContext, key: str) -> Response:
    return go(request, f"/work-orders/{paths.retire(context, key).no}")


@place.action("/paths/prove", May.CHANGE_ESTATE)
def prove_stale(request: Request, context: RequestContext) -> Response:
    return go(request, f"/work-orders/{proof_calls.prove_again(context).no}")


@place.page("/paths/{key}/change", May.CHANGE_ESTATE)
def path_form(request: Request, context: RequestContext, key: str) -> Response:
    return render(
        request, "path_form.html", form=views.path_form(paths.form_facts(context, key=key), [])
    )


@place.action("/paths/{key}/change", May.CHANGE_ESTATE)
async def plan_change(request: Request, context: RequestContext, key: str) -> Response:
    return await _plan(request, context, key)


async def _plan(request: Request, context: RequestContext, key: str) -> Response:
    """From the filled-in form to a work order that publishes it."""
    form = await request.form()

    def planned() -> int:
        facts = paths.form_facts(context, site=str(form.get("site", "")), key=key)
        timezone = facts.form.timezone if facts.form else facts.site.timezone
        filled = views.read_form(form, timezone)
        return paths.plan(
            context,
            str(form.get("name", "")),
            filled,
            key=key,
            reason=str(form.get("reason", ""))[:200],
        ).no

    return go(request, f"/work-orders/{await run_in_threadpool(planned)}")


class FollowedCall(BaseModel):
    """What is typed beside the picture of a followed call."""

    at: str = ""
    caller: str = CALLER
    presses: str = ""
    nobody: str = ""
    busy: str = ""
    waiting: str = ""
    down: str = ""
    step_by_step: str = ""
    choices: str = ""
    drawn: str = ""
    of: str = ""

    def asked(self, caller: str = "") -> views.Asked:
        return views.Asked(
            self.at,
            caller[:60],
            self.presses[:60],
            self.busy,
            self.waiting[:6],
            bool(self.nobody),
            bool(self.down),
            self.choices[:2000] if self.step_by_step else None,
            bool(self.drawn),
        )


class KeptCall(FollowedCall):
    name: str = ""


@place.page("/numbers/{number}/follow", May.LOOK)
def follow_call(
    request: Request, context: RequestContext, number: str, call: Annotated[FollowedCall, Query()]
) -> Response:
    """A call to a number, followed: the picture with its way, the story beside it, the week
    underneath."""
    e164 = numbers.the_number(context, number)
    asked = call.asked(call.caller)
    path, site, trunk = calls.path_in_force(context, e164)
    moment = views.moment_of(call.at, ZoneInfo(site.timezone), context.now())
    followed = calls.follow_call(
        context,
        e164,
        moment,
        views.world_of(asked, path, trunk),
        caller=calls.caller_words(context, call.caller),
        drawn=bool(call.drawn),
        of=call.of[:80],
    )
    return render(request, "follow.html", page=views.follow_page(followed, asked, e164[1:], moment))


@place.action("/numbers/{number}/keep-call", May.CHANGE_ESTATE)
def keep_call(
    request: Request, context: RequestContext, number: str, call: Annotated[KeptCall, Form()]
) -> Response:
    """Keep the followed call as a test case of the number's path."""
    e164 = numbers.the_number(context, number)
    path, site, trunk = calls.path_in_force(context, e164)
    moment = views.moment_of(call.at, ZoneInfo(site.timezone), context.now())
    world = views.world_of(call.asked(), path, trunk)
    key = calls.keep_as_test(context, e164, call.name, moment, world, drawn=bool(call.drawn))
    return go(request, f"/paths/{key}/draw")


@place.page("/numbers/{number}/test-call", May.PLACE_TEST_CALL)
def test_call_page(request: Request, context: RequestContext, number: str) -> Response:
    return _test_call(request, context, numbers.the_number(context, number), None)


def _test_call(request: Request, context: Context, e164: str, proof: Proof | None) -> Response:
    """The page, or the part that a call changes; each has the key of the next call, so that
    pressing twice places one."""
    template = "_test_call.html" if is_swap(request) else "test_call.html"
    return render(
        request,
        template,
        card=numbers.card(context, e164),
        number=e164[1:],
        connected=context.outside.telephony.is_connected,
        proof=proof,
        key=context.new_id("proof"),
    )


@place.action("/numbers/{number}/test-call/{key}/note", May.PLACE_TEST_CALL)
def note_on_call(
    request: Request,
    context: RequestContext,
    number: str,
    key: str,
    note: Annotated[str, Form()] = "",
) -> Response:
    calls.note_on_call(context, key, note)
    return go(request, f"/numbers/{number}/test-call")


@place.action("/numbers/{number}/own-call", May.PLACE_TEST_CALL)
def own_call(
    request: Request,
    context: RequestContext,
    number: str,
    direction: Annotated[str, Form()] = "in",
    result: Annotated[str, Form()] = "",
    heard: Annotated[str, Form()] = "",
    key: Annotated[str, Form(pattern=r"^(proof-[0-9a-f]{1,40})?$")] = "",
) -> Response:
    if result not in {"works", "fails"}:
        raise NotUnderstood("Say whether the call works or fails.", field="result")
    e164 = numbers.the_number(context, number)
    ok = result == "works"
    proof = own_calls.note(context, e164, direction, ok=ok, heard=heard, key=key)
    return _test_call(request, context, e164, proof)


@place.action("/numbers/{number}/test-call", May.PLACE_TEST_CALL)
def place_call(
    request: Request,
    context: RequestContext,
    number: str,
    direction: Annotated[str, Form()] = "in",
    presses: Annotated[str, Form()] = "",
    key: Annotated[str, Form(pattern=r"^(proof-[0-9a-f]{1,40})?$")] = "",
) -> Response:
    e164 = numbers.the_number(context, number)
    if direction not in {"in", "out"}:
        raise NotUnderstood("A test call goes in or out.", field="direction")
    proof = calls.place_test_call(
        context, e164, direction, presses=tuple(presses.split())[:20], key=key or None
    )
    return _test_call(request, context, e164, proof)

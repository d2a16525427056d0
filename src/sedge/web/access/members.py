"""Members of the organisation, and the door at which an invitation is taken up."""

from typing import Annotated

from fastapi import Form, Request
from fastapi.responses import Response
from starlette.concurrency import run_in_threadpool
from starlette.datastructures import FormData

from sedge.core.access.roles import May
from sedge.core.errors import NotSignedIn, NotUnderstood, TooMany
from sedge.services.access import members
from sedge.services.holders import site_management
from sedge.web.access.door import let_in
from sedge.web.routing import Place, RequestContext, address_of, caller_of, installation_of
from sedge.web.shared.rendering import go, render

place = Place()


@place.page("/organisations/members", May.SET_RULES, sure=True)
def list_members(request: Request, context: RequestContext) -> Response:
    return _listing(request, context, None)


def _listing(request: Request, context: RequestContext, fresh: members.Invited | None) -> Response:
    here, invited = members.list_members(context)
    sites = site_management.site_choices(context)
    return render(
        request,
        "members.html",
        here=here,
        invited=invited,
        roles=members.ROLES,
        permissions=members.PERMISSIONS,
        choices=[(r.name, r.name) for r in members.ROLES],
        sites=sites,
        names=dict(sites),
        me=context.who.sign_in,
        with_factor=members.with_second_factor(context),
        fresh=fresh,
        mails=context.outside.mail.is_connected,
    )


@place.action("/organisations/members", May.SET_RULES, sure=True)
async def invite(request: Request, context: RequestContext) -> Response:
    form = _read(await request.form())
    made = await run_in_threadpool(members.invite, context, form, address_of(request))
    if made.link:
        return await run_in_threadpool(_listing, request, context, made)
    return go(request, "/organisations/members")


def _read(raw: FormData) -> dict[str, object]:
    form: dict[str, object] = {
        name: str(value)[:300] for name, value in raw.items() if name != "sites"
    }
    return form | {"sites": [str(v)[:80] for v in raw.getlist("sites")][:200]}


@place.action("/organisations/members/{sign_in}", May.SET_RULES, sure=True)
async def change(request: Request, context: RequestContext, sign_in: str) -> Response:
    form = _read(await request.form())
    await run_in_threadpool(members.change_member, context, sign_in, form)
    return go(request, "/organisations/members")


@place.action("/organisations/members/{sign_in}/end", May.SET_RULES, sure=True)
def end(request: Request, context: RequestContext, sign_in: str) -> Response:
    members.end(context, sign_in)
    return go(request, "/organisations/members")


@place.action("/organisations/members/{sign_in}/second-factor-off", May.SET_RULES, sure=True)
def second_factor_off(request: Request, context: RequestContext, sign_in: str) -> Response:
    members.take_off_factor(context, sign_in)
    return go(request, "/organisations/members")


@place.action("/organisations/invitations/{key}/withdraw", May.SET_RULES)
def withdraw(request: Request, context: RequestContext, key: str) -> Response:
    members.withdraw(context, key)
    return go(request, "/organisations/members")


@place.page("/welcome/{token}", May.OPEN)
def welcome(request: Request, token: str) -> Response:
    return render(
        request,
        "welcome.html",
        invited=members.welcome(installation_of(request), token),
        problem=None,
    )


@place.action("/welcome/{token}", May.OPEN)
def accept(
    request: Request,
    token: str,
    password: Annotated[str, Form()] = "",
    again: Annotated[str, Form()] = "",
) -> Response:
    installation = installation_of(request)
    try:
        return let_in(
            request, members.accept(installation, token, password, again, caller_of(request)), "/"
        )
    except (NotUnderstood, NotSignedIn, TooMany) as problem:
        return render(
            request,
            "welcome.html",
            status=problem.status,
            invited=members.welcome(installation, token),
            problem=problem,
        )

"""Tokens for programs: what each may do, when it was used last, and its end."""

from dataclasses import dataclass
from typing import Annotated, Any

from fastapi import Form, Request
from fastapi.responses import Response

from sedge.core.access.roles import KEPT_TO_SITES, AccessRole, May
from sedge.core.errors import NotUnderstood
from sedge.services.access import tokens
from sedge.services.access.tokens import Wish
from sedge.services.context import Context
from sedge.services.holders import site_management
from sedge.store.repositories.access.tokens import Token
from sedge.web.routing import Place, RequestContext
from sedge.web.shared.rendering import go, render

place = Place()
HERE = "/account/tokens"
SPANS = (("30", "30 days"), ("90", "90 days"), ("180", "half a year"), ("365", "a year"))


@dataclass(frozen=True)
class Line:
    """A token as the page shows it."""

    token: Token
    ended: str
    reach: str


@place.page(HERE, May.LOOK, sure=True)
def list_tokens(request: Request, context: RequestContext) -> Response:
    return render(request, "tokens.html", **_facts(context), made=None)


def _facts(context: Context) -> dict[str, Any]:
    sites = site_management.site_choices(context)
    roles = tokens.roles_for(context.who.role)
    return {
        "lines": [_line(context, token, dict(sites)) for token in tokens.list_tokens(context)],
        "roles": [(role.value, role.value) for role in roles],
        "keeps_sites": any(role in KEPT_TO_SITES for role in roles),
        "sites": sites,
        "spans": SPANS,
    }


def _line(context: Context, token: Token, names: dict[str, str]) -> Line:
    ended = ""
    if token.revoked_at:
        ended = f"revoked by {token.revoked_by}"
    elif token.expires_at <= context.installation.clock.real():
        ended = "has run out"
    where = ", ".join(names.get(site, site) for site in token.sites)
    reach = f"{token.role.value}{f' of {where}' if where else ''}"
    return Line(token, ended, f"{reach}, reads only" if token.read_only else reach)


@place.action(HERE, May.LOOK, sure=True)
def make(
    request: Request,
    context: RequestContext,
    name: Annotated[str, Form()] = "",
    role: Annotated[str, Form()] = "",
    days: Annotated[str, Form()] = "90",
    read_only: Annotated[bool, Form()] = False,
    sites: Annotated[list[str] | None, Form()] = None,
) -> Response:
    if not days.isdecimal() or len(days) > 4:
        raise NotUnderstood("Give the days as a number.", field="days")
    wish = Wish(name, _role(role), int(days), read_only, tuple((sites or [])[:200]))
    made = tokens.make(context, wish)
    return render(request, "tokens.html", **_facts(context), made=made)


def _role(text: str) -> AccessRole:
    try:
        return AccessRole(text)
    except ValueError:
        raise NotUnderstood(f"Roles are: {', '.join(AccessRole)}.", field="role") from None


@place.action("/account/tokens/{key}/revoke", May.LOOK, sure=True)
def revoke(request: Request, context: RequestContext, key: str) -> Response:
    tokens.revoke(context, key)
    return go(request, HERE)

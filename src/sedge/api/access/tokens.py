"""Tokens for programs: listed, made, revoked."""

from typing import Annotated

from pydantic import BaseModel, ConfigDict, Field
from typing_extensions import TypedDict

from sedge.api.answers import Page, moment
from sedge.api.routing import RequestContext, Resource
from sedge.core.access.roles import AccessRole, May
from sedge.services.access import tokens
from sedge.services.access.tokens import Wish
from sedge.store.repositories.access.tokens import Token

resource = Resource(tags=["access"])


class NewToken(BaseModel):
    model_config = ConfigDict(extra="forbid")
    name: Annotated[str, Field(min_length=1, max_length=80)]
    role: AccessRole
    days: Annotated[int, Field(ge=1, le=tokens.MOST_DAYS)] = 90
    read_only: bool = False
    sites: Annotated[tuple[str, ...], Field(max_length=200)] = ()


class TokenOut(TypedDict):
    id: str
    name: str
    role: str
    sites: list[str]
    read_only: bool
    made_at: str
    expires_at: str
    used_at: str | None
    used_from: str | None
    revoked_at: str | None


class MadeOut(TypedDict):
    """`secret` is told this once."""

    token: TokenOut
    secret: str


def _out(token: Token) -> TokenOut:
    return {
        "id": token.id,
        "name": token.name,
        "role": token.role.value,
        "sites": list(token.sites),
        "read_only": token.read_only,
        "made_at": moment(token.made_at),
        "expires_at": moment(token.expires_at),
        "used_at": moment(token.used_at) if token.used_at else None,
        "used_from": token.used_from,
        "revoked_at": moment(token.revoked_at) if token.revoked_at else None,
    }


@resource.read("/tokens", May.LOOK)
def listed(context: RequestContext) -> Page[TokenOut]:
    return {"items": [_out(token) for token in tokens.list_tokens(context)], "next": None}


@resource.write("/tokens", May.LOOK, status_code=201)
def make(context: RequestContext, asked: NewToken) -> MadeOut:
    wish = Wish(asked.name, asked.role, asked.days, asked.read_only, asked.sites)
    made = tokens.make(context, wish)
    return {"token": _out(made.token), "secret": made.secret}


@resource.write("/tokens/{key}", May.LOOK, "DELETE")
def revoke(context: RequestContext, key: str) -> TokenOut:
    return _out(tokens.revoke(context, key))

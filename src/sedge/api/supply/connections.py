"""Connections to carriers where numbers stay: signing in there, and connecting numbers."""

from typing import Any

from fastapi import Request
from fastapi.responses import Response
from pydantic import BaseModel, ConfigDict, Field

from sedge.api.amounts import Amount
from sedge.api.answers import OrderMadeOut, Page, moment
from sedge.api.routing import RequestContext, Resource, once
from sedge.api.supply.answers import ConnectionOut
from sedge.core.access.roles import May
from sedge.core.enums import Transport
from sedge.services.supply import external_numbers
from sedge.services.supply.external_numbers import ConnectionView

resource = Resource(tags=["connections"])


class SignIn(BaseModel):
    """How to sign in at the other carrier. On a change an empty password leaves the old one."""

    model_config = ConfigDict(extra="forbid")
    host: str = Field(max_length=253)
    port: int | None = Field(default=None, ge=1, le=65_535)
    transport: Transport = Transport.TLS
    user: str = Field(max_length=200)
    password: str = Field(default="", max_length=200)
    emergency: bool = Field(default=False, description="whether that carrier takes emergency calls")

    def typed(self) -> dict[str, str]:
        plain = {
            "host": self.host,
            "transport": self.transport.value,
            "user": self.user,
            "password": self.password,
        }
        return {**plain, "port": str(self.port or ""), "emergency": "1" if self.emergency else ""}


class Connect(BaseModel):
    """`numbers` as typed, ranges too. Either an existing `trunk`, or a `name` and the `sign_in` of
    a new one."""

    model_config = ConfigDict(extra="forbid")
    numbers: str = Field(max_length=20_000)
    carrier_account: str = Field(max_length=80)
    site: str = Field(max_length=80)
    monthly: Amount = "0"
    capacity: str = Field(default="any", max_length=10)
    trunk: str = Field(default="", max_length=80)
    name: str = Field(default="", max_length=80)
    channels: int = Field(default=1, ge=1, le=10_000)
    sign_in: SignIn | None = None


@resource.creates("/connections", May.BUY, OrderMadeOut)
def connect(request: Request, context: RequestContext, asked: Connect) -> Response:
    """A draft that brings the numbers in and proves each by a test call; signed in at once, and
    checked."""

    def make(_identity: str | None) -> tuple[int, Any]:
        form = {
            name: str(value)
            for name, value in asked.model_dump(exclude={"sign_in", "carrier_account"}).items()
        }
        order = external_numbers.connect(
            context,
            {
                **form,
                "account": asked.carrier_account,
                **(asked.sign_in.typed() if asked.sign_in else {}),
            },
        )
        return 201, {"work_order": order.id, "no": order.no}

    return once(request, context, asked.model_dump(), make)


@resource.read("/connections")
def connections(context: RequestContext) -> Page[ConnectionOut]:
    return {
        "items": [
            _shape(external_numbers.view_connection(context, x.id))
            for x in external_numbers.places(context)[1]
        ],
        "next": None,
    }


@resource.read("/connections/{key}")
def connection(context: RequestContext, key: str) -> ConnectionOut:
    return _shape(external_numbers.view_connection(context, key))


def _shape(view: ConnectionView) -> ConnectionOut:
    of = view.connection
    return {
        "id": view.trunk.id,
        "name": view.trunk.name,
        "carrier": view.carrier.id,
        "site": view.site.id,
        "numbers": view.numbers,
        "signed_in": not view.problem,
        "problem": view.problem or None,
        "host": of.host,
        "port": of.port,
        "transport": of.transport,
        "user": of.user,
        "channels": view.trunk.channels,
        "emergency": view.trunk.emergency,
        "seen_at": moment(view.trunk.seen_at),
    }


@resource.write("/connections/{key}/test", May.PLACE_TEST_CALL)
def test(context: RequestContext, key: str) -> ConnectionOut:
    """Signs in once more."""
    return _shape(external_numbers.test(context, key))


@resource.write("/connections/{key}", May.BUY, method="PATCH")
def change_sign_in(context: RequestContext, key: str, asked: SignIn) -> ConnectionOut:
    """Other settings, signed in with at once."""
    return _shape(external_numbers.change_connection(context, key, asked.typed()))

"""SCIM 2.0 (RFC 7643, 7644) for the directory: what it sends is kept and becomes a proposal on
Today, never a silent change."""

import json
from typing import Any

from fastapi import Request
from fastapi.responses import JSONResponse, Response
from starlette.concurrency import run_in_threadpool

from sedge.api.holders.answers import (
    ScimDescriptionOut,
    ScimDescriptionsOut,
    ScimListOut,
    ScimResourceOut,
)
from sedge.api.routing import RequestContext, Resource
from sedge.core.access.roles import May
from sedge.core.errors import NotUnderstood
from sedge.formats import scim
from sedge.services.context import Context
from sedge.services.holders import directory


class ScimResponse(JSONResponse):
    media_type = scim.MEDIA_TYPE


resource = Resource(
    prefix="/scim/v2", base="", tags=["directory"], default_response_class=ScimResponse
)
MOST_LISTED = 200
LIST = "urn:ietf:params:scim:api:messages:2.0:ListResponse"
MOST_BODY = 1_000_000


def answer(body: Any, status: int = 200, location: str = "") -> Response:
    return ScimResponse(body, status, headers={"Location": location} if location else None)


def _shown(request: Request, kind: str, raw: dict[str, Any]) -> dict[str, Any]:
    location = f"{str(request.base_url).rstrip('/')}/scim/v2/{kind}s/{raw['id']}"
    return {**raw, "meta": {"resourceType": kind, "location": location}}


async def _body(request: Request) -> object:
    raw = await request.body()
    if len(raw) > MOST_BODY:
        raise NotUnderstood("The body is too large.", field="body", reason="invalidValue")
    try:
        return json.loads(raw)
    except (ValueError, RecursionError) as error:
        raise NotUnderstood("The body is no JSON.", field="body", reason="invalidSyntax") from error


@resource.read("/ServiceProviderConfig", May.DIRECTORY, response_model=ScimDescriptionOut)
def service_provider_config() -> Response:
    """What this server can do (RFC 7643 §5)."""
    no, yes = {"supported": False}, {"supported": True}
    return answer(
        {
            "schemas": ["urn:ietf:params:scim:schemas:core:2.0:ServiceProviderConfig"],
            "patch": yes,
            "sort": no,
            "etag": no,
            "changePassword": no,
            "bulk": {**no, "maxOperations": 0, "maxPayloadSize": 0},
            "filter": {**yes, "maxResults": MOST_LISTED},
            "authenticationSchemes": [
                {
                    "type": "oauthbearertoken",
                    "name": "Bearer token",
                    "description": "Authorization: Bearer TOKEN",
                }
            ],
        }
    )


@resource.read("/ResourceTypes", May.DIRECTORY, response_model=ScimDescriptionsOut)
def resource_types() -> Response:
    """Users with the enterprise extension, and groups (RFC 7643 §6)."""
    schema = "urn:ietf:params:scim:schemas:core:2.0:ResourceType"
    extension = [{"schema": scim.ENTERPRISE, "required": False}]
    kinds = [
        {
            "schemas": [schema],
            "id": "User",
            "name": "User",
            "endpoint": "/Users",
            "schema": scim.CORE_USER,
            "schemaExtensions": extension,
        },
        {
            "schemas": [schema],
            "id": "Group",
            "name": "Group",
            "endpoint": "/Groups",
            "schema": scim.CORE_GROUP,
        },
    ]
    return answer(_list(kinds, 1, len(kinds)))


@resource.read("/Schemas", May.DIRECTORY, response_model=ScimDescriptionsOut)
def schemas() -> Response:
    """The schemas as the standard has them (RFC 7643 §7)."""
    known = scim.schemas()
    return answer(_list(known, 1, len(known)))


def _list(resources: list[Any], start: int, count: int) -> dict[str, Any]:
    page = resources[start - 1 : start - 1 + count]
    return {
        "schemas": [LIST],
        "totalResults": len(resources),
        "startIndex": start,
        "itemsPerPage": len(page),
        "Resources": page,
    }


def _listed(request: Request, context: Context, kind: str) -> Response:
    asked = request.query_params
    start, count = (
        max(_number(asked.get("startIndex"), 1), 1),
        min(max(_number(asked.get("count"), MOST_LISTED), 0), MOST_LISTED),
    )
    page = directory.listed(
        context,
        group=kind == "Group",
        text=asked.get("filter", "")[:1000],
        start=start,
        count=count,
    )
    shown = [_shown(request, kind, r) for r in page.resources]
    return answer(
        {
            "schemas": [LIST],
            "totalResults": page.total,
            "startIndex": start,
            "itemsPerPage": len(shown),
            "Resources": shown,
        }
    )


def _number(text: str | None, otherwise: int) -> int:
    if text is None:
        return otherwise
    if not (text.lstrip("-").isascii() and text.lstrip("-").isdigit() and len(text) < 10):
        raise NotUnderstood(
            "startIndex and count are whole numbers.", field="startIndex", reason="invalidValue"
        )
    return int(text)


@resource.read("/Users", May.DIRECTORY, response_model=ScimListOut)
def users(request: Request, context: RequestContext) -> Response:
    """Everybody, as the directory said it last; `filter`, `startIndex`, `count`."""
    return _listed(request, context, "User")


@resource.read("/Groups", May.DIRECTORY, response_model=ScimListOut)
def groups(request: Request, context: RequestContext) -> Response:
    """All groups; `filter`, `startIndex`, `count`."""
    return _listed(request, context, "Group")


@resource.creates("/Users", May.DIRECTORY, ScimResourceOut)
async def add_user(request: Request, context: RequestContext) -> Response:
    """Somebody new, or somebody known of whom the directory tells for the first time."""
    return await run_in_threadpool(_add, request, context, await _body(request), "User")


@resource.creates("/Groups", May.DIRECTORY, ScimResourceOut)
async def add_group(request: Request, context: RequestContext) -> Response:
    """A group of the directory's."""
    return await run_in_threadpool(_add, request, context, await _body(request), "Group")


def _add(request: Request, context: Context, raw: Any, kind: str) -> Response:
    shown = _shown(request, kind, directory.add(context, raw, group=kind == "Group"))
    return answer(shown, 201, shown["meta"]["location"])


@resource.read("/Users/{key}", May.DIRECTORY, response_model=ScimResourceOut)
def user(request: Request, context: RequestContext, key: str) -> Response:
    return answer(_shown(request, "User", directory.the_resource(context, key)))


@resource.read("/Groups/{key}", May.DIRECTORY, response_model=ScimResourceOut)
def group(request: Request, context: RequestContext, key: str) -> Response:
    return answer(_shown(request, "Group", directory.the_resource(context, key, group=True)))


@resource.write("/Users/{key}", May.DIRECTORY, method="PUT", response_model=ScimResourceOut)
async def replace_user(request: Request, context: RequestContext, key: str) -> Response:
    return await run_in_threadpool(_replace, request, context, key, await _body(request), "User")


@resource.write("/Groups/{key}", May.DIRECTORY, method="PUT", response_model=ScimResourceOut)
async def replace_group(request: Request, context: RequestContext, key: str) -> Response:
    return await run_in_threadpool(_replace, request, context, key, await _body(request), "Group")


def _replace(request: Request, context: Context, key: str, raw: object, kind: str) -> Response:
    return answer(
        _shown(request, kind, directory.replace_with(context, key, raw, group=kind == "Group"))
    )


@resource.write("/Users/{key}", May.DIRECTORY, method="PATCH", response_model=ScimResourceOut)
async def change_user(request: Request, context: RequestContext, key: str) -> Response:
    """Some attributes (RFC 7644 §3.5.2); `active` false means that somebody has left."""
    return await run_in_threadpool(_change, request, context, key, await _body(request), "User")


@resource.write("/Groups/{key}", May.DIRECTORY, method="PATCH", response_model=ScimResourceOut)
async def change_group(request: Request, context: RequestContext, key: str) -> Response:
    """Some attributes or members (RFC 7644 §3.5.2)."""
    return await run_in_threadpool(_change, request, context, key, await _body(request), "Group")


def _change(
    request: Request, context: Context, key: str, operations: object, kind: str
) -> Response:
    return answer(
        _shown(
            request,
            kind,
            directory.change_resource(context, key, operations, group=kind == "Group"),
        )
    )


@resource.write("/Users/{key}", May.DIRECTORY, method="DELETE", status_code=204)
def remove_user(context: RequestContext, key: str) -> Response:
    """Deleted over there: proposed as a leaver here."""
    directory.forget(context, key)
    return Response(status_code=204)


@resource.write("/Groups/{key}", May.DIRECTORY, method="DELETE", status_code=204)
def remove_group(context: RequestContext, key: str) -> Response:
    directory.forget(context, key, group=True)
    return Response(status_code=204)

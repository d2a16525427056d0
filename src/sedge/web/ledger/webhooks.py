"""Webhooks: who hears of what happens, and how far they were told."""

from typing import Annotated

from fastapi import Form, Request
from fastapi.responses import Response

from sedge.core.access.roles import May
from sedge.core.errors import NotUnderstood
from sedge.services.ledger import webhooks
from sedge.web.routing import Place, RequestContext
from sedge.web.shared.rendering import go, render

place = Place()
HERE = "/ledger/webhooks"
KINDS = [subject.value for subject in webhooks.TOLD_OF]


@place.page(HERE, May.SET_RULES, sure=True)
def list_webhooks(request: Request, context: RequestContext) -> Response:
    found = webhooks.list_webhooks(context)
    return render(request, "webhooks.html", webhooks=found, kinds=KINDS, made=None, secret="")


@place.action(HERE, May.SET_RULES, sure=True)
def add(
    request: Request,
    context: RequestContext,
    name: Annotated[str, Form()] = "",
    url: Annotated[str, Form()] = "",
    subjects: Annotated[list[str] | None, Form()] = None,
) -> Response:
    made, secret = webhooks.add(context, name, url, (subjects or [])[:50])
    found = webhooks.list_webhooks(context)
    return render(request, "webhooks.html", webhooks=found, kinds=KINDS, made=made, secret=secret)


@place.action("/ledger/webhooks/{key}/remove", May.SET_RULES, sure=True)
def remove(request: Request, context: RequestContext, key: str) -> Response:
    webhooks.remove(context, key)
    return go(request, HERE)


@place.action("/ledger/webhooks/{key}/replay", May.SET_RULES, sure=True)
def replay(
    request: Request, context: RequestContext, key: str, after: Annotated[str, Form()] = ""
) -> Response:
    if after and not (after.isdecimal() and len(after) < 16):
        raise NotUnderstood("Give the number of an entry of the ledger.", field="after")
    webhooks.replay(context, key, int(after) if after else None)
    return go(request, HERE)

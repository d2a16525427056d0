"""Webhooks."""

from typing import Annotated

from pydantic import BaseModel, ConfigDict, Field
from typing_extensions import TypedDict

from sedge.api.answers import Page, moment
from sedge.api.routing import RequestContext, Resource
from sedge.core.access.roles import May
from sedge.services.ledger import webhooks
from sedge.store.repositories.webhooks import Webhook

resource = Resource(tags=["ledger"])


class NewWebhook(BaseModel):
    model_config = ConfigDict(extra="forbid")
    name: Annotated[str, Field(max_length=80)]
    url: Annotated[str, Field(max_length=500)]
    subjects: Annotated[list[str], Field(max_length=50)]


class Replay(BaseModel):
    model_config = ConfigDict(extra="forbid")
    after: Annotated[int | None, Field(ge=0, le=2**53)] = None


class WebhookOut(TypedDict):
    """`position` is the ledger's entry that was told last."""

    id: str
    name: str
    url: str
    subjects: list[str]
    position: int
    told_at: str | None
    problem: str | None
    stopped: bool


class WebhookMadeOut(TypedDict):
    """`secret` is told this once."""

    webhook: WebhookOut
    secret: str


def _out(w: Webhook) -> WebhookOut:
    return {
        "id": w.id,
        "name": w.name,
        "url": w.url,
        "subjects": list(w.subjects),
        "position": w.position,
        "told_at": moment(w.told_at) if w.told_at else None,
        "problem": w.problem,
        "stopped": w.stopped_at is not None,
    }


@resource.read("/webhooks", May.SET_RULES)
def listed(context: RequestContext) -> Page[WebhookOut]:
    return {"items": [_out(w) for w in webhooks.list_webhooks(context)], "next": None}


@resource.write("/webhooks", May.SET_RULES, status_code=201)
def add(context: RequestContext, asked: NewWebhook) -> WebhookMadeOut:
    made, secret = webhooks.add(context, asked.name, asked.url, asked.subjects)
    return {"webhook": _out(made), "secret": secret}


@resource.write("/webhooks/{key}/replay", May.SET_RULES)
def replay(context: RequestContext, key: str, asked: Replay) -> WebhookOut:
    """Tell again what came after an entry of the ledger; without one, go on where it stopped."""
    return _out(webhooks.replay(context, key, asked.after))


@resource.write("/webhooks/{key}", May.SET_RULES, "DELETE", status_code=204)
def remove(context: RequestContext, key: str) -> None:
    webhooks.remove(context, key)

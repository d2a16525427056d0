"""The ledger, and the stand-ins' control panel passed on (demo and tests only)."""

import re
from datetime import timedelta
from typing import Literal, cast

from fastapi import Request
from pydantic import BaseModel, ConfigDict, Field

from sedge.api.answers import Page, moment
from sedge.api.ledger.answers import ClockOut, EntryOut, FaultsOut, MailOut, entry_out
from sedge.api.moments import Moment
from sedge.api.routing import Cursor, RequestContext, Resource, page_limit
from sedge.core.access.roles import May
from sedge.core.errors import NotFound, NotUnderstood
from sedge.core.records import Subject
from sedge.services import simulation_clock
from sedge.services.ledger import ledger

resource = Resource(prefix="/ledger", tags=["ledger"])
standins = Resource(prefix="/standins", tags=["stand-ins"])
standins_at_root = Resource(
    prefix="/standins", base="", include_in_schema=False
)  # the same calls without /api/v1
PERIOD = re.compile(r"^P(?:(\d{1,4})D)?(?:T(?:(\d{1,6})H)?(?:(\d{1,7})M)?(?:(\d{1,8})S)?)?$")


@resource.read("", May.SEE_LEDGER)
def entries(
    context: RequestContext,
    subject: str = "",
    actor: str = "",
    since: Moment | None = None,
    limit: int = 100,
    after: Cursor = 0,
) -> Page[EntryOut]:
    """`subject` is a kind (`number`) or a kind and an id (`number:+441134960142`)."""
    kind, _, key = subject.partition(":")
    if kind and kind not in set(Subject):
        raise NotUnderstood(f"subject is one of: {', '.join(Subject)}.", field="subject")
    if since is not None and since.tzinfo is None:
        raise NotUnderstood("since is a moment with its offset.", field="since")
    page = ledger.read(
        context,
        subject=Subject(kind) if kind else None,
        key=key or None,
        actor=actor or None,
        since=since,
        before=after or None,
        limit=page_limit(limit),
    )
    return {
        "items": [entry_out(e) for e in page.entries],
        "next": str(page.next) if page.next else None,
    }


class Advance(BaseModel):
    model_config = ConfigDict(extra="forbid")
    advance: str = Field(description="ISO 8601 period, such as PT2H or P3D")


class Fault(BaseModel):
    model_config = ConfigDict(extra="forbid")
    service: Literal[
        "carrier", "telephony", "register", "mail", "brackwater", "fellgate", "maplecourt"
    ]
    fault: Literal["timeout", "error", "slow", "reject", "duplicate_callback"]
    count: int = Field(default=1, ge=0, le=1000)


@standins_at_root.write("/clock", May.STEER)
@standins.write("/clock", May.STEER)
def advance(request: Request, context: RequestContext, asked: Advance) -> ClockOut:
    match = PERIOD.match(asked.advance)
    if not match or asked.advance in {"P", "PT"}:
        raise NotUnderstood(
            "advance is an ISO 8601 period such as PT6H, PT90S or P2D.", field="advance"
        )
    days, hours, minutes, seconds = (int(part or 0) for part in match.groups())
    _demo_only(context)
    now = simulation_clock.advance(
        context.installation, timedelta(days=days, hours=hours, minutes=minutes, seconds=seconds)
    )
    return {"now": moment(now)}


@standins_at_root.write("/faults", May.STEER)
@standins.write("/faults", May.STEER)
def order_fault(context: RequestContext, asked: Fault) -> FaultsOut:
    _demo_only(context)
    return simulation_clock.order_fault(context.installation, asked.model_dump())


@standins_at_root.read("/mailbox", May.STEER)
@standins.read("/mailbox", May.STEER)
def mailbox(context: RequestContext) -> Page[MailOut]:
    _demo_only(context)
    return {"items": cast(list[MailOut], context.outside.mail.mailbox()), "next": None}


def _demo_only(context: RequestContext) -> None:
    if not context.installation.settings.demo:
        raise NotFound("There is nothing to steer here: this is not the demo.")

"""How somebody is reached: what would ring for them at a moment, and the rules by which it does."""

import re
from datetime import datetime
from typing import Annotated
from zoneinfo import ZoneInfo

from fastapi import Form, Request
from fastapi.responses import Response
from starlette.concurrency import run_in_threadpool
from starlette.datastructures import FormData

from sedge.core.access.roles import May
from sedge.core.errors import NotUnderstood
from sedge.core.moments import local_moment
from sedge.core.numbers.e164 import read_one
from sedge.core.records import SECONDS_EACH
from sedge.services import people_lookup
from sedge.services.callpaths import path_reach
from sedge.services.context import Context
from sedge.services.holders import holders
from sedge.services.holders.devices import devices
from sedge.services.workorders import workorders
from sedge.web.callpaths.drawing_views import openings_rows
from sedge.web.callpaths.step_forms import opening_of
from sedge.web.routing import Place, RequestContext
from sedge.web.shared.rendering import render
from sedge.web.shared.saving import run_or_review

place = Place()
THEN = [
    ("mailbox", "their mailbox takes a message"),
    ("colleague", "a colleague is rung, then the mailbox"),
    ("mobile", "their mobile is rung"),
    ("nothing", "the call ends"),
]


@place.page("/holders/people/{key}/answering", May.LOOK)
def page(request: Request, context: RequestContext, key: str, at: str = "") -> Response:
    """What would ring now, or at a moment, and the rules."""
    found = path_reach.reachable(context, key, _moment(context, key, at))
    people = path_reach.people_by_id(
        context, (*found.person.answering.pickup, found.person.answering.cover)
    )
    rules = found.person.answering
    return render(
        request,
        "answering.html",
        found=found,
        rules=rules,
        openings=openings_rows(rules.openings),
        then=THEN,
        devices=[(d.id, d.name) for d, _ in devices.of_person(context, key)],
        pickup=[people[k] for k in rules.pickup if k in people],
        cover=people[rules.cover].name if rules.cover in people else "",
        at=at,
        rung_by=path_reach.that_ring(context, key),
    )


def _moment(context: Context, key: str, at: str) -> datetime | None:
    if not at:
        return None
    try:
        typed = datetime.fromisoformat(at)
    except ValueError as error:
        raise NotUnderstood("Type the moment as 2026-03-12T11:20.", field="at") from error
    zone = ZoneInfo(holders.zone_of_person(context, key))
    return local_moment(typed, zone, context.now(), "at")


@place.action("/holders/people/{key}/answering", May.CHANGE_ESTATE)
async def set_rules(
    request: Request, context: RequestContext, key: str, ring_seconds: Annotated[str, Form()] = "25"
) -> Response:
    """The rules as a draft, so that their checks are seen."""
    form = await request.form()

    def planned() -> int:
        raw = {
            "kind": "set_answering",
            "holder": {"kind": "person", "id": key},
            **_read(context, form, ring_seconds),
        }
        name = path_reach.reachable(context, key).person.name
        return workorders.draft(
            context, f"Answering rules of {name}", workorders.read_tasks(context, [raw]), look=True
        ).no

    order = await run_in_threadpool(planned)
    return await run_in_threadpool(
        run_or_review,
        request,
        context,
        order,
        f"/holders/people/{key}/answering",
        str(form.get("now", "")),
    )


def _seconds_each(typed: str) -> int:
    """How long each device rings before the next; 0, and empty, for all at once."""
    if not typed:
        return 0
    if not (typed.isascii() and typed.isdecimal()) or int(typed) not in SECONDS_EACH:
        message = f"{SECONDS_EACH[0]} to {SECONDS_EACH[-1]} seconds, or empty for all at once."
        raise NotUnderstood(message, field="seconds_each")
    return int(typed)


def _read(context: Context, form: FormData, ring_seconds: str) -> dict[str, object]:
    if not ring_seconds.isdigit() or not 5 <= int(ring_seconds) <= 300:
        raise NotUnderstood("A whole number from 5 to 300.", field="ring_seconds")
    texts = {
        name: str(value).strip() for name, value in form.multi_items() if isinstance(value, str)
    }
    rows = sorted(
        {int(m[1]) for name in texts if (m := re.fullmatch(r"(?:from|days)(\d{1,2})", name))}
    )
    mobile = (
        read_one(texts["mobile"], context.organisation.home_country, field="mobile")
        if texts.get("mobile")
        else ""
    )
    picked = "\n".join(str(value) for value in form.getlist("pickup"))
    pickup = [p.id for p in people_lookup.people_in(context, picked, most=20, field="pickup")]
    cover = (
        people_lookup.people_in(context, texts["cover"], most=1, field="cover")[0].id
        if texts.get("cover")
        else ""
    )
    answering = {
        "openings": [o for i in rows if (o := opening_of(form, texts, i))],
        "devices": [str(d) for d in form.getlist("devices")][:20],
        "mobile": mobile,
        "seconds_each": _seconds_each(texts.get("seconds_each", "")),
        "pickup": pickup,
        "then": texts.get("then", "mailbox"),
        "cover": cover,
    }
    return {"ring_seconds": int(ring_seconds), "answering": answering}

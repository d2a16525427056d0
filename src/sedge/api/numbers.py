"""Numbers: the finder, the card, history, small facts, reading typed text, blocks."""

from datetime import datetime
from typing import Any

from fastapi import Request
from pydantic import BaseModel, ConfigDict, Field

from sedge.api import shapes
from sedge.api.doors import AtDesk, Resource, page_limit
from sedge.core.access.roles import May
from sedge.core.errors import NotUnderstood
from sedge.core.numbers.e164 import read
from sedge.core.numbers.life import State
from sedge.core.records import Subject
from sedge.desk import ledger
from sedge.desk import numbers as desk_numbers
from sedge.store.numbers import Filter

resource = Resource(prefix="/numbers", tags=["numbers"])


class Facts(BaseModel):
    model_config = ConfigDict(extra="forbid")
    label: str | None = Field(default=None, max_length=80)
    note: str | None = Field(default=None, max_length=2000)
    tags: list[str] | None = Field(default=None, max_length=50)
    cost_centre: str | None = Field(default=None, max_length=40)


@resource.read("")
def find_numbers(
    desk: AtDesk, find: str = "", state: str = "", site: str = "", carrier: str = "", holder: str = "", capacity: str = "",
    needs_attention: bool = False, limit: int = 100, after: int = 0,
) -> dict[str, Any]:  # fmt: skip
    if state and state not in set(State):
        raise NotUnderstood(f"state is one of: {', '.join(State)}.", field="state")
    if not 0 <= after < 10**16:
        raise NotUnderstood("after is the cursor of the page before.", field="after")
    ref = desk_numbers.holder_ref(holder) if holder else None
    search = desk_numbers.meant(desk, find) if find else None
    wanted = Filter(search, state, site, carrier, capacity, ref, needs_attention)
    rows, following = desk_numbers.listing(desk, wanted, after=after, limit=page_limit(limit))
    return {"items": [shapes.number(r.number, r.holder_name) for r in rows], "next": str(following) if following else None}


@resource.read("/read")
def read_text(text: str = "", country: str = "GB") -> dict[str, Any]:
    reading = read(text, country.upper()[:2])
    candidates = [
        {"e164": c.e164, "national": c.facts.national, "kind": c.facts.kind, "area": c.facts.area, "extension": c.extension}
        for c in reading.candidates
    ]
    problem = {"code": reading.problem.code, "sentence": reading.problem.sentence} if reading.problem else None
    return {"candidates": candidates, "problem": problem}


@resource.read("/{number}")
def card(desk: AtDesk, number: str, at: datetime | None = None) -> dict[str, Any]:
    if at is not None and at.tzinfo is None:
        raise NotUnderstood("at is a moment with its offset, such as 2026-03-12T12:00:00Z.", field="at")
    found = desk_numbers.card(desk, desk_numbers.the_number(desk, number), at)
    facts = [{"name": s.name, "text": s.text, "mark": s.mark} for s in found.standing]
    life = [{"state": s.state, "holder": s.holder, "since": shapes.moment(s.since), "until": shapes.moment(s.until)} for s in found.life]
    return {
        **shapes.number(found.number, found.holder_name),
        "facts": facts,
        "life": life,
        "proofs": [shapes.proof(p) for p in found.proofs],
    }


@resource.read("/{number}/history")
def history(desk: AtDesk, number: str, limit: int = 100, after: int = 0) -> dict[str, Any]:
    e164 = desk_numbers.the_number(desk, number)
    page = ledger.read(desk, subject=Subject.NUMBER, key=e164, limit=page_limit(limit), before=after or None)
    return {"items": [shapes.entry(e) for e in page.entries], "next": str(page.next) if page.next else None}


@resource.write("/{number}", May.EDIT_FACTS, method="PATCH")
def edit(request: Request, desk: AtDesk, number: str, facts: Facts) -> dict[str, Any]:
    e164 = desk_numbers.the_number(desk, number)
    tags = ",".join(facts.tags) if facts.tags is not None else None
    desk_numbers.edit_facts(desk, e164, label=facts.label, note=facts.note, tags=tags, cost_centre=facts.cost_centre)
    found = desk_numbers.card(desk, e164)
    return shapes.number(found.number, found.holder_name)


blocks = Resource(prefix="/blocks", tags=["numbers"])


@blocks.read("")
def list_blocks(desk: AtDesk, site: str = "", page: int = 0) -> dict[str, Any]:
    if not 0 <= page < 10**6:
        raise NotUnderstood("page counts from 0.", field="page")
    found, total = desk_numbers.blocks(desk, Filter(site=site), desk_numbers.overview(desk).exhaustion, page=page)
    items = [
        {
            "block": b.lead, "site": b.site.id, "numbers": b.total, "by_state": {s.value: n for s, n in b.by_state.items()},
            "utilisation": round(b.by_state[State.ASSIGNED] / b.total, 4) if b.total else 0, "longest_free_run": b.free_run,
            "months_to_exhaustion": {"months": b.exhaustion.months, "soonest": b.exhaustion.soonest, "latest": b.exhaustion.latest},
        }
        for b in found
    ]  # fmt: skip
    more = (page + 1) * desk_numbers.BLOCKS_A_PAGE < total
    return {"items": items, "next": str(page + 1) if more else None, "total": total}

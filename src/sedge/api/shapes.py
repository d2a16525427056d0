"""How things look in the JSON interface: plain data from the desk's views."""

import json
from datetime import datetime
from typing import Any

from sedge.core.facts import Money
from sedge.core.ledger.chain import Entry
from sedge.core.ledger.sentences import sentence
from sedge.core.numbers.e164 import describe
from sedge.core.numbers.life import State
from sedge.core.records import Account, Number, Order, Person, Proof, ServiceLine, Site, Spot
from sedge.core.supply.offers import Offer
from sedge.core.workorders.findings import Finding, Remedy
from sedge.services.carriers.balances import AccountOutlook
from sedge.services.imports.take_over import Sitting
from sedge.services.numbers.capacity_forecast import Figure
from sedge.services.numbers.estate import Block
from sedge.services.numbers.saved_views import SavedView
from sedge.services.supply.stock_search import Answer
from sedge.services.supply.supply import OrderView as SupplyOrder
from sedge.services.workorders.order_views import OrderView
from sedge.store.repositories.number_files import NumberFile, Report
from sedge.store.repositories.past import Was
from sedge.store.repositories.workorders import WorkOrder


def moment(value: datetime | None) -> str | None:
    return value.isoformat() if value else None


def money(value: Money | None) -> dict[str, str] | None:
    return {"amount": str(value.rounded().amount), "currency": value.currency} if value else None


def number(n: Number, holder_name: str) -> dict[str, Any]:
    facts = describe(n.e164)
    assignment = n.assignment
    holder = (
        {
            "kind": assignment.holder.kind,
            "id": assignment.holder.id,
            "name": holder_name,
            "role": assignment.role,
        }
        if assignment
        else None
    )
    return {
        "e164": n.e164,
        "national": facts.national,
        "country": facts.country,
        "area": facts.area,
        "kind": facts.kind,
        "capacity": n.capacity,
        "state": n.state,
        "state_until": moment(n.state_until),
        "usable_from": moment(n.usable_from),
        "works_from": moment(assignment.works_from) if assignment else None,
        "features": list(n.features),
        "features_work_from": {name: moment(at) for name, at in n.features_from.items()},
        "label": n.label,
        "note": n.note,
        "tags": list(n.tags),
        "cost_centre": n.cost_centre,
        "holder": holder,
        "site": n.site,
        "carrier": n.carrier,
        "account": n.account,
        "spot": n.spot,
        "path": n.path,
        "trunk": n.trunk,
        "monthly": money(n.monthly),
        "leaving_on": moment(n.leaving_on),
        "known_as": n.known_as,
    }


def drafted(order: WorkOrder) -> dict[str, Any]:
    """A work order that was just written: look at it, add its remedies, run it."""
    return {"work_order": order.id, "no": order.no, "tasks": len(order.tasks)}


def entry(e: Entry) -> dict[str, Any]:
    return {
        "sequence": e.sequence,
        "at": moment(e.at),
        "actor": e.actor,
        "action": e.action,
        "sentence": sentence(e.action),
        "subject": e.subject,
        "id": e.subject_id,
        "title": e.title,
        "reason": e.reason,
        "work_order": e.work_order,
        "after": json.loads(e.after) if e.after else None,
    }


def person(
    p: Person,
    numbers: list[str],
    licences: list[str],
    devices: list[dict[str, Any]],
    *,
    ready: bool,
) -> dict[str, Any]:
    return {
        "id": p.id,
        "name": p.name,
        "email": p.email,
        "site": p.site,
        "department": p.department,
        "job": p.job,
        "extension": p.extension,
        "spot": p.spot,
        "rights": list(p.rights),
        "licences": licences,
        "numbers": numbers,
        "devices": devices,
        "groups": [],
        "ready": ready,
        "left": p.left,
        "answering": {**p.answering.model_dump(mode="json"), "ring_seconds": p.ring_seconds},
    }


def site(s: Site, address: dict[str, Any] | None, spots: list[str]) -> dict[str, Any]:
    return {
        "id": s.id,
        "name": s.name,
        "country": s.country,
        "timezone": s.timezone,
        "language": s.language,
        "supply_model": s.supply_model,
        "code": s.code,
        "civic_address": address,
        "spots": spots,
        "security_desk": s.security_desk,
    }


def service_line(x: ServiceLine) -> dict[str, Any]:
    return {
        "id": x.id,
        "name": x.name,
        "kind": x.kind,
        "site": x.site,
        "recipients": list(x.recipients),
        "spot": x.spot,
    }


def spot(s: Spot, address: dict[str, Any]) -> dict[str, Any]:
    return {
        "code": s.id,
        "name": s.name,
        "site": s.site,
        "civic_address": address,
        "floor": s.floor,
        "room": s.room,
        "confirmed_at": moment(s.confirmed_at),
    }


def account(found: Account, ahead: AccountOutlook | None) -> dict[str, Any]:
    """`ahead` is for those who may see money: balance, what the numbers cost a month, and the days
    that follow from both."""
    left = ahead.runway if ahead else None
    return {
        "id": found.id,
        "name": found.name,
        "currency": found.balance.currency,
        "balance": money(found.balance) if ahead else None,
        "prepaid": found.prepaid,
        "monthly": money(ahead.monthly) if ahead else None,
        "low_on": str(left.low_on) if left and left.low_on else None,
        "empty_on": str(left.empty_on) if left and left.empty_on else None,
    }


def answer(said: Answer) -> dict[str, Any]:
    """What one carrier said; periods in seconds."""
    return {
        "id": said.carrier.id,
        "name": said.carrier.name,
        "in_stock": said.in_stock,
        "problem": said.problem or None,
        "elsewhere": [
            {"area": name, "digits": digits, "in_stock": n} for name, digits, n in said.elsewhere
        ],
        "answered_after": round(said.took.total_seconds(), 3),
        "usual": said.usual.total_seconds() if said.usual else None,
        "late": said.late.total_seconds() if said.late else None,
    }


def offer(o: Offer, carrier: str, account: str) -> dict[str, Any]:
    features = {name: money(fee) for name, fee in o.numbers[0].features.items()}
    return {
        "numbers": [n.e164 for n in o.numbers],
        "carrier": carrier,
        "carrier_account": account,
        "score": {"total": o.total, "parts": o.parts},
        "setup": money(o.setup),
        "monthly": money(o.monthly),
        "capabilities": {"capacity": o.numbers[0].capacity, "features": features},
        "why": o.why,
    }


def supply_order(view: SupplyOrder) -> dict[str, Any]:
    o: Order = view.order
    lines = [
        {"e164": x.e164, "state": x.state, "usable_from": moment(x.usable_from), "reason": x.reason}
        for x in o.lines
    ]
    expected = (
        {"from": moment(o.expected_from), "by": moment(o.expected_by)} if o.expected_by else None
    )
    return {
        "id": o.id,
        "reference": o.reference,
        "state": view.state,
        "carrier_account": o.account,
        "site": o.site,
        "spot": o.spot,
        "lines": lines,
        "expected": expected,
        "refused": o.refused,
        "work_order": view.work_order,
        "papers": [
            {"document": p.document, "paper": p.paper, "state": p.state, "reason": p.reason}
            for p in o.papers
        ],
    }


def remedy(r: Remedy | None) -> dict[str, Any] | None:
    if r is None:
        return None
    if r.leads_to:
        return {
            "leads_to": {"what": r.leads_to.what, "id": r.leads_to.id},
            "words": r.words,
            "automatic": False,
        }
    tasks = [task.model_dump(mode="json") for task in r.tasks]
    return {
        "replace" if r.replaces else "add_before": tasks,
        "words": r.words,
        "automatic": r.automatic,
    }


def check(f: Finding) -> dict[str, Any]:
    automatic = next((r for r in f.remedies if r.automatic), None)
    shown = automatic or (f.remedies[0] if f.remedies else None)
    return {
        "rule": f.rule,
        "level": f.level,
        "task": f.task,
        "message": f.message,
        "remedy": remedy(shown),
        "remedies": [remedy(r) for r in f.remedies],
    }


def work_order(view: OrderView) -> dict[str, Any]:
    o = view.order
    tasks = [
        {
            **x.stored.body.model_dump(mode="json"),
            "id": x.stored.id,
            "position": x.stored.position,
            "after": list(x.stored.after),
            "state": x.stored.state,
            "words": f"{x.verb} {x.rest}".strip(),
            "waits_for": x.stored.waits_for,
            "next_try": moment(x.stored.next_try),
            "error": x.stored.error,
            "works_from": moment(x.stored.works_from),
        }
        for x in view.tasks
    ]
    return {
        "id": o.id,
        "no": o.no,
        "title": o.title,
        "state": o.state,
        "reason": o.reason,
        "created_at": moment(o.created_at),
        "created_by": o.created_by,
        "run_at": moment(o.run_at),
        "awaits": o.awaits,
        "overlaps": [
            {"no": x.no, "title": x.title, "by": x.by, "state": x.state} for x in view.overlaps
        ],
        "finished_at": moment(o.finished_at),
        "undo_of": o.undo_of,
        "tasks": tasks,
        "checks": [check(f) for f in view.report.findings] if view.report else [],
        "runnable": view.runnable,
        "monthly": [money(m) for m in view.costs.monthly.values()],
        "once": [money(m) for m in view.costs.once.values()],
        "cannot_be_undone": view.undo,
        "seen": view.seen,
    }


def proof(p: Proof, *, stale: bool | None = None) -> dict[str, Any]:
    body = {
        "id": p.id,
        "number": p.e164,
        "direction": p.direction,
        "at": moment(p.at),
        "ok": p.ok,
        "note": p.note,
        "heard": p.heard,
        "rang": list(p.rang),
        "differs": p.differs,
    }
    return body if stale is None else {**body, "stale": stale}


def was(w: Was | None) -> dict[str, Any] | None:
    if w is None:
        return None
    return {
        "state": w.state,
        "holder": w.holder_name or None,
        "site": w.site,
        "carrier": w.carrier,
        "since": moment(w.since),
        "until": moment(w.until),
    }


def block(b: Block, *, cells: bool = False) -> dict[str, Any]:
    body: dict[str, Any] = {
        "block": f"+{b.lead}{'xxxx' if b.is_large else 'xx'}",
        "site": b.site.id,
        "area": b.area,
        "numbers": b.total,
        "size": b.size,
        "by_state": {s.value: n for s, n in b.by_state.items()},
        "utilisation": round(b.by_state[State.ASSIGNED] / b.total, 4) if b.total else 0,
        "longest_free_run": None if b.is_large else b.free_run,
        "carriers": b.carriers,
        "months_to_exhaustion": {
            "months": b.exhaustion.months,
            "soonest": b.exhaustion.soonest,
            "latest": b.exhaustion.latest,
        },
    }
    if cells and not b.is_large:
        body["cells"] = [
            {"e164": f"+{c.number}", "state": c.state, "holder": c.holder_name or None}
            for c in b.cells
        ]
    if b.is_large:
        body["hundreds"] = [
            {"block": f"+{hundred}xx", "by_state": {s.value: n for s, n in states.items()}}
            for hundred, states in b.density.items()
        ]
    return body


def figure(f: Figure) -> dict[str, Any]:
    e, a = f.exhaustion, f.advice
    return {
        "site": f.site.id,
        "capacity": f.capacity,
        "utilisation": round(f.utilisation, 4),
        "by_state": {s.value: n for s, n in f.by_state.items()},
        "months_to_exhaustion": {
            "months": e.months,
            "soonest": e.soonest,
            "latest": e.latest,
            "monthly_demand": e.monthly_demand,
        },
        "demand": [
            {"from": m.begins.isoformat(), "to": m.ends.isoformat(), "net": m.net} for m in f.months
        ],
        "advice": vars(a),
    }


def view(v: SavedView) -> dict[str, Any]:
    return {
        "id": v.id,
        "name": v.name,
        "query": v.query,
        "created_by": v.created_by,
        "created_at": moment(v.created_at),
    }


def number_file(f: NumberFile) -> dict[str, Any]:
    def report(r: Report) -> dict[str, Any]:
        return {
            "rows": r.rows,
            "new": r.new,
            "same": r.same,
            "changed": r.changed,
            "differs": r.differs,
            "bad": r.bad,
            "faults": [{"line": line, "text": words, "why": why} for line, words, why in r.faults],
            "differences": [
                {"line": line, "number": national, "what": what}
                for line, national, what in r.differences
            ],
        }

    return {
        "id": f.id,
        "name": f.name,
        "state": f.state,
        "columns": f.mapping,
        "header": list(f.header),
        "notes": list(f.notes),
        "problem": f.problem,
        "found": report(f.report),
        "brought_in": report(f.done),
        "work_order": f.work_order,
    }


def sitting(s: Sitting) -> dict[str, Any]:
    sheet = s.sheet
    numbers = [
        {
            "e164": f"+{n.number}",
            "state": n.state,
            "site": n.site,
            "holder": n.who.name if n.who else None,
            "spot": n.spot,
            "path": n.path,
            "label": n.label,
        }
        for n in sheet.numbers
    ]
    questions = [
        {
            "ask": q.ask,
            "word": q.word,
            "sentence": q.sentence,
            "rows": [list(row) for row in q.rows],
            "choices": [list(c) for c in q.choices],
        }
        for q in sheet.questions
    ]
    return {
        "id": s.one.id,
        "name": s.one.name,
        "state": s.one.state,
        "work_order": s.one.work_order,
        "rows": sheet.rows,
        "files": [
            {"name": f.name, "rows": f.rows, "columns": f.mapping, "notes": list(f.notes)}
            for f in s.one.files
        ],
        "numbers": numbers,
        "people": [
            {"name": p.name, "email": p.email, "site": p.site, "new": p.ref is None}
            for p in sheet.people
        ],
        "questions": questions,
        "here_already": len(sheet.here_already),
        "left_out": len(sheet.left_out),
    }

"""Ports: planned from numbers, looked at, their papers and dates; when a port of a size could be
switched at the earliest."""

from datetime import date, datetime
from typing import Annotated

from fastapi import Query
from fastapi.responses import Response
from pydantic import AwareDatetime, Base64Bytes, BaseModel, ConfigDict, Field

from sedge.api.answers import DraftedOut, Page, drafted_out, moment
from sedge.api.moments import CalendarDay
from sedge.api.porting.answers import (
    EarliestOut,
    PortHoldersOut,
    PortOut,
    PortPlanOut,
    PortRowOut,
    PortsBegunOut,
)
from sedge.api.porting.change_freezes import Day
from sedge.api.routing import RequestContext, Resource
from sedge.core.access.roles import May
from sedge.core.enums import Role
from sedge.core.errors import NotUnderstood
from sedge.core.holding import HolderRef
from sedge.core.numbers.e164 import read_one
from sedge.core.porting.dates import Earliest, earliest, part_of
from sedge.core.porting.planning import PortPlan
from sedge.core.porting.records import AccountDetails, PortLine
from sedge.services.porting import port_cutover, port_dialogue, port_planning, ports

resource = Resource(tags=["ports"])


class Told(BaseModel):
    """The account word for word as on the losing carrier's bill; `number` is the account's."""

    model_config = ConfigDict(extra="forbid")
    number: str = Field(default="", max_length=ports.MOST_TEXT)
    name: str = Field(default="", max_length=ports.MOST_TEXT)
    address: str = Field(default="", max_length=ports.MOST_TEXT)
    pin: str = Field(default="", max_length=ports.MOST_TEXT)
    main_number: str = ""
    new_main_number: str = ""


class Asked(BaseModel):
    """`text` or `numbers`; to our `account` at the gaining carrier, for a `site`. With `dry_run`
    nothing is kept."""

    model_config = ConfigDict(extra="forbid")
    text: str = Field(default="", max_length=200_000)
    numbers: list[str] = Field(default=[], max_length=ports.MOST_NUMBERS)
    to_account: str
    site: str
    account: Told = Told()
    wanted_date: CalendarDay | None = None


class Changed(BaseModel):
    model_config = ConfigDict(extra="forbid")
    account: Told
    wanted_date: CalendarDay | None = None
    subdivision: str | None = Field(
        default=None,
        max_length=3,
        description="whose public holidays count: ISO 3166-2 without the country; none: as it is",
    )
    settled: dict[str, str] = {}
    codes: dict[str, str] = {}


class Signed(BaseModel):
    model_config = ConfigDict(extra="forbid")
    by: str = Field(min_length=2, max_length=120)


class Words(BaseModel):
    model_config = ConfigDict(extra="forbid")
    text: str = Field(min_length=2, max_length=2000)


class Attached(BaseModel):
    """A document to go with an answer: PDF, PNG or JPEG, in base64 (RFC 4648 §4)."""

    model_config = ConfigDict(extra="forbid")
    name: str = Field(min_length=1, max_length=200)
    content: Base64Bytes = Field(max_length=14_000_000)


class Answer(Words):
    attached: Attached | None = None


class Line(BaseModel):
    """Who has a number from the switch on; `holder` None: nobody."""

    model_config = ConfigDict(extra="forbid")
    number: str
    holder: HolderRef | None = None
    role: Role = Role.MAIN
    spot: str | None = None
    path: str | None = None
    fallback: str = ""


class Holders(BaseModel):
    model_config = ConfigDict(extra="forbid")
    lines: list[Line] = Field(max_length=ports.MOST_NUMBERS)
    features: list[str] | None = None


class Proposed(BaseModel):
    model_config = ConfigDict(extra="forbid")
    unsure: bool = False


class Apart(BaseModel):
    model_config = ConfigDict(extra="forbid")
    numbers: str = Field(
        min_length=1, max_length=200_000, description="in any form, ranges with a dash"
    )


class Reason(BaseModel):
    model_config = ConfigDict(extra="forbid")
    reason: str = Field(min_length=3, max_length=200)


@resource.read("/ports", May.SEE_MONEY)
def listing(context: RequestContext) -> Page[PortRowOut]:
    found = ports.list_ports(context)
    return {
        "items": [
            {
                "id": p.id,
                "no": p.no,
                "losing": p.losing,
                "state": p.state.value,
                "numbers": len(p.numbers),
                "foc": _moment(p.foc),
            }
            for p in found
        ],
        "next": None,
    }


@resource.read("/ports/earliest")
def when(
    context: RequestContext,
    country: Annotated[str, Query(min_length=2, max_length=2)],
    submitted: AwareDatetime | None = None,
    subdivision: str = "",
    numbers: Annotated[int, Query(ge=1, le=1_000_000)] = 1,
    sites: Annotated[int, Query(ge=1, le=10_000)] = 1,
    toll_free: bool = False,
) -> EarliestOut:
    """The earliest day and why."""
    part = part_of(country.upper(), subdivision)
    return _earliest(
        earliest(
            country.upper(),
            submitted or context.now(),
            subdivision=part,
            numbers=numbers,
            sites=sites,
            toll_free=toll_free,
        )
    )


@resource.write("/ports", May.PORT, status_code=201)
def begin(
    context: RequestContext, asked: Asked, *, dry_run: bool = False
) -> PortPlanOut | PortsBegunOut:
    """One port for each losing carrier, account and country."""
    text = asked.text or "\n".join(asked.numbers)
    if not text.strip():
        raise NotUnderstood("Give text, or numbers.", field="text")
    if dry_run:
        return _plan(
            port_planning.plan_ports(context, text, account=asked.to_account, site=asked.site).plan
        )
    made = port_planning.begin(context, text, account=asked.to_account, site=asked.site)
    told = asked.account.model_dump()
    if any(told.values()) or asked.wanted_date:
        for port in made:
            ports.change_port(
                context, port.id, _form(asked.account, asked.wanted_date, port.details)
            )
    return {"items": [_shown(context, p.id) for p in made]}


@resource.read("/ports/{key}", May.SEE_MONEY)
def look(context: RequestContext, key: str) -> PortOut:
    return _shown(context, key)


@resource.write("/ports/{key}/change", May.PORT)
def change(context: RequestContext, key: str, asked: Changed) -> PortOut:
    form = _form(asked.account, asked.wanted_date, AccountDetails())
    form |= {f"settle:{n}": words for n, words in asked.settled.items()} | {
        f"code:{n}": code for n, code in asked.codes.items()
    }
    if asked.subdivision is not None:
        form["subdivision"] = asked.subdivision
    ports.change_port(context, key, form)
    return _shown(context, key)


@resource.write("/ports/{key}/sign", May.PORT)
def sign(context: RequestContext, key: str, asked: Signed) -> PortOut:
    ports.sign(context, key, asked.by)
    return _shown(context, key)


@resource.write("/ports/{key}/answer", May.PORT)
def answer(context: RequestContext, key: str, asked: Answer) -> PortOut:
    with_it = (
        {"filename": asked.attached.name, "content": asked.attached.content}
        if asked.attached
        else {}
    )
    port_dialogue.answer_query(context, key, asked.text, **with_it)
    return _shown(context, key)


@resource.write("/ports/{key}/bill", May.PORT)
def put_bill(context: RequestContext, key: str, asked: Attached) -> PortOut:
    """A copy of the losing carrier's bill, kept on file."""
    ports.put_bill(context, key, asked.name, asked.content)
    return _shown(context, key)


@resource.write("/ports/{key}/remind", May.PORT)
def remind(context: RequestContext, key: str) -> PortOut:
    """The losing carrier is past its time and is told so."""
    port_dialogue.remind(context, key)
    return _shown(context, key)


@resource.write("/ports/{key}/split", May.PORT, status_code=201)
def split(context: RequestContext, key: str, asked: Apart) -> PortOut:
    """Numbers into a port of their own, which is given back."""
    return _shown(context, port_dialogue.split(context, key, asked.numbers).id)


@resource.read("/ports/{key}/holders", May.SEE_MONEY)
def holders(context: RequestContext, key: str) -> PortHoldersOut:
    """Who has each number from the switch on, and what is proposed for those that nobody has been
    chosen for (the first 200)."""
    of = port_cutover.preparation(context, key)
    return {
        "features": list(of.port.features),
        "may_be_switched_on": of.features,
        "items": [
            {
                "number": r.line.e164,
                "used_for": r.line.used_for or None,
                "holder": r.line.holder,
                "role": r.line.role.value,
                "spot": r.line.spot,
                "path": r.line.path,
                "fallback": r.line.fallback or None,
                "proposed": (
                    {
                        "holder": r.proposal.ref,
                        "why": r.proposal.why,
                        "sure": r.proposal.sure,
                    }
                    if r.proposal
                    else None
                ),
            }
            for r in of.rows
        ],
    }


@resource.write("/ports/{key}/holders", May.PORT)
def choose(context: RequestContext, key: str, asked: Holders) -> PortHoldersOut:
    """For the numbers named; the others stay as they are."""
    lines = {read_one(x.number, "GB", field="lines"): x for x in asked.lines}
    given = {
        e164: PortLine(
            e164=e164, holder=x.holder, role=x.role, spot=x.spot, path=x.path, fallback=x.fallback
        )
        for e164, x in lines.items()
    }
    port_cutover.give(context, key, given, asked.features)
    return holders(context, key)


@resource.write("/ports/{key}/holders/proposed", May.PORT)
def take_proposals(context: RequestContext, key: str, asked: Proposed) -> PortHoldersOut:
    port_cutover.take_proposals(context, key, unsure=asked.unsure)
    return holders(context, key)


@resource.write("/ports/{key}/submit", May.PORT, status_code=201)
def submit(context: RequestContext, key: str) -> DraftedOut:
    """A draft of the work order that submits it."""
    return drafted_out(ports.submission(context, key))


@resource.write("/ports/{key}/switch", May.PORT, status_code=201)
def switch(context: RequestContext, key: str) -> DraftedOut:
    """A draft of the work order of the day: what is missing before, the switch, calls to and from
    each number that somebody has."""
    return drafted_out(port_cutover.activation(context, key))


@resource.write("/ports/{key}/prove", May.PORT, status_code=201)
def prove(context: RequestContext, key: str) -> DraftedOut:
    return drafted_out(port_cutover.proof(context, key))


@resource.write("/ports/{key}/back-out", May.PORT, status_code=201)
def back_out(context: RequestContext, key: str, asked: Reason) -> DraftedOut:
    """A draft of the work order that gives the numbers back, while the losing carrier takes
    them."""
    return drafted_out(port_cutover.backing_out(context, key, asked.reason))


@resource.write("/ports/{key}/close", May.PORT)
def close(context: RequestContext, key: str) -> PortOut:
    port_cutover.close(context, key)
    return _shown(context, key)


@resource.write("/ports/{key}/date", May.PORT)
def move_date(context: RequestContext, key: str, asked: Day) -> PortOut:
    port_dialogue.move_date(context, key, asked.wanted_date.isoformat())
    return _shown(context, key)


@resource.write("/ports/{key}/cancel", May.PORT)
def cancel(context: RequestContext, key: str) -> PortOut:
    port_dialogue.cancel(context, key)
    return _shown(context, key)


@resource.file("/ports/{key}/loa.pdf", May.SEE_MONEY, "application/pdf")
def mandate(context: RequestContext, key: str) -> Response:
    return Response(ports.mandate_of(context, key), media_type="application/pdf")


@resource.file("/ports/{key}/calendar.ics", May.SEE_MONEY, "text/calendar")
def calendar(context: RequestContext, key: str) -> Response:
    return Response(
        ports.calendar(context, [ports.view_port(context, key).port]),
        media_type="text/calendar; charset=utf-8",
    )


def _form(told: Told, wanted: date | None, known: AccountDetails) -> dict[str, str]:
    values = told.model_dump()
    return {
        **values,
        "account": values.pop("number") or known.account,
        "wanted": wanted.isoformat() if wanted else "",
    }


def _moment(value: datetime | None) -> str | None:
    return moment(value) if value else None


def _earliest(found: Earliest) -> EarliestOut:
    return {
        "date": found.day.isoformat(),
        "opens": f"{found.opens:%H:%M}",
        "closes": f"{found.closes:%H:%M}",
        "timezone": found.timezone,
        "size": found.size.value,
        "working_days": found.lead,
        "day_zero": found.day_zero.isoformat(),
        "reasons": list(found.reasons),
    }


def _plan(found: PortPlan) -> PortPlanOut:
    return {
        "ports": [
            {
                "losing": p.losing,
                "account": p.account,
                "country": p.country,
                "toll_free": p.toll_free,
                "code_of_each": p.code_of_each or None,
                "questions": list(p.questions),
                "numbers": [
                    {
                        "e164": x.e164,
                        "eligible": x.eligible,
                        "reasons": list(x.reasons),
                        "hangs": x.hangs or None,
                    }
                    for x in p.lines
                ],
                "left_behind": [s.e164 for s in p.left_behind],
                "earliest": _earliest(p.earliest) if p.earliest else None,
            }
            for p in found.ports
        ],
        "refused": [{"e164": x.e164, "reasons": list(x.reasons)} for x in found.refused],
    }


def _told(details: AccountDetails) -> dict[str, str]:
    """As it is written with `change`: the account's number is `number`."""
    return {
        "number" if name == "account" else name: value
        for name, value in details.model_dump().items()
    }


def _shown(context: RequestContext, key: str) -> PortOut:
    view = ports.view_port(context, key)
    port = view.port
    return {
        "id": port.id,
        "no": port.no,
        "state": port.state.value,
        "losing": port.losing,
        "to_account": port.account,
        "site": port.site,
        "account": _told(port.details),
        "wanted_date": port.wanted.isoformat() if port.wanted else None,
        "signed": port.signed or None,
        "numbers": [
            {
                "e164": x.e164,
                "eligible": not x.refused,
                "reasons": [x.refused] if x.refused else [],
                "hangs": x.hangs or None,
                "code": x.code or None,
            }
            for x in port.lines
        ],
        "left_behind": list(port.left_behind),
        "lacking": [{"what": x.what, "done": x.done, "says": x.says} for x in view.lacking],
        "earliest": _earliest(view.earliest) if view.earliest else None,
        "foc": _moment(port.foc),
        "answer_due": _moment(port.answer_due),
        "silent": view.silent,
        "wrong_day": view.wrong_day or None,
        "back_out_until": _moment(port.back_out_until),
        "toll_free": port.toll_free,
        "subdivision": port.subdivision or None,
        "bill": port.bill or None,
        "rejection": (
            {
                "code": view.rejected[0].code,
                "text": view.rejected[0].text,
                "remedy": view.rejected[1].remedy,
                "field": view.rejected[1].field,
            }
            if view.rejected
            else None
        ),
        "said": [
            {
                "at": moment(s.at),
                "by": s.by,
                "what": s.what,
                "text": s.text,
                "code": s.code or None,
            }
            for s in port.said
        ],
    }

"""Ports: planned from numbers, looked at, their papers and dates; when a port of a size could be switched at the earliest."""

from datetime import date, datetime
from typing import Annotated, Any

from fastapi import Query
from fastapi.responses import Response
from pydantic import AwareDatetime, BaseModel, ConfigDict, Field

from sedge.api import shapes
from sedge.api.doors import AtDesk, Resource
from sedge.core.access.roles import May
from sedge.core.errors import NotUnderstood
from sedge.core.porting.dates import Earliest, earliest
from sedge.core.porting.planning import PortPlan
from sedge.core.porting.records import AccountDetails
from sedge.desk import ports

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
    """`text` or `numbers`; to our `account` at the gaining carrier, for a `site`. With `dry_run` nothing is kept."""

    model_config = ConfigDict(extra="forbid")
    text: str = Field(default="", max_length=200_000)
    numbers: list[str] = Field(default=[], max_length=ports.MOST_NUMBERS)
    to_account: str
    site: str
    account: Told = Told()
    wanted_date: date | None = None


class Changed(BaseModel):
    model_config = ConfigDict(extra="forbid")
    account: Told
    wanted_date: date | None = None
    settled: dict[str, str] = {}
    codes: dict[str, str] = {}


class Signed(BaseModel):
    model_config = ConfigDict(extra="forbid")
    by: str = Field(min_length=2, max_length=120)


class Words(BaseModel):
    model_config = ConfigDict(extra="forbid")
    text: str = Field(min_length=2, max_length=2000)


class Day(BaseModel):
    model_config = ConfigDict(extra="forbid")
    wanted_date: date


@resource.read("/ports", May.SEE_MONEY)
def listing(desk: AtDesk) -> dict[str, Any]:
    found = ports.listing(desk)
    return {
        "items": [
            {"id": p.id, "no": p.no, "losing": p.losing, "state": p.state.value, "numbers": len(p.numbers), "foc": _moment(p.foc)}
            for p in found
        ],
        "next": None,
    }


@resource.read("/ports/earliest")
def when(
    desk: AtDesk, country: Annotated[str, Query(min_length=2, max_length=2)], submitted: AwareDatetime | None = None, subdivision: str = "",
    numbers: Annotated[int, Query(ge=1, le=1_000_000)] = 1, sites: Annotated[int, Query(ge=1, le=10_000)] = 1, toll_free: bool = False,
) -> dict[str, Any]:  # fmt: skip
    """The earliest day and why."""
    return _earliest(
        earliest(
            country.upper(), submitted or desk.now(), subdivision=subdivision.upper(), numbers=numbers, sites=sites, toll_free=toll_free
        )
    )


@resource.write("/ports", May.BUY, status_code=201)
def begin(desk: AtDesk, asked: Asked, *, dry_run: bool = False) -> dict[str, Any]:
    """One port for each losing carrier, account and country."""
    text = asked.text or "\n".join(asked.numbers)
    if not text.strip():
        raise NotUnderstood("Give text, or numbers.", field="text")
    if dry_run:
        return _plan(ports.plan_ports(desk, text, account=asked.to_account, site=asked.site).plan)
    made = ports.begin(desk, text, account=asked.to_account, site=asked.site)
    told = asked.account.model_dump()
    if any(told.values()) or asked.wanted_date:
        for port in made:
            ports.change(desk, port.id, _form(asked.account, asked.wanted_date, port.details))
    return {"items": [_shown(desk, p.id) for p in made]}


@resource.read("/ports/{key}", May.SEE_MONEY)
def look(desk: AtDesk, key: str) -> dict[str, Any]:
    return _shown(desk, key)


@resource.write("/ports/{key}/change", May.BUY)
def change(desk: AtDesk, key: str, asked: Changed) -> dict[str, Any]:
    form = _form(asked.account, asked.wanted_date, AccountDetails())
    form |= {f"settle:{n}": words for n, words in asked.settled.items()} | {f"code:{n}": code for n, code in asked.codes.items()}
    ports.change(desk, key, form)
    return _shown(desk, key)


@resource.write("/ports/{key}/sign", May.BUY)
def sign(desk: AtDesk, key: str, asked: Signed) -> dict[str, Any]:
    ports.sign(desk, key, asked.by)
    return _shown(desk, key)


@resource.write("/ports/{key}/answer", May.BUY)
def answer(desk: AtDesk, key: str, asked: Words) -> dict[str, Any]:
    ports.answer_query(desk, key, asked.text)
    return _shown(desk, key)


@resource.write("/ports/{key}/date", May.BUY)
def move_date(desk: AtDesk, key: str, asked: Day) -> dict[str, Any]:
    ports.move_date(desk, key, asked.wanted_date.isoformat())
    return _shown(desk, key)


@resource.write("/ports/{key}/cancel", May.BUY)
def cancel(desk: AtDesk, key: str) -> dict[str, Any]:
    ports.cancel(desk, key)
    return _shown(desk, key)


@resource.read("/ports/{key}/loa.pdf", May.SEE_MONEY)
def mandate(desk: AtDesk, key: str) -> Response:
    return Response(ports.mandate_of(desk, key), media_type="application/pdf")


@resource.read("/ports/{key}/calendar.ics", May.SEE_MONEY)
def calendar(desk: AtDesk, key: str) -> Response:
    return Response(ports.calendar(desk, [ports.look(desk, key).port]), media_type="text/calendar; charset=utf-8")


def _form(told: Told, wanted: date | None, known: AccountDetails) -> dict[str, str]:
    values = told.model_dump()
    return {**values, "account": values.pop("number") or known.account, "wanted": wanted.isoformat() if wanted else ""}


def _moment(value: datetime | None) -> str | None:
    return shapes.moment(value) if value else None


def _earliest(found: Earliest) -> dict[str, Any]:
    return {
        "date": found.day.isoformat(), "opens": f"{found.opens:%H:%M}", "closes": f"{found.closes:%H:%M}", "timezone": found.timezone, "size": found.size.value,
        "working_days": found.lead, "day_zero": found.day_zero.isoformat(), "reasons": list(found.reasons),
    }  # fmt: skip


def _plan(found: PortPlan) -> dict[str, Any]:
    return {
        "ports": [
            {
                "losing": p.losing, "account": p.account, "country": p.country, "toll_free": p.toll_free, "questions": list(p.questions),
                "numbers": [{"e164": x.e164, "eligible": x.eligible, "reasons": list(x.reasons), "hangs": x.hangs or None} for x in p.lines],
                "left_behind": [s.e164 for s in p.left_behind], "earliest": _earliest(p.earliest) if p.earliest else None,
            }
            for p in found.ports
        ],
        "refused": [{"e164": x.e164, "reasons": list(x.reasons)} for x in found.refused],
    }  # fmt: skip


def _shown(desk: AtDesk, key: str) -> dict[str, Any]:
    view = ports.look(desk, key)
    port = view.port
    return {
        "id": port.id, "no": port.no, "state": port.state.value, "losing": port.losing, "to_account": port.account, "site": port.site,
        "account": port.details.model_dump(), "wanted_date": port.wanted.isoformat() if port.wanted else None, "signed": port.signed or None,
        "numbers": [{"e164": x.e164, "eligible": not x.refused, "reasons": [x.refused] if x.refused else [], "hangs": x.hangs or None, "code": x.code or None} for x in port.lines],
        "left_behind": list(port.left_behind), "lacking": [{"what": x.what, "done": x.done, "says": x.says} for x in view.lacking],
        "earliest": _earliest(view.earliest) if view.earliest else None, "foc": _moment(port.foc), "answer_due": _moment(port.answer_due),
        "rejection": {"code": view.rejected[0].code, "text": view.rejected[0].text, "remedy": view.rejected[1].remedy, "field": view.rejected[1].field} if view.rejected else None,
        "said": [{"at": shapes.moment(s.at), "by": s.by, "what": s.what, "text": s.text, "code": s.code or None} for s in port.said],
    }  # fmt: skip

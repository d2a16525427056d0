"""Ports out over the interface: who asks for our numbers, what speaks against it, our answer."""

from pydantic import BaseModel, ConfigDict, Field

from sedge.api.answers import DraftedOut, Page, drafted_out, moment
from sedge.api.porting.answers import PinKeptOut, PortOutDetailOut, PortOutOut
from sedge.api.routing import RequestContext, Resource
from sedge.core.access.roles import May
from sedge.core.porting.outgoing_records import PortOut
from sedge.services.porting import port_outs

resource = Resource(tags=["ports out"])


class Refuse(BaseModel):
    """`code` is the trade's: account-number, name-mismatch, pin-wrong, not-in-service,
    pending-order, not-authorised."""

    model_config = ConfigDict(extra="forbid")
    code: str = Field(max_length=40)


class Pin(BaseModel):
    model_config = ConfigDict(extra="forbid")
    pin: str = Field(min_length=3, max_length=port_outs.MOST_PIN)


@resource.read("/port-outs", May.SEE_MONEY)
def listing(context: RequestContext) -> Page[PortOutOut]:
    """Newest first."""
    return {
        "items": [_brief(request) for request, _ in port_outs.list_port_outs(context)],
        "next": None,
    }


@resource.read("/port-outs/{key}", May.SEE_MONEY)
def look(context: RequestContext, key: str) -> PortOutDetailOut:
    view = port_outs.view_port_out(context, key)
    return {
        **_brief(view.request),
        "given": {"name": view.request.given.name, "account": view.request.given.account},
        "doubts": [
            {"code": d.code, "says": d.says, "theirs": d.theirs, "ours": d.ours}
            for d in view.doubts
        ],
        "depends": [
            {"number": n.e164, "what": d.what, "so": d.so, "grave": d.grave}
            for n, d in view.depends
        ],
        "clean_up": view.order.id if view.order else None,
        "said": [
            {"at": moment(s.at), "by": s.by, "text": s.text, "code": s.code or None}
            for s in view.request.said
        ],
    }


@resource.write("/port-outs/{key}/approve", May.PORT, status_code=201)
def approve(context: RequestContext, key: str) -> DraftedOut:
    """A draft of the work order that lets the numbers go."""
    return drafted_out(port_outs.approval(context, key))


@resource.write("/port-outs/{key}/refuse", May.PORT)
def refuse(context: RequestContext, key: str, asked: Refuse) -> PortOutDetailOut:
    port_outs.refuse(context, key, asked.code)
    return look(context, key)


@resource.write("/port-outs/{key}/claim", May.PORT)
def claim(context: RequestContext, key: str) -> PortOutDetailOut:
    """Numbers that went without our word are fetched back."""
    port_outs.claim(context, key)
    return look(context, key)


@resource.write("/port-outs/{key}/let-go", May.PORT)
def let_go(context: RequestContext, key: str) -> PortOutDetailOut:
    """They may stay away; `clean_up` is the draft that sets right what depended on them."""
    port_outs.let_go(context, key)
    return look(context, key)


@resource.write("/carrier-accounts/{key}/port-pin", May.PORT)
def keep_pin(context: RequestContext, key: str, asked: Pin) -> PinKeptOut:
    """What others must know before numbers may leave the account; kept sealed and never told
    again."""
    port_outs.keep_pin(context, key, asked.pin)
    return {"account": key, "kept": True}


def _brief(request: PortOut) -> PortOutOut:
    return {
        "id": request.id,
        "no": request.no,
        "state": request.state.value,
        "gaining": request.gaining,
        "account": request.account,
        "numbers": list(request.numbers),
        "asked_at": moment(request.asked_at),
        "answer_due": moment(request.answer_due),
        "code": request.code or None,
        "goes_at": moment(request.goes_at) if request.goes_at else None,
    }

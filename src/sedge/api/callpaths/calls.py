"""Calls: traces in and out, test calls, proofs."""

from typing import Literal

from pydantic import BaseModel, ConfigDict, Field

from sedge.api.answers import Page
from sedge.api.callpaths.answers import (
    InboundTraceOut,
    InboundTraceStepOut,
    OutboundTraceCandidateOut,
    OutboundTraceOut,
    ProofOut,
    TestCallOut,
    proof_out,
)
from sedge.api.moments import Moment
from sedge.api.routing import RequestContext, Resource
from sedge.core.access.roles import May
from sedge.core.callpaths.tracing.trace import World
from sedge.core.enums import Subject
from sedge.core.errors import NotUnderstood
from sedge.core.safety.emergency import EmergencyAnswer
from sedge.services.callpaths import calls, calls_out, own_calls
from sedge.services.numbers.numbers import the_number

resource = Resource(tags=["calls"])


class Inbound(BaseModel):
    model_config = ConfigDict(extra="forbid")
    number: str
    caller: str = ""
    at: Moment | None = None
    world: World = World()


class Outbound(BaseModel):
    model_config = ConfigDict(extra="forbid")
    person: str = Field(default="", max_length=200)
    line: str = Field(default="", max_length=80, description="a service line's id")
    site: str = Field(default="", max_length=80)
    downstream: str = Field(default="", max_length=80, description="another telephone system's id")
    trunk: str = Field(
        default="", max_length=80, description="a trunk's id: the call comes in over it"
    )
    dialled: str = Field(min_length=1, max_length=40)
    at: Moment | None = None

    def caller(self) -> tuple[Subject, str]:
        """Raises NotUnderstood."""
        named = [
            (subject, key)
            for subject, key in (
                (Subject.PERSON, self.person),
                (Subject.SERVICE_LINE, self.line),
                (Subject.SITE, self.site),
                (Subject.DOWNSTREAM, self.downstream),
                (Subject.TRUNK, self.trunk),
            )
            if key
        ]
        if len(named) != 1:
            message = "Name who calls: a person, a line, a site, a downstream system or a trunk."
            raise NotUnderstood(message, field="person")
        return named[0]


class TestCall(BaseModel):
    model_config = ConfigDict(extra="forbid")
    number: str
    direction: Literal["in", "out"] = "in"
    presses: tuple[str, ...] = ()


class OwnCall(BaseModel):
    model_config = ConfigDict(extra="forbid")
    number: str
    direction: Literal["in", "out"] = "in"
    ok: bool
    heard: str


@resource.write("/trace/inbound", May.LOOK)
def inbound(context: RequestContext, asked: Inbound) -> InboundTraceOut:
    if asked.at is not None and asked.at.tzinfo is None:
        raise NotUnderstood("at is a moment with its offset.", field="at")
    followed = calls.follow_call(
        context,
        the_number(context, asked.number),
        asked.at,
        asked.world,
        caller=calls.caller_words(context, asked.caller),
    )
    trace = followed.trace
    steps: list[InboundTraceStepOut] = [
        {
            "at": h.at,
            "step": h.step,
            "title": h.title,
            "text": h.text,
            "exit": h.exit,
            "wrong": h.wrong,
        }
        for h in trace.happenings
    ]
    return {
        "steps": steps,
        "ending": {
            "kind": trace.ending.kind,
            "reason": trace.ending.reason,
            "who": trace.ending.who,
        },
        "rang": trace.rang,
    }


class Note(BaseModel):
    model_config = ConfigDict(extra="forbid")
    note: str = Field(max_length=calls.MOST_NOTE)


@resource.write("/trace/outbound", May.LOOK)
def outbound(context: RequestContext, asked: Outbound) -> OutboundTraceOut:
    if asked.at is not None and asked.at.tzinfo is None:
        raise NotUnderstood("at is a moment with its offset.", field="at")
    trace = calls_out.follow_out(context, *asked.caller(), asked.dialled, asked.at)
    candidates: list[OutboundTraceCandidateOut] = [
        {
            "trunk": c.trunk,
            "taken": c.taken,
            "reason": c.reason,
            "rate": (
                {"amount": format(c.rate.amount, "f"), "currency": c.rate.currency}
                if c.rate
                else None
            ),
        }
        for c in trace.candidates
    ]
    body: OutboundTraceOut = {
        "normalised": trace.dialled.result,
        "kind": trace.dialled.kind,
        "candidates": candidates,
        "route": trace.route or None,
        "trunk": trace.trunk or None,
        "sent": trace.sent or None,
        "leads_to": trace.leads_to or None,
        "caller_id": trace.caller_id or None,
        "caller_name": trace.caller_name or None,
        "shown_because": trace.shown_because or None,
        "headers": [{"name": name, "value": value} for name, value in trace.headers],
        "rate": (
            {"amount": format(trace.rate.amount, "f"), "currency": trace.rate.currency}
            if trace.rate
            else None
        ),
        "ending": {"kind": trace.ending, "reason": trace.reason},
    }
    if trace.emergency:
        e = trace.emergency
        body["spot"] = e.spot
        body["spot_words"] = e.spot_words
        body["psap"] = e.psap
        body["callback"] = e.callback
        body["told"] = e.told
        body["broken"] = e.broken
        body["cautions"] = e.cautions
    return body


@resource.write("/test-calls", May.PLACE_TEST_CALL)
def test_call(context: RequestContext, asked: TestCall) -> TestCallOut:
    proof = calls.place_test_call(
        context, the_number(context, asked.number), asked.direction, presses=asked.presses
    )
    return {
        "heard": proof.heard,
        "rang": list(proof.rang),
        "matches_trace": not proof.differs,
        "differs": proof.differs,
        "proof": proof_out(proof),
    }


@resource.write("/test-calls/own", May.PLACE_TEST_CALL)
def own_call(context: RequestContext, asked: OwnCall) -> ProofOut:
    """A test call that somebody placed by hand, with what they heard."""
    e164 = the_number(context, asked.number)
    return proof_out(own_calls.note(context, e164, asked.direction, ok=asked.ok, heard=asked.heard))


@resource.write("/proofs/{key}/note", May.PLACE_TEST_CALL)
def note(context: RequestContext, key: str, asked: Note) -> ProofOut:
    return proof_out(calls.note_on_call(context, key, asked.note))


@resource.read("/proofs")
def proofs(context: RequestContext, stale: bool | None = None) -> Page[ProofOut]:
    return {
        "items": [
            proof_out(p, stale=is_stale) for p, is_stale in calls.proofs(context, stale=stale)
        ],
        "next": None,
    }


@resource.read("/safety/emergency-test")
def emergency_test(context: RequestContext, number: str, dialled: str = "999") -> EmergencyAnswer:
    return calls.emergency(context, the_number(context, number), dialled[:20])

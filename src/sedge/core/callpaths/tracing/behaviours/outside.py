"""Calls that leave the house: on to a number, or to a SIP address."""

from sedge.core.callpaths.steps import Exit, Forward, SipAddress
from sedge.core.callpaths.tracing.behaviours.behaviour import Behaviour, Outcome, Situation
from sedge.core.callpaths.tracing.call import Call
from sedge.core.callpaths.tracing.ringing import Outside, connected, ring_outside
from sedge.core.callpaths.tracing.world import Called, Ending, EndingKind
from sedge.core.estate import Estate
from sedge.core.numbers.e164 import describe
from sedge.core.outbound.diversion import Because, diversion_header
from sedge.core.outbound.forwarding import Forwarding, judge_forward
from sedge.core.records import Number


class ForwardBehaviour(Behaviour[Forward]):
    def take(self, call: Call, key: str, step: Forward) -> str | Ending:
        judged = _judged(call.called, call.estate, step, call.world.trunks_down)
        if not judged.allowed:
            call.say(
                step.title,
                f"is not put through: {judged.reason}.",
                Exit.NOT_PUT_THROUGH,
                wrong=True,
            )
            return Exit.NOT_PUT_THROUGH
        national = describe(step.to).shown
        _tell_who_forwards(call, step, judged)
        result = ring_outside(
            call,
            Outside(
                step.title,
                step.to,
                national,
                step.seconds,
                call.sees(step.shown),
                f"over {judged.trunk}" if judged.trunk else "",
                judged,
            ),
        )
        if isinstance(result, Ending):
            call.rang.append(national)
        return connected(call, step, result)

    def outcomes(self, situation: Situation, step: Forward) -> list[Outcome]:
        judged = _judged(situation.called, situation.estate, step)
        return _reached(step.to) if judged.allowed else [Outcome(Exit.NOT_PUT_THROUGH)]


def _tell_who_forwards(call: Call, step: Forward, judged: Forwarding) -> None:
    """What the other side is told beside who calls, as the trunk is set up."""
    if judged.over is None:
        return
    last = call.story[-1].exit if call.story else ""
    because = BECAUSE.get(last, Because.ALWAYS)
    header = diversion_header(call.called.e164, step.to, because, judged.over)
    if header:
        by = describe(call.called.e164).shown
        call.say(step.title, f"is sent on by {by}, as {header.name} says: {header.value}")


BECAUSE: dict[str, Because] = {Exit.NO_ANSWER: Because.NO_ANSWER, Exit.BUSY: Because.BUSY}


def _judged(
    called: Called, estate: Estate, step: Forward, trunks_down: tuple[str, ...] = ()
) -> Forwarding:
    number = estate.get(Number, called.e164)
    return judge_forward(step.to, number, called.holder, called.site, estate, trunks_down)


class SipBehaviour(Behaviour[SipAddress]):
    def take(self, call: Call, key: str, step: SipAddress) -> str | Ending:
        address = step.address or "an address that is not given"
        if not step.address or step.address in call.world.unreachable:
            call.say(step.title, f"{address} does not answer at all.", Exit.NOT_REACHED, wrong=True)
            return Exit.NOT_REACHED
        to = Outside(step.title, step.address, address, step.seconds, call.sees(step.shown))
        return ring_outside(call, to)

    def outcomes(self, situation: Situation, step: SipAddress) -> list[Outcome]:
        if not step.address:
            return [Outcome(Exit.NOT_REACHED)]
        return [*_reached(step.address), Outcome(Exit.NOT_REACHED, Exit.NOT_REACHED)]


def _reached(to: str) -> list[Outcome]:
    return [
        Outcome("", "answered", EndingKind.FORWARDED, to),
        Outcome(Exit.NO_ANSWER, Exit.NO_ANSWER),
        Outcome(Exit.BUSY, Exit.BUSY),
    ]

"""Ringing people, groups, devices, mobiles and other systems."""

from sedge.core.callpaths.answering import Ringing, people_of, rung_by
from sedge.core.callpaths.openings import Calendar, zone
from sedge.core.callpaths.rota import on_duty
from sedge.core.callpaths.steps import Exit, Ring, Rota
from sedge.core.callpaths.tracing.behaviours.behaviour import (
    Behaviour,
    Outcome,
    Situation,
    hours_of,
)
from sedge.core.callpaths.tracing.call import Call
from sedge.core.callpaths.tracing.ringing import Attempt, answered_by, connected, ring
from sedge.core.callpaths.tracing.world import Called, Ending, EndingKind
from sedge.core.estate import Estate


class RingBehaviour(Behaviour[Ring]):
    def take(self, call: Call, key: str, step: Ring) -> str | Ending:
        rung = rung_by(call.called, step, call.at, call.estate)
        if not rung:
            call.say(
                step.title,
                "there is nobody to ring: the holder is not a person and nobody is named.",
                Exit.NOBODY_REACHABLE,
                wrong=True,
            )
            return Exit.NOBODY_REACHABLE
        if step.order == "in turn":
            first = call.world.turns.get(key, 0) % len(rung)
            rung = rung[first:] + rung[:first]
        if step.order == "by rota" and step.rota:
            rung = _on_duty_first(call, step, step.rota, rung)
        attempt = Attempt(
            step.title,
            rung,
            step.seconds,
            one_by_one=step.order != "all",
            sees=call.sees(step.shown),
        )
        return connected(call, step, ring(call, attempt))

    def outcomes(self, situation: Situation, step: Ring) -> list[Outcome]:
        rung = rung_by(situation.called, step, situation.at, situation.estate)
        reachable = [r for r in rung if r.phones]
        if not reachable:
            return [Outcome(Exit.NOBODY_REACHABLE)]
        return [
            *(Outcome("", answered_by(r), EndingKind.ANSWERED, r.name) for r in reachable),
            Outcome(Exit.NO_ANSWER, Exit.NO_ANSWER),
            Outcome(Exit.BUSY, Exit.BUSY),
        ]

    def depends_on(self, called: Called, estate: Estate, step: Ring) -> tuple[Calendar, ...]:
        rings_no_person = (step.devices or step.mobiles or step.systems) and not (
            step.people or step.groups
        )
        if rings_no_person:
            return ()
        people = people_of(called, step.people, step.groups, estate)
        return tuple(hours_of(p, estate) for p in people if p.answering.openings)


def _on_duty_first(call: Call, step: Ring, rota: Rota, rung: list[Ringing]) -> list[Ringing]:
    duty = on_duty(rota, [r.key for r in rung], call.at)
    until = f"{duty.until.astimezone(zone(rota.timezone)):%A %-d %B %H:%M}"
    swapped = ", swapped" if duty.swapped else ""
    call.say(step.title, f"{rung[duty.who].name} is on duty until {until}{swapped}.")
    return rung[duty.who :] + rung[: duty.who]

"""Hours: open, closed or a holiday."""

from sedge.core.callpaths.openings import Calendar, calendar, opening_at
from sedge.core.callpaths.steps import Hours
from sedge.core.callpaths.tracing.behaviours.behaviour import Behaviour, Outcome, Situation
from sedge.core.callpaths.tracing.call import Call
from sedge.core.callpaths.tracing.world import Called
from sedge.core.estate import Estate


class HoursBehaviour(Behaviour[Hours]):
    def take(self, call: Call, key: str, step: Hours) -> str:
        way_out, why = opening_at(step, call.at)
        call.say(step.title, f"{way_out}. {why}", way_out)
        return way_out

    def outcomes(self, situation: Situation, step: Hours) -> list[Outcome]:
        return [Outcome(situation.states[0])]

    def depends_on(self, called: Called, estate: Estate, step: Hours) -> tuple[Calendar, ...]:
        return (calendar(step),)

"""One call on its way through call paths: what each step decides and why, until it ends.

Hours are judged as the call came in. A step that is come to for the twenty-fifth time ends the
call: nobody listens that long.
"""

from sedge.core.callpaths.steps import Exit, Path
from sedge.core.callpaths.tracing.behaviours.behaviour import Detour
from sedge.core.callpaths.tracing.behaviours.kinds import behaviour_of
from sedge.core.callpaths.tracing.call import Call
from sedge.core.callpaths.tracing.world import Ending, EndingKind, Trace
from sedge.core.records import Downstream

MOST_VISITS = 25


def key_in(path: str, step: str) -> str:
    """What a step is called in a story; steps of another path carry its id."""
    return f"{path}:{step}" if path else step


def follow_path(call: Call, path: Path) -> Trace:
    """Let a call go through a path, from its first step to its end."""
    visits: dict[str, int] = {}
    current, key = path, path.first
    while True:
        step = current.steps[key]
        call.here = key_in(call.inside, key)
        visits[call.here] = visits.get(call.here, 0) + 1
        if visits[call.here] >= MOST_VISITS:
            return call.told(call.ends(EndingKind.ENDED, "the path goes round in a circle"))
        behaviour = behaviour_of(step)
        result = behaviour.take(call, key, step)
        if isinstance(result, Ending):
            return call.told(result)
        if isinstance(result, Detour):
            call.way.append((call.here, Exit.GOES_ON))
            call.inside, current, key = result.key, result.path, result.path.first
            continue
        call.way.append((call.here, result))
        following = step.exits.get(result)
        if following is None:
            return call.told(call.ends(behaviour.over, _over(behaviour.over, result)))
        key = following


def _over(kind: EndingKind, way_out: str) -> str:
    if kind is EndingKind.ANNOUNCED:
        return "the announcement is over"
    return f"{way_out}, and no way on is drawn for it"


def hand_over(call: Call, system: Downstream) -> Trace:
    """Downstream systems get their numbers whole: what rings there is theirs to say."""
    call.here = "downstream"
    call.say(
        system.name,
        f"gets the call at {system.host}, port {system.port}; what rings is set up there.",
        "handed over",
    )
    return call.told(call.ends(EndingKind.FORWARDED, f"handed over to {system.name}"))

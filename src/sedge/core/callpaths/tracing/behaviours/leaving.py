"""Leaving a path: on in another one, or the end of the call."""

from sedge.core.callpaths.steps import End, Exit, OtherPath, Path
from sedge.core.callpaths.tracing.behaviours.behaviour import (
    Behaviour,
    Detour,
    Outcome,
    Situation,
)
from sedge.core.callpaths.tracing.call import Call
from sedge.core.callpaths.tracing.world import Ending, EndingKind
from sedge.core.records import PathVersion


class OtherPathBehaviour(Behaviour[OtherPath]):
    def take(self, call: Call, key: str, step: OtherPath) -> Ending | Detour:
        published = call.estate.get(PathVersion, step.path)
        found = call.draft.get(step.path) or (
            Path.model_validate(published.body) if published else None
        )
        name = published.name if published else step.path
        if found is None:
            call.say(step.title, f"goes on in “{name}”, which is not there.", wrong=True)
            return call.ends(
                EndingKind.ENDED, "the other path is not there; the caller is hung up on"
            )
        call.say(step.title, f"goes on in “{name}”.", Exit.GOES_ON)
        call.paths[step.path] = found
        return Detour(step.path, found)

    def outcomes(self, situation: Situation, step: OtherPath) -> list[Outcome]:
        return [Outcome(Exit.GOES_ON)]


class EndBehaviour(Behaviour[End]):
    def take(self, call: Call, key: str, step: End) -> Ending:
        call.say(step.title, "the call ends here.")
        return call.ends(EndingKind.ENDED, "the path ends here")

    def outcomes(self, situation: Situation, step: End) -> list[Outcome]:
        return [Outcome("", None, EndingKind.ENDED)]

"""Placing a test call, as the runner does it."""

from sedge.core.changes import changed
from sedge.core.enums import Subject
from sedge.core.workorders import tasks as t
from sedge.services.callpaths.calls import place_test_call, proof_of_task
from sedge.services.workorders.executors import Attempt, executes
from sedge.services.workorders.outcomes import Done, Failed, Outcome, Wait


@executes(t.PlaceTestCall)
def place_call(attempt: Attempt, task: t.PlaceTestCall) -> Outcome:
    """Placed once for a task; what it heard is kept, whatever it proves."""
    if waiting := task.waits(attempt.estate(task)):
        return Wait(*waiting)
    proof = place_test_call(
        attempt.context,
        task.known_number,
        task.direction,
        keep=False,
        key=proof_of_task(attempt.identity),
    )
    kept = changed(Subject.PROOF, None, proof, "proof.made")
    if proof.ok:
        return Done(lambda _writing: [kept])
    why = proof.differs or proof.heard
    return Failed(
        f"The test call {task.direction} did not confirm it: {why}", lambda _writing: [kept]
    )

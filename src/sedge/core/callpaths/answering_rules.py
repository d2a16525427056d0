"""Rules of a person's own answering, and of fallbacks."""

from sedge.core.callpaths.openings import overlapping
from sedge.core.estate import Estate
from sedge.core.numbers.life import State
from sedge.core.outbound.forwarding import problem_with
from sedge.core.records import Number, PathVersion, Person
from sedge.core.workorders import tasks as t
from sedge.core.workorders.findings import Finding, elsewhere, passed, stop, warn
from sedge.core.workorders.rules.registry import rule


@rule("path.number-in-use", t.SetPath)
def path_number_in_use(task: t.SetPath, estate: Estate) -> Finding:
    """A call path answers for a holder; a number without one has nobody to answer for."""
    number = estate.number(task.e164 or "")
    if number.state is not State.ASSIGNED:
        return stop(f"{number.shown} is {number.state}; a call path needs a number in use.")
    return passed(f"Calls to {number.shown} will follow {estate.the(PathVersion, task.path).name}")


@rule("path.in-service", t.SetPath)
def path_in_service(task: t.SetPath, estate: Estate) -> Finding:
    """A call path that was retired takes no calls."""
    path = estate.the(PathVersion, task.path)
    if path.retired:
        return stop(
            f"{path.name} is retired. Publish it again, or choose another.",
            elsewhere(f"Open {path.name}", "path", path.id),
        )
    return passed(f"{path.name} is in service")


@rule("person.answering-makes-sense", t.SetAnswering)
def answering_makes_sense(task: t.SetAnswering, estate: Estate) -> Finding:
    """Answering rules that ring nothing, or send callers to nobody, lose calls."""
    person, rules = estate.the(Person, task.holder.id), task.answering
    if rules.mobile and (problem := problem_with(rules.mobile)):
        return stop(f"The mobile of {person.name} can't be rung. {problem}")
    if rules.then == "mobile" and not rules.mobile:
        return stop(
            f"Calls that {person.name} doesn't answer are to go to their mobile, and none is given."
        )
    if rules.then == "colleague" and (not rules.cover or rules.cover == person.id):
        return stop(
            f"Calls that {person.name} doesn't answer are to go to a colleague. Choose who."
        )
    gone = next(
        (
            k
            for k in (*rules.pickup, rules.cover)
            if k and ((p := estate.get(Person, k)) is None or p.left)
        ),
        None,
    )
    if gone:
        who = estate.get(Person, gone)
        return stop(
            f"{who.name if who else f'“{gone}”'} is not here any more and can't answer for"
            f" {person.name}."
        )
    known = {d.id for d in estate.devices_of(person.id)}
    if rules.devices and not known & set(rules.devices):
        return stop(f"None of the chosen devices is {person.name}'s.")
    if late := _never_rung(task, estate):
        return warn(late)
    if rules.then == "nothing":
        return warn(f"Callers whom {person.name} doesn't answer are hung up on.")
    if pair := overlapping(rules.openings):
        return warn(
            f"The hours {pair[0].start} to {pair[0].end} and {pair[1].start} to {pair[1].end}"
            " overlap."
        )
    return passed(f"Calls to {person.name} come to somebody, or to a mailbox")


def _never_rung(task: t.SetAnswering, estate: Estate) -> str:
    """What would ring only after the ringing has ended, in words; '' where all have their turn."""
    person, rules = estate.the(Person, task.holder.id), task.answering
    if not rules.seconds_each:
        return ""
    chosen = [
        d.name for d in estate.devices_of(person.id) if not rules.devices or d.id in rules.devices
    ]
    phones = chosen + (["the mobile"] if rules.mobile else [])
    turns = -(-task.ring_seconds // rules.seconds_each)
    if len(phones) <= turns:
        return ""
    return (
        f"Calls ring {person.name} for {task.ring_seconds} s, {rules.seconds_each} s each:"
        f" {phones[turns]} never rings. Ring longer, or each for a shorter time."
    )


@rule("number.fallback-reachable", t.SetFallback)
def fallback_reachable(task: t.SetFallback, estate: Estate) -> Finding:
    """While a trunk is down the carrier sends its calls on; to the same trunk, or to no number in
    service, they are lost."""
    number = estate.number(task.e164 or "")
    if not task.to:
        return passed(f"Calls to {number.shown} are lost while its trunk is down")
    if problem := problem_with(task.to):
        return stop(f"Calls can't fall back there. {problem}")
    if task.to == number.e164:
        return stop("A number can't be its own fallback.")
    other = estate.get(Number, task.to)
    if other and other.trunk and other.trunk == number.trunk:
        return stop(
            f"{other.shown} comes over the same trunk as {number.shown}; when it is down, both are."
            " Choose a number elsewhere."
        )
    return passed("The fallback does not come over the same trunk")

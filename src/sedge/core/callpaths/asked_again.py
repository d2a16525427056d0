"""Rules of call paths asked again when something else changes that they rest on.

A path is checked when it is published. What it promises can break later: it is put on a number
whose holder may not call out, a line without members gets a number with it, somebody is taken out
of the group it rings, a right is taken away. Each of these tasks asks the path's rules once more on
the estate as it will be; what was wrong before the task is not said again.
"""

from collections.abc import Iterable
from dataclasses import replace

from sedge.core.callpaths.steps import Path
from sedge.core.errors import SedgeError
from sedge.core.estate import Estate
from sedge.core.records import (
    Group,
    HolderKind,
    HolderRef,
    Number,
    PathVersion,
    Person,
    ServiceLine,
    Site,
)
from sedge.core.workorders import tasks as t
from sedge.core.workorders.findings import Finding, Level, elsewhere, passed
from sedge.core.workorders.rules.registry import REGISTERED, rule

ASKED = (
    "path.people-are-here",
    "path.somebody-rings",
    "path.mailbox-is-read",
    "path.every-call-ends",
    "path.nobody-is-hung-up-on",
    "path.forwards-go-through",
    "path.other-paths-lead-on",
)


def worst_of(path: PathVersion, estate: Estate) -> list[Finding]:
    """What is wrong with a published path on the estate as it is, the worst first."""
    try:
        task = t.PublishPath(path=path.id, name=path.name, body=Path.model_validate(path.body))
    except ValueError:
        return []
    found: list[Finding] = []
    for name in ASKED:
        try:
            finding = REGISTERED[name][1](task, estate)
        except SedgeError:
            continue
        if finding and not finding.is_pass:
            found.append(replace(finding, rule=name))
    return sorted(found, key=lambda f: f.level is not Level.STOP)


def newly_wrong(paths: Iterable[PathVersion], before: Estate, after: Estate) -> Finding | None:
    """The worst thing that a change breaks in one of these paths; None where it breaks nothing."""
    found: list[tuple[PathVersion, Finding]] = []
    for path in paths:
        known = {(f.rule, f.message) for f in worst_of(path, before)}
        found += [(path, f) for f in worst_of(path, after) if (f.rule, f.message) not in known]
    if not found:
        return None
    path, worst = min(found, key=lambda pair: pair[1].level is not Level.STOP)
    return Finding(
        worst.level,
        f"Call path {path.name}: {worst.message}",
        (elsewhere(f"Open {path.name}", "path", path.id),),
    )


def _with(estate: Estate, *records: Number | Person | Group | ServiceLine | Site) -> Estate:
    world = estate.fork()
    for record in records:
        world.put(record)
    return world


@rule("path.on-this-number", t.SetPath)
def on_this_number(task: t.SetPath, estate: Estate) -> Finding | None:
    """What held for the drawing alone need not hold for this number: its holder, their people and
    their rights count now."""
    number, path = estate.get(Number, task.e164), estate.get(PathVersion, task.path)
    if number is None or path is None:
        return None
    broken = newly_wrong(
        [path],
        _with(estate, number.copy_with(path=None)),
        _with(estate, number.copy_with(path=path.id)),
    )
    return broken or passed(f"{path.name} holds on {number.shown} too")


@rule("assignment.its-path-holds", t.AssignNumber)
def its_path_holds(task: t.AssignNumber, estate: Estate) -> Finding | None:
    """A number that has a call path takes it to its new holder."""
    number = estate.get(Number, task.e164)
    path = estate.get(PathVersion, number.path) if number else None
    if number is None or path is None or task.holder.kind is HolderKind.PERSON:
        return None
    world = estate.fork()
    try:
        world.absorb(task.apply(estate))
    except SedgeError:
        return None
    return newly_wrong([path], estate, world) or passed(f"{path.name} holds for its new holder")


@rule("group.paths-still-answer", t.SetGroup)
def paths_still_answer(task: t.SetGroup, estate: Estate) -> Finding | None:
    """Who is taken out of a group no longer answers where it rings."""
    before = estate.get(Group, task.group)
    if before is None or task.removed:
        return None
    paths = [
        p
        for p in estate.all(PathVersion)
        if any(task.group in step.get("groups", ()) for step in p.body["steps"].values())
    ]
    after = _with(estate, before.copy_with(members=task.members))
    return newly_wrong(paths, estate, after) or (
        passed("Everywhere the group rings, somebody still answers") if paths else None
    )


@rule("rights.forwards-still-go", t.SetCallingRights)
def forwards_still_go(task: t.SetCallingRights, estate: Estate) -> Finding | None:
    """A forward is a call out of its holder: without the right it is not put through."""
    holder = estate.holder(task.holder)
    if not isinstance(holder, Person | ServiceLine | Site):
        return None
    used = {n.path for n in estate.numbers_of(task.holder) if n.path}
    paths = [p for p in estate.all(PathVersion) if p.id in used]
    after = _with(estate, holder.copy_with(rights=task.rights))
    return newly_wrong(paths, estate, after) or (
        passed("Their forwards still go through") if paths else None
    )


def line_changed(before: ServiceLine, after: ServiceLine, estate: Estate) -> Finding | None:
    """What a change of a service line's people breaks in the paths of its numbers."""
    ref = HolderRef(kind=HolderKind.SERVICE_LINE, id=before.id)
    used = {n.path for n in estate.numbers_of(ref) if n.path}
    paths = [p for p in estate.all(PathVersion) if p.id in used]
    return newly_wrong(paths, _with(estate, before), _with(estate, after))

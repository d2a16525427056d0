"""Undo: every record as it was, each guarded by *still as I left it*; at once, or at a moment."""

from collections.abc import Callable, Iterator, Sequence
from datetime import datetime
from typing import Literal, Self

from pydantic import AwareDatetime, Field

from sedge.core.callpaths.steps import paths_named, people_named
from sedge.core.changes import changed, number_changed, same, step
from sedge.core.enums import Subject
from sedge.core.errors import ChangedMeanwhile, NotAllowedNow, NotUnderstood
from sedge.core.estate import Change, Estate
from sedge.core.holding import HolderRef
from sedge.core.load_spec import LoadSpec
from sedge.core.numbers.life import Event, State
from sedge.core.records import (
    RECORD_TYPES,
    Defaults,
    Device,
    Grant,
    Group,
    Number,
    PathVersion,
    Person,
    Subscription,
    Trunk,
)
from sedge.core.trunks.records import Sbc, TrunkState
from sedge.core.workorders.task_base import (
    NOTHING_MORE,
    Snapshot,
    Task,
    at_once,
    for_nothing,
    free,
    no_changes,
    not_at_all,
    nothing,
    what_it_is_about,
    what_it_names,
)

SHOWN_AS_HELD = {Subject.NUMBER, Subject.PERSON, Subject.SERVICE_LINE}


class PutBack(Task):
    """Undo of one task: every record it changed, as it was before; refused where somebody changed
    it since."""

    kind: Literal["put_back"] = "put_back"
    takes = NOTHING_MORE
    of: str = Field(description="the title of the task that is undone")
    snapshots: tuple[Snapshot, ...]

    provides = nothing
    requires = what_it_is_about
    waits = for_nothing
    works = at_once
    costs = free

    def needs(self) -> LoadSpec:
        found = LoadSpec()
        for snapshot in self.snapshots:
            if snapshot.subject is Subject.NUMBER:
                found.numbers.add(snapshot.id)
                sides = (side for side in (snapshot.before, snapshot.after) if side)
                held = (side["assignment"] for side in sides if side.get("assignment"))
                found.holders.update(HolderRef.model_validate(a["holder"]) for a in held)
            else:
                found.records.add((snapshot.subject, snapshot.id))
            if snapshot.subject is Subject.TRUNK:
                found.every_site = True  # help comes over it from any of them
                if snapshot.before is None:
                    found.listed.add(snapshot.id)
            if snapshot.subject is Subject.PATH:
                found.paths.add(snapshot.id)
                found.path_users.add(snapshot.id)
                found.named.add((Subject.PATH, snapshot.id))
                found.people |= set(people_named((snapshot.before or {}).get("body", {})))
        return found

    def names(self) -> Iterator[tuple[Subject, str]]:
        return ((s.subject, s.id) for s in self.snapshots if s.subject in SHOWN_AS_HELD)

    def describe(self, estate: Estate) -> tuple[str, str]:
        return "Put back", f"what “{self.of}” changed"

    def apply(self, estate: Estate, identity: str = "new") -> list[Change]:
        """Raises ChangedMeanwhile naming what moved."""
        changes: list[Change] = []
        for snapshot in reversed(self.snapshots):
            changes += restored(snapshot, estate)
        return changes

    def reversal(self, snapshots: Sequence[Snapshot], words: str) -> Task:
        return restore(self, snapshots, words)


class PutBackLater(Task):
    """A temporary change: at that moment what another task of the same work order changed is put
    back."""

    kind: Literal["put_back_later"] = "put_back_later"
    takes = NOTHING_MORE
    for_good = "a planned put-back (stop its work order)"
    task: int = Field(ge=0, description="position of the other task, from 0")
    at: AwareDatetime
    of_kind: str = Field(default="", description="filled in by Sedge: the kind of the other task")

    needs = what_it_names
    provides = nothing
    requires = what_it_is_about
    apply = no_changes  # a work order of its own does it when the moment has come
    waits = for_nothing
    costs = free
    reversal = not_at_all

    def describe(self, estate: Estate) -> tuple[str, str]:
        return f"Put back {estate.clock(self.at)}", f"what task {self.task + 1} changes"

    def works(self, estate: Estate) -> str:
        return estate.clock(self.at)

    def settles(self, after: Estate) -> datetime | None:
        return self.at

    @property
    def leans_on(self) -> int | None:
        return self.task

    def moved(self, place: Callable[[int], int]) -> Self:
        return self.copy_with(task=place(self.task))

    def resolved(self, tasks: Sequence[Task]) -> Self:
        if self.task >= len(tasks) or isinstance(tasks[self.task], PutBackLater):
            message = "A put-back names the position of another task that changes something."
            raise NotUnderstood(message, field="task", reason="put-back-of")
        return self.copy_with(of_kind=tasks[self.task].kind)


def restore(self: Task, snapshots: Sequence[Snapshot], words: str) -> Task:
    """What undoes most tasks: all they changed as it was."""
    return PutBack(of=words, snapshots=tuple(snapshots))


def restored(snapshot: Snapshot, estate: Estate) -> list[Change]:
    """A record as it was. Raises ChangedMeanwhile where it is no longer as the task left it,
    NotAllowedNow."""
    record_type = RECORD_TYPES[snapshot.subject]
    now = estate.the(record_type, snapshot.id)
    after = record_type.model_validate(snapshot.after)
    before = record_type.model_validate(snapshot.before) if snapshot.before else None
    if isinstance(now, Subscription) and isinstance(after, Subscription):
        none = after.copy_with(seats=0, used=0, leaving=0)
        return _seats_restored(now, before if isinstance(before, Subscription) else none, after)
    if isinstance(now, Number) and isinstance(after, Number) and isinstance(before, Number):
        # what the carrier has registered is a fact of the outside, which no undo takes back
        after = after.copy_with(registered_spot=now.registered_spot)
        before = before.copy_with(registered_spot=now.registered_spot)
    if isinstance(now, Device) and isinstance(after, Device):
        # whether it has signed in meanwhile, the telephone system says
        after = after.copy_with(registered=now.registered, said=now.said, seen_at=now.seen_at)
    if not same(now, after):
        name = getattr(now, "national", None) or getattr(now, "name", snapshot.id)
        message = f"{name} has been changed since, so it stays as it is now."
        raise ChangedMeanwhile(message, subject=snapshot.subject, id=snapshot.id)
    if before is None:
        return _come_to_nothing(now, estate)
    if isinstance(now, PathVersion):
        # versions are never rewritten; the old one comes back as a new one
        before = before.copy_with(number=now.number + 1, in_force_from=estate.now)
    if isinstance(now, Device):
        # it has to sign in again before it rings
        before = before.copy_with(registered=False, said="secret")
    action = "number.restored" if isinstance(now, Number) else "record.restored"
    version: int = now.version  # type: ignore[attr-defined]  records have one
    as_it_was = before.copy_with(version=version)
    return [changed(snapshot.subject, now, as_it_was, action)]  # type: ignore[arg-type]


def _path_retired(path: PathVersion, estate: Estate) -> list[Change]:
    """A path that came to be is retired, unless calls have been sent to it meanwhile."""
    others = [p for p in estate.all(PathVersion) if p.id != path.id and not p.retired]
    used = next((n.shown for n in estate.all(Number) if n.path == path.id), "") or next(
        (p.name for p in others if path.id in paths_named(p.body)), ""
    )
    if used:
        message = f"{used} leads to call path {path.name} by now. Lead it elsewhere; then undo."
        raise NotAllowedNow(message, reason="path-followed")
    return [changed(Subject.PATH, path, path.retired_at(estate.now), "path.retired")]


def _come_to_nothing(now: object, estate: Estate) -> list[Change]:
    """What came into being by a task that is undone."""
    match now:
        case Device():
            gone = now.copy_with(removed=True, registered=False, said="")
            return [changed(Subject.DEVICE, now, gone, "device.removed")]
        case Grant():
            return [changed(Subject.GRANT, now, now.copy_with(until=estate.now), "grant.ended")]
        case Defaults():
            none = Defaults(id=now.id, version=now.version)
            return [changed(Subject.DEFAULTS, now, none, "record.restored")]
        case Group():
            return [changed(Subject.GROUP, now, now.copy_with(removed=True), "group.removed")]
        case Number():
            why = "its take-over was undone"
            gone = step(now, Event.RESTORE, State.CLOSED, state_reason=why, assignment=None)
            return number_changed(now, "number.restored", **{**gone, "path": None, "trunk": None})
        case PathVersion():
            return _path_retired(now, estate)
        case Sbc():
            gone = now.copy_with(retired=True)
            return [changed(Subject.SBC, now, gone, "session-border-controller.retired")]
        case Trunk():
            if listed := [n for n in estate.all(Number) if n.trunk == now.id]:
                message = (
                    f"{listed[0].shown} is on the list of {now.name} by now. Put its numbers on"
                    " another trunk, or take them off; then undo."
                )
                raise NotAllowedNow(message, reason="numbers-on-it")
            retired = now.copy_with(state=TrunkState.RETIRED)
            return [changed(Subject.TRUNK, now, retired, "trunk.retire")]
        case Person():
            return [changed(Subject.PERSON, now, now.copy_with(left=True), "person.changed")]
        case _:
            message = "This came into being by the task and cannot be undone."
            raise NotAllowedNow(message, reason="not-reversible")


def _seats_restored(now: Subscription, before: Subscription, after: Subscription) -> list[Change]:
    """By how much a task moved them, so that what others bought and granted since stays.

    Raises NotAllowedNow below the grants.
    """
    counts = ("seats", "used", "leaving")
    moved = {
        name: getattr(now, name) + getattr(before, name) - getattr(after, name) for name in counts
    }
    if all(getattr(now, name) == value for name, value in moved.items()):
        return []
    if moved["used"] > moved["seats"]:
        message = "The seats bought then are granted by now, so they stay. Take grants back first."
        raise NotAllowedNow(message, reason="no-seat")
    return [changed(Subject.SUBSCRIPTION, now, now.copy_with(**moved), "record.restored")]

"""Proof by test calls, for many numbers at once: of a path, of a trunk, or of all whose proof has
gone stale."""

from collections.abc import Sequence

from sqlalchemy import func, select

from sedge.core.access.roles import May
from sedge.core.callpaths.tracing.proof import is_stale, things_on_the_way
from sedge.core.errors import NotAllowedNow
from sedge.core.ledger.chain import Entry
from sedge.core.load_spec import LoadSpec
from sedge.core.numbers.life import State
from sedge.core.records import HolderKind, Number, PathVersion, Proof, Subject, Trunk
from sedge.core.workorders import tasks as t
from sedge.services.callpaths.calls import proof_of_task, proofs
from sedge.services.context import Context
from sedge.services.workorders import order_running, workorders
from sedge.store.repositories import ledger
from sedge.store.repositories.records import is_open
from sedge.store.schema import tables

MOST_CALLS = 200


def prove_again(context: Context, *, path: str = "", trunk: str = "") -> workorders.WorkOrder:
    """A work order, already running, of test calls to the numbers of a path or a trunk, or to all
    whose proof is stale or failed: 200 at most. Raises NotAllowedNow where there is none to
    call."""
    context.require(May.PLACE_TEST_CALL)
    context.require(May.CHANGE_ESTATE)
    if path or trunk:
        with context.reading() as reading:
            name = (
                reading.records.the(PathVersion, path).name
                if path
                else reading.records.the(Trunk, trunk).name
            )
            life = tables.life
            where = life.c.path == path if path else life.c.trunk == trunk
            found = reading.records.where(
                Number,
                where,
                is_open(),
                life.c.state == State.ASSIGNED.value,
                order_by=life.c.number,
                limit=MOST_CALLS + 1,
            )
        calls = [(n.e164, "in") for n in found if n.holder]
        title = f"Prove {name} again"
    else:
        calls = [
            (p.e164, p.direction)
            for p, stale in proofs(context, limit=1000)
            if (stale or not p.ok) and p.direction in {"in", "out"}
        ]
        title = "Repeat outdated tests"
    if not calls:
        raise NotAllowedNow(
            "There is nothing to test: no number in use, or every test still holds.",
            reason="nothing-to-prove",
        )
    if len(calls) > MOST_CALLS:
        title += f", the first {MOST_CALLS} numbers"
    tasks = [
        t.PlaceTestCall(number=e164, direction=way)  # type: ignore[arg-type]
        for e164, way in calls[:MOST_CALLS]
    ]
    order = workorders.draft(context, title, tasks)
    return order_running.run(context, order.id)


def proofs_by(context: Context, order: workorders.WorkOrder) -> dict[int, Proof]:
    """What the test calls of a work order showed, by the position of their task."""
    placed = {
        proof_of_task(task.id): task.position
        for task in order.tasks
        if isinstance(task.body, t.PlaceTestCall)
    }
    if not placed:
        return {}
    with context.reading() as reading:
        return {placed[proof.id]: proof for proof in reading.records.many(Proof, placed)}


def proofs_of(context: Context, *, path: str = "", trunk: str = "") -> list[tuple[Proof, bool]]:
    """The latest proof of each number of a path or trunk, with whether it has gone stale; newest
    first. Remembered until something changes."""
    return context.installation.recall(
        context, "proofs", (path, trunk), lambda: _proofs_of(context, path=path, trunk=trunk)
    )


def _proofs_of(context: Context, *, path: str, trunk: str) -> list[tuple[Proof, bool]]:
    life, proof = tables.life, tables.proof
    where = life.c.path == path if path else life.c.trunk == trunk
    with context.reading() as reading:
        numbers = select(life.c.number).where(where, is_open())
        rows = reading.records.where(
            Proof, proof.c.number.in_(numbers), order_by=proof.c.at.desc(), limit=MOST_CALLS
        )
        latest: dict[tuple[str, str], Proof] = {}
        for row in rows:
            latest.setdefault((row.e164, row.direction), row)
        estate = reading.estate(LoadSpec(numbers={p.e164 for p in latest.values()}))
    return [(p, is_stale(p, estate.get(Number, p.e164), estate)) for p in latest.values()]


def what_changed(context: Context, judged: Sequence[tuple[Proof, bool]]) -> dict[str, Entry]:
    """The latest change on the way of each test call that is outdated, by the test call's id."""
    outdated = [p for p, stale in judged if stale]
    if not outdated:
        return {}
    key = tuple(p.id for p in outdated)
    return context.installation.recall(
        context, "changes of proofs", key, lambda: _what_changed(context, outdated)
    )


def _what_changed(context: Context, outdated: Sequence[Proof]) -> dict[str, Entry]:
    with context.reading() as reading:
        estate = reading.estate(LoadSpec(numbers={p.e164 for p in outdated}))
        ways = {
            p.id: things_on_the_way(number, estate)
            for p in outdated
            if (number := estate.get(Number, p.e164))
        }
        found: dict[str, Entry] = {}
        every = {thing for things in ways.values() for thing in things}
        for entry in ledger.last_changes(
            reading.connection, every, since=min(p.at for p in outdated)
        ):
            thing = (Subject(entry.subject), entry.subject_id)
            for proof in outdated:
                if entry.at >= proof.at and thing in ways.get(proof.id, ()):
                    found.setdefault(proof.id, entry)
            if len(found) == len(ways):
                break
    return found


def without_proof(context: Context, path: str) -> int:
    """How many numbers of a path have never been called as a test."""
    life, proof = tables.life, tables.proof
    with context.reading() as reading:
        query = select(func.count()).where(
            life.c.path == path,
            is_open(),
            life.c.holder_kind != HolderKind.DOWNSTREAM.value,
            life.c.number.not_in(select(proof.c.number)),
        )
        return int(reading.connection.execute(query).scalar() or 0)

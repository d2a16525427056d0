"""Saving changes: the rows, and everything that is derived from them, in one place and one
transaction.

For each change: the record's row (compare-and-set on its version), spans and tallies of numbers,
the finder, the references of call paths, the ledger entry and the chain's head. Nothing else writes
to these tables.
"""

from collections.abc import Iterable, Sequence
from datetime import datetime
from typing import Any

from sqlalchemy import Connection, bindparam, delete, insert, select, update
from sqlalchemy.exc import IntegrityError

from sedge.core.callpaths.steps import named_by
from sedge.core.errors import ChangedMeanwhile, NotAllowedNow
from sedge.core.estate import Change
from sedge.core.facts import counted, to_canonical_json, to_compact_json
from sedge.core.ledger.chain import BEGINNING, Entry, link
from sedge.core.numbers.e164 import describe
from sedge.core.porting.outgoing_records import PortOut
from sedge.core.porting.records import KeptFree, Port
from sedge.core.records import (
    Address,
    Grant,
    HolderKind,
    Number,
    PathVersion,
    Person,
    Product,
    Proof,
    ServiceLine,
    Subject,
    Subscription,
)
from sedge.store.projections import fee_spans, finder, number_projections
from sedge.store.repositories.records import Records, columns
from sedge.store.schema import chain, tables
from sedge.store.stamp import Stamp

NAMED = {Subject.PERSON, Subject.SERVICE_LINE, Subject.SITE, Subject.DOWNSTREAM}


def save(connection: Connection, changes: Sequence[Change], stamp: Stamp) -> list[Change]:
    """Persist changes and all that follows from them. Gives them back with their new versions.

    Raises ChangedMeanwhile when a record's version is not the one the change was planned on,
    NotAllowedNow when a constraint holds (a second main number, more grants than seats, a second
    open life).
    """
    held = [c.after for c in changes if c.subject is Subject.NUMBER]
    fresh = {(c.subject, c.id): c.after.name for c in changes if c.subject in NAMED}
    names = {
        **Records(connection).names((n.holder.subject, n.holder.id) for n in held if n.holder),
        **fresh,
    }
    kept: list[Change] = []
    latest: dict[tuple[Subject, str], Change] = {}
    for change in changes:
        earlier = latest.get((change.subject, change.id))
        saved = _saved(
            connection, change.copy_with(before=earlier.after) if earlier else change, names, stamp
        )
        latest[change.subject, change.id] = saved
        kept.append(saved)
    number_projections.follow_changes(connection, kept, names, stamp.at)
    fee_spans.follow_changes(connection, kept, stamp.at)
    finder.index(connection, [change.after for change in kept])
    _path_references(connection, kept)
    _append(connection, kept, stamp)
    return kept


def touch(connection: Connection) -> None:
    """Count a change that the ledger doesn't show (a task's progress), so that open pages
    refresh."""
    connection.execute(
        update(chain.ledger_head).values(change_counter=chain.ledger_head.c.change_counter + 1)
    )


def record_event(
    connection: Connection,
    stamp: Stamp,
    *,
    action: str,
    subject: Subject,
    key: str,
    title: str,
    after: object = None,
) -> None:
    """A ledger entry about something that is not a record of the estate (work orders, sign-ins)."""
    _write_entries(connection, [(action, subject, key, title, after)], stamp)


def remark_batch(
    connection: Connection, stamp: Stamp, *, key: str, title: str, after: object
) -> int:
    """The one entry that tells of many numbers brought in together; gives its sequence."""
    _write_entries(connection, [("number.adopted", Subject.NUMBER, key, title, after)], stamp)
    return connection.execute(select(chain.ledger_head.c.sequence)).scalar_one()


def _saved(
    connection: Connection, change: Change, names: number_projections.Names, stamp: Stamp
) -> Change:
    table = tables.RECORD_TABLES[change.subject]
    before = change.before
    after = change.after.copy_with(version=(before.version + 1) if before else 1)
    row = {
        "id": after.id,
        "version": after.version,
        "body": to_compact_json(after),
        **columns(after),
    }
    if isinstance(after, Number):
        row |= life_columns(after, names, stamp.at)
    try:
        if before is None:
            connection.execute(insert(table), row)
        else:
            at = table.c.id == bindparam("at_id"), table.c.version == bindparam("at_version")
            done = connection.execute(
                update(table).where(*at), {**row, "at_id": after.id, "at_version": before.version}
            )
            if done.rowcount != 1:
                raise moved_meanwhile(connection, change)
    except IntegrityError as error:
        raise _constraint(error, change) from error
    return change.copy_with(after=after)


def life_columns(
    number: Number, names: number_projections.Names, at: datetime
) -> dict[str, object]:
    """What a number's row shows for sorting and filtering beside `records.columns`."""
    holder = number.holder
    return {
        "kind": number.kind.value,
        "holder_name": names.get((holder.subject, holder.id), "")[:120] if holder else "",
        "label": number.label[:80],
        "price": number_projections.price_of(number),
        "changed_at": at,
    }


def moved_meanwhile(connection: Connection, change: Change) -> ChangedMeanwhile:
    """Who was faster, and what they did."""
    ledger = chain.ledger
    query = (
        select(ledger.c.actor, ledger.c.action, ledger.c.at)
        .where(ledger.c.subject == change.subject.value, ledger.c.subject_id == change.id)
        .order_by(ledger.c.sequence.desc())
        .limit(1)
    )
    last = connection.execute(query).first()
    name = title_of(change.after)
    if last is None:
        return ChangedMeanwhile(
            f"{name} has changed meanwhile. Open it again.", subject=change.subject, id=change.id
        )
    return ChangedMeanwhile(
        f"{last.actor} was faster: {name} was changed at {last.at:%H:%M} UTC. Open it again"
        " before you go on.",
        subject=change.subject,
        id=change.id,
        actor=last.actor,
        action=last.action,
    )


def _constraint(error: IntegrityError, change: Change) -> NotAllowedNow:
    text = str(error.orig)
    name = title_of(change.after)
    if "seats_enough" in text:
        return NotAllowedNow(
            "No seat is left. Buy seats or take one back.", reason="no-seat", id=change.id
        )
    if "life.number" in text:
        return ChangedMeanwhile(f"{name} is in the estate already.", reason="exists", id=change.id)
    if "life.holder_kind" in text:
        return NotAllowedNow(
            "This holder has a number in that role already. Choose the role “extra”.",
            reason="role-taken",
            id=change.id,
        )
    if "licence_grant" in text:
        return ChangedMeanwhile(
            "This holder has been granted the licence meanwhile.", reason="granted", id=change.id
        )
    if "person.email" in text:
        return NotAllowedNow(
            f"Somebody else has the mail address of {name}.",
            reason="email-taken",
            field="email",
            id=change.id,
        )
    return NotAllowedNow(
        f"{name} can't be saved: something with the same name or code exists.",
        reason="exists",
        id=change.id,
    )


def title_of(record: Any) -> str:
    """The name under which people know a record."""
    match record:
        case Number():
            return record.shown
        case Address():
            return record.elements.one_line
        case Port():
            return (
                f"Port {record.no}: {counted(len(record.numbers), 'number')} from {record.losing}"
            )
        case PortOut():
            return (
                f"Port out {record.no}: {counted(len(record.numbers), 'number')} to"
                f" {record.gaining}"
            )
        case KeptFree():
            return record.why
        case Proof():
            return describe(record.e164).shown
        case _:
            for attribute in ("name", "reference", "e164"):
                if value := getattr(record, attribute, ""):
                    return value
            return record.id


def _titles(connection: Connection, changes: Sequence[Change]) -> dict[str, str]:
    """The titles of changed records. A grant is told by its product and holder, a pool of seats by
    its product."""
    records, told = Records(connection), {c.id: c.after for c in changes}
    licences = [r for r in told.values() if isinstance(r, Grant | Subscription)]
    products = {p.id: p.name for p in records.many(Product, {r.product for r in licences})}
    holders: dict[str, str] = {}
    for kind, subject in ((Person, HolderKind.PERSON), (ServiceLine, HolderKind.SERVICE_LINE)):
        wanted = {
            r.holder.id for r in licences if isinstance(r, Grant) and r.holder.kind is subject
        }
        holders |= {h.id: h.name for h in records.many(kind, wanted)}
    titles = {}
    for key, record in told.items():
        match record:
            case Grant():
                titles[key] = (
                    f"{products.get(record.product, record.product)},"
                    f" {holders.get(record.holder.id, record.holder.id)}"
                )
            case Subscription():
                titles[key] = products.get(record.product, record.product)
            case _:
                titles[key] = title_of(record)
    return titles


def _path_references(connection: Connection, changes: Iterable[Change]) -> None:
    for change in changes:
        if change.subject is not Subject.PATH:
            continue
        path: PathVersion = change.after
        connection.execute(
            insert(tables.path_version).values(
                path=path.id,
                number=path.number,
                in_force_from=path.in_force_from,
                body=to_canonical_json(path),
            )
        )
        connection.execute(delete(tables.path_names).where(tables.path_names.c.path == path.id))
        named = {
            (subject.value, key)
            for step in path.body.get("steps", {}).values()
            for subject, key in named_by(step)
        }
        for kind, key in sorted(named):
            connection.execute(
                insert(tables.path_names).values(path=path.id, subject=kind, subject_id=key)
            )


def _append(connection: Connection, changes: Sequence[Change], stamp: Stamp) -> None:
    titles = _titles(connection, changes)
    _write_entries(
        connection, [(c.action, c.subject, c.id, titles[c.id], c.after) for c in changes], stamp
    )


def _write_entries(
    connection: Connection, entries: Sequence[tuple[str, Subject, str, str, object]], stamp: Stamp
) -> None:
    if not entries:
        return
    head = connection.execute(select(chain.ledger_head)).first()
    sequence, previous = (head.sequence, head.hash) if head else (0, BEGINNING)
    rows: list[dict[str, object]] = []
    for action, subject, key, title, after in entries:
        sequence += 1
        snapshot = to_canonical_json(after) if after is not None else None
        entry = Entry(
            sequence=sequence,
            at=stamp.at,
            actor=stamp.actor,
            actor_id=stamp.actor_id,
            action=action,
            subject=subject.value,
            subject_id=key,
            title=title[:200],
            reason=stamp.reason[:400],
            work_order=stamp.work_order,
            after=snapshot,
        )
        previous = link(previous, entry)
        rows.append(
            {**{name: getattr(entry, name) for name in Entry.model_fields}, "hash": previous}
        )
    connection.execute(insert(chain.ledger), rows)
    if head is None:
        connection.execute(
            insert(chain.ledger_head).values(
                id=1, sequence=sequence, hash=previous, change_counter=1
            )
        )
    else:
        connection.execute(
            update(chain.ledger_head).values(
                sequence=sequence,
                hash=previous,
                change_counter=chain.ledger_head.c.change_counter + 1,
            )
        )

"""Mail: written as rows in the transaction that ends a work order, sent by the runner afterwards, once per key."""

from sqlalchemy import insert, select, update

from sedge.core.errors import OutsideTrouble
from sedge.core.estate import Estate
from sedge.core.records import HolderKind, HolderRef, Number, Person, Site, Spot, Subject
from sedge.core.workorders.plan import resolve
from sedge.core.workorders.tasks import Needs, needs
from sedge.core.workorders.telling import tell_whole
from sedge.desk.desk import Desk, Writing
from sedge.store import tables
from sedge.store.workorders import OrderState, TaskState, WorkOrder

SENDER_NOTE = "Sedge, the desk for your telephone numbers"


def write_for(writing: Writing, order: WorkOrder) -> None:
    """One mail to whoever wrote the order, one to each person concerned who got or lost something."""
    bodies = [resolve(x.body, [y.body for y in order.tasks]) for x in order.tasks]
    lost = _lost(order)
    wanted = Needs()
    for ref in lost:
        wanted.holders.add(ref)
    for body in bodies:
        wanted = wanted | needs(body)
    estate = writing.estate(wanted)
    lines = [
        f"{'done' if x.state is TaskState.DONE else x.state.value:>8}  {tell_whole(b, estate)}{': ' + x.error if x.error else ''}"
        for x, b in zip(order.tasks, bodies, strict=True)
    ]
    outcome = "is done" if order.state is OrderState.DONE else "has failed"
    author = writing.address_of(order.created_by)
    if author:
        write(
            writing,
            f"{order.id}-author-{order.version}",
            author,
            f"Work order {order.no} {outcome}: {order.title}",
            "\n".join([order.title, "", *lines, "", SENDER_NOTE]),
            order.id,
        )
    if order.state is not OrderState.DONE:
        return
    held_by: dict[HolderRef, list[Number]] = {}
    for number in estate.all(Number):
        if number.holder:
            held_by.setdefault(number.holder, []).append(number)
    for ref, before in lost.items():
        person, held = estate.the(Person, ref.id), held_by.get(ref, [])
        gone = [n for n in before if n.e164 not in {h.e164 for h in held}]
        text = _to_person(person, held, gone, estate)
        write(writing, f"{order.id}-{person.id}", person.email, _subject(held, gone), text, order.id)


def _lost(order: WorkOrder) -> dict[HolderRef, list[Number]]:
    """The people who got a number, lost one or would now be found elsewhere, each with the numbers they lost.

    Read from what the tasks changed, so that an undo tells the same people. A number brought in as found tells nobody.
    """
    lost: dict[HolderRef, list[Number]] = {}
    for snapshot in (s for x in order.tasks for s in x.snapshots if s.subject is Subject.NUMBER and s.before):
        before, after = Number.model_validate(snapshot.before), Number.model_validate(snapshot.after)
        if (before.holder, before.spot) == (after.holder, after.spot):
            continue
        for number in (before, after):
            if number.holder and number.holder.kind is HolderKind.PERSON:
                lost.setdefault(number.holder, [])
        if before.holder and before.holder != after.holder and before.holder.kind is HolderKind.PERSON:
            lost[before.holder].append(before)
    return lost


def _subject(held: list[Number], gone: list[Number]) -> str:
    if not held:
        return f"{', '.join(n.national for n in gone)}: no longer yours"
    return f"Your telephone number {held[0].national}" if len(held) == 1 else f"Your {len(held)} telephone numbers"


def _to_person(person: Person, held: list[Number], lost: list[Number], estate: Estate) -> str:
    parts = [f"Dear {person.name},"]
    if lost:
        parts.append("\n".join(["no longer yours:", *(f"  {n.national} ({n.e164})" for n in lost)]))
    if not held:
        parts.append("You have no telephone number of ours any more.")
        return "\n\n".join([*parts, SENDER_NOTE])
    parts.append("\n".join(["these numbers are yours now:", *(_in_a_line(n, estate) for n in held)]))
    if places := [_place(spot, estate) for spot in sorted({n.spot for n in held if n.spot})]:
        parts.append(
            f"If you call for help from {'it' if len(held) == 1 else 'them'}, help is sent to {' or '.join(places)}. Tell us when you move."
        )
    return "\n\n".join([*parts, SENDER_NOTE])


def _in_a_line(number: Number, estate: Estate) -> str:
    role = number.assignment.role.value if number.assignment else ""
    works = estate.clock(number.assignment.works_from) if number.assignment else "–"
    return f"  {number.national} ({number.e164}), {role}, works from {works}"


def _place(spot_id: str, estate: Estate) -> str:
    spot = estate.get(Spot, spot_id)
    site = estate.get(Site, spot.site) if spot else None
    return f"{spot.name}, {site.name} ({spot_id})" if spot and site else f"the spot {spot_id}"


def write(writing: Writing, key: str, recipient: str, subject: str, text: str, order: str | None = None) -> None:
    """A message to be sent once; a recipient that is a telephone number is called and hears the text."""
    if writing.connection.execute(select(tables.mail.c.id).where(tables.mail.c.id == key)).first():
        return
    row = {"id": key, "recipient": recipient, "subject": subject[:200], "text": text, "created_at": writing.now, "work_order": order}
    writing.connection.execute(insert(tables.mail).values(**row))


def send_waiting(desk: Desk) -> int:
    """Send what is written and not yet sent; a silent mail service is asked again at the next tick."""
    with desk.reading() as reading:
        rows = reading.connection.execute(
            select(tables.mail).where(tables.mail.c.sent_at.is_(None)).order_by(tables.mail.c.created_at).limit(20)
        ).all()
    sent = 0
    for row in rows:
        try:
            if row.recipient.startswith("+"):
                desk.outside.telephony.announce(row.id, row.recipient, row.text)
            else:
                desk.outside.mail.send(row.id, row.recipient, row.subject, row.text)
        except OutsideTrouble:
            break
        with desk.writing() as writing:
            writing.connection.execute(update(tables.mail).where(tables.mail.c.id == row.id).values(sent_at=writing.now))
        sent += 1
    return sent

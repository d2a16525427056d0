"""Mail: written as rows in the transaction that ends a work order, sent by the runner afterwards,
once per key."""

import re
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Any

import structlog
from sqlalchemy import Row, func, insert, select, update

from sedge.core.errors import NotUnderstood, OutsideRefused, OutsideTrouble
from sedge.core.estate import Estate
from sedge.core.facts import MailFile
from sedge.core.load_spec import LoadSpec
from sedge.core.records import HolderKind, HolderRef, Number, Person, Site, Spot, Subject
from sedge.core.workorders.life import OrderState, TaskState
from sedge.formats.letters import Letter, LetterText, drawn, own
from sedge.services.context import Context, Reading, Writing
from sedge.services.letter_texts import text_of
from sedge.services.periodic import periodic, tells_when_due
from sedge.store.repositories.workorders import WorkOrder
from sedge.store.schema import mails

log = structlog.get_logger("sedge.mail")
SENDER_NOTE = "Sedge, the desk for your telephone numbers"
ONE_TIME_PAGES = ("welcome", "reset", "confirm", "phone")  # let in whoever knows the rest
ONE_TIME_LINK = re.compile(rf"/({'|'.join(ONE_TIME_PAGES)})/[A-Za-z0-9_-]{{16,}}")


@dataclass(frozen=True)
class Facts:
    """What the letters of a work order are drawn from; `holders` by person, `people` them
    themselves."""

    author: dict[str, Any]
    holders: dict[str, dict[str, Any]]
    people: dict[str, Person]
    languages: dict[str, str]


def write_for(writing: Writing, order: WorkOrder) -> None:
    """One letter to whoever wrote the order, one to each person concerned who got or lost
    something, in the language of their site."""
    facts = facts_for(writing, order, writing.organisation)
    texts = {
        ("author", writing.language),
        *(("holder", language) for language in facts.languages.values()),
    }
    known = {of: text_of(writing, *of).text for of in texts}
    if author := writing.address_of(order.author):
        letter = _letter(known["author", writing.language], facts.author)
        write(writing, f"{order.id}-author-{order.version}", author, letter, order.id)
    if order.state is not OrderState.DONE:
        return
    for key, person in facts.people.items():
        letter = _letter(known["holder", facts.languages[key]], facts.holders[key])
        write(writing, f"{order.id}-{key}", person.email, letter, order.id)


def _letter(text: LetterText, facts: dict[str, object]) -> Letter:
    """From the organisation's text; from Sedge's own where that fails all the same."""
    try:
        return drawn(text, facts)
    except NotUnderstood as error:
        log.warning("letter", kind=text.kind, language=text.language, error=error.message)
        return drawn(own(text.kind, text.language), facts)


def facts_for(reading: Reading, order: WorkOrder, organisation: str) -> Facts:
    """What is true of a work order now, for its letters and their preview."""
    bodies = [x.body.resolved([y.body for y in order.tasks]) for x in order.tasks]
    lost = _lost(order)
    wanted = LoadSpec()
    for ref in lost:
        wanted.holders.add(ref)
    for body in bodies:
        wanted = wanted | body.needs()
    estate = reading.estate(wanted)
    lines = [
        f"{'done' if x.state is TaskState.DONE else x.state.value:>8} "
        f" {b.in_words(estate)}{': ' + x.error if x.error else ''}"
        for x, b in zip(order.tasks, bodies, strict=True)
    ]
    people, holders, languages = {}, {}, {}
    for ref, before in lost.items():
        person, held = estate.the(Person, ref.id), estate.numbers_of(ref)
        gone = [n for n in before if n.e164 not in {h.e164 for h in held}]
        people[person.id] = person
        holders[person.id] = _of_person(person, held, gone, estate, organisation)
        site = estate.get(Site, person.site)
        languages[person.id] = site.language if site else "en"
    outcome = "is done" if order.state is OrderState.DONE else "has failed"
    batch = [
        {"name": people[key].name, "numbers": [n["national"] for n in facts["held"]]}
        for key, facts in holders.items()
    ]
    author = {
        "no": order.no,
        "title": order.title,
        "outcome": outcome,
        "lines": lines,
        "people": sorted(batch, key=lambda p: p["name"]),
        "organisation": organisation,
        "signature": SENDER_NOTE,
    }
    return Facts(author, holders, people, languages)


def _of_person(
    person: Person, held: list[Number], gone: list[Number], estate: Estate, organisation: str
) -> dict[str, object]:
    return {
        "name": person.name,
        "organisation": organisation,
        "signature": SENDER_NOTE,
        "held": [
            {
                "national": n.shown,
                "e164": n.e164,
                "role": n.assignment.role.value if n.assignment else "",
                "works_from": estate.clock(n.assignment.works_from) if n.assignment else "–",
            }
            for n in held
        ],
        "lost": [{"national": n.shown, "e164": n.e164} for n in gone],
        "places": [_place(spot, estate) for spot in sorted({n.spot for n in held if n.spot})],
    }


def _lost(order: WorkOrder) -> dict[HolderRef, list[Number]]:
    """The people who got a number, lost one or would now be found elsewhere, each with the numbers
    they lost.

    Read from what the tasks changed, so that an undo tells the same people. A number imported as
    found tells nobody.
    """
    lost: dict[HolderRef, list[Number]] = {}
    for snapshot in (
        s for x in order.tasks for s in x.snapshots if s.subject is Subject.NUMBER and s.before
    ):
        before, after = (
            Number.model_validate(snapshot.before),
            Number.model_validate(snapshot.after),
        )
        if (before.holder, before.spot) == (after.holder, after.spot):
            continue
        for number in (before, after):
            if number.holder and number.holder.kind is HolderKind.PERSON:
                lost.setdefault(number.holder, [])
        if (
            before.holder
            and before.holder != after.holder
            and before.holder.kind is HolderKind.PERSON
        ):
            lost[before.holder].append(before)
    return lost


def _place(spot_id: str, estate: Estate) -> str:
    spot = estate.get(Spot, spot_id)
    site = estate.get(Site, spot.site) if spot else None
    return f"{spot.name}, {site.name} ({spot_id})" if spot and site else f"the spot {spot_id}"


def write(
    writing: Writing, key: str, recipient: str, letter: Letter, order: str | None = None
) -> None:
    """A message to be sent once; a recipient that is a telephone number is called and hears the
    text."""
    if writing.connection.execute(select(mails.mail.c.id).where(mails.mail.c.id == key)).first():
        return
    row = {
        "id": key,
        "recipient": recipient,
        "subject": letter.subject[:200],
        "text": letter.text,
        "html": letter.html or None,
        "created_at": writing.now,
        "work_order": order,
    }
    writing.connection.execute(insert(mails.mail).values(**row))
    for place, file in enumerate(letter.files):
        kept = {"mail": key, "place": place, **file._asdict()}
        writing.connection.execute(insert(mails.mail_file).values(**kept))


FIRST_PAUSE, LONGEST_PAUSE = timedelta(seconds=5), timedelta(hours=1)
MOST_TRIES = 40  # with these pauses a day and a half
A_ROUND = 20


@periodic("mail", last=True)
def send_waiting(context: Context) -> int:
    """Send what is written and not yet sent. What a service is silent on waits, longer each time,
    and holds up nothing that goes another way; what it refuses is given up and told."""
    ways = {
        True: context.outside.telephony.is_connected,
        False: context.outside.mail.is_connected,
    }
    with context.reading() as reading:
        found = [r for r in _due(reading) if ways[is_call(r.recipient)]]
    silent: set[bool] = set()
    done = 0
    for row in found:
        way = is_call(row.recipient)
        if way in silent:
            continue
        try:
            _send(context, row)
        except OutsideRefused as error:
            _end(context, row, problem=error.message[:400], given_up_at=context.now())
            log.warning("mail refused", key=row.id, error=error.message)
        except OutsideTrouble as error:
            silent.add(way)
            _wait(context, row, error)
            continue
        else:
            _end(context, row, sent_at=context.now(), problem=None)
        done += 1
    return done


def without_links(text: str) -> str:
    """A letter as it is kept once it is sent, or given up: a link that lets in whoever knows it is
    for the one who got it, not for whoever reads the database or a backup of it."""
    return ONE_TIME_LINK.sub(r"/\1/…", text)


def is_call(recipient: str) -> bool:
    """A recipient that is a telephone number is called and hears the text."""
    return recipient.startswith("+")


@tells_when_due
def next_due(reading: Reading) -> datetime | None:
    """When a letter that a service was silent on is tried again."""
    table = mails.mail
    waiting = (table.c.sent_at.is_(None), table.c.given_up_at.is_(None))
    return reading.connection.execute(select(func.min(table.c.next_try)).where(*waiting)).scalar()


def _due(reading: Reading) -> Sequence[Row]:
    table = mails.mail
    query = (
        select(table)
        .where(
            table.c.sent_at.is_(None),
            table.c.given_up_at.is_(None),
            (table.c.next_try.is_(None)) | (table.c.next_try <= reading.now),
        )
        .order_by(table.c.created_at)
        .limit(A_ROUND)
    )
    return reading.connection.execute(query).all()


def _send(context: Context, row: Row) -> None:
    if is_call(row.recipient):
        context.outside.telephony.announce(row.id, row.recipient, row.text)
    else:
        files = _files(context, row.id)
        context.outside.mail.send(
            row.id, row.recipient, row.subject, row.text, row.html or "", files
        )


def _files(context: Context, key: str) -> list[MailFile]:
    table = mails.mail_file
    query = select(table.c.name, table.c.media_type, table.c.content)
    with context.reading() as reading:
        found = reading.connection.execute(query.where(table.c.mail == key).order_by(table.c.place))
        return [MailFile(*row) for row in found]


def _wait(context: Context, row: Row, error: OutsideTrouble) -> None:
    tries, problem = row.tries + 1, error.message[:400]
    if tries >= MOST_TRIES:
        _end(context, row, tries=tries, problem=problem, given_up_at=context.now())
        return
    pause = min(FIRST_PAUSE * 2 ** min(row.tries, 10), LONGEST_PAUSE)
    _note(context, row.id, tries=tries, problem=problem, next_try=context.now() + pause)


def _end(context: Context, row: Row, **values: object) -> None:
    """A letter is sent or given up."""
    kept = {"text": without_links(row.text), "html": without_links(row.html or "") or None}
    _note(context, row.id, **values, **kept)


def _note(context: Context, key: str, **values: object) -> None:
    with context.writing() as writing:
        writing.connection.execute(
            update(mails.mail).where(mails.mail.c.id == key).values(**values)
        )


@dataclass(frozen=True)
class Post:
    """How the mails of an organisation stand: how many wait, how many were given up, and the last
    trouble with one."""

    waiting: int
    given_up: int
    last_problem: str


def standing(context: Context) -> Post:
    table = mails.mail
    open_ones = table.c.sent_at.is_(None)
    with context.reading() as reading:
        ask = reading.connection.execute
        waiting = ask(select(func.count()).where(open_ones, table.c.given_up_at.is_(None))).scalar()
        given_up = ask(select(func.count()).where(table.c.given_up_at.is_not(None))).scalar()
        problem = ask(
            select(table.c.problem)
            .where(table.c.problem.is_not(None))
            .order_by(table.c.created_at.desc())
            .limit(1)
        ).scalar()
    return Post(waiting or 0, given_up or 0, problem or "")

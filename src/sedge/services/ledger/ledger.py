"""Reading the ledger for pages and API."""

from collections.abc import Iterator
from dataclasses import dataclass, replace
from datetime import datetime

from sedge.core.ledger.chain import Entry
from sedge.core.records import Subject
from sedge.services.context import Context
from sedge.store.repositories import ledger
from sedge.store.repositories.ledger import LedgerPage

A_FEW = 40
MOST_READ = 800  # entries, for what is told of the latest changes
PAGES = {
    Subject.PORT: "/ports/{id}",
    Subject.PORT_OUT: "/port-outs/{id}",
    Subject.KEPT_FREE: "/ports/calendar",
    Subject.NUMBER: "/numbers/{n}",
    Subject.PERSON: "/holders/people/{id}",
    Subject.SITE: "/holders/sites/{id}",
    Subject.SERVICE_LINE: "/holders/lines/{id}",
    Subject.ORDER: "/supply/orders/{id}",
    Subject.WORK_ORDER: "/work-orders/{id}",
    Subject.PATH: "/paths/{id}",
    Subject.CARRIER: "/carriers",
    Subject.ACCOUNT: "/carriers/accounts/{id}",
    Subject.TRUNK: "/carriers/trunks/{id}",
    Subject.SBC: "/carriers/sbcs/{id}",
    Subject.PRODUCT: "/licences/{id}",
    Subject.SPOT: "/safety/spots/{id}",
    Subject.DEVICE: "/holders/devices/{id}",
    Subject.GROUP: "/holders/groups/{id}",
    Subject.DOWNSTREAM: "/holders/systems/{id}",
}


def read(
    context: Context,
    *,
    subject: Subject | None = None,
    key: str | None = None,
    actor: str | None = None,
    since: datetime | None = None,
    before: int | None = None,
    limit: int = 100,
) -> LedgerPage:
    with context.reading() as reading:
        return ledger.entries(
            reading.connection,
            subject=subject,
            key=key,
            actor=actor,
            since=since,
            before=before,
            limit=limit,
        )


@dataclass(frozen=True)
class Happening:
    """One thing that happened: its last entry, and how many others belong to it."""

    entry: Entry
    others: int


def recent(context: Context, *, limit: int = 8) -> list[Happening]:
    """What happened last: entries of one work order, or of one person for one reason, are one."""
    return context.installation.recall(
        context, "what happened last", limit, lambda: _recent(context, limit)
    )


def _recent(context: Context, limit: int) -> list[Happening]:
    found: list[Happening] = []
    for entry in _newest_first(context, min(40 * limit, MOST_READ)):
        last = found[-1] if found else None
        if last and _belong_together(last.entry, entry):
            found[-1] = replace(last, others=last.others + 1)
        elif len(found) == limit:
            break
        else:
            found.append(Happening(entry, 0))
    return found


def _newest_first(context: Context, most: int) -> Iterator[Entry]:
    """Entries as far as somebody asks for more, a few at a time: mostly the first few do."""
    before: int | None = None
    for _ in range(0, most, A_FEW):
        page = read(context, before=before, limit=A_FEW)
        yield from page.entries
        if page.next is None:
            return
        before = page.next


def _belong_together(one: Entry, other: Entry) -> bool:
    if one.work_order or other.work_order:
        return one.work_order == other.work_order
    return bool(one.reason) and (one.actor_id, one.reason) == (other.actor_id, other.reason)


def verify(context: Context) -> tuple[int, int | None]:
    """How many entries there are and where the chain breaks (None: nowhere)."""
    with context.reading() as reading:
        return ledger.verify(reading.connection)


def change_counter(context: Context) -> int:
    """The change counter of the organisation."""
    return context.installation.change_counter(context.who.organisation)


def href_of(entry: Entry) -> str:
    """Where the entry's subject is looked at; '' where it has no page. Whom the directory proposes
    is nobody here yet."""
    if entry.action.startswith("directory."):
        return "/holders/directory"
    return page_of(Subject(entry.subject), entry.subject_id)


def page_of(subject: Subject, key: str) -> str:
    """The page of a record; '' where it has none."""
    return PAGES.get(subject, "").format(id=key, n=key.lstrip("+"))

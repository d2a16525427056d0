"""Reading the ledger from the desk."""

from datetime import datetime

from sedge.core.ledger.chain import Entry
from sedge.core.records import Subject
from sedge.desk.desk import Desk
from sedge.store import ledger
from sedge.store.ledger import LedgerPage

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
    Subject.TRUNK: "/carriers",
    Subject.PRODUCT: "/licences",
    Subject.SPOT: "/numbers?view=list&find={id}",
}


def read(
    desk: Desk, *, subject: Subject | None = None, key: str | None = None, actor: str | None = None, since: datetime | None = None,
    before: int | None = None, limit: int = 100,
) -> LedgerPage:  # fmt: skip
    with desk.reading() as reading:
        return ledger.entries(reading.connection, subject=subject, key=key, actor=actor, since=since, before=before, limit=limit)


def verify(desk: Desk) -> tuple[int, int | None]:
    """How many entries there are and where the chain breaks (None: nowhere)."""
    with desk.reading() as reading:
        return ledger.verify(reading.connection)


def pulse(desk: Desk) -> int:
    with desk.reading() as reading:
        return ledger.pulse(reading.connection)


def href_of(entry: Entry) -> str:
    """Where the entry's subject is looked at; '' where it has no page."""
    return page_of(Subject(entry.subject), entry.subject_id)


def page_of(subject: Subject, key: str) -> str:
    """The page of a record; '' where it has none."""
    return PAGES.get(subject, "").format(id=key, n=key.lstrip("+"))

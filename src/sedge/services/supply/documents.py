"""Papers: put on file, looked at, taken off; requirements by country; another one sent
where one was rejected."""

import hashlib
import re
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date
from pathlib import PurePosixPath
from typing import Any

from sqlalchemy import insert, select

from sedge.core.access.roles import May
from sedge.core.changes import changed
from sedge.core.errors import NotFound, NotUnderstood
from sedge.core.numbers.e164 import describe
from sedge.core.records import Account, Carrier, Document, Order, Site, Subject
from sedge.core.supply.documents import (
    PAPERS,
    REQUIREMENTS,
    Held,
    Requirement,
    asked,
    good_until,
    held,
)
from sedge.core.supply.records import PaperState
from sedge.core.workorders import tasks as t
from sedge.core.workorders.life import TaskState
from sedge.formats.media_types import media_type_of
from sedge.services.context import Context, Reading
from sedge.services.workorders import order_running
from sedge.store.repositories.workorders import WorkOrder
from sedge.store.schema import tables
from sedge.store.schema import workorders as workorder_tables

MOST_BYTES = 10_000_000


@dataclass(frozen=True)
class Filed:
    """A document on file, with its site's name and until when it serves."""

    document: Document
    site: str
    good_until: date | None
    is_good: bool


def put_on_file(
    context: Context,
    *,
    paper: str,
    filename: str,
    content: bytes,
    site: str = "",
    title: str = "",
    issued_on: str = "",
    valid_until: str = "",
) -> Document:
    """Raises NotUnderstood naming the field. The same content again is the document that is
    there."""
    context.require(May.BUY)
    if paper not in PAPERS:
        raise NotUnderstood(f"A document is one of: {', '.join(PAPERS)}.", field="paper")
    if not content:
        raise NotUnderstood("Choose a file.", field="file")
    if len(content) > MOST_BYTES:
        raise NotUnderstood(
            f"A file has at most {MOST_BYTES // 1_000_000} MB; this one has"
            f" {len(content) / 1_000_000:.1f}.",
            field="file",
        )
    kind, digest = PAPERS[paper], hashlib.sha256(content).hexdigest()
    issued, until = _day(issued_on, "issued_on"), _day(valid_until, "valid_until")
    if kind.of_site and not site:
        raise NotUnderstood(f"A {paper} speaks of one site: choose which.", field="site")
    if kind.most_days and issued is None:
        raise NotUnderstood(
            f"Say from which day it is: a {paper} may be {kind.most_days} days old.",
            field="issued_on",
        )
    if issued and issued > context.now().date():
        raise NotUnderstood("This day is still to come.", field="issued_on")
    if until and issued and until < issued:
        raise NotUnderstood("It can't have ended before it was made.", field="valid_until")
    media_type = media_type_of(content)
    with context.writing() as writing:
        if site:
            writing.records.the(Site, site)
        filed = writing.records.where(
            Document, tables.document.c.paper == paper, tables.document.c.withdrawn.is_(False)
        )
        if known := next((d for d in filed if (d.sha256, d.site) == (digest, site or None)), None):
            return known
        document = Document(
            id=context.new_id("document"),
            paper=paper,
            title=(title.strip() or paper.capitalize())[:120],
            filename=_plain_name(filename),
            media_type=media_type,
            size=len(content),
            sha256=digest,
            site=site or None,
            issued_on=issued,
            valid_until=until,
            at=writing.now,
            by=context.actor,
        )
        writing.connection.execute(
            insert(tables.document_content).values(id=document.id, content=content)
        )
        return writing.save([changed(Subject.DOCUMENT, None, document, "document.added")])[0].after


def _day(text: str, field: str) -> date | None:
    if not text.strip():
        return None
    try:
        return date.fromisoformat(text.strip())
    except ValueError as error:
        raise NotUnderstood("Type the day as 2026-12-24.", field=field) from error


def _plain_name(name: str) -> str:
    """The last part of a file's name, in letters that are safe in any header and on any disk."""
    return (
        re.sub(r"[^A-Za-z0-9._ -]", "_", PurePosixPath(name.replace("\\", "/")).name)[-100:]
        or "document"
    )


def content_of(context: Context, key: str) -> tuple[Document, bytes]:
    with context.reading() as reading:
        return _content(reading, key)


def _content(reading: Reading, key: str) -> tuple[Document, bytes]:
    document = reading.records.the(Document, key)
    content = reading.connection.execute(
        select(tables.document_content.c.content).where(tables.document_content.c.id == key)
    ).scalar()
    if content is None:
        raise NotFound("The content of this document is not here.", subject="document", id=key)
    return document, content


def withdraw(context: Context, key: str) -> None:
    """Off the file: kept for what it was used for, and used no more."""
    context.require(May.BUY)
    with context.writing() as writing:
        document = writing.records.the(Document, key)
        if not document.withdrawn:
            writing.save(
                [
                    changed(
                        Subject.DOCUMENT,
                        document,
                        document.copy_with(withdrawn=True),
                        "document.withdrawn",
                    )
                ]
            )


def on_file(context: Context) -> list[Filed]:
    """What is on file, what serves longest first."""
    today = context.now().date()
    with context.reading() as reading:
        documents = reading.records.where(
            Document,
            tables.document.c.withdrawn.is_(False),
            order_by=tables.document.c.paper,
            limit=1000,
        )
        sites = {s.id: s.name for s in reading.records.all(Site)}
    filed = [
        Filed(d, sites.get(d.site or "", ""), end := good_until(d), end is None or end >= today)
        for d in documents
    ]
    return sorted(
        filed, key=lambda f: (f.document.paper, f.site, -(f.good_until or date.max).toordinal())
    )


def requirements(context: Context) -> list[tuple[Requirement, str]]:
    """Requirements by country, with the carriers' names."""
    with context.reading() as reading:
        names = {c.id: c.name for c in reading.records.all(Carrier)}
    return [(r, names[r.carrier]) for r in REQUIREMENTS if r.carrier in names]


def needed(context: Context, carrier: str, numbers: Sequence[str], site: str) -> list[Held]:
    """What a carrier wants to see for these numbers at a site, and what of it is on file."""
    facts = [describe(n) for n in numbers]
    wanted = asked(carrier, ((n.country, n.kind) for n in facts))
    if not wanted:
        return []
    with context.reading() as reading:
        documents = reading.records.where(
            Document, tables.document.c.withdrawn.is_(False), limit=1000
        )
    return [held(paper, documents, site, context.now().date()) for paper in wanted]


def send_needed(
    context: Context, account: Account, numbers: Sequence[str], site: str
) -> list[Document]:
    """Put the documents for an order at the carrier; those are named in the order. Repeating does
    no harm."""
    found = [h.document for h in needed(context, account.carrier, numbers, site) if h.document]
    for document in found:
        send(context, account, document.id)
    return found


def send(context: Context, account: Account, key: str) -> None:
    document, content = content_of(context, key)
    context.at_carrier(account).send_paper(
        document.id, document.paper, document.media_type, content
    )


def send_another(context: Context, order: str, rejected: str, document: str) -> WorkOrder:
    """A work order that sends another document for one that the carrier has rejected. Raises
    NotRunnable."""
    with context.reading() as reading:
        reference = reading.records.the(Order, order).reference
    return order_running.run_now(
        context,
        f"Another document for order {reference}",
        [t.SendPaper(order=order, document=document, instead_of=rejected)],
    )


def being_sent(context: Context, order: str) -> bool:
    """Whether another paper for the order is on its way to the carrier."""
    task = workorder_tables.task
    going = task.c.state.in_(
        [TaskState.PLANNED.value, TaskState.WAITING.value, TaskState.RUNNING.value]
    )
    query = (
        select(task.c.id)
        .where(
            going,
            task.c.body.contains('"kind":"send_paper"'),
            task.c.body.contains(f'"order":"{order}"'),
        )
        .limit(1)
    )
    with context.reading() as reading:
        return reading.connection.execute(query).first() is not None


def rejected(context: Context) -> list[tuple[Order, Any]]:
    """Orders under way of which the carrier has rejected a paper."""
    with context.reading() as reading:
        orders = reading.records.where(Order, tables.order.c.open.is_(True), limit=200)
    return [(o, p) for o in orders for p in o.papers if p.state is PaperState.REJECTED]

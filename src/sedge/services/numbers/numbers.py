"""One number and finding it: the card, its history, its small facts, the finder, reading typed
text."""

import re
from dataclasses import dataclass, field
from datetime import datetime

from sqlalchemy import literal_column, select, text

from sedge.core.access.roles import May
from sedge.core.access.scope import OF_A_SITE
from sedge.core.callpaths.tracing.trace import Trace, World, trace_inbound
from sedge.core.changes import changed
from sedge.core.errors import NotFound, NotOneNumber, NotUnderstood
from sedge.core.facts import counted
from sedge.core.ledger.chain import Entry
from sedge.core.load_spec import LoadSpec
from sedge.core.numbers.card_facts import Standing, next_actions, standing
from sedge.core.numbers.e164 import Reading as Typed
from sedge.core.numbers.e164 import describe, read, read_one
from sedge.core.numbers.finding import Search, SearchKind, understand
from sedge.core.numbers.life import State
from sedge.core.numbers.pasted import numbers_in
from sedge.core.numbers.plan import AREAS, is_area_code
from sedge.core.records import (
    HolderKind,
    HolderRef,
    KnownAs,
    Number,
    Person,
    Proof,
    Site,
    Subject,
    tags_in,
)
from sedge.services.context import Context, Reading
from sedge.store.projections import finder
from sedge.store.repositories import ledger, number_counts
from sedge.store.repositories import numbers as store
from sedge.store.repositories import workorders as workorder_store
from sedge.store.repositories.numbers import Filter
from sedge.store.schema import tables


@dataclass(frozen=True)
class Stretch:
    state: State
    holder: str
    since: datetime
    until: datetime | None


@dataclass(frozen=True)
class Card:
    """Everything about one number."""

    number: Number
    site: Site
    holder_name: str
    standing: list[Standing]
    actions: list[str]
    life: list[Stretch] = field(default_factory=list)
    history: list[Entry] = field(default_factory=list)
    proofs: list[Proof] = field(default_factory=list)
    at: datetime | None = None
    call: Trace | None = None

    @property
    def can_call_out(self) -> bool:
        """Whether a person's phone has it."""
        return self.number.holder is not None and self.number.holder.kind is HolderKind.PERSON


@dataclass(frozen=True)
class Found:
    """The finder's grouped answers: (heading, [(title, detail, subject, reference)])."""

    search: Search
    groups: list[tuple[str, list[tuple[str, str, Subject, str]]]]
    problem: str = ""
    note: str = ""  # what of the text was not looked for, or how it was read otherwise


def card(context: Context, e164: str, at: datetime | None = None) -> Card:
    """Everything about one number, now or (facts and life only) at a past day. Raises NotFound."""
    with context.reading() as reading:
        number = reading.records.find(Number, e164)
        if at is not None:
            number = ledger.as_it_stood(reading.connection, Subject.NUMBER, e164, at)
        if number is None:
            name = describe(e164).shown
            missing = (
                f"{name} was not in the estate on {at:%-d %B %Y}."
                if at
                else f"{name} is not in the estate. Check its digits, or order it."
            )
            raise NotFound(missing, field="number", subject="number", id=e164)
        estate = reading.estate(
            LoadSpec(
                numbers={e164},
                holders=set(filter(None, (number.holder, number.reserved_for))),
                spots={number.spot} if number.spot else set(),
                paths={number.path} if number.path else set(),
                sites={number.site},
            )
        )
        estate.put(number)
        life = store.spans(reading.connection, e164)
        history = ledger.entries(
            reading.connection, subject=Subject.NUMBER, key=e164, limit=200
        ).entries
        proofs = reading.records.where(
            Proof,
            tables.proof.c.number == int(e164),
            order_by=text("at DESC, rowid DESC"),
            limit=10,
        )
        for proof in proofs:
            estate.put(proof)
        holder = estate.holder(number.holder).name if number.holder else ""
    is_now_in_use = number.in_use and at is None
    call = trace_inbound(e164, estate.now, World(), estate) if is_now_in_use else None
    return Card(
        number=number,
        site=estate.the(Site, number.site),
        holder_name=holder,
        standing=standing(number, estate),
        actions=next_actions(number, estate) if at is None else [],
        life=[Stretch(State(s.state), s.holder_name, s.since, s.until) for s in life],
        history=[e for e in history if at is None or e.at <= at],
        proofs=proofs,
        at=at,
        call=call,
    )


def the_number(context: Context, text: str, *, field: str = "number") -> str:
    """The E.164 number meant by a typed text: one in the estate before one that is merely possible,
    and the end of a number where only one in the estate ends so. Raises NotOneNumber."""
    also = also_countries(context)
    reading = read(text, context.organisation.home_country, also)
    if not reading.candidates and (whole := _by_its_end(context, reading, field)):
        return whole
    if len(reading.candidates) > 1:
        with context.reading() as store_:
            owned = {
                n.e164 for n in store_.records.many(Number, [c.e164 for c in reading.candidates])
            }
        for candidate in reading.candidates:
            if candidate.e164 in owned:
                return candidate.e164
    return read_one(text, context.organisation.home_country, field=field, also=also)


def _by_its_end(context: Context, reading: Typed, field: str) -> str | None:
    """The one number of the estate that ends in the few digits typed. Raises NotOneNumber, with
    those that do, where several end so."""
    text = reading.text
    digits = re.sub(r"[\s().\-/]", "", text)
    if not (digits.isascii() and digits.isdecimal() and 3 <= len(digits) <= 9):
        return None
    search = Search(SearchKind.ENDING, digits=(digits,))
    with context.reading() as store_:
        found = store.page(store_.connection, Filter(search=search), limit=5).numbers
    if len(found) > 1:
        several = ", ".join(n.shown for n in found[:4]) + (" and more" if len(found) > 4 else "")
        raise NotOneNumber(
            f"{several} end in {digits}. Type more of the number.",
            field=field,
            reason="several",
            text=text,
        )
    if found and is_area_code(digits, context.organisation.home_country):
        both = f"{digits} is an area code, and {found[0].shown} ends so. Type more of the number."
        raise NotOneNumber(both, field=field, reason="several", text=text)
    if not found and reading.problem and reading.problem.code == "too-short":
        raise NotOneNumber(
            f"None of your numbers ends in {text.strip()}. Type the whole number.",
            field=field,
            reason="too-short",
            text=text,
        )
    return found[0].e164 if found else None


def also_countries(context: Context) -> tuple[str, ...]:
    with context.reading() as reading:
        return _countries_in(reading)


def _countries_in(reading: Reading) -> tuple[str, ...]:
    site = tables.site
    return tuple(
        country
        for (country,) in reading.connection.execute(
            select(site.c.country).distinct().order_by(site.c.country)
        )
    )


def meant(context: Context, text: str) -> Search:
    return understand(text, context.organisation.home_country, also_countries(context))


MOST_HITS, MOST_HITS_OF_ALL = (
    60,
    10_000,
)  # records with the words; of all sites, before those that may be seen are picked out


def find(context: Context, text: str, *, limit: int = 8) -> Found:
    """What the finder shows while one types. Where words find nothing, the one number that stands
    among them is looked for: pasted text brings some along."""
    found = _find(context, text, limit=limit)
    if found.groups or found.search.kind is not SearchKind.WORDS:
        return found
    pasted = numbers_in(text, context.organisation.home_country, also_countries(context)).numbers
    return _find(context, pasted.written, limit=limit) if len(pasted) == 1 else found


def _find(context: Context, text: str, *, limit: int) -> Found:
    if len(text) >= LEAST_FOR_MANY and (many := _many(context, text)):
        return many
    with context.reading() as reading:
        search = understand(text, context.organisation.home_country, _countries_in(reading))
        if search.kind is SearchKind.NOTHING:
            return Found(search, [])
        numbers = store.page(
            reading.connection, Filter(search=search), limit=limit, hits=store.WHILE_TYPING
        ).numbers
        refs = [n.holder for n in numbers if n.holder]
        names = reading.records.names((ref.subject, ref.id) for ref in refs)
        areas = (
            number_counts.areas_like(reading.connection, text)
            if search.kind is SearchKind.WORDS
            else []
        )
        most = MOST_HITS if context.who.scope.is_whole else MOST_HITS_OF_ALL
        hits, spelt = (
            finder.find_words(reading.connection, text, limit=most)
            if search.kind is SearchKind.WORDS
            else ([], True)
        )
        hits = _seen(context, reading, hits)[:MOST_HITS]
        if areas and not spelt:
            hits, spelt = [], True
        hits += _extensions(
            reading, search.extension if search.kind is SearchKind.EXTENSION else text
        )
        tags = (
            number_counts.tags_like(reading.connection, text.strip().lower(), limit=5)
            if search.kind is SearchKind.WORDS
            else []
        )
        orders = (
            workorder_store.titled(reading.connection, text.strip(), limit=4)
            if search.kind is SearchKind.WORDS
            else []
        )
    groups: dict[str, list[tuple[str, str, Subject, str]]] = {}
    for lead, count in areas:
        groups.setdefault("Areas", []).append(
            (AREAS[lead], counted(count, "number"), Subject.AREA, lead)
        )
    for hit in hits:
        if hit.subject in HEADINGS:
            groups.setdefault(HEADINGS[hit.subject], []).append(
                (hit.title, "", hit.subject, hit.ref)
            )
    for n in numbers:
        holder = names.get((n.holder.subject, n.holder.id), "") if n.holder else ""
        detail = ", ".join(x for x in (holder, n.label, n.state.value if not holder else "") if x)
        groups.setdefault("Numbers", []).append((n.shown, detail, Subject.NUMBER, n.e164))
    for tag, count in tags:
        groups.setdefault("Tags", []).append((tag, counted(count, "number"), Subject.TAG, tag))
    for no, title in orders:
        groups.setdefault("Work orders", []).append(
            (f"{no} {title}", "", Subject.WORK_ORDER, str(no))
        )
    problem = (
        ""
        if groups
        else "Nothing here matches. Try fewer digits, an ending such as *0142, or part of a name."
    )
    if not groups and search.kind is SearchKind.EXTENSION:
        problem = f"Nobody has extension {search.extension}."
    note = "" if spelt or not hits else f"No name here is spelt “{text.strip()}”. These nearly are:"
    if search.kind is SearchKind.EXACT and search.extension:
        note = f"Extension {search.extension} was left out: it is no part of the number."
    return Found(
        search, [(heading, rows[:limit]) for heading, rows in groups.items()], problem, note
    )


def _seen(context: Context, reading: Reading, hits: list[finder.Hit]) -> list[finder.Hit]:
    """Those that somebody kept to sites may see: the index of words knows all of the
    organisation's."""
    if context.who.scope.is_whole:
        return hits
    of_a_site = {
        (h.subject, h.ref)
        for h in hits
        if h.subject in OF_A_SITE and h.subject is not Subject.NUMBER
    }
    there = reading.records.names(of_a_site)
    return [h for h in hits if (h.subject, h.ref) in there or (h.subject, h.ref) not in of_a_site]


LEAST_FOR_MANY = 16


def _many(context: Context, text: str) -> Found | None:
    """Several numbers at once: a selection, with how many of them are ours."""
    found = numbers_in(text, context.organisation.home_country, also_countries(context))
    if not found.is_many:
        return None
    with context.reading() as reading:
        here = store.owned(reading.connection, found.numbers)
    unknown = len(found.numbers) - len(here)
    detail = f"{len(here):,} in the estate" + (f", {unknown:,} not" if unknown else "")
    row = (counted(len(found.numbers), "number"), detail, Subject.SELECTION, found.numbers.written)
    return Found(Search(SearchKind.NOTHING), [("Several numbers", [row])])


def _extensions(reading: Reading, text: str) -> list[finder.Hit]:
    """People with this extension, where a few digits were typed."""
    digits = text.strip()
    if not (digits.isascii() and digits.isdecimal() and 1 <= len(digits) <= 7):
        return []
    person = tables.person
    found = reading.records.where(
        Person,
        person.c.extension == digits,
        person.c.extension != literal_column("''"),
        person.c.departed.is_(False),
        order_by=person.c.name,
        limit=5,
    )
    return [finder.Hit(Subject.PERSON, p.id, f"{p.name}, extension {p.extension}") for p in found]


HEADINGS = {
    Subject.PERSON: "People",
    Subject.SITE: "Sites",
    Subject.SERVICE_LINE: "Service lines",
    Subject.CARRIER: "Carriers",
    Subject.ORDER: "Orders",
    Subject.SPOT: "Emergency spots",
    Subject.AREA: "Areas",
    Subject.PATH: "Call paths",
    Subject.GROUP: "Groups",
    Subject.TRUNK: "Trunks",
    Subject.SBC: "SBCs",
    Subject.DOWNSTREAM: "Other systems",
}


def edit_facts(
    context: Context,
    e164: str,
    *,
    label: str | None = None,
    note: str | None = None,
    tags: str | None = None,
    cost_centre: str | None = None,
    known: list[tuple[str, str]] | None = None,
) -> Number:
    """Label, note, tags (separated by commas), cost centre and other systems' ids, directly; None
    leaves a fact as it is.

    `known` are pairs of system and id; an empty id forgets what that system called it. A note takes
    `May.NOTE`, all else `May.EDIT_FACTS`.
    """
    context.require(May.NOTE)
    values: dict[str, object] = {}
    for name, value, most in (
        ("label", label, 80),
        ("note", note, 2000),
        ("cost_centre", cost_centre, 40),
    ):
        if value is None:
            continue
        if len(value) > most:
            raise NotUnderstood(
                f"At most {most} characters fit here; this has {len(value)}.", field=name
            )
        values[name] = value.strip()
    if tags is not None:
        values["tags"] = tags_in(tags)
    with context.writing() as writing:
        number = writing.records.the(Number, e164)
        if known:
            values["known_as"] = known_with(number.known_as, known)
        after = number.copy_with(**values)
        if after == number:
            return number
        if after.copy_with(note=number.note) != number:
            context.require(May.EDIT_FACTS)
        return writing.save([changed(Subject.NUMBER, number, after, "number.labelled")])[0].after


def known_with(known_as: KnownAs, pairs: list[tuple[str, str]]) -> KnownAs:
    """The ids with some changed. Raises NotUnderstood."""
    found = dict(known_as)
    for system, value in ((system.strip(), value.strip()) for system, value in pairs):
        if not 1 <= len(system) <= 40:
            raise NotUnderstood("Name the other system, in up to 40 characters.", field="system")
        if len(value) > 120:
            raise NotUnderstood(
                f"An id has at most 120 characters; this has {len(value)}.", field="elsewhere"
            )
        if value:
            found[system] = value
        else:
            found.pop(system, None)
    return dict(sorted(found.items()))


def holder_ref(text: str) -> HolderRef:
    """A holder from `person:ID`, `service_line:ID` or `site:ID`; a plain id is a person's. Raises
    NotUnderstood."""
    kind, _, key = text.rpartition(":")
    try:
        return HolderRef.model_validate({"kind": kind or "person", "id": key})
    except ValueError as error:
        raise NotUnderstood(
            "A holder is person:ID, service_line:ID or site:ID.", field="holder"
        ) from error


def free_numbers(context: Context, site: str, limit: int = 40) -> list[Number]:
    """Numbers that could be given to somebody now: the site's own, or where it has none (or none is
    named) those of any site in its country."""
    with context.reading() as reading:
        of = reading.records.find(Site, site)
        near = [s.id for s in reading.records.all(Site) if of is None or s.country == of.country]
        life = tables.life
        free = (
            life.c.state.in_([State.AVAILABLE.value, State.RESERVED.value]),
            life.c.leaving_on.is_(None),
        )

        def first(sites: list[str]) -> list[Number]:
            return reading.records.where(
                Number, life.c.site.in_(sites), *free, order_by=life.c.number, limit=limit
            )

        return first([site]) or first(near)

"""The estate as the administrator sees it: overview, block maps, list, card, history, the finder."""

from collections import Counter
from collections.abc import Mapping
from dataclasses import dataclass, field
from datetime import datetime, timedelta

from sedge.core.errors import NotFound, NotUnderstood
from sedge.core.facts import Money
from sedge.core.ledger.chain import Entry
from sedge.core.numbers.e164 import describe, read, read_one
from sedge.core.numbers.figures import Exhaustion, months_to_exhaustion
from sedge.core.numbers.finding import Search, SearchKind, understand
from sedge.core.numbers.life import State
from sedge.core.numbers.standing import Standing, next_actions, standing
from sedge.core.paths.trace import Trace, World, trace_inbound
from sedge.core.records import Carrier, HolderKind, HolderRef, Number, Proof, Site, Subject
from sedge.core.reduce import changed
from sedge.core.workorders.tasks import Needs
from sedge.desk.desk import Desk, Reading
from sedge.store import finder, ledger, tables
from sedge.store import numbers as store
from sedge.store.numbers import Filter, Hundred

BLOCKS_A_PAGE = 12
DEMAND_MONTHS = 6


@dataclass(frozen=True)
class Block:
    """One site's part of an aligned hundred, with its figures. `exhaustion` is the site's."""

    lead: str
    site: Site
    cells: list[store.Cell]
    holders: dict[int, str]
    by_state: Counter[State]
    free_run: int
    carriers: list[str]
    monthly: Money | None
    exhaustion: Exhaustion

    @property
    def total(self) -> int:
        return len(self.cells)


@dataclass(frozen=True)
class Overview:
    """Figures for the whole estate and the choices of each filter with their counts."""

    total: int
    counts: dict[tuple[str, str, str], int]
    sites: dict[str, str]
    carriers: dict[str, str]
    by_state: Counter[str]
    by_site: Counter[str]
    by_carrier: Counter[str]
    attention: int
    exhaustion: dict[str, Exhaustion]
    soonest: tuple[str, Exhaustion] | None

    def matching(self, *, site: str = "", carrier: str = "", state: str = "") -> int:
        """How many numbers all the given values fit; '' fits all."""
        wanted = (site, carrier, state)
        return sum(n for key, n in self.counts.items() if all(w in ("", k) for w, k in zip(wanted, key, strict=True)))


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


def overview(desk: Desk) -> Overview:
    return desk.house.while_unchanged(desk.who.organisation, "overview", lambda: _overview(desk))


def _overview(desk: Desk) -> Overview:
    with desk.reading() as store_:
        counts = store.tallies(store_.connection, Filter())
        sites = {s.id: s.name for s in store_.records.all(Site)}
        carriers = {c.id: c.name for c in store_.records.all(Carrier)}
        by_state: Counter[str] = Counter()
        by_site: Counter[str] = Counter()
        by_carrier: Counter[str] = Counter()
        free: Counter[str] = Counter()
        for (site, carrier, state), count in counts.items():
            by_state[state] += count
            by_site[site] += count
            by_carrier[carrier] += count
            free[site] += count if state == State.AVAILABLE else 0
        exhaustion = _exhaustion(store_, free)
        attention = len(store.page(store_.connection, Filter(attention=True), limit=999).numbers)
    ahead = {site: e for site, e in exhaustion.items() if e.months is not None}
    soonest = min(ahead.items(), key=lambda item: item[1].months or 0, default=None)
    named = (sites.get(soonest[0], soonest[0]), soonest[1]) if soonest else None
    return Overview(sum(by_state.values()), counts, sites, carriers, by_state, by_site, by_carrier, attention, exhaustion, named)


def _exhaustion(reading: Reading, free: Counter[str]) -> dict[str, Exhaustion]:
    month = timedelta(days=182) / DEMAND_MONTHS
    starts = [reading.now - month * n for n in range(DEMAND_MONTHS, 0, -1)]
    demand = store.net_demand(reading.connection, [(start, start + month) for start in starts])
    return {site: months_to_exhaustion(free[site], months) for site, months in demand.items()}


def blocks(desk: Desk, wanted: Filter, exhaustion: Mapping[str, Exhaustion], *, page: int = 0) -> tuple[list[Block], int]:
    """A page of block maps, and how many there are in all; `exhaustion` is that of each site."""
    with desk.reading() as reading:
        maps, total = store.hundreds(reading.connection, wanted, limit=BLOCKS_A_PAGE, offset=page * BLOCKS_A_PAGE)
        sites = {s.id: s for s in reading.records.all(Site)}
        carriers = {c.id: c.name for c in reading.records.all(Carrier)}
        holders = _holder_names(reading, maps)
        prices = _prices(reading, maps)
    nothing = Exhaustion(None, None, None, 0.0)
    return [_block(m, sites[m.site], holders, exhaustion.get(m.site, nothing), carriers, prices.get((m.lead, m.site))) for m in maps], total


def _block(
    m: Hundred, site: Site, holders: dict[tuple[str, str], str], exhaustion: Exhaustion, carriers: dict[str, str], first: Number | None
) -> Block:
    from sedge.core.numbers.figures import figures

    numbers = figures({cell.number: cell.state for cell in m.cells})
    names = {c.number: holders.get((c.holder_kind, c.holder_id), "") for c in m.cells if c.holder_kind and c.holder_id}
    return Block(
        lead=f"+{m.lead}xx",
        site=site,
        cells=m.cells,
        holders=names,
        by_state=Counter(cell.state for cell in m.cells),
        free_run=numbers.free_run,
        carriers=[carriers[first.carrier]] if first else [],
        monthly=first.monthly if first else None,
        exhaustion=exhaustion,
    )


def _holder_names(reading: Reading, maps: list[Hundred]) -> dict[tuple[str, str], str]:
    refs = {
        (cell.holder_kind, cell.holder_id) for m in maps for cell in m.cells if cell.holder_kind is not None and cell.holder_id is not None
    }
    subjects = {(kind, key): (HolderRef.model_validate({"kind": kind, "id": key}).subject, key) for kind, key in refs}
    names = reading.records.names(subjects.values())
    return {ref: names.get(subject, "") for ref, subject in subjects.items()}


def _prices(reading: Reading, maps: list[Hundred]) -> dict[tuple[int, str], Number]:
    """The first number of each map, whose carrier and price stand for the block."""
    firsts = {m.cells[0].number: (m.lead, m.site) for m in maps if m.cells}
    return {firsts[int(n.e164)]: n for n in reading.records.many(Number, [f"+{n}" for n in firsts])}


def listing(desk: Desk, wanted: Filter, *, after: int = 0, limit: int = 100) -> tuple[list[Card], int | None]:
    """A page of numbers in ascending order, each with its holder's name; and the cursor of the next page."""
    with desk.reading() as reading:
        found = store.page(reading.connection, wanted, after=after, limit=limit)
        refs = [n.holder for n in found.numbers if n.holder]
        names = reading.records.names((ref.subject, ref.id) for ref in refs)
        sites = {s.id: s for s in reading.records.all(Site)}
    rows = [Card(n, sites[n.site], names.get((n.holder.subject, n.holder.id), "") if n.holder else "", [], []) for n in found.numbers]
    return rows, found.next


def card(desk: Desk, e164: str, at: datetime | None = None) -> Card:
    """Everything about one number, now or (facts and life only) as it stood. Raises NotFound."""
    with desk.reading() as reading:
        number = reading.records.find(Number, e164)
        if at is not None:
            number = ledger.as_it_stood(reading.connection, Subject.NUMBER, e164, at)
        if number is None:
            name = describe(e164).national
            missing = (
                f"{name} was not in the estate on {at:%-d %B %Y}." if at else f"{name} is not in the estate. Check its digits, or order it."
            )
            raise NotFound(missing, field="number", subject="number", id=e164)
        estate = reading.estate(
            Needs(
                numbers={e164},
                holders=set(filter(None, (number.holder, number.reserved_for))),
                spots={number.spot} if number.spot else set(),
                paths={number.path} if number.path else set(),
                sites={number.site},
            )
        )
        estate.put(number)
        life = store.spans(reading.connection, e164)
        history = ledger.entries(reading.connection, subject=Subject.NUMBER, key=e164, limit=200).entries
        proofs = reading.records.where(Proof, tables.proof.c.number == int(e164), order_by=tables.proof.c.at.desc(), limit=10)
        for proof in proofs:
            estate.put(proof)
        holder = estate.holder(number.holder).name if number.holder else ""
    call = trace_inbound(e164, at or estate.now, World(), estate) if number.state is State.ASSIGNED and at is None else None
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


def the_number(desk: Desk, text: str, *, field: str = "number") -> str:
    """The E.164 number meant by a typed text; one in the estate wins over a merely possible one. Raises NotOneNumber."""
    reading = read(text, desk.organisation.home_country, also_countries(desk))
    if len(reading.candidates) > 1:
        with desk.reading() as store_:
            owned = {n.e164 for n in store_.records.many(Number, [c.e164 for c in reading.candidates])}
        for candidate in reading.candidates:
            if candidate.e164 in owned:
                return candidate.e164
    return read_one(text, desk.organisation.home_country, field=field, also=also_countries(desk))


def also_countries(desk: Desk) -> tuple[str, ...]:
    with desk.reading() as reading:
        return tuple(sorted({s.country for s in reading.records.all(Site)}))


def meant(desk: Desk, text: str) -> Search:
    return understand(text, desk.organisation.home_country, also_countries(desk))


def find(desk: Desk, text: str, *, limit: int = 8) -> Found:
    """What the finder shows while one types."""
    search = meant(desk, text)
    if search.kind is SearchKind.NOTHING:
        return Found(search, [])
    with desk.reading() as reading:
        numbers = store.page(reading.connection, Filter(search=search), limit=limit, hits=store.WHILE_TYPING).numbers
        refs = [n.holder for n in numbers if n.holder]
        names = reading.records.names((ref.subject, ref.id) for ref in refs)
        hits = finder.match_all_words(reading.connection, text, limit=60) if search.kind is SearchKind.WORDS else []
    groups: dict[str, list[tuple[str, str, Subject, str]]] = {}
    for hit in hits:
        if hit.subject is not Subject.NUMBER:
            groups.setdefault(HEADINGS[hit.subject], []).append((hit.title, "", hit.subject, hit.ref))
    for n in numbers:
        holder = names.get((n.holder.subject, n.holder.id), "") if n.holder else ""
        detail = ", ".join(x for x in (holder, n.label, n.state.value if not holder else "") if x)
        groups.setdefault("Numbers", []).append((n.national, detail, Subject.NUMBER, n.e164))
    problem = "" if groups else "Nothing here matches. Try fewer digits, an ending such as *0142, or part of a name."
    return Found(search, [(heading, rows[:limit]) for heading, rows in groups.items()], problem)


HEADINGS = {
    Subject.PERSON: "People",
    Subject.SITE: "Sites",
    Subject.SERVICE_LINE: "Service lines",
    Subject.CARRIER: "Carriers",
    Subject.ORDER: "Orders",
}


def edit_facts(
    desk: Desk, e164: str, *, label: str | None = None, note: str | None = None, tags: str | None = None, cost_centre: str | None = None
) -> Number:
    """Label, note, tags (separated by commas) and cost centre, directly; None leaves a fact as it is."""
    values: dict[str, object] = {}
    for name, value, most in (("label", label, 80), ("note", note, 2000), ("cost_centre", cost_centre, 40)):
        if value is None:
            continue
        if len(value) > most:
            raise NotUnderstood(f"At most {most} characters fit here; this has {len(value)}.", field=name)
        values[name] = value.strip()
    if tags is not None:
        values["tags"] = tuple(sorted({tag.strip().lower()[:40] for tag in tags.split(",") if tag.strip()}))
    with desk.writing() as writing:
        number = writing.records.the(Number, e164)
        after = number.but(**values)
        if after == number:
            return number
        return writing.save([changed(Subject.NUMBER, number, after, "number.labelled")])[0].after


def holder_ref(text: str) -> HolderRef:
    """A holder from `person:ID`, `service_line:ID` or `site:ID`; a plain id is a person's. Raises NotUnderstood."""
    kind, _, key = text.rpartition(":")
    try:
        return HolderRef.model_validate({"kind": kind or "person", "id": key})
    except ValueError as error:
        raise NotUnderstood("A holder is person:ID, service_line:ID or site:ID.", field="holder") from error

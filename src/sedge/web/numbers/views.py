"""What the pages of Numbers show: ready facts for their templates."""

from collections.abc import Mapping
from dataclasses import dataclass, replace
from datetime import datetime
from urllib.parse import urlencode

from markupsafe import Markup

from sedge.core.numbers.e164 import describe
from sedge.core.numbers.life import State
from sedge.core.paths.trace import Happening
from sedge.core.records import Subject
from sedge.desk.ledger import page_of
from sedge.desk.numbers import Block, Card, Found, Overview
from sedge.web.shared.drawings.blockmap import MapCell, block_map, legend_shape
from sedge.web.shared.drawings.strip import strip
from sedge.web.shared.rendering import counted, money

ORDER_OF_STATES = (
    State.ASSIGNED,
    State.AVAILABLE,
    State.RESERVED,
    State.AGING,
    State.ADMINISTRATIVE,
    State.ON_ORDER,
    State.PORTING_IN,
    State.PORTING_OUT,
)
ACTIONS = {
    "assign": ("Give it to someone", "/work-orders/new/assign?number={n}"),
    "reserve": ("Reserve it", "/work-orders/new/reserve?number={n}"),
    "unreserve": ("Take the reservation back", "/work-orders/new/unreserve?number={n}"),
    "set-spot": ("Set its emergency spot", "/work-orders/new/set-spot?number={n}"),
    "register-address": ("Register its address", "/work-orders/new/register-address?number={n}"),
    "list-on-trunk": ("Put it on the trunk's list", "/work-orders/new/list-on-trunk?number={n}"),
    "set-path": ("Set its call path", "/work-orders/new/set-path?number={n}"),
    "test-call": ("Place a test call", "/numbers/{n}/test-call"),
    "follow": ("Follow a call", "/numbers/{n}/follow"),
    "retire": ("Retire it", "/numbers/{n}/retire"),
    "end-rest": ("End its rest, with a reason", "/work-orders/new/end-rest?number={n}"),
    "return": ("Return it to the available ones", "/work-orders/new/return?number={n}"),
}


@dataclass(frozen=True)
class Query:
    """The filters of the page, as its address has them."""

    find: str = ""
    view: str = "blocks"
    state: str = ""
    site: str = ""
    carrier: str = ""
    attention: str = ""
    after: int = 0
    page: int = 0
    number: str = ""

    def link(self, **changes: object) -> str:
        """This page with other filters, from the first page, without the chosen number unless it is given."""
        fresh: dict[str, object] = {"after": 0, "page": 0, "number": ""}
        query = replace(self, **{**fresh, **changes})  # type: ignore[arg-type]
        kept = {k: v for k, v in vars(query).items() if v and not (k == "view" and v == "blocks")}
        return "/numbers" + ("?" + urlencode(kept) if kept else "")

    @property
    def keep(self) -> str:
        """The query string in front of a chosen number."""
        kept = {k: v for k, v in vars(self).items() if v and k != "number" and not (k == "view" and v == "blocks")}
        return urlencode(kept) + "&" if kept else ""

    @property
    def narrowed(self) -> bool:
        return bool(self.find or self.state or self.site or self.carrier or self.attention)


@dataclass(frozen=True)
class BlockView:
    title: str
    lead: str
    href: str
    picture: Markup
    used_percent: int
    lines: list[str]


@dataclass(frozen=True)
class Choice:
    name: str
    href: str
    count: int
    is_on: bool = False


def block_view(block: Block, query: Query) -> BlockView:
    facts = describe(f"+{block.cells[0].number}")
    chosen = int(query.number) if query.number.isdigit() else None
    cells = [MapCell(c.number, c.state, cell_name(c.state, block.holders.get(c.number, ""))) for c in block.cells]
    assigned = block.by_state[State.ASSIGNED]
    lines = [f"{assigned} of {block.total} in use{_left(block)}", f"longest free run: {block.free_run}"]
    if block.total < 100:
        lines.append(f"{100 - block.total} of the hundred are not ours")
    if block.carriers:
        lines.append(f"{block.carriers[0]}, {money(block.monthly)} each")
    return BlockView(
        title=f"{facts.area}, {block.site.name.split(',')[0]}" if facts.area else block.site.name,
        lead=facts.national[:-2] + "xx",
        href=query.link(view="list", find=f"{block.lead[:-2]}xx"),
        picture=block_map(block.lead, cells, chosen=chosen, links={"keep": query.keep}),
        used_percent=round(100 * assigned / block.total) if block.total else 0,
        lines=lines,
    )


def cell_name(state: State, holder: str) -> str:
    return f"{state.value}, {holder}" if holder else state.value


def _left(block: Block) -> str:
    months = block.exhaustion.months
    return f", {spell_months(months)} left here" if months is not None else ""


def spell_months(months: float) -> str:
    """Months as people plan: weeks below two months, years above two years."""
    if months < 2:
        weeks = max(0, round(months * 4.35))
        return f"{weeks} week{'s' if weeks != 1 else ''}"
    return f"{round(months)} months" if months <= 24 else f"{round(months / 12)} years"


def lede(overview: Overview, maps: int) -> str:
    used = overview.by_state[State.ASSIGNED]
    share = f"{round(100 * used / overview.total)}% in use" if overview.total else "none in use"
    text = f"in {maps} block map{'s' if maps != 1 else ''}, {len([s for s in overview.by_site.values() if s])} sites, {len(overview.by_carrier)} carriers. {share}"
    if overview.soonest:
        site, exhaustion = overview.soonest
        text += f"; at the present pace {site} runs out in {spell_months(exhaustion.months or 0)}"
    return text + "."


def heading(overview: Overview, query: Query, shown: int, *, more: bool) -> str:
    """How many numbers are looked at: all, those of the chosen values, or what a search has found so far."""
    if query.find or query.attention:
        return f"More than {shown:,} numbers" if more else counted(shown, "number")
    found = overview.matching(site=query.site, carrier=query.carrier, state=query.state)
    return counted(found, "number") if found == overview.total else f"{found:,} of {counted(overview.total, 'number')}"


def legend(overview: Overview, query: Query) -> list[tuple[Markup, str, int, str]]:
    return [
        (
            legend_shape(state),
            state.value.capitalize(),
            overview.by_state[state],
            query.link(state="" if query.state == state else state.value),
        )
        for state in ORDER_OF_STATES
        if overview.by_state[state]
    ]


def choices(counts: Mapping[str, int], names: Mapping[str, str], query: Query, name: str) -> list[Choice]:
    on = getattr(query, name)
    rows = [Choice("any", query.link(**{name: ""}), sum(counts.values()), not on)]
    return rows + [
        Choice(names.get(key, key), query.link(**{name: key}), count, on == key)
        for key, count in sorted(counts.items(), key=lambda item: names.get(item[0], item[0]))
        if count
    ]


@dataclass(frozen=True)
class CardView:
    """A card with its drawings and doors."""

    card: Card
    strip: Markup
    shape: Markup
    actions: list[tuple[str, str]]
    pills: list[str]
    state_words: str
    usable_from: datetime | None
    call: list[Happening]
    call_ends: str


def card_view(card: Card, now: datetime) -> CardView:
    n = card.number
    pills = [
        {"any": "any number of calls", "single": "one call at a time", "many": "many calls"}[n.capacity.value],
        n.kind.value,
        *n.features,
    ]
    return CardView(
        card=card,
        strip=strip(card.life, card.at or now),
        shape=legend_shape(n.state),
        actions=[(ACTIONS[a][0], ACTIONS[a][1].format(n=n.e164[1:])) for a in card.actions if a in ACTIONS],
        pills=pills,
        state_words=n.state.value.capitalize(),
        usable_from=n.usable_from if n.usable_from and n.usable_from > now else None,
        call=card.call.happenings[:5] if card.call else [],
        call_ends=card.call.ending.kind.value if card.call else "",
    )


@dataclass(frozen=True)
class Answer:
    """One line of the finder: what was found, what it is, where it leads."""

    title: str
    detail: str
    href: str
    is_number: bool


def answers(found: Found, text: str) -> list[tuple[str, list[Answer]]]:
    """The finder's groups; a number opens on the map or list that the search gives."""
    return [(heading, [_answer(*row, text) for row in rows]) for heading, rows in found.groups]


def _answer(title: str, detail: str, subject: Subject, ref: str, text: str) -> Answer:
    if subject is Subject.NUMBER:
        return Answer(title, detail, "/numbers?" + urlencode({"number": ref[1:], "find": text}), True)
    return Answer(title, detail, page_of(subject, ref), False)

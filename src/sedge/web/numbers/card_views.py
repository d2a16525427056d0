"""The card of a number, and what is said of many: answers, differences, figures."""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from urllib.parse import urlencode

from markupsafe import Markup

from sedge.core.callpaths.tracing.trace import Happening
from sedge.core.numbers.card_facts import Standing
from sedge.core.numbers.e164 import describe
from sedge.core.numbers.life import ENDED, State
from sedge.core.records import Subject
from sedge.services.ledger.ledger import page_of
from sedge.services.numbers.capacity_forecast import Figure
from sedge.services.numbers.numbers import Card, Found
from sedge.store.repositories.past import Difference, Was
from sedge.web.numbers.views import ACTIONS, CALLS_AT_ONCE, ORDER_OF_STATES, spell_months
from sedge.web.shared.drawings.blockmap import legend_shape
from sedge.web.shared.drawings.strip import strip
from sedge.web.shared.page_finder import pages_found
from sedge.web.shared.rendering import money


@dataclass(frozen=True)
class CardView:
    """A card with its drawings and doors."""

    card: Card
    standing: list[tuple[Standing, str]]
    strip: Markup
    shape: Markup
    actions: list[tuple[str, str]]
    pills: list[str]
    state_words: str
    usable_from: datetime | None
    call: list[Happening]
    call_ends: str
    lives: int
    spent: str
    forms: list[tuple[str, str]]
    last_call: str


def card_view(card: Card, now: datetime) -> CardView:
    n = card.number
    pills = [
        CALLS_AT_ONCE[n.capacity.value],
        n.kind.value,
    ]
    return CardView(
        card=card,
        standing=[(s, page_of(*s.to) if s.to else "") for s in card.standing],
        strip=strip(card.life, card.at or now),
        shape=legend_shape(n.state),
        actions=[
            (ACTIONS[a][0], ACTIONS[a][1].format(n=n.e164[1:]))
            for a in card.actions
            if a in ACTIONS
        ],
        pills=pills,
        state_words=n.state.value.capitalize(),
        usable_from=n.usable_from if n.usable_from and n.usable_from > now else None,
        call=card.call.happenings[:5] if card.call else [],
        call_ends=card.call.ending.kind.value if card.call else "",
        lives=sum(1 for s in card.life if s.state in ENDED) + (n.state not in ENDED),
        spent=_spent(card, card.at or now),
        forms=[
            ("International", describe(n.e164).international),
            ("National", n.shown),
            ("Digits", n.e164[1:]),
        ],
        last_call=_last_call(card),
    )


def _spent(card: Card, now: datetime) -> str:
    """What the number has cost in this life, by its present price."""
    began = [s.since for s in card.life if s.state in ENDED]
    mine = [s for s in card.life if not began or s.since >= began[-1]]
    held = next((s.since for s in mine if s.state not in {State.ON_ORDER, *ENDED}), None)
    if held is None:
        return ""
    months = max(1, round((now - held).days / 30.4))
    return f"about {money(card.number.monthly.times(months))} since {held:%b %Y}"


def _last_call(card: Card) -> str:
    if not card.proofs:
        return ""
    last = max(card.proofs, key=lambda p: p.at)
    return (
        f"test call {last.direction}, {'as it should be' if last.ok else 'not as it should be'},"
        f" {last.at:%-d %b %Y}"
    )


@dataclass(frozen=True)
class Answer:
    """One line of the finder: what was found, what it is, where it leads."""

    title: str
    detail: str
    href: str
    is_number: bool


def answers(
    found: Found, text: str, opens: Callable[[str], bool]
) -> list[tuple[str, list[Answer]]]:
    """The finder's groups; a number opens on the map or list that the search gives, and several
    have the list of them all behind them. Pages come last, or first where one is called so
    and nothing else is."""
    groups = [(heading, [_answer(*row, text) for row in rows]) for heading, rows in found.groups]
    pages = [Answer(p.title, p.place, p.href, False) for p in pages_found(text, opens)]
    for _, rows in groups:
        if len(rows) > 1 and rows[-1].is_number:
            fitting = "/numbers?" + urlencode({"find": text[:200]})
            rows.append(Answer("All numbers that fit", "as a list", fitting, False))
    if not pages:
        return groups
    called = any(_is_called(p, text) for p in pages)
    named = any(_is_called(row, text) for _, rows in groups for row in rows)
    first = found.note or (called and not named)
    return [("Pages", pages), *groups] if first else [*groups, ("Pages", pages)]


def _is_called(row: Answer, text: str) -> bool:
    """Whether its name begins so, and not only what stands beside it."""
    return row.title.lower().startswith(text.strip().lower())


def opened_at_once(
    found: Found, text: str, groups: Sequence[tuple[str, Sequence[Answer]]]
) -> Answer | None:
    """What Enter opens where nothing was chosen: the only thing, or the best where a name was typed
    and is spelt so. Digits and what else narrows numbers down lead to the list."""
    rows = [row for _, part in groups for row in part]
    is_name = text[:1].isalpha() and not found.note and not any(c in ":*#=+" for c in text)
    return rows[0] if len(rows) == 1 or (rows and is_name) else None


def _answer(title: str, detail: str, subject: Subject, ref: str, text: str) -> Answer:
    if subject is Subject.NUMBER:
        return Answer(
            title, detail, "/numbers?" + urlencode({"number": ref[1:], "find": text}), True
        )
    if subject is Subject.TAG:
        return Answer(title, detail, "/numbers?" + urlencode({"tag": ref}), False)
    if subject is Subject.SELECTION:
        return Answer(title, detail, "/numbers/chosen?" + urlencode({"pick": ref}), False)
    if subject is Subject.AREA:
        return Answer(
            title, detail, "/numbers?" + urlencode({"group": "area", "find": f"+{ref}"}), False
        )
    return Answer(title, detail, page_of(subject, ref), False)


@dataclass(frozen=True)
class DifferenceRow:
    digits: str
    shown: str
    before: str
    after: str
    since: datetime | None


def difference(row: Difference, sites: Mapping[str, str]) -> DifferenceRow:
    return DifferenceRow(
        str(row.number),
        describe(f"+{row.number}").shown,
        _was(row.before, sites),
        _was(row.after, sites),
        row.after.since if row.after else None,
    )


def _was(was: Was | None, sites: Mapping[str, str]) -> str:
    if was is None:
        return "not in the estate"
    return ", ".join(
        x for x in (was.state.value, was.holder_name, sites.get(was.site, was.site)) if x
    )


def states_compared(
    before: Mapping[State, int], after: Mapping[State, int]
) -> list[tuple[str, int, int, str]]:
    return [
        (
            state.value.capitalize(),
            before.get(state, 0),
            after.get(state, 0),
            f"{after.get(state, 0) - before.get(state, 0):+,}".replace("-", "−"),
        )
        for state in ORDER_OF_STATES
        if before.get(state, 0) or after.get(state, 0)
    ]


def _signed(n: int) -> str:
    return f"{n:+,}".replace("-", "−") if n else "0"


@dataclass(frozen=True)
class FigureView:
    """One site's figures of one capacity, in words and as the bars of its months."""

    figure: Figure
    calls: str
    percent: int
    left: str
    between: str
    bars: list[tuple[str, int, str]]
    order_href: str


def figure_view(figure: Figure) -> FigureView:
    e = figure.exhaustion
    most = max((abs(m.net) for m in figure.months), default=0) or 1
    between = ""
    if e.months is not None:
        between = (
            f"between {spell_months(e.soonest or 0)} and"
            f" {spell_months(e.latest) if e.latest is not None else 'much later'}"
        )
    asked = {
        "country": figure.site.country,
        "area": figure.area,
        "capacity": "" if figure.capacity == "any" else figure.capacity,
        "quantity": min(figure.advice.order, 100),
        "consecutive": "1" if figure.advice.order > 1 else "",
    }
    return FigureView(
        figure=figure,
        calls=CALLS_AT_ONCE[figure.capacity],
        percent=round(100 * figure.utilisation),
        left=spell_months(e.months) if e.months is not None else "not in sight",
        between=between,
        bars=[(f"{m.ends:%b}", m.net, str(round(46 * abs(m.net) / most))) for m in figure.months],
        order_href="/supply?" + urlencode({k: v for k, v in asked.items() if v}),
    )

"""Forwarding a call to a number outside: whether the holder may, over which trunk, and what a
minute costs.

A forward is a call out of the number that was called: it takes a channel of its trunk and is paid
by whoever forwards.
"""

from dataclasses import dataclass

from sedge.core.estate import Estate
from sedge.core.facts import Money, in_words
from sedge.core.numbers.e164 import describe, is_canonical, is_in_service
from sedge.core.numbers.plan import Kind
from sedge.core.outbound.dialling.dialplan import right_for
from sedge.core.outbound.routes import choose_way, rate_over, refusal_of
from sedge.core.records import (
    BASIC_RIGHTS,
    HolderKind,
    HolderRef,
    Number,
    Person,
    Product,
    Right,
    ServiceLine,
    Site,
    Trunk,
)


@dataclass(frozen=True)
class Forwarding:
    """`reason` in words either way; `rate` for a minute, None where the carrier names none; `over`
    is the trunk that it goes out by."""

    allowed: bool
    reason: str
    rate: Money | None = None
    over: Trunk | None = None

    @property
    def trunk(self) -> str:
        return self.over.name if self.over else ""


def problem_with(to: str) -> str:
    """Why a text can't be forwarded to at all; '' where it can."""
    if not to:
        return "No number is given yet."
    if not is_canonical(to) or not is_in_service(to):
        return f"“{to}” is not a number in service. Type it in full, with its country code."
    if describe(to).kind is Kind.PREMIUM:
        return f"{describe(to).shown} is a premium number; every caller could run up its charge."
    return ""


def judge_forward(
    to: str,
    number: Number | None,
    holder: HolderRef | None,
    site: str,
    estate: Estate,
    down: tuple[str, ...] = (),
) -> Forwarding:
    """Whether calls to `number` may be forwarded to `to` (E.164), with trunks `down` besides those
    that are.

    Without a number (a path on its own) only what holds for every number is judged.
    """
    if problem := problem_with(to):
        return Forwarding(False, problem)
    if number is None:
        return Forwarding(True, "whether it may depends on the number that is called")
    home = estate.the(Site, site)
    if refusal := _refusal(right_for(to, home), number, holder, estate):
        return Forwarding(False, refusal)
    chosen, _, route = choose_way(to, number, home, estate, down)
    if chosen is None:
        refused = f"route “{route.name}” puts no such call through" if route else ""
        return Forwarding(False, refused or "no trunk takes a call out")
    if refused := refusal_of(route, _rights_of(holder, estate)):
        return Forwarding(False, refused[:1].lower() + refused[1:].rstrip("."))
    rate = rate_over(chosen, to, estate)
    return Forwarding(
        True,
        f"over {chosen.name}{f', {in_words_exact(rate)} a minute' if rate else ''}",
        rate,
        chosen,
    )


def _refusal(right: Right, number: Number, holder: HolderRef | None, estate: Estate) -> str:
    if holder is None:
        return "nobody has the number, so nobody may call out on it"
    if holder.kind is HolderKind.PERSON:
        person = estate.the(Person, holder.id)
        return "" if right in person.rights else f"{person.name} has no right to make {right} calls"
    whose = estate.holder(holder)
    if right not in _rights_of(holder, estate):
        return f"{whose.name} has no right to make {right} calls"
    asked = estate.carrier_of(number).asks_of.get(holder.kind, ())
    granted = {g.product for g in estate.grants_of(holder)}
    allows = [p for p in asked if (product := estate.get(Product, p)) and "calls" in product.allows]
    if allows and not granted & set(allows):
        return (
            f"this line has no right to call out: it is missing"
            f" “{estate.the(Product, allows[0]).name}”"
        )
    return ""


def _rights_of(holder: HolderRef | None, estate: Estate) -> tuple[Right, ...]:
    whose = estate.holder(holder) if holder else None
    return whose.rights if isinstance(whose, Person | ServiceLine | Site) else BASIC_RIGHTS


def in_words_exact(rate: Money) -> str:
    """`£0.012`: rates have more places than amounts."""
    symbol = in_words(Money(amount=rate.amount * 0, currency=rate.currency)).removesuffix("0.00")
    return f"{symbol}{rate.amount.normalize():f}"

"""Whether a server speaks the carrier interface as Sedge needs it: each promise tried over the wire
by the very client that Sedge orders with. Without `buy` nothing is bought and nothing changed."""

import secrets
from collections.abc import Callable, Iterator
from dataclasses import dataclass, field

from sedge.core.errors import OutsideRefused, OutsideTrouble
from sedge.outside.carrier import HttpCarrier, StockItem, WantedOrder
from sedge.services.operating.surroundings import Line, good, stop, warn

NAME = "The carrier"


@dataclass
class Trial:
    """A carrier under trial; `stock` is what it had for sale."""

    carrier: HttpCarrier
    url: str
    country: str
    stock: list[StockItem] = field(default_factory=list)


def check(url: str, key: str, country: str, *, buy: bool) -> list[Line]:
    """A line for each promise. With `buy` one number is held, ordered twice under one key, and the
    order cancelled: it costs what the carrier takes for that."""
    carrier = HttpCarrier(NAME, f"{url.rstrip('/')}/", key)
    trial = Trial(carrier, url, country)
    try:
        parts = [*READING, *(BUYING if buy else ())]
        return [line for part in parts for line in _tried(part, trial)]
    finally:
        carrier.close()


def _tried(part: Callable[[Trial], Iterator[Line]], trial: Trial) -> list[Line]:
    name = part.__name__.strip("_").replace("_", " ")
    try:
        return list(part(trial))
    except OutsideTrouble as error:
        return [stop(name, f"{error.message} ({error.reason or error.facts.get('cause', '')})")]


def _account(trial: Trial) -> Iterator[Line]:
    found = trial.carrier.account()
    yield good("account", f"{found.id}, {found.balance.amount} {found.balance.currency}")


def _wrong_key(trial: Trial) -> Iterator[Line]:
    stranger = trial.carrier.with_key(secrets.token_urlsafe(16))
    try:
        stranger.account()
    except OutsideRefused:
        yield good("wrong key", "is refused")
    else:
        yield stop("wrong key", "opens the account as well")


def _stock(trial: Trial) -> Iterator[Line]:
    trial.stock = trial.carrier.stock(trial.country, "", "")
    currencies = {item.monthly.currency for item in trial.stock}
    wrong = [i.e164 for i in trial.stock if i.monthly.amount < 0 or i.setup.amount < 0]
    if wrong:
        yield stop("stock", f"{wrong[0]} costs less than nothing")
    elif len(currencies) > 1:
        yield stop("stock", f"one country in several currencies: {', '.join(sorted(currencies))}")
    elif not trial.stock:
        yield warn("stock", f"nothing is for sale in {trial.country}; prices can't be tried")
    else:
        yield good("stock", f"{len(trial.stock):,} numbers in {trial.country}")


def _stock_by_digits(trial: Trial) -> Iterator[Line]:
    if trial.stock:
        starts = trial.stock[0].e164[:7]
        found = trial.carrier.stock(trial.country, starts, "")
        strange = [i.e164 for i in found if not i.e164.startswith(starts)]
        told = f"{strange[0]} does not begin with {starts}" if strange else f"begins with {starts}"
        yield (stop if strange or not found else good)("stock by digits", told)


def _prices(trial: Trial) -> Iterator[Line]:
    known = {i.e164: (i.setup, i.monthly) for i in trial.stock[:3]}
    if known:
        asked = trial.carrier.prices(list(known))
        same = {i.e164: (i.setup, i.monthly) for i in asked} == known
        told = "the same as in the stock" if same else "others than in the stock"
        yield (good if same else stop)("prices", told)


def _what_is_not_for_sale(trial: Trial) -> Iterator[Line]:
    strange = "+19005550199"
    yield _refused("what is not for sale", "taken", lambda: trial.carrier.prices([strange]))


def _unknown_order(trial: Trial) -> Iterator[Line]:
    yield _refused("unknown order", "", lambda: trial.carrier.order_state("no-such-order"))


def _charges(trial: Trial) -> Iterator[Line]:
    _, found = trial.carrier.charges(0)
    ids = [charge.id for charge in found]
    if ids != sorted(set(ids)):
        yield stop("charges", "their ids do not count up")
        return
    _, later = trial.carrier.charges(ids[-1] if ids else 0)
    told = f"{len(ids)} so far"
    yield stop("charges", "come again after their id") if later else good("charges", told)


def _list(trial: Trial) -> Iterator[Line]:
    found = [line.number for line in trial.carrier.listed()]
    twice = len(found) != len(set(found))
    told = "a number stands there twice" if twice else f"{len(found):,} numbers in service"
    yield (stop if twice else good)("list", told)


def _addresses(trial: Trial) -> Iterator[Line]:
    yield good("addresses", f"{len(trial.carrier.addresses()):,} registered")


def _port_outs(trial: Trial) -> Iterator[Line]:
    yield good("port outs", f"{len(trial.carrier.port_outs())} requests")


def _hold(trial: Trial) -> Iterator[Line]:
    number = [trial.stock[-1].e164] if trial.stock else []
    if not number:
        yield warn("hold", "nothing is for sale to be held")
        return
    held = trial.carrier.hold(number)
    yield good("hold", f"until {held.expires_at:%H:%M} UTC")
    yield _refused("hold of what is held", "taken", lambda: trial.carrier.hold(number))
    trial.carrier.end_hold(held.id)
    trial.carrier.end_hold(held.id)
    again = trial.carrier.hold(number)
    trial.carrier.end_hold(again.id)
    yield good("end of a hold", "the number is to be had again")


def _order(trial: Trial) -> Iterator[Line]:
    if not trial.stock:
        return
    item = trial.stock[-1]
    key = f"check-{secrets.token_hex(8)}"
    agreed = {item.e164: (item.setup.amount, item.monthly.amount)}
    wrong = {item.e164: (item.setup.amount, item.monthly.amount + 1)}
    dearer = WantedOrder(f"{key}-dearer", "conformance", wrong)
    yield _refused("order at another price", "price", lambda: trial.carrier.order(dearer))
    before = trial.carrier.account().balance.amount
    wanted = WantedOrder(key, "conformance", agreed)
    first, second = trial.carrier.order(wanted), trial.carrier.order(wanted)
    paid = before - trial.carrier.account().balance.amount
    if first.id != second.id:
        yield stop("order twice under one key", "was bought twice")
    else:
        yield good("order twice under one key", f"one order, {first.id}, {paid} taken")
    done = trial.carrier.cancel(first.id)
    states = {state.value for state, _, _ in done.lines.values()}
    yield good("cancelling", f"the line is {', '.join(sorted(states))}")


def _refused(what: str, reason: str, do: Callable[[], object]) -> Line:
    try:
        do()
    except OutsideRefused as error:
        if reason and error.reason != reason:
            return stop(what, f"is refused with {error.reason}, not with {reason}")
        return good(what, f"is refused: {error.reason}")
    return stop(what, "is not refused")


READING = (
    _account,
    _wrong_key,
    _stock,
    _stock_by_digits,
    _prices,
    _what_is_not_for_sale,
    _unknown_order,
    _charges,
    _list,
    _addresses,
    _port_outs,
)
BUYING = (_hold, _order)

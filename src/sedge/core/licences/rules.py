"""What granting, exchanging, taking back, buying and cancelling licences asks for."""

from sedge.core.estate import Estate
from sedge.core.facts import counted, in_words
from sedge.core.holding import HolderRef
from sedge.core.licences.entitlement_status import circle, entitled, lacking, working
from sedge.core.licences.records import Product, Subscription
from sedge.core.workorders import tasks as t
from sedge.core.workorders.findings import Finding, Remedy, add_before, passed, stop, warn
from sedge.core.workorders.rules.registry import rule


def _products(estate: Estate) -> dict[str, Product]:
    return estate.once("products", "", lambda: {p.id: p for p in estate.all(Product)})


def _held(ref: HolderRef, estate: Estate) -> set[str]:
    return {grant.product for grant in estate.grants_of(ref)}


@rule("licence.prerequisites", t.GrantLicence)
def prerequisites(task: t.GrantLicence, estate: Estate) -> Finding:
    """A seat that needs another one does nothing alone."""
    return _prerequisites(task.product, task.holder, _held(task.holder, estate), estate)


def _prerequisites(key: str, ref: HolderRef, held: set[str], estate: Estate) -> Finding:
    products, product, holder = _products(estate), estate.the(Product, key), estate.holder(ref)
    if key in working(held | {key}, products):
        return passed(f"{product.name} has what it needs")
    round_ = circle(products)
    if key in round_:
        names = " needs ".join(products[k].name for k in (*round_, round_[0]))
        return stop(f"{product.name} can never work: {names}. Put the catalogue right first.")
    missing = [products[k] for k in lacking([key], held, products) if k != key]
    names = " and ".join(p.name for p in missing)
    prices = " and ".join(f"{p.name} costs {in_words(p.monthly)}" for p in missing)
    words = f"{names} first"
    tasks = tuple(t.GrantLicence(holder=ref, product=p.id) for p in missing)
    other = [products[k].name for k in product.needs_any if k in products]
    choice = f" One of {', '.join(other)} would do." if len(other) > 1 else ""
    return stop(
        f"{product.name} does nothing for {holder.name} without {names}.{choice} {prices},"
        f" {product.name} {in_words(product.monthly)} a month.",
        add_before(f"Grant {words}", *tasks),
    )


@rule("licence.fits-holder", t.GrantLicence)
def fits_holder(task: t.GrantLicence, estate: Estate) -> Finding:
    """Some seats are for people, some for lines only."""
    return _fits(task.product, task.holder, estate)


def _fits(key: str, ref: HolderRef, estate: Estate) -> Finding:
    product = estate.the(Product, key)
    if product.withdrawn:
        return stop(f"{product.name} is no longer sold. Choose another product.")
    if ref.kind not in product.for_holders:
        kinds = " or ".join(k.value.replace("_", " ") for k in product.for_holders)
        return stop(
            f"{product.name} is for a {kinds}, not for a {ref.kind.value.replace('_', ' ')}."
        )
    return passed(f"{product.name} is meant for such a holder")


@rule("licence.seat-left", t.GrantLicence)
def seat_left(task: t.GrantLicence, estate: Estate) -> Finding:
    """A seat must be there to be given."""
    return _seat_left(task.product, task.holder, estate)


def _seat_left(key: str, ref: HolderRef, estate: Estate) -> Finding:
    product, holder = estate.the(Product, key), estate.holder(ref)
    if key in _held(ref, estate):
        return passed(f"{holder.name} has {product.name} already")
    pools = [s for s in estate.all(Subscription) if s.product == product.id and not s.ended]
    left = sum(s.left for s in pools)
    if left < 1:
        return stop(
            f"No seat of {product.name} is left.{_free_words(product, estate)}",
            *_more_seats(product, estate),
        )
    trial = next((s for s in pools if s.trial_ends), None)
    if trial and trial.trial_ends and left == trial.left:
        return warn(
            f"The seats of {product.name} left are on trial until {trial.trial_ends:%-d %B}; then"
            f" {holder.name} would lose it."
        )
    return passed(f"{counted(left, 'seat')} of {product.name} left before this")


def _free_words(product: Product, estate: Estate) -> str:
    of = product.entitlement
    if of is None:
        return ""
    name = estate.the(Product, of.of).name
    return f" They cost nothing: {of.base}, and 1 for every {of.per} seats of {name} you buy."


def _more_seats(product: Product, estate: Estate) -> tuple[Remedy, ...]:
    """Buy one; of a free product as many of the paid one as bring one more."""
    of = product.entitlement
    if of is None:
        return (
            add_before(
                f"Buy a seat, {in_words(product.monthly)} a month",
                t.BuySeats(product=product.id, seats=1),
            ),
        )
    paid = sum(s.paid for s in estate.all(Subscription) if s.product == of.of and not s.ended)
    wanted = of.per - paid % of.per
    base = estate.the(Product, of.of)
    words = (
        f"Buy {wanted} of {base.name}, {in_words(base.monthly.times(wanted))} a month, which brings"
        " one more"
    )
    return (add_before(words, t.BuySeats(product=base.id, seats=wanted), automatic=False),)


@rule("licence.still-needed", t.RevokeLicence)
def still_needed(task: t.RevokeLicence, estate: Estate) -> Finding:
    """What a number's carrier asks for, or another seat stands on, is not taken away under it."""
    return _still_needed(
        task.product, task.holder, _held(task.holder, estate) - {task.product}, estate
    )


def _still_needed(key: str, ref: HolderRef, left: set[str], estate: Estate) -> Finding:
    products, holder, product = _products(estate), estate.holder(ref), estate.the(Product, key)
    if key not in _held(ref, estate):
        return warn(f"{holder.name} does not have {product.name}; there is nothing to revoke.")
    works = working(left, products)
    for number in estate.numbers_of(ref):
        if key in estate.carrier_of(number).asks_of.get(ref.kind, ()) and key not in works:
            back = add_before(
                f"Take {number.shown} back first",
                t.UnassignNumber(number=number.e164, holder=ref),
                automatic=False,
            )
            return stop(
                f"{holder.name} needs {product.name} for {number.shown}, which would stop working.",
                back,
            )
    idle = [products[k] for k in left if k in products and k not in works]
    if idle:
        names = " and ".join(p.name for p in idle)
        tasks = tuple(t.RevokeLicence(holder=ref, product=p.id) for p in idle)
        return stop(
            f"{names} does nothing without {product.name}.",
            add_before(f"Take {names} back too", *tasks),
        )
    return passed(f"Nothing of {holder.name}'s stands on {product.name}")


@rule("licence.exchange", t.ExchangeLicence)
def exchange(task: t.ExchangeLicence, estate: Estate) -> Finding:
    """The new seat must fit, be there and have what it needs; the old one must not be stood on by
    more than it."""
    old, new, holder = (
        estate.the(Product, task.product),
        estate.the(Product, task.to),
        estate.holder(task.holder),
    )
    held = _held(task.holder, estate)
    if task.product not in held:
        return stop(
            f"{holder.name} does not have {old.name}.",
            add_before(
                f"Grant {new.name}",
                t.GrantLicence(holder=task.holder, product=new.id),
                automatic=False,
            ),
        )
    if task.product == task.to:
        return stop("A product can't be exchanged for itself. Choose another.")
    after = held - {task.product}
    for finding in (
        _fits(task.to, task.holder, estate),
        _seat_left(task.to, task.holder, estate),
        _prerequisites(task.to, task.holder, after, estate),
        _still_needed(task.product, task.holder, after | {task.to}, estate),
    ):
        if not finding.is_pass:
            return finding
    return passed(
        f"{holder.name} has {old.name} until {new.name} works, {new.propagation_minutes} minutes"
        " after"
    )


@rule("licence.can-be-bought", t.BuySeats)
def can_be_bought(task: t.BuySeats, estate: Estate) -> Finding:
    """Free seats come with others; what is withdrawn is not sold."""
    product = estate.the(Product, task.product)
    if product.withdrawn:
        return stop(f"{product.name} is no longer sold. Choose another product.")
    if product.entitlement:
        return stop(
            f"{product.name} can't be bought.{_free_words(product, estate)}",
            *_more_seats(product, estate),
        )
    name = f"{counted(task.seats, 'seat')} of {product.name}"
    term = product.term_months
    if term > 1:
        return warn(f"{name} for {term} months: they can be cancelled only to the end of that.")
    return passed(f"{name} for {in_words(product.monthly.times(task.seats))} a month")


@rule("licence.trial-offered", t.StartTrial)
def trial_offered(task: t.StartTrial, estate: Estate) -> Finding:
    """A product may be tried once, where it is offered."""
    product = estate.the(Product, task.product)
    if not product.trial_days or product.withdrawn:
        return stop(
            f"{product.name} is not offered on trial.",
            add_before(
                "Buy the seats", t.BuySeats(product=product.id, seats=task.seats), automatic=False
            ),
        )
    if any(s.trial_ends for s in estate.all(Subscription) if s.product == product.id):
        return stop(f"{product.name} has been tried already. Buy seats instead.")
    return warn(
        f"The trial ends after {product.trial_days} days; who has a seat loses it then, unless"
        " seats are bought."
    )


@rule("licence.can-be-cancelled", t.CancelSeats)
def can_be_cancelled(task: t.CancelSeats, estate: Estate) -> Finding:
    """Seats never go below grants, nor free ones below theirs."""
    seats = estate.the(Subscription, task.subscription)
    product = estate.the(Product, seats.product)
    if seats.ended or task.seats > seats.seats - seats.leaving:
        return stop(
            f"There are {0 if seats.ended else seats.seats - seats.leaving} seats of {product.name}"
            " to cancel here."
        )
    others = sum(
        s.left
        for s in estate.all(Subscription)
        if s.product == product.id and s.id != seats.id and not s.ended
    )
    over = seats.used - (seats.seats - seats.leaving - task.seats) - others
    if over > 0:
        return stop(
            f"{seats.used} of the {seats.seats} seats of {product.name} are granted; cancelling"
            f" {task.seats} would take {over} away from somebody. Take those back first, or cancel"
            " fewer.",
        )
    for free in estate.all(Product):
        if free.entitlement and free.entitlement.of == product.id:
            fewer = [
                s.copy_with(seats=s.seats - task.seats) if s.id == seats.id else s
                for s in estate.all(Subscription)
            ]
            used = sum(s.used for s in estate.all(Subscription) if s.product == free.id)
            if used > entitled(free, fewer):
                return stop(
                    f"{used} of {free.name} are granted, and only {entitled(free, fewer)} would"
                    f" come with what is left of {product.name}."
                )
    ends = seats.trial_ends or seats.renews_on
    until = f" until {ends:%-d %B %Y}" if ends else ""
    return warn(f"They are paid and can be used{until}; then they are gone.")

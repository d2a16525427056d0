"""Tasks of licences: granted, taken back, exchanged; seats bought, tried and cancelled."""

from collections.abc import Iterator, Sequence
from datetime import datetime, timedelta
from typing import Literal

from pydantic import Field

from sedge.core.access.roles import May
from sedge.core.changes import changed
from sedge.core.enums import Subject
from sedge.core.errors import NotAllowedNow
from sedge.core.estate import Change, Estate
from sedge.core.facts import Money, counted
from sedge.core.holding import HolderRef
from sedge.core.licences.reducers import free_seats, granted, months_later, taken_back
from sedge.core.records import RECORD_TYPES, Account, Product, Site, Subscription
from sedge.core.workorders.task_base import (
    NOTHING_MORE,
    Cost,
    Name,
    Prerequisites,
    Provision,
    Task,
    Thing,
    at_once,
    for_nothing,
    free,
    holder_name,
    key_of,
    name_of,
    not_at_all,
    nothing,
    what_it_is_about,
    what_it_names,
)
from sedge.core.workorders.undo import restore

MOST_SEATS = 10_000


class GrantLicence(Task):
    kind: Literal["grant_licence"] = "grant_licence"
    takes = NOTHING_MORE
    holder: HolderRef
    product: Name

    needs = what_it_names
    waits = for_nothing
    reversal = restore

    def provides(self) -> Iterator[Provision]:
        yield Provision(Thing.PREPARED)
        yield Provision(Thing.LICENCE, key_of(self.holder))
        yield Provision(Thing.LICENCE, key_of(self.holder), self.product)

    def requires(self, prerequisites: Prerequisites) -> Iterator[Provision]:
        yield from what_it_is_about(self, prerequisites)
        yield Provision(Thing.SEATS, self.product)
        for product in prerequisites.get(self.product, ()):
            yield Provision(Thing.LICENCE, key_of(self.holder), product)

    def describe(self, estate: Estate) -> tuple[str, str]:
        what = name_of(estate, Product, self.product)
        return f"Grant {what}", f"to {holder_name(self.holder, estate)}"

    def apply(self, estate: Estate, identity: str = "new") -> list[Change]:
        return granted(self.holder, self.product, estate, identity)

    def works(self, estate: Estate) -> str:
        return f"works {estate.the(Product, self.product).propagation_minutes} min after granting"

    def settles(self, after: Estate) -> datetime | None:
        return _seat_works(self.holder, self.product, after)

    def costs(self, estate: Estate) -> Cost:
        return Cost(seat_price(self.product, self.holder, estate))

    def is_idle(self, tasks: Sequence[Task], estate: Estate) -> bool:
        """A seat that is held already, unless something before it takes it back."""
        if any(isinstance(x, RevokeLicence) and _same_seat(x, self) for x in tasks):
            return False
        return any(g.product == self.product for g in estate.grants_of(self.holder))


class RevokeLicence(Task):
    kind: Literal["revoke_licence"] = "revoke_licence"
    takes = NOTHING_MORE
    holder: HolderRef
    product: Name

    needs = what_it_names
    waits = for_nothing
    works = at_once
    reversal = restore

    def provides(self) -> Iterator[Provision]:
        yield Provision(Thing.TAKEN_BACK, key_of(self.holder), self.product)
        yield Provision(Thing.SEAT_GIVEN_UP, key_of(self.holder))
        yield Provision(Thing.SEATS, self.product)

    def requires(self, prerequisites: Prerequisites) -> Iterator[Provision]:
        """What stands on a seat goes before it."""
        yield from what_it_is_about(self, prerequisites)
        yield Provision(Thing.GIVEN_UP, key_of(self.holder))
        for product, needed in prerequisites.items():
            if self.product in needed:
                yield Provision(Thing.TAKEN_BACK, key_of(self.holder), product)

    def describe(self, estate: Estate) -> tuple[str, str]:
        what = name_of(estate, Product, self.product)
        return f"Take back {what}", f"from {holder_name(self.holder, estate)}"

    def apply(self, estate: Estate, identity: str = "new") -> list[Change]:
        return taken_back(self.holder, self.product, estate)

    def costs(self, estate: Estate) -> Cost:
        return Cost(seat_price(self.product, self.holder, estate).times(-1))

    def is_idle(self, tasks: Sequence[Task], estate: Estate) -> bool:
        """A seat that nobody holds, unless something before it gives it."""
        if any(isinstance(x, GrantLicence) and _same_seat(x, self) for x in tasks):
            return False
        return all(g.product != self.product for g in estate.grants_of(self.holder))


class ExchangeLicence(Task):
    """One product for another: the old seat goes on until the new one works."""

    kind: Literal["exchange_licence"] = "exchange_licence"
    takes = NOTHING_MORE
    holder: HolderRef
    product: Name
    to: Name

    needs = what_it_names
    waits = for_nothing
    reversal = restore

    def provides(self) -> Iterator[Provision]:
        yield Provision(Thing.PREPARED)
        yield Provision(Thing.LICENCE, key_of(self.holder))
        yield Provision(Thing.LICENCE, key_of(self.holder), self.to)

    def requires(self, prerequisites: Prerequisites) -> Iterator[Provision]:
        yield from what_it_is_about(self, prerequisites)
        yield Provision(Thing.SEATS, self.to)
        for product in prerequisites.get(self.to, ()):
            yield Provision(Thing.LICENCE, key_of(self.holder), product)

    def describe(self, estate: Estate) -> tuple[str, str]:
        old, new = name_of(estate, Product, self.product), name_of(estate, Product, self.to)
        return f"Exchange {old}", f"for {new}, for {holder_name(self.holder, estate)}"

    def apply(self, estate: Estate, identity: str = "new") -> list[Change]:
        """Both halves, as when it is done.

        The runner keeps the first, waits for the seat to work, and then keeps the second.
        """
        given = granted(self.holder, self.to, estate, identity)
        world = estate.fork()
        world.absorb(given)
        return [*given, *taken_back(self.holder, self.product, world)]

    def works(self, estate: Estate) -> str:
        minutes = estate.the(Product, self.to).propagation_minutes
        return f"works {minutes} min after granting; the other goes on until then"

    def settles(self, after: Estate) -> datetime | None:
        return _seat_works(self.holder, self.to, after)

    def costs(self, estate: Estate) -> Cost:
        new = seat_price(self.to, self.holder, estate)
        old = seat_price(self.product, self.holder, estate)
        return Cost(new - old if new.currency == old.currency else new)


def _seat_works(holder: HolderRef, product: str, after: Estate) -> datetime:
    moments = [g.works_from for g in after.grants_of(holder) if g.product == product]
    return max([after.now, *moments])


class BuySeats(Task):
    kind: Literal["buy_seats"] = "buy_seats"
    takes = frozenset({May.BUY})
    product: Name
    seats: int = Field(ge=1, le=MOST_SEATS)

    needs = what_it_names
    requires = what_it_is_about
    waits = for_nothing
    works = at_once
    reversal = restore

    def provides(self) -> Iterator[Provision]:
        yield Provision(Thing.PREPARED)
        yield Provision(Thing.SEATS, self.product)

    def describe(self, estate: Estate) -> tuple[str, str]:
        return f"Buy {counted(self.seats, 'seat')}", f"of {name_of(estate, Product, self.product)}"

    def apply(self, estate: Estate, identity: str = "new") -> list[Change]:
        product = estate.the(Product, self.product)
        found = next((s for s in _seats_of(product, estate) if not s.is_trial), None)
        before = found or Subscription(
            id=f"{identity}-seats",
            product=product.id,
            seats=0,
            term_months=product.term_months,
            renews_on=months_later(estate.now, product.term_months),
        )
        after = before.copy_with(seats=before.seats + self.seats)
        bought = changed(Subject.SUBSCRIPTION, found, after, "subscription.seats-bought")
        return [bought, *free_seats([after], estate)]

    def costs(self, estate: Estate) -> Cost:
        return Cost(estate.the(Product, self.product).monthly.times(self.seats))

    def together(self, other: Task) -> Task | None:
        if not isinstance(other, BuySeats) or other.product != self.product:
            return None
        seats = self.seats + other.seats
        return self.copy_with(seats=seats) if seats <= MOST_SEATS else None


class StartTrial(Task):
    """Seats of a product for its trial's days, without cost."""

    kind: Literal["start_trial"] = "start_trial"
    takes = frozenset({May.BUY})
    for_good = "a trial that has begun"
    product: Name
    seats: int = Field(ge=1, le=MOST_SEATS)

    needs = what_it_names
    requires = what_it_is_about
    waits = for_nothing
    works = at_once
    costs = free
    reversal = not_at_all

    def provides(self) -> Iterator[Provision]:
        yield Provision(Thing.SEATS, self.product)

    def describe(self, estate: Estate) -> tuple[str, str]:
        return f"Try {counted(self.seats, 'seat')}", f"of {name_of(estate, Product, self.product)}"

    def apply(self, estate: Estate, identity: str = "new") -> list[Change]:
        product = estate.the(Product, self.product)
        trial = Subscription(
            id=f"{identity}-trial",
            product=product.id,
            seats=self.seats,
            trial_ends=estate.now + timedelta(days=product.trial_days),
        )
        return [changed(Subject.SUBSCRIPTION, None, trial, "subscription.trial-started")]


class CancelSeats(Task):
    """Seats that are not wanted after the subscription's term."""

    kind: Literal["cancel_seats"] = "cancel_seats"
    takes = frozenset({May.BUY})
    subscription: Name
    seats: int = Field(ge=1, le=100_000)

    needs = what_it_names
    provides = nothing
    requires = what_it_is_about
    waits = for_nothing
    works = at_once
    reversal = restore

    def describe(self, estate: Estate) -> tuple[str, str]:
        seats = estate.get(Subscription, self.subscription)
        product = name_of(estate, Product, seats.product if seats else None)
        return f"Cancel {counted(self.seats, 'seat')}", f"of {product}"

    def apply(self, estate: Estate, identity: str = "new") -> list[Change]:
        seats = estate.the(Subscription, self.subscription)
        if self.seats > seats.seats - seats.leaving:
            raise NotAllowedNow("So many seats are not there to cancel.", reason="no-seat")
        after = seats.copy_with(leaving=seats.leaving + self.seats)
        return [changed(Subject.SUBSCRIPTION, seats, after, "subscription.seats-cancelled")]

    def costs(self, estate: Estate) -> Cost:
        seats = estate.the(Subscription, self.subscription)
        if seats.is_trial:
            return Cost()
        saved = estate.the(Product, seats.product).monthly.times(-self.seats)
        return Cost(saved, begins=seats.renews_on)


def _same_seat(one: GrantLicence | RevokeLicence, other: GrantLicence | RevokeLicence) -> bool:
    return (one.holder, one.product) == (other.holder, other.product)


def _seats_of(product: Product, estate: Estate) -> list[Subscription]:
    return [s for s in estate.all(Subscription) if s.product == product.id and not s.ended]


def seat_price(key: str, holder: HolderRef, estate: Estate) -> Money:
    """A seat's price a month, in the currency in which the holder's site pays its carrier."""
    product = estate.the(Product, key)
    at = estate.get(RECORD_TYPES[holder.subject], holder.id)
    site = estate.get(Site, getattr(at, "site", holder.id))
    account = estate.get(Account, site.account) if site else None
    return product.price_in(account.balance.currency) if account else product.monthly

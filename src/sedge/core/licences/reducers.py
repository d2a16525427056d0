"""What the tasks of licences change: grants, and seats bought, tried, cancelled and ended."""

from collections.abc import Iterable
from datetime import datetime, timedelta

from sedge.core.changes import changed
from sedge.core.enums import Subject
from sedge.core.errors import NotAllowedNow, NotFound
from sedge.core.estate import Change, Estate
from sedge.core.holding import HolderRef
from sedge.core.licences.entitlement_status import entitled
from sedge.core.licences.records import Grant, Product, Subscription


def months_later(moment: datetime, months: int) -> datetime:
    """The same day that many months on, or the month's last."""
    year, month = divmod(moment.month - 1 + months, 12)
    first = moment.replace(year=moment.year + year, month=month + 1, day=1)
    last = (first.replace(day=28) + timedelta(days=4)).replace(day=1) - timedelta(days=1)
    return first.replace(day=min(moment.day, last.day))


def granted(holder: HolderRef, key: str, estate: Estate, identity: str) -> list[Change]:
    """A seat for a holder; nothing where they have one. Raises NotFound, NotAllowedNow where no
    seat is left."""
    product = estate.the(Product, key)
    if any(g.product == product.id for g in estate.grants_of(holder)):
        return []
    subscription = _pool(product, estate)
    grant = Grant(
        id=f"{identity}-grant",
        product=product.id,
        subscription=subscription.id,
        holder=holder,
        since=estate.now,
        works_from=estate.now + timedelta(minutes=product.propagation_minutes),
    )
    return [changed(Subject.GRANT, None, grant, "grant.given"), _used(subscription, +1)]


def _pool(product: Product, estate: Estate) -> Subscription:
    """The seats to take one from: paid ones before those on trial."""
    seats = [s for s in estate.all(Subscription) if s.product == product.id and not s.ended]
    if not seats:
        raise NotFound(
            f"There is no subscription for {product.name}. Buy seats first.",
            subject=Subject.SUBSCRIPTION,
        )
    best = max(seats, key=lambda s: (s.left > 0, not s.is_trial, s.left))
    if best.left < 1:
        raise NotAllowedNow(
            f"No seat of {product.name} is left. Buy seats or take one back.", reason="no-seat"
        )
    return best


def taken_back(holder: HolderRef, product: str, estate: Estate) -> list[Change]:
    grant = next((g for g in estate.grants_of(holder) if g.product == product), None)
    if grant is None:
        return []
    subscription = estate.the(Subscription, grant.subscription)
    return [
        changed(Subject.GRANT, grant, grant.copy_with(until=estate.now), "grant.ended"),
        _used(subscription, -1),
    ]


def _used(subscription: Subscription, by: int) -> Change:
    return changed(
        Subject.SUBSCRIPTION,
        subscription,
        subscription.copy_with(used=subscription.used + by),
        "subscription.used",
    )


# ── seats ──


def free_seats(after: Iterable[Subscription], estate: Estate) -> list[Change]:
    """Free seats follow the paid ones they come with, but never fall below their grants; a pool of
    them comes to be with the first."""
    world = estate.fork()
    for subscription in after:
        world.put(subscription)
    changes = []
    for product in world.all(Product):
        pool = next(
            (s for s in world.all(Subscription) if s.product == product.id and not s.ended), None
        )
        if product.entitlement is None or product.withdrawn:
            continue
        free = entitled(product, world.all(Subscription))
        if pool is None:
            if free:
                fresh = Subscription(id=f"{product.id}-free", product=product.id, seats=free)
                changes.append(
                    changed(Subject.SUBSCRIPTION, None, fresh, "subscription.free-seats-counted")
                )
            continue
        seats = max(free, pool.used)
        if seats != pool.seats:
            changes.append(
                changed(
                    Subject.SUBSCRIPTION,
                    pool,
                    pool.copy_with(seats=seats),
                    "subscription.free-seats-counted",
                )
            )
    return changes


def term_over(subscription: Subscription, estate: Estate) -> list[Change]:
    """What happens on the last day of a term or a trial: cancelled seats go, a trial's grants move
    to seats that are left, or end.

    `estate` has the product's open grants and all its subscriptions.
    """
    if subscription.is_trial:
        return _trial_over(subscription, estate)
    renews = months_later(subscription.renews_on or estate.now, subscription.term_months)
    seats = max(subscription.seats - subscription.leaving, subscription.used)
    after = subscription.copy_with(seats=seats, leaving=0, renews_on=renews, ended=seats == 0)
    action = "subscription.ended" if after.ended else "subscription.renewed"
    return [
        changed(Subject.SUBSCRIPTION, subscription, after, action),
        *free_seats([after], estate),
    ]


def _trial_over(trial: Subscription, estate: Estate) -> list[Change]:
    changes: list[Change] = []
    others = {
        s.id: s
        for s in estate.all(Subscription)
        if s.product == trial.product and s.id != trial.id and not s.ended
    }
    moved: dict[str, int] = {}
    for grant in sorted(
        (g for g in estate.all(Grant) if g.subscription == trial.id and g.until is None),
        key=lambda g: (g.since, g.id),
    ):
        room = next((s for s in others.values() if s.left > moved.get(s.id, 0)), None)
        if room:
            moved[room.id] = moved.get(room.id, 0) + 1
            changes.append(
                changed(Subject.GRANT, grant, grant.copy_with(subscription=room.id), "grant.moved")
            )
        else:
            changes.append(
                changed(Subject.GRANT, grant, grant.copy_with(until=estate.now), "grant.ended")
            )
    changes += [_used(others[key], by) for key, by in moved.items()]
    ended = trial.copy_with(used=0, seats=0, ended=True)
    return [*changes, changed(Subject.SUBSCRIPTION, trial, ended, "subscription.trial-ended")]

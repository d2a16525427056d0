"""The demo's licences: what Brackwater and the Trust's own telephone system sell by the seat, and
the seats bought."""

from datetime import datetime, timedelta

from sedge.core.enums import HolderKind
from sedge.core.facts import money
from sedge.core.licences.records import Entitlement, Product, Subscription

DAY = timedelta(days=1)
STAFF, HOME, RECEPTION, GUIDE, RECORDING, ABROAD = (
    "staff-seat",
    "home-calling",
    "reception-permit",
    "tour-guide-seat",
    "recording",
    "abroad-pack",
)
PERSON, LINE = (HolderKind.PERSON,), (HolderKind.SERVICE_LINE,)


def products() -> list[Product]:
    return [
        Product(
            id=STAFF,
            name="Staff seat",
            allows=("directory",),
            for_holders=PERSON,
            monthly=money("3.10", "GBP"),
            prices=(money("3.60", "EUR"),),
            propagation_minutes=10,
            term_months=12,
        ),
        Product(
            id=HOME,
            name="Home calling",
            allows=("calls",),
            needs_all=(STAFF,),
            for_holders=PERSON,
            monthly=money("6.40", "GBP"),
            prices=(money("7.50", "EUR"),),
            minutes=600,
            propagation_minutes=15,
            term_months=12,
        ),
        Product(
            id=RECEPTION,
            name="Reception permit",
            allows=("calls",),
            for_holders=LINE,
            monthly=money(0, "GBP"),
            propagation_minutes=5,
            free=True,
            entitlement=Entitlement(base=6, per=15, of=HOME),
        ),
        Product(
            id=GUIDE,
            name="Tour guide seat",
            allows=("directory", "texts"),
            for_holders=PERSON,
            monthly=money("2.20", "GBP"),
            messages=200,
            propagation_minutes=5,
            trial_days=30,
        ),
        Product(
            id=RECORDING,
            name="Recording",
            allows=("recording",),
            needs_any=(HOME, GUIDE),
            for_holders=PERSON,
            monthly=money("4.00", "GBP"),
            propagation_minutes=5,
            trial_days=30,
        ),
        Product(
            id=ABROAD,
            name="Abroad pack 500",
            allows=("calls abroad",),
            needs_all=(HOME,),
            for_holders=PERSON,
            monthly=money("9.00", "GBP"),
            minutes=500,
            pooled=True,
            propagation_minutes=30,
        ),
    ]


def subscriptions(now: datetime) -> list[Subscription]:
    return [
        Subscription(
            id="staff-2025", product=STAFF, seats=46, term_months=12, renews_on=now + 160 * DAY
        ),
        Subscription(
            id="home-2025", product=HOME, seats=21, term_months=12, renews_on=now + 160 * DAY
        ),
        Subscription(id="reception-free", product=RECEPTION, seats=7),
        Subscription(id="guide-trial", product=GUIDE, seats=8, trial_ends=now + 6 * DAY),
        Subscription(id="abroad", product=ABROAD, seats=3, renews_on=now + 12 * DAY),
    ]

"""From nothing to the first working, tested phone: what an organisation still lacks, in the order
in which it is done.

Worked out anew from what there is; it is over once a test call has proven a number of somebody's.
"""

from dataclasses import dataclass

from sqlalchemy import func, select

from sedge.core.enums import SupplyModel
from sedge.core.licences.entitlement_status import lacking
from sedge.core.numbers.e164 import describe
from sedge.core.records import (
    Account,
    Address,
    Carrier,
    Device,
    HolderKind,
    Product,
    Site,
    Spot,
    Trunk,
)
from sedge.core.safety.spots import spot_problem
from sedge.services.context import Context, Reading
from sedge.store.repositories.records import is_open
from sedge.store.schema import tables


@dataclass(frozen=True)
class FirstStep:
    """One line: `href` is the page that does this very thing, `words` its button."""

    key: str
    what: str
    how: str
    done: bool
    href: str
    words: str


@dataclass(frozen=True)
class FirstSteps:
    steps: list[FirstStep]

    @property
    def done(self) -> int:
        return sum(step.done for step in self.steps)

    @property
    def next(self) -> FirstStep | None:
        return next((step for step in self.steps if not step.done), None)


def first_steps(context: Context) -> FirstSteps | None:
    """The list while the organisation has no tested phone; None afterwards."""
    kept = context.installation.while_unchanged(context, "first steps", lambda: [_look(context)])
    return kept[0]


def _look(context: Context) -> FirstSteps | None:
    with context.reading() as reading:
        if _is_lived_in(reading):
            return None
        return FirstSteps(_steps(reading))


def _is_lived_in(reading: Reading) -> bool:
    proof, life = tables.proof, tables.life
    held = (
        select(func.count())
        .select_from(life)
        .where(is_open(), life.c.holder_kind == HolderKind.PERSON.value)
    )
    proven = select(func.count()).select_from(proof)
    return bool(reading.connection.execute(held).scalar()) and bool(
        reading.connection.execute(proven).scalar()
    )


def _steps(reading: Reading) -> list[FirstStep]:
    records = reading.records
    sites = records.where(Site, order_by=tables.site.c.name)
    accounts, trunks = records.all(Account), records.all(Trunk)
    site = next((s for s in sites if s.account), sites[0] if sites else None)
    carriers = {c.id: c for c in records.all(Carrier)}
    account = next(
        (a for a in accounts if site and a.id == site.account), accounts[0] if accounts else None
    )
    carrier = carriers[account.carrier] if account else None
    at = f"?site={site.id}" if site else ""
    return [
        _site(site),
        _account(account, site, carriers),
        _trunk(carrier, trunks, at),
        _spot(reading, site),
        _security_desk(site),
        _licences(reading, carrier),
        _numbers(reading, site, at),
        _main(reading, site, at),
        *_person(reading, at),
    ]


def _site(site: Site | None) -> FirstStep:
    how = (
        f"{site.name} is the first."
        if site
        else "A place with a country and a street address; responders are sent there."
    )
    return FirstStep("site", "A site", how, site is not None, "/holders/new/site", "New site")


def _account(account: Account | None, site: Site | None, carriers: dict[str, Carrier]) -> FirstStep:
    if account and site and site.account:
        return FirstStep(
            "account",
            "A carrier account",
            f"{account.name}, used by {site.name}.",
            True,
            f"/carriers/accounts/{account.id}",
            "Open",
        )
    if account and site:
        how = f"{site.name} does not say yet which account its calls and numbers are paid on."
        return FirstStep(
            "account",
            "A carrier account",
            how,
            False,
            f"/holders/sites/{site.id}/supply",
            "Choose account",
        )
    how = (
        "An agreement with"
        f" {' or '.join(c.name for c in list(carriers.values())[:3]) or 'a carrier'}."
    )
    return FirstStep("account", "A carrier account", how, False, "/carriers", "Carriers")


def _trunk(carrier: Carrier | None, trunks: list[Trunk], at: str) -> FirstStep:
    mine = next((x for x in trunks if carrier and x.carrier == carrier.id), None)
    if mine:
        return FirstStep(
            "trunk", "A trunk", f"{mine.name}.", True, f"/carriers/trunks/{mine.id}", "Open"
        )
    brings = carrier is not None and carrier.supply_model is not SupplyModel.OWN_TRUNK
    how = (
        "It comes with the account and the first site."
        if brings
        else "Your own SIP trunk to the carrier: host and channels."
    )
    return FirstStep("trunk", "A trunk", how, False, f"/carriers/trunks/new{at}", "New trunk")


def _spot(reading: Reading, site: Site | None) -> FirstStep:
    good = 0
    if site:
        spots = [
            s for s in reading.records.where(Spot, tables.spot.c.site == site.id) if not s.removed
        ]
        addresses = {a.id: a for a in reading.records.many(Address, {s.address for s in spots})}
        good = sum(spot_problem(s, addresses[s.address], reading.now) is None for s in spots)
    how = (
        "Responders know where to go."
        if good
        else "A floor and a room that responders can be sent to."
    )
    return FirstStep(
        "spot",
        "An emergency spot",
        how,
        bool(good),
        f"/safety?site={site.id}#new-spot" if site else "/holders/new/site",
        "Add spot",
    )


def _security_desk(site: Site | None) -> FirstStep:
    told = site.security_desk if site else ""
    how = (
        f"{told} is told of emergency calls."
        if told
        else "Somebody at the site is told at once when somebody makes an emergency call."
    )
    return FirstStep(
        "desk",
        "A security desk",
        how,
        bool(told),
        f"/holders/sites/{site.id}/change" if site else "/holders/new/site",
        "Name recipient",
    )


def _licences(reading: Reading, carrier: Carrier | None) -> FirstStep:
    asked = carrier.asks_of.get(HolderKind.PERSON, ()) if carrier else ()
    products = {p.id: p for p in reading.records.all(Product)}
    if not asked:
        how = (
            f"{carrier.name} asks for none."
            if carrier
            else "Whether any are needed follows from the carrier."
        )
        return FirstStep("licences", "Licences", how, carrier is not None, "/licences", "Licences")
    wanted = [products[p] for p in lacking(asked, set(), products) if p in products]
    seats = tables.subscription
    left = dict(
        reading.connection.execute(
            select(seats.c.product, func.sum(seats.c.seats - seats.c.used)).group_by(
                seats.c.product
            )
        ).all()
    )
    missing = [p for p in wanted if not left.get(p.id)]
    names = " and ".join(p.name for p in missing or wanted)
    how = (
        f"Seats of {names} are needed for each person; work orders grant them."
        if missing
        else f"Seats of {names} are there."
    )
    return FirstStep(
        "licences",
        "Licences",
        how,
        not missing,
        f"/licences/{missing[0].id}" if missing else "/licences",
        "Buy seats",
    )


def _numbers(reading: Reading, site: Site | None, at: str) -> FirstStep:
    count = (
        reading.connection.execute(
            select(func.count()).select_from(tables.life).where(is_open())
        ).scalar()
        or 0
    )
    how = (
        f"{count:,} so far."
        if count
        else "Order some near the site, move some here, or import those there are."
    )
    return FirstStep(
        "numbers",
        "Numbers",
        how,
        bool(count),
        f"/supply/for-site{at}" if site else "/supply",
        "Order numbers",
    )


def _main(reading: Reading, site: Site | None, at: str) -> FirstStep:
    life = tables.life
    held = (
        life.c.holder_kind == HolderKind.SITE.value,
        life.c.holder_id == (site.id if site else ""),
    )
    count = reading.connection.execute(
        select(func.count()).select_from(life).where(is_open(), *held)
    ).scalar()
    how = (
        "Operators can ring the site back."
        if count
        else "Operators ring it back when a phone without a number makes an emergency call."
    )
    return FirstStep(
        "main",
        "A main number",
        how,
        bool(count),
        f"/work-orders/new/assign{at}",
        "Give main number",
    )


def _person(reading: Reading, at: str) -> list[FirstStep]:
    person, life, device, proof = tables.person, tables.life, tables.device, tables.proof
    connection = reading.connection
    people = connection.execute(
        select(func.count()).select_from(person).where(person.c.departed.is_(False))
    ).scalar()
    first = connection.execute(
        select(person.c.id).where(person.c.departed.is_(False)).order_by(person.c.name).limit(1)
    ).scalar()
    phones = [
        d
        for d in reading.records.where(Device, device.c.person.is_not(None), limit=20)
        if not d.removed
    ]
    number = connection.execute(
        select(life.c.number)
        .where(is_open(), life.c.holder_kind == HolderKind.PERSON.value)
        .order_by(life.c.number)
        .limit(1)
    ).scalar()
    proven = connection.execute(select(func.count()).select_from(proof)).scalar()
    who = f"/holders/people/{first}" if first else "/holders/new/person"
    return [
        FirstStep(
            "person",
            "A person",
            f"{people:,} here." if people else "One by one, or many from a file.",
            bool(people),
            "/holders/new/person",
            "New person",
        ),
        FirstStep(
            "phone",
            "A phone",
            (
                "Signs in with a secret of its own."
                if phones
                else "Their first phone, with its sign-in."
            ),
            bool(phones),
            f"{who}#devices",
            "Add phone",
        ),
        FirstStep(
            "number",
            "A number for them",
            describe(f"+{number}").shown if number else "With all it takes, checked first.",
            bool(number),
            f"/work-orders/new/assign?person={first}" if first else "/work-orders/new/assign",
            "Give a number",
        ),
        FirstStep(
            "test",
            "A test call",
            "Shows that it really rings.",
            bool(proven and number),
            f"/numbers/{number}/test-call" if number else "/work-orders",
            "Place test call",
        ),
    ]

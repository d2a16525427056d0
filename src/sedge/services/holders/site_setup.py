"""Setting a site up: the guided list, and another site taken as a pattern."""

from dataclasses import dataclass
from typing import Any

from sqlalchemy import func, select

from sedge.core.access.roles import May
from sedge.core.changes import changed
from sedge.core.errors import NotUnderstood
from sedge.core.estate import Change
from sedge.core.holders.site_setup import Facts, Step, steps
from sedge.core.numbers.life import State
from sedge.core.numbers.plan import COUNTRIES
from sedge.core.records import (
    Account,
    Address,
    Carrier,
    HolderKind,
    HolderRef,
    Number,
    Site,
    Spot,
    Subject,
    Trunk,
)
from sedge.core.safety.spots import floor_problem, spot_code
from sedge.services.context import Context, Reading
from sedge.services.telephony_sync import offer_dial_plan
from sedge.services.trunks import trunk_setup
from sedge.store.schema import tables


@dataclass(frozen=True)
class Guide:
    """A site's list; `pattern` names sites that might serve as one."""

    site: Site
    steps: list[Step]
    patterns: list[tuple[str, str]]

    @property
    def done(self) -> int:
        return sum(1 for s in self.steps if s.is_done)


def guide(context: Context, key: str) -> Guide:
    """Raises NotFound."""
    with context.reading() as reading:
        site = reading.records.the(Site, key)
        others = [
            (s.id, s.name)
            for s in reading.records.where(Site, order_by=tables.site.c.name)
            if s.id != key and s.country == site.country
        ]
        return Guide(site, steps(_facts(reading, site), reading.now), others)


def _facts(reading: Reading, site: Site) -> Facts:
    country = COUNTRIES[site.country]
    account = reading.records.find(Account, site.account)
    carrier = account.carrier if account else ""
    life, person = tables.life, tables.person
    free = select(func.count()).where(life.c.state == State.AVAILABLE.value, life.c.site == site.id)
    people = select(func.count()).where(person.c.site == site.id, person.c.departed.is_(False))
    address = reading.records.find(Address, site.address)
    return Facts(
        site=site,
        address=address,
        spots=[
            s for s in reading.records.where(Spot, tables.spot.c.site == site.id) if not s.removed
        ],
        held=reading.records.held_by(Number, [HolderRef(kind=HolderKind.SITE, id=site.id)]),
        trunks=[x for x in reading.records.all(Trunk) if carrier and x.carrier == carrier],
        people=reading.connection.execute(people).scalar() or 0,
        free=reading.connection.execute(free).scalar() or 0,
        holidays=address.elements.region or country.name if address else country.name,
        country=country.name,
        emergency=country.emergency,
    )


def like(context: Context, key: str, pattern: str) -> Site:
    """Take over what another site of the country has and this one lacks: supply, prefix, security
    desk, length of extensions, and the names of its floors and rooms as spots of its own. What is
    set here already stays. Raises NotUnderstood.
    """
    context.require(May.CHANGE_HOLDERS)
    context.require_site(key)
    with context.writing(reason=f"set up like {pattern}") as writing:
        site = writing.records.the(Site, key)
        other = writing.records.find(Site, pattern)
        if other is None or other.country != site.country or other.id == site.id:
            raise NotUnderstood(
                "Choose another site of the same country as the pattern.", field="pattern"
            )
        values: dict[str, Any] = {
            "extension_digits": other.extension_digits,
            "outside_prefix": site.outside_prefix or other.outside_prefix,
        }
        if site.account is None and other.account:
            values |= {"account": other.account, "supply_model": other.supply_model}
        if not site.security_desk:
            values["security_desk"] = other.security_desk
        after = site.copy_with(**values)
        changes = [changed(Subject.SITE, site, after, "site.changed")] if after != site else []
        changes += _spots_like(writing, site, other)
        if changes:
            writing.save(changes)
    offer_dial_plan(context.outside.telephony, after)
    return after


def choose_account(context: Context, key: str, account: str) -> Site:
    """The carrier account a site's numbers and calls are paid on, and with it its supply model; a
    trunk that the carrier brings comes along.

    Raises NotUnderstood.
    """
    context.require(May.ADD_SITE)
    trunk = context.new_id("trunk")
    up = trunk_setup.is_up(context, trunk)
    with context.writing() as writing:
        site, chosen = writing.records.the(Site, key), writing.records.find(Account, account)
        if chosen is None:
            raise NotUnderstood("Choose one of the accounts.", field="account")
        carrier = writing.records.the(Carrier, chosen.carrier)
        if site.country not in carrier.countries:
            raise NotUnderstood(
                f"{carrier.name} does not serve {COUNTRIES[site.country].name}. Choose another"
                " account.",
                field="account",
            )
        after = site.copy_with(account=chosen.id, supply_model=carrier.supply_model)
        if after != site:
            after = writing.save([changed(Subject.SITE, site, after, "site.changed")])[0].after
        trunk_setup.come_with(writing, chosen, after, key=trunk, up=up)
    return after


def _spots_like(reading: Reading, site: Site, other: Site) -> list[Change]:
    address = reading.records.find(Address, site.address)
    if address is None:
        return []
    mine = reading.records.where(Spot, tables.spot.c.site == site.id)
    if any(not s.whole and not s.removed for s in mine):
        return []
    theirs = [
        s
        for s in reading.records.where(Spot, tables.spot.c.site == other.id)
        if not s.whole and not s.removed and not floor_problem(s.floor, address)
    ]
    fresh = [
        Spot(
            id=spot_code(site.code, len(mine) + i),
            address=address.id,
            site=site.id,
            name=s.name,
            floor=s.floor,
            wing=s.wing,
            room=s.room,
            confirmed_at=None,
        )
        for i, s in enumerate(theirs)
    ]
    return [changed(Subject.SPOT, None, s, "spot.added") for s in fresh]

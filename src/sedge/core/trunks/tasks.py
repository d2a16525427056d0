"""Tasks of trunks: which numbers they list, and where calls go while one is down."""

from collections.abc import Iterator
from typing import Annotated, Literal

from pydantic import Field

from sedge.core.access.roles import May
from sedge.core.changes import changed, number_changed
from sedge.core.enums import Subject, Transport
from sedge.core.errors import NotAllowedNow
from sedge.core.estate import Change, Estate
from sedge.core.facts import counted
from sedge.core.load_spec import LoadSpec
from sedge.core.numbers.e164 import describe
from sedge.core.records import Account, Carrier, Site, Trunk
from sedge.core.trunks.life import TrunkEvent, next_state
from sedge.core.trunks.records import Network, Sbc, SbcDomain, TrunkSettings
from sedge.core.workorders.task_base import (
    NOTHING_MORE,
    Name,
    NumberField,
    Prerequisites,
    Provision,
    RecordId,
    Task,
    Thing,
    at_once,
    for_nothing,
    free,
    name_of,
    nothing,
    what_it_is_about,
    what_it_names,
)
from sedge.core.workorders.undo import restore


def with_every_trunk(self: Task) -> LoadSpec:
    """What a task names, and all sites and trunks: help comes over any of them."""
    found = what_it_names(self)
    found.every_site = True
    return found


def with_its_numbers(self: "MoveTrunk | ChangeTrunk") -> LoadSpec:
    """The same, and the numbers on the trunk's list."""
    found = with_every_trunk(self)
    found.listed.add(self.trunk)
    return found


MOST_SERVED = 1000
MOST_NAMED = 2  # sites of a description
Sites = Annotated[tuple[Name, ...], Field(max_length=MOST_SERVED)]


class ListOnTrunk(Task):
    kind: Literal["list_on_trunk"] = "list_on_trunk"
    takes = NOTHING_MORE
    number: NumberField
    trunk: Name

    needs = what_it_names
    requires = what_it_is_about
    waits = for_nothing
    works = at_once
    costs = free
    reversal = restore

    def provides(self) -> Iterator[Provision]:
        yield Provision(Thing.LISTED, self.e164 or "")

    def describe(self, estate: Estate) -> tuple[str, str]:
        return f"List {self.shown}", f"on trunk {name_of(estate, Trunk, self.trunk)}"

    def apply(self, estate: Estate, identity: str = "new") -> list[Change]:
        number = estate.number(self.known_number)
        return number_changed(number, "trunk.listed", trunk=self.trunk)


class UnlistFromTrunk(Task):
    kind: Literal["unlist_from_trunk"] = "unlist_from_trunk"
    takes = NOTHING_MORE
    number: NumberField

    needs = what_it_names
    requires = what_it_is_about
    waits = for_nothing
    works = at_once
    costs = free
    reversal = restore

    def provides(self) -> Iterator[Provision]:
        yield Provision(Thing.UNLISTED, self.e164 or "")

    def describe(self, estate: Estate) -> tuple[str, str]:
        return f"Take {self.shown} off its trunk's list", ""

    def apply(self, estate: Estate, identity: str = "new") -> list[Change]:
        number = estate.number(self.known_number)
        return number_changed(number, "trunk.unlisted", trunk=None)


class SetFallback(Task):
    """Where the number's carrier sends its calls while its trunk does not take them.

    Nowhere where `to` is empty.
    """

    kind: Literal["set_fallback"] = "set_fallback"
    takes = NOTHING_MORE
    number: NumberField
    to: Annotated[str, Field(pattern=r"^(\+\d{5,15})?$")]

    needs = what_it_names
    provides = nothing
    waits = for_nothing
    works = at_once
    costs = free
    reversal = restore

    def requires(self, prerequisites: Prerequisites) -> Iterator[Provision]:
        yield from what_it_is_about(self, prerequisites)
        yield Provision(Thing.SWITCHED)

    def describe(self, estate: Estate) -> tuple[str, str]:
        to = f"to {describe(self.to).shown}" if self.to else "to nothing"
        return f"Set the fallback of {self.shown}", to

    def apply(self, estate: Estate, identity: str = "new") -> list[Change]:
        number = estate.number(self.known_number)
        return number_changed(number, "number.fallback-set", fallback=self.to)


class MoveTrunk(Task):
    """A trunk suspended, resumed or retired."""

    kind: Literal["move_trunk"] = "move_trunk"
    takes = frozenset({May.TRUNKS})
    trunk: Name
    event: TrunkEvent

    needs = with_its_numbers
    provides = nothing
    requires = what_it_is_about
    waits = for_nothing
    works = at_once
    costs = free
    reversal = restore

    def describe(self, estate: Estate) -> tuple[str, str]:
        return f"{self.event.capitalize()} trunk {name_of(estate, Trunk, self.trunk)}", ""

    def apply(self, estate: Estate, identity: str = "new") -> list[Change]:
        trunk = estate.the(Trunk, self.trunk)
        after = trunk.copy_with(state=next_state(trunk.state, self.event))
        return [changed(Subject.TRUNK, trunk, after, f"trunk.{self.event}")]


class AddTrunk(Task):
    """A trunk of one's own to the carrier of an account, `id` chosen beforehand; `settings` None:
    nobody has said how it is set up. It `serves` every site where none is named. A site without an
    account gets this one."""

    kind: Literal["add_trunk"] = "add_trunk"
    takes = frozenset({May.TRUNKS})
    id: RecordId
    name: Name
    account: Name
    site: Name
    host: Annotated[str, Field(max_length=253)]
    channels: Annotated[int, Field(ge=1, le=10_000)]
    settings: TrunkSettings | None = None
    serves: Sites = ()
    up: bool = True  # as the telephone system says when it is written

    needs = with_every_trunk
    provides = nothing
    requires = what_it_is_about
    waits = for_nothing
    works = at_once
    costs = free
    reversal = restore

    def describe(self, estate: Estate) -> tuple[str, str]:
        account = estate.get(Account, self.account)
        carrier = name_of(estate, Carrier, account.carrier) if account else "its carrier"
        return f"Add trunk {self.name}", f"from {name_of(estate, Site, self.site)} to {carrier}"

    def apply(self, estate: Estate, identity: str = "new") -> list[Change]:
        if estate.get(Trunk, self.id):
            raise NotAllowedNow("This trunk is there already.", reason="exists")
        account, site = estate.the(Account, self.account), estate.the(Site, self.site)
        trunk = Trunk(
            id=self.id,
            name=self.name,
            site=site.id,
            carrier=account.carrier,
            channels=self.channels,
            host=self.host,
            settings=self.settings,
            serves=tuple(dict.fromkeys(self.serves)),
            up=self.up,
            seen_at=estate.now,
        )
        added = [changed(Subject.TRUNK, None, trunk, "trunk.added")]
        if site.account is None:
            model = estate.the(Carrier, account.carrier).supply_model
            after = site.copy_with(account=account.id, supply_model=model)
            added.append(changed(Subject.SITE, site, after, "site.changed"))
        return added


class ChangeTrunk(Task):
    """How a trunk is set up, all of it. It `serves` every site where none is named."""

    kind: Literal["change_trunk"] = "change_trunk"
    takes = frozenset({May.TRUNKS})
    trunk: Name
    name: Name
    host: Annotated[str, Field(max_length=253)]
    channels: Annotated[int, Field(ge=0, le=10_000)]
    settings: TrunkSettings
    emergency: bool = True
    sbc: str = Field(default="", max_length=80)
    serves: Sites = ()

    needs = with_its_numbers
    provides = nothing
    requires = what_it_is_about
    waits = for_nothing
    works = at_once
    costs = free
    reversal = restore

    def describe(self, estate: Estate) -> tuple[str, str]:
        return (
            f"Change trunk {name_of(estate, Trunk, self.trunk)}",
            self._rules_alone(estate)
            or f"to {self.settings.sign_in} at {self.host} over {self.settings.transport.upper()}"
            + self._serving(estate),
        )

    def _serving(self, estate: Estate) -> str:
        """For which sites, where that changes."""
        trunk = estate.get(Trunk, self.trunk)
        if trunk is None or trunk.serves == self.serves:
            return ""
        named = [name_of(estate, Site, key) for key in self.serves]
        many = len(named) > MOST_NAMED
        return (
            f", for {counted(len(named), 'site') if many else ' and '.join(named) or 'every site'}"
        )

    def _rules_alone(self, estate: Estate) -> str:
        """How many rules for numbers it sends, where nothing else changes."""
        trunk = estate.get(Trunk, self.trunk)
        rules, before = self.settings.send_rules, trunk.settings if trunk else None
        if before is None or rules == before.send_rules:
            return ""
        if self.settings != before.copy_with(send_rules=rules):
            return ""
        return f"to {counted(len(rules), 'rule')} of its own for numbers it sends"

    def apply(self, estate: Estate, identity: str = "new") -> list[Change]:
        trunk = estate.the(Trunk, self.trunk)
        after = trunk.copy_with(
            name=self.name,
            host=self.host,
            channels=self.channels,
            settings=self.settings,
            emergency=self.emergency,
            sbc=self.sbc,
            serves=tuple(dict.fromkeys(self.serves)),
            links=(),
            tested_at=None,
        )
        return [changed(Subject.TRUNK, trunk, after, "trunk.changed")]


class SetSbc(Task):
    """An SBC with all that is true of it, new or changed. `id` is chosen beforehand, so that trunks
    can name it."""

    kind: Literal["set_sbc"] = "set_sbc"
    takes = frozenset({May.TRUNKS})
    id: RecordId
    name: Name
    site: Name
    host: Annotated[str, Field(min_length=1, max_length=253)]
    port: Annotated[int, Field(ge=1, le=65535)] | None = None
    transport: Transport = Transport.TLS
    addresses: tuple[Network, ...] = ()
    domains: tuple[SbcDomain, ...] = ()
    group: str = Field(default="", max_length=60)
    order: Annotated[int, Field(ge=1, le=100)] = 1
    weight: Annotated[int, Field(ge=1, le=100)] = 50

    provides = nothing
    requires = what_it_is_about
    waits = for_nothing
    works = at_once
    costs = free
    reversal = restore

    def needs(self) -> LoadSpec:
        return LoadSpec(sites={self.site})

    def describe(self, estate: Estate) -> tuple[str, str]:
        verb = "Change" if estate.get(Sbc, self.id) else "Add"
        return f"{verb} SBC {self.name}", f"at {self.host} over {self.transport.upper()}"

    def apply(self, estate: Estate, identity: str = "new") -> list[Change]:
        before = estate.get(Sbc, self.id)
        site = estate.the(Site, self.site).id
        after = (before or Sbc(id=self.id, name=self.name, site=site, host=self.host)).copy_with(
            name=self.name,
            site=site,
            host=self.host,
            port=self.port,
            transport=self.transport,
            addresses=self.addresses,
            domains=self.domains,
            group=self.group,
            order=self.order,
            weight=self.weight,
            retired=False,
            links=(),
            tested_at=None,
        )
        return [changed(Subject.SBC, before, after, "session-border-controller.set")]


class RetireSbc(Task):
    """An SBC that is taken out of service."""

    kind: Literal["retire_sbc"] = "retire_sbc"
    takes = frozenset({May.TRUNKS})
    sbc: Name

    provides = nothing
    requires = what_it_is_about
    waits = for_nothing
    works = at_once
    costs = free
    reversal = restore

    def needs(self) -> LoadSpec:
        return LoadSpec()

    def describe(self, estate: Estate) -> tuple[str, str]:
        return f"Retire SBC {name_of(estate, Sbc, self.sbc)}", ""

    def apply(self, estate: Estate, identity: str = "new") -> list[Change]:
        sbc = estate.the(Sbc, self.sbc)
        after = sbc.copy_with(retired=True)
        return [changed(Subject.SBC, sbc, after, "session-border-controller.retired")]

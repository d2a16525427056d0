"""Rules of trunk lists and fallbacks."""

from sedge.core.enums import Transport
from sedge.core.estate import Estate
from sedge.core.records import (
    Site,
    Trunk,
)
from sedge.core.trunks.records import SignIn
from sedge.core.trunks.settings import private_addresses
from sedge.core.workorders import tasks as t
from sedge.core.workorders.findings import (
    Finding,
    add_before,
    elsewhere,
    passed,
    stop,
    warn,
)
from sedge.core.workorders.rules.registry import rule


@rule("assignment.on-trunk-list", t.AssignNumber)
def on_trunk_list(task: t.AssignNumber, estate: Estate) -> Finding:
    """A number that is on no trunk's list is dead, however well it is assigned."""
    number = estate.number(task.e164 or "")
    trunk = estate.get(Trunk, number.trunk)
    if trunk is None:
        fitting = sorted(
            (x for x in estate.all(Trunk) if x.carrier == number.carrier),
            key=lambda x: x.site != number.site,
        )
        remedies = [
            add_before(
                f"Put it on the list of {x.name}", t.ListOnTrunk(number=number.e164, trunk=x.id)
            )
            for x in fitting[:1]
        ]
        if not remedies:
            remedies = [
                elsewhere(
                    f"Set up a trunk to {estate.carrier_of(number).name}", "trunk", number.site
                )
            ]
        return stop(
            f"{number.shown} is on no trunk's list, so calls to it would not arrive.", *remedies
        )
    if not trunk.up:
        return warn(f"Trunk {trunk.name} is down; calls arrive when it is up again.")
    return passed(f"It is on the list of {trunk.name}, which is up")


@rule("move.its-trunk", t.MoveNumber)
def its_trunk(task: t.MoveNumber, estate: Estate) -> Finding | None:
    """Calls arrive where the trunk ends."""
    number, site = estate.number(task.e164 or ""), estate.the(Site, task.site)
    trunk = estate.get(Trunk, number.trunk)
    if trunk is None:
        return None
    there = next(
        (x for x in estate.all(Trunk) if x.site == site.id and x.carrier == number.carrier), None
    )
    if trunk.site == site.id or there is None:
        return passed(f"It stays on the list of {trunk.name}")
    onto = add_before(f"Put it on {there.name}", t.ListOnTrunk(number=number.e164, trunk=there.id))
    return warn(f"It stays on the list of {trunk.name}; {site.name} has {there.name}.", onto)


@rule("trunk.same-carrier", t.ListOnTrunk)
def same_carrier(task: t.ListOnTrunk, estate: Estate) -> Finding:
    """Calls to a number come from its own carrier only."""
    number, trunk = estate.number(task.e164 or ""), estate.the(Trunk, task.trunk)
    if trunk.carrier != number.carrier:
        return stop(f"{trunk.name} leads to another carrier than {number.shown}'s.")
    return passed(f"{trunk.name} leads to the number's carrier")


@rule("trunk.name-free", t.ChangeTrunk)
def name_free(task: t.ChangeTrunk, estate: Estate) -> Finding:
    """Two trunks of one name are mistaken for each other."""
    others = [x for x in estate.all(Trunk) if x.id != task.trunk]
    if any(x.name.casefold() == task.name.casefold() for x in others):
        return stop(f"There is another trunk called {task.name}. Choose another name.")
    return passed("No other trunk has this name")


@rule("trunk.someone-to-trust", t.ChangeTrunk)
def someone_to_trust(task: t.ChangeTrunk, estate: Estate) -> Finding:
    """Who trusts by address and allows none takes calls from nobody, or from everybody."""
    wanted = task.settings
    if wanted.sign_in is SignIn.ADDRESS and not wanted.addresses:
        return stop(
            "It trusts the other side by its address, and no address is allowed. Add those its"
            " calls come from."
        )
    if wanted.sign_in is SignIn.REGISTER and not wanted.user:
        return stop("It registers, and no sign-in name is given. Type the one of the carrier.")
    return passed("Both sides can tell each other")


@rule("trunk.addresses-reachable", t.ChangeTrunk)
def addresses_reachable(task: t.ChangeTrunk, estate: Estate) -> Finding:
    """Calls from the internet never come from a private address."""
    private = private_addresses(task.settings.addresses)
    if private:
        return warn(
            f"{private[0]} is a private address: calls come from it over a private line only."
        )
    return passed("No allowed address is a private one")


@rule("trunk.not-overheard", t.ChangeTrunk)
def not_overheard(task: t.ChangeTrunk, estate: Estate) -> Finding:
    """Over UDP and TCP who calls whom, and the sign-in, can be read on the way."""
    transport = task.settings.transport
    if transport is not Transport.TLS:
        return warn(
            f"{transport.upper()} is not encrypted: who calls whom can be read on the way. Use"
            " TLS if the other side has it."
        )
    return passed("What is signalled is encrypted")

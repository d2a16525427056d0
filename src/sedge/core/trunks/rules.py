"""Rules of trunk lists and fallbacks."""

from sedge.core.enums import Transport
from sedge.core.estate import Estate
from sedge.core.facts import counted
from sedge.core.numbers.life import ENDED
from sedge.core.outbound.routes import not_served, routes_of, sorted_sites
from sedge.core.records import Number, Site, Trunk
from sedge.core.safety.emergency_matrix import new_holes
from sedge.core.trunks.life import DONE, TrunkEvent, events_of
from sedge.core.trunks.number_rules import examine_send_rules
from sedge.core.trunks.records import KnownBy, TrunkSettings, TrunkState
from sedge.core.trunks.settings import private_addresses, untrusted
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
    if not trunk.carries:
        return warn(f"Trunk {trunk.name} {trunk.why_not}; calls arrive when it carries them again.")
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


@rule("trunk.may-move", t.MoveTrunk)
def may_move(task: t.MoveTrunk, estate: Estate) -> Finding:
    """A trunk lives in service, suspended or retired, and only some steps lead on."""
    trunk = estate.the(Trunk, task.trunk)
    if trunk.connection is not None:
        return stop(f"{trunk.name} is a connection: end it on its own page.")
    if task.event not in events_of(trunk.state):
        return stop(f"{trunk.name} is {trunk.state}, so it can't be {DONE[task.event]}.")
    return passed(f"{trunk.name} is {trunk.state} and can be {DONE[task.event]}")


@rule("trunk.numbers-on-it", t.MoveTrunk)
def numbers_on_it(task: t.MoveTrunk, estate: Estate) -> Finding | None:
    """Calls to the numbers of its list arrive nowhere else."""
    if task.event is TrunkEvent.RESUME:
        return None
    listed = [n for n in estate.all(Number) if n.trunk == task.trunk and n.state not in ENDED]
    in_use = [n for n in listed if n.in_use]
    lost = [n for n in in_use if not n.fallback]
    if task.event is TrunkEvent.RETIRE and listed:
        return stop(
            f"{counted(len(listed), 'number')} {'is' if len(listed) == 1 else 'are'} still on its"
            f" list, {listed[0].shown} among them. Put them on another trunk, or take them off."
        )
    if lost:
        return warn(
            f"Calls to {counted(len(lost), 'number')} in use would reach nobody, among them"
            f" {lost[0].shown}: they have no fallback.",
            elsewhere("See each number and how its calls would end", "trunk down", task.trunk),
        )
    return passed(
        "Every number in use on its list has a fallback" if in_use else "No number in use is on it"
    )


@rule("trunk.help-still-comes", t.MoveTrunk)
def help_still_comes(task: t.MoveTrunk, estate: Estate) -> Finding | None:
    """From every site an emergency call gets out, whatever trunk is taken away."""
    if task.event is TrunkEvent.RESUME:
        return None
    return _help_comes(estate, estate.the(Trunk, task.trunk).copy_with(state=TrunkState.SUSPENDED))


@rule("trunk.help-still-comes-after", t.ChangeTrunk)
def help_still_comes_after(task: t.ChangeTrunk, estate: Estate) -> Finding:
    """A trunk that takes no emergency calls any more leaves another one that does."""
    before = estate.the(Trunk, task.trunk)
    return _help_comes(estate, before.copy_with(emergency=task.emergency, serves=task.serves))


@rule("trunk.sites-there", t.ChangeTrunk)
def sites_there(task: t.ChangeTrunk, estate: Estate) -> Finding:
    """A trunk serves sites that are there."""
    return _sites_there(task.serves, estate)


@rule("trunk.new-sites-there", t.AddTrunk)
def new_sites_there(task: t.AddTrunk, estate: Estate) -> Finding:
    """A trunk serves sites that are there."""
    return _sites_there(task.serves, estate)


def _sites_there(serves: tuple[str, ...], estate: Estate) -> Finding:
    gone = next((key for key in serves if estate.get(Site, key) is None), None)
    if gone:
        return stop(f"It would serve {gone}, and there is no such site. Choose others.")
    if not serves:
        return passed("It serves every site")
    return passed(f"It serves {counted(len(serves), 'site')} that it names")


@rule("trunk.serves-its-numbers", t.ChangeTrunk)
def serves_its_numbers(task: t.ChangeTrunk, estate: Estate) -> Finding | None:
    """Calls in arrive whoever is served; calls out of a number look for a trunk that serves its
    site."""
    after = estate.the(Trunk, task.trunk).copy_with(serves=task.serves)
    listed = (n for n in estate.all(Number) if n.trunk == after.id and n.in_use)
    left = sorted((n for n in listed if not after.serves_site(n.site)), key=lambda n: n.e164)
    if not left:
        return passed("It serves the sites of all numbers on its list") if task.serves else None
    return warn(
        f"It would not serve {estate.the(Site, left[0].site).name}, the site of {left[0].shown} on"
        f" its list. Calls out of {counted(len(left), 'number')} in use would go over other trunks,"
        " or nowhere."
    )


@rule("trunk.routes-served", t.ChangeTrunk)
def routes_served(task: t.ChangeTrunk, estate: Estate) -> Finding | None:
    """A route carries no call of a site that none of its trunks serves."""
    before = estate.the(Trunk, task.trunk)
    after, sites = before.copy_with(serves=task.serves), sorted_sites(estate)
    if after.serves == before.serves:
        return None
    over_it = [r for r in routes_of(estate) if before.id in r.trunks]
    were = not_served(over_it, sites, estate)
    new = [pair for pair in not_served(over_it, sites, estate, after) if pair not in were]
    if not new:
        return passed("Every route over it still has a trunk for each site")
    return warn(f"Route “{new[0][0]}” would have no trunk that serves {new[0][1]}: calls fail.")


@rule("trunk.serves-its-site", t.ListOnTrunk)
def serves_its_site(task: t.ListOnTrunk, estate: Estate) -> Finding | None:
    """Calls out of a number look for a trunk that serves its site."""
    number, trunk = estate.number(task.e164 or ""), estate.the(Trunk, task.trunk)
    if trunk.serves_site(number.site):
        return None
    return warn(
        f"{trunk.name} does not serve {estate.the(Site, number.site).name}: calls to"
        f" {number.shown} arrive over it, calls out of it go over another trunk."
    )


def _help_comes(estate: Estate, after: Trunk) -> Finding:
    sites, trunks = list(estate.all(Site)), list(estate.all(Trunk))
    left = [after if x.id == after.id else x for x in trunks]
    new = new_holes((sites, trunks), (sites, left))
    if new:
        return stop(f"{new[0]} It is the last trunk that takes emergency calls from there.")
    return passed("Emergency calls still get out from every site")


@rule("trunk.routes-over-it", t.MoveTrunk)
def routes_over_it(task: t.MoveTrunk, estate: Estate) -> Finding | None:
    """A route whose only trunk is taken away puts nothing through."""
    if task.event is TrunkEvent.RESUME:
        return None
    alone = [r.name for r in routes_of(estate) if r.trunks == (task.trunk,)]
    if alone:
        more = f" and {counted(len(alone) - 1, 'other route')}" if alone[1:] else ""
        have, their = ("have", "their") if more else ("has", "its")
        return warn(f"Route “{alone[0]}”{more} {have} no other trunk: {their} calls would fail.")
    return passed("Every route over it has another trunk")


@rule("trunk.name-free", t.ChangeTrunk)
def name_free(task: t.ChangeTrunk, estate: Estate) -> Finding:
    """Two trunks of one name are mistaken for each other."""
    return _name_free(task.name, task.trunk, estate)


@rule("trunk.new-name-free", t.AddTrunk)
def new_name_free(task: t.AddTrunk, estate: Estate) -> Finding:
    """Two trunks of one name are mistaken for each other."""
    return _name_free(task.name, task.id, estate)


def _name_free(name: str, own: str, estate: Estate) -> Finding:
    others = [x for x in estate.all(Trunk) if x.id != own]
    if any(x.name.casefold() == name.casefold() for x in others):
        return stop(f"There is another trunk called {name}. Choose another name.")
    return passed("No other trunk has this name")


@rule("trunk.someone-to-trust", t.ChangeTrunk)
def someone_to_trust(task: t.ChangeTrunk, estate: Estate) -> Finding:
    """Who trusts by address and allows none takes calls from nobody, or from everybody."""
    return _someone_to_trust(task.settings)


@rule("trunk.new-someone-to-trust", t.AddTrunk)
def new_someone_to_trust(task: t.AddTrunk, estate: Estate) -> Finding | None:
    """Who trusts by address and allows none takes calls from nobody, or from everybody."""
    return _someone_to_trust(task.settings) if task.settings else None


def _someone_to_trust(settings: TrunkSettings) -> Finding:
    if problem := untrusted(settings):
        return stop(problem)
    return passed("Both sides can tell each other")


@rule("trunk.addresses-reachable", t.ChangeTrunk)
def addresses_reachable(task: t.ChangeTrunk, estate: Estate) -> Finding:
    """Calls from the internet never come from a private address."""
    return _addresses_reachable(task.settings)


@rule("trunk.new-addresses-reachable", t.AddTrunk)
def new_addresses_reachable(task: t.AddTrunk, estate: Estate) -> Finding | None:
    """Calls from the internet never come from a private address."""
    return _addresses_reachable(task.settings) if task.settings else None


def _addresses_reachable(settings: TrunkSettings) -> Finding:
    private = private_addresses(settings.addresses)
    if private:
        return warn(
            f"{private[0]} is a private address: calls come from it over a private line only."
        )
    return passed("No allowed address is a private one")


@rule("trunk.not-overheard", t.ChangeTrunk)
def not_overheard(task: t.ChangeTrunk, estate: Estate) -> Finding:
    """Over UDP and TCP who calls whom, and the sign-in, can be read on the way."""
    return _not_overheard(task.settings)


@rule("trunk.new-not-overheard", t.AddTrunk)
def new_not_overheard(task: t.AddTrunk, estate: Estate) -> Finding | None:
    """Over UDP and TCP who calls whom, and the sign-in, can be read on the way."""
    return _not_overheard(task.settings) if task.settings else None


def _not_overheard(settings: TrunkSettings) -> Finding:
    transport = settings.transport
    if transport is not Transport.TLS:
        return warn(
            f"{transport.upper()} is not encrypted: who calls whom can be read on the way. Use"
            " TLS if the other side has it."
        )
    return passed("What is signalled is encrypted")


@rule("trunk.calls-known", t.ChangeTrunk)
def calls_known(task: t.ChangeTrunk, estate: Estate) -> Finding:
    """Anybody can write a header, so by itself it is no proof of where a call comes from."""
    settings = task.settings
    if settings.known_by is KnownBy.HEADER and not settings.addresses:
        return warn(
            f"Anybody can send {settings.known_header}. Allow the addresses that its calls come"
            " from too."
        )
    return passed(f"Its calls are known by {settings.known_by}")


@rule("trunk.send-rules-reached", t.ChangeTrunk)
def send_rules_reached(task: t.ChangeTrunk, estate: Estate) -> Finding | None:
    """A rule whose numbers are all taken by those before it never says anything."""
    rules = task.settings.send_rules
    if hidden := examine_send_rules(rules).hidden:
        rule_ = rules[min(hidden)]
        return warn(
            f"{rule_.name or rule_.pattern} is never reached: the rules before it take all of its"
            " numbers."
        )
    return passed("Every rule for numbers it sends is reached") if rules else None

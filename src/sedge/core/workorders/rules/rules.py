"""The rules a task must satisfy: each a function of the task and the estate as it will be at that point.

They are the catalogue behind every *why not*: the sentence says what is wrong, the remedies what to do. A rule that
does not concern a task says nothing (None).
"""

from collections.abc import Callable
from typing import Any

from sedge.core.estate import Estate
from sedge.core.facts import in_words
from sedge.core.licences.entitlement_status import lacking, working
from sedge.core.numbers.life import ENDED, State
from sedge.core.records import (
    Account,
    Address,
    Capacity,
    HolderKind,
    HolderRef,
    Number,
    PathVersion,
    Person,
    Product,
    Role,
    ServiceLine,
    Site,
    Spot,
    SupplyModel,
    Trunk,
)
from sedge.core.reduce import apply
from sedge.core.safety.effective_spot import effective_spot, misplaced, own_spot, place_words, problem_with, spot_when_given
from sedge.core.safety.spots import spot_problem
from sedge.core.workorders import tasks as t
from sedge.core.workorders.findings import Finding, Level, Remedy, add_before, elsewhere, instead, passed, stop, warn

Rule = Callable[[Any, Estate], Finding | None]
RULES: dict[str, tuple[type, Rule]] = {}
MOST_PATHS = 6  # offered as remedies where a call path is missing
MOST_SPOTS = 12


def rule(name: str, kind: type) -> Callable[[Rule], Rule]:
    def register(function: Rule) -> Rule:
        RULES[name] = (kind, function)
        return function

    return register


# ── assigning ──


@rule("assignment.number-is-free", t.AssignNumber)
def number_is_free(task: t.AssignNumber, estate: Estate) -> Finding:
    """Only an available number, or one reserved for this holder, can be given."""
    number = estate.number(task.e164 or "")
    other = _another(task, number, estate)
    until = f" until {number.state_until:%-d %B}" if number.state_until else ""
    match number.state:
        case State.AVAILABLE:
            return passed(f"{number.shown} is free")
        case State.RESERVED if number.reserved_for in (None, task.holder):
            return passed(f"{number.shown} is reserved, and free for this")
        case State.RESERVED:
            return stop(f"{number.shown} is reserved for somebody else{until}.", *other)
        case State.AGING:
            end = add_before("End the rest, with a reason", t.EndRest(number=number.e164, reason="needed again at once"), automatic=False)
            return stop(f"{number.shown} rests{until}; callers may still expect whoever had it.", *other, end)
        case State.ASSIGNED:
            name = estate.holder(number.holder).name if number.holder else "somebody"
            return stop(f"{number.shown} is {name}'s already. Take it back first, or choose another.", *other)
        case State.ON_ORDER:
            return stop(f"{number.shown} is on order and has not arrived. The work order can be run once it has.", *other)
        case State.ADMINISTRATIVE:
            back = add_before("Return it first", t.ReturnNumber(number=number.e164), automatic=False)
            return stop(f"{number.shown} is set aside ({number.state_reason or 'no reason given'}).", *other, back)
        case _:
            return stop(f"{number.shown} is {number.state}; it can't be given to anybody.", *other)


def _another(task: t.AssignNumber, number: Number, estate: Estate) -> tuple[Remedy, ...]:
    wanted = {Capacity.MANY, Capacity.ANY} if task.holder.kind is HolderKind.SERVICE_LINE else {Capacity.SINGLE, Capacity.ANY}
    other = estate.first_available(site=number.site, capacity=wanted, carrier=number.carrier)
    if other:
        return (instead(f"Take {other.shown} instead", task.but(number=other.e164), automatic=False),)
    return (elsewhere(f"Look for one to order for {estate.the(Site, number.site).name}", "supply", number.site),)


@rule("assignment.who-had-it", t.AssignNumber)
def who_had_it(task: t.AssignNumber, estate: Estate) -> Finding | None:
    """Whoever gets a number gets its old callers along; who had it is said before."""
    number = estate.number(task.e164 or "")
    if not number.held_before or number.held_until is None:
        return None
    days = (estate.now - number.held_until).days
    ago = f"{days:,} days ago" if days > 1 else "until now" if days < 1 else "until yesterday"
    return passed(f"{number.held_before} had it {ago if days < 2 else f'until {ago}'}; their callers may still try it")


@rule("assignment.usable-yet", t.AssignNumber)
def usable_yet(task: t.AssignNumber, estate: Estate) -> Finding:
    """A delivered number may be usable only later: no reason to stop, the runner waits."""
    number = estate.number(task.e164 or "")
    if number.usable_from and number.usable_from > estate.now:
        return warn(f"{number.shown} can be used from {estate.clock(number.usable_from)}; the task waits for that by itself.")
    return passed(f"{number.shown} can be used now")


@rule("assignment.not-leaving", t.AssignNumber)
def not_leaving(task: t.AssignNumber, estate: Estate) -> Finding:
    """A number that goes back to its carrier would be taken from its holder within days."""
    number = estate.number(task.e164 or "")
    if number.leaving_on:
        return stop(f"{number.shown} is on its way back to its carrier.", *_another(task, number, estate))
    return passed("No release or port is in progress")


@rule("assignment.capacity-suits-holder", t.AssignNumber)
def capacity_suits_holder(task: t.AssignNumber, estate: Estate) -> Finding:
    """A number sold for one call at a time would be busy for a service line's second caller."""
    number, holder = estate.number(task.e164 or ""), estate.holder(task.holder)
    is_line = task.holder.kind is HolderKind.SERVICE_LINE
    if number.capacity is Capacity.SINGLE and is_line:
        other = estate.first_available(site=number.site, capacity={Capacity.MANY, Capacity.ANY}, carrier=number.carrier)
        remedy = (
            instead(f"Take {other.shown} instead, for many callers", task.but(number=other.e164))
            if other
            else elsewhere("Order a number for many callers", "supply many", number.site)
        )
        return stop(f"{number.shown} carries one call at a time; {holder.name} needs a number for many callers.", remedy)
    if number.capacity is Capacity.MANY and task.holder.kind is HolderKind.PERSON:
        return warn(f"{number.shown} is sold for many calls at once; one person needs less, and it costs more.")
    return passed("The number suits a service line" if is_line else "The number suits one holder")


@rule("assignment.holder-may-call-here", t.AssignNumber)
def licences_held(task: t.AssignNumber, estate: Estate) -> Finding:
    """What the number's carrier asks of a holder (its supply model and agreement say), and what that needs in turn."""
    number, holder = estate.number(task.e164 or ""), estate.holder(task.holder)
    carrier = estate.carrier_of(number)
    asked = carrier.asks_of.get(task.holder.kind, ())
    if not asked:
        return passed(f"{carrier.name} asks for no licence here")
    products = {p.id: p for p in estate.all(Product)}
    held = {grant.product for grant in estate.grants_of(task.holder)}
    if not working(held, products).issuperset(asked):
        missing = lacking(asked, held, products)
        names = " and ".join(f"{p.name} ({in_words(p.price_in(number.monthly.currency))} a month)" for p in (products[m] for m in missing))
        tasks = tuple(t.GrantLicence(holder=task.holder, product=product) for product in missing)
        words = "Grant " + " and ".join(products[m].name for m in missing)
        return stop(f"{holder.name} can't use a number of {carrier.name} without {names}.", add_before(words, *tasks))
    late = [g for g in estate.grants_of(task.holder) if g.product in asked and g.works_from > estate.now]
    if late:
        moment = max(g.works_from for g in late)
        return warn(f"The licences work from {estate.clock(moment)}; the task waits for that by itself.")
    return passed(f"{holder.name} has the licences {carrier.name} asks for")


@rule("assignment.dispatchable-spot", t.AssignNumber)
def dispatchable_spot(task: t.AssignNumber, estate: Estate) -> Finding:
    """Everywhere: help must find whoever calls (47 CFR 9.3 and 9.16 ask it of US systems; Sedge asks it everywhere)."""
    number, holder = estate.number(task.e164 or ""), estate.holder(task.holder)
    spot, site = spot_when_given(number, task.holder, task.spot, estate), estate.site_of(task.holder)
    choices = estate.once("good spots", site.id, lambda: _good_spots(site.id, estate))
    fitting = [c for c in choices if estate.the(Address, c.address).elements.country == number.country]
    remedies = tuple(_at_spot(task, c, estate, automatic=len(fitting) == 1) for c in fitting[:MOST_SPOTS])
    if not choices:
        remedies = (elsewhere(f"Add a spot of {site.name}", "spots", site.id),)
    if spot is None:
        return stop(f"{holder.name} has no emergency spot: a call for help would not say where to go. Choose where they are.", *remedies)
    if problem := problem_with(spot, number, task.holder, estate, estate.now):
        onward = "Choose where they are." if choices else "Add a spot that says more."
        where = place_words(spot, estate)
        what = problem if problem.startswith(where) else f"{where} is not good enough: {problem}"
        return stop(f"Help would not find {holder.name}. {what}. {onward}", *remedies)
    return passed(f"Help is sent to {place_words(spot, estate)}")


def _at_spot(task: t.AssignNumber, spot: Spot, estate: Estate, *, automatic: bool) -> Remedy:
    """A spot for this number; where the holder is a person without one, theirs too, so that they are found from every phone."""
    words = f"{spot.name} ({spot.id})"
    if task.holder.kind is HolderKind.PERSON and own_spot(task.holder, estate) is None and not task.spot:
        return add_before(words, t.SetSpot(person=task.holder.id, spot=spot.id), automatic=automatic)
    return instead(words, task.but(spot=spot.id), automatic=automatic)


def _good_spots(site: str, estate: Estate) -> list[Spot]:
    return [s for s in estate.all(Spot) if s.site == site and spot_problem(s, estate.the(Address, s.address), estate.now) is None]


@rule("assignment.role-free", t.AssignNumber)
def role_free(task: t.AssignNumber, estate: Estate) -> Finding:
    """One main number and one mailbox access number each."""
    holder = estate.holder(task.holder)
    if task.role is Role.EXTRA:
        return passed("An extra number may always be added")
    taken = [n for n in estate.numbers_of(task.holder) if n.assignment and n.assignment.role is task.role and n.e164 != task.e164]
    if taken:
        extra = instead("Give it as an extra number", task.but(role=Role.EXTRA))
        back = add_before(f"Take {taken[0].shown} back first", t.UnassignNumber(number=taken[0].e164, holder=task.holder), automatic=False)
        return stop(f"{holder.name} has a {task.role} number already: {taken[0].shown}.", extra, back)
    return passed(f"{holder.name} has no other {task.role} number")


@rule("assignment.holder-is-here", t.AssignNumber)
def holder_is_here(task: t.AssignNumber, estate: Estate) -> Finding:
    """Somebody who has left answers nothing."""
    holder = estate.holder(task.holder)
    if isinstance(holder, Person) and holder.left:
        return stop(f"{holder.name} has left the organisation. Choose somebody else.")
    return passed("The holder is in the directory")


@rule("assignment.at-its-site", t.AssignNumber)
def at_its_site(task: t.AssignNumber, estate: Estate) -> Finding:
    """A number belongs to a site, which pays for it and whose people call for help from it: it moves on purpose, never along."""
    number, site = estate.number(task.e164 or ""), estate.site_of(task.holder)
    if number.site == site.id:
        return passed(f"It is a number of {site.name}")
    move = add_before(f"Move it to {site.name} first", t.MoveNumber(number=number.e164, site=site.id))
    of, name = estate.the(Site, number.site).name, estate.holder(task.holder).name
    return stop(f"{number.shown} is a number of {of}; {name} is at {site.name}.", move)


@rule("assignment.country-served", t.AssignNumber)
def country_served(task: t.AssignNumber, estate: Estate) -> Finding:
    """Bundled supply serves holders in the number's own country only."""
    number, site = estate.number(task.e164 or ""), estate.site_of(task.holder)
    carrier = estate.carrier_of(number)
    if carrier.supply_model is SupplyModel.BUNDLED and site.country != number.country:
        return stop(f"{carrier.name} serves holders in the number's own country only; {site.name} is in {site.country}.")
    return passed("Number and holder are in the same country")


@rule("assignment.on-trunk-list", t.AssignNumber)
def on_trunk_list(task: t.AssignNumber, estate: Estate) -> Finding:
    """A number that is on no trunk's list is dead, however well it is assigned."""
    number = estate.number(task.e164 or "")
    trunk = estate.get(Trunk, number.trunk)
    if trunk is None:
        fitting = sorted((x for x in estate.all(Trunk) if x.carrier == number.carrier), key=lambda x: x.site != number.site)
        remedies = [add_before(f"Put it on the list of {x.name}", t.ListOnTrunk(number=number.e164, trunk=x.id)) for x in fitting[:1]]
        if not remedies:
            remedies = [elsewhere(f"Set up a trunk to {estate.carrier_of(number).name}", "trunk", number.site)]
        return stop(f"{number.shown} is on no trunk's list, so calls to it would not arrive.", *remedies)
    if not trunk.up:
        return warn(f"Trunk {trunk.name} is down; calls arrive when it is up again.")
    return passed(f"It is on the list of {trunk.name}, which is up")


@rule("assignment.calling-rights", t.AssignNumber)
def calling_rights(task: t.AssignNumber, estate: Estate) -> Finding | None:
    """Whoever has a number and may call nobody takes the phone for broken."""
    holder = estate.holder(task.holder)
    if not isinstance(holder, Person):
        return None
    if not holder.rights:
        rights = t.SetCallingRights(holder=task.holder, rights=("internal", "emergency", "national", "mobile"))  # type: ignore[arg-type]
        return stop(f"{holder.name} has no calling rights and could not call out.", add_before("Give the usual rights", rights))
    return passed(f"{holder.name} may call: {', '.join(r.value for r in holder.rights)}")


@rule("assignment.line-has-path", t.AssignNumber)
def line_has_path(task: t.AssignNumber, estate: Estate) -> Finding | None:
    """A service line or a site without a call path answers nothing."""
    holder = estate.holder(task.holder)
    if not isinstance(holder, ServiceLine | Site):
        return None
    number = estate.number(task.e164 or "")
    if number.path is None:
        paths = sorted(estate.all(PathVersion), key=lambda p: p.name)[:MOST_PATHS]
        follow = [add_before(f"Follow “{p.name}”", t.SetPath(number=number.e164, path=p.id), automatic=False) for p in paths]
        site = estate.site_of(task.holder)
        return warn(
            f"{holder.name} has no call path on this number yet; callers would hear nothing.",
            *follow,
            elsewhere("Draw up a new call path", "new path", site.id),
        )
    return passed(f"Calls follow {estate.the(PathVersion, number.path).name}")


@rule("assignment.address-registered", t.AssignNumber)
def address_registered(task: t.AssignNumber, estate: Estate) -> Finding | None:
    """A carrier that keeps addresses would send help to the one it has, whatever Sedge knows."""
    number = estate.number(task.e164 or "")
    spot = spot_when_given(number, task.holder, task.spot, estate)
    return _registration(number, spot, estate) if spot else None


def _registration(number: Number, spot: Spot, estate: Estate) -> Finding:
    carrier = estate.carrier_of(number)
    if not carrier.registers_addresses:
        return passed(f"{carrier.name} keeps no addresses; the place travels with the call")
    if number.registered_spot == spot.id:
        return passed(f"{carrier.name} has {spot.id} registered for it")
    has = f"still has {number.registered_spot}" if number.registered_spot else "has no address"
    remedy = add_before("Register the address with it", t.RegisterAddress(number=number.e164))
    return warn(f"{carrier.name} {has} for {number.shown}; a call for help would show that until {spot.id} is registered.", remedy)


# ── moving to another site ──


@rule("move.may-go", t.MoveNumber)
def may_go(task: t.MoveNumber, estate: Estate) -> Finding:
    """What somebody has goes where they are; what is on its way somewhere stays until it is there."""
    number, site = estate.number(task.e164 or ""), estate.the(Site, task.site)
    if number.site == site.id:
        return passed(f"{number.shown} is a number of {site.name} already; nothing happens")
    if number.leaving_on:
        return stop(f"{number.shown} is on its way back to its carrier; it can't be moved now.")
    if number.state in {State.ON_ORDER, State.PORTING_IN, State.PORTING_OUT} or number.state in ENDED:
        return stop(f"{number.shown} is {number.state}; it can't be moved now.")
    holder = estate.holder(number.holder) if number.holder else None
    if isinstance(holder, Site):
        return stop(
            f"{number.shown} is the {number.assignment.role if number.assignment else ''} number of {holder.name}. Take it back first."
        )
    if holder and number.holder and estate.site_of(number.holder).id != site.id:
        there = estate.site_of(number.holder).name
        return warn(f"{holder.name}, who has it, is at {there}. Move them too, or take the number back first.")
    return passed(f"{number.shown} can be moved to {site.name}")


@rule("move.its-spot", t.MoveNumber)
def its_spot(task: t.MoveNumber, estate: Estate) -> Finding | None:
    """A spot at the old site would send help there."""
    number = estate.number(task.e164 or "")
    spot = effective_spot(number, estate)
    if spot is None:
        return None
    if not misplaced(spot, number.holder, task.site, estate):
        return passed("Its emergency spot stays right")
    there = estate.the(Site, task.site).name
    return warn(f"Its emergency spot, {place_words(spot, estate)}, does not go along. Choose one at {there} with the next holder.")


@rule("move.its-trunk", t.MoveNumber)
def its_trunk(task: t.MoveNumber, estate: Estate) -> Finding | None:
    """Calls arrive where the trunk ends."""
    number, site = estate.number(task.e164 or ""), estate.the(Site, task.site)
    trunk = estate.get(Trunk, number.trunk)
    if trunk is None:
        return None
    there = next((x for x in estate.all(Trunk) if x.site == site.id and x.carrier == number.carrier), None)
    if trunk.site == site.id or there is None:
        return passed(f"It stays on the list of {trunk.name}")
    onto = add_before(f"Put it on {there.name}", t.ListOnTrunk(number=number.e164, trunk=there.id))
    return warn(f"It stays on the list of {trunk.name}; {site.name} has {there.name}.", onto)


@rule("move.who-pays", t.MoveNumber)
def who_pays(task: t.MoveNumber, estate: Estate) -> Finding:
    """The account it is paid on stays; the site it is counted at changes."""
    number, site = estate.number(task.e164 or ""), estate.the(Site, task.site)
    account = estate.get(Account, number.account)
    if account and site.account and site.account != account.id:
        return warn(f"It is still paid on {account.name}, which is not the account of {site.name}; its cost counts there from now on.")
    return passed(f"Its cost counts at {site.name} from now on")


# ── taking back, resting, releasing ──


@rule("life.can-be-taken-back", t.UnassignNumber)
def can_be_taken_back(task: t.UnassignNumber, estate: Estate) -> Finding:
    """Only what somebody has can be taken back, and only from whoever is meant."""
    number = estate.number(task.e164 or "")
    if number.state is not State.ASSIGNED:
        return stop(f"{number.shown} is {number.state}; nobody has it.")
    if task.holder and number.holder and number.holder != task.holder:
        return stop(
            f"{number.shown} is {estate.holder(number.holder).name}'s by now, not {estate.holder(task.holder).name}'s. Take this task out."
        )
    return passed(f"{number.shown} is in use and can be taken back")


@rule("life.can-be-reserved", t.ReserveNumber)
def can_be_reserved(task: t.ReserveNumber, estate: Estate) -> Finding:
    """What is used or promised already can't be promised again."""
    number = estate.number(task.e164 or "")
    if number.state is not State.AVAILABLE:
        return stop(f"{number.shown} is {number.state}; only an available number can be reserved.")
    return passed(f"{number.shown} is free to reserve")


@rule("life.rests", t.EndRest)
def rests(task: t.EndRest, estate: Estate) -> Finding:
    """Callers of whoever had a number before go on calling it for weeks."""
    number = estate.number(task.e164 or "")
    if number.state is not State.AGING:
        return stop(f"{number.shown} is {number.state}, not resting.")
    return warn(f"Ending the rest early means callers of the last holder may reach the next one. Reason given: {task.reason}.")


@rule("life.can-be-released", t.ReleaseNumber)
def can_be_released(task: t.ReleaseNumber, estate: Estate) -> Finding:
    """What goes back to its carrier is lost for good."""
    number = estate.number(task.e164 or "")
    if number.state is State.ASSIGNED:
        back = add_before("Take it back first", t.UnassignNumber(number=number.e164))
        return stop(f"{number.shown} is in use; take it back first.", back)
    if number.state not in {State.AVAILABLE, State.RESERVED, State.AGING, State.ADMINISTRATIVE}:
        return stop(f"{number.shown} is {number.state}; it can't be released.")
    if number.leaving_on:
        return stop(f"{number.shown} is being released already.")
    return warn(
        f"{number.shown} goes back to {estate.carrier_of(number).name} for good; it can't be undone. Until a month after, it can still be ported."
    )


# ── safety, paths, trunks ──


@rule("spot.dispatchable", t.SetSpot)
def spot_is_dispatchable(task: t.SetSpot, estate: Estate) -> Finding:
    """A spot that help can't be sent to is worse than none: it looks right."""
    spot = estate.the(Spot, task.spot)
    number = estate.get(Number, task.e164)
    if number and number.in_use and (wrong := misplaced(spot, number.holder, number.site, estate)):
        at = estate.site_of(number.holder).id if number.holder else number.site
        return stop(f"{wrong}. Choose a spot where they are.", elsewhere("Look after the spots there", "spots", at))
    problem = spot_problem(spot, estate.the(Address, spot.address), estate.now)
    if problem:
        return stop(
            f"The spot “{spot.name}” ({spot.id}) is not good enough to send help to: {problem}.",
            elsewhere(f"Look after the spots of {estate.the(Site, spot.site).name}", "spots", spot.site),
        )
    return passed(f"{spot.name} is good enough to send help to")


@rule("spot.registered-too", t.SetSpot)
def spot_registered_too(task: t.SetSpot, estate: Estate) -> Finding | None:
    """Where a carrier keeps addresses, a move is only half done until it knows."""
    moved = [estate.number(task.e164)] if task.e164 else _following(task, estate)
    spot = estate.the(Spot, task.spot)
    findings = [_registration(n, spot, estate) for n in moved if n.in_use]
    wanting = [f for f in findings if f.level is Level.WARN]
    if not wanting:
        return findings[0] if findings else None
    tasks = tuple(task for f in wanting for r in f.remedies for task in r.tasks)
    return warn(wanting[0].message, add_before("Register the address with the carrier", *tasks))


def _following(task: t.SetSpot, estate: Estate) -> list[Number]:
    """A person's numbers that move with them."""
    person = estate.the(Person, task.person or "")
    numbers = estate.numbers_of(HolderRef(kind=HolderKind.PERSON, id=person.id))
    return [n for n in numbers if n.spot in {person.spot, task.spot}]


@rule("address.can-be-registered", t.RegisterAddress)
def can_be_registered(task: t.RegisterAddress, estate: Estate) -> Finding:
    """Only carriers that keep addresses can be told one."""
    number = estate.number(task.e164 or "")
    carrier = estate.carrier_of(number)
    if not carrier.registers_addresses:
        return stop(f"{carrier.name} keeps no addresses; the place travels with each call. Take this task out.")
    if number.spot is None:
        return stop(f"{number.shown} has no spot to register. Set its spot first.")
    return passed("The number has a spot to register")


@rule("place.can-be-told", t.TellPlace)
def place_can_be_told(task: t.TellPlace, estate: Estate) -> Finding:
    """There must be a place to tell of."""
    number = estate.number(task.e164 or "")
    if number.spot is None or number.state is not State.ASSIGNED:
        return passed(f"{number.shown} is not in use, or has no spot; there is nothing to tell")
    return passed("The number has a place to tell of")


@rule("trunk.same-carrier", t.ListOnTrunk)
def same_carrier(task: t.ListOnTrunk, estate: Estate) -> Finding:
    """Calls to a number come from its own carrier only."""
    number, trunk = estate.number(task.e164 or ""), estate.the(Trunk, task.trunk)
    if trunk.carrier != number.carrier:
        return stop(f"{trunk.name} leads to another carrier than {number.shown}'s.")
    return passed(f"{trunk.name} leads to the number's carrier")


@rule("proof.can-be-called", t.PlaceTestCall)
def can_be_called(task: t.PlaceTestCall, estate: Estate) -> Finding:
    """A test call needs somebody to ring, or to call from."""
    number = estate.number(task.e164 or "")
    trunk = estate.get(Trunk, number.trunk)
    if task.direction == "in" and number.state not in ENDED and trunk and trunk.connection:
        return passed(f"A test call shows whether calls arrive over {trunk.name}")
    if number.state is not State.ASSIGNED:
        return stop(f"{number.shown} is {number.state}; there is nobody to ring.")
    if task.direction == "out" and number.holder and number.holder.kind is not HolderKind.PERSON:
        return stop("A test call out is placed from a person's phone; this number is not a person's.")
    return passed(f"A test call {task.direction} can be placed")


@rule("undo.as-left", t.PutBack)
def as_left(task: t.PutBack, estate: Estate) -> Finding:
    """An undo must not undo what somebody else has done since."""
    apply(task, estate)  # raises ChangedMeanwhile, NotAllowedNow with their own sentences
    return passed(f"Nothing of “{task.of}” has changed since")

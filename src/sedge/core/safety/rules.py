"""Rules of emergency spots: a call for help must say where to go, and the carrier must know it."""

from sedge.core.estate import Estate
from sedge.core.numbers.life import State
from sedge.core.records import (
    Address,
    HolderKind,
    HolderRef,
    Number,
    Person,
    Site,
    Spot,
)
from sedge.core.safety.effective_spot import (
    effective_spot,
    misplaced,
    own_spot,
    place_words,
    problem_with,
    spot_when_given,
)
from sedge.core.safety.spots import spot_problem
from sedge.core.workorders import tasks as t
from sedge.core.workorders.findings import (
    Finding,
    Level,
    Remedy,
    add_before,
    elsewhere,
    instead,
    passed,
    stop,
    warn,
)
from sedge.core.workorders.rules.registry import rule

MOST_SPOTS = 12


@rule("assignment.dispatchable-spot", t.AssignNumber)
def dispatchable_spot(task: t.AssignNumber, estate: Estate) -> Finding:
    """Everywhere: help must find whoever calls (47 CFR 9.3 and 9.16 ask it of US systems; Sedge
    asks it everywhere)."""
    number, holder = estate.number(task.e164 or ""), estate.holder(task.holder)
    spot, site = (
        spot_when_given(number, task.holder, task.spot, estate),
        estate.site_of(task.holder),
    )
    choices = estate.once("good spots", site.id, lambda: _good_spots(site.id, estate))
    fitting = [
        c for c in choices if estate.the(Address, c.address).elements.country == number.country
    ]
    remedies = tuple(
        _at_spot(task, c, estate, automatic=len(fitting) == 1) for c in fitting[:MOST_SPOTS]
    )
    if not choices:
        remedies = (elsewhere(f"Add a spot of {site.name}", "spots", site.id),)
    if spot is None:
        return stop(
            f"{holder.name} has no emergency spot: an emergency call would not say where to go."
            " Choose where they are.",
            *remedies,
        )
    if problem := problem_with(spot, number, task.holder, estate, estate.now):
        onward = "Choose where they are." if choices else "Add a spot that says more."
        where = place_words(spot, estate)
        what = problem if problem.startswith(where) else f"{where} is not good enough: {problem}"
        return stop(f"Responders would not find {holder.name}. {what}. {onward}", *remedies)
    return passed(f"Responders are sent to {place_words(spot, estate)}")


def _at_spot(task: t.AssignNumber, spot: Spot, estate: Estate, *, automatic: bool) -> Remedy:
    """A spot for this number; where the holder is a person without one, theirs too, so that they
    are found from every phone."""
    words = f"{spot.name} ({spot.id})"
    if (
        task.holder.kind is HolderKind.PERSON
        and own_spot(task.holder, estate) is None
        and not task.spot
    ):
        return add_before(
            words, t.SetSpot(person=task.holder.id, spot=spot.id), automatic=automatic
        )
    return instead(words, task.copy_with(spot=spot.id), automatic=automatic)


def _good_spots(site: str, estate: Estate) -> list[Spot]:
    return [
        s
        for s in estate.all(Spot)
        if s.site == site and spot_problem(s, estate.the(Address, s.address), estate.now) is None
    ]


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
    remedy = add_before("Register the address", t.RegisterAddress(number=number.e164))
    return warn(
        f"{carrier.name} {has} for {number.shown}; an emergency call would show that"
        f" until {spot.id}"
        " is registered.",
        remedy,
    )


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
    return warn(
        f"Its emergency spot, {place_words(spot, estate)}, does not go along. Choose one at {there}"
        " with the next holder."
    )


@rule("spot.dispatchable", t.SetSpot)
def spot_is_dispatchable(task: t.SetSpot, estate: Estate) -> Finding:
    """A spot that help can't be sent to is worse than none: it looks right."""
    spot = estate.the(Spot, task.spot)
    number = estate.get(Number, task.e164)
    if number and number.in_use and (wrong := misplaced(spot, number.holder, number.site, estate)):
        at = estate.site_of(number.holder).id if number.holder else number.site
        return stop(
            f"{wrong}. Choose a spot where they are.",
            elsewhere("Manage the spots there", "spots", at),
        )
    problem = spot_problem(spot, estate.the(Address, spot.address), estate.now)
    if problem:
        return stop(
            f"The spot “{spot.name}” ({spot.id}) is not good enough to send responders to:"
            f" {problem}.",
            elsewhere(
                f"Manage the spots of {estate.the(Site, spot.site).name}", "spots", spot.site
            ),
        )
    return passed(f"{spot.name} is good enough to send responders to")


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
        return stop(
            f"{carrier.name} keeps no addresses; the place travels with each call. Take this task"
            " out."
        )
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

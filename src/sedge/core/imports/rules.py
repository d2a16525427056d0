"""Rules for what arrives as it is found: numbers taken over, people added. A number in use before
is in use after, so what it lacks is a warning with its remedy, not a stop; only what would break
the estate stops."""

from sedge.core.errors import SedgeError
from sedge.core.estate import Estate
from sedge.core.numbers.life import ENDED
from sedge.core.records import Account, Address, Carrier, Number, Person, Product, Site, Spot
from sedge.core.safety.spots import spot_problem
from sedge.core.workorders import tasks as t
from sedge.core.workorders.findings import Finding, add_before, passed, stop, warn
from sedge.core.workorders.rules.registry import rule


@rule("adoption.not-here", t.AdoptNumber)
def not_here(task: t.AdoptNumber, estate: Estate) -> Finding:
    """A number exists once: one open life."""
    number = estate.get(Number, task.number)
    if number is not None and number.state not in ENDED:
        return stop(f"{number.shown} is in the estate already, {number.state}. Leave it out.")
    return passed("The number is not in the estate yet")


@rule("adoption.account-and-site", t.AdoptNumber)
def account_and_site(task: t.AdoptNumber, estate: Estate) -> Finding:
    """It needs an account that pays for it and a site it belongs to."""
    estate.the(Account, task.account)
    return passed(f"It belongs to {estate.the(Site, task.site).name}")


@rule("adoption.holder-is-here", t.AdoptNumber)
def holder_is_here(task: t.AdoptNumber, estate: Estate) -> Finding | None:
    """Who holds it must be known."""
    if task.holder is None:
        return (
            stop("A number in use needs its holder. Name them, or say it is available.")
            if task.state == "assigned"
            else None
        )
    try:
        return passed(f"{estate.holder(task.holder).name} is here")
    except SedgeError:
        return stop(f"Nobody with the id “{task.holder.id}” is here. Add them first.")


@rule("adoption.role-free", t.AdoptNumber)
def role_free(task: t.AdoptNumber, estate: Estate) -> Finding | None:
    """One main number each."""
    if task.holder is None or task.state != "assigned" or task.role == "extra":
        return None
    main = [
        n
        for n in estate.numbers_of(task.holder)
        if n.assignment and n.assignment.role == task.role and n.e164 != task.number
    ]
    if main:
        return stop(
            f"{estate.holder(task.holder).name} has {main[0].shown} in that role already. Bring it"
            " in as an extra number."
        )
    return passed("The role is free")


@rule("adoption.dispatchable-spot", t.AdoptNumber)
def dispatchable_spot(task: t.AdoptNumber, estate: Estate) -> Finding | None:
    """A number in use without a spot is brought in, and stands on Today until it has one: a call
    for help would not say where."""
    if task.state != "assigned" or task.holder is None:
        return None
    spot = estate.get(Spot, task.spot or getattr(estate.holder(task.holder), "spot", None))
    if spot is None:
        return warn(
            "No file says where responders would have to go. It comes in without a spot and"
            " stands on"
            " Today until it has one."
        )
    problem = spot_problem(spot, estate.the(Address, spot.address), estate.now)
    return (
        warn(f"{spot.name}: {problem}.")
        if problem
        else passed(f"Responders would go to {spot.name}")
    )


@rule("adoption.licences-held", t.AdoptNumber)
def licences_held(task: t.AdoptNumber, estate: Estate) -> Finding | None:
    """What the carrier's agreement asks of the holder."""
    if task.state != "assigned" or task.holder is None:
        return None
    carrier = estate.the(Carrier, estate.the(Account, task.account).carrier)
    asked = carrier.asks_of.get(task.holder.kind, ())
    held = {g.product for g in estate.grants_of(task.holder)}
    missing = [p for p in asked if p not in held]
    if not missing:
        return passed("Every licence asked for is held")
    names = " and ".join(estate.the(Product, p).name for p in missing)
    grants = [t.GrantLicence(holder=task.holder, product=p) for p in missing]
    return warn(
        f"{carrier.name} asks for {names}, which no file grants.",
        add_before(f"Grant {names}", *grants, automatic=False),
    )


@rule("person.mail-is-free", t.AddPerson)
def mail_is_free(task: t.AddPerson, estate: Estate) -> Finding:
    """Two people can't have one mail address."""
    other = next(
        (
            p
            for p in estate.all(Person)
            if p.email.lower() == task.email.lower() and not p.left and p.id != task.id
        ),
        None,
    )
    if other is not None:
        return stop(f"{other.name} has the mail address {task.email}. Is it the same person?")
    return passed("The mail address is free")


@rule("person.site-is-known", t.AddPerson)
def site_is_known(task: t.AddPerson, estate: Estate) -> Finding:
    """People work at a site."""
    return passed(f"{task.name} works at {estate.the(Site, task.site).name}")


@rule("person.spot-is-set", t.AddPerson)
def spot_is_set(task: t.AddPerson, estate: Estate) -> Finding:
    """Where help would find them."""
    if task.spot is None:
        return warn(
            f"Nobody says where responders would find {task.name}; they stand on Today until"
            f" somebody"
            " does."
        )
    return passed(f"Responders would find them at {estate.the(Spot, task.spot).name}")

"""Rules of a number's life: given, moved, taken back, reserved, released, proven."""

from sedge.core.estate import Estate
from sedge.core.facts import in_words
from sedge.core.licences.entitlement_status import lacking, working
from sedge.core.numbers.life import ENDED, State
from sedge.core.records import (
    Account,
    Capacity,
    HolderKind,
    Number,
    PathVersion,
    Person,
    Product,
    Right,
    Role,
    ServiceLine,
    Site,
    SupplyModel,
    Trunk,
)
from sedge.core.workorders import tasks as t
from sedge.core.workorders.findings import (
    Finding,
    Remedy,
    add_before,
    elsewhere,
    instead,
    passed,
    stop,
    warn,
)
from sedge.core.workorders.rules.registry import rule

MOST_PATHS = 6  # offered as remedies where a call path is missing
USUAL_RIGHTS = (Right.INTERNAL, Right.EMERGENCY, Right.NATIONAL, Right.MOBILE)


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
            end = add_before(
                "End the rest, with a reason",
                t.EndRest(number=number.e164, reason="needed again at once"),
                automatic=False,
            )
            return stop(
                f"{number.shown} rests{until}; callers may still expect its last holder.",
                *other,
                end,
            )
        case State.ASSIGNED:
            name = estate.holder(number.holder).name if number.holder else "somebody"
            return stop(
                f"{number.shown} is {name}'s already. Unassign it first, or choose another.",
                *other,
            )
        case State.ON_ORDER:
            return stop(
                f"{number.shown} is on order and has not arrived. The work order can be run once it"
                " has.",
                *other,
            )
        case State.ADMINISTRATIVE:
            back = add_before(
                "Return it first", t.ReturnNumber(number=number.e164), automatic=False
            )
            return stop(
                f"{number.shown} is set aside ({number.state_reason or 'no reason given'}).",
                *other,
                back,
            )
        case _:
            return stop(f"{number.shown} is {number.state}; it can't be given to anybody.", *other)


def _another(task: t.AssignNumber, number: Number, estate: Estate) -> tuple[Remedy, ...]:
    wanted = (
        {Capacity.MANY, Capacity.ANY}
        if task.holder.kind is HolderKind.SERVICE_LINE
        else {Capacity.SINGLE, Capacity.ANY}
    )
    other = estate.first_available(site=number.site, capacity=wanted, carrier=number.carrier)
    if other:
        return (
            instead(
                f"Take {other.shown} instead", task.copy_with(number=other.e164), automatic=False
            ),
        )
    return (
        elsewhere(
            f"Look for one to order for {estate.the(Site, number.site).name}", "supply", number.site
        ),
    )


@rule("assignment.who-had-it", t.AssignNumber)
def who_had_it(task: t.AssignNumber, estate: Estate) -> Finding | None:
    """Whoever gets a number gets its old callers along; who had it is said before."""
    number = estate.number(task.e164 or "")
    if not number.held_before or number.held_until is None:
        return None
    days = (estate.now - number.held_until).days
    ago = f"{days:,} days ago" if days > 1 else "until now" if days < 1 else "until yesterday"
    return passed(
        f"{number.held_before} had it {ago if days < 2 else f'until {ago}'}; their callers may"
        " still try it"
    )


@rule("assignment.usable-yet", t.AssignNumber)
def usable_yet(task: t.AssignNumber, estate: Estate) -> Finding:
    """A delivered number may be usable only later: no reason to stop, the runner waits."""
    number = estate.number(task.e164 or "")
    if number.usable_from and number.usable_from > estate.now:
        return warn(
            f"{number.shown} can be used from {estate.clock(number.usable_from)}; the task waits"
            " for that by itself."
        )
    return passed(f"{number.shown} can be used now")


@rule("assignment.not-leaving", t.AssignNumber)
def not_leaving(task: t.AssignNumber, estate: Estate) -> Finding:
    """A number that goes back to its carrier would be taken from its holder within days."""
    number = estate.number(task.e164 or "")
    if number.leaving_on:
        return stop(
            f"{number.shown} is on its way back to its carrier.", *_another(task, number, estate)
        )
    return passed("No release or port is in progress")


@rule("assignment.capacity-suits-holder", t.AssignNumber)
def capacity_suits_holder(task: t.AssignNumber, estate: Estate) -> Finding:
    """A number sold for one call at a time would be busy for a service line's second caller."""
    number, holder = estate.number(task.e164 or ""), estate.holder(task.holder)
    is_line = task.holder.kind is HolderKind.SERVICE_LINE
    if number.capacity is Capacity.SINGLE and is_line:
        other = estate.first_available(
            site=number.site, capacity={Capacity.MANY, Capacity.ANY}, carrier=number.carrier
        )
        remedy = (
            instead(
                f"Take {other.shown} instead, for many callers", task.copy_with(number=other.e164)
            )
            if other
            else elsewhere("Order a number for many callers", "supply many", number.site)
        )
        return stop(
            f"{number.shown} carries one call at a time; {holder.name} needs a number for many"
            " callers.",
            remedy,
        )
    if number.capacity is Capacity.MANY and task.holder.kind is HolderKind.PERSON:
        return warn(
            f"{number.shown} is sold for many calls at once; one person needs less, and it costs"
            " more."
        )
    return passed("The number suits a service line" if is_line else "The number suits one holder")


@rule("assignment.holder-may-call-here", t.AssignNumber)
def licences_held(task: t.AssignNumber, estate: Estate) -> Finding:
    """What the number's carrier asks of a holder (its supply model and agreement say), and what
    that needs in turn."""
    number, holder = estate.number(task.e164 or ""), estate.holder(task.holder)
    carrier = estate.carrier_of(number)
    asked = carrier.asks_of.get(task.holder.kind, ())
    if not asked:
        return passed(f"{carrier.name} asks for no licence here")
    products = {p.id: p for p in estate.all(Product)}
    held = {grant.product for grant in estate.grants_of(task.holder)}
    if not working(held, products).issuperset(asked):
        missing = lacking(asked, held, products)
        names = " and ".join(
            f"{p.name} ({in_words(p.price_in(number.monthly.currency))} a month)"
            for p in (products[m] for m in missing)
        )
        tasks = tuple(t.GrantLicence(holder=task.holder, product=product) for product in missing)
        words = "Grant " + " and ".join(products[m].name for m in missing)
        return stop(
            f"{holder.name} can't use a number of {carrier.name} without {names}.",
            add_before(words, *tasks),
        )
    late = [
        g for g in estate.grants_of(task.holder) if g.product in asked and g.works_from > estate.now
    ]
    if late:
        moment = max(g.works_from for g in late)
        return warn(
            f"The licences work from {estate.clock(moment)}; the task waits for that by itself."
        )
    return passed(f"{holder.name} has the licences {carrier.name} asks for")


@rule("assignment.role-free", t.AssignNumber)
def role_free(task: t.AssignNumber, estate: Estate) -> Finding:
    """One main number and one mailbox access number each."""
    holder = estate.holder(task.holder)
    if task.role is Role.EXTRA:
        return passed("An extra number may always be added")
    taken = [
        n
        for n in estate.numbers_of(task.holder)
        if n.assignment and n.assignment.role is task.role and n.e164 != task.e164
    ]
    if taken:
        extra = instead("Give it as an extra number", task.copy_with(role=Role.EXTRA))
        back = add_before(
            f"Take {taken[0].shown} back first",
            t.UnassignNumber(number=taken[0].e164, holder=task.holder),
            automatic=False,
        )
        return stop(
            f"{holder.name} has a {task.role} number already: {taken[0].shown}.", extra, back
        )
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
    """A number belongs to a site, which pays for it and whose people call for help from it: it
    moves on purpose, never along."""
    number, site = estate.number(task.e164 or ""), estate.site_of(task.holder)
    if number.site == site.id:
        return passed(f"It is a number of {site.name}")
    move = add_before(
        f"Move it to {site.name} first", t.MoveNumber(number=number.e164, site=site.id)
    )
    of, name = estate.the(Site, number.site).name, estate.holder(task.holder).name
    return stop(f"{number.shown} is a number of {of}; {name} is at {site.name}.", move)


@rule("assignment.country-served", t.AssignNumber)
def country_served(task: t.AssignNumber, estate: Estate) -> Finding:
    """Bundled supply serves holders in the number's own country only."""
    number, site = estate.number(task.e164 or ""), estate.site_of(task.holder)
    carrier = estate.carrier_of(number)
    if carrier.supply_model is SupplyModel.BUNDLED and site.country != number.country:
        return stop(
            f"{carrier.name} serves holders in the number's own country only; {site.name} is in"
            f" {site.country}."
        )
    return passed("Number and holder are in the same country")


@rule("assignment.calling-rights", t.AssignNumber)
def calling_rights(task: t.AssignNumber, estate: Estate) -> Finding | None:
    """Whoever has a number and may call nobody takes the phone for broken."""
    holder = estate.holder(task.holder)
    if not isinstance(holder, Person):
        return None
    if not holder.rights:
        rights = t.SetCallingRights(holder=task.holder, rights=USUAL_RIGHTS)
        return stop(
            f"{holder.name} has no calling rights and could not call out.",
            add_before("Give the usual rights", rights),
        )
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
        follow = [
            add_before(
                f"Follow “{p.name}”", t.SetPath(number=number.e164, path=p.id), automatic=False
            )
            for p in paths
        ]
        site = estate.site_of(task.holder)
        return warn(
            f"{holder.name} has no call path on this number yet; callers would hear nothing.",
            *follow,
            elsewhere("Create a new call path", "new path", site.id),
        )
    return passed(f"Calls follow {estate.the(PathVersion, number.path).name}")


# ── moving to another site ──


@rule("move.may-go", t.MoveNumber)
def may_go(task: t.MoveNumber, estate: Estate) -> Finding:
    """What somebody has goes where they are; what is on its way somewhere stays until it is
    there."""
    number, site = estate.number(task.e164 or ""), estate.the(Site, task.site)
    if number.site == site.id:
        return passed(f"{number.shown} is a number of {site.name} already; nothing happens")
    if number.leaving_on:
        return stop(f"{number.shown} is on its way back to its carrier; it can't be moved now.")
    if (
        number.state in {State.ON_ORDER, State.PORTING_IN, State.PORTING_OUT}
        or number.state in ENDED
    ):
        return stop(f"{number.shown} is {number.state}; it can't be moved now.")
    holder = estate.holder(number.holder) if number.holder else None
    if isinstance(holder, Site):
        return stop(
            f"{number.shown} is the {number.assignment.role if number.assignment else ''} number of"
            f" {holder.name}. Unassign it first."
        )
    if holder and number.holder and estate.site_of(number.holder).id != site.id:
        there = estate.site_of(number.holder).name
        return warn(
            f"{holder.name}, who has it, is at {there}. Move them too, or take the number back"
            " first."
        )
    return passed(f"{number.shown} can be moved to {site.name}")


@rule("move.who-pays", t.MoveNumber)
def who_pays(task: t.MoveNumber, estate: Estate) -> Finding:
    """The account it is paid on stays; the site it is counted at changes."""
    number, site = estate.number(task.e164 or ""), estate.the(Site, task.site)
    account = estate.get(Account, number.account)
    if account and site.account and site.account != account.id:
        return warn(
            f"It is still paid on {account.name}, which is not the account of {site.name}; its cost"
            " counts there from now on."
        )
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
            f"{number.shown} is {estate.holder(number.holder).name}'s by now, not"
            f" {estate.holder(task.holder).name}'s. Take this task out."
        )
    return passed(f"{number.shown} is in use and can be unassigned")


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
    return warn(
        "Ending the rest early means callers of the last holder may reach the next one. Reason"
        f" given: {task.reason}."
    )


@rule("life.can-be-released", t.ReleaseNumber)
def can_be_released(task: t.ReleaseNumber, estate: Estate) -> Finding:
    """What goes back to its carrier is lost for good."""
    number = estate.number(task.e164 or "")
    if number.state is State.ASSIGNED:
        back = add_before("Unassign it first", t.UnassignNumber(number=number.e164))
        return stop(f"{number.shown} is in use; unassign it first.", back)
    if number.state not in {State.AVAILABLE, State.RESERVED, State.AGING, State.ADMINISTRATIVE}:
        return stop(f"{number.shown} is {number.state}; it can't be released.")
    if number.leaving_on:
        return stop(f"{number.shown} is being released already.")
    return warn(
        f"{number.shown} goes back to {estate.carrier_of(number).name} for good; it can't be"
        " undone. Until a month after, it can still be ported."
    )


# ── safety, paths, trunks ──


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
        return stop(
            "A test call out is placed from a person's phone; this number is not a person's."
        )
    return passed(f"A test call {task.direction} can be placed")


@rule("undo.as-left", t.PutBack)
def as_left(task: t.PutBack, estate: Estate) -> Finding:
    """An undo must not undo what somebody else has done since."""
    task.apply(estate)  # raises ChangedMeanwhile, NotAllowedNow with their own sentences
    return passed(f"Nothing of “{task.of}” has changed since")

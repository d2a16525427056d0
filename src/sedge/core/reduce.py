"""The one reducer: what a task changes in an estate.

Used by checks, previews, the runner, undo and the demo's seeding alike. `core.reducing` has what the reducers share.
"""

from datetime import timedelta
from typing import Any

from sedge.core.errors import ChangedMeanwhile, NotAllowedNow
from sedge.core.estate import Change, Estate
from sedge.core.facts import Fact, canonical
from sedge.core.licences.reducers import granted, taken_back
from sedge.core.numbers.life import Event, State, next_state
from sedge.core.policy import POLICY
from sedge.core.porting.outgoing import refused
from sedge.core.porting.reducers import answered
from sedge.core.records import (
    ORGANISATION,
    RECORD_TYPES,
    Account,
    Answering,
    Assignment,
    CallerId,
    Defaults,
    Device,
    Grant,
    Group,
    HolderKind,
    HolderRef,
    Number,
    PathVersion,
    Person,
    Site,
    Spot,
    Subject,
    Subscription,
)
from sedge.core.reducing import REDUCERS, changed, number_changed, number_in, reduces, step
from sedge.core.retiring.quarantine import rest_of
from sedge.core.safety.effective_spot import effective_spot, misplaced, own_spot, spot_when_given
from sedge.core.supply.reducers import charge, refund, settle_lines
from sedge.core.workorders import tasks as t

PERSONS_FACTS = ("name", "email", "site", "department", "job", "extension", "manager", "known_elsewhere_as", "left")
__all__ = ["answered", "apply", "changed", "charge", "granted", "refund", "refused", "settle_lines", "taken_back"]


def apply(task: Any, estate: Estate, identity: str = "new") -> list[Change]:
    """The changes `task` makes. `identity` is the task's own id, from which ids of new records follow.

    Raises NotFound, NotAllowedNow. The estate is left as it was; see `Estate.absorb`.
    """
    return REDUCERS[type(task)](task, estate, identity)


# ── a number's life ──


@reduces(t.AssignNumber)
def _assign(task: t.AssignNumber, estate: Estate, _identity: str) -> list[Change]:
    number = estate.number(number_in(task))
    spot = spot_when_given(number, task.holder, task.spot, estate)
    works_from = max([estate.now, *(g.works_from for g in estate.grants_of(task.holder))])
    assignment = Assignment(holder=task.holder, role=task.role, since=estate.now, works_from=works_from)
    site = estate.site_of(task.holder)
    if number.site != site.id:
        here = estate.the(Site, number.site).name
        raise NotAllowedNow(
            f"{number.shown} belongs to {here}, and {estate.holder(task.holder).name} is at {site.name}. Move the number there first.",
            reason="other-site", site=site.id,
        )  # fmt: skip
    return number_changed(number, "number.assigned", **step(number, Event.ASSIGN), assignment=assignment, spot=spot.id if spot else None)


@reduces(t.MoveNumber)
def _move(task: t.MoveNumber, estate: Estate, _identity: str) -> list[Change]:
    """To another site; a spot at the old one does not go along."""
    number, site = estate.number(number_in(task)), estate.the(Site, task.site)
    if number.site == site.id:
        return []
    spot = effective_spot(number, estate)
    kept = spot.id if spot and not misplaced(spot, number.holder, site.id, estate) else None
    return number_changed(number, "number.moved-site", site=site.id, spot=kept)


@reduces(t.UnassignNumber)
def _unassign(task: t.UnassignNumber, estate: Estate, _identity: str) -> list[Change]:
    number = estate.number(number_in(task))
    rest = rest_of(number, estate) if task.rest is None else task.rest
    to = State.AGING if rest else State.AVAILABLE
    until = estate.now + timedelta(days=rest) if rest else None
    name = estate.holder(number.holder).name if number.holder else ""
    last = {"held_before": name, "held_until": estate.now} if name else {}
    values = step(number, Event.UNASSIGN, to, state_until=until, announcement=task.announcement if rest else "", **last)
    return number_changed(number, "number.unassigned", **values, assignment=None, path=None, label="")


@reduces(t.ReserveNumber)
def _reserve(task: t.ReserveNumber, estate: Estate, _identity: str) -> list[Change]:
    number = estate.number(number_in(task))
    until = task.until or estate.now + timedelta(days=POLICY.reserved_days)
    values = step(number, Event.RESERVE, state_until=until, state_reason=task.reason, reserved_for=task.holder)
    return number_changed(number, "number.reserved", **values)


@reduces(t.UnreserveNumber)
def _unreserve(task: t.UnreserveNumber, estate: Estate, _identity: str) -> list[Change]:
    number = estate.number(number_in(task))
    return number_changed(number, "number.unreserved", **step(number, Event.UNRESERVE))


@reduces(t.SetAside)
def _set_aside(task: t.SetAside, estate: Estate, _identity: str) -> list[Change]:
    number = estate.number(number_in(task))
    return number_changed(number, "number.set-aside", **step(number, Event.SET_ASIDE, state_reason=task.reason))


@reduces(t.ReturnNumber)
def _return(task: t.ReturnNumber, estate: Estate, _identity: str) -> list[Change]:
    number = estate.number(number_in(task))
    return number_changed(number, "number.returned", **step(number, Event.RETURN))


@reduces(t.EndRest)
def _end_rest(task: t.EndRest, estate: Estate, _identity: str) -> list[Change]:
    number = estate.number(number_in(task))
    return number_changed(number, "number.rest-ended", **step(number, Event.END_REST, state_reason=""))


def rest_over(number: Number) -> list[Change]:
    """The rest has run its time."""
    return number_changed(number, "number.rest-ended", **step(number, Event.END_REST))


def reservation_lapsed(number: Number) -> list[Change]:
    return number_changed(number, "number.unreserved", **step(number, Event.LAPSE))


@reduces(t.AdoptNumber)
def _adopt(task: t.AdoptNumber, estate: Estate, identity: str) -> list[Change]:
    account = estate.the(Account, task.account)
    state = next_state(None, Event.ADOPT, State(task.state))
    existing = estate.get(Number, task.number)
    if existing and existing.state not in {State.RELEASED, State.PORTED_OUT, State.CLOSED}:
        raise NotAllowedNow(f"{existing.shown} is in the estate already, {existing.state}.", reason="exists", field="number")
    assignment = None
    if state is State.ASSIGNED:
        if task.holder is None:
            raise NotAllowedNow("An assigned number needs its holder.", reason="no-holder", field="holder")
        assignment = Assignment(holder=task.holder, role=task.role, since=estate.now, works_from=estate.now)
    number = Number(
        id=f"{identity}-{task.number[1:]}",
        e164=task.number,
        capacity=task.capacity,
        state=state,
        state_until=task.until,
        state_reason=task.reason,
        account=account.id,
        carrier=account.carrier,
        site=task.site,
        assignment=assignment,
        reserved_for=task.holder if state is State.RESERVED else None,
        spot=task.spot or (own_spot(task.holder, estate) if task.holder else None),
        path=task.path,
        trunk=task.trunk,
        label=task.label,
        monthly=task.monthly,
    )
    return [changed(Subject.NUMBER, None, number, "number.adopted")]


@reduces(t.ReleaseNumber)
def _release(task: t.ReleaseNumber, estate: Estate, _identity: str) -> list[Change]:
    """Agree the release; the number is `released` when the carrier has carried it out (see `release_done`)."""
    number = estate.number(number_in(task))
    next_state(number.state, Event.RELEASE)
    return number_changed(number, "number.release-agreed", leaving_on=estate.now)


def release_done(number: Number) -> list[Change]:
    return number_changed(number, "number.released", **step(number, Event.RELEASE), leaving_on=None, trunk=None, path=None)


# ── safety, paths, trunks, labels ──


@reduces(t.SetSpot)
def _set_spot(task: t.SetSpot, estate: Estate, _identity: str) -> list[Change]:
    spot = estate.the(Spot, task.spot)
    if task.person:
        person = estate.the(Person, task.person)
        ref = HolderRef(kind=HolderKind.PERSON, id=person.id)
        follow = [n for n in estate.numbers_of(ref) if n.spot == person.spot or _is_elsewhere(n.spot, person.site, estate)]
        moved = [changed(Subject.NUMBER, n, n.but(spot=spot.id), "number.spot-set") for n in follow]
        return [changed(Subject.PERSON, person, person.but(spot=spot.id), "person.spot-set"), *moved]
    number = estate.number(number_in(task))
    return number_changed(number, "number.spot-set", spot=spot.id)


def _is_elsewhere(spot: str | None, site: str, estate: Estate) -> bool:
    """Whether a number's spot is at a site its holder has left."""
    found = estate.get(Spot, spot)
    return found is not None and found.site != site


@reduces(t.RegisterAddress)
def _register(task: t.RegisterAddress, estate: Estate, _identity: str) -> list[Change]:
    number = estate.number(number_in(task))
    if number.spot is None:
        raise NotAllowedNow(f"{number.shown} has no spot to register. Set its spot first.", reason="no-spot")
    return number_changed(number, "number.address-registered", registered_spot=number.spot)


@reduces(t.TellPlace)
def _tell_place(task: t.TellPlace, estate: Estate, _identity: str) -> list[Change]:
    """What the carrier has registered follows; where it keeps nothing, nothing changes here."""
    number = estate.number(number_in(task))
    if number.spot is None or not estate.carrier_of(number).registers_addresses:
        return []
    return number_changed(number, "number.address-registered", registered_spot=number.spot)


@reduces(t.SetPath)
def _set_path(task: t.SetPath, estate: Estate, _identity: str) -> list[Change]:
    number = estate.number(number_in(task))
    return number_changed(number, "number.path-set", path=estate.the(PathVersion, task.path).id)


@reduces(t.PublishPath)
def _publish(task: t.PublishPath, estate: Estate, _identity: str) -> list[Change]:
    before = estate.get(PathVersion, task.path)
    number = before.number + 1 if before else 1
    version = before.version if before else 0
    path = PathVersion(
        id=task.path, name=task.name, number=number, body=task.body.model_dump(mode="json"), in_force_from=estate.now, version=version
    )
    return [changed(Subject.PATH, before, path, "path.published")]


@reduces(t.SetAnswering)
def _set_answering(task: t.SetAnswering, estate: Estate, _identity: str) -> list[Change]:
    person = estate.the(Person, task.holder.id)
    after = person.but(answering=task.answering, ring_seconds=task.ring_seconds)
    return [changed(Subject.PERSON, person, after, "person.answering-set")]


@reduces(t.SetFallback)
def _set_fallback(task: t.SetFallback, estate: Estate, _identity: str) -> list[Change]:
    number = estate.number(number_in(task))
    return number_changed(number, "number.fallback-set", fallback=task.to)


@reduces(t.SetCallerId)
def _set_caller_id(task: t.SetCallerId, estate: Estate, _identity: str) -> list[Change]:
    said = CallerId(shows=task.shows, number=task.caller_id)
    if task.holder is None:
        before = estate.get(Defaults, ORGANISATION)
        after = (before or Defaults(id=ORGANISATION)).but(caller_id=said)
        return [changed(Subject.DEFAULTS, before, after, "organisation.caller-id-set")]
    if task.holder.kind is HolderKind.SITE:
        site = estate.the(Site, task.holder.id)
        return [changed(Subject.SITE, site, site.but(caller_id=said), "site.caller-id-set")]
    person = estate.the(Person, task.holder.id)
    return [changed(Subject.PERSON, person, person.but(caller_id=said), "person.caller-id-set")]


@reduces(t.SetCallingRights)
def _set_rights(task: t.SetCallingRights, estate: Estate, _identity: str) -> list[Change]:
    person = estate.the(Person, task.holder.id)
    return [changed(Subject.PERSON, person, person.but(rights=task.rights), "person.rights-set")]


@reduces(t.ListOnTrunk)
def _list(task: t.ListOnTrunk, estate: Estate, _identity: str) -> list[Change]:
    number = estate.number(number_in(task))
    return number_changed(number, "trunk.listed", trunk=task.trunk)


@reduces(t.UnlistFromTrunk)
def _unlist(task: t.UnlistFromTrunk, estate: Estate, _identity: str) -> list[Change]:
    number = estate.number(number_in(task))
    return number_changed(number, "trunk.unlisted", trunk=None)


@reduces(t.AddPerson)
def _add_person(task: t.AddPerson, estate: Estate, _identity: str) -> list[Change]:
    """Somebody new; their phones are set up one by one."""
    if estate.get(Person, task.id):
        return []
    site = estate.the(Site, task.site)
    person = Person(
        id=task.id, name=task.name, email=task.email, site=site.id, department=task.department, extension=task.extension, spot=task.spot, job=task.job,
        known_elsewhere_as=task.known_elsewhere_as,
    )  # fmt: skip
    return [changed(Subject.PERSON, None, person, "person.added")]


@reduces(t.ChangePerson)
def _change_person(task: t.ChangePerson, estate: Estate, _identity: str) -> list[Change]:
    """Who leaves a site leaves its spot: theirs there is no longer true. Who leaves altogether keeps no phone, right, extension or caller ID."""
    person = estate.the(Person, task.person)
    given = {name: getattr(task, name) for name in PERSONS_FACTS if getattr(task, name) is not None}
    if task.site and task.site != person.site:
        estate.the(Site, task.site)
        given["spot"] = None
    after = person.but(**given)
    if same(after, person):
        return []
    if not after.left or person.left:
        return [changed(Subject.PERSON, person, after, "person.changed")]
    after = after.but(extension="", spot=None, rights=(), caller_id=CallerId(), answering=Answering())
    phones = [
        changed(Subject.DEVICE, d, d.but(removed=True, registered=False, said=""), "device.removed") for d in estate.devices_of(person.id)
    ]
    return [changed(Subject.PERSON, person, after, "person.left"), *phones]


@reduces(t.SetGroup)
def _set_group(task: t.SetGroup, estate: Estate, _identity: str) -> list[Change]:
    before = estate.get(Group, task.group)
    values = {"name": task.name, "members": tuple(dict.fromkeys(task.members)), "known_elsewhere_as": task.known_elsewhere_as}
    if before is None:
        return [changed(Subject.GROUP, None, Group(id=task.group, **values), "group.added")]
    after = before.but(**values, removed=task.removed)
    if same(after, before):
        return []
    return [changed(Subject.GROUP, before, after, "group.removed" if task.removed else "group.changed")]


@reduces(t.PutBackLater)
def _put_back_later(_task: t.PutBackLater, _estate: Estate, _identity: str) -> list[Change]:
    """Nothing now: a work order of its own does it when the moment has come."""
    return []


@reduces(t.LabelNumbers)
def _label(task: t.LabelNumbers, estate: Estate, _identity: str) -> list[Change]:
    plain = {"label": task.label, "note": task.note, "cost_centre": task.cost_centre}
    given = {name: value for name, value in plain.items() if value is not None}
    changes: list[Change] = []
    for e164 in task.numbers:
        number = estate.number(e164)
        tags = set(number.tags if task.tags is None else task.tags) - set(task.drop_tags) | set(task.add_tags)
        values = {**given, "tags": tuple(sorted(tags))}
        if any(getattr(number, name) != value for name, value in values.items()):
            changes += number_changed(number, "number.labelled", **values)
    return changes


@reduces(t.PlaceTestCall)
def _test_call(_task: t.PlaceTestCall, _estate: Estate, _identity: str) -> list[Change]:
    """A test call changes nothing by itself; its proof is recorded when the stand-in has answered."""
    return []


@reduces(t.ImportNumbers)
def _import(_task: t.ImportNumbers, _estate: Estate, _identity: str) -> list[Change]:
    """A file's numbers come in by thousands, past the reducer (`desk.number_files`); checks can't look at each."""
    return []


# ── undo ──


@reduces(t.PutBack)
def _put_back(task: t.PutBack, estate: Estate, _identity: str) -> list[Change]:
    """Every record as it was, each guarded by *still as I left it*. Raises ChangedMeanwhile naming what moved."""
    changes: list[Change] = []
    for snapshot in reversed(task.snapshots):
        changes += _restored(snapshot, estate)
    return changes


def _restored(snapshot: t.Snapshot, estate: Estate) -> list[Change]:
    record_type = RECORD_TYPES[snapshot.subject]
    now = estate.the(record_type, snapshot.id)
    after = record_type.model_validate(snapshot.after)
    before = record_type.model_validate(snapshot.before) if snapshot.before else None
    if isinstance(now, Subscription) and isinstance(after, Subscription) and isinstance(before, Subscription):
        return _seats_restored(now, before, after)
    if isinstance(now, Number) and isinstance(after, Number) and isinstance(before, Number):
        # what the carrier has registered is a fact of the outside, which no undo takes back
        after, before = after.but(registered_spot=now.registered_spot), before.but(registered_spot=now.registered_spot)
    if not same(now, after) and not (isinstance(now, Subscription) and before is None):
        name = getattr(now, "national", None) or getattr(now, "name", snapshot.id)
        raise ChangedMeanwhile(f"{name} has been changed since, so it stays as it is now.", subject=snapshot.subject, id=snapshot.id)
    if before is None:
        if isinstance(now, Grant):
            return [changed(Subject.GRANT, now, now.but(until=estate.now), "grant.ended")]
        if isinstance(now, Subscription) and isinstance(after, Subscription):
            return _seats_restored(now, after.but(seats=0, used=0, leaving=0), after)
        if isinstance(now, Group):
            return [changed(Subject.GROUP, now, now.but(removed=True), "group.removed")]
        if isinstance(now, Number):
            gone = step(now, Event.RESTORE, State.CLOSED, state_reason="its take-over was undone", assignment=None, path=None, trunk=None)
            return number_changed(now, "number.restored", **gone)
        if isinstance(now, Person):
            return [changed(Subject.PERSON, now, now.but(left=True), "person.changed")]
        raise NotAllowedNow("This came into being by the task and cannot be taken back.", reason="not-reversible")
    if isinstance(now, PathVersion) and isinstance(before, PathVersion):
        before = before.but(
            number=now.number + 1, in_force_from=estate.now
        )  # versions are never rewritten; the old one comes back as a new one
    if isinstance(now, Device) and isinstance(before, Device):
        before = before.but(registered=False, said="secret")  # it has to sign in again before it rings
    action = "number.restored" if isinstance(now, Number) else "record.restored"
    return [changed(snapshot.subject, now, before.but(version=now.version), action)]  # type: ignore[arg-type]


def _seats_restored(now: Subscription, before: Subscription, after: Subscription) -> list[Change]:
    """By how much a task moved them, so that what others bought and granted since stays. Raises NotAllowedNow below the grants."""
    moved = {name: getattr(now, name) + getattr(before, name) - getattr(after, name) for name in ("seats", "used", "leaving")}
    if all(getattr(now, name) == value for name, value in moved.items()):
        return []
    if moved["used"] > moved["seats"]:
        raise NotAllowedNow("The seats bought then are granted by now, so they stay. Take grants back first.", reason="no-seat")
    return [changed(Subject.SUBSCRIPTION, now, now.but(**moved), "record.restored")]


def same(one: Fact, other: Fact) -> bool:
    """Equal in everything but the version."""
    return canonical(one.but(version=0)) == canonical(other.but(version=0))

"""What the telephone system is told about numbers: derived from changes, in one place, always the
whole wish."""

from collections.abc import Iterable
from contextlib import suppress
from typing import Any

from sedge.core.callpaths.steps import groups_named, with_people
from sedge.core.callpaths.tracing.trace import path_of
from sedge.core.errors import OutsideTrouble
from sedge.core.estate import Change, Estate
from sedge.core.numbers.e164 import describe
from sedge.core.numbers.life import ENDED
from sedge.core.outbound.dialling.dialplan import plan_of
from sedge.core.records import (
    BASIC_RIGHTS,
    Address,
    Answering,
    CallerId,
    Defaults,
    Device,
    Downstream,
    Grant,
    Group,
    HolderKind,
    HolderRef,
    Number,
    PathVersion,
    Person,
    Product,
    ServiceLine,
    Site,
    Trunk,
)
from sedge.core.safety.effective_spot import effective_spot
from sedge.core.safety.emergency import help_trunks, help_trunks_of_site
from sedge.core.trunks.records import Sbc, TrunkState
from sedge.core.trunks.sbcs import in_turn
from sedge.outside.telephony import Telephony


def routing_of(number: Number, estate: Estate) -> dict[str, Any]:
    """Holder, trunk, path and the moment from which it works."""
    assignment = number.assignment
    return {
        "holder": assignment.holder.id if assignment else None,
        "holder_kind": assignment.holder.kind.value if assignment else None,
        "answering": answering(number, estate),
        "rests": bool(number.announcement),
        "works_from": assignment.works_from.isoformat() if assignment else None,
        "home": _home(number, estate),
        "trunk": number.trunk,
        "path_id": number.path or "",
        "path": plain_body(path_of(number, estate).model_dump(mode="json"), estate),
        "fallback": number.fallback,
        "calls_out": _calls_out(number, estate),
        **_names(number, estate),
        **_help(number, estate),
    }


def _home(number: Number, estate: Estate) -> str:
    """The site whose rules hold for calls out of a person's number."""
    person = (
        estate.get(Person, number.holder.id)
        if number.holder and number.holder.kind is HolderKind.PERSON
        else None
    )
    return person.site if person else number.site


def plain_body(body: dict[str, object], estate: Estate) -> dict[str, object]:
    """A path as the telephone system takes it: groups by their members, without what only people
    look at."""
    return {
        key: value for key, value in with_people(body, _members(estate)).items() if key != "tests"
    }


def _calls_out(number: Number, estate: Estate) -> dict[str, object]:
    """What the holder may call, and the licences of which one is needed for it."""
    ref = number.holder
    if ref is None:
        return {}
    if ref.kind is HolderKind.PERSON:
        return {
            "rights": [right.value for right in estate.the(Person, ref.id).rights],
            "any_of": [],
        }
    asked = estate.carrier_of(number).asks_of.get(ref.kind, ())
    allows = [
        key for key in asked if (product := estate.get(Product, key)) and "calls" in product.allows
    ]
    holder = estate.holder(ref)
    rights = holder.rights if isinstance(holder, ServiceLine | Site) else BASIC_RIGHTS
    return {"rights": [right.value for right in rights], "any_of": allows}


def _names(number: Number, estate: Estate) -> dict[str, object]:
    """What things outside are called on a phone, and whose extensions can be dialled in a menu of
    the path."""
    body = path_of(number, estate).model_dump(mode="json")
    steps = body["steps"].values()
    outside = {
        key
        for step in steps
        for key in (*step.get("mobiles", ()), *((step["to"],) if step.get("to") else ()))
    }
    names = {key: describe(key).shown for key in outside}
    names |= {s.id: s.name for s in estate.all(Downstream)}
    if not any(step.get("extensions") for step in steps):
        return {"names": names}
    extensions = {
        p.extension: p.id
        for p in estate.all(Person)
        if p.extension and p.site == number.site and not p.left
    }
    return {"names": names, "extensions": extensions}


def rules_of(person: Person, estate: Estate) -> dict[str, object]:
    """A person's answering rules as the telephone system takes them."""
    rules = person.answering
    site = estate.get(Site, person.site)
    return {
        "openings": [o.model_dump(mode="json") for o in rules.openings],
        "timezone": site.timezone if site else "UTC",
        "devices": list(rules.devices),
        "mobile": rules.mobile,
        "seconds_each": rules.seconds_each,
        "mobile_shown": describe(rules.mobile).shown if rules.mobile else "",
        "left": person.left,
    }


def _help(number: Number, estate: Estate) -> dict[str, object]:
    """What goes along with a call for help, where the carrier keeps no address, who at the site is
    told, and over which trunks it may go."""
    spot, site = effective_spot(number, estate), estate.get(Site, number.site)
    address = estate.get(Address, spot.address) if spot else None
    parts = (
        (
            f"{address.elements.street} {address.elements.house_number}, {address.elements.city}",
            spot.floor,
            spot.room,
        )
        if spot and address
        else ()
    )
    over = [trunk.id for trunk in help_trunks(number, site, estate)] if site else []
    return {
        "place": "; ".join(x for x in parts if x),
        "told": site.security_desk if site else "",
        "help_over": over,
        "help_from": number.site,
    }


def answering(number: Number, estate: Estate) -> list[str]:
    """Who is rung where a step names nobody: the holder, or a service line's own people."""
    holder = estate.holder(number.holder) if number.holder else None
    match holder:
        case Person():
            return [holder.id]
        case ServiceLine():
            members = (m for key in holder.groups for m in _members(estate).get(key, ()))
            return list(dict.fromkeys((*(holder.members or holder.recipients), *members)))
        case _:
            return []


def _members(estate: Estate) -> dict[str, tuple[str, ...]]:
    return {g.id: g.members for g in estate.all(Group) if not g.removed}


def tell_telephony(  # noqa: C901  one branch per kind of record
    telephony: Telephony, changes: Iterable[Change], after: Estate
) -> None:
    """Tell the telephone system of every number and grant that changes. Repeating it does no
    harm."""
    for change in changes:
        match change.after:
            case Number() as number if _matters(change.before, number):
                if _is_routed(number, after):
                    telephony.put_number(number.e164, routing_of(number, after))
                else:
                    telephony.remove_number(number.e164)
            case Trunk() as trunk:
                if _is_used_otherwise(change.before, trunk):
                    telephony.use_trunk(trunk.id, carries=trunk.state is TrunkState.IN_SERVICE)
                if way_of(trunk, after) != _way_before(change.before, after):
                    telephony.put_trunk(trunk.id, way_of(trunk, after))
                _tell_ways_for_help(telephony, change.before, trunk, after)
            case Sbc() as sbc:
                for trunk in _ending_at(sbc, change.before, after):
                    telephony.put_trunk(trunk.id, way_of(trunk, after))
            case Grant() as grant:
                if grant.until is None:
                    telephony.put_licence(grant.holder.id, grant.product, grant.works_from)
                else:
                    telephony.remove_licence(grant.holder.id, grant.product)
            case Device() as device if change.before is None:
                telephony.set_up({device.id: device_wish(device)}, {})
            case Device(removed=True) as device if not change.before.removed:
                telephony.remove_device(device.id)
            case Device() as device if change.before.removed and not device.removed:
                telephony.set_up({device.id: {**device_wish(device), "registered": False}}, {})
            case Site() | Defaults() as above:
                if _shows_otherwise(change.before, above):
                    telephony.put_caller_id(above.id, above.caller_id.model_dump())
                if isinstance(above, Site):
                    _tell_rights(telephony, change.before, above, HolderKind.SITE, after)
                _tell_ways_out(telephony, change.before, above)
            case ServiceLine() as line:
                _tell_rights(telephony, change.before, line, HolderKind.SERVICE_LINE, after)
            case Person() as person if _answers_otherwise(change.before, person):
                if _shows_otherwise(change.before, person):
                    telephony.put_caller_id(person.id, person.caller_id.model_dump())
                telephony.put_person(person.id, rules_of(person, after))
                for number in after.numbers_of(HolderRef(kind=HolderKind.PERSON, id=person.id)):
                    if number.in_use:
                        telephony.put_number(number.e164, routing_of(number, after))
            case Group() as group:
                for path in after.all(PathVersion):
                    if group.id in groups_named(path.body):
                        telephony.put_path(path.id, plain_body(path.body, after))
                for number in after.all(Number):
                    if number.in_use and _rings(number, group, after):
                        telephony.put_number(number.e164, routing_of(number, after))
            case PathVersion(retired=True) as path:
                telephony.remove_path(path.id)
            case PathVersion() as path:
                telephony.put_path(path.id, plain_body(path.body, after))
                for number in after.all(Number):
                    if number.path == path.id and number.in_use:
                        telephony.put_number(number.e164, routing_of(number, after))


def _tell_ways_out(telephony: Telephony, before: object, now: Site | Defaults) -> None:
    """A site's dial plan, and the outbound routes, where they are otherwise than before."""
    if isinstance(now, Defaults):
        if now.routes != (before.routes if isinstance(before, Defaults) else ()):
            telephony.put_routes([route.model_dump(mode="json") for route in now.routes])
    elif not isinstance(before, Site) or dial_plan_of(before) != dial_plan_of(now):
        telephony.put_dial_plan(now.id, dial_plan_of(now))


def _tell_ways_for_help(telephony: Telephony, before: object, now: Trunk, estate: Estate) -> None:
    """Over which trunks each site's emergency calls go, where a trunk is new among them or gone."""
    if isinstance(before, Trunk) and _takes_help_of(before) == _takes_help_of(now):
        return
    was = estate.fork()
    was.put(before if isinstance(before, Trunk) else now.copy_with(emergency=False))
    for site in estate.all(Site):
        ways = [trunk.id for trunk in help_trunks_of_site(site, estate)]
        if ways != [trunk.id for trunk in help_trunks_of_site(site, was)]:
            telephony.put_ways_for_help(site.id, ways)


def _takes_help_of(trunk: Trunk) -> tuple[object, ...]:
    return trunk.emergency, trunk.site, trunk.serves


def offer_dial_plan(telephony: Telephony, site: Site) -> None:
    """Of a site that has come to be, or is set up otherwise, without a work order. Where the
    telephone system does not answer, the next change of the plan tells it."""
    with suppress(OutsideTrouble):
        telephony.put_dial_plan(site.id, dial_plan_of(site))


def dial_plan_of(site: Site) -> dict[str, object]:
    """All rules of a site in their order: emergency numbers, its own, its country's."""
    rules = [
        {
            "pattern": rule.pattern,
            "leads_to": rule.kind.value,
            "strip": rule.strip,
            "before": rule.before,
            "right": rule.right.value,
        }
        for rule in plan_of(site)
    ]
    return {"country": site.country, "rules": rules}


def way_of(trunk: Trunk, estate: Estate) -> dict[str, object]:
    """How calls leave over a trunk, as the telephone system takes it; nothing where nobody has said
    how it is set up."""
    if trunk.settings is None:
        return {}
    told = trunk.settings.model_dump(
        mode="json", include={"port", "transport", "outbound_proxy", "sends", "last_digits"}
    )
    rules = [rule.model_dump(exclude={"name"}) for rule in trunk.settings.send_rules]
    own = estate.get(Sbc, trunk.sbc) if trunk.sbc else None
    over = in_turn(own, estate.all(Sbc)) if own else []
    return told | {
        "host": trunk.host,
        "rules": rules,
        "over": [
            {
                "host": sbc.host,
                "port": sbc.port,
                "transport": sbc.transport.value,
                "order": sbc.order,
                "weight": sbc.weight,
            }
            for sbc in over
            if not sbc.retired
        ],
    }


def _way_before(before: object, estate: Estate) -> dict[str, object]:
    return way_of(before, estate) if isinstance(before, Trunk) else {}


def _ending_at(sbc: Sbc, before: object, estate: Estate) -> list[Trunk]:
    """The trunks whose calls go over an SBC or over one that it stands in for, or did so before."""
    groups = {sbc.group, before.group if isinstance(before, Sbc) else ""} - {""}
    along = {sbc.id, *(x.id for x in estate.all(Sbc) if x.group in groups)}
    return [trunk for trunk in estate.all(Trunk) if trunk.sbc in along]


def _is_used_otherwise(before: object, after: Trunk) -> bool:
    return isinstance(before, Trunk) and before.state is not after.state


def _tell_rights(
    telephony: Telephony,
    before: object,
    now: Site | ServiceLine,
    kind: HolderKind,
    estate: Estate,
) -> None:
    """The numbers of a line or a site, where it may call otherwise than before."""
    if not isinstance(before, Site | ServiceLine) or before.rights == now.rights:
        return
    for number in estate.numbers_of(HolderRef(kind=kind, id=now.id)):
        if number.in_use:
            telephony.put_number(number.e164, routing_of(number, estate))


def _shows_otherwise(before: object, after: Person | Site | Defaults) -> bool:
    return after.caller_id != (before.caller_id if isinstance(before, type(after)) else CallerId())


def _answers_otherwise(before: object, after: Person) -> bool:
    if not isinstance(before, Person):
        return after.answering != Answering() or after.caller_id != CallerId()
    return any(
        getattr(before, name) != getattr(after, name)
        for name in ("answering", "caller_id", "ring_seconds", "rights", "left", "site")
    )


def _rings(number: Number, group: Group, estate: Estate) -> bool:
    path = estate.get(PathVersion, number.path)
    line = estate.get(ServiceLine, number.holder.id) if number.holder else None
    return (path is not None and group.id in groups_named(path.body)) or (
        line is not None and group.id in line.groups
    )


def _is_routed(number: Number, estate: Estate) -> bool:
    """In use, or arriving over a connection, so that a test call can show whether it does."""
    trunk = estate.get(Trunk, number.trunk)
    return (
        number.in_use
        or bool(number.announcement)
        or (number.state not in ENDED and trunk is not None and trunk.connection is not None)
    )


def _matters(before: Number | None, after: Number) -> bool:
    if before is None:
        return after.in_use or after.trunk is not None
    watched = ("assignment", "path", "trunk", "spot", "fallback", "announcement")
    return any(getattr(before, name) != getattr(after, name) for name in watched)


def device_wish(device: Device) -> dict[str, object]:
    return {
        "person": device.person,
        "kind": device.kind,
        "name": device.name,
        "registered": device.registered,
    }

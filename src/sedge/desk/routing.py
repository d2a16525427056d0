"""What the telephone system is told about numbers: derived from changes, in one place, always the whole wish."""

from collections.abc import Iterable
from typing import Any

from sedge.core.estate import Change, Estate
from sedge.core.numbers.life import ENDED, State
from sedge.core.paths.steps import groups_named, with_people
from sedge.core.paths.trace import path_of
from sedge.core.records import Address, Device, Grant, Group, Number, PathVersion, Person, ServiceLine, Site, Spot, Trunk
from sedge.outside.telephony import Telephony


def routing_of(number: Number, estate: Estate) -> dict[str, Any]:
    """Holder, trunk, path and the moment from which it works."""
    assignment = number.assignment
    return {
        "holder": assignment.holder.id if assignment else None,
        "holder_kind": assignment.holder.kind.value if assignment else None,
        "answering": answering(number, estate),
        "works_from": assignment.works_from.isoformat() if assignment else None,
        "trunk": number.trunk,
        "path": with_people(path_of(number, estate).model_dump(mode="json"), _members(estate)),
        **_help(number, estate),
    }


def _help(number: Number, estate: Estate) -> dict[str, str]:
    """What goes along with a call for help, where the carrier keeps no address, and who at the site is told."""
    spot, site = estate.get(Spot, number.spot), estate.get(Site, number.site)
    address = estate.get(Address, spot.address) if spot else None
    parts = (
        (f"{address.elements.street} {address.elements.house_number}, {address.elements.city}", spot.floor, spot.room)
        if spot and address
        else ()
    )
    return {"place": "; ".join(x for x in parts if x), "told": site.security_desk if site else ""}


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


def tell_telephony(telephony: Telephony, changes: Iterable[Change], after: Estate) -> None:
    """Tell the telephone system of every number and grant that changes. Repeating it does no harm."""
    for change in changes:
        match change.after:
            case Number() as number if _matters(change.before, number):
                if _is_routed(number, after):
                    telephony.put_number(number.e164, routing_of(number, after))
                else:
                    telephony.remove_number(number.e164)
            case Grant() as grant:
                if grant.until is None:
                    telephony.put_licence(grant.holder.id, grant.product, grant.works_from)
                else:
                    telephony.remove_licence(grant.holder.id, grant.product)
            case Device() as device if change.before is None:
                telephony.set_up({device.id: device_wish(device)}, {})
            case Group() as group:
                for number in after.all(Number):
                    if number.state is State.ASSIGNED and _rings(number, group, after):
                        telephony.put_number(number.e164, routing_of(number, after))
            case PathVersion() as path:
                for number in after.all(Number):
                    if number.path == path.id and number.state is State.ASSIGNED:
                        telephony.put_number(number.e164, routing_of(number, after))


def _rings(number: Number, group: Group, estate: Estate) -> bool:
    path = estate.get(PathVersion, number.path)
    line = estate.get(ServiceLine, number.holder.id) if number.holder else None
    return (path is not None and group.id in groups_named(path.body)) or (line is not None and group.id in line.groups)


def _is_routed(number: Number, estate: Estate) -> bool:
    """In use, or arriving over a connection, so that a test call can show whether it does."""
    trunk = estate.get(Trunk, number.trunk)
    return number.state is State.ASSIGNED or (number.state not in ENDED and trunk is not None and trunk.connection is not None)


def _matters(before: Number | None, after: Number) -> bool:
    if before is None:
        return after.state is State.ASSIGNED or after.trunk is not None
    watched = ("assignment", "path", "trunk", "spot")
    return any(getattr(before, name) != getattr(after, name) for name in watched)


def device_wish(device: Device) -> dict[str, Any]:
    return {"person": device.person, "kind": device.kind, "name": device.name, "registered": device.registered}

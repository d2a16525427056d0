"""Which records a record refers to: what has to be loaded with it, so that rules and followed calls
find all they ask about."""

from collections.abc import Callable, Iterable, Iterator
from typing import TypeVar

from sedge.core.callpaths.steps import groups_named, named_by, paths_named, people_named
from sedge.core.enums import Subject
from sedge.core.facts import Fact
from sedge.core.holding import HolderRef
from sedge.core.numbers.life import State
from sedge.core.records import (
    RECORD_TYPES,
    Address,
    Defaults,
    Device,
    Downstream,
    Group,
    Number,
    Order,
    PathVersion,
    Person,
    Port,
    PortOut,
    ServiceLine,
    Site,
    Spot,
    Trunk,
)
from sedge.core.trunks.records import Sbc

R = TypeVar("R", bound=Fact)
Reference = tuple[type[Fact], str | None]
# what a step of a call path names itself, besides people, groups and paths
NAMED_BY_STEPS = frozenset({Subject.DEVICE, Subject.DOWNSTREAM})
_TABLE: dict[type[Fact], Callable[..., Iterable[Reference]]] = {}


def references(record: Fact) -> Iterator[tuple[type[Fact], str]]:
    """Type and id (of numbers E.164) of every record that this one refers to."""
    refer = _TABLE.get(type(record))
    for record_type, key in refer(record) if refer else ():
        if key:
            yield record_type, key


def refers(
    record_type: type[R],
) -> Callable[[Callable[[R], Iterator[Reference]]], Callable[[R], Iterator[Reference]]]:
    """Registers what records of a type refer to."""

    def register(refer: Callable[[R], Iterator[Reference]]) -> Callable[[R], Iterator[Reference]]:
        _TABLE[record_type] = refer
        return refer

    return register


def to_holder(ref: HolderRef | None) -> Iterator[Reference]:
    if ref:
        yield RECORD_TYPES[ref.subject], ref.id


@refers(Number)
def _of_number(number: Number) -> Iterator[Reference]:
    yield Site, number.site
    yield Spot, number.spot
    yield PathVersion, number.path
    yield from to_holder(number.holder)
    yield from to_holder(number.reserved_for)
    if number.state is State.ON_ORDER:
        yield Order, number.order


@refers(Person)
def _of_person(person: Person) -> Iterator[Reference]:
    yield Site, person.site
    yield Spot, person.spot
    yield Person, person.answering.cover
    yield from ((Person, key) for key in person.answering.pickup)
    yield Number, person.caller_id.number


@refers(ServiceLine)
def _of_service_line(line: ServiceLine) -> Iterator[Reference]:
    yield Site, line.site
    yield Spot, line.spot
    yield from ((Person, key) for key in (*line.members, *line.recipients))
    yield from ((Group, key) for key in line.groups)


@refers(Group)
def _of_group(group: Group) -> Iterator[Reference]:
    yield from ((Person, key) for key in group.members)


@refers(Site)
def _of_site(site: Site) -> Iterator[Reference]:
    yield Spot, site.spot
    yield Address, site.address
    yield Number, site.caller_id.number


@refers(Defaults)
def _of_defaults(defaults: Defaults) -> Iterator[Reference]:
    yield Number, defaults.caller_id.number


@refers(Spot)
def _of_spot(spot: Spot) -> Iterator[Reference]:
    yield Site, spot.site
    yield Address, spot.address


@refers(Device)
def _of_device(device: Device) -> Iterator[Reference]:
    yield Person, device.person


@refers(Downstream)
def _of_downstream(system: Downstream) -> Iterator[Reference]:
    yield Site, system.site
    yield Spot, system.spot


@refers(Trunk)
def _of_trunk(trunk: Trunk) -> Iterator[Reference]:
    yield Site, trunk.site


@refers(Sbc)
def _of_sbc(sbc: Sbc) -> Iterator[Reference]:
    yield Site, sbc.site


@refers(PathVersion)
def _of_path(path: PathVersion) -> Iterator[Reference]:
    yield from ((Person, key) for key in people_named(path.body))
    yield from ((Group, key) for key in groups_named(path.body))
    yield from ((PathVersion, key) for key in paths_named(path.body))
    for step in path.body["steps"].values():
        for subject, key in named_by(step):
            if subject in NAMED_BY_STEPS:
                yield RECORD_TYPES[subject], key


@refers(Port)
def _of_port(port: Port) -> Iterator[Reference]:
    yield Site, port.site
    for line in port.lines:
        yield Number, line.e164
        yield Spot, line.spot
        yield PathVersion, line.path
        yield from to_holder(line.holder)


@refers(PortOut)
def _of_port_out(port_out: PortOut) -> Iterator[Reference]:
    yield from ((Number, e164) for e164 in port_out.numbers)

"""What still depends on a number: found before it is taken out of use, not after, each with what
settles it.

The order is that of undoing: people and lines first, then what leads to the number, then what the
outside knows of it.
"""

from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass, field
from typing import Any

from sedge.core.estate import Estate
from sedge.core.facts import Money, counted
from sedge.core.records import (
    Defaults,
    Grant,
    HolderKind,
    HolderRef,
    Number,
    PathVersion,
    Person,
    Product,
    Role,
    Site,
    Trunk,
)
from sedge.core.safety.emergency import rings_people
from sedge.core.workorders import tasks as t
from sedge.core.workorders.task_base import Task

NOTED = (
    "published",
    "printed",
    "contact",
)  # tags that say where else a number stands: “published: website”
FOR_HELP = {
    "alarm phone",
    "lift phone",
}  # kinds of service line that are silent for years, and must be
MOST_NAMED = 3


@dataclass(frozen=True)
class Dependence:
    """`what` depends on the number, `so` is what happens to it, `tasks` settle it, `href` is where
    somebody looks at it. `grave`: calls or help would be lost, so it is to be settled first."""

    what: str
    so: str
    tasks: tuple[Any, ...] = ()
    href: str = ""
    grave: bool = False


@dataclass(frozen=True)
class Around:
    """What was found that names the number: call paths, numbers that fall back to it, people whose
    calls ring it along, whose calls out show it, open work orders (id, title), and how many at its
    site have no number of their own to be rung back on.
    """

    naming: Sequence[PathVersion] = ()
    falling_back: Sequence[Number] = ()
    ringing: Sequence[Person] = ()
    showing: Sequence[Person | Site | Defaults] = ()
    orders: Sequence[tuple[str, str]] = ()
    followers: int = 0
    without_own: int = 0
    more: dict[str, int] = field(default_factory=dict)


def dependences(number: Number, estate: Estate, around: Around) -> list[Dependence]:
    """Everything that depends on a number, in the order of undoing."""
    return [
        *_holder(number, estate),
        *_licences(number, estate),
        *_help(number, estate, around),
        *_paths(number, estate, around),
        *_others(number, around),
        *_shown(number, around),
        *_outside(number, estate),
        *_noted(number),
        *_orders(around),
    ]


def _holder(number: Number, estate: Estate) -> Iterator[Dependence]:
    if not number.assignment:
        return
    ref = number.assignment.holder
    holder = estate.holder(ref)
    others = [n for n in estate.numbers_of(ref) if n.e164 != number.e164]
    left = f"keeps {_some(n.shown for n in others)}" if others else "is left without any number"
    main = number.assignment.role is Role.MAIN and others
    yield Dependence(
        f"{holder.name}, {number.assignment.role} number",
        f"{left}{'; none of them is the main one' if main else ''}",
        href=_page(ref),
        grave=not others,
    )


def _licences(number: Number, estate: Estate) -> Iterator[Dependence]:
    """Seats that nothing needs any more once the holder's last number is gone."""
    ref = number.holder
    if ref is None or len(estate.numbers_of(ref)) != 1:
        return
    grants = idle_first(estate.grants_of(ref), estate)
    if grants:
        named = ", ".join(estate.the(Product, g.product).name for g in grants)
        back = tuple(t.RevokeLicence(holder=ref, product=g.product) for g in grants)
        yield Dependence(
            f"Licences of {estate.holder(ref).name}",
            f"{named} would stand idle; taking them back saves the seats",
            back,
        )


def idle_first(grants: Iterable[Grant], estate: Estate) -> list[Grant]:
    """Those that need another one go before it."""
    return sorted(grants, key=lambda g: -len(estate.the(Product, g.product).prerequisites))


def _help(number: Number, estate: Estate, around: Around) -> Iterator[Dependence]:
    if (
        number.holder
        and number.holder.kind is HolderKind.SITE
        and number.assignment
        and number.assignment.role is Role.MAIN
        and rings_people(number, estate)
    ):
        site = estate.the(Site, number.holder.id)
        who = (
            f"{around.without_own:,} of its people have no number of their own"
            if around.without_own
            else "everybody there has a number of their own"
        )
        yield Dependence(
            f"Emergency calls from {site.name}",
            f"are rung back on this number: {who}. Give the site another main number first",
            href=f"/holders/sites/{site.id}",
            grave=around.without_own > 0,
        )
    if number.in_use and number.registered_spot:
        yield Dependence(
            f"Emergency spot {number.registered_spot}",
            "its carrier forgets the address with the number; the spot stays for the others there",
        )
    elif number.in_use and number.spot:
        yield Dependence(f"Emergency spot {number.spot}", "stays for the others there")


def _paths(number: Number, estate: Estate, around: Around) -> Iterator[Dependence]:
    path = estate.get(PathVersion, number.path)
    if path:
        rest = (
            f"stays, with {counted(around.followers - 1, 'number')} left"
            if around.followers > 1
            else "is followed by no other number: nobody calls it any more"
        )
        yield Dependence(f"Call path {path.name}", rest, href=f"/paths/{path.id}")
    for naming in around.naming:
        yield Dependence(
            f"Call path {naming.name}",
            "names this number and would lead nowhere",
            href=f"/paths/{naming.id}/edit",
            grave=True,
        )


def _others(number: Number, around: Around) -> Iterator[Dependence]:
    for other in around.falling_back:
        away = (t.SetFallback(number=other.e164, to=""),)
        yield Dependence(
            f"Fallback of {other.shown}",
            "sends calls here while its trunk is down; they would be lost",
            away,
            f"/numbers?number={other.e164[1:]}",
            grave=True,
        )
    for person in around.ringing:
        yield Dependence(
            f"{person.name}’s calls",
            "ring this number along",
            href=f"/holders/people/{person.id}",
            grave=True,
        )
    if left := around.more.get("numbers"):
        yield Dependence(f"{left:,} more numbers", "fall back to this one", grave=True)


def _shown(number: Number, around: Around) -> Iterator[Dependence]:
    """Whose calls out show it: a number one no longer has must not be shown (called back, it leads
    to strangers)."""
    for record in around.showing:
        name = "The organisation’s" if isinstance(record, Defaults) else f"{record.name}’s"
        holder = (
            None
            if isinstance(record, Defaults)
            else HolderRef(
                kind=HolderKind.PERSON if isinstance(record, Person) else HolderKind.SITE,
                id=record.id,
            )
        )
        yield Dependence(
            f"{name} calls out",
            "show this number; they would show one’s own",
            (t.SetCallerId(holder=holder, shows="own"),),
            "/holders/caller-ids",
            grave=True,
        )
    if left := around.more.get("showing"):
        yield Dependence(
            f"Calls out of {left:,} more",
            "show this number",
            href="/holders/caller-ids",
            grave=True,
        )


def _outside(number: Number, estate: Estate) -> Iterator[Dependence]:
    trunk = estate.get(Trunk, number.trunk)
    if trunk:
        yield Dependence(
            f"The list of trunk {trunk.name}", "the number is taken off when it is released"
        )
    if number.features:
        yield Dependence(
            "Features at its carrier", f"{', '.join(number.features)}: off with the number"
        )
    for system, key in sorted(number.known_as.items()):
        yield Dependence(f"{system}", f"knows it as {key}; tell the team that runs {system}")


def _noted(number: Number) -> Iterator[Dependence]:
    """Where else it stands, as far as somebody has tagged it."""
    for tag in number.tags:
        word, _, where = tag.partition(":")
        if word.strip() in NOTED and where.strip():
            says = (
                "calls it by this number"
                if word.strip() == "contact"
                else "still shows it; have it changed"
            )
            yield Dependence(where.strip().capitalize(), says)


def _orders(around: Around) -> Iterator[Dependence]:
    for key, title in around.orders:
        yield Dependence(
            f"Work order “{title}”", "is open and about this number too", href=f"/work-orders/{key}"
        )


def _page(ref: HolderRef) -> str:
    place = {
        HolderKind.PERSON: "people",
        HolderKind.SITE: "sites",
        HolderKind.SERVICE_LINE: "lines",
    }.get(ref.kind)
    return f"/holders/{place}/{ref.id}" if place else "/holders/systems"


def _some(names: Iterable[str]) -> str:
    told = list(names)
    return ", ".join(told[:MOST_NAMED]) + (
        f" and {len(told) - MOST_NAMED} more" if len(told) > MOST_NAMED else ""
    )


def settling(found: Iterable[Dependence]) -> list[Task]:
    """The tasks that settle what can be settled without judgement."""
    return list(dict.fromkeys(task for dependence in found for task in dependence.tasks))


def saved_a_year(number: Number) -> Money:
    """What releasing the number saves in twelve months, licences not counted."""
    return number.monthly.times(12).rounded()

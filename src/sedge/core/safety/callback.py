"""Whom an operator could not ring back: a call for help that is cut off must lead to somebody at
the place again.

Source: 47 CFR 9.16(b)(3) asks for a callback number with every call for help from a multi-line
system; elsewhere operators ask for one.
"""

from collections.abc import Collection

from sedge.core.estate import Estate
from sedge.core.holding import HolderRef
from sedge.core.records import HolderKind, Number, Person, Role, Site
from sedge.core.safety.emergency import rings_people

MOST_NAMED = 2


def is_main(number: Number) -> bool:
    """Whether it is a site's main number, on which those there are rung back who have none of their
    own."""
    assignment = number.assignment
    return (
        assignment is not None
        and assignment.role is Role.MAIN
        and assignment.holder.kind is HolderKind.SITE
    )


def left_without(site: Site, estate: Estate, *, going: Collection[str] = ()) -> list[Person]:
    """The people of a site whom nobody could ring back once the numbers `going` have gone, by name:
    those without a number in use of their own, where no main number of the site rings anybody any
    more."""
    of_site = estate.numbers_of(HolderRef(kind=HolderKind.SITE, id=site.id))
    if any(is_main(n) and n.e164 not in going and rings_people(n, estate) for n in of_site):
        return []
    here = (p for p in estate.all(Person) if p.site == site.id and not p.left)
    return sorted((p for p in here if not _own(p, estate, going)), key=lambda p: (p.name, p.id))


def _own(person: Person, estate: Estate, going: Collection[str]) -> bool:
    held = estate.numbers_of(HolderRef(kind=HolderKind.PERSON, id=person.id))
    return any(n.in_use and n.e164 not in going for n in held)


def told(site: Site, people: list[Person]) -> str:
    """A sentence that says who could not be rung back."""
    names = ", ".join(p.name for p in people[:MOST_NAMED])
    more = f" and {len(people) - MOST_NAMED:,} more" if len(people) > MOST_NAMED else ""
    return (
        f"{names}{more} at {site.name} {'have' if len(people) > 1 else 'has'} no other number to be"
        " rung back on after an emergency call"
    )

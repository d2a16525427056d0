"""What still depends on a number: found before it is taken out of use, not after."""

from dataclasses import dataclass

from sedge.core.estate import Estate
from sedge.core.facts import Money
from sedge.core.records import Number, PathVersion, Product, Trunk


@dataclass(frozen=True)
class Dependence:
    """`what` depends on the number, `so` is what happens to it."""

    what: str
    so: str


def dependences(number: Number, estate: Estate, naming: list[PathVersion]) -> list[Dependence]:
    """Holder, licences that would stand idle, call path, paths that name it, trunk list, emergency data."""
    found: list[Dependence] = []
    if number.assignment:
        holder = estate.holder(number.assignment.holder)
        others = [n for n in estate.numbers_of(number.assignment.holder) if n.e164 != number.e164]
        left = f"keeps {', '.join(n.national for n in others[:3])}" if others else "is left without any number"
        found.append(Dependence(f"{holder.name}, {number.assignment.role} number", left))
        if not others:
            idle = [estate.the(Product, g.product).name for g in estate.grants_of(number.assignment.holder)]
            if idle:
                found.append(
                    Dependence(f"Licences of {holder.name}", f"{', '.join(idle)} would stand idle; take them back to save the seats")
                )
    path = estate.get(PathVersion, number.path)
    if path:
        found.append(Dependence(f"Call path {path.name}", "stays, with one number less"))
    found += [Dependence(f"Call path {p.name}", "names this number and would lead nowhere") for p in naming]
    trunk = estate.get(Trunk, number.trunk)
    if trunk:
        found.append(Dependence(f"The list of trunk {trunk.name}", "the number is taken off when it is released"))
    if number.spot:
        found.append(Dependence(f"Emergency spot {number.spot}", "stays for the others there"))
    return found


def saved_a_year(number: Number) -> Money:
    """What releasing the number saves in twelve months, licences not counted."""
    return number.monthly.times(12).rounded()

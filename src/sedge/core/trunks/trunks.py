"""Which trunk takes a call out, and why each other doesn't."""

from dataclasses import dataclass

from sedge.core.estate import Estate
from sedge.core.facts import Money
from sedge.core.records import Number, Site, Trunk


@dataclass(frozen=True)
class Candidate:
    """A trunk and why it was or wasn't taken; `rate` is a minute's price over it, where it is
    known."""

    trunk: str
    taken: bool
    reason: str
    rate: Money | None = None


def takes_caller_id(trunk: Trunk, number: Number) -> bool:
    """Whether the other side takes calls that show a number: its own always, those of other
    carriers where it says so."""
    others = trunk.settings is not None and trunk.settings.others_caller_ids
    return trunk.carrier == number.carrier or others


def choose_trunk(
    number: Number, site: Site, estate: Estate, down: tuple[str, ...] = ()
) -> tuple[Trunk | None, list[Candidate]]:
    """The trunk that takes a call out of a number, the number's own first, then the site's; and why
    each other is not taken."""
    trunks = sorted(
        estate.all(Trunk),
        key=lambda x: (
            x.id != number.trunk,
            x.carrier != number.carrier,
            x.site != site.id,
            x.id,
        ),
    )
    candidates: list[Candidate] = []
    chosen: Trunk | None = None
    for trunk in trunks:
        if chosen is not None:
            candidates.append(Candidate(trunk.name, False, f"{chosen.name} was taken before it"))
        elif not trunk.carries or trunk.id in down:
            candidates.append(Candidate(trunk.name, False, f"it {trunk.why_not or 'is down'}"))
        elif not trunk.serves_site(site.id):
            candidates.append(Candidate(trunk.name, False, f"it does not serve {site.name}"))
        elif not takes_caller_id(trunk, number):
            candidates.append(
                Candidate(
                    trunk.name,
                    False,
                    "it leads to another carrier, which would not take this caller ID",
                )
            )
        else:
            chosen = trunk
            listed = (
                "the number is on its list"
                if trunk.id == number.trunk
                else "it leads to the number's carrier"
                if trunk.carrier == number.carrier
                else "it takes caller IDs of other carriers' numbers"
            )
            candidates.append(Candidate(trunk.name, True, listed))
    return chosen, candidates

"""Rules of trunk lists and fallbacks."""

from sedge.core.estate import Estate
from sedge.core.records import (
    Site,
    Trunk,
)
from sedge.core.workorders import tasks as t
from sedge.core.workorders.findings import (
    Finding,
    add_before,
    elsewhere,
    passed,
    stop,
    warn,
)
from sedge.core.workorders.rules.registry import rule


@rule("assignment.on-trunk-list", t.AssignNumber)
def on_trunk_list(task: t.AssignNumber, estate: Estate) -> Finding:
    """A number that is on no trunk's list is dead, however well it is assigned."""
    number = estate.number(task.e164 or "")
    trunk = estate.get(Trunk, number.trunk)
    if trunk is None:
        fitting = sorted(
            (x for x in estate.all(Trunk) if x.carrier == number.carrier),
            key=lambda x: x.site != number.site,
        )
        remedies = [
            add_before(
                f"Put it on the list of {x.name}", t.ListOnTrunk(number=number.e164, trunk=x.id)
            )
            for x in fitting[:1]
        ]
        if not remedies:
            remedies = [
                elsewhere(
                    f"Set up a trunk to {estate.carrier_of(number).name}", "trunk", number.site
                )
            ]
        return stop(
            f"{number.shown} is on no trunk's list, so calls to it would not arrive.", *remedies
        )
    if not trunk.up:
        return warn(f"Trunk {trunk.name} is down; calls arrive when it is up again.")
    return passed(f"It is on the list of {trunk.name}, which is up")


@rule("move.its-trunk", t.MoveNumber)
def its_trunk(task: t.MoveNumber, estate: Estate) -> Finding | None:
    """Calls arrive where the trunk ends."""
    number, site = estate.number(task.e164 or ""), estate.the(Site, task.site)
    trunk = estate.get(Trunk, number.trunk)
    if trunk is None:
        return None
    there = next(
        (x for x in estate.all(Trunk) if x.site == site.id and x.carrier == number.carrier), None
    )
    if trunk.site == site.id or there is None:
        return passed(f"It stays on the list of {trunk.name}")
    onto = add_before(f"Put it on {there.name}", t.ListOnTrunk(number=number.e164, trunk=there.id))
    return warn(f"It stays on the list of {trunk.name}; {site.name} has {there.name}.", onto)


@rule("trunk.same-carrier", t.ListOnTrunk)
def same_carrier(task: t.ListOnTrunk, estate: Estate) -> Finding:
    """Calls to a number come from its own carrier only."""
    number, trunk = estate.number(task.e164 or ""), estate.the(Trunk, task.trunk)
    if trunk.carrier != number.carrier:
        return stop(f"{trunk.name} leads to another carrier than {number.shown}'s.")
    return passed(f"{trunk.name} leads to the number's carrier")

"""Rules of session border controllers, and of the trunks that end at them."""

import ipaddress

from sedge.core.enums import Transport
from sedge.core.estate import Estate
from sedge.core.facts import counted
from sedge.core.records import Trunk
from sedge.core.trunks.records import Sbc, TrunkState
from sedge.core.trunks.sbcs import in_turn
from sedge.core.trunks.settings import private_addresses
from sedge.core.workorders import tasks as t
from sedge.core.workorders.findings import Finding, passed, stop, warn
from sedge.core.workorders.rules.registry import rule


@rule("sbc.name-free", t.SetSbc)
def name_free(task: t.SetSbc, estate: Estate) -> Finding:
    """Two SBCs of one name are mistaken for each other."""
    others = [x for x in estate.all(Sbc) if x.id != task.id and not x.retired]
    if any(x.name.casefold() == task.name.casefold() for x in others):
        return stop(f"There is another SBC called {task.name}. Choose another name.")
    return passed("No other SBC has this name")


@rule("sbc.has-a-name", t.SetSbc)
def has_a_name(task: t.SetSbc, estate: Estate) -> Finding | None:
    """A certificate is made for a name, which the other side compares (RFC 5922)."""
    if task.transport is not Transport.TLS:
        return None
    if _is_address(task.host):
        return warn(f"{task.host} is an address: over TLS the other side wants a name to compare.")
    return passed("Its certificate can be made for its name")


@rule("sbc.reached-from-outside", t.SetSbc)
def reached_from_outside(task: t.SetSbc, estate: Estate) -> Finding | None:
    """Calls from the internet never reach a private address."""
    if private := private_addresses(task.addresses):
        return warn(
            f"{private[0]} is a private address: carriers reach it over a private line only."
        )
    return passed("No address of it is a private one") if task.addresses else None


@rule("sbc.stand-in-left", t.RetireSbc)
def stand_in_left(task: t.RetireSbc, estate: Estate) -> Finding:
    """Trunks that end at an SBC which is gone carry nothing."""
    sbc = estate.the(Sbc, task.sbc)
    on_it = [x for x in estate.all(Trunk) if x.sbc == sbc.id and x.state is not TrunkState.RETIRED]
    left = [x for x in in_turn(sbc, estate.all(Sbc)) if x.id != sbc.id]
    if not on_it:
        return passed("Nothing ends at this SBC")
    if left:
        return warn(
            f"{counted(len(on_it), 'trunk')} named {sbc.name}; calls go over {left[0].name} then."
        )
    return stop(
        f"{counted(len(on_it), 'trunk')} end at it, {on_it[0].name} among them. Choose another SBC"
        " in their settings first."
    )


@rule("sbc.there-for-trunk", t.ChangeTrunk)
def sbc_there(task: t.ChangeTrunk, estate: Estate) -> Finding | None:
    """A trunk ends at an SBC that is in service."""
    if not task.sbc:
        return None
    sbc = estate.get(Sbc, task.sbc)
    if sbc is None or sbc.retired:
        return stop("The SBC it ends at is gone. Choose another.")
    return passed(f"It ends at {sbc.name}")


def _is_address(host: str) -> bool:
    try:
        ipaddress.ip_address(host)
    except ValueError:
        return False
    return True

"""What a try at a task comes to, and what all steps share: the estate they look at, telling
telephone system and carrier."""

from collections.abc import Callable
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from sedge.core.errors import NotAllowedNow
from sedge.core.estate import Change, Estate
from sedge.core.records import Account, Address, Number, Site
from sedge.core.safety.effective_spot import effective_spot
from sedge.services.context import Context, Writing
from sedge.services.telephony_sync import tell_telephony

Changes = Callable[[Writing], list[Change]]


@dataclass(frozen=True)
class Done:
    changes: Changes | None = None
    works_from: datetime | None = None


@dataclass(frozen=True)
class Wait:
    """Look again at `until`; `what` completes *waiting for …*. `changes` are kept already.
    `failed`: this try came to nothing."""

    until: datetime
    what: str
    changes: Changes | None = None
    failed: bool = False


@dataclass(frozen=True)
class Failed:
    why: str
    changes: Changes | None = None


Outcome = Done | Wait | Failed


def estate_for(context: Context, task: Any) -> Estate:
    with context.reading() as reading:
        return reading.estate(task.needs())


def notify_of_outcomes(context: Context, changes: list[Change], estate: Estate) -> None:
    """The telephone system, of changes that are about to be kept."""
    after = estate.fork()
    after.absorb(changes)
    tell_telephony(context.outside.telephony, changes, after)


def register_with_carrier(context: Context, number: Number, estate: Estate) -> None:
    """Send the number's civic address and spot to its carrier. Sending the same again changes
    nothing."""
    spot = effective_spot(number, estate)
    if spot is None:
        raise NotAllowedNow(
            f"{number.shown} has no spot to register. Set its spot first.", reason="no-spot"
        )
    elements = estate.the(Address, spot.address).elements
    body = {
        **elements.model_dump(),
        "floor": spot.floor,
        "room": spot.room,
        "site": estate.the(Site, spot.site).name,
    }
    context.at_carrier(estate.the(Account, number.account)).register_address(number.e164, body)

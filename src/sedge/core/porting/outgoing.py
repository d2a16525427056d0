"""Requests of other carriers for our numbers: what is wrong with one, what hangs on it, what to
answer and until when.

Whoever asks has to know the account as its carrier does. A request that does not is refused with
the trade's code; one that does is ours to approve, and what would be lost by it is said before.
"""

from collections.abc import Iterable
from dataclasses import dataclass
from datetime import date, datetime

from sedge.core.changes import changed, step
from sedge.core.errors import NotAllowedNow
from sedge.core.estate import Change, Estate
from sedge.core.numbers.e164 import describe
from sedge.core.numbers.life import ENDED, HELD, Event, State
from sedge.core.porting.outgoing_records import PortOut, PortOutState
from sedge.core.porting.records import Said
from sedge.core.records import Account, Number, Subject

MAY_GO = (State.AVAILABLE, State.RESERVED, State.ASSIGNED, State.AGING, State.ADMINISTRATIVE)
REFUSALS = {
    "account-number": "The account number is wrong.",
    "name-mismatch": "The name is not ours.",
    "pin-wrong": "The PIN is wrong.",
    "not-in-service": "A number is not in service on this account.",
    "pending-order": "Another order of a number is under way.",
    "not-authorised": "We have not asked for it.",
}


def bound_beyond(numbers: Iterable[Number], day: date) -> list[Number]:
    """Those whose minimum term goes on after a day: they are paid for although they are gone."""
    return [n for n in numbers if n.bound_until and n.bound_until > day]


@dataclass(frozen=True)
class Doubt:
    """Something a request gets wrong about us, with the code it would be refused with."""

    code: str
    says: str
    theirs: str
    ours: str


def doubts(
    request: PortOut,
    account: Account,
    pin: str | None,
    name: str,
    numbers: dict[str, Number | None],
) -> list[Doubt]:
    """What differs between a request and what we know of the account; `pin` None: we don't know it
    ourselves. `name` is the organisation's."""
    given = request.given
    found: list[Doubt] = []
    ours = account.theirs or account.id

    def doubt(code: str, says: str, theirs: str, ours: str) -> None:
        found.append(Doubt(code, says, theirs, ours))

    if given.account != ours:
        theirs = given.account or "none"
        doubt("account-number", "The account number is not ours.", theirs, ours)
    if given.name.strip().casefold() != name.strip().casefold():
        theirs = given.name or "none"
        doubt("name-mismatch", "The account holder's name is not ours.", theirs, name)
    if pin is not None and given.pin != pin:
        theirs = "another" if given.pin else "none"
        doubt("pin-wrong", "The PIN is not the account's.", theirs, "as on file")
    for e164, number in numbers.items():
        told = describe(e164).shown
        if number is None or number.state in ENDED or number.account != account.id:
            doubt("not-in-service", f"{told} is not on this account.", told, "not ours there")
        elif number.leaving_on:
            doubt("pending-order", f"{told} is being released already.", told, "being released")
        elif number.state is State.PORTING_OUT and request.state is PortOutState.ASKED:
            going = f"{told} is on its way to another carrier already."
            doubt("pending-order", going, told, "porting out")
    return found


def _said(request: PortOut, at: datetime, by: str, text: str, code: str = "") -> tuple[Said, ...]:
    return (*request.said, Said(at=at, by=by, what="noted", text=text, code=code))


def approved(request: PortOut, vouched: str, estate: Estate) -> list[Change]:
    """The numbers are on their way out. Raises NotAllowedNow where the request has been answered
    already."""
    if request.state is not PortOutState.ASKED:
        raise NotAllowedNow(f"Port out {request.no} is {request.state} already.", reason="port-out")
    after = request.copy_with(
        state=PortOutState.APPROVED, said=_said(request, estate.now, vouched or "us", "approved")
    )
    going = [n for e164 in request.numbers if (n := estate.get(Number, e164)) and n.state in MAY_GO]
    return [
        changed(Subject.PORT_OUT, request, after, "port-out.approved"),
        *(
            changed(Subject.NUMBER, n, n.copy_with(**_on_its_way(n)), "number.porting-out")
            for n in going
        ),
    ]


def _on_its_way(number: Number) -> dict[str, object]:
    """It rings as before until it has gone; how long it would have been reserved or resting is
    kept, in case it stays."""
    values = step(number, Event.PORT_OUT_ACCEPT)
    return {
        **values,
        "state_until": number.state_until,
        "state_reason": number.state_reason,
        "reserved_for": number.reserved_for,
        "announcement": number.announcement,
    }


def refused(request: PortOut, code: str, now: datetime, by: str) -> Change:
    after = request.copy_with(
        state=PortOutState.REFUSED,
        code=code,
        said=_said(request, now, by, f"refused: {REFUSALS[code]}", code),
    )
    return changed(Subject.PORT_OUT, request, after, "port-out.refused")


def gone(request: PortOut, estate: Estate, at: datetime) -> list[Change]:
    """Another carrier has the numbers: their lives here are over."""
    after = request.copy_with(
        state=PortOutState.GONE,
        goes_at=request.goes_at or at,
        said=_said(request, at, request.gaining, "switched"),
    )
    changes = [changed(Subject.PORT_OUT, request, after, "port-out.gone")]
    for e164 in request.numbers:
        number = estate.get(Number, e164)
        if number is None or number.state in ENDED or number.state not in HELD:
            continue
        if number.state is not State.PORTING_OUT:
            number_before, number = number, number.copy_with(**step(number, Event.PORT_OUT_ACCEPT))
        else:
            number_before = number
        values = step(
            number,
            Event.PORT_OUT_ACTIVATE,
            assignment=None,
            path=None,
            trunk=None,
            spot=None,
            registered_spot=None,
            fallback="",
            label=number.label,
        )
        changes.append(
            changed(Subject.NUMBER, number_before, number.copy_with(**values), "number.ported-out")
        )
    return changes


def stays(request: PortOut, estate: Estate, at: datetime) -> list[Change]:
    """They have taken it back: the numbers are as they were."""
    after = request.copy_with(
        state=PortOutState.WITHDRAWN, said=_said(request, at, request.gaining, "withdrawn")
    )
    changes = [changed(Subject.PORT_OUT, request, after, "port-out.withdrawn")]
    for e164 in request.numbers:
        number = estate.get(Number, e164)
        if number and number.state is State.PORTING_OUT:
            kept = {
                "state_until": number.state_until,
                "state_reason": number.state_reason,
                "reserved_for": number.reserved_for,
                "announcement": number.announcement,
            }
            values = {**step(number, Event.PORT_OUT_WITHDRAW, number.state_before), **kept}
            changes.append(
                changed(Subject.NUMBER, number, number.copy_with(**values), "number.stays")
            )
    return changes

"""Addresses held against the register again: each night, and when somebody asks. What the register
no longer knows is no place to send help to."""

from dataclasses import dataclass
from datetime import timedelta

from sedge.core.access.roles import May
from sedge.core.changes import changed
from sedge.core.errors import NotUnderstood, OutsideTrouble
from sedge.core.records import Address, Subject, Verdict
from sedge.services.context import Context
from sedge.services.periodic import periodic
from sedge.services.safety import safety

NAME = "addresses"
ASKED_AT = timedelta(hours=2)  # after midnight


@dataclass(frozen=True)
class Rechecked:
    """How many addresses were asked for, which have changed their verdict, and what kept the
    register from answering."""

    asked: int
    changed: list[Address]
    trouble: str


def recheck(context: Context) -> Rechecked:
    """Every address once more; a changed verdict, answering point or place is kept. One the
    register is silent on stays as it was."""
    context.require(May.CHANGE_SAFETY)
    if not context.outside.register.is_connected:
        return Rechecked(0, [], "")
    with context.reading() as reading:
        addresses = reading.records.all(Address)
    moved: list[Address] = []
    for address in addresses:
        try:
            after = _as_now(context, address)
        except OutsideTrouble as error:
            return Rechecked(len(addresses), moved, error.message)
        if after != address:
            with context.writing(reason="the register was asked again") as writing:
                now = writing.records.the(Address, address.id)
                if now == address:
                    moved.append(
                        writing.save([changed(Subject.ADDRESS, now, after, "address.rechecked")])[
                            0
                        ].after
                    )
    return Rechecked(len(addresses), moved, "")


def _as_now(context: Context, address: Address) -> Address:
    try:
        found = safety.match_address(context, address.elements.model_dump())
    except NotUnderstood:
        return address.copy_with(verdict=Verdict.UNKNOWN)
    if found.verdict is not Verdict.EXACT:
        return address.copy_with(verdict=found.verdict, accepted=False)
    best = found.candidates[0]
    return address.copy_with(
        verdict=address.verdict if address.dispatchable else Verdict.EXACT,
        psap=best.psap,
        point=best.point,
    )


@periodic(NAME)
def recheck_nightly(context: Context) -> int:
    """Once a night, and an hour later again where the register was silent; how many addresses
    changed."""

    def ask() -> tuple[int, bool]:
        done = recheck(context.as_system())
        return len(done.changed), not done.trouble

    return context.installation.nightly(context.who.organisation, NAME, ASKED_AT, ask)

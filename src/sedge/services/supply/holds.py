"""Holds: numbers a carrier keeps for us while somebody decides."""

from datetime import datetime

from sedge.core.access.roles import May
from sedge.core.changes import changed
from sedge.core.errors import NotAllowedNow, NotUnderstood, OutsideRefused
from sedge.core.numbers.e164 import describe
from sedge.core.numbers.life import ENDED
from sedge.core.records import Account, Carrier, Hold, Number, Subject
from sedge.services.context import Context
from sedge.store.schema import tables

MOST_NUMBERS = 1000


def hold(context: Context, account_id: str, numbers: list[str]) -> Hold:
    """Hold numbers at their carrier; those that are held for us already are that hold. Raises
    OutsideRefused with the sentence about those that are gone."""
    context.require(May.BUY)
    if not numbers:
        raise NotUnderstood("Choose at least one number to hold.", field="numbers")
    if len(numbers) > MOST_NUMBERS:
        raise NotUnderstood(
            f"At most {MOST_NUMBERS:,} numbers can be held at once; these are {len(numbers):,}.",
            field="numbers",
        )
    with context.reading() as reading:
        account = reading.records.the(Account, account_id)
        ours = [n for n in reading.records.many(Number, numbers) if n.state not in ENDED]
    if known := _held_already(context, account_id, numbers):
        return known
    if ours:
        raise NotAllowedNow(
            f"{ours[0].shown} is in the estate already. Choose others.",
            field="numbers",
            reason="ours",
            numbers=[n.e164 for n in ours],
        )
    try:
        held = context.at_carrier(account).hold(numbers)
    except OutsideRefused as error:
        if error.reason == "taken":
            if known := _held_already(context, account_id, numbers):  # pressed twice at once
                return known
            gone = error.facts.get("numbers", [])
            names = ", ".join(describe(n).shown for n in gone[:3])
            raise OutsideRefused(
                f"{names} {'is' if len(gone) == 1 else 'are'} no longer to be had. Search again and"
                " choose others.",
                field="numbers",
                reason="taken",
                numbers=gone,
            ) from error
        raise
    record = Hold(
        id=f"{account.carrier}:{held.id}",
        account=account.id,
        numbers=tuple(numbers),
        expires_at=held.expires_at,
        can_be_longer=held.can_be_longer,
    )
    with context.writing() as writing:
        return writing.save([changed(Subject.HOLD, None, record, "hold.taken")])[0].after


def _held_already(context: Context, account: str, numbers: list[str]) -> Hold | None:
    table = tables.hold
    with context.reading() as reading:
        running = reading.records.where(
            Hold, table.c.state == "held", table.c.expires_at > reading.now
        )
    return next(
        (h for h in running if h.account == account and set(h.numbers) == set(numbers)), None
    )


def hold_longer(context: Context, key: str) -> Hold:
    """Prolong a hold, once, where the carrier allows it. Raises NotAllowedNow."""
    context.require(May.BUY)
    with context.reading() as reading:
        record = reading.records.the(Hold, key)
        account = reading.records.the(Account, record.account)
        carrier = reading.records.the(Carrier, account.carrier)
    require_held(record, context.now())
    if not record.can_be_longer:
        raise NotAllowedNow(
            f"{carrier.name} holds these numbers no longer. Order them, or search again later.",
            reason="no-longer",
            field="hold",
        )
    try:
        longer = context.at_carrier(account).hold_longer(key.partition(":")[2])
    except OutsideRefused as error:
        raise NotAllowedNow(
            f"{carrier.name} does not hold these numbers any longer. Order them, or search again.",
            reason="no-longer",
            field="hold",
        ) from error
    with context.writing() as writing:
        now = writing.records.the(Hold, key)
        after = now.copy_with(expires_at=longer.expires_at, can_be_longer=longer.can_be_longer)
        return writing.save([changed(Subject.HOLD, now, after, "hold.longer")])[0].after


def end_hold(context: Context, key: str) -> None:
    """Let held numbers go. One that was used, or has run out, is left as it is."""
    context.require(May.BUY)
    with context.reading() as reading:
        record = reading.records.the(Hold, key)
        account = reading.records.the(Account, record.account)
    if record.state != "held":
        return
    context.at_carrier(account).end_hold(key.partition(":")[2])
    with context.writing() as writing:
        now = writing.records.the(Hold, key)
        writing.save([changed(Subject.HOLD, now, now.copy_with(state="ended"), "hold.ended")])


def require_held(record: Hold, now: datetime) -> None:
    """Raises NotAllowedNow where the hold is over."""
    if record.state != "held" or record.expires_at <= now:
        raise NotAllowedNow(
            "The hold has run out, so somebody else may buy the numbers. Search again: they are"
            " probably still there.",
            field="hold",
            reason="hold-over",
        )

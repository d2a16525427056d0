"""Testing the connection to a carrier: does it answer, does it take our key, does its book say what
ours does."""

import time
from dataclasses import dataclass, replace
from datetime import timedelta

from sedge.core.errors import NotFound, OutsideRefused, OutsideSilent
from sedge.core.facts import Money, in_words
from sedge.core.records import Account, Carrier
from sedge.services.carriers import charges
from sedge.services.context import Context
from sedge.store.schema import tables

KEY_REFUSED = {"401", "403", "unknown key"}


@dataclass(frozen=True)
class Tried:
    """How a test went: `said` is what was found and, where something is wrong, what to change."""

    carrier: Carrier
    ok: bool
    said: str
    took: timedelta
    account: str = ""


def test(context: Context, key: str) -> Tried:
    """Ask a carrier for the state of each of our accounts; the first that is not in order is told
    of. Raises NotFound."""
    with context.reading() as reading:
        carrier = reading.records.the(Carrier, key)
        accounts = reading.records.where(Account, tables.account.c.carrier == key)
    if key not in context.outside.carriers or not accounts:
        raise NotFound(
            f"{carrier.name} can't be reached over the wire; its orders go on a form.",
            subject="carrier",
            id=key,
        )
    tried = [test_account(context, carrier, account) for account in accounts]
    wrong = next((x for x in tried if not x.ok), None)
    if len(tried) == 1 or wrong is None:
        return tried[0] if len(tried) == 1 else replace(tried[0], said=_all_said(accounts))
    return replace(wrong, said=f"{wrong.account}: {wrong.said}")


def _all_said(accounts: list[Account]) -> str:
    shown = ", ".join(in_words(a.balance) for a in accounts[:4]) + (
        " and so on" if len(accounts) > 4 else ""
    )
    return (
        f"{'Every account answers' if len(accounts) > 1 else 'The account answers'}, and its books"
        f" say what ours do: {shown}."
    )


def test_account(context: Context, carrier: Carrier, account: Account) -> Tried:
    begun = time.perf_counter()
    try:
        balance = context.at_carrier(account).account().balance
        account = charges.fetch(context.as_system(), account)
    except OutsideSilent as error:
        return Tried(carrier, False, _silent(error), _since(begun), account.name)
    except OutsideRefused as error:
        return Tried(carrier, False, _refused(error), _since(begun), account.name)
    took = _since(begun)
    ours = account.balance
    if balance == ours:
        return Tried(
            carrier,
            True,
            f"It answers {_speed(took)}, and its book says what ours does: {in_words(ours)}.",
            took,
            account.name,
        )
    return Tried(
        carrier,
        False,
        f"It answers, but its book says {in_words(balance)} where ours says {in_words(ours)}."
        f" {_which(balance, ours)}",
        took,
        account.name,
    )


def _speed(took: timedelta) -> str:
    seconds = took.total_seconds()
    return "at once" if seconds < 0.1 else f"in {seconds:.1f} s"


def _since(begun: float) -> timedelta:
    return timedelta(seconds=time.perf_counter() - begun)


def _silent(error: OutsideSilent) -> str:
    detail, cause = str(error.facts.get("detail", "")), str(error.facts.get("cause", ""))
    if "wait" in error.facts:
        return (
            f"It wants to be asked less often, and answers again in {error.facts['wait']} seconds."
        )
    if "certificate" in detail.lower():
        return (
            "Its certificate is not one we trust. Ask the carrier which one is in force, and"
            " whether it has run out."
        )
    if "Timeout" in cause:
        return (
            "It takes the call and does not answer within 5 seconds. Ask the carrier whether"
            " something is wrong over there."
        )
    if cause:
        return (
            "Nothing answers at its address. Check the address, and that the firewall lets Sedge"
            " out to it."
        )
    return (
        "It has trouble of its own just now; nothing is to be changed here. Try again in some"
        " minutes."
    )


def _refused(error: OutsideRefused) -> str:
    if error.reason in KEY_REFUSED:
        return "It does not take our key. Have a new one made at the carrier and put it in here."
    return (
        f"It answers and refuses to tell: {error.reason}. Ask the carrier what the account may do."
    )


def _which(theirs: Money, ours: Money) -> str:
    if theirs.currency != ours.currency:
        return "The account is kept in another currency there; correct it here."
    return "Compare the last charges: an order or a deposit is known on one side only."

"""Money on carrier accounts: deposits, moves, topping up by rule, telling of what is low."""

from dataclasses import dataclass
from datetime import timedelta
from decimal import Decimal
from itertools import pairwise

from sedge.core.access.roles import May
from sedge.core.amounts import locale_of, read_amount
from sedge.core.carriers.account_topup import is_low, topped_up, wants_top_up
from sedge.core.changes import changed
from sedge.core.errors import (
    NotUnderstood,
    OutsideRefused,
    OutsideSilent,
    OutsideTrouble,
)
from sedge.core.facts import Money, in_currency, in_words
from sedge.core.ledger.chain import Entry
from sedge.core.records import Account, Carrier, Subject
from sedge.formats.letters import Letter
from sedge.services import mail
from sedge.services.carriers import charges
from sedge.services.context import Context, Writing
from sedge.services.periodic import periodic
from sedge.store import secrets as secrets_store
from sedge.store.repositories import ledger

LEAST_DEPOSIT, MOST_DEPOSIT = Decimal(1), Decimal(100_000)


TOP_UP = "top-up-"


KEYS_KEPT = 100  # of payments that have ended, for each account


SHOWN_AGAIN = timedelta(minutes=10)


@dataclass(frozen=True)
class Payment:
    """A payment before it is made: what the balance is and will be. `key` makes it one payment
    however often it is asked for."""

    account: Account
    amount: Money
    after: Money
    key: str


def plan_deposit(context: Context, account_id: str, amount: str) -> Payment:
    """Read an amount and say what paying it in does. Raises NotUnderstood, NotFound."""
    context.require(May.PAY)
    account, _, _ = account_to_pay(context, account_id)
    value = amount_in(context, amount, account.balance.currency, "amount")
    paid = Money(amount=value, currency=account.balance.currency)
    return Payment(account, paid, account.balance + paid, context.new_id("deposit"))


def deposit(
    context: Context, account_id: str, amount: str, *, identity: str | None = None
) -> Account:
    """A payment onto a prepaid account, in the ledger; the same `identity` again pays nothing.
    Raises as `_pay_in`, and NotUnderstood."""
    planned = plan_deposit(context, account_id, amount)
    paid = _pay_in(context, account_id, planned.amount.amount, identity or planned.key)
    return charges.fetch(context.as_system(), paid) if paid.suspended_since else paid


def _pay_in(context: Context, account_id: str, value: Decimal, key: str) -> Account:
    """Written down first, then paid at the carrier, then in our book; the key makes it one payment
    whatever happens between.

    Raises OutsideRefused (nothing is paid), OutsideSilent (it is asked again by itself).
    """
    with context.writing() as writing:
        account = writing.records.the(Account, account_id)
        if key in account.paid:
            return account
        if key not in account.paying:
            begun = account.copy_with(paying={**account.paying, key: value})
            account = writing.save([changed(Subject.ACCOUNT, account, begun, "account.paying")])[
                0
            ].after
    try:
        if account.carrier in context.outside.carriers:
            context.at_carrier(account).deposit(key, str(value))
    except OutsideRefused:
        _settle(context, account_id, key, arrived=False)
        raise
    except OutsideSilent as error:
        raise OutsideSilent(
            f"{error.message} The payment of {value:,} is kept and asked for again by itself; don't"
            " pay it twice.",
            **error.facts,
        ) from error
    return _settle(context, account_id, key, arrived=True)


def _settle(context: Context, account_id: str, key: str, *, arrived: bool) -> Account:
    """A payment that has arrived, or will not."""
    with context.writing() as writing:
        now = writing.records.the(Account, account_id)
        if key not in now.paying:
            return now
        value = now.paying[key]
        after = now.copy_with(
            paying={k: v for k, v in now.paying.items() if k != key},
            paid=(*now.paid, key)[-KEYS_KEPT:],
        )
        action = "account.not-paid"
        if arrived:
            after = after.copy_with(
                balance=now.balance + Money(amount=value, currency=now.balance.currency),
                receives_only=False,
            )
            action = "account.topped-up" if key.startswith(TOP_UP) else "account.deposited"
        if arrived and key.startswith(TOP_UP):
            after = topped_up(after, value, writing.now)
        return writing.save([changed(Subject.ACCOUNT, now, after, action)])[0].after


@dataclass(frozen=True)
class Move:
    """One change of a balance, as the ledger has it."""

    entry: Entry
    amount: Money
    balance: Money


def moves(context: Context, account_id: str, *, limit: int = 30) -> list[Move]:
    """What has moved on an account, newest first."""
    with context.reading() as reading:
        entries = ledger.entries(
            reading.connection, subject=Subject.ACCOUNT, key=account_id, limit=limit * 4
        ).entries
    held = [(e, Account.model_validate_json(e.after).balance) for e in entries if e.after]
    nothing = [
        (None, Money(amount=Decimal(0), currency=balance.currency)) for _, balance in held[-1:]
    ]
    found = [
        Move(entry, now - before, now)
        for (entry, now), (_, before) in pairwise([*held, *nothing])
        if entry and now != before
    ]
    return found[:limit]


@periodic("accounts watched", after_changes=True)
def watch(context: Context) -> int:
    """Top up what has a rule and is under its mark, tell somebody of what is low. How many accounts
    something was done for."""
    with context.reading() as reading:
        accounts = [
            a
            for a in reading.records.all(Account)
            if a.prepaid and (a.paying or is_low(a) or a.alerted_at or wants_top_up(a, reading.now))
        ]
    return sum(_attend(context, account) for account in accounts)


def _attend(context: Context, account: Account) -> bool:
    payments = dict(account.paying)
    if not payments and account.top_up and wants_top_up(account, context.now()):
        turn = account.topped_up.get(f"{context.now():%Y-%m}", Decimal(0))
        payments = {f"{TOP_UP}{account.id}-{context.now():%Y-%m}-{turn}": account.top_up.amount}
    for key, value in payments.items():
        try:
            _pay_in(context, account.id, value, key)
        except OutsideTrouble:
            return False
    if payments:
        return True
    if is_low(account) is bool(account.alerted_at):
        return False
    with context.writing() as writing:
        now = writing.records.the(Account, account.id)
        low = is_low(now)
        if low is bool(now.alerted_at):
            return False
        writing.save(
            [
                changed(
                    Subject.ACCOUNT,
                    now,
                    now.copy_with(alerted_at=writing.now if low else None),
                    "account.low" if low else "account.no-longer-low",
                )
            ]
        )
        if low:
            _tell(writing, now)
    return True


def _tell(writing: Writing, account: Account) -> None:
    """By mail and by a call to a phone, as the account says; each once."""
    words = (
        f"The balance of {account.name} is {in_words(account.balance)}, under its low mark of"
        f" {in_words(account.low_mark)}."
    )
    key = f"low-{account.id}-{account.version}"
    for how, recipient in (("mail", account.alert_mail), ("phone", account.alert_phone)):
        if recipient:
            subject, text = (
                f"{account.name}: the balance is low",
                f"{words}\n\nDeposit before it reaches zero.\n\n{mail.SENDER_NOTE}",
            )
            mail.write(
                writing,
                f"{key}-{how}",
                recipient,
                Letter(subject, text if how == "mail" else f"This is Sedge. {words}"),
            )


def amount_in(
    context: Context,
    text: str,
    currency: str,
    field: str,
    *,
    least: Decimal = LEAST_DEPOSIT,
    most: Decimal = MOST_DEPOSIT,
) -> Decimal:
    """An amount as somebody of the organisation's country types it. Raises NotUnderstood, also for
    one that could mean two."""
    value = read_amount(text, currency, locale_of(context.organisation.home_country), field=field)
    if not least <= value <= most:
        raise NotUnderstood(
            f"Type an amount between {in_currency(least, currency)} and"
            f" {in_currency(most, currency)}.",
            field=field,
        )
    return value


def account_to_pay(context: Context, account_id: str) -> tuple[Account, Carrier, bool]:
    """An account, its carrier, and whether a key of it is kept."""
    with context.reading() as reading:
        account = reading.records.the(Account, account_id)
        has_key = bool(
            secrets_store.read(
                reading.connection, context.installation.keyring, f"key of {account.id}"
            )
        )
        return account, reading.records.the(Carrier, account.carrier), has_key


def carrier_of(context: Context, key: str) -> Carrier:
    with context.reading() as reading:
        return reading.records.the(Carrier, key)

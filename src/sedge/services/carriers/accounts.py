"""Accounts with carriers: opened one by one or many at once, paid into, watched, and what they do
when money runs low."""

import re
from dataclasses import dataclass
from decimal import Decimal

from sedge.core.access.roles import May
from sedge.core.amounts import CURRENCIES
from sedge.core.changes import changed
from sedge.core.errors import (
    NotAllowedNow,
    NotUnderstood,
    OutsideTrouble,
)
from sedge.core.facts import Money
from sedge.core.numbers.e164 import read_one
from sedge.core.records import Account, Carrier, Site, Subject
from sedge.core.supply.records import TopUp
from sedge.services.carriers.payments import (
    MOST_DEPOSIT,
    SHOWN_AGAIN,
    _pay_in,
    account_to_pay,
    amount_in,
    carrier_of,
)
from sedge.services.context import Context, Reading, Writing
from sedge.services.trunks import trunk_setup
from sedge.store import secrets as secrets_store
from sedge.store.repositories import ledger
from sedge.store.schema import tables

MOST_AT_ONCE = 200


@dataclass(frozen=True)
class Wanted:
    """A line of a batch: for whom, how much is paid in at once, whom to tell when it runs low."""

    name: str
    opening: Decimal
    contact: str


@dataclass(frozen=True)
class Opened:
    """What became of one line. `key` is told this once; `problem` says why there is no account, or
    no deposit."""

    wanted: Wanted
    account: Account | None
    key: str
    problem: str


def lines_in(context: Context, text: str, currency: str) -> list[Wanted]:
    """Lines such as `Copperleaf Cafés; 50.00; office@copperleaf.example`: a name, what is paid in,
    a mail address; the last two can be left out. Raises NotUnderstood naming the line."""
    found: list[Wanted] = []
    for number, line in enumerate(text.splitlines(), start=1):
        if not line.strip():
            continue
        name, opening, contact = (*(part.strip() for part in re.split(r"[;\t]", line)), "", "")[:3]
        try:
            amount = (
                amount_in(context, opening, currency, "lines", least=Decimal(0))
                if opening
                else Decimal(0)
            )
        except NotUnderstood as error:
            raise NotUnderstood(f"Line {number}: {error.message}", field="lines") from error
        found.append(Wanted(name, amount, contact))
    return checked_lines(found)


def checked_lines(found: list[Wanted]) -> list[Wanted]:
    """Accounts as they are asked for, each with a name of its own. Raises NotUnderstood naming the
    line."""
    for number, wanted in enumerate(found, start=1):
        if not 1 <= len(wanted.name) <= 80:
            raise NotUnderstood(
                f"Line {number}: a name of 1 to 80 characters comes first.", field="lines"
            )
        if wanted.contact and not re.fullmatch(r"[^@\s]+@[^@\s]+", wanted.contact):
            raise NotUnderstood(
                f"Line {number}: “{wanted.contact[:60]}” is no mail address.", field="lines"
            )
    if not 1 <= len(found) <= MOST_AT_ONCE:
        raise NotUnderstood(
            f"Type a line for each account, {MOST_AT_ONCE} at most; these are {len(found)}.",
            field="lines",
        )
    names = [w.name.casefold() for w in found]
    if twice := next((w.name for w in found if names.count(w.name.casefold()) > 1), None):
        raise NotUnderstood(f"“{twice}” is there twice.", field="lines")
    return found


def currency_for(context: Context, carrier_id: str, asked: str = "") -> str:
    """The currency of new accounts with a carrier: the one asked for, else that of the account
    whose key asks for them."""
    if asked:
        return asked
    with context.reading() as reading:
        _, ours = _with_accounts(reading, carrier_id)
    main = _main_account(context, ours)
    return main.balance.currency if main else CURRENCIES[context.organisation.home_country]


def has_one(context: Context, carrier_id: str) -> bool:
    with context.reading() as reading:
        return bool(_with_accounts(reading, carrier_id)[1])


def _main_account(context: Context, ours: list[Account]) -> Account | None:
    """The account whose key asks for more of them: one for the home country first."""
    home = context.organisation.home_country
    return next(iter(sorted(ours, key=lambda a: home not in a.countries)), None)


def opens_accounts(context: Context, carrier: str, ours: list[Account]) -> bool:
    """Whether a carrier opens more accounts over the wire: it is reached, and we have an account
    whose key asks for them."""
    return carrier in context.outside.carriers and bool(ours)


def open_many(
    context: Context,
    carrier_id: str,
    wanted: list[Wanted],
    *,
    batch: str,
    currency: str = "",
    show_again: bool = False,
) -> list[Opened]:
    """Accounts at a carrier, each with its own balance. The same `batch` again opens none twice,
    and goes on where one failed; with `show_again` it tells keys made some minutes ago once more,
    for who pressed twice.

    Raises NotFound, NotUnderstood (a name that has an account there already).
    """
    context.require(May.PAY)
    with context.reading() as reading:
        carrier, ours = _with_accounts(reading, carrier_id)
    main = _main_account(context, ours)
    if main is None or not opens_accounts(context, carrier.id, ours):
        raise _not_over_the_wire(carrier)
    _refuse_taken(ours, wanted, batch)
    return [
        _open(
            context,
            carrier,
            main,
            w,
            f"{batch}-{i}",
            currency or main.balance.currency,
            show_again=show_again,
        )
        for i, w in enumerate(wanted)
    ]


@dataclass(frozen=True)
class Opening:
    """Accounts before they are opened: `paid_in` is what goes onto them together."""

    wanted: list[Wanted]
    batch: str
    currency: str
    paid_in: Money


def plan_opening(
    context: Context, carrier_id: str, wanted: list[Wanted], *, batch: str, currency: str = ""
) -> Opening:
    """What opening accounts does, before it is done. Raises as `open_many`."""
    context.require(May.PAY)
    with context.reading() as reading:
        carrier, ours = _with_accounts(reading, carrier_id)
    if not opens_accounts(context, carrier.id, ours):
        raise _not_over_the_wire(carrier)
    _refuse_taken(ours, wanted, batch)
    of = currency_for(context, carrier_id, currency)
    total = Money(amount=sum((w.opening for w in wanted), Decimal(0)), currency=of)
    return Opening(wanted, batch, of, total)


def _refuse_taken(ours: list[Account], wanted: list[Wanted], batch: str) -> None:
    """Raises NotUnderstood for a name that has an account already, NotAllowedNow where this batch
    was sent with other names."""
    taken = {a.name.casefold(): a.id for a in ours}
    opened = {a.id: a.name for a in ours}
    for i, w in enumerate(wanted):
        key = f"{batch}-{i}"
        if taken.get(w.name.casefold(), key) != key:
            raise NotUnderstood(
                f"There is an account called “{w.name}” with this carrier already.", field="lines"
            )
        if opened.get(key, w.name) != w.name:
            raise NotAllowedNow(
                "These lines have been sent before with other names. Begin anew.",
                reason="other-lines",
                field="lines",
            )


def _with_accounts(reading: Reading, carrier: str) -> tuple[Carrier, list[Account]]:
    return reading.records.the(Carrier, carrier), reading.records.where(
        Account, tables.account.c.carrier == carrier, order_by=tables.account.c.id
    )


def _not_over_the_wire(carrier: Carrier) -> NotAllowedNow:
    return NotAllowedNow(
        f"You have no account with {carrier.name} yet whose key could ask for more. Add the first"
        " one with the key it gives you.",
        reason="no-account",
        id=carrier.id,
    )


def open_for(
    context: Context, into: Context, carrier_id: str, wanted: Wanted, *, key: str
) -> Opened:
    """An account for another organisation, asked for with the key of one of ours; it is theirs
    alone from then on. The same `key` again opens none twice. Raises NotFound where we have no
    account there ourselves."""
    context.require(May.PAY)
    with context.reading() as reading:
        carrier, ours = _with_accounts(reading, carrier_id)
    home = into.organisation.home_country
    main = next(
        iter(
            sorted((a for a in ours if not a.receives_only), key=lambda a: home not in a.countries)
        ),
        None,
    )
    if main is None or carrier.id not in context.outside.carriers:
        raise _not_over_the_wire(carrier)
    return _open(context, carrier, main, wanted, key, main.balance.currency, into)


def _open(
    context: Context,
    carrier: Carrier,
    main: Account,
    wanted: Wanted,
    key: str,
    currency: str,
    into: Context | None = None,
    *,
    show_again: bool = False,
) -> Opened:
    owner = into or context
    try:
        theirs = context.at_carrier(main).open_account(key, wanted.name, currency)
    except OutsideTrouble as error:
        return Opened(wanted, None, "", error.message)
    zero = Money(amount=Decimal(0), currency=currency)
    with owner.writing() as writing:
        account = writing.records.find(Account, key)
        if account is None:
            fresh = Account(
                id=key,
                carrier=carrier.id,
                name=wanted.name,
                balance=zero,
                low_mark=zero,
                theirs=theirs.id,
                receives_only=theirs.receives_only,
                contact=wanted.contact,
                alert_mail=wanted.contact,
                countries=main.countries,
            )
            added = changed(Subject.ACCOUNT, None, fresh, "account.added")
            account = writing.save([added])[0].after
        _with_its_trunk(owner, writing, account)
        if theirs.key:
            secrets_store.keep_secret(
                writing.connection,
                context.installation.keyring,
                f"key of {key}",
                theirs.key,
                writing.stamp,
            )
    shown = theirs.key or (_key_just_made(owner, account) if show_again else "")
    if not wanted.opening or not account.receives_only:
        return Opened(wanted, account, shown, "")
    try:
        account = _pay_in(owner, account.id, wanted.opening, f"{key}-opening")
    except OutsideTrouble as error:
        why = f"Opened, but the opening balance has not arrived: {error.message}"
        return Opened(wanted, account, shown, why)
    return Opened(wanted, account, shown, "")


def add_first(
    context: Context, carrier_id: str, *, name: str, key: str = "", currency: str = ""
) -> Account:
    """An account that the carrier has opened for us already. Where the carrier is reached, its key
    says what stands on it; else the account begins at nothing, and its orders go on paper. Raises
    NotUnderstood naming the field, OutsideRefused for a key it does not take.
    """
    context.require(May.PAY)
    name, key = name.strip(), key.strip()
    if not 1 <= len(name) <= 80:
        raise NotUnderstood("An account needs a name of at most 80 characters.", field="name")
    of = carrier_of(context, carrier_id)
    zero = Money(
        amount=Decimal(0), currency=currency or CURRENCIES[context.organisation.home_country]
    )
    theirs = None
    if of.id in context.outside.carriers:
        if not key:
            raise NotUnderstood(
                f"Type the key that {of.name} gave you; it says which account is yours.",
                field="key",
            )
        theirs = context.outside.carrier(of.id).with_key(key).account()
    made = Account(
        id=context.new_id("account"),
        carrier=of.id,
        name=name,
        balance=theirs.balance if theirs else zero,
        low_mark=theirs.balance.times(0) if theirs else zero,
        prepaid=theirs is not None,
        theirs=theirs.id if theirs else "",
        receives_only=theirs.receives_only if theirs else False,
    )
    with context.writing() as writing:
        if any(a.name.casefold() == name.casefold() for a in writing.records.all(Account)):
            raise NotAllowedNow(
                f"There is an account called {name} already.", field="name", reason="exists"
            )
        saved = writing.save([changed(Subject.ACCOUNT, None, made, "account.added")])[0].after
        if key:
            secrets_store.keep_secret(
                writing.connection,
                context.installation.keyring,
                f"key of {saved.id}",
                key,
                writing.stamp,
            )
        _with_its_trunk(context, writing, saved)
    return saved


def _with_its_trunk(context: Context, writing: Writing, account: Account) -> None:
    """The trunk that a carrier brings along, at the site that uses the account, else at the first
    one; later, with the first site."""
    sites = sorted(writing.records.all(Site), key=lambda s: (s.account != account.id, s.name))
    if sites:
        key = context.new_id("trunk")
        trunk_setup.come_with(
            writing, account, sites[0], key=key, up=trunk_setup.is_up(context, key)
        )


def _key_just_made(context: Context, account: Account) -> str:
    """The key of an account that was opened a moment ago, for who presses twice; '' later."""
    with context.reading() as reading:
        entries = ledger.entries(
            reading.connection, subject=Subject.ACCOUNT, key=account.id, limit=50
        ).entries
        if (
            not entries
            or entries[-1].action != "account.added"
            or reading.now - entries[-1].at > SHOWN_AGAIN
        ):
            return ""
        return (
            secrets_store.read(
                reading.connection, context.installation.keyring, f"key of {account.id}"
            )
            or ""
        )


def set_terms(context: Context, account_id: str, form: dict[str, str]) -> Account:
    """Low mark, whom to tell, the top-up rule, the days of grace. Raises NotUnderstood naming the
    field, NotAllowedNow."""
    context.require(May.PAY)
    account, carrier, _ = account_to_pay(context, account_id)
    currency = account.balance.currency
    values = {
        "low_mark": Money(
            amount=amount_in(
                context, form.get("low_mark", "0"), currency, "low_mark", least=-MOST_DEPOSIT
            ),
            currency=currency,
        ),
        "contact": form.get("contact", "").strip()[:200],
        "alert_mail": _mail_in(form.get("alert_mail", "")),
        "alert_phone": _phone_in(context, form.get("alert_phone", "")),
        "top_up": _rule_in(context, form, currency) if account.prepaid else None,
        "grace_days": _grace_in(form.get("grace_days", ""), carrier),
    }
    if (
        values["grace_days"] != account.grace_days
        and values["grace_days"] is not None
        and carrier.id in context.outside.carriers
    ):
        context.at_carrier(account).set_grace(values["grace_days"])
    with context.writing() as writing:
        now = writing.records.the(Account, account_id)
        after = now.copy_with(**values)
        return (
            writing.save([changed(Subject.ACCOUNT, now, after, "account.terms-set")])[0].after
            if after != now
            else now
        )


def _mail_in(text: str) -> str:
    if text.strip() and not re.fullmatch(r"[^@\s]+@[^@\s]+", text.strip()):
        raise NotUnderstood("That is no mail address.", field="alert_mail")
    return text.strip()[:200]


def _phone_in(context: Context, text: str) -> str:
    return (
        read_one(text, context.organisation.home_country, field="alert_phone")
        if text.strip()
        else ""
    )


def _rule_in(context: Context, form: dict[str, str], currency: str) -> TopUp | None:
    if not form.get("top_up_amount", "").strip():
        return None
    rule = TopUp(
        at=amount_in(context, form.get("top_up_at", ""), currency, "top_up_at", least=Decimal(0)),
        amount=amount_in(context, form["top_up_amount"], currency, "top_up_amount"),
        most_a_month=amount_in(context, form.get("top_up_most", ""), currency, "top_up_most"),
    )
    if rule.most_a_month < rule.amount:
        raise NotUnderstood(
            "The most in a month can't be less than one payment.", field="top_up_most"
        )
    return rule


def _grace_in(text: str, carrier: Carrier) -> int | None:
    if not text.strip():
        return None
    if not (
        text.strip().isascii() and text.strip().isdigit() and int(text) <= carrier.most_grace_days
    ):
        raise NotUnderstood(
            f"{carrier.name} waits 0 to {carrier.most_grace_days} days.", field="grace_days"
        )
    return int(text)


def put_key(context: Context, account_id: str, key: str) -> None:
    """Another key for the account, as the carrier has given it. Nobody is shown it again. Raises
    NotUnderstood, OutsideRefused, OutsideSilent, OutsideTrouble."""
    context.require(May.PAY)
    account, carrier, _ = account_to_pay(context, account_id)
    key = key.strip()
    if not 8 <= len(key) <= 500 or not key.isascii() or not key.isprintable():
        raise NotUnderstood("A key has 8 to 500 printable characters.", field="key")
    context.outside.carrier(carrier.id).with_key(key).account()
    _keep_key(context, account, key)


def make_key(context: Context, account_id: str) -> str:
    """A new key made at the carrier; the old one opens nothing any more. Told this once."""
    context.require(May.PAY)
    account, _, has_key = account_to_pay(context, account_id)
    if not has_key:
        raise NotAllowedNow(
            "No key of this account is kept. Put in the one the carrier gave you.", reason="no-key"
        )
    key = context.at_carrier(account).new_key()
    _keep_key(context, account, key)
    return key


def _keep_key(context: Context, account: Account, key: str) -> None:
    with context.writing() as writing:
        secrets_store.keep_secret(
            writing.connection,
            context.installation.keyring,
            f"key of {account.id}",
            key,
            writing.stamp,
        )
        writing.record_event("account.key-changed", Subject.ACCOUNT, account.id, account.name)


# ── watching ──

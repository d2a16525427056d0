"""What carriers charge for numbers in service, booked as they tell of it; and whether they have
suspended an account."""

from datetime import timedelta

from sedge.core.changes import changed
from sedge.core.errors import OutsideTrouble
from sedge.core.facts import Money, in_words
from sedge.core.records import Account, Subject
from sedge.core.supply.reducers import charge
from sedge.formats.letters import Letter
from sedge.outside.carrier import CarrierAccount, CarrierCharge
from sedge.services import mail
from sedge.services.context import Context, Writing
from sedge.services.periodic import at_start, periodic

NAME = "charges"
ASKED_AT = timedelta(minutes=15)  # after midnight; carriers bill before that


@periodic(NAME)
def fetch_nightly(context: Context) -> int:
    """Ask every carrier once a night, and an hour later again where one was silent; for how many
    accounts something came of it."""

    def ask() -> tuple[int, bool]:
        done, silent = fetch_all(context)
        return done, not silent

    return context.installation.nightly(context.who.organisation, NAME, ASKED_AT, ask)


@at_start
def ask_soon(context: Context) -> None:
    """For the nights in which no process ran."""
    installation = context.installation
    installation.next_at[context.who.organisation, NAME] = installation.clock.now()


def fetch_all(context: Context) -> tuple[int, int]:
    """Ask every carrier that can be asked over the wire; for how many accounts something came of
    it, and how many were silent."""
    with context.reading() as reading:
        accounts = [
            a for a in reading.records.all(Account) if a.carrier in context.outside.carriers
        ]
    done = silent = 0
    for account in accounts:
        try:
            done += fetch(context.as_system(), account) != account
        except OutsideTrouble:
            silent += 1
    return done, silent


def fetch(context: Context, account: Account) -> Account:
    """Book what was charged since the last time; each charge once, in the transaction that
    remembers it. Raises OutsideTrouble."""
    theirs, found = context.at_carrier(account).charges(account.charged_to)
    with context.writing() as writing:
        now = writing.records.the(Account, account.id)
        fresh = [c for c in found if c.id > now.charged_to]
    for one in fresh:
        now = _book(context, account.id, one)
    return (
        _suspended(context, account.id, theirs)
        if theirs.suspended_since != now.suspended_since
        else now
    )


def _book(context: Context, key: str, one: CarrierCharge) -> Account:
    with context.writing(reason=one.words) as writing:
        now = writing.records.the(Account, key)
        if one.id <= now.charged_to:
            return now
        booked = charge(now, Money(amount=one.amount, currency=now.balance.currency))
        return writing.save([booked.copy_with(after=booked.after.copy_with(charged_to=one.id))])[
            0
        ].after


def _suspended(context: Context, key: str, theirs: CarrierAccount) -> Account:
    with context.writing() as writing:
        now = writing.records.the(Account, key)
        after = now.copy_with(suspended_since=theirs.suspended_since)
        saved = writing.save(
            [
                changed(
                    Subject.ACCOUNT,
                    now,
                    after,
                    "account.suspended" if after.suspended_since else "account.resumed",
                )
            ]
        )
        if after.suspended_since:
            _tell(writing, after)
        return saved[0].after


def _tell(writing: Writing, account: Account) -> None:
    words = (
        f"{account.name} is suspended: calls to its numbers don't arrive, and none go out. Its"
        f" balance is {in_words(account.balance)}."
    )
    text = f"{words}\n\nDeposit, and service goes on at once.\n\n{mail.SENDER_NOTE}"
    for how, recipient in (("mail", account.alert_mail), ("phone", account.alert_phone)):
        if recipient:
            key = f"suspended-{account.id}-{account.version}-{how}"
            mail.write(
                writing,
                key,
                recipient,
                Letter(
                    f"{account.name} is suspended",
                    text if how == "mail" else f"This is Sedge. {words}",
                ),
            )

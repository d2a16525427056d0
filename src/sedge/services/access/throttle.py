"""How often somebody may try to get in: per account from one address, per account in all, per
address, and altogether.

An attempt is counted before it is looked at, under the write lock, so that many at once count one
after the other; and the same for a mail address that nobody has, so that a refusal tells nothing.
Limits per account and address keep a stranger elsewhere from shutting somebody out.
"""

import hashlib
from dataclasses import dataclass
from datetime import timedelta

from sedge.core.errors import TooMany
from sedge.services.context import Installation
from sedge.store.repositories.access import attempts


@dataclass(frozen=True)
class Limit:
    """So many attempts in a span of time, which begins with the first of them."""

    most: int
    span: timedelta


HERE = Limit(5, timedelta(minutes=5))  # one account, from one address
ACCOUNT = Limit(50, timedelta(minutes=15))
ADDRESS = Limit(60, timedelta(minutes=5))
ALL = Limit(600, timedelta(minutes=5))


@dataclass(frozen=True)
class Caller:
    """Somebody at the door: their network address, and what their browser calls itself."""

    address: str = ""
    agent: str = ""


NOBODY = Caller()


def knock(installation: Installation, what: str, account: str, caller: Caller) -> None:
    """Count an attempt at `what` (a password, a code) of an account. Raises TooMany, with the
    seconds to wait in its facts."""
    now, whose = installation.clock.real(), _digest(account.strip().lower())
    limits = {
        _here(what, account, caller): HERE,
        f"{what} of {whose}": ACCOUNT,
        f"{what} from {caller.address}": ADDRESS,
        f"{what} altogether": ALL,
    }
    with installation.shared.writing() as connection:
        counted = [
            (*attempts.take(connection, key, now, now + limit.span), limit)
            for key, limit in limits.items()
        ]
    waits = [until - now for count, until, limit in counted if count > limit.most]
    if waits:
        seconds = max(1, int(max(waits).total_seconds()))
        raise TooMany(
            f"Too many wrong tries. Wait {_in_words(seconds)}, or ask an administrator.",
            field=what.replace(" ", "_"),
            wait=seconds,
        )


def forget(installation: Installation, what: str, account: str, caller: Caller) -> None:
    """It went well: what was counted for this account from this address is forgotten."""
    with installation.shared.writing() as connection:
        attempts.forget(connection, _here(what, account, caller))


def _here(what: str, account: str, caller: Caller) -> str:
    return f"{what} of {_digest(account.strip().lower())} from {caller.address}"


def _digest(text: str) -> str:
    return hashlib.sha256(text.encode(errors="replace")).hexdigest()[:24]


def _in_words(seconds: int) -> str:
    minutes = -(-seconds // 60)
    return "a minute" if minutes == 1 else f"{minutes} minutes"

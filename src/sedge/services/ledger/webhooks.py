"""Webhooks: other programs hear of the ledger's entries, each in their order and at least once,
signed; a replay tells them again.

The queue is the ledger itself: a webhook keeps how far it was told. An event that is not taken is
told again with growing pauses, and holds up those after it; after days of that the webhook stops,
and Today says so.
"""

import json
import secrets
from collections.abc import Sequence
from dataclasses import replace
from datetime import timedelta
from urllib.parse import urlsplit

from sedge.core.access.roles import May
from sedge.core.errors import NotFound, NotUnderstood, OutsideTrouble
from sedge.core.ledger.chain import Entry
from sedge.core.records import Subject
from sedge.outside import webhook as wire
from sedge.services.context import Context
from sedge.services.periodic import periodic
from sedge.store import secrets as secrets_store
from sedge.store.repositories import ledger, webhooks
from sedge.store.repositories.webhooks import Webhook

TOLD_OF = (
    Subject.WORK_ORDER,
    Subject.NUMBER,
    Subject.ORDER,
    Subject.PORT,
    Subject.PORT_OUT,
    Subject.PERSON,
    Subject.SITE,
    Subject.SPOT,
    Subject.PATH,
    Subject.TRUNK,
    Subject.ACCOUNT,
    Subject.SIGN_IN,
)
MOST = 20
A_ROUND = 50  # events of a webhook at one tick
FIRST_PAUSE, LONGEST_PAUSE = timedelta(seconds=5), timedelta(hours=1)
GIVEN_UP_AFTER = 80  # tries: with these pauses three days


def add(context: Context, name: str, url: str, subjects: Sequence[str]) -> tuple[Webhook, str]:
    """A webhook from the next event on, and the secret that signs what it hears, told this once.
    Raises NotUnderstood naming the field."""
    context.require(May.SET_RULES)
    name, url = name.strip(), url.strip()
    if not 1 <= len(name) <= 80:
        raise NotUnderstood("A webhook needs a name of at most 80 characters.", field="name")
    _refuse_address(context, url)
    known = {subject.value for subject in TOLD_OF}
    wanted = tuple(dict.fromkeys(subjects))
    if not wanted or set(wanted) - known:
        raise NotUnderstood(
            f"Choose at least one of: {', '.join(sorted(known))}.", field="subjects"
        )
    key, secret = context.new_id("webhook"), secrets.token_urlsafe(32)
    with context.writing() as writing:
        if len(webhooks.all_of(writing.connection)) >= MOST:
            raise NotUnderstood(f"There are {MOST} webhooks. Remove one first.", field="name")
        made = Webhook(
            key,
            name,
            url,
            wanted,
            context.actor,
            writing.now,
            position=ledger.last_sequence(writing.connection),
        )
        webhooks.add(writing.connection, made)
        secrets_store.keep_secret(
            writing.connection,
            context.installation.keyring,
            _kept_under(key),
            secret,
            writing.stamp,
        )
        writing.record_event(
            "webhook.added", Subject.SIGN_IN, key, f"{name}: {urlsplit(url).hostname}"
        )
    return made, secret


def _refuse_address(context: Context, url: str) -> None:
    parts = urlsplit(url)
    wrong = (
        parts.scheme not in {"https", "http"}
        or not parts.hostname
        or parts.username is not None
        or len(url) > 500
    )
    if wrong:
        raise NotUnderstood("An address begins with https:// and names a host.", field="url")
    if parts.scheme == "http" and not _inside(context):
        raise NotUnderstood("Events go over https:// only.", field="url")
    if not _inside(context):
        try:
            wire.refuse_inside(url)
        except OutsideTrouble as error:
            raise NotUnderstood(error.message, field="url") from error


def list_webhooks(context: Context) -> list[Webhook]:
    context.require(May.SET_RULES)
    with context.reading() as reading:
        return webhooks.all_of(reading.connection)


def remove(context: Context, key: str) -> None:
    """Raises NotFound."""
    context.require(May.SET_RULES)
    with context.writing() as writing:
        known = _the(webhooks.find(writing.connection, key), key)
        webhooks.remove(writing.connection, key)
        writing.record_event("webhook.removed", Subject.SIGN_IN, key, known.name)


def replay(context: Context, key: str, after: int | None = None) -> Webhook:
    """Tell again what came after an entry of the ledger, or go on where it stopped. Raises
    NotFound, NotUnderstood."""
    context.require(May.SET_RULES)
    with context.writing() as writing:
        known = _the(webhooks.find(writing.connection, key), key)
        newest = ledger.last_sequence(writing.connection)
        position = known.position if after is None else after
        if not 0 <= position <= newest:
            raise NotUnderstood(f"The ledger has entries 1 to {newest:,}.", field="after")
        again = {"position": position, "tries": 0, "next_try": None, "stopped_at": None}
        webhooks.note(writing.connection, key, **again, problem=None)
        writing.touch()
    return replace(known, **again, problem=None)


@periodic("webhooks", last=True)
def tell_waiting(context: Context) -> int:
    """Tell every webhook what it has not heard of; how many events were taken."""
    with context.reading() as reading:
        due = webhooks.due(reading.connection, reading.now)
    return sum(_tell(context, webhook) for webhook in due)


def _tell(context: Context, webhook: Webhook) -> int:
    done, position = 0, webhook.position
    while done < A_ROUND:
        with context.reading() as reading:
            entry = webhooks.next_entry(reading.connection, replace(webhook, position=position))
            secret = secrets_store.read(
                reading.connection, context.installation.keyring, _kept_under(webhook.id)
            )
        if entry is None:
            break
        try:
            _tell_one(context, webhook, entry, secret)
        except OutsideTrouble as error:
            _failed(context, webhook, error, done)
            return done
        done, position = done + 1, entry.sequence
        with context.writing() as writing:
            webhooks.note(
                writing.connection,
                webhook.id,
                position=position,
                told_at=writing.now,
                tries=0,
                next_try=None,
                problem=None,
            )
    return done


def _tell_one(context: Context, webhook: Webhook, entry: Entry, secret: str) -> None:
    event = {
        "id": entry.sequence,
        "organisation": context.who.organisation,
        "action": entry.action,
        "subject": entry.subject,
        "subject_id": entry.subject_id,
        "title": entry.title,
        "actor": entry.actor,
        "at": entry.at.isoformat(),
        "reason": entry.reason,
        "work_order": entry.work_order,
    }
    body = json.dumps(event, ensure_ascii=False, separators=(",", ":")).encode()
    wire.tell(
        webhook.url,
        secret,
        str(int(context.installation.clock.real().timestamp())),
        f"{webhook.id}-{entry.sequence}",
        body,
        inside=_inside(context),
        seconds=context.installation.settings.outside_seconds,
    )


def _failed(context: Context, webhook: Webhook, error: OutsideTrouble, done: int) -> None:
    tries = 1 if done else webhook.tries + 1
    pause = min(FIRST_PAUSE * 2 ** min(tries - 1, 12), LONGEST_PAUSE)
    stopped = tries >= GIVEN_UP_AFTER
    with context.writing() as writing:
        webhooks.note(
            writing.connection,
            webhook.id,
            tries=tries,
            next_try=writing.now + pause,
            problem=error.message[:400],
            stopped_at=writing.now if stopped else None,
        )


def _inside(context: Context) -> bool:
    return context.installation.settings.demo or context.installation.settings.inside_webhooks


def _the(found: Webhook | None, key: str) -> Webhook:
    if found is None:
        raise NotFound("There is no such webhook.", subject="webhook", id=key)
    return found


def _kept_under(key: str) -> str:
    return f"secret of {key}"

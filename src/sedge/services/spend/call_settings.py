"""How long call records are kept, and whether callers' numbers are shortened."""

from dataclasses import asdict, dataclass
from datetime import timedelta
from zoneinfo import ZoneInfo

from sqlalchemy import Connection

from sedge.core.access.roles import May
from sedge.core.enums import Subject
from sedge.core.errors import NotUnderstood
from sedge.core.records import ORGANISATION
from sedge.services.context import Context
from sedge.services.periodic import periodic
from sedge.store.repositories.spend import calls
from sedge.store.repositories.spend import settings as spend_settings

NAME = "call records"
LEAST_DAYS, MOST_DAYS = 30, 3650
AT_NIGHT = timedelta(hours=2)


@dataclass(frozen=True)
class CallSettings:
    """`keep_days` 0: for good. Counts of days, months and hours stay; they name nobody outside."""

    keep_days: int = 400
    shorten: bool = False


def read(connection: Connection) -> CallSettings:
    known = spend_settings.read(connection, NAME)
    return CallSettings(**known) if known else CallSettings()


def view(context: Context) -> CallSettings:
    with context.reading() as reading:
        return read(reading.connection)


def change_call_settings(context: Context, *, keep_days: int, shorten: bool) -> CallSettings:
    """Raises NotUnderstood naming the field."""
    context.require(May.SET_RULES)
    if keep_days and not LEAST_DAYS <= keep_days <= MOST_DAYS:
        message = f"Calls are kept for {LEAST_DAYS} to {MOST_DAYS:,} days, or 0 for good."
        raise NotUnderstood(message, field="keep_days")
    settings = CallSettings(keep_days, shorten)
    with context.writing() as writing:
        spend_settings.keep(writing.connection, NAME, asdict(settings))
        kept = f"{keep_days} days" if keep_days else "for good"
        title = f"{kept}{', shortened' if shorten else ''}"
        writing.record_event("calls.kept-for", Subject.DEFAULTS, ORGANISATION, title)
    return settings


def read_zone(text: str, field: str = "zone") -> str:
    """Raises NotUnderstood for a time zone that there is not (IANA)."""
    try:
        return ZoneInfo(text.strip()).key
    except (KeyError, ValueError, OSError):
        message = f"“{text[:40]}” is no time zone: type one such as Europe/London."
        raise NotUnderstood(message, field=field, reason="zone") from None


@periodic(NAME + " forgotten")
def forget_nightly(context: Context) -> int:
    """Take away the records that are older than they are kept, once a night."""

    def forget() -> tuple[int, bool]:
        with context.writing() as writing:
            settings = read(writing.connection)
            if not settings.keep_days:
                return 0, True
            before = context.now() - timedelta(days=settings.keep_days)
            return calls.forget_before(writing.connection, before), True

    return context.installation.nightly(context.who.organisation, NAME, AT_NIGHT, forget)

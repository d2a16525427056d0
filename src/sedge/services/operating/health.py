"""How an installation is: for whatever watches it, and for the page System."""

import shutil
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta

from sqlalchemy import text
from sqlalchemy.exc import DatabaseError

from sedge import metrics
from sedge.services import mail
from sedge.services.context import Context, Installation, system_member
from sedge.services.mail import Post
from sedge.services.operating import nightly_backup
from sedge.services.operating.nightly_backup import LastBackup
from sedge.store.folder import LEAST_ROOM
from sedge.store.repositories import ledger, workorders
from sedge.troubles import Trouble, last_troubles


@dataclass(frozen=True)
class Service:
    """A service outside: whether there is one, when it was asked last, and what was wrong then."""

    name: str
    is_connected: bool
    seen: metrics.Seen | None


@dataclass(frozen=True)
class System:
    """What the page System shows an administrator: the installation's facts, and the own
    organisation's."""

    started: datetime
    free_bytes: int
    is_full: bool
    estate_bytes: int
    ledger_entries: int
    open_tasks: int
    late: timedelta
    post: Post
    services: list[Service]
    backup: LastBackup
    troubles: list[Trouble]


def problems(installation: Installation) -> list[str]:
    """Why this process can't do its work, in sentences; none where it can."""
    found = []
    if free(installation) < LEAST_ROOM:
        found.append("The disk is full.")
    try:
        with installation.shared.reading() as connection:
            connection.execute(text("SELECT 1"))
    except DatabaseError:
        found.append("The installation's database can't be read.")
    return found


def degraded(installation: Installation) -> list[str]:
    """What is wrong with parts of it, while the rest goes on."""
    return [f"The database of {key} can't be read." for key in installation.damaged]


def free(installation: Installation) -> int:
    """Bytes of room on the disk of the data."""
    return shutil.disk_usage(installation.settings.data).free


def refresh_gauges(installation: Installation) -> None:
    """Everything that is measured when somebody asks."""
    opened, late, waiting, given_up = 0, timedelta(0), 0, 0
    for key in list(installation.estates):
        context = installation.context(system_member(key))
        with context.reading() as reading:
            count, since = workorders.open_tasks(reading.connection, reading.now)
        opened += count
        late = max(late, since)
        post = mail.standing(context)
        waiting, given_up = waiting + post.waiting, given_up + post.given_up
    metrics.TASKS_OPEN.set(opened)
    metrics.OLDEST_TASK.set(late.total_seconds())
    metrics.MAILS_WAITING.set(waiting)
    metrics.MAILS_GIVEN_UP.set(given_up)
    sizes = (f.stat().st_size for f in installation.settings.data.glob("*.sqlite*"))
    metrics.DATABASE_BYTES.set(sum(sizes))
    metrics.DISK_FREE.set(free(installation))
    metrics.DAMAGED.set(len(installation.damaged))
    metrics.ORGANISATIONS.set(len(installation.estates))
    last = nightly_backup.last(installation)
    age = (datetime.now(UTC) - last.good_at).total_seconds() if last.good_at else -1
    metrics.BACKUP_AGE.set(age)


def system(context: Context) -> System:
    installation = context.installation
    with context.reading() as reading:
        opened, late = workorders.open_tasks(reading.connection, reading.now)
        entries = ledger.last_sequence(reading.connection)
    file = installation.estates[context.who.organisation].file
    mine = {"", context.who.organisation}
    return System(
        datetime.fromtimestamp(metrics.STARTED, UTC),
        free(installation),
        free(installation) < LEAST_ROOM,
        file.stat().st_size,
        entries,
        opened,
        late,
        mail.standing(context),
        _services(installation),
        nightly_backup.last(installation),
        [t for t in last_troubles() if t.organisation in mine][:30],
    )


def _services(installation: Installation) -> list[Service]:
    outside = installation.outside
    named = (
        outside.telephony,
        outside.register,
        outside.mail,
        outside.directory,
        outside.numbering,
        outside.ports,
    )
    found = [Service(s.name, s.is_connected, metrics.LAST_SEEN.get(s.name)) for s in named]
    carriers = (s.name for s in outside.carriers.values())
    return found + [Service(name, True, metrics.LAST_SEEN.get(name)) for name in carriers]

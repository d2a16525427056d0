"""The backup that is made each night by itself, where the settings say so; how the last ones
went."""

import json
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta

import structlog

from sedge.core.errors import CannotStart
from sedge.services.context import Installation
from sedge.services.operating import backups
from sedge.store.repositories.access import sign_ins

KEPT_UNDER = "last backup"
TOO_OLD = timedelta(hours=36)
AGAIN = timedelta(hours=1)  # after one that failed
log = structlog.get_logger("sedge.backup")


@dataclass(frozen=True)
class LastBackup:
    """`good_at`: when the last good one was made, None where none was; `problem`: what was wrong
    with the last try, "" where nothing. `is_wanted`: whether the settings ask for any."""

    is_wanted: bool
    good_at: datetime | None = None
    tried_at: datetime | None = None
    file: str = ""
    size: int = 0
    problem: str = ""

    @property
    def is_late(self) -> bool:
        """Whether the last good one is older than a day and a half."""
        if not self.is_wanted:
            return False
        return self.good_at is None or datetime.now(UTC) - self.good_at > TOO_OLD


def last(installation: Installation) -> LastBackup:
    with installation.shared.reading() as connection:
        kept = sign_ins.setting(connection, KEPT_UNDER)
    is_wanted = installation.settings.backup_folder is not None
    if kept is None:
        return LastBackup(is_wanted)
    found = json.loads(kept)
    return LastBackup(
        is_wanted,
        _moment(found["good_at"]),
        _moment(found["tried_at"]),
        found["file"],
        found["size"],
        found["problem"],
    )


def make_when_due(installation: Installation, at: datetime | None = None) -> bool:
    """Make tonight's where it is time and it was not made yet; whether one was made."""
    settings, now = installation.settings, at or datetime.now(UTC)
    if settings.backup_folder is None:
        return False
    known = last(installation)
    due = now.replace(hour=settings.backup_hour, minute=0, second=0, microsecond=0)
    due -= timedelta(days=1) if due > now else timedelta(0)
    done = known.good_at is not None and known.good_at >= due
    just_tried = known.tried_at is not None and now - known.tried_at < AGAIN
    if done or (known.problem and just_tried):
        return False
    return _make(installation, known, now)


def _make(installation: Installation, known: LastBackup, now: datetime) -> bool:
    settings = installation.settings
    good_at, file, size, problem = known.good_at, known.file, known.size, ""
    try:
        made = backups.make(
            settings.data,
            settings.backup_folder or settings.data,
            settings.backup_passphrase_file,
            settings.backup_keep,
            now,
        )
        good_at, file, size = now, made.file.name, made.size
    except CannotStart as error:
        problem = str(error)
        log.warning("backup failed", error=problem)
    kept = {
        "good_at": good_at.isoformat() if good_at else None,
        "tried_at": now.isoformat(),
        "file": file,
        "size": size,
        "problem": problem,
    }
    with installation.shared.writing() as connection:
        sign_ins.put_setting(connection, KEPT_UNDER, json.dumps(kept))
    return not problem


def _moment(text: str | None) -> datetime | None:
    return datetime.fromisoformat(text) if text else None

"""The ledger as lines of JSON in a file, for whatever collects logs: each entry once, in order."""

import json
import os
from pathlib import Path

from sedge.services.context import Desk
from sedge.services.periodic import periodic
from sedge.store.repositories import ledger
from sedge.store.repositories.access import installation

A_ROUND = 500


@periodic("audit", after_changes=True, last=True)
def append(desk: Desk) -> int:
    """Add what is new. The lines are on the disk before it is noted that they are, so that a
    process that dies between writes some twice rather than none."""
    file = desk.house.settings.audit_file
    if file is None:
        return 0
    kept_under = f"audit {desk.who.organisation}"[:40]
    with desk.house.installation.reading() as connection:
        done = int(installation.setting(connection, kept_under) or 0)
    with desk.reading() as reading:
        entries = ledger.entries_after(reading.connection, done, A_ROUND)
    if not entries:
        return 0
    lines = [
        {"organisation": desk.who.organisation, **entry.model_dump(mode="json", exclude={"after"})}
        for entry in entries
    ]
    _add(file, "".join(json.dumps(line, ensure_ascii=False) + "\n" for line in lines))
    with desk.house.installation.writing() as connection:
        installation.put_setting(connection, kept_under, str(entries[-1].sequence))
    return len(entries)


def _add(file: Path, text: str) -> None:
    with os.fdopen(os.open(file, os.O_WRONLY | os.O_CREAT | os.O_APPEND, 0o600), "a") as opened:
        opened.write(text)
        opened.flush()
        os.fsync(opened.fileno())

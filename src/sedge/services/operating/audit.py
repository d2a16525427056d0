"""The ledger as lines of JSON for whatever collects logs, in a file and at a syslog server: each
entry once, in order."""

import json
import os
from collections.abc import Callable, Sequence
from datetime import datetime
from pathlib import Path

import structlog

from sedge.core.errors import OutsideTrouble
from sedge.core.ledger.chain import Entry
from sedge.outside.syslog import SyslogServer
from sedge.services.context import Context
from sedge.services.periodic import periodic
from sedge.store.repositories import ledger
from sedge.store.repositories.access import sign_ins

A_ROUND = 500
log = structlog.get_logger("sedge")


@periodic("audit", after_changes=True, last=True)
def append(context: Context) -> int:
    """Add what is new. The lines are on the disk, or taken by the server, before it is noted that
    they are, so that a process that dies between writes some twice rather than none."""
    settings, done = context.installation.settings, 0
    if file := settings.audit_file:
        done += _pass_on(context, "audit", lambda lines: _add(file, lines))
    if settings.audit_syslog:
        server = SyslogServer.read(settings.audit_syslog)
        try:
            done += _pass_on(
                context, "syslog", lambda lines: server.send(lines, settings.outside_seconds)
            )
        except OutsideTrouble as error:  # what it has not taken waits
            log.warning("audit", error=error.message, organisation=context.who.organisation)
    return done


Line = tuple[datetime, str, str]  # moment, action, JSON


def _pass_on(context: Context, name: str, take: Callable[[Sequence[Line]], None]) -> int:
    kept_under = f"{name} {context.who.organisation}"[:40]
    with context.installation.shared.reading() as connection:
        done = int(sign_ins.setting(connection, kept_under) or 0)
    with context.reading() as reading:
        entries = ledger.entries_after(reading.connection, done, A_ROUND)
    if not entries:
        return 0
    take([(entry.at, entry.action, _as_json(context, entry)) for entry in entries])
    with context.installation.shared.writing() as connection:
        sign_ins.put_setting(connection, kept_under, str(entries[-1].sequence))
    return len(entries)


def _as_json(context: Context, entry: Entry) -> str:
    told = {
        "organisation": context.who.organisation,
        **entry.model_dump(mode="json", exclude={"after"}),
    }
    return json.dumps(told, ensure_ascii=False)


def _add(file: Path, lines: Sequence[Line]) -> None:
    with os.fdopen(os.open(file, os.O_WRONLY | os.O_CREAT | os.O_APPEND, 0o600), "a") as opened:
        opened.write("".join(f"{text}\n" for _, _, text in lines))
        opened.flush()
        os.fsync(opened.fileno())

"""The last warnings and errors of the log, for people. Each process keeps its own and, where there
are several, writes them down for the one that shows them."""

import json
import os
from collections import deque
from collections.abc import MutableMapping
from contextlib import suppress
from dataclasses import asdict, dataclass
from datetime import UTC, datetime
from pathlib import Path

MOST, LARGEST = 200, 256 * 1024  # of each process; bytes of its file
TOLD = ("error", "service", "task", "path", "key")  # of a log line, as far as it has them


@dataclass(frozen=True)
class Trouble:
    """A warning or an error of the log. `organisation` is whose it was, "" for the installation's
    own."""

    at: datetime
    level: str
    event: str
    says: str
    organisation: str


_own: deque[Trouble] = deque(maxlen=MOST)


def note_trouble(
    _logger: object, method: str, line: MutableMapping[str, object]
) -> MutableMapping[str, object]:
    """A processor of log lines: keeps those that tell of trouble."""
    if method in {"warning", "error", "exception", "critical"}:
        says = "; ".join(f"{name} {line[name]}" for name in TOLD if name in line)
        organisation = str(line.get("organisation") or "")
        event = str(line.get("event", ""))
        _own.append(Trouble(datetime.now(UTC), method, event, says[:400], organisation))
        if folder := _shared():
            with suppress(OSError):  # a full disk is told elsewhere
                _write_down(folder / f"{os.getpid()}.troubles")
    return line


def last_troubles() -> list[Trouble]:
    """Of all processes, newest first."""
    found = list(_own)
    if folder := _shared():
        for file in folder.glob("*.troubles"):
            if file.stem != str(os.getpid()):
                found += _read(file)
    return sorted(found, key=lambda trouble: trouble.at, reverse=True)


def _shared() -> Path | None:
    """The folder that processes beside each other share for their figures."""
    folder = os.environ.get("PROMETHEUS_MULTIPROC_DIR")
    return Path(folder) if folder else None


def _write_down(file: Path) -> None:
    """The newest one more; only the last ones where the file has become large."""
    anew = file.exists() and file.stat().st_size > LARGEST
    with file.open("w" if anew else "a", encoding="utf-8") as lines:
        for trouble in _own if anew else [_own[-1]]:
            told = asdict(trouble) | {"at": trouble.at.isoformat()}
            lines.write(json.dumps(told) + "\n")


def _read(file: Path) -> list[Trouble]:
    """What a process has written down; the last line may be half written."""
    found = []
    for line in file.read_text(encoding="utf-8", errors="replace").splitlines()[-MOST:]:
        with suppress(ValueError, KeyError, TypeError):
            told = json.loads(line)
            found.append(Trouble(**told | {"at": datetime.fromisoformat(told["at"])}))
    return found

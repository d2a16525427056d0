"""Processes beside the one that writes. They are forked before anything is opened or started, so
that they share the memory of all that is loaded, and end with the process that made them.

A keeper stands between: it has neither threads nor databases, so that it can fork another reader
for one that has ended.
"""

import json
import os
import secrets
import select
import shutil
import signal
import socket
import sys
import threading
import time
from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager, suppress
from dataclasses import dataclass
from pathlib import Path
from tempfile import mkdtemp
from typing import NoReturn

import structlog
from fastapi import FastAPI

from sedge.core.errors import CannotStart
from sedge.settings import Settings

log = structlog.get_logger("sedge")
SOCKET = "writer"  # in a folder that its owner alone may enter
LOOK_SECONDS, AGAIN_SECONDS = 0.5, 1.0  # between looks at readers; before another begins
GRACE_SECONDS = 10.0
Listening = Callable[["Reader", FastAPI], None]
Life = Callable[[str], None]  # of a reader; it is told where the stand-ins are


@dataclass(frozen=True)
class Reader:
    """What a process that only reads has: where it listens, where the writer does, the seal by
    which that one knows it; and what it has been told of the services outside."""

    listens: socket.socket
    writer: Path
    seal: str
    outside: str


@dataclass(frozen=True)
class Readers:
    """As the writing process sees them. `listens`: its own socket on the port that all share."""

    listens: socket.socket | None = None
    writer: Path = Path()
    seal: str = ""
    tells: int = -1

    def begin(self, outside: str = "") -> None:
        """Everything is open, they can answer now. `outside`: where the stand-ins are, if any."""
        os.write(self.tells, json.dumps(outside).encode() + b"\n")


@contextmanager
def readers_beside(settings: Settings, app: FastAPI, listen: Listening) -> Iterator[Readers]:
    """All workers but this process, which is the one that writes; none where there is to be one
    alone. Raises CannotStart where the port is taken."""
    if settings.workers == 1:
        yield Readers()
        return
    sockets = _sockets(settings)
    writer, seal = Path(mkdtemp(prefix="sedge-")) / SOCKET, secrets.token_hex(16)
    lives = [
        lambda outside, at=at: listen(Reader(at, writer, seal, outside), app) for at in sockets[1:]
    ]
    hears, tells = os.pipe()
    keeper = os.fork()
    if keeper == 0:
        os.close(tells)
        sockets[0].close()
        _keep(hears, lives)
    os.close(hears)
    for one in sockets[1:]:
        one.close()
    threading.Thread(target=_watch, args=[keeper], daemon=True).start()
    try:
        yield Readers(sockets[0], writer, seal, tells)
    finally:
        os.close(tells)  # which ends them
        shutil.rmtree(writer.parent, ignore_errors=True)


def _watch(keeper: int) -> None:
    with suppress(ChildProcessError):
        _, status = os.waitpid(keeper, 0)
        log.info("reading processes ended", status=status)


def _keep(hears: int, lives: Sequence[Life]) -> NoReturn:
    """The life of the keeper: wait for the word to begin, see that each reader is there, end with
    the process that made it. It never gets back into what that one was doing."""
    os.umask(0o077)
    signal.signal(signal.SIGINT, signal.SIG_IGN)  # a terminal sends it to all; the pipe tells
    try:
        if word := _line(hears):
            _tend(hears, lives, json.loads(word))
    finally:
        sys.stdout.flush()
        os._exit(0)


def _line(pipe: int) -> bytes:
    """What is told until the end of the line; nothing where nobody is there any more."""
    told = b""
    while not told.endswith(b"\n"):
        part = os.read(pipe, 4096)
        if not part:
            return b""
        told += part
    return told


def _tend(hears: int, lives: Sequence[Life], outside: str) -> None:
    at_work = {_begin(hears, life, outside): life for life in lives}
    while not select.select([hears], [], [], LOOK_SECONDS)[0]:
        for process in [p for p in at_work if os.waitpid(p, os.WNOHANG)[0]]:
            log.warning("reading process ended, another begins", process=process)
            time.sleep(AGAIN_SECONDS)
            life = at_work.pop(process)
            at_work[_begin(hears, life, outside)] = life
    ends = time.monotonic() + GRACE_SECONDS
    for process in at_work:
        while not os.waitpid(process, os.WNOHANG)[0]:
            if time.monotonic() > ends:
                os.kill(process, signal.SIGKILL)
            time.sleep(0.05)


def _begin(hears: int, life: Life, outside: str) -> int:
    """A reader, forked: its connections wait on its socket until it takes them."""
    process = os.fork()
    if process:
        return process
    status = 1
    try:
        threading.Thread(target=_end_with, args=[hears], daemon=True).start()
        life(outside)
        status = 0
    except CannotStart as error:
        sys.stderr.write(f"{error}\n")
    except Exception:
        log.exception("a reading process failed")
    finally:
        sys.stdout.flush()
        os._exit(status)


def _end_with(hears: int) -> None:
    while os.read(hears, 1):
        pass  # nothing more is told; it ends once the other end is closed, however that came
    os.kill(os.getpid(), signal.SIGTERM)


def _sockets(settings: Settings) -> list[socket.socket]:
    """One for each worker on one port, among which the system deals out connections
    (SO_REUSEPORT)."""
    family = socket.AF_INET6 if ":" in settings.host else socket.AF_INET
    with socket.socket(family) as probe:  # with the option alone a second Sedge would join in
        probe.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        try:
            probe.bind((settings.host, settings.port))
        except OSError as error:
            raise port_taken(settings) from error
    made = []
    for _ in range(settings.workers):
        one = socket.socket(family)
        one.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        one.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEPORT, 1)
        one.bind((settings.host, settings.port))
        made.append(one)
    return made


def port_taken(settings: Settings) -> CannotStart:
    return CannotStart(
        f"Port {settings.port} of {settings.host} is taken, or may not be listened on. Choose"
        " another with --port."
    )

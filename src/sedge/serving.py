"""The process that serves: the folder taken, everything opened, the port listened on, and all of it
given back."""

import asyncio
import signal
import socket
import ssl
import sys
import warnings
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from typing import NoReturn

import structlog
import uvicorn
from fastapi import FastAPI
from pydantic.warnings import UnsupportedFieldAttributeWarning
from starlette.types import ASGIApp

from sedge.app import (
    Services,
    attach_installation,
    build_app,
    freeze_startup_objects,
    keep_up,
    open_installation,
    open_reading,
    set_up_logging,
)
from sedge.core.errors import CannotStart
from sedge.outside.outside import Addresses, at_addresses
from sedge.outside.smtp import MailServer
from sedge.passing_on import FromReaders, PassesOn
from sedge.readers import Reader, Readers, port_taken, readers_beside
from sedge.services.access import first_run
from sedge.services.context import Installation
from sedge.settings import Settings
from sedge.store.folder import folder_in_use, told_plainly
from sedge.traces import send_spans

GRACE_SECONDS = 2  # open pages hold a stream that would never end
log = structlog.get_logger("sedge")

# FastAPI hides this one of its own from itself, in a way that doesn't hold while two applications
# are made at once.
warnings.filterwarnings("ignore", category=UnsupportedFieldAttributeWarning)


def serve(settings: Settings) -> None:
    """Serve a real installation until it is told to stop. Raises CannotStart."""
    set_up_logging(as_json=settings.log_json)
    app = build_app()
    freeze_startup_objects()

    def answer(reader: Reader, app: FastAPI) -> None:
        answer_by_reading(settings, services_of(settings), reader, app)

    with (
        readers_beside(settings, app, answer) as readers,
        opened(settings) as installation,
        traced(settings),
    ):
        if code := first_run.open_door(installation):
            say(
                "Nobody signs in here yet. Set up the first organisation at"
                f" {settings.address}/first-run with the code {code}"
            )
        listen(attach_installation(app, installation), readers)


@contextmanager
def traced(settings: Settings) -> Iterator[None]:
    """Spans are sent where the settings say. Each process has its own sender, begun after it has
    parted from the one that made it. Raises CannotStart."""
    end = send_spans(settings.traces)
    try:
        yield
    finally:
        end()


@contextmanager
def opened(settings: Settings) -> Iterator[Installation]:
    """An installation, its folder in use by nobody else. Raises CannotStart."""
    with folder_in_use(settings.data):
        with told_plainly(settings.data):
            installation = open_installation(settings, services_of(settings))
        try:
            yield installation
        finally:
            installation.close()


def services_of(settings: Settings) -> Services:
    """The services outside that the settings name; none of the others is there."""
    where = Addresses(
        telephony=settings.telephony_url,
        register=settings.register_url,
        directory=settings.directory_url,
        numbering=settings.numbering_url,
        ports=settings.ports_url,
        carriers=settings.carriers,
        mail=mail_server(settings),
    )
    return lambda callback: at_addresses(where, callback=callback, seconds=settings.outside_seconds)


def mail_server(settings: Settings) -> MailServer | None:
    if not settings.smtp_host:
        return None
    return MailServer(
        settings.smtp_host,
        settings.smtp_port,
        settings.mail_from,
        settings.smtp_tls,
        settings.smtp_user,
        settings.smtp_password.get_secret_value(),
        settings.outside_seconds,
    )


def listen(app: FastAPI, readers: Readers, outside: str = "") -> None:
    """Answer until the process is told to stop. `outside`: where the stand-ins are, if any. Raises
    CannotStart where the port or the certificate can't be had."""
    settings = app.state.installation.settings
    signal.signal(signal.SIGTERM, _leave)  # the server raises it again once it has stopped
    freeze_startup_objects()
    if readers.listens is None:
        config = _config(settings, app)
        server, listens = uvicorn.Server(config), _bound(config, settings)
    else:
        sealed = FromReaders(app, readers.seal)
        config = _config(settings, sealed)
        inner = uvicorn.Config(
            sealed,
            uds=str(readers.writer),
            log_level="warning",
            lifespan="off",
            timeout_graceful_shutdown=GRACE_SECONDS,
        )
        server = WithReaders(config, Inner(inner), lambda: readers.begin(outside))
        listens = readers.listens
    listens.listen(
        config.backlog
    )  # whoever reads the address below and comes at once is not refused
    say(f"Sedge: {settings.address}")
    server.run(sockets=[listens])


def answer_by_reading(
    settings: Settings, services: str | Services, reader: Reader, app: FastAPI
) -> None:
    """The life of a process that only reads. Raises CannotStart."""
    installation = open_reading(settings, services)
    attach_installation(app, installation)
    freeze_startup_objects()
    passing = PassesOn(app, reader.writer, reader.seal, lambda: keep_up(installation))
    with traced(settings):
        uvicorn.Server(_config(settings, passing)).run(sockets=[reader.listens])
    installation.close()


def _leave(*_: object) -> NoReturn:
    """So that all that was opened is closed, as after Ctrl+C."""
    raise SystemExit(0)


class Inner(uvicorn.Server):
    """A server beside another one, which hears the signals for both."""

    @contextmanager
    def capture_signals(self) -> Iterator[None]:
        yield


class WithReaders(uvicorn.Server):
    """Takes what readers pass on, on a socket of its own, and has them begin once it does."""

    def __init__(self, config: uvicorn.Config, inner: Inner, begin: Callable[[], None]) -> None:
        super().__init__(config)
        self.inner, self.begin = inner, begin

    async def startup(self, sockets: list[socket.socket] | None = None) -> None:
        await super().startup(sockets)
        self._beside = asyncio.create_task(self.inner.serve())
        while not self.inner.started and not self._beside.done():
            await asyncio.sleep(0.01)
        self.begin()

    async def shutdown(self, sockets: list[socket.socket] | None = None) -> None:
        self.inner.should_exit = True
        await self._beside
        await super().shutdown(sockets)


def _config(settings: Settings, app: ASGIApp) -> uvicorn.Config:
    config = uvicorn.Config(
        app,
        host=settings.host,
        port=settings.port,
        log_level="warning",
        server_header=False,
        timeout_graceful_shutdown=GRACE_SECONDS,
        proxy_headers=bool(settings.trusted_proxies),
        forwarded_allow_ips=list(settings.trusted_proxies),
        ssl_certfile=settings.tls_certificate,
        ssl_keyfile=settings.tls_key,
    )
    try:
        config.load()
    except (ssl.SSLError, OSError) as error:
        raise CannotStart(
            f"The certificate {settings.tls_certificate} and key {settings.tls_key} can't be used:"
            f" {error}."
        ) from error
    return config


def _bound(config: uvicorn.Config, settings: Settings) -> socket.socket:
    try:
        return config.bind_socket()
    except SystemExit as error:
        raise port_taken(settings) from error


def say(text: str) -> None:
    sys.stdout.write(text + "\n")
    sys.stdout.flush()

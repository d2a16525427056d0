"""The process that serves: the folder taken, everything opened, the port listened on, and all of it
given back."""

import ssl
import sys
import warnings
from collections.abc import Iterator
from contextlib import contextmanager

import structlog
import uvicorn
from pydantic.warnings import UnsupportedFieldAttributeWarning

from sedge.app import Services, create_app, open_house, set_up_logging, settle_memory
from sedge.core.errors import CannotStart
from sedge.outside.outside import Addresses, at_addresses
from sedge.outside.smtp import MailServer
from sedge.services.access import first_run
from sedge.services.context import House
from sedge.settings import Settings
from sedge.store.folder import folder_in_use, told_plainly

GRACE_SECONDS = 2  # open pages hold a stream that would never end
log = structlog.get_logger("sedge")

# FastAPI hides this one of its own from itself, in a way that doesn't hold while two applications
# are made at once.
warnings.filterwarnings("ignore", category=UnsupportedFieldAttributeWarning)


def serve(settings: Settings) -> None:
    """Serve a real installation until it is told to stop. Raises CannotStart."""
    set_up_logging(as_json=settings.log_json)
    with opened(settings) as house:
        if code := first_run.open_door(house):
            say(
                "Nobody signs in here yet. Set up the first organisation at"
                f" {settings.address}/first-run with the code {code}"
            )
        listen(house)


@contextmanager
def opened(settings: Settings) -> Iterator[House]:
    """The house of an installation, its folder in use by nobody else. Raises CannotStart."""
    with folder_in_use(settings.data):
        with told_plainly(settings.data):
            house = open_house(settings, services_of(settings))
        try:
            yield house
        finally:
            house.close()


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


def listen(house: House) -> None:
    """Answer until the process is told to stop. Raises CannotStart where the port or the
    certificate can't be had."""
    settings, app = house.settings, create_app(house)
    settle_memory()
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
    server = uvicorn.Server(config)
    try:
        socket = config.bind_socket()
    except SystemExit as error:
        raise CannotStart(
            f"Port {settings.port} of {settings.host} is taken, or may not be listened on. Choose"
            " another with --port."
        ) from error
    socket.listen(
        config.backlog
    )  # whoever reads the address below and comes at once is not refused
    say(f"Sedge: {settings.address}")
    server.run(sockets=[socket])


def say(text: str) -> None:
    sys.stdout.write(text + "\n")
    sys.stdout.flush()

"""What an installation stands on: its settings, files, disk, clock, port, certificate, mail server,
names and services, each looked at and told."""

import os
import shutil
import socket
import ssl
import time
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from datetime import UTC, datetime
from enum import StrEnum
from pathlib import Path
from urllib.parse import urlsplit

import httpx
from cryptography import x509
from cryptography.hazmat.primitives.serialization import load_pem_private_key

from sedge.core.errors import OutsideTrouble
from sedge.outside.smtp import MailServer, SmtpMail
from sedge.settings import LOCAL_NAMES, Settings
from sedge.store.folder import LEAST_ROOM, LOCK

SOON_DAYS = 21


class Verdict(StrEnum):
    GOOD = "good"
    WARN = "warn"
    STOP = "stop"


@dataclass(frozen=True)
class Line:
    """One thing that was looked at. A stop keeps Sedge from its work, a warning does not."""

    what: str
    verdict: Verdict
    says: str

    @property
    def is_stop(self) -> bool:
        return self.verdict is Verdict.STOP


def good(what: str, says: str) -> Line:
    return Line(what, Verdict.GOOD, says)


def warn(what: str, says: str) -> Line:
    return Line(what, Verdict.WARN, says)


def stop(what: str, says: str) -> Line:
    return Line(what, Verdict.STOP, says)


def check_surroundings(settings: Settings) -> list[Line]:
    """Everything that can be seen from outside the running process. Nothing is changed."""
    return [line for part in LOOKS for line in part(settings)]


def _folder(settings: Settings) -> Iterator[Line]:
    folder = settings.data
    if not folder.exists():
        parent = next(p for p in (folder, *folder.resolve().parents) if p.exists())
        can = os.access(parent, os.W_OK)
        says = f"{folder} is made at the first start" if can else f"{parent} can't be written to"
        yield good("Folder", says) if can else stop("Folder", says)
        return
    if not os.access(folder, os.W_OK | os.X_OK):
        yield stop("Folder", f"{folder} can't be written to by this user")
    open_ones = [f.name for f in [folder, *folder.glob("*")] if f.stat().st_mode & 0o077]
    if open_ones:
        others = f"{', '.join(sorted(open_ones)[:5])} can be read by other users"
        yield warn("File rights", f"{others}; the next start closes them")
    else:
        yield good("File rights", "nobody but the owner reads the data")
    has_key = (folder / "secret.key").exists()
    if any(folder.glob("estate-*.sqlite")) and not has_key:
        yield stop("Key", "secret.key is missing; put it back from a backup")


def _disk(settings: Settings) -> Iterator[Line]:
    there = next(p for p in (settings.data, *settings.data.resolve().parents) if p.exists())
    free = shutil.disk_usage(there).free
    says = f"{free / 1e9:.1f} GB free for {settings.data}"
    yield stop("Disk", says) if free < LEAST_ROOM else good("Disk", says)


def _clock(settings: Settings) -> Iterator[Line]:
    """Against the newest file of ours: a clock before it stepped back."""
    newest = max((f.stat().st_mtime for f in settings.data.glob("*.sqlite*")), default=0.0)
    behind = newest - time.time()
    if behind > 60:
        yield stop("Clock", f"the clock is {behind / 60:.0f} minutes behind what was written last")
    else:
        yield good("Clock", f"{datetime.now(UTC):%-d %B %Y, %H:%M} UTC")


def _port(settings: Settings) -> Iterator[Line]:
    with socket.socket(socket.AF_INET6 if ":" in settings.host else socket.AF_INET) as probe:
        probe.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        try:
            probe.bind((settings.host, settings.port))
        except OSError as error:
            busy = (settings.data / LOCK).exists()
            hint = "; Sedge itself may be running" if busy else ""
            yield warn("Port", f"{settings.host}:{settings.port}: {error.strerror}{hint}")
        else:
            yield good("Port", f"{settings.host}:{settings.port} is free")
    is_local = settings.host in LOCAL_NAMES
    if not is_local and not settings.tls_certificate and not settings.trusted_proxies:
        yield warn(
            "Secrecy",
            "passwords would cross the network in the clear: name a certificate, or listen on"
            " 127.0.0.1 behind a proxy that has one",
        )


def _certificate(settings: Settings) -> Iterator[Line]:
    if settings.tls_certificate is None or settings.tls_key is None:
        return
    try:
        found = x509.load_pem_x509_certificate(settings.tls_certificate.read_bytes())
        key = load_pem_private_key(settings.tls_key.read_bytes(), None)
        ssl.create_default_context(ssl.Purpose.CLIENT_AUTH).load_cert_chain(
            settings.tls_certificate, settings.tls_key
        )
    except (OSError, ValueError, TypeError, ssl.SSLError) as error:
        yield stop("Certificate", f"{settings.tls_certificate}: {error}")
        return
    del key
    left = (found.not_valid_after_utc - datetime.now(UTC)).days
    if left < 0:
        yield stop("Certificate", f"ran out {-left} days ago")
    elif left < SOON_DAYS:
        yield warn("Certificate", f"runs out in {left} days")
    else:
        yield good("Certificate", f"holds {left} days more")
    name = urlsplit(settings.address).hostname or ""
    if not _is_for(found, name):
        yield warn("Certificate", f"is not for {name}")


def _is_for(certificate: x509.Certificate, name: str) -> bool:
    try:
        names = certificate.extensions.get_extension_for_class(x509.SubjectAlternativeName).value
    except x509.ExtensionNotFound:
        return False
    known = [n.lower() for n in names.get_values_for_type(x509.DNSName)]
    addresses = [str(a) for a in names.get_values_for_type(x509.IPAddress)]
    wild = f"*.{name.partition('.')[2]}"
    return name.lower() in known or wild in known or name in addresses


def _names(settings: Settings) -> Iterator[Line]:
    for name in sorted(settings.answered_hosts - set(LOCAL_NAMES)):
        try:
            found = {str(x[4][0]) for x in socket.getaddrinfo(name, None)}
        except OSError:
            yield warn("Name", f"{name} is not found in DNS")
        else:
            yield good("Name", f"{name} is {', '.join(sorted(found)[:4])}")


def _mail(settings: Settings) -> Iterator[Line]:
    if not settings.smtp_host:
        yield warn("Mail", "no mail server: letters, invitations and new passwords are kept unsent")
        return
    server = MailServer(
        settings.smtp_host,
        settings.smtp_port,
        settings.mail_from,
        settings.smtp_tls,
        settings.smtp_user,
        settings.smtp_password.get_secret_value(),
        settings.outside_seconds,
    )
    try:
        said = SmtpMail(server).probe()
    except OutsideTrouble as error:
        yield stop("Mail", error.message)
    else:
        yield good("Mail", f"{settings.smtp_host} answers: {said.splitlines()[0] if said else ''}")


def _services(settings: Settings) -> Iterator[Line]:
    named = {
        "Telephone system": settings.telephony_url,
        "Address register": settings.register_url,
        "Directory": settings.directory_url,
        "Numbering register": settings.numbering_url,
        "Porting interface": settings.ports_url,
        **{f"Carrier {key}": url for key, url in settings.carriers.items()},
    }
    for name, url in named.items():
        if not url:
            yield warn(name, "not connected; that work is done by hand")
            continue
        try:
            answer = httpx.get(url, timeout=settings.outside_seconds)
        except httpx.HTTPError as error:
            yield stop(name, f"{url}: {error or type(error).__name__}")
        else:
            yield good(name, f"{url} answers ({answer.status_code})")


def _backups(settings: Settings) -> Iterator[Line]:
    if settings.backup_folder is None:
        yield warn("Backup", "none is made by itself: set backup_folder")
        return
    folder: Path = settings.backup_folder
    there = next((p for p in (folder, *folder.resolve().parents) if p.exists()), folder)
    if not os.access(there, os.W_OK):
        yield stop("Backup", f"{folder} can't be written to")
    elif settings.backup_passphrase_file is None:
        yield warn("Backup", f"to {folder}, not sealed: with the file one has everything")
    elif not settings.backup_passphrase_file.is_file():
        yield stop("Backup", f"there is no file {settings.backup_passphrase_file}")
    else:
        yield good("Backup", f"each night at {settings.backup_hour:02}:00 UTC to {folder}, sealed")


LOOKS: tuple[Callable[[Settings], Iterator[Line]], ...] = (
    _folder,
    _disk,
    _clock,
    _port,
    _certificate,
    _names,
    _mail,
    _services,
    _backups,
)

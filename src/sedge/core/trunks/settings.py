"""What people type for a trunk, read and judged: hosts, ports, addresses, formats of numbers."""

import ipaddress
import re

from sedge.core.errors import NotUnderstood
from sedge.core.numbers.e164 import describe
from sedge.core.numbers.plan import COUNTRIES
from sedge.core.trunks.records import (
    CODECS,
    KnownBy,
    NumberFormat,
    SignIn,
    TrunkSettings,
)

LABEL = r"[a-z0-9_]([a-z0-9_-]{0,61}[a-z0-9])?"
HOST = re.compile(rf"(?=.{{1,253}}$){LABEL}(\.{LABEL})*\.?")
MOST_ADDRESSES = 100
MOST_CHANNELS = 10_000
HEADER = re.compile(r"([A-Za-z0-9!%*_+`'~.-]{1,60}):[ \t]*([^\r\n\x00]{1,200})")  # RFC 3261


def read_host(text: str, field: str = "host") -> str:
    """A domain name or an IP address, alone. Raises NotUnderstood that says where the rest goes."""
    host = text.strip().lower()
    if scheme := re.match(r"(sips?|https?|tel):/{0,2}", host):
        rest = host[scheme.end() :]
        message = (
            f"Leave “{scheme[0]}” out: the host is {rest.partition(':')[0] or 'a name'} alone."
        )
        raise NotUnderstood(message, field=field, reason="scheme")
    bare = host.strip("[]")
    try:
        return str(ipaddress.ip_address(bare))
    except ValueError:
        pass
    if port := re.fullmatch(r"([^:]+):(\d+)", host):
        message = f"The port goes into its own field: host {port[1]}, port {port[2]}."
        raise NotUnderstood(message, field=field, reason="port-in-host")
    if not HOST.fullmatch(host) or re.fullmatch(r"[\d.]+", host):
        message = "The host is a domain name or an IP address, such as sip.example.net."
        raise NotUnderstood(message, field=field, reason="host")
    return host.rstrip(".")


def read_port(text: str, field: str = "port") -> int | None:
    """None where nothing is typed: the DNS says it. Raises NotUnderstood."""
    if not text.strip():
        return None
    plain = text.strip()
    if not plain.isascii() or not plain.isdigit() or not 1 <= int(plain[:6]) <= 65535:
        message = "A port is a number of 1 to 65535; leave it empty where the DNS names it."
        raise NotUnderstood(message, field=field, reason="port")
    return int(plain)


def read_addresses(text: str, field: str = "addresses") -> tuple[str, ...]:
    """Addresses and networks, one a line or with commas between. Raises NotUnderstood."""
    words = [word for word in re.split(r"[\s,;]+", text) if word]
    if len(words) > MOST_ADDRESSES:
        message = (
            f"A trunk allows at most {MOST_ADDRESSES} addresses; give networks (192.0.2.0/24)."
        )
        raise NotUnderstood(message, field=field, reason="too-many")
    found: list[str] = []
    for word in words:
        try:
            network = ipaddress.ip_network(word.strip("[]"), strict=False)
        except ValueError:
            message = f"“{word[:60]}” is no IP address or network."
            raise NotUnderstood(message, field=field, reason="address") from None
        shown = str(network)
        found.append(shown.partition("/")[0] if network.num_addresses == 1 else shown)
    return tuple(dict.fromkeys(found))


def read_codecs(text: str, field: str = "codecs") -> tuple[str, ...]:
    """Codecs in the order of preference. Raises NotUnderstood."""
    known = {codec.lower(): codec for codec in CODECS}
    words = [word for word in re.split(r"[\s,;>]+", text) if word]
    unknown = next((word for word in words if word.lower() not in known), None)
    if unknown is not None or not words:
        message = (
            f"“{unknown}” is no codec known here: {', '.join(CODECS)}."
            if unknown
            else "At least one codec is needed."
        )
        raise NotUnderstood(message, field=field, reason="codec")
    return tuple(dict.fromkeys(known[word.lower()] for word in words))


def read_header(text: str, known_by: KnownBy, field: str = "known_header") -> str:
    """The header by which calls are known, as `Name: value`; '' where they are known otherwise.
    Raises NotUnderstood."""
    if known_by is not KnownBy.HEADER:
        return ""
    found = HEADER.fullmatch(text.strip())
    if found is None:
        message = "Type the header and its value, such as X-Trunk: leeds-1."
        raise NotUnderstood(message, field=field, reason="header")
    return f"{found[1]}: {found[2].strip()}"


def untrusted(settings: TrunkSettings) -> str:
    """Why the two sides could not tell each other, with the way out; '' where they can."""
    if settings.sign_in is SignIn.ADDRESS and not settings.addresses:
        return (
            "It trusts the other side by its address, and no address is allowed. Add those its"
            " calls come from."
        )
    if settings.sign_in is SignIn.REGISTER and not settings.user:
        return "It registers, and no sign-in name is given. Type the one of the carrier."
    return ""


def private_addresses(addresses: tuple[str, ...]) -> list[str]:
    """Those that nobody can reach over the internet (RFC 1918, RFC 4193, RFC 6890)."""
    return [a for a in addresses if ipaddress.ip_network(a).is_private]


def as_written(e164: str, way: NumberFormat, last_digits: int) -> str:
    """A number as a trunk writes it."""
    match way:
        case NumberFormat.PLUS:
            return e164
        case NumberFormat.NO_PLUS:
            return e164.lstrip("+")
        case NumberFormat.LAST_DIGITS:
            return e164[-last_digits:]
    country = COUNTRIES.get(describe(e164).country)
    if country is None:
        return e164
    trunk = country.trunk if country.trunk == "0" else ""
    return trunk + e164.removeprefix(f"+{country.calling_code}")

"""Those who are at the door, by their network address and what they send along."""

import re
from collections.abc import Mapping
from ipaddress import ip_address

from sedge.services.access.throttle import Caller
from sedge.settings import LOCAL_NAMES

TESTING = "testclient"  # the name that an in-process client has for its address
HOST = re.compile(r"(\[[0-9a-fA-F:.]+\]|[^:\[\]/@\s]+)(:\d{1,5})?")
PASSED_ON = ("forwarded", "x-forwarded-for", "x-forwarded-host", "x-real-ip", "via")


def caller(address: str | None, headers: Mapping[str, str]) -> Caller:
    """`address` is the peer's, or what a trusted proxy says it is."""
    return Caller((address or "")[:64], headers.get("user-agent", "")[:200])


def host_name(value: str) -> str:
    """The name in a Host header: lower case, without port and brackets; empty where there is none
    (RFC 9112, 3.2)."""
    found = HOST.fullmatch(value.strip())
    return found[1].strip("[]").lower() if found else ""


def is_local(address: str | None, headers: Mapping[str, str]) -> bool:
    """Whether somebody sits at this very machine: a loopback address, no sign of a proxy between,
    and a local host name (a page elsewhere whose name leads here has another, DNS rebinding)."""
    if any(name in headers for name in PASSED_ON):
        return False
    if host_name(headers.get("host", "")) not in LOCAL_NAMES:
        return False
    return address == TESTING or _is_loopback(address or "")


def _is_loopback(address: str) -> bool:
    try:
        return ip_address(address).is_loopback
    except ValueError:
        return False

"""Whoever is at the door, by their network address and what they send along."""

from collections.abc import Mapping
from ipaddress import ip_address

from sedge.services.access.throttle import Caller

TESTING = "testclient"  # the name that an in-process client has for its address
LOCAL_HOSTS = frozenset({"localhost", "127.0.0.1", "::1"})
PASSED_ON = ("forwarded", "x-forwarded-for", "x-forwarded-host", "x-real-ip", "via")


def caller(address: str | None, headers: Mapping[str, str]) -> Caller:
    """`address` is the peer's, or what a trusted proxy says it is."""
    return Caller((address or "")[:64], headers.get("user-agent", "")[:200])


def is_local(address: str | None, headers: Mapping[str, str]) -> bool:
    """Whether somebody sits at this very machine: a loopback address, no sign of a proxy between,
    and a local host name (a page elsewhere whose name leads here has another, DNS rebinding)."""
    if any(name in headers for name in PASSED_ON):
        return False
    host = headers.get("host", "").rpartition(":")[0] or headers.get("host", "")
    if host.strip("[]").lower() not in LOCAL_HOSTS:
        return False
    return address == TESTING or _is_loopback(address or "")


def _is_loopback(address: str) -> bool:
    try:
        return ip_address(address).is_loopback
    except ValueError:
        return False

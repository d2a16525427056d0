"""The ENUM zone (RFC 6116) of numbers that can be reached at a SIP address: NAPTR records (RFC
3403) with the service E2U+sip (RFC 3764)."""

from collections.abc import Iterable
from datetime import datetime

ORIGIN = "e164.arpa."
TTL = 3600


def write(targets: Iterable[tuple[str, str]], made: datetime, host: str = "localhost.") -> str:
    """A zone file of (E.164, SIP address) pairs, in the order of the numbers. The serial is the day
    and the minute it was made."""
    import dns.e164
    import dns.name

    origin = dns.name.from_text(ORIGIN)
    serial = int(f"{made:%y%m%d}") * 10_000 + made.hour * 100 + made.minute
    lines = [
        f"$ORIGIN {ORIGIN}",
        f"$TTL {TTL}",
        f"@ IN SOA {host} hostmaster.{host} ( {serial} 7200 900 1209600 {TTL} )",
        f"@ IN NS {host}",
    ]
    for e164, address in sorted(set(targets)):
        name = dns.e164.from_e164(e164, origin=origin).relativize(origin)
        lines.append(f'{name} IN NAPTR 100 10 "u" "E2U+sip" "!^.*$!{_escaped(address)}!" .')
    return "\n".join(lines) + "\n"


def _escaped(address: str) -> str:
    """In the substitution of a NAPTR the delimiter and the backslash are written with one before
    them, and so in the zone file once more."""
    return address.replace("\\", "\\\\\\\\").replace("!", "\\\\!").replace('"', '\\"')

"""The trunk between two telephone systems of our own: one sheet for each end."""

from collections.abc import Sequence
from enum import StrEnum

from sedge.core.records import Downstream
from sedge.core.trunks.records import CODECS, Sbc
from sedge.core.trunks.sheet import USUAL_PORT, Part, Sheet, Value


class End(StrEnum):
    """For whose equipment a sheet is."""

    THEIRS = "theirs"
    OURS = "ours"


def sheet_for(
    end: End, system: Downstream, sbcs: Sequence[Sbc], ranges: Sequence[str], written: Sequence[str]
) -> Sheet:
    """What one end sets for the trunk to the other. `sbcs` are ours at which it ends, in their
    turn; `written` are the system's numbers as it wants them."""
    if end is End.THEIRS:
        where, then = _ours_listens(sbcs), _steps_there(system, sbcs)
        title = f"{system.name} to our telephone system"
    else:
        where, then = _theirs_listens(system), _steps_here(system)
        title = f"our telephone system to {system.name}"
    numbers = (
        Value("Its numbers", ", ".join(ranges) or "none yet", "\n".join(written)),
        Value("Written", system.number_format + (f", as in {written[0]}" if written else "")),
        Value("Caller ID", "P-Asserted-Identity, with plus", "P-Asserted-Identity"),
    )
    sound = (Value("Codecs, in this order", ", ".join(CODECS[:3])), Value("DTMF", "RFC 4733"))
    parts = (Part("Where", where), Part("Numbers", numbers), Part("Sound", sound))
    return Sheet(title, parts, then)


def _ours_listens(sbcs: Sequence[Sbc]) -> tuple[Value, ...]:
    if not sbcs:
        return (Value("Host", "not known: set up the SBC at which our trunks end"),)
    values = []
    for place, sbc in enumerate(sbcs):
        values.append(Value("Host" if not place else f"Then {sbc.name}", sbc.host))
        port = str(sbc.port or USUAL_PORT[sbc.transport])
        values += [Value("Port", port), Value("Transport", sbc.transport.upper())]
        if sbc.addresses:
            values.append(Value("Addresses to allow", ", ".join(sbc.addresses)))
    return tuple(values)


def _theirs_listens(system: Downstream) -> tuple[Value, ...]:
    return (
        Value("Host", system.host),
        Value("Port", str(system.port)),
        Value("Transport", system.transport.upper()),
        Value("Address to allow", f"what {system.host} leads to", system.host),
    )


def _steps_there(system: Downstream, sbcs: Sequence[Sbc]) -> tuple[str, ...]:
    allow = "Allow our addresses in the firewall, for signalling and for sound."
    return (
        f"On {system.name}: add a trunk with the values above and apply them.",
        *([allow] if any(sbc.addresses for sbc in sbcs) else []),
        "Load its numbers onto what shall ring.",
        "Send calls to all other numbers over this trunk.",
        "Send emergency calls over it too, with one of its own numbers as the caller ID.",
        "Reload the trunk; then we place a test call in each direction.",
    )


def _steps_here(system: Downstream) -> tuple[str, ...]:
    return (
        f"On our telephone system: add a trunk to {system.name} with the values above.",
        "Allow the address in the firewall, for signalling and for sound.",
        f"Put calls to its numbers through to this trunk, written {system.number_format}.",
        "Put calls that come over this trunk out by the caller ID they show.",
        "Reload the trunk; then place a test call in each direction.",
    )

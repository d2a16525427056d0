"""The other side's values as they come in a letter or an export: `key = value` lines, SIP URIs,
`host:port`, register strings. What is recognised is shown before anything is kept."""

import ipaddress
import re
from dataclasses import dataclass, field

from sedge.core.enums import Transport
from sedge.core.errors import NotUnderstood
from sedge.core.trunks.records import CODECS, Dtmf, NumberFormat, SignIn

LONGEST = 20_000
MOST_LINES = 300
# what equipment and letters call each field; compared in small letters without signs
NAMES = {
    "host": "host server sipserver sipdomain domain registrar proxy gateway address sipproxy"
    " hostname serveraddress remotehost realm",
    "port": "port sipport serverport remoteport",
    "transport": "transport protocol sipprotocol siptransport",
    "outbound_proxy": "outboundproxy obproxy sbc edge",
    "user": "user username name login authid authname authusername sipuser account trunkname"
    " signin signinname userid",
    "secret": "secret password pass passwd authpassword sippassword pin",
    "codecs": "codec codecs allowedcodecs audiocodecs codeclist",
    "dtmf": "dtmf dtmftype keys",
    "channels": "channels channel callsatonce maxcalls simultaneouscalls lines calllimit sessions",
    "addresses": "ip ips ipaddress addresses allowedaddresses whitelist allowedips signallingips"
    " mediaips ranges network networks subnet",
    "session": "sessiontimer sessionexpires minse",
}
FIELDS = {name: key for key, names in NAMES.items() for name in names.split()}
URI = re.compile(
    r"sips?:(?:(?P<user>[^@:;>\s]+)(?::(?P<secret>[^@\s]+))?@)?"
    r"(?P<host>\[[0-9a-fA-F:]+\]|[A-Za-z0-9.-]+)(?::(?P<port>\d+))?(?P<rest>[^\s>]*)"
)
REGISTER = re.compile(
    r"(?P<user>[^\s:@]+):(?P<secret>[^\s@]+)@(?P<host>[A-Za-z0-9.-]+)(?::(?P<port>\d+))?(?:/\S*)?"
)
PAIR = re.compile(
    r"^\s*[\"']?(?P<name>[\w .()/-]{1,40}?)[\"']?\s*(?:=>|=|:)\s*(?P<value>.+?)\s*,?$"
)
HOST_PORT = re.compile(r"^(?P<host>[A-Za-z0-9.-]+\.[A-Za-z0-9-]+):(?P<port>\d{1,5})$")


@dataclass
class Pasted:
    """`fields` of a trunk's form; `found` with the line each came from, in its order, a secret as
    dots; `left` are lines nothing was made of."""

    fields: dict[str, str] = field(default_factory=dict)
    found: list[tuple[str, str, str]] = field(default_factory=list)
    left: list[str] = field(default_factory=list)

    def take(self, key: str, value: str, line: str) -> None:
        """The first of several wins, but addresses and codecs add up."""
        value = value.strip().strip("\"'")
        if not value:
            return
        if key in {"addresses", "codecs"} and key in self.fields:
            self.fields[key] += f", {value}"
        elif key in self.fields:
            return
        else:
            self.fields[key] = value
        hidden = line.replace(value, "•••") if key == "secret" else line
        self.found.append((key, "•••" if key == "secret" else value, hidden))


def read_pasted(text: str) -> Pasted:
    """Raises NotUnderstood where nothing is recognised."""
    lines = [line.strip() for line in text[:LONGEST].splitlines() if line.strip()][:MOST_LINES]
    pasted = Pasted()
    for line in lines:
        if line.startswith((";", "#", "//", "[")) or line in {"{", "}", "},"}:
            continue
        if not _read_line(line, pasted):
            pasted.left.append(line[:120])
    if not pasted.fields:
        message = "Nothing was recognised: paste lines such as host = sip.example.net."
        raise NotUnderstood(message, field="text", reason="nothing")
    _settle(pasted)
    return pasted


def _read_line(line: str, pasted: Pasted) -> bool:
    pair = PAIR.match(line)
    name = re.sub(r"[^a-z]", "", pair["name"].lower()) if pair else ""
    if pair and name in {"register", "registration", "registerstring"}:
        return _read_value(pair["value"], pasted, line, "")
    if pair and name in FIELDS:
        return _read_value(pair["value"], pasted, line, FIELDS[name])
    return _read_value(line, pasted, line, "")


def _read_value(value: str, pasted: Pasted, line: str, key: str) -> bool:
    """A value on its own or of a known field; whether something was made of it."""
    value = value.strip().strip("\"'")
    if uri := URI.search(value):
        _take_parts(uri, pasted, line, key)
        if transport := re.search(r"transport=(\w+)", uri["rest"] or ""):
            pasted.take("transport", transport[1].lower(), line)
        elif value.lower().startswith("sips:"):
            pasted.take("transport", "tls", line)
        return True
    if not key and (register := REGISTER.search(value)):
        _take_parts(register, pasted, line, "")
        return True
    if key in {"host", "outbound_proxy", ""} and (at := HOST_PORT.match(value)):
        pasted.take(key or "host", at["host"], line)
        pasted.take("port", at["port"], line)
        return True
    if not key:
        return _read_bare(value, pasted, line)
    return _take_typed(key, value, pasted, line)


def _take_parts(parts: re.Match[str], pasted: Pasted, line: str, key: str) -> None:
    pasted.take("outbound_proxy" if key == "outbound_proxy" else "host", parts["host"], line)
    for name in ("user", "secret", "port"):
        if parts[name]:
            pasted.take(name, parts[name], line)


def _read_bare(value: str, pasted: Pasted, line: str) -> bool:
    """An address or a network that stands alone."""
    try:
        ipaddress.ip_network(value, strict=False)
    except ValueError:
        return False
    pasted.take("addresses", value, line)
    return True


def _take_typed(key: str, value: str, pasted: Pasted, line: str) -> bool:
    low = value.lower()
    if key == "transport":
        found = next((x.value for x in reversed(Transport) if x.value in low), "")
    elif key == "dtmf":
        found = _dtmf(low)
    elif key == "codecs":
        found = ", ".join(_codecs(low))
    elif key in {"port", "channels", "session"}:
        number = re.search(r"\d+", value)
        found = number[0] if number else ""
    else:
        found = value
    if found:
        pasted.take(key, found, line)
    return bool(found)


def _dtmf(low: str) -> str:
    if "info" in low:
        return Dtmf.INFO.value
    if "inband" in low or "in-band" in low:
        return Dtmf.INBAND.value
    return Dtmf.RFC4733.value if re.search(r"2833|4733|rtp|event", low) else ""


def _codecs(low: str) -> list[str]:
    """Codecs by any of their names, in the order in which they are named."""
    names = {"alaw": "PCMA", "g711a": "PCMA", "ulaw": "PCMU", "mulaw": "PCMU", "g711u": "PCMU"}
    names |= {codec.lower(): codec for codec in CODECS}
    plain = re.sub(r"[.\-]", "", low)
    at = {codec: plain.find(name) for name, codec in names.items() if name in plain}
    return sorted(at, key=lambda codec: at[codec])


def _settle(pasted: Pasted) -> None:
    """A host that is an address trusts addresses where nobody signs in; numbers keep their plus."""
    if "user" not in pasted.fields and pasted.fields.get("addresses"):
        pasted.fields["sign_in"] = SignIn.ADDRESS.value
    elif "user" in pasted.fields:
        pasted.fields["sign_in"] = SignIn.REGISTER.value
    pasted.fields.setdefault("sends", NumberFormat.PLUS.value)

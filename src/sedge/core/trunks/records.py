"""How a trunk is set up: what both sides have to agree on."""

import ipaddress
from datetime import datetime
from enum import StrEnum
from typing import Annotated

from pydantic import AfterValidator

from sedge.core.enums import Transport
from sedge.core.facts import Fact


class TrunkState(StrEnum):
    """Whether a trunk is used: a suspended one carries no call until it is resumed."""

    IN_SERVICE = "in service"
    SUSPENDED = "suspended"
    RETIRED = "retired"


class SignIn(StrEnum):
    """How the other side knows us."""

    REGISTER = "register"
    ADDRESS = "trust by address"


class Dtmf(StrEnum):
    """How keys are sent during a call."""

    RFC4733 = "RFC 4733"
    INFO = "SIP INFO"
    INBAND = "inband"


class NumberFormat(StrEnum):
    """How numbers are written on the way to the other side, or on the way back."""

    PLUS = "with plus"
    NO_PLUS = "country code without plus"
    NATIONAL = "national"
    LAST_DIGITS = "last digits"


class Identity(StrEnum):
    """The header that says whose call it is."""

    PAI = "P-Asserted-Identity"  # RFC 3325
    FROM = "From"
    RPID = "Remote-Party-ID"  # read only: it never became a standard


class KnownBy(StrEnum):
    """By what we know that a call comes from the other side of a trunk."""

    ADDRESS = "address"
    HEADER = "header"
    NUMBER_LIST = "number list"


class Diversion(StrEnum):
    """How a forwarded call says by whom."""

    HISTORY = "History-Info"  # RFC 7044
    DIVERSION = "Diversion"  # RFC 5806
    NONE = "not at all"


def _network(text: str) -> str:
    try:
        ipaddress.ip_network(text, strict=False)
    except ValueError:
        raise ValueError(f"“{text[:60]}” is no IP address or network") from None
    return text


Network = Annotated[str, AfterValidator(_network)]  # an IP address alone is one too
CODECS = ("G722", "PCMA", "PCMU", "opus", "G729")


class SendRule(Fact):
    """How numbers that a digit map takes are sent, in place of the trunk's usual format: of the
    E.164 digits without plus `strip` are taken off the front, and `before` is put there. `name`
    says what the rule is for."""

    pattern: str
    strip: int = 0
    before: str = ""
    name: str = ""


class TrunkSettings(Fact):
    """`port` None: the other side's DNS names it (RFC 3263). `addresses` are those its calls come
    from, IPv4, IPv6 or networks. `last_digits` counts for the format of that name. `options_every`
    and `session` are seconds, 0 for none (RFC 4028). `known_header` is `Name: value`, where calls
    are known by a header. Of the `send_rules` the first that takes a number counts."""

    port: int | None = None
    transport: Transport = Transport.TLS
    outbound_proxy: str = ""
    sign_in: SignIn = SignIn.REGISTER
    user: str = ""
    addresses: tuple[Network, ...] = ()
    codecs: tuple[str, ...] = ("G722", "PCMA", "PCMU")
    dtmf: Dtmf = Dtmf.RFC4733
    session: int = 1800
    options_every: int = 60
    sends: NumberFormat = NumberFormat.PLUS
    expects: NumberFormat = NumberFormat.PLUS
    last_digits: int = 4
    identity_out: Identity = Identity.PAI
    identity_in: Identity = Identity.PAI
    diversion: Diversion = Diversion.HISTORY
    known_by: KnownBy = KnownBy.ADDRESS
    known_header: str = ""
    send_rules: tuple[SendRule, ...] = ()
    others_caller_ids: bool = False  # it takes calls that show numbers of other carriers


class TestedLink(Fact):
    """One link of a connection test: `ok` None where it was not come to; `cure` says what to
    change; `ms` how long it took."""

    what: str
    ok: bool | None
    evidence: str
    cure: str = ""
    ms: int | None = None


class SbcDomain(Fact):
    """A domain that an SBC serves. Who runs the domain proves it by a TXT record with `proof`, at
    `proof_at` or at the domain itself; '' where nobody asks for proof."""

    name: str
    proof: str = ""
    proof_at: str = ""


class Sbc(Fact):
    """A session border controller of ours: where our trunks end towards the outside. Several of one
    `group` stand in for each other, the lowest `order` first, those of the same order by `weight`.
    `links` is what the last test found."""

    id: str
    name: str
    site: str
    host: str
    port: int | None = None
    transport: Transport = Transport.TLS
    addresses: tuple[Network, ...] = ()
    domains: tuple[SbcDomain, ...] = ()
    group: str = ""
    order: int = 1
    weight: int = 50
    retired: bool = False
    links: tuple[TestedLink, ...] = ()
    tested_at: datetime | None = None
    version: int = 0


class Connection(Fact):
    """Where and as whom our telephone system signs in at a carrier whose numbers stay there. The
    password lies sealed elsewhere; `said` is why the last try to sign in failed, in one word of the
    telephone system's."""

    host: str
    port: int
    transport: Transport
    user: str
    said: str = ""

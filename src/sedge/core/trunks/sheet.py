"""The sheet for the other side: every value its equipment needs, and the steps after it."""

from collections.abc import Sequence
from dataclasses import dataclass

from sedge.core.enums import Transport
from sedge.core.outbound.dialling.digit_maps import in_words
from sedge.core.records import Trunk
from sedge.core.trunks.records import KnownBy, NumberFormat, Sbc, SendRule, SignIn, TrunkSettings

USUAL_PORT = {Transport.UDP: 5060, Transport.TCP: 5060, Transport.TLS: 5061}
EXAMPLE = {
    NumberFormat.PLUS: "+441134960142",
    NumberFormat.NO_PLUS: "441134960142",
    NumberFormat.NATIONAL: "01134960142",
}


@dataclass(frozen=True)
class Value:
    """One setting: `copy` is what is typed over there, where that differs from what is read."""

    name: str
    text: str
    copy: str = ""


@dataclass(frozen=True)
class Part:
    """Values that belong together."""

    title: str
    values: tuple[Value, ...]


@dataclass(frozen=True)
class Sheet:
    trunk: str
    parts: tuple[Part, ...]
    steps: tuple[str, ...]


def sheet_of(
    trunk: Trunk, settings: TrunkSettings, *, has_secret: bool, sbcs: Sequence[Sbc] = ()
) -> Sheet:
    """What to set on the other side of a trunk; `sbcs` are ours that it ends at, in their turn."""
    seen = next((x.evidence for x in trunk.links if x.what == "Our address" and x.ok), "")
    ours = ", ".join(a for sbc in sbcs for a in sbc.addresses) or seen
    port = str(settings.port) if settings.port else f"by DNS, else {USUAL_PORT[settings.transport]}"
    where = [
        Value("Host", trunk.host),
        Value("Port", port, str(settings.port or "")),
        Value("Transport", settings.transport.upper()),
        Value("Outbound proxy", settings.outbound_proxy or "none", settings.outbound_proxy),
        Value("Channels", str(trunk.channels) if trunk.channels else "no limit stated"),
    ]
    media = [
        Value("Codecs, in this order", ", ".join(settings.codecs)),
        Value("DTMF", settings.dtmf.value),
        Value("Session timer", _seconds(settings.session)),
        Value("OPTIONS", _seconds(settings.options_every, "every ")),
    ]
    numbers = [
        Value("Numbers to you", _format(settings.sends, settings.last_digits)),
        *(Value(f"Numbers {in_words(r.pattern)}", _sent_by(r)) for r in settings.send_rules),
        Value("Numbers to us", _format(settings.expects, settings.last_digits)),
        Value("Caller ID to you", settings.identity_out.value),
        Value("Caller ID to us", settings.identity_in.value),
        Value("Forwarded by", settings.diversion.value),
        Value("We know your calls by", _known_by(settings), settings.known_header),
    ]
    parts = (
        Part("Where", tuple(where)),
        *([Part("Our SBC", tuple(_ends_at(sbcs)))] if sbcs else []),
        Part("Who signs in", tuple(_signs_in(settings, ours, has_secret=has_secret))),
        Part("Sound and timers", tuple(media)),
        Part("Numbers", tuple(numbers)),
    )
    return Sheet(trunk.name, parts, tuple(_steps(settings)))


def _ends_at(sbcs: Sequence[Sbc]) -> list[Value]:
    """Where our side listens; of several the first, then those that stand in."""
    values = []
    for place, sbc in enumerate(sbcs):
        port = sbc.port or USUAL_PORT[sbc.transport]
        where = f"{sbc.host}, port {port}, {sbc.transport.upper()}"
        values.append(Value("Host" if not place else f"Then {sbc.name}", where, sbc.host))
        if sbc.addresses:
            values.append(Value("Its addresses", ", ".join(sbc.addresses)))
        for domain in sbc.domains:
            values.append(Value("Serves", domain.name))
    return values


def _signs_in(settings: TrunkSettings, ours: str, *, has_secret: bool) -> list[Value]:
    if settings.sign_in is SignIn.REGISTER:
        secret = "handed over apart from this sheet" if has_secret else "not given yet"
        return [
            Value("Sign-in", "we register with you"),
            Value("Name", settings.user),
            Value("Secret", secret),
        ]
    return [
        Value("Sign-in", "by address, without registration"),
        Value("Our address", ours or "as the next connection test sees it"),
        Value("Your addresses that we allow", ", ".join(settings.addresses)),
    ]


def _sent_by(rule: SendRule) -> str:
    off = f"without the first {rule.strip} digits" if rule.strip > 1 else "without the first digit"
    front = f"{rule.before} in front"
    return ", ".join([*([off] if rule.strip else []), *([front] if rule.before else [])])


def _known_by(settings: TrunkSettings) -> str:
    match settings.known_by:
        case KnownBy.HEADER:
            return f"the header {settings.known_header}"
        case KnownBy.NUMBER_LIST:
            return "the numbers of the list"
        case KnownBy.ADDRESS:
            return "the address they come from"


def _steps(settings: TrunkSettings) -> list[str]:
    steps = ["Type the values above and apply them."]
    if settings.sign_in is SignIn.ADDRESS:
        steps.append("Allow our address in your firewall, for signalling and for sound.")
    else:
        steps.append("Create the sign-in with the secret that was handed over.")
    steps.append("Load the numbers of the list onto this trunk.")
    steps.append("Reload the trunk, so that the settings take hold.")
    steps.append("Tell us; we test the connection and place a test call in each direction.")
    return steps


def _format(way: NumberFormat, last_digits: int) -> str:
    if way is NumberFormat.LAST_DIGITS:
        return f"the last {last_digits} digits, as in {'0142'.zfill(last_digits)[-last_digits:]}"
    return f"{way.value}, as in {EXAMPLE[way]}"


def _seconds(seconds: int, every: str = "") -> str:
    return f"{every}{seconds} seconds" if seconds else "none"

"""Carriers that speak SIP: who may sign in there, and how each manages it."""

from dataclasses import dataclass, field


@dataclass(frozen=True)
class Domain:
    """`trusts`: takes calls from addresses it knows, without a challenge; nobody registers there.
    `algorithms` of its challenges, the strongest first (RFC 8760)."""

    carrier: str
    users: dict[str, str] = field(default_factory=dict)
    trusts: bool = False
    algorithms: tuple[str, ...] = ("MD5",)
    codecs: tuple[str, ...] = ("PCMA", "PCMU")


DOMAINS = {
    "fellgate.example": Domain(
        "Fellgate Voice",
        {"lanternfield": "tern-over-salt-marsh-88"},
        algorithms=("SHA-256", "MD5"),
        codecs=("G722", "PCMA"),
    ),
    "brackwater.example": Domain("Brackwater Telecom", trusts=True),
    "maplecourt.example": Domain(
        "Maplecourt Networks", {"lanternfield": "sugar-pail-in-march-12"}, codecs=("PCMU",)
    ),
    "voice.lanternfield.example": Domain("The trust's SBC", trusts=True),
    "spare.lanternfield.example": Domain("The trust's second SBC", trusts=True),
}
READBACK = {
    "+441134960199",
    "+492214710999",
    "+33199009999",
    "+16175550199",
    "+14165550199",
}
FAULTS = (
    "",
    "wrong-certificate",
    "expired-certificate",
    "early-certificate",
    "ending-certificate",
    "self-signed",
    "silent",
    "slow",
    "403",
    "404",
    "486",
    "503",
    "302",
    "wrong-realm",
    "old-nonce",
    "cut-short",
    "rubbish",
    "wrong-length",
)


def zone(tls: int, tcp: int, udp: int) -> dict[tuple[str, str], list[str]]:
    """What the made-up DNS has, with the ports that are listened on."""
    found: dict[tuple[str, str], list[str]] = {
        ("nowhere.example", "A"): ["127.0.0.1"],
        ("_sips._tcp.nowhere.example", "SRV"): ["0 0 0 ."],
        ("loop.example", "CNAME"): ["pool.example."],
        ("pool.example", "CNAME"): ["loop.example."],
        ("_sip-owner.voice.lanternfield.example", "TXT"): ['"sedge-owner=lanternfield"'],
    }
    for name in DOMAINS:
        services = (("SIPS+D2T", "_sips._tcp", tls), ("SIP+D2T", "_sip._tcp", tcp))
        for place, (kind, service, port) in enumerate((*services, ("SIP+D2U", "_sip._udp", udp))):
            found.setdefault((name, "NAPTR"), []).append(
                f'{10 * place + 10} 10 "s" "{kind}" "" {service}.{name}.'
            )
            found[f"{service}.{name}", "SRV"] = [f"10 10 {port} sip.{name}."]
        found[f"sip.{name}", "A"] = ["127.0.0.1"]
        found[name, "A"] = ["127.0.0.1"]
    return found

"""What the other side shows in TLS, and whether it may be trusted: chain, dates, key, and the name
as SIP wants it (RFC 5922)."""

import socket
import ssl
from dataclasses import dataclass
from datetime import datetime

from cryptography import x509
from cryptography.hazmat.primitives.asymmetric import rsa
from cryptography.x509.oid import ExtensionOID, NameOID


@dataclass(frozen=True)
class Shown:
    """A server's certificate and the handshake. `distrust` is why the chain is not trusted, ''
    where it is; `problem` is why there was no handshake at all."""

    protocol: str = ""
    names: tuple[str, ...] = ()
    issuer: str = ""
    not_before: datetime | None = None
    not_after: datetime | None = None
    key: str = ""
    key_bits: int = 0
    self_signed: bool = False
    distrust: str = ""
    problem: str = ""

    def is_for(self, domain: str) -> bool:
        """RFC 5922 §7.2: a name must be the domain itself; wildcards do not count in SIP."""
        return domain.lower().rstrip(".") in {name.lower().rstrip(".") for name in self.names}


def tls_context(roots: str = "", *, checks: bool = True) -> ssl.SSLContext:
    """`roots` are further certificates (PEM) to trust besides the machine's."""
    made = ssl.create_default_context()
    if roots:
        made.load_verify_locations(cadata=roots)
    made.check_hostname = False  # names are compared as SIP has it, not as the web does
    if not checks:
        made.verify_mode = ssl.CERT_NONE
    return made


def look(address: str, port: int, domain: str, roots: str, seconds: float) -> Shown:
    """One handshake that checks the chain, and where that fails one that does not, to tell what was
    shown."""
    try:
        return _shake(address, port, domain, tls_context(roots), seconds)
    except ssl.SSLCertVerificationError as wrong:
        try:
            shown = _shake(address, port, domain, tls_context(checks=False), seconds)
        except (OSError, ssl.SSLError) as worse:
            return Shown(problem=str(worse))
        return Shown(**{**shown.__dict__, "distrust": wrong.verify_message})
    except (OSError, ssl.SSLError) as wrong:
        return Shown(problem=getattr(wrong, "reason", None) or str(wrong))


def _shake(address: str, port: int, domain: str, settings: ssl.SSLContext, seconds: float) -> Shown:
    with (
        socket.create_connection((address, port), seconds) as plain,
        settings.wrap_socket(plain, server_hostname=domain) as secure,
    ):
        der = secure.getpeercert(binary_form=True)
        protocol = secure.version() or ""
    return read(der or b"", protocol)


def read(der: bytes, protocol: str = "") -> Shown:
    """What stands in a certificate."""
    found = x509.load_der_x509_certificate(der)
    key = found.public_key()
    return Shown(
        protocol=protocol,
        names=_names(found),
        issuer=found.issuer.rfc4514_string(),
        not_before=found.not_valid_before_utc,
        not_after=found.not_valid_after_utc,
        key="RSA" if isinstance(key, rsa.RSAPublicKey) else type(key).__name__.strip("_"),
        key_bits=getattr(key, "key_size", 0),
        self_signed=found.issuer == found.subject,
    )


def _names(certificate: x509.Certificate) -> tuple[str, ...]:
    """SIP URIs of the subject's other names, else its DNS names, else its common name (RFC 5922
    §7.1)."""
    try:
        other = certificate.extensions.get_extension_for_oid(
            ExtensionOID.SUBJECT_ALTERNATIVE_NAME
        ).value
    except x509.ExtensionNotFound:
        common = certificate.subject.get_attributes_for_oid(NameOID.COMMON_NAME)
        return tuple(str(x.value) for x in common)
    assert isinstance(other, x509.SubjectAlternativeName)  # noqa: S101  what the extension holds
    uris = [
        u.split(":", 1)[1]
        for u in other.get_values_for_type(x509.UniformResourceIdentifier)
        if u.startswith(("sip:", "sips:"))
    ]
    return tuple(uris) or tuple(other.get_values_for_type(x509.DNSName))

"""A made-up certificate authority and what it signs, made anew each time the stand-ins start."""

import ssl
import tempfile
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from pathlib import Path

from cryptography import x509
from cryptography.hazmat.primitives import hashes, serialization
from cryptography.hazmat.primitives.asymmetric import ec
from cryptography.x509.oid import NameOID


@dataclass(frozen=True)
class Pair:
    certificate: x509.Certificate
    key: ec.EllipticCurvePrivateKey

    @property
    def pem(self) -> str:
        return self.certificate.public_bytes(serialization.Encoding.PEM).decode()


def _name(words: str) -> x509.Name:
    return x509.Name([x509.NameAttribute(NameOID.COMMON_NAME, words)])


class Authority:
    """Signs for any name, valid or not as wanted."""

    def __init__(self) -> None:
        self.root = self._made("Made-up SIP authority", None, authority=True)

    @property
    def pem(self) -> str:
        return self.root.pem

    def _made(
        self,
        name: str,
        signer: Pair | None,
        *,
        authority: bool = False,
        begins: timedelta = timedelta(days=-30),
        ends: timedelta = timedelta(days=300),
    ) -> Pair:
        key, now = ec.generate_private_key(ec.SECP256R1()), datetime.now(UTC)
        builder = (
            x509.CertificateBuilder()
            .subject_name(_name(name))
            .issuer_name(signer.certificate.subject if signer else _name(name))
            .public_key(key.public_key())
            .serial_number(x509.random_serial_number())
            .not_valid_before(now + begins)
            .not_valid_after(now + ends)
            .add_extension(x509.BasicConstraints(ca=authority, path_length=None), critical=True)
        )
        if not authority:
            other = x509.SubjectAlternativeName(
                [x509.DNSName(name), x509.UniformResourceIdentifier(f"sip:{name}")]
            )
            builder = builder.add_extension(other, critical=False)
        signed = builder.sign(signer.key if signer else key, hashes.SHA256())
        return Pair(signed, key)

    def context(self, name: str, fault: str) -> ssl.SSLContext:
        """What a server shows for a name: its certificate, or one that is wrong as ordered."""
        day = timedelta(days=1)
        match fault:
            case "wrong-certificate":
                pair = self._made(f"other.{name}", self.root)
            case "expired-certificate":
                pair = self._made(name, self.root, begins=-90 * day, ends=-day)
            case "early-certificate":
                pair = self._made(name, self.root, begins=day)
            case "ending-certificate":
                pair = self._made(name, self.root, ends=day)
            case "self-signed":
                pair = self._made(name, None)
            case _:
                pair = self._made(name, self.root)
        made = ssl.SSLContext(ssl.PROTOCOL_TLS_SERVER)
        with tempfile.TemporaryDirectory() as folder:  # Python loads chains from files only
            chain, key = Path(folder) / "chain", Path(folder) / "key"
            chain.write_text(pair.pem)
            key.write_bytes(
                pair.key.private_bytes(
                    serialization.Encoding.PEM,
                    serialization.PrivateFormat.PKCS8,
                    serialization.NoEncryption(),
                )
            )
            made.load_cert_chain(chain, key)
        return made

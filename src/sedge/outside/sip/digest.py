"""Answering a challenge: digest access authentication as SIP has it (RFC 3261 §22, RFC 7616,
RFC 8760)."""

import hashlib
import secrets
from collections.abc import Callable

from sedge.outside.sip.messages import Message, parameters

# RFC 8760: the first that is understood of those offered; MD5 is what old equipment has
HASHES: dict[str, Callable[[bytes], str]] = {
    "SHA-512-256": lambda data: hashlib.new("sha512_256", data).hexdigest(),
    "SHA-256": lambda data: hashlib.sha256(data).hexdigest(),
    "MD5": lambda data: hashlib.md5(data).hexdigest(),  # noqa: S324  as the protocol says
}


class Challenge:
    """What somebody asks of whoever signs in; of several the strongest that is understood."""

    def __init__(self, response: Message) -> None:
        self.proxy = response.status == 407
        name = "proxy-authenticate" if self.proxy else "www-authenticate"
        offered = [parameters(value) for value in response.all(name)]
        known = [x for x in offered if x.get("algorithm", "MD5").upper() in HASHES]
        order = list(HASHES)
        self.asked = min(
            known, key=lambda x: order.index(x.get("algorithm", "MD5").upper()), default={}
        )

    @property
    def is_understood(self) -> bool:
        return bool(self.asked.get("nonce"))

    @property
    def realm(self) -> str:
        return self.asked.get("realm", "")

    @property
    def stale(self) -> bool:
        """The answer was right, its nonce too old."""
        return self.asked.get("stale", "").lower() == "true"

    def answer(self, method: str, uri: str, user: str, secret: str) -> tuple[str, str]:
        """The header that answers it."""
        algorithm = self.asked.get("algorithm", "MD5")
        digest = HASHES[algorithm.upper()]
        nonce = self.asked["nonce"]
        ours = secrets.token_hex(8)
        who = digest(f"{user}:{self.realm}:{secret}".encode())
        what = digest(f"{method}:{uri}".encode())
        parts = {
            "username": f'"{user}"',
            "realm": f'"{self.realm}"',
            "nonce": f'"{nonce}"',
            "uri": f'"{uri}"',
            "algorithm": algorithm,
        }
        qops = [q.strip() for q in self.asked.get("qop", "").split(",")]
        if "auth" in qops:
            said = digest(f"{who}:{nonce}:00000001:{ours}:auth:{what}".encode())
            parts |= {"qop": "auth", "nc": "00000001", "cnonce": f'"{ours}"'}
        else:
            said = digest(f"{who}:{nonce}:{what}".encode())
        parts["response"] = f'"{said}"'
        if "opaque" in self.asked:
            parts["opaque"] = f'"{self.asked["opaque"]}"'
        name = "proxy-authorization" if self.proxy else "authorization"
        return name, "Digest " + ", ".join(f"{key}={value}" for key, value in parts.items())

"""Callbacks of carriers: signed with a secret agreed on, told within minutes, heard once.

`Callback-Time` is the second of sending, `Callback-Signature` the hex HMAC-SHA256 (RFC 2104) of
time, a dot and the body.
"""

import hashlib
import hmac
import threading
from collections.abc import Mapping
from datetime import datetime, timedelta

from pydantic import BaseModel, Field, ValidationError

from sedge.core.errors import Forbidden, NotUnderstood

FRESH = timedelta(minutes=5)
LATEST = 4_102_444_800  # the second in which 2100 begins


class Told(BaseModel):
    """Of which order a carrier tells something; what has happened we ask for ourselves."""

    carrier: str = Field(max_length=80)
    order: str = Field(max_length=80)


def told_in(body: bytes) -> Told:
    """Raises NotUnderstood."""
    try:
        return Told.model_validate_json(body)
    except ValidationError as error:
        raise NotUnderstood("A callback names the carrier and its order.", field="order") from error


def signature(secret: str, moment: str, body: bytes) -> str:
    return hmac.new(secret.encode(), moment.encode() + b"." + body, hashlib.sha256).hexdigest()


class Listener:
    """Lets pass what is signed, fresh and new."""

    def __init__(self, secret: str) -> None:
        self._secret = secret
        self._heard: dict[str, datetime] = {}
        self._lock = threading.Lock()

    def check(self, headers: Mapping[str, str], body: bytes, now: datetime) -> None:
        """Raises Forbidden with `reason` forged, stale or replayed."""
        moment, signed = headers.get("callback-time", ""), headers.get("callback-signature", "")
        if not moment.isascii() or not moment.isdigit() or len(moment) > 11 or int(moment) > LATEST:
            raise Forbidden(
                "The callback doesn't say when it was sent. Sign it as agreed.", reason="forged"
            )
        if not hmac.compare_digest(
            signature(self._secret, moment, body), signed.encode("ascii", "replace").decode()
        ):
            raise Forbidden("The callback isn't signed with the secret agreed on.", reason="forged")
        if abs(now - datetime.fromtimestamp(int(moment), now.tzinfo)) > FRESH:
            raise Forbidden(
                "The callback was sent too long ago, or by a clock that is wrong.", reason="stale"
            )
        with self._lock:
            self._heard = {known: at for known, at in self._heard.items() if now - at < 2 * FRESH}
            if signed in self._heard:
                raise Forbidden("This callback has been heard already.", reason="replayed")
            self._heard[signed] = now

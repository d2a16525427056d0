"""The one tree of errors.

SedgeError
├── NotUnderstood        what was typed or sent cannot be read or used          (422)
│   └── NotOneNumber     a text that is not exactly one telephone number        (422)
├── NotFound             no such thing in this organisation                     (404)
├── NotSignedIn          nobody is signed in, or the sign-in has ended          (401)
├── Forbidden            this role may not do that                              (403)
├── NotAllowedNow        the thing's present state does not allow it            (409)
│   ├── ChangedMeanwhile somebody else was faster                               (409)
│   ├── NotRunnable      a work order with stops, or one that is past running   (409)
│   └── KeyReused        the same idempotency key with another body             (409)
├── TooMany              asked too often; wait                                  (429)
├── OutOfOrder           the installation itself can't do it: damaged or full   (503)
└── OutsideTrouble       a service outside did not do what was asked            (502)
    ├── OutsideSilent    it did not answer; the same call may go through later  (502)
    └── OutsideRefused   it answered no to what we asked, with its reason       (409)

Each carries a stable code, a sentence for the administrator, the field at fault and facts as data.
Pages and API dress them; nothing else turns an error into a status or a sentence.
"""

from typing import Any, ClassVar


class SedgeError(Exception):
    """`message` is a sentence an administrator understands and says what to do; `facts` are plain
    data."""

    code: ClassVar[str] = "sedge"
    status: ClassVar[int] = 500

    def __init__(
        self, message: str, *, field: str | None = None, reason: str | None = None, **facts: Any
    ) -> None:
        super().__init__(message)
        self.message = message
        self.field = field
        self.reason = reason
        self.facts = facts


class CannotStart(Exception):
    """The surroundings do not let Sedge start, or a command do its work; the message is one
    sentence for the operator, with the way out."""


class NotUnderstood(SedgeError):
    code, status = "not-understood", 422


class NotOneNumber(NotUnderstood):
    code = "not-one-number"


class NotFound(SedgeError):
    code, status = "not-found", 404


class NotSignedIn(SedgeError):
    code, status = "not-signed-in", 401


class Forbidden(SedgeError):
    code, status = "forbidden", 403


class NotAllowedNow(SedgeError):
    code, status = "not-allowed-now", 409


class ChangedMeanwhile(NotAllowedNow):
    code = "changed-meanwhile"


class NotRunnable(NotAllowedNow):
    code = "not-runnable"


class KeyReused(NotAllowedNow):
    code = "key-reused"


class TooMany(SedgeError):
    code, status = "too-many", 429


class OutOfOrder(SedgeError):
    code, status = "out-of-order", 503


class OutsideTrouble(SedgeError):
    code, status = "outside-trouble", 502


class OutsideSilent(OutsideTrouble):
    code = "outside-silent"


class OutsideRefused(OutsideTrouble):
    code, status = "outside-refused", 409

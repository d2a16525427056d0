"""The header by which a forwarded call says who forwarded it, and why: History-Info (RFC 7044) with
the causes of RFC 4458, or Diversion (RFC 5806), as it is agreed for the trunk."""

from enum import StrEnum
from typing import NamedTuple

from sedge.core.records import Trunk
from sedge.core.trunks.number_rules import as_sent
from sedge.core.trunks.records import Diversion
from sedge.core.trunks.settings import as_written


class Because(StrEnum):
    """Why a call is sent on, in the words of RFC 5806."""

    ALWAYS = "unconditional"
    NO_ANSWER = "no-answer"
    BUSY = "user-busy"


CAUSES = {Because.ALWAYS: 302, Because.NO_ANSWER: 408, Because.BUSY: 486}  # RFC 4458


class Header(NamedTuple):
    name: str
    value: str


def diversion_header(by: str, to: str, because: Because, trunk: Trunk) -> Header | None:
    """`by` and `to` as E.164. None where the two sides agreed on none, or on nothing at all."""
    settings = trunk.settings
    if settings is None or settings.diversion is Diversion.NONE:
        return None

    own = f"<sip:{as_written(by, settings.sends, settings.last_digits)}@{trunk.host}>"
    if settings.diversion is Diversion.DIVERSION:
        return Header("Diversion", f"{own};reason={because};counter=1")
    sent_on = f"<sip:{as_sent(to, settings)}@{trunk.host};cause={CAUSES[because]}>"
    return Header("History-Info", f"{own};index=1, {sent_on};index=1.1;mp=1")

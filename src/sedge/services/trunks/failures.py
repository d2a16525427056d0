"""What each failure of a connection test means, and what to change."""

from datetime import datetime

from sedge.outside.sip.agent import Heard
from sedge.outside.sip.certificates import Shown

SHORT_KEY = {"RSA": 2048, "ECPublicKey": 224}  # bits; NIST SP 800-57
NO_NAME = {
    "no-name": (
        "There is no name {about}.",
        "Compare the host with the carrier's letter, letter by letter.",
    ),
    "no-address": (
        "{about} has no address.",
        "Ask the carrier for the host it listens at; the name exists without one.",
    ),
    "srv-to-nowhere": (
        "{about} says that no such service is offered here.",
        "Choose another transport, or type a port.",
    ),
    "dns-silent": (
        "The DNS did not answer about {about}.",
        "Look whether this machine reaches its DNS server.",
    ),
    "dns-failed": (
        "The DNS can't say where {about} is: often its aliases lead in a circle.",
        "Ask the operator of that name's zone.",
    ),
}


def distrusted(shown: Shown, domain: str, today: datetime) -> tuple[str, str] | None:
    """What is wrong with a certificate, and what to change; None where it is good."""
    names = " and ".join(shown.names) or "no name"
    least = SHORT_KEY.get(shown.key, 0)
    if shown.problem:
        cure = "The other side speaks no TLS at this port: try another transport or port."
        return f"No TLS handshake: {shown.problem}.", cure
    if not shown.not_after or not shown.not_before:
        return "No certificate was shown.", "Ask the carrier for one."
    if shown.not_after < today:
        return f"The certificate ended on {shown.not_after:%-d %B %Y}.", "Have it renewed."
    if shown.not_before > today:
        cure = "Look at the clocks of both sides; the certificate begins later."
        return f"The certificate begins on {shown.not_before:%-d %B %Y}.", cure
    if shown.self_signed:
        cure = "Have it signed by an authority, or trust it by hand on both sides."
        return f"The certificate of {names} is signed by itself.", cure
    if shown.distrust:
        cure = "The other side must show its chain, signed by an authority this machine trusts."
        return f"The certificate is not trusted: {shown.distrust}.", cure
    if not shown.is_for(domain):
        cure = f"Use the host that stands in the certificate, or have one made for {domain}."
        return f"The certificate is for {names}, not for {domain}.", cure
    if shown.key_bits < least:
        return f"Its key has {shown.key_bits} bits.", f"Have one made with {least} at least."
    return None


def sign_in_failed(last: Heard, user: str, realm: str, domain: str) -> tuple[str, str]:
    says = f"{last.status} {last.answer.reason}"
    if realm and realm.lower() != domain.lower():
        return (
            f"It asks for the sign-in of another realm, {realm}, and answers {says}.",
            f"Compare the host: sign-ins of {realm} are for that domain.",
        )
    match last.status:
        case 404:
            return f"It does not know “{user}” ({says}).", "Compare the name with its letter."
        case 401 | 403 | 407:
            return f"It refuses the secret of “{user}” ({says}).", "Type the secret anew."
        case 405:
            return (
                f"It takes no sign-ins ({says}).",
                "This carrier trusts addresses: choose trust by address.",
            )
        case 503:
            retry = last.answer.first("retry-after")
            later = f"Try again in {retry} seconds." if retry else "Try again later."
            return f"It is too busy to sign anybody in ({says}).", later
    return f"It answers {says}.", "Ask the carrier what that means for your trunk."


def call_failed(last: Heard, number: str) -> tuple[str, str]:
    says = f"{last.status} {last.answer.reason}"
    match last.status:
        case 302:
            to = last.answer.first("contact")
            return f"It sends the call elsewhere ({says}): {to}.", "Ask the carrier for that host."
        case 403:
            return f"It refuses the call ({says}).", "It may not take this caller ID from us."
        case 404:
            return f"It does not know {number} ({says}).", "Compare how numbers are written."
        case 488:
            return f"It takes none of our codecs ({says}).", "Add one that it has."
        case 503:
            retry = last.answer.first("retry-after")
            later = f"Try again in {retry} seconds." if retry else "Try again later."
            return f"It takes no calls at present ({says}).", later
        case 486:
            return f"{number} is busy ({says}).", "The line that says the caller ID is in use."
    return f"It answers {says}.", "Ask the carrier what that means for your trunk."

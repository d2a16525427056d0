"""The digit ruler: a number split into country code, area and subscriber part, each with its
meaning underneath."""

from markupsafe import Markup

from sedge.core.numbers.e164 import describe
from sedge.core.numbers.plan import COUNTRIES


def ruler(e164: str) -> Markup:
    """HTML of the ruler; one element per part, readable without colour."""
    facts = describe(e164)
    code, area, subscriber = facts.parts
    country = COUNTRIES[facts.country].name if facts.country in COUNTRIES else facts.country
    parts = [
        ("code", f"+{code}", country),
        ("area", area, facts.area),
        ("subscriber", grouped(subscriber), "subscriber number"),
    ]
    spans = Markup("").join(
        Markup(
            '<span class="ruler-part ruler-{}"><span class="ruler-digits">{}</span><span'
            ' class="ruler-meaning">{}</span></span>'
        ).format(*part)
        for part in parts
        if part[1]
    )
    return Markup('<span class="ruler" data-copy="{}">{}</span>').format(e164, spans)


def grouped(subscriber: str) -> str:
    """Subscriber digits in groups that can be read aloud: the last four apart where there are seven
    or more."""
    return f"{subscriber[:-4]} {subscriber[-4:]}" if len(subscriber) >= 6 else subscriber

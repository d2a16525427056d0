"""A site's dial plan: what a person dials becomes an E.164 number, an extension, an emergency call,
or is refused.

Rules are digit maps (RFC 3435 §2.1.5): `x` any digit, `[1-9]` one of them, `.` repeats the position
before it zero or more times, `|` separates alternatives, a leading `+` is allowed. Emergency
numbers come first and never wait.
"""

import re
from dataclasses import dataclass
from enum import StrEnum
from functools import lru_cache

from sedge.core.numbers.e164 import describe, read
from sedge.core.numbers.plan import COUNTRIES, Kind
from sedge.core.records import Right, Site


class Reached(StrEnum):
    """What dialled keys lead to."""

    EMERGENCY = "emergency"
    NUMBER = "number"
    EXTENSION = "extension"
    NOTHING = "nothing"


@dataclass(frozen=True)
class DialRule:
    """`strip` digits are taken off the front, `before` is put there; `right` is what the caller
    needs."""

    pattern: str
    kind: Reached
    strip: int = 0
    before: str = ""
    right: Right = Right.NATIONAL


@dataclass(frozen=True)
class Dialled:
    """What was dialled became `result`: an E.164 number, an extension or emergency digits; `kind`
    says which."""

    kind: Reached
    result: str
    rule: DialRule | None
    right: Right
    reason: str


def plan_of(site: Site) -> list[DialRule]:
    """The country's default rules, with and without the site's outside-line prefix. Order matters:
    first match wins."""
    return list(_plan(site.country, site.outside_prefix, site.extension_digits))


@lru_cache(maxsize=512)
def _plan(code: str, prefix: str, extension_digits: int) -> tuple[DialRule, ...]:
    country = COUNTRIES[code]
    emergency = [
        DialRule(digits, Reached.EMERGENCY, right=Right.EMERGENCY) for digits in country.emergency
    ]
    if prefix:
        emergency += [
            DialRule(prefix + digits, Reached.EMERGENCY, strip=len(prefix), right=Right.EMERGENCY)
            for digits in country.emergency
        ]
    outside = [
        DialRule("+xxxxxxx.", Reached.NUMBER, right=Right.INTERNATIONAL),
        DialRule(
            f"{country.international}[1-9]xxxxx.",
            Reached.NUMBER,
            strip=len(country.international),
            before="+",
            right=Right.INTERNATIONAL,
        ),
    ]
    if country.trunk == "0":
        outside.append(
            DialRule("0[1-9]xxxxx.", Reached.NUMBER, strip=1, before=f"+{country.calling_code}")
        )
    else:
        outside += [
            DialRule("1[2-9]xxxxxxxxx", Reached.NUMBER, before="+"),
            DialRule("[2-9]xxxxxxxxx", Reached.NUMBER, before="+1"),
        ]
    with_prefix = [
        DialRule(prefix + r.pattern, r.kind, r.strip + len(prefix), r.before, r.right)
        for r in outside
        if prefix and not r.pattern.startswith("+")
    ]
    extension = DialRule("x" * extension_digits, Reached.EXTENSION, right=Right.INTERNAL)
    return (*emergency, *outside, *with_prefix, extension)


def dial(dialled: str, site: Site) -> Dialled:
    """What a person at `site` reaches by these keys. Spaces and dashes don't matter.

    The first rule that fits and gives a number in service wins: where the outside-line prefix is
    the trunk prefix too, as in Germany, `0 030 …` fits the international rule before it fits its
    own.
    """
    keys = re.sub(r"[\s\-().]", "", dialled)
    found = [_applied(keys, rule, site) for rule in plan_of(site) if matches(rule.pattern, keys)]
    reached = next((d for d in found if d.kind is not Reached.NOTHING), None)
    if reached or found:
        return reached or found[0]
    return Dialled(
        Reached.NOTHING,
        keys,
        None,
        Right.INTERNAL,
        f"No rule of {site.name}'s dial plan knows {dialled}.",
    )


def _applied(keys: str, rule: DialRule, site: Site) -> Dialled:
    result = rule.before + keys[rule.strip :]
    if rule.kind is not Reached.NUMBER:
        return Dialled(rule.kind, result, rule, rule.right, f"rule {rule.pattern}")
    reading = read(result, site.country)
    if reading.problem or reading.candidates[0].e164 != result:
        sentence = reading.problem.sentence if reading.problem else "It is not a number in service."
        return Dialled(Reached.NOTHING, result, rule, rule.right, sentence)
    return Dialled(Reached.NUMBER, result, rule, right_for(result, site), f"rule {rule.pattern}")


def right_for(e164: str, site: Site) -> Right:
    """The calling right that a call from a site to a number needs."""
    facts = describe(e164)
    if facts.country != site.country:
        return Right.INTERNATIONAL
    return {Kind.MOBILE: Right.MOBILE, Kind.PREMIUM: Right.PREMIUM}.get(facts.kind, Right.NATIONAL)


def matches(digit_map: str, keys: str) -> bool:
    """Whether a digit map takes exactly these keys."""
    return any(_compiled(part).fullmatch(keys) for part in digit_map.split("|"))


@lru_cache(maxsize=512)
def _compiled(pattern: str) -> re.Pattern[str]:
    out, i = "", 0
    while i < len(pattern):
        match pattern[i]:
            case "x":
                out += "[0-9]"
            case ".":
                out += "*"
            case "[":
                end = pattern.index("]", i)
                out += pattern[i : end + 1]
                i = end
            case "T":
                pass
            case other:
                out += re.escape(other)
        i += 1
    return re.compile(out)

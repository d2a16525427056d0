"""A site's dial plan: what a person dials becomes an E.164 number, an extension, an emergency call,
or is refused.

Rules are digit maps (RFC 3435 §2.1.5): `x` any digit, `[1-9]` one of them, `.` repeats the position
before it zero or more times, `|` separates alternatives, a leading `+` is allowed. Emergency
numbers come first and never wait.
"""

import re
from dataclasses import dataclass
from functools import lru_cache

from sedge.core.enums import Reached
from sedge.core.numbers.e164 import describe, read
from sedge.core.numbers.plan import COUNTRIES, Kind
from sedge.core.outbound.dialling.digit_maps import matches
from sedge.core.outbound.records import OwnDialRule
from sedge.core.records import Right, Site

# ten digits of North America without N11, which are service codes and emergency numbers
NORTH_AMERICAN = "[2-9][02-9]xxxxxxxx|[2-9]1[02-9]xxxxxxx"


@dataclass(frozen=True)
class DialRule:
    """`strip` digits are taken off the front, `before` is put there; `right` is what the caller
    needs. `name` says what the rule is for; `own` ones are the site's."""

    pattern: str
    kind: Reached
    strip: int = 0
    before: str = ""
    right: Right = Right.NATIONAL
    name: str = ""
    own: bool = False


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
    """Emergency numbers, then the site's own rules, then the country's, with and without the
    site's outside-line prefix. Order matters: first match wins."""
    emergency = emergency_rules(site.country, site.outside_prefix)
    own = tuple(of_own(rule) for rule in site.dial_rules)
    return [
        *emergency,
        *own,
        *_defaults(site.country, site.outside_prefix, site.extension_digits),
    ]


def of_own(rule: OwnDialRule) -> DialRule:
    right = rule.right if rule.leads_to is Reached.NUMBER else Right.INTERNAL
    return DialRule(
        rule.pattern, rule.leads_to, rule.strip, rule.before, right, rule.name, own=True
    )


@lru_cache(maxsize=512)
def emergency_rules(code: str, prefix: str) -> tuple[DialRule, ...]:
    """Each emergency number of a country, plain and behind the outside-line prefix."""
    digits = COUNTRIES[code].emergency
    right, name = Right.EMERGENCY, "an emergency number"
    plain = [DialRule(d, Reached.EMERGENCY, right=right, name=name) for d in digits]
    behind = [
        DialRule(prefix + d, Reached.EMERGENCY, strip=len(prefix), right=right, name=name)
        for d in digits
        if prefix
    ]
    return (*plain, *behind)


@lru_cache(maxsize=512)
def _defaults(code: str, prefix: str, extension_digits: int) -> tuple[DialRule, ...]:
    country = COUNTRIES[code]
    abroad, right = "an international number", Right.INTERNATIONAL
    outside = [
        DialRule("+xxxxxxx.", Reached.NUMBER, right=right, name=abroad),
        DialRule(
            f"{country.international}[1-9]xxxxx.",
            Reached.NUMBER,
            strip=len(country.international),
            before="+",
            right=right,
            name=abroad,
        ),
    ]
    home = "a national number"
    if country.trunk == "0":
        before = f"+{country.calling_code}"
        outside.append(DialRule("0[1-9]xxxxx.", Reached.NUMBER, 1, before, name=home))
    else:
        behind_one = "|".join(f"1{part}" for part in NORTH_AMERICAN.split("|"))
        outside += [
            DialRule(behind_one, Reached.NUMBER, before="+", name=home),
            DialRule(NORTH_AMERICAN, Reached.NUMBER, before="+1", name=home),
        ]
    with_prefix = [
        DialRule(
            "|".join(prefix + part for part in r.pattern.split("|")),
            r.kind,
            r.strip + len(prefix),
            r.before,
            r.right,
            r.name,
        )
        for r in outside
        if prefix and not r.pattern.startswith("+")
    ]
    extension = DialRule(
        "x" * extension_digits, Reached.EXTENSION, right=Right.INTERNAL, name="an extension"
    )
    return (*outside, *with_prefix, extension)


def dial(dialled: str, site: Site) -> Dialled:
    """What a person at `site` reaches by these keys. Spaces, dots, dashes and brackets don't
    matter.

    The first rule that fits and gives a number in service wins: where the outside-line prefix is
    the trunk prefix too, as in Germany, `0 030 …` fits the international rule before it fits its
    own.
    """
    keys = bare(dialled)
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
    if rule.kind is Reached.REFUSED:
        said = f"{site.name} refuses {keys}: {rule.name}."
        return Dialled(rule.kind, keys, rule, rule.right, said)
    if rule.kind is not Reached.NUMBER:
        return Dialled(rule.kind, result, rule, rule.right, f"rule {rule.pattern}")
    reading = read(result, site.country)
    if reading.problem or reading.candidates[0].e164 != result:
        sentence = reading.problem.sentence if reading.problem else "It is not a number in service."
        return Dialled(Reached.NOTHING, result, rule, rule.right, sentence)
    return Dialled(Reached.NUMBER, result, rule, _right(rule, result, site), f"rule {rule.pattern}")


RANK = (Right.NATIONAL, Right.MOBILE, Right.INTERNATIONAL, Right.PREMIUM)


def _right(rule: DialRule, e164: str, site: Site) -> Right:
    """What the number needs; more where an own rule asks for more."""
    needed = right_for(e164, site)
    return max(needed, rule.right, key=RANK.index) if rule.own and rule.right in RANK else needed


def bare(dialled: str) -> str:
    """The keys alone, without what people put between them."""
    return re.sub(r"[\s\-().]", "", dialled)


def right_for(e164: str, site: Site) -> Right:
    """The calling right that a call from a site to a number needs."""
    facts = describe(e164)
    if facts.country != site.country:
        return Right.INTERNATIONAL
    return {Kind.MOBILE: Right.MOBILE, Kind.PREMIUM: Right.PREMIUM}.get(facts.kind, Right.NATIONAL)

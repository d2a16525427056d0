"""What is wrong with a site's own dial rules, found by intersecting their digit maps, and what
happens key by key."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import NamedTuple

from sedge.core.enums import Reached
from sedge.core.errors import NotUnderstood
from sedge.core.numbers.plan import COUNTRIES
from sedge.core.outbound.dialling.dialplan import Dialled, DialRule, bare, dial, plan_of
from sedge.core.outbound.dialling.digit_maps import (
    automaton,
    goes_on_from,
    in_common,
    left_over,
    matches,
    parse_once,
)
from sedge.core.outbound.dialling.digit_maps import in_words as map_in_words
from sedge.core.records import Site

MOST_RULES = 200
# rules after which no later one is asked: what a number rule takes may turn out to be no number
FINAL = frozenset({Reached.EMERGENCY, Reached.EXTENSION, Reached.SERVICE, Reached.REFUSED})


class Overlap(NamedTuple):
    """Two rules that take the same keys; the `earlier` one wins."""

    earlier: int
    later: int
    example: str


@dataclass(frozen=True)
class Endangered:
    """A rule that an emergency number runs into: it takes the digits (`delays` False), or goes on
    after them, so that a phone waits for more; `example` is what it would take. Of the country's
    rules some do: behind a prefix that national numbers begin with, and short extensions."""

    rule: int
    digits: str
    delays: bool
    example: str


@dataclass(frozen=True)
class PlanFindings:
    """Positions are those of the whole plan, emergency numbers and country's rules included.
    `hidden`: rules never reached, each with those in front that take all of theirs."""

    rules: tuple[DialRule, ...]
    hidden: dict[int, tuple[int, ...]]
    overlaps: tuple[Overlap, ...]
    endangered: tuple[Endangered, ...]
    overdrawn: tuple[int, ...]

    def own(self) -> list[int]:
        return [i for i, rule in enumerate(self.rules) if rule.own]


def examine(site: Site) -> PlanFindings:
    """All that can be told of a site's plan without trying numbers. Raises NotUnderstood where a
    digit map can't be read."""
    rules = tuple(plan_of(site))
    overlaps = _overlaps(rules)
    return PlanFindings(
        rules,
        _hidden(rules, overlaps),
        tuple(overlaps),
        tuple(_endangered(rules, site)),
        tuple(i for i, r in enumerate(rules) if r.own and r.strip > shortest(r.pattern)),
    )


def shortest(pattern: str) -> int:
    """How many keys a digit map takes at least."""
    return min(sum(not p.repeats for p in line) for line in parse_once(pattern))


def _overlaps(rules: Sequence[DialRule]) -> list[Overlap]:
    """Between rules of which one at least is the site's own."""
    return [
        Overlap(i, j, example)
        for j, later in enumerate(rules)
        for i, earlier in enumerate(rules[:j])
        if (earlier.own or later.own)
        and (example := in_common(earlier.pattern, later.pattern)) is not None
    ]


def _hidden(rules: Sequence[DialRule], overlaps: Sequence[Overlap]) -> dict[int, tuple[int, ...]]:
    found: dict[int, tuple[int, ...]] = {}
    for j, rule in enumerate(rules):
        before = [o.earlier for o in overlaps if o.later == j and rules[o.earlier].kind in FINAL]
        if before and left_over(rule.pattern, [rules[i].pattern for i in before]) is None:
            found[j] = tuple(before)
    return found


def _endangered(rules: Sequence[DialRule], site: Site) -> list[Endangered]:
    emergency = [rule.pattern for rule in rules if rule.kind is Reached.EMERGENCY]
    found: list[Endangered] = []
    for i, rule in enumerate(rules):
        if rule.kind is Reached.EMERGENCY:
            continue
        for digits in emergency:
            if rule.own and matches(rule.pattern, digits):
                found.append(Endangered(i, digits, delays=False, example=digits))
            elif (longer := goes_on_from(rule.pattern, digits)) is not None:
                found.append(Endangered(i, digits, delays=True, example=longer))
    return found


class Key(NamedTuple):
    """After one more key: the rules (positions) that take what is typed, and those that could take
    more; whether it is an emergency number."""

    typed: str
    takes: tuple[int, ...]
    goes_on: tuple[int, ...]
    emergency: bool


def key_by_key(site: Site, dialled: str) -> list[Key]:
    """What each further key does. Raises NotUnderstood for a key that no phone has."""
    keys = bare(dialled).upper()
    rules = plan_of(site)
    maps = [automaton(rule.pattern) for rule in rules]
    states = [found.start for found in maps]
    steps: list[Key] = []
    for i, key in enumerate(keys):
        states = [m.step(s, key) if s else 0 for m, s in zip(maps, states, strict=True)]
        takes = tuple(
            j for j, (m, s) in enumerate(zip(maps, states, strict=True)) if s & m.accepting
        )
        more = tuple(
            j for j, (m, s) in enumerate(zip(maps, states, strict=True)) if m.wants_more(s)
        )
        emergency = any(rules[j].kind is Reached.EMERGENCY for j in takes)
        steps.append(Key(keys[: i + 1], takes, more, emergency))
    return steps


def lost_extensions(site: Site, extensions: Sequence[str]) -> list[tuple[str, Dialled]]:
    """Which extensions nobody at the site can dial, with what the keys become instead."""
    found = ((extension, dial(extension, site)) for extension in extensions)
    return [(e, d) for e, d in found if d.kind is not Reached.EXTENSION or d.result != e]


def unreachable(site: Site, numbers: Sequence[str]) -> list[tuple[str, Dialled]]:
    """Which of the numbers (E.164) of one's own nobody at the site can dial in their national or
    international writing, with what the dialled keys become instead."""
    country = COUNTRIES[site.country]
    found: list[tuple[str, Dialled]] = []
    for e164 in numbers:
        home = e164.startswith(f"+{country.calling_code}")
        significant = e164.removeprefix(f"+{country.calling_code}")
        keys = country.trunk + significant if home else country.international + e164[1:]
        became = dial(site.outside_prefix + keys, site)
        if became.kind is not Reached.NUMBER or became.result != e164:
            found.append((e164, became))
    return found


def reading_of(rule: DialRule, site: Site) -> str:
    """A rule as one reads it aloud: `9, then a national number`."""
    prefix = site.outside_prefix
    if rule.own or not rule.name or rule.kind is Reached.EMERGENCY:
        return map_in_words(rule.pattern)
    if prefix and rule.pattern.startswith(prefix) and rule.strip >= len(prefix):
        return f"{prefix}, then {rule.name}"
    return f"{rule.name}, as {map_in_words(rule.pattern)}"


def check_rules(rules: Sequence[object]) -> None:
    """Raises NotUnderstood where there are too many."""
    if len(rules) > MOST_RULES:
        message = f"A site has at most {MOST_RULES} rules of its own; these are {len(rules)}."
        raise NotUnderstood(message, field="rules", reason="too-many")

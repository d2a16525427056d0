"""A trunk's own rules for the numbers it sends: how they are typed, which of them is never reached,
and what a number becomes."""

import re
from collections.abc import Sequence
from dataclasses import dataclass
from typing import NamedTuple

from sedge.core.errors import NotUnderstood
from sedge.core.outbound.dialling.digit_maps import (
    automaton,
    in_common,
    left_over,
    matches,
    parse,
)
from sedge.core.outbound.dialling.plan_findings import Overlap, shortest
from sedge.core.trunks.records import SendRule, TrunkSettings
from sedge.core.trunks.settings import as_written

MOST_SEND_RULES = 50
LONGEST_RULE_NAME = 60
SEND_RULE = re.compile(
    r"(?P<pattern>\S+)(?:\s+strip\s+(?P<strip>\d{1,2}))?(?:\s+put\s+(?P<before>\+?[0-9*#]{1,15}))?"
    rf"(?:\s+for\s+(?P<name>.{{1,{LONGEST_RULE_NAME}}}))?"
)


def read_send_rules(text: str, field: str = "send_rules") -> tuple[SendRule, ...]:
    """Rules for numbers that are sent in another way, one a line, as `49xx. strip 2 put 00`, with
    what each is for after it: `for Germany`. Raises NotUnderstood that names the line."""
    lines = [line.strip() for line in text.splitlines() if line.strip()]
    check_how_many(lines, field)
    return tuple(_send_rule(i, line, field) for i, line in enumerate(lines, 1))


def check_how_many(rules: Sequence[object], field: str) -> None:
    """Raises NotUnderstood where there are too many."""
    if len(rules) > MOST_SEND_RULES:
        message = f"A trunk has at most {MOST_SEND_RULES} such rules; these are {len(rules)}."
        raise NotUnderstood(message, field=field, reason="too-many")


def _send_rule(place: int, line: str, field: str) -> SendRule:
    found = SEND_RULE.fullmatch(line)
    if found is None or not (found["strip"] or found["before"]):
        message = (
            f"Line {place}: “{line[:60]}” is no rule. Type the digits it takes, then strip and how"
            " many, put and which: 49xx. strip 2 put 00."
        )
        raise NotUnderstood(message, field=field, reason="rule")
    pattern = found["pattern"]
    try:
        parse(pattern)
    except NotUnderstood as wrong:
        message = f"Line {place}: {wrong.message}"
        raise NotUnderstood(message, field=field, reason="pattern") from None
    strip, least = int(found["strip"] or 0), shortest(pattern)
    if strip > least:
        message = f"Line {place} strips {strip} digits, and {pattern} takes as few as {least}."
        raise NotUnderstood(message, field=field, reason="strips-too-much")
    name = " ".join((found["name"] or "").split())
    return SendRule(pattern=pattern, strip=strip, before=found["before"] or "", name=name)


def send_rules_as_text(rules: tuple[SendRule, ...]) -> str:
    """Rules as they are typed."""
    return "\n".join(
        f"{rule.pattern} strip {rule.strip}"
        + (f" put {rule.before}" if rule.before else "")
        + (f" for {rule.name}" if rule.name else "")
        for rule in rules
    )


@dataclass(frozen=True)
class SendRuleFindings:
    """By the rules' places. `hidden`: those never reached, each with the ones in front that take
    all of its numbers."""

    hidden: dict[int, tuple[int, ...]]
    overlaps: tuple[Overlap, ...]


def examine_send_rules(rules: Sequence[SendRule]) -> SendRuleFindings:
    """Each rule against those before it. Raises NotUnderstood where a digit map can't be read."""
    overlaps = tuple(
        Overlap(i, j, example)
        for j, later in enumerate(rules)
        for i, earlier in enumerate(rules[:j])
        if (example := in_common(earlier.pattern, later.pattern)) is not None
    )
    hidden: dict[int, tuple[int, ...]] = {}
    for j, rule in enumerate(rules):
        before = tuple(o.earlier for o in overlaps if o.later == j)
        if before and left_over(rule.pattern, [rules[i].pattern for i in before]) is None:
            hidden[j] = before
    return SendRuleFindings(hidden, overlaps)


def rule_for(e164: str, rules: Sequence[SendRule]) -> int | None:
    """The place of the first rule that takes a number; None where it goes out in the trunk's usual
    format."""
    digits = e164.lstrip("+")
    return next((i for i, rule in enumerate(rules) if matches(rule.pattern, digits)), None)


def as_sent(e164: str, settings: TrunkSettings) -> str:
    """The called number as the other side of a trunk is sent it: by the first rule that takes it,
    else in the trunk's format."""
    place = rule_for(e164, settings.send_rules)
    if place is None:
        return as_written(e164, settings.sends, settings.last_digits)
    rule = settings.send_rules[place]
    return rule.before + e164.lstrip("+")[rule.strip :]


class Digit(NamedTuple):
    """After one more digit: the rules (places) that take what came so far, and those that could
    take more."""

    typed: str
    takes: tuple[int, ...]
    goes_on: tuple[int, ...]


def digit_by_digit(e164: str, rules: Sequence[SendRule]) -> list[Digit]:
    """Which rules still fit after each digit of a number."""
    maps = [automaton(rule.pattern) for rule in rules]
    states = [found.start for found in maps]
    digits = e164.lstrip("+")
    steps: list[Digit] = []
    for i, digit in enumerate(digits):
        states = [m.step(s, digit) if s else 0 for m, s in zip(maps, states, strict=True)]
        both = list(enumerate(zip(maps, states, strict=True)))
        takes = tuple(j for j, (m, s) in both if s & m.accepting)
        more = tuple(j for j, (m, s) in both if m.wants_more(s))
        steps.append(Digit(digits[: i + 1], takes, more))
    return steps

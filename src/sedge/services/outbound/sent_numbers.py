"""How a trunk sends numbers: its own rules, what is wrong with them, numbers tried, new ones as a
draft."""

from dataclasses import dataclass

from pydantic import BaseModel, ConfigDict, Field

from sedge.core.access.roles import May
from sedge.core.errors import NotAllowedNow, NotUnderstood
from sedge.core.numbers.e164 import read
from sedge.core.outbound.dialling.digit_maps import in_common, in_words
from sedge.core.outbound.dialling.plan_findings import shortest
from sedge.core.outbound.dialling.trade_patterns import Notation, convert, notation_of
from sedge.core.records import Site, Trunk
from sedge.core.trunks.number_rules import (
    LONGEST_RULE_NAME,
    Digit,
    SendRuleFindings,
    as_sent,
    check_how_many,
    digit_by_digit,
    examine_send_rules,
    rule_for,
)
from sedge.core.trunks.records import SendRule, TrunkSettings
from sedge.core.trunks.tasks import ChangeTrunk
from sedge.formats.dial_rules_csv import SENT, RuleLine, read_rules, write_rules
from sedge.services.context import Context
from sedge.services.workorders import workorders
from sedge.store.repositories.workorders import WorkOrder

LONGEST_TRIED = 40


class SendRuleAsked(BaseModel):
    """A rule as somebody types it: a digit map (RFC 3435) of the E.164 digits without plus, or a
    pattern in another notation."""

    model_config = ConfigDict(extra="forbid")
    name: str = Field(default="", max_length=200)
    pattern: str = Field(max_length=500)
    notation: Notation | None = Field(default=None, description="by itself where it is left out")
    strip: int = Field(default=0, ge=0, le=30)
    before: str = Field(default="", pattern=r"^\+?[0-9*#]{0,15}$")


@dataclass(frozen=True)
class SendRuleView:
    """`reading` is how one reads the pattern aloud; `example` are the shortest digits it takes,
    `becomes` what is sent for them."""

    rule: SendRule
    reading: str
    example: str
    becomes: str


@dataclass(frozen=True)
class SentView:
    """`country` is the site's, in which numbers are tried. `settings` None: nobody has said yet how
    the trunk is set up."""

    trunk: Trunk
    country: str
    settings: TrunkSettings | None
    rules: list[SendRuleView]
    found: SendRuleFindings


@dataclass(frozen=True)
class SentTried:
    """A number and what is sent for it, by the rule at `place`, or in the trunk's format where that
    is None; `digits` is what each of its digits does."""

    e164: str
    sent: str
    place: int | None
    digits: list[Digit]


@dataclass(frozen=True)
class TrunkLine:
    """A trunk with its format, how many rules of its own, and how many of those do nothing."""

    trunk: Trunk
    own: int
    wrong: int


def every_trunk(context: Context) -> list[TrunkLine]:
    with context.reading() as reading:
        found = reading.records.where(Trunk)
    own = sorted((t for t in found if t.connection is None), key=lambda t: t.name.lower())
    return [_line(trunk) for trunk in own]


def _line(trunk: Trunk) -> TrunkLine:
    rules = trunk.settings.send_rules if trunk.settings else ()
    return TrunkLine(trunk, len(rules), len(examine_send_rules(rules).hidden))


def view(context: Context, key: str, rules: list[SendRule] | None = None) -> SentView:
    """A trunk's rules, as they stand or with other ones. Raises NotFound."""
    with context.reading() as reading:
        trunk = reading.records.the(Trunk, key)
        country = reading.records.the(Site, trunk.site).country
    settings = trunk.settings
    if settings is not None and rules is not None:
        settings = settings.copy_with(send_rules=tuple(rules))
    shown = settings.send_rules if settings else ()
    return SentView(trunk, country, settings, list(map(_shown, shown)), examine_send_rules(shown))


def _shown(rule: SendRule) -> SendRuleView:
    example = in_common(rule.pattern, rule.pattern) or ""
    return SendRuleView(rule, in_words(rule.pattern), example, rule.before + example[rule.strip :])


def try_number(plan: SentView, text: str) -> SentTried | None:
    """None where nothing is typed, or nobody has said how the trunk is set up. Raises NotUnderstood
    for what is no number."""
    if not text.strip() or plan.settings is None:
        return None
    reading = read(text[:LONGEST_TRIED], plan.country)
    if reading.problem or not reading.candidates:
        said = reading.problem.sentence if reading.problem else "This is no phone number."
        raise NotUnderstood(said, field="number")
    e164, rules = reading.candidates[0].e164, plan.settings.send_rules
    sent = as_sent(e164, plan.settings)
    return SentTried(e164, sent, rule_for(e164, rules), digit_by_digit(e164, rules))


def read_asked(asked: list[SendRuleAsked], places: list[int] | None = None) -> list[SendRule]:
    """Rules as they are kept, patterns of other notations converted. Raises NotUnderstood naming
    the rule (by its place in the form, if it has others than these) and its field."""
    check_how_many(asked, "rules")
    at = places or range(len(asked))
    return [_read(i, rule) for i, rule in zip(at, asked, strict=True)]


def _read(i: int, rule: SendRuleAsked) -> SendRule:
    field = f"rules.{i}"
    notation = rule.notation or notation_of(rule.pattern)
    found = convert(rule.pattern, notation, f"{field}.pattern")
    strip, least = rule.strip or found.strip, shortest(found.pattern)
    if strip > least:
        message = (
            f"Rule {i + 1} strips {strip} digits, and {found.pattern} takes as few as {least}."
        )
        raise NotUnderstood(message, field=f"{field}.strip", reason="strips-too-much")
    if not strip and not rule.before:
        message = f"Rule {i + 1} changes nothing: say how many digits to strip, or what to put."
        raise NotUnderstood(message, field=f"{field}.strip", reason="changes-nothing")
    name = " ".join(rule.name.split())
    if len(name) > LONGEST_RULE_NAME:
        message = f"The name of a rule has at most {LONGEST_RULE_NAME} characters."
        raise NotUnderstood(message, field=f"{field}.name")
    return SendRule(pattern=found.pattern, strip=strip, before=rule.before, name=name)


def draft(context: Context, key: str, rules: list[SendRule]) -> WorkOrder:
    """A work order with the trunk's new rules. Raises NotFound, NotAllowedNow."""
    context.require(May.TRUNKS)
    with context.reading() as reading:
        trunk = reading.records.the(Trunk, key)
    if trunk.settings is None:
        message = f"Nobody has said how {trunk.name} is set up. Set it up first."
        raise NotAllowedNow(message, reason="not-set-up")
    task = ChangeTrunk(
        trunk=key,
        name=trunk.name,
        host=trunk.host,
        channels=trunk.channels,
        settings=trunk.settings.copy_with(send_rules=tuple(rules)),
        emergency=trunk.emergency,
        sbc=trunk.sbc,
        serves=trunk.serves,
    )
    return workorders.draft(context, f"Dial plan of trunk {trunk.name}", [task], look=True)


def as_csv(context: Context, key: str) -> str:
    """A trunk's own rules as text. Raises NotFound."""
    rules = view(context, key).rules
    return write_rules(
        [
            RuleLine(i, r.rule.name, r.rule.pattern, str(r.rule.strip), r.rule.before)
            for i, r in enumerate(rules, 2)
        ],
        SENT,
    )


def read_csv(text: str) -> list[SendRuleAsked]:
    """Rules from pasted text. Raises NotUnderstood naming the line."""
    return [_asked(line) for line in read_rules(text, SENT)]


def _asked(line: RuleLine) -> SendRuleAsked:
    strip = line.stripped()
    try:
        return SendRuleAsked(name=line.name, pattern=line.pattern, strip=strip, before=line.before)
    except ValueError:
        message = f"Line {line.line}: “{line.before}” can't be put before a number."
        raise NotUnderstood(message, field="text") from None

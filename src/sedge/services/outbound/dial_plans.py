"""Dial plans of sites: what rules there are, what is wrong with them, and new ones as a draft."""

from dataclasses import dataclass

from pydantic import BaseModel, ConfigDict, Field
from sqlalchemy import select

from sedge.core.access.roles import May
from sedge.core.enums import Reached
from sedge.core.errors import NotUnderstood
from sedge.core.outbound.dialling.dialplan import Dialled, dial
from sedge.core.outbound.dialling.plan_findings import (
    MOST_RULES,
    Key,
    PlanFindings,
    check_rules,
    examine,
    key_by_key,
    lost_extensions,
    reading_of,
    shortest,
    unreachable,
)
from sedge.core.outbound.dialling.trade_patterns import Notation, convert, notation_of
from sedge.core.outbound.records import OwnDialRule
from sedge.core.outbound.tasks import SetDialPlan
from sedge.core.records import Right, Site
from sedge.formats.dial_rules_csv import RuleLine, read_rules, write_rules
from sedge.services.context import Context
from sedge.services.workorders import workorders
from sedge.store.repositories.records import is_open
from sedge.store.repositories.workorders import WorkOrder
from sedge.store.schema import tables

LEADS_TO = (Reached.NUMBER, Reached.EXTENSION, Reached.SERVICE, Reached.REFUSED)
RIGHTS = (Right.NATIONAL, Right.MOBILE, Right.INTERNATIONAL, Right.PREMIUM)
MOST_NUMBERS = 2000  # of one's own that are each dialled
LONGEST_NAME = 60


class RuleAsked(BaseModel):
    """A rule as somebody types it: a digit map (RFC 3435), or a pattern in another notation."""

    model_config = ConfigDict(extra="forbid")
    name: str = Field(default="", max_length=200)
    pattern: str = Field(max_length=500)
    notation: Notation | None = Field(default=None, description="by itself where it is left out")
    leads_to: Reached = Reached.NUMBER
    strip: int = Field(default=0, ge=0, le=30)
    before: str = Field(default="", pattern=r"^\+?[0-9*#]{0,15}$")
    right: Right = Right.NATIONAL


@dataclass(frozen=True)
class SiteLine:
    """A site with how many rules of its own, and how many of them are never reached or endanger an
    emergency number."""

    site: Site
    own: int
    wrong: int


@dataclass(frozen=True)
class RuleView:
    """A rule as the page shows it; `reading` is how one reads it aloud, `gives` an example of what
    the shortest keys become."""

    place: int
    name: str
    pattern: str
    reading: str
    leads_to: Reached
    strip: int
    before: str
    right: Right
    own: bool


@dataclass(frozen=True)
class PlanView:
    """`cannot` are numbers of one's own that nobody at the site can dial, of `dialled` that were
    tried; `all_tried` is False where there are more. `lost` are extensions likewise."""

    site: Site
    found: PlanFindings
    rules: list[RuleView]
    cannot: list[tuple[str, Dialled]]
    dialled: int
    all_tried: bool
    lost: list[tuple[str, Dialled]]


def sites(context: Context) -> list[SiteLine]:
    with context.reading() as reading:
        found = reading.records.where(Site, order_by=tables.site.c.name)
    return [_line(site) for site in found]


def _line(site: Site) -> SiteLine:
    if not site.dial_rules:
        return SiteLine(site, 0, 0)
    found = examine(site)
    wrong = {*found.hidden, *(e.rule for e in found.endangered), *found.overdrawn}
    return SiteLine(site, len(site.dial_rules), len(wrong & {*found.own()}))


def view(context: Context, key: str, rules: list[OwnDialRule] | None = None) -> PlanView:
    """A site's plan, as it stands or with other `rules` of its own. Raises NotFound,
    NotUnderstood."""
    life, person = tables.life, tables.person
    ours = select(life.c.number).where(is_open(), tables.IN_USE).limit(MOST_NUMBERS + 1)
    with context.reading() as reading:
        site = reading.records.the(Site, key)
        numbers = sorted(f"+{n}" for n in reading.connection.execute(ours).scalars())
        extensions = reading.connection.execute(
            select(person.c.extension).where(person.c.site == key, person.c.extension != "")
        ).scalars()
        internal = sorted(set(extensions))
    if rules is not None:
        site = site.copy_with(dial_rules=tuple(rules))
    found = examine(site)
    shown = [
        RuleView(
            i,
            rule.name,
            rule.pattern,
            reading_of(rule, site),
            rule.kind,
            rule.strip,
            rule.before,
            rule.right,
            rule.own,
        )
        for i, rule in enumerate(found.rules)
    ]
    tried = numbers[:MOST_NUMBERS]
    cannot = unreachable(site, tried)
    return PlanView(
        site,
        found,
        shown,
        cannot,
        len(tried),
        len(numbers) <= MOST_NUMBERS,
        lost_extensions(site, internal),
    )


@dataclass(frozen=True)
class Tried:
    """What typed keys become, and what each of them does on the way."""

    keys: list[Key]
    became: Dialled


def try_keys(plan: PlanView, dialled: str) -> Tried | None:
    """None where nothing is typed."""
    if not dialled.strip():
        return None
    return Tried(key_by_key(plan.site, dialled[:40]), dial(dialled[:40], plan.site))


def read_asked(asked: list[RuleAsked], places: list[int] | None = None) -> list[OwnDialRule]:
    """Rules as they are kept, patterns of other notations converted. Raises NotUnderstood naming
    the rule (by its place in the form, if it has others than these) and its field."""
    check_rules(asked)
    at = places or range(len(asked))
    return [_read(i, rule) for i, rule in zip(at, asked, strict=True)]


def _read(i: int, rule: RuleAsked) -> OwnDialRule:
    field = f"rules.{i}"
    if rule.leads_to not in LEADS_TO:
        message = "A rule leads to a number, an extension, a service code, or is refused."
        raise NotUnderstood(message, field=f"{field}.leads_to")
    notation = rule.notation or notation_of(rule.pattern)
    found = convert(rule.pattern, notation, f"{field}.pattern")
    strip = rule.strip or found.strip
    if strip > shortest(found.pattern):
        message = (
            f"Rule {i + 1} strips {strip} keys, and {found.pattern} takes as few as"
            f" {shortest(found.pattern)}."
        )
        raise NotUnderstood(message, field=f"{field}.strip", reason="strips-too-much")
    name = " ".join(rule.name.split())
    if len(name) > LONGEST_NAME:
        message = f"The name of a rule has at most {LONGEST_NAME} characters."
        raise NotUnderstood(message, field=f"{field}.name")
    return OwnDialRule(
        name=name or f"Rule {i + 1}",
        pattern=found.pattern,
        leads_to=rule.leads_to,  # type: ignore[arg-type]  one of LEADS_TO
        strip=strip,
        before=rule.before,
        right=rule.right,
    )


def draft(context: Context, key: str, rules: list[OwnDialRule]) -> WorkOrder:
    """A work order with the site's new rules."""
    context.require(May.TRUNKS)
    with context.reading() as reading:
        site = reading.records.the(Site, key)
    task = SetDialPlan(site=key, rules=tuple(rules))
    return workorders.draft(context, f"Dial plan of {site.name}", [task], look=True)


def as_csv(context: Context, key: str) -> tuple[str, str]:
    """The site's code, and its own rules as text."""
    with context.reading() as reading:
        site = reading.records.the(Site, key)
    lines = [
        RuleLine(
            i,
            rule.name,
            rule.pattern,
            str(rule.strip),
            rule.before,
            rule.leads_to.value,
            rule.right.value,
        )
        for i, rule in enumerate(site.dial_rules, 2)
    ]
    return site.code, write_rules(lines)


def read_csv(text: str) -> list[RuleAsked]:
    """Rules from pasted text. Raises NotUnderstood naming the line."""
    lines = read_rules(text)
    if len(lines) > MOST_RULES:
        check_rules(lines)
    return [_asked(line) for line in lines]


def _asked(line: RuleLine) -> RuleAsked:
    kinds = {kind.value: kind for kind in LEADS_TO}
    rights = {right.value: right for right in RIGHTS}
    where = f"Line {line.line}"
    if line.leads_to and line.leads_to.lower() not in kinds:
        message = f"{where}: “{line.leads_to}” is none of {', '.join(kinds)}."
        raise NotUnderstood(message, field="text")
    if line.right and line.right.lower() not in rights:
        message = f"{where}: “{line.right}” is none of {', '.join(rights)}."
        raise NotUnderstood(message, field="text")
    strip = line.stripped()
    try:
        return RuleAsked(
            name=line.name,
            pattern=line.pattern,
            leads_to=kinds[line.leads_to.lower() or Reached.NUMBER.value],
            strip=strip,
            before=line.before,
            right=rights[line.right.lower() or Right.NATIONAL.value],
        )
    except ValueError:
        message = f"{where}: “{line.before}” can't be put before a number."
        raise NotUnderstood(message, field="text") from None

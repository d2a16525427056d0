"""Monthly statements: a month closed so that it does not change, later corrections as lines of
their own, and what each cost centre or site is charged."""

from collections import defaultdict
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import timedelta
from decimal import Decimal

from sedge.core.access.roles import May
from sedge.core.enums import Subject
from sedge.core.errors import NotAllowedNow, NotUnderstood
from sedge.core.facts import in_currency
from sedge.core.numbers.e164 import describe
from sedge.core.records import ORGANISATION
from sedge.core.spend.closing import corrections, rounded
from sedge.core.spend.costs import GROUPS, CostLine, Owner
from sedge.core.spend.months import Month
from sedge.formats.sheets import to_spreadsheet
from sedge.formats.spend.statement import StatementFacts, StatementPart, spend_statement
from sedge.services.context import Context
from sedge.services.periodic import periodic
from sedge.services.spend import costs
from sedge.store.repositories.spend import closed_months

CLOSED_ON = 5  # of the month after, when bills and late records have come
AT_NIGHT = timedelta(hours=3)
MONTHS_CORRECTED = 12
CHARGED_TO = ("cost_centre", "site")
MOST_LINES = 100_000


@periodic("months closed")
def close_nightly(context: Context) -> int:
    """Close the month before, once it is old enough."""

    def do() -> tuple[int, bool]:
        now = context.now()
        month = Month.of(now).later(-1)
        if now.day < CLOSED_ON:
            return 0, True
        with context.reading() as reading:
            if closed_months.is_closed(reading.connection, month):
                return 0, True
        return close(context.as_system(), month), True

    return context.installation.nightly(context.who.organisation, "months closed", AT_NIGHT, do)


def close(context: Context, month: Month) -> int:
    """Keep a month's lines as they stand, with corrections of the months before; how many. Raises
    NotAllowedNow for one that is not over, or is closed."""
    context.require(May.KEEP_BOOKS)
    if month >= Month.of(context.now()):
        message = f"{month.name} is not over yet; it can be closed from {month.later(1).first}."
        raise NotAllowedNow(message, reason="open")
    with context.as_system().writing(reason=f"{month.name} closed") as writing:
        if closed_months.is_closed(writing.connection, month):
            raise NotAllowedNow(f"{month.name} is closed already.", reason="closed")
        lines = costs.computed(writing, month, detailed=True)
        closed_months.keep(writing.connection, month, rounded(lines))
        kept = len(lines)
        before = [m for m in closed_months.closed(writing.connection) if m < month]
        for earlier in before[:MONTHS_CORRECTED]:
            now = rounded(costs.computed(writing, earlier, detailed=True))
            told = closed_months.told_of(writing.connection, earlier)
            found = corrections(told, now)
            closed_months.keep(writing.connection, month, found, corrects=str(earlier))
            kept += len(found)
        writing.record_event("month.closed", Subject.DEFAULTS, ORGANISATION, month.name)
    return kept


@dataclass(frozen=True)
class Statement:
    """`parts` by cost centre or site, the dearest first; `corrections` of earlier months are in
    them; `is_closed` or else still moving."""

    month: Month
    by: str
    is_closed: bool
    parts: list[StatementPart]
    totals: list[tuple[str, Decimal]]


def statement(context: Context, month: Month, by: str = "cost_centre") -> Statement:
    """What each is charged for a month. Raises NotUnderstood."""
    context.require(May.SEE_MONEY)
    if by not in CHARGED_TO:
        message = "A statement is by cost_centre or by site."
        raise NotUnderstood(message, field="by", reason="group")
    group = GROUPS[by]
    lines = costs.lines_of(context, month, detailed=True)
    with context.reading() as reading:
        is_closed = closed_months.is_closed(reading.connection, month)
        corrected = closed_months.corrections_in(reading.connection, month)
    wrong = {id_of(line): of for of, line in corrected}
    by_key: dict[tuple[str, str], list[CostLine]] = defaultdict(list)
    for line in lines:
        by_key[group(line), line.currency].append(line)
    names = costs.names(context, by, {key for key, _ in by_key})
    holders = _holders(context, lines)
    parts = [
        StatementPart(
            names.get(key, key),
            currency,
            sum((line.amount for line in found), Decimal(0)),
            tuple(
                (
                    line.kind.value
                    + (f", correction of {wrong[id_of(line)]}" if id_of(line) in wrong else ""),
                    _what(line, holders),
                    line.amount,
                )
                for line in sorted(found, key=lambda x: (x.kind, x.thing))
                if line.amount
            ),
        )
        for (key, currency), found in by_key.items()
    ]
    parts.sort(key=lambda part: (part.currency, -part.total, part.name))
    totals: dict[str, Decimal] = defaultdict(Decimal)
    for part in parts:
        totals[part.currency] += part.total
    return Statement(month, by, is_closed, parts, sorted(totals.items()))


def id_of(line: CostLine) -> tuple[str, str, Owner, str, str]:
    return line.kind.value, line.thing, line.owner, line.account, str(line.amount)


def _holders(context: Context, lines: Sequence[CostLine]) -> dict[str, str]:
    keys = {f"{x.owner.holder_kind}:{x.owner.holder}" for x in lines if x.owner.holder}
    return costs.names(context, "holder", keys)


def _what(line: CostLine, holders: dict[str, str]) -> str:
    thing = describe(line.thing).shown if line.thing.startswith("+") else line.thing
    holder = holders.get(f"{line.owner.holder_kind}:{line.owner.holder}", "")
    return f"{thing}, {holder}" if holder and line.owner.holder else thing


def as_spreadsheet(context: Context, month: Month, by: str) -> bytes:
    """One row for each line, ready to be summed."""
    found = statement(context, month, by)
    header = ["Month", "Charged to", "Kind", "For", "Amount", "Currency"]
    rows = (
        [str(month), part.name, kind, what, amount, part.currency]
        for part in found.parts
        for kind, what, amount in part.lines
    )
    return to_spreadsheet(header, rows, title=f"Statement {month}")


def on_paper(context: Context, month: Month, by: str) -> bytes:
    found = statement(context, month, by)
    return spend_statement(
        StatementFacts(
            context.organisation.name,
            month.name,
            "closed" if found.is_closed else "not closed yet, so it may still change",
            tuple(found.parts),
            tuple(in_currency(amount, currency) for currency, amount in found.totals),
        )
    )

"""The catalogue of checks, and the same checks held against the whole estate each
night."""

from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Any

from sqlalchemy import and_, case, delete, func, insert, select

from sedge.core.access.roles import May
from sedge.core.errors import NotAllowedNow, NotFound
from sedge.core.load_spec import LoadSpec
from sedge.core.records import Grant, Number, PathVersion, Subject
from sedge.core.workorders import continuous_checks
from sedge.core.workorders.findings import Finding, Level
from sedge.core.workorders.rules.catalogue import RULES
from sedge.core.workorders.rules.examples import EXAMPLES
from sedge.services.context import Context, Reading
from sedge.services.periodic import periodic
from sedge.services.process import Slot
from sedge.services.workorders import workorders
from sedge.store.repositories import rule_levels
from sedge.store.repositories.workorders import WorkOrder
from sedge.store.schema import holders, tables

NAME = "nightly checks"
CHECKS = Slot[Iterator[int]]("nightly checks")
AT = timedelta(hours=2, minutes=30)
A_SLICE = 2000
A_PAGE = 100
MOST_MENDED = 500


@dataclass(frozen=True)
class Rule:
    """One rule of the catalogue: which tasks it looks at, why, an example, whether it warns here or
    stops; `found` on `seen_at`."""

    name: str
    task: str
    why: str
    example: str
    nightly: bool
    raised: bool
    stops: int
    warnings: int


@dataclass(frozen=True)
class Found:
    subject: Subject
    ref: str
    level: Level
    name: str
    message: str


def catalogue(context: Context) -> list[Rule]:
    """Every rule there is, in the order in which they are applied."""
    table = holders.finding
    with context.reading() as reading:
        raised = rule_levels.raised(reading.connection)
        stops = func.sum(case((table.c.level == "stop", 1), else_=0))
        query = select(table.c.rule, stops, func.count()).group_by(table.c.rule)
        counts = {
            rule: (int(stopped), int(total))
            for rule, stopped, total in reading.connection.execute(query)
        }
    rules = []
    for name, (kind, rule) in RULES.items():
        stopped, total = counts.get(name, (0, 0))
        why = " ".join((rule.__doc__ or "").split())
        rules.append(
            Rule(
                name,
                kind.model_fields["kind"].default,
                why,
                EXAMPLES[name],
                name in continuous_checks.NIGHTLY,
                name in raised,
                stopped,
                total - stopped,
            )
        )
    return rules


def the_rule(context: Context, name: str) -> Rule:
    """Raises NotFound."""
    found = next((r for r in catalogue(context) if r.name == name), None)
    if found is None:
        raise NotFound("There is no such check.", subject="check", id=name)
    return found


def raise_rule(context: Context, name: str, *, to_stop: bool) -> Rule:
    """Let warnings of a rule stop work orders here, or only warn again. What stops by itself always
    stops."""
    context.require(May.SET_RULES)
    the_rule(context, name)
    with context.writing() as writing:
        rule_levels.put_level(
            writing.connection, name, stop=to_stop, by=context.actor, at=writing.now
        )
        writing.record_event(
            "rule.raised" if to_stop else "rule.lowered", Subject.WORK_ORDER, name, name
        )
    return the_rule(context, name)


def findings(
    context: Context, rule: str, *, after: str = "", limit: int = A_PAGE
) -> tuple[list[Found], str | None]:
    """What the last night found by a rule, in the order of names, and the cursor of the next
    page."""
    table = holders.finding
    with context.reading() as reading:
        query = (
            select(table)
            .where(table.c.rule == rule)
            .order_by(table.c.name, table.c.ref)
            .limit(limit + 1)
        )
        if after:
            name, _, ref = after.rpartition("|")
            query = query.where(
                (table.c.name > name) | and_(table.c.name == name, table.c.ref > ref)
            )
        rows = reading.connection.execute(query).all()
    page = [
        Found(Subject(row.subject), row.ref, Level(row.level), row.name, row.message)
        for row in rows[:limit]
    ]
    return page, f"{page[-1].name}|{page[-1].ref}" if len(rows) > limit else None


def looked_at(context: Context) -> datetime | None:
    """When everything was checked last; None before the first night."""
    with context.reading() as reading:
        return reading.connection.execute(select(func.max(holders.finding.c.seen_at))).scalar()


# ── the night ──


@periodic(NAME)
def check_nightly(context: Context) -> int:
    """Begun once a night and gone on with a slice at a tick, so that everything else goes on beside
    it; a process that dies begins anew the next night. How many slices were looked at."""
    organisation, checks = context.who.organisation, context.installation.process.under_way(CHECKS)

    def begin() -> tuple[int, bool]:
        checks[organisation] = _slice_by_slice(context)
        return 1, True

    context.installation.nightly(organisation, NAME, AT, begin)
    if organisation not in checks:
        return 0
    if next(checks[organisation], None) is None:
        del checks[organisation]
    return 1


def check_everything(context: Context) -> int:
    """Everything now and at once; how many findings there are."""
    for _ in _slice_by_slice(context):
        pass
    with context.reading() as reading:
        return (
            reading.connection.execute(select(func.count()).select_from(holders.finding)).scalar()
            or 0
        )


def _slice_by_slice(context: Context) -> Iterator[int]:
    """Hold the rules against every number in use, every licence granted and every published path;
    after each slice, how many findings.

    The findings of the last time stand until all slices are through, then they are replaced in one
    transaction.
    """
    rows: dict[tuple[str, str, str], dict[str, Any]] = {}
    for found in _all(context):
        for subject, ref, name, findings_ in found:
            for finding in findings_:
                row = {
                    "subject": subject.value,
                    "ref": ref,
                    "rule": finding.rule,
                    "level": finding.level.value,
                    "name": name[:120],
                    "message": finding.message,
                }
                rows.setdefault((subject.value, ref, finding.rule), row)
        yield len(rows)
    table = holders.finding
    with context.writing() as writing:
        writing.connection.execute(delete(table))
        if rows:
            writing.connection.execute(
                insert(table), [{**row, "seen_at": writing.now} for row in rows.values()]
            )
        writing.touch()


Looked = list[tuple[Subject, str, str, list[Finding]]]


def _all(context: Context) -> Iterator[Looked]:
    for numbers in _slices(context, tables.life, tables.IN_USE):
        with context.reading() as reading:
            found = list(_of_numbers(reading, numbers))
        yield found
    for grants in _slices(context, tables.grant, tables.grant.c.ended.is_(False)):
        with context.reading() as reading:
            found = list(_of_grants(reading, grants))
        yield found
    with context.reading() as reading:
        paths = [
            (
                Subject.PATH,
                path.id,
                path.name,
                continuous_checks.of_path(path, reading.estate(LoadSpec(paths={path.id}))),
            )
            for path in reading.records.where(PathVersion, tables.path.c.retired.is_(False))
        ]
    yield paths


def _slices(context: Context, table: Any, condition: Any) -> Iterator[list[str]]:
    """Ids in their order, so many at a time; each slice is a look of its own, so that work goes on
    between."""
    after = ""
    while True:
        with context.reading() as reading:
            query = (
                select(table.c.id)
                .where(condition, table.c.id > after)
                .order_by(table.c.id)
                .limit(A_SLICE)
            )
            keys = list(reading.connection.execute(query).scalars())
        if not keys:
            return
        yield keys
        after = keys[-1]


def _of_numbers(
    reading: Reading, keys: Iterable[str]
) -> Iterator[tuple[Subject, str, str, list[Finding]]]:
    life = tables.life
    rows = reading.connection.execute(
        select(life.c.number).where(life.c.id.in_(list(keys)))
    ).scalars()
    wanted = {f"+{n}" for n in rows}  # the estate holds more: whatever else their holders have
    estate = reading.estate(LoadSpec(numbers=wanted))
    for number in [n for n in estate.all(Number) if n.e164 in wanted and n.in_use]:
        yield Subject.NUMBER, number.e164, number.shown, continuous_checks.of_number(number, estate)


def _of_grants(
    reading: Reading, keys: Iterable[str]
) -> Iterator[tuple[Subject, str, str, list[Finding]]]:
    grants = reading.records.many(Grant, keys)
    wanted = LoadSpec()
    wanted.holders.update(g.holder for g in grants)
    estate = reading.estate(wanted)
    names = reading.records.names((g.holder.subject, g.holder.id) for g in grants)
    for grant in grants:
        name = names.get((grant.holder.subject, grant.holder.id), grant.holder.id)
        yield grant.holder.subject, grant.holder.id, name, continuous_checks.of_grant(grant, estate)


def mend(context: Context, rule: str) -> WorkOrder:
    """A draft with what would put right what a rule found: what is missing is added by itself where
    no judgement is needed.

    Raises NotAllowedNow where nothing of it can be done by itself.
    """
    page, _ = findings(context, rule, limit=MOST_MENDED)
    tasks: dict[str, Any] = {}
    with context.reading() as reading:
        estate = reading.estate(
            LoadSpec(numbers={f.ref for f in page if f.subject is Subject.NUMBER}, choices=True)
        )
        for number in (
            n for f in page if f.subject is Subject.NUMBER and (n := estate.get(Number, f.ref))
        ):
            for finding in (
                f for f in continuous_checks.of_number(number, estate) if f.rule == rule
            ):
                remedy = next(
                    (r for r in finding.remedies if r.automatic and r.tasks and not r.replaces),
                    None,
                )
                for task in remedy.tasks if remedy else ():
                    tasks.setdefault(task.model_dump_json(), task)
    if not tasks:
        raise NotAllowedNow(
            "None of this can be corrected without a decision. Open them one by one.",
            reason="judgement",
        )
    return workorders.draft(
        context,
        f"Correct: {rule.partition('.')[2].replace('-', ' ')}",
        list(tasks.values()),
        reason="found by the nightly checks",
    )

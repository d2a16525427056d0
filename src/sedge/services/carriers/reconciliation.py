"""Drift: each carrier's list held against the estate, at night and on demand; what
differs is kept, explained, and put right by work orders in either direction, never by itself."""

from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Any

from sqlalchemy import Row, delete, func, insert, select, update

from sedge.core.access.roles import May
from sedge.core.carriers.reconciliation import (
    MEANINGS,
    NOT_BILLED_YET,
    Difference,
    DriftKind,
    Meaning,
    OurLine,
    TheirLine,
    as_told,
    compare,
)
from sedge.core.changes import changed
from sedge.core.errors import NotAllowedNow, NotFound, NotUnderstood, OutsideTrouble
from sedge.core.facts import counted, money
from sedge.core.numbers.e164 import describe
from sedge.core.records import Account, Capacity, Carrier, Number, Site, Subject
from sedge.core.workorders import tasks as t
from sedge.services.context import Context, Reading
from sedge.services.periodic import periodic
from sedge.services.workorders import workorders
from sedge.store.repositories.records import is_open
from sedge.store.repositories.workorders import WorkOrder
from sedge.store.schema import tables
from sedge.store.schema.carriers import compared, difference

NAME = "drift"
ASKED_AT = timedelta(hours=1)  # after midnight
MOST_ROWS = 200  # of one page of differences
MOST_AT_ONCE = 500
MOST_WORDS = 200
CHUNK = 5_000


@dataclass(frozen=True)
class DriftRow:
    """One difference; `holder` who has the number, `accepted_by` who has said that it is known and
    may stay, and why."""

    account: str
    e164: str
    kind: DriftKind
    ours: str
    theirs: str
    first_seen: datetime
    holder: str
    accepted_by: str
    why: str

    @property
    def meaning(self) -> Meaning:
        return MEANINGS[self.kind]

    @property
    def here(self) -> str:
        return as_told(self.ours)

    @property
    def there(self) -> str:
        return as_told(self.theirs)


@dataclass(frozen=True)
class Compared:
    """When an account's list was compared last, how long both are, what kept it from being
    compared, and what differs by kind."""

    account: Account
    carrier: str
    at: datetime | None
    theirs: int
    ours: int
    problem: str
    counts: Counter[DriftKind]
    accepted: int

    @property
    def total(self) -> int:
        return self.counts.total()


@dataclass(frozen=True)
class Drift:
    accounts: list[Compared]
    rows: list[DriftRow]
    total: int
    kind: str
    account: str


def compare_all(context: Context) -> int:
    """Every account whose carrier can be asked; how many differences there are that nobody has
    accepted. A silent carrier is noted as such."""
    with context.reading() as reading:
        accounts = _askable(context, reading)
    for account in accounts:
        compare_one(context, account)
    with context.reading() as reading:
        return open_count(reading)


@periodic(NAME)
def compare_nightly(context: Context) -> int:
    def ask() -> tuple[int, bool]:
        with context.reading() as reading:
            accounts = _askable(context, reading)
        done = [compare_one(context.as_system(), account) for account in accounts]
        return sum(done), not any(self_problem(context, a) for a in accounts)

    return context.installation.nightly(context.who.organisation, NAME, ASKED_AT, ask)


def compare_soon(context: Context) -> None:
    """What was put right is compared again at the next tick."""
    context.installation.next_at[context.who.organisation, NAME] = context.now()


def self_problem(context: Context, account: Account) -> str:
    """What kept an account from being compared the last time; '' nothing."""
    with context.reading() as reading:
        return (
            reading.connection.execute(
                select(compared.c.problem).where(compared.c.account == account.id)
            ).scalar()
            or ""
        )


def _askable(context: Context, reading: Reading) -> list[Account]:
    return sorted(
        (a for a in reading.records.all(Account) if a.carrier in context.outside.carriers),
        key=lambda a: a.name,
    )


def compare_one(context: Context, account: Account) -> bool:
    """Hold one list against the estate and keep what differs; whether anything is new or gone."""
    try:
        listed = context.at_carrier(account).listed()
    except OutsideTrouble as error:
        _note(context, account, 0, 0, error.message[:200], None)
        return False
    theirs = {x.number: TheirLine(x.monthly, x.trunk, x.state) for x in listed}
    with context.reading() as reading:
        ours = _ours(reading, account)
        found = list(compare(ours, theirs, {}, account.balance.currency))
    here = sum(1 for line in ours.values() if line.state not in NOT_BILLED_YET)
    return _note(context, account, len(theirs), here, "", found)


def _ours(reading: Reading, account: Account) -> dict[str, OurLine]:
    """By the columns alone: a hundred thousand records need not be read for it."""
    life = tables.life
    query = select(
        life.c.number, life.c.state, life.c.price, life.c.trunk, life.c.leaving_on
    ).where(life.c.carrier == account.carrier, life.c.account == account.id, is_open())
    return {
        f"+{n}": OurLine(state, price, trunk or "", leaving is not None)
        for n, state, price, trunk, leaving in reading.connection.execute(query)
    }


def _note(
    context: Context,
    account: Account,
    theirs: int,
    ours: int,
    problem: str,
    found: list[Difference] | None,
) -> bool:
    """What is new is added, what is gone taken away; what stays keeps since when, and that somebody
    accepted it."""
    with context.writing() as writing:
        connection = writing.connection
        known = {
            (row.number, row.kind): row
            for row in connection.execute(
                select(difference).where(difference.c.account == account.id)
            )
        }
        moved = False
        if found is not None:
            now = {(int(d.e164), d.kind.value): d for d in found}
            gone = [key for key in known if key not in now]
            fresh = [d for key, d in now.items() if key not in known]
            other = [
                d
                for key, d in now.items()
                if key in known and (known[key].ours, known[key].theirs) != (d.ours, d.theirs)
            ]
            for number, kind in [*gone, *((int(d.e164), d.kind.value) for d in other)]:
                connection.execute(
                    delete(difference).where(
                        difference.c.account == account.id,
                        difference.c.number == number,
                        difference.c.kind == kind,
                    )
                )
            rows = [
                {
                    "account": account.id,
                    "number": int(d.e164),
                    "kind": d.kind.value,
                    "ours": d.ours[:200],
                    "theirs": d.theirs[:200],
                    "first_seen": writing.now,
                    "accepted_by": "",
                    "why": "",
                }
                for d in [*fresh, *other]
            ]
            for start in range(0, len(rows), CHUNK):
                connection.execute(insert(difference), rows[start : start + CHUNK])
            moved = bool(gone or rows)
        before = connection.execute(
            select(compared).where(compared.c.account == account.id)
        ).first()
        values = {"at": writing.now, "problem": problem, "theirs": theirs, "ours": ours}
        if before is None:
            connection.execute(insert(compared).values(account=account.id, **values))
        elif problem:
            connection.execute(
                update(compared).where(compared.c.account == account.id).values(problem=problem)
            )
        else:
            connection.execute(
                update(compared).where(compared.c.account == account.id).values(**values)
            )
        if moved or before is None or before.problem != problem:
            writing.touch()
    return moved


def open_count(reading: Reading) -> int:
    """Differences that nobody has accepted."""
    return (
        reading.connection.execute(
            select(func.count()).select_from(difference).where(difference.c.accepted_by == "")
        ).scalar()
        or 0
    )


def grave_count(reading: Reading) -> int:
    """Those by which calls may be lost, or something unknown is paid for."""
    grave = [kind.value for kind, meaning in MEANINGS.items() if meaning.grave]
    query = (
        select(func.count())
        .select_from(difference)
        .where(difference.c.accepted_by == "", difference.c.kind.in_(grave))
    )
    return reading.connection.execute(query).scalar() or 0


def view_drift(context: Context, *, account: str = "", kind: str = "") -> Drift:
    """What differs now. Raises NotUnderstood for a kind that is none."""
    if kind and kind not in set(DriftKind):
        raise NotUnderstood(f"A difference is one of: {', '.join(DriftKind)}.", field="kind")
    with context.reading() as reading:
        connection = reading.connection
        counts: dict[str, Counter[DriftKind]] = {}
        accepted: Counter[str] = Counter()
        query = select(
            difference.c.account, difference.c.kind, difference.c.accepted_by != "", func.count()
        ).group_by(difference.c.account, difference.c.kind, difference.c.accepted_by != "")
        for key, word, is_accepted, count in connection.execute(query):
            if is_accepted:
                accepted[key] += count
            else:
                counts.setdefault(key, Counter())[DriftKind(word)] += count
        last = {row.account: row for row in connection.execute(select(compared))}
        carriers = {c.id: c.name for c in reading.records.all(Carrier)}
        rows = [
            Compared(
                a,
                carriers[a.carrier],
                last[a.id].at if a.id in last else None,
                last[a.id].theirs if a.id in last else 0,
                last[a.id].ours if a.id in last else 0,
                last[a.id].problem if a.id in last else "",
                counts.get(a.id, Counter()),
                accepted[a.id],
            )
            for a in _askable(context, reading)
        ]
        where = [difference.c.account == account] * bool(account)
        where += [difference.c.kind == kind] * bool(kind)
        counting = select(func.count()).select_from(difference).where(*where)
        total = connection.execute(counting).scalar() or 0
        found = connection.execute(
            select(difference)
            .where(*where)
            .order_by(difference.c.accepted_by != "", difference.c.kind, difference.c.number)
            .limit(MOST_ROWS)
        ).all()
        numbers = {
            n.e164: n for n in reading.records.many(Number, [f"+{row.number}" for row in found])
        }
        names = reading.records.names(
            (n.holder.subject, n.holder.id) for n in numbers.values() if n.holder
        )
    return Drift(rows, [_row(row, numbers, names) for row in found], total, kind, account)


def _row(row: Any, numbers: dict[str, Number], names: dict[tuple[Subject, str], str]) -> DriftRow:
    number = numbers.get(f"+{row.number}")
    holder = (
        names.get((number.holder.subject, number.holder.id), "") if number and number.holder else ""
    )
    return DriftRow(
        row.account,
        f"+{row.number}",
        DriftKind(row.kind),
        row.ours,
        row.theirs,
        row.first_seen,
        holder,
        row.accepted_by,
        row.why,
    )


# ── putting right ──


def _chosen(context: Context, chosen: Sequence[str]) -> list[Row[Any]]:
    """The differences meant by `account/number/kind`. Raises NotUnderstood, NotFound where one is
    settled by now."""
    if not chosen:
        raise NotUnderstood("Choose some differences first.", field="chosen")
    if len(chosen) > MOST_AT_ONCE:
        raise NotUnderstood(f"At most {MOST_AT_ONCE} at a time.", field="chosen")
    found = []
    with context.reading() as reading:
        for key in chosen:
            account, _, rest = key.partition("/")
            number, _, kind = rest.partition("/")
            digits = number.removeprefix("+")
            row = None
            if digits.isdigit() and len(digits) <= 15:
                where = (
                    difference.c.account == account,
                    difference.c.number == int(digits),
                    difference.c.kind == kind,
                )
                row = reading.connection.execute(select(difference).where(*where)).first()
            if row is None:
                raise NotFound(
                    "One of these differences is settled by now. Look again.",
                    subject="difference",
                    id=key[:80],
                )
            found.append(row)
    return found


def put_right(
    context: Context, chosen: Sequence[str], *, direction: str, site: str = ""
) -> WorkOrder:
    """A draft that settles differences: `follow` the carriers' lists, or `tell` the carriers.
    Numbers that nobody knew come to `site`.

    Raises NotUnderstood naming the field, NotFound.
    """
    context.require(May.RELEASE)
    if direction not in {"follow", "tell"}:
        raise NotUnderstood(
            "Choose whether the estate follows the carrier, or the carrier is told.",
            field="direction",
        )
    rows = _chosen(context, chosen)
    with context.reading() as reading:
        accounts = {a.id: a for a in reading.records.many(Account, {row.account for row in rows})}
        carriers = {c.id: c for c in reading.records.all(Carrier)}
        home = reading.records.find(Site, site)
    tasks = [
        _task(row, direction, accounts[row.account], carriers[accounts[row.account].carrier], home)
        for row in rows
    ]
    words = "as their carriers list them" if direction == "follow" else "told to their carriers"
    return workorders.draft(
        context, f"Correct differences: {counted(len(tasks), 'number')} {words}", tasks
    )


def _task(row: Any, direction: str, account: Account, carrier: Carrier, home: Site | None) -> Any:
    e164, kind = f"+{row.number}", DriftKind(row.kind)
    if direction == "tell":
        return t.TellCarrier(
            number=e164,
            account=account.id,
            drift=kind.value,
            ours="" if kind is DriftKind.NOT_OURS else row.ours,
        )
    if kind is not DriftKind.NOT_OURS:
        return t.FollowCarrier(number=e164, drift=kind.value, theirs=row.theirs)
    if home is None:
        raise NotUnderstood(f"Choose the site that {describe(e164).shown} comes to.", field="site")
    price = row.theirs.rpartition(", ")[2].split()[0]
    capacity = carrier.capacities[0] if carrier.capacities else Capacity.ANY
    return t.AdoptNumber(
        number=e164,
        account=account.id,
        site=home.id,
        capacity=capacity,
        monthly=money(price, account.balance.currency),
    )


def accept(context: Context, chosen: Sequence[str], why: str) -> int:
    """They are known and may stay, for a reason; on Today no longer, here still. Raises
    NotUnderstood."""
    context.require(May.RELEASE)
    if not 3 <= len(why.strip()) <= MOST_WORDS:
        raise NotUnderstood(
            f"Say why it may stay, in at most {MOST_WORDS} characters.", field="why"
        )
    rows = _chosen(context, chosen)
    with context.writing(reason=why.strip()) as writing:
        for row in rows:
            where = (
                difference.c.account == row.account,
                difference.c.number == row.number,
                difference.c.kind == row.kind,
            )
            writing.connection.execute(
                update(difference).where(*where).values(accepted_by=context.actor, why=why.strip())
            )
        accounts = writing.records.many(Account, {row.account for row in rows})
        writing.save([changed(Subject.ACCOUNT, a, a, "account.drift-accepted") for a in accounts])
        writing.touch()
    return len(rows)


def one(context: Context, key: str) -> Account:
    """An account whose carrier can be asked. Raises NotFound, NotAllowedNow."""
    with context.reading() as reading:
        account = reading.records.the(Account, key)
    if account.carrier not in context.outside.carriers:
        raise NotAllowedNow(
            f"{account.name} can't be asked over the wire; compare its letters by hand.",
            reason="not-on-the-wire",
        )
    return account

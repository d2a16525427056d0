"""Records in and out of their tables: the columns each row shows, and reading by key or
condition."""

from collections.abc import Iterable
from functools import cache, lru_cache
from typing import Any, TypeVar, cast

from sqlalchemy import (
    ColumnElement,
    Connection,
    Select,
    Table,
    and_,
    bindparam,
    case,
    func,
    literal_column,
    or_,
    select,
)

from sedge.core.errors import NotFound
from sedge.core.facts import Fact
from sedge.core.numbers.life import ENDED
from sedge.core.records import (
    RECORD_TYPES,
    SUBJECT_OF,
    Account,
    Address,
    Device,
    Document,
    Downstream,
    Grant,
    Group,
    Hold,
    HolderRef,
    KeptFree,
    Number,
    Order,
    PathVersion,
    Person,
    Port,
    PortOut,
    Proof,
    ServiceLine,
    Site,
    Spot,
    Subject,
    Subscription,
    Trunk,
)
from sedge.core.trunks.records import Sbc
from sedge.store.schema import tables

R = TypeVar("R", bound=Fact)
Query = Select[Any]  # of the text of records, and what orders them
MOST_VARIABLES = 900
RECORDS_KEPT = 4096  # that were read last, some 2 KB each


def columns(record: Any) -> dict[str, Any]:  # noqa: C901  one branch per kind of record
    """What the record's row shows beside its body."""
    match record:
        case Number():
            return _life(record)
        case Person():
            return {
                "name": record.name,
                "email": record.email.lower(),
                "site": record.site,
                "extension": record.extension,
                "spot": record.spot,
                "manager": record.manager,
                "shows": record.caller_id.number or None,
                "rings": record.answering.mobile or None,
                "departed": record.left,
            }
        case Site():
            return {
                "name": record.name,
                "code": record.code,
                "country": record.country,
                "shows": record.caller_id.number or None,
            }
        case ServiceLine():
            return {"name": record.name, "site": record.site}
        case Group():
            return {"name": record.name, "removed": record.removed}
        case Downstream():
            return {"name": record.name, "site": record.site}
        case Sbc():
            return {"site": record.site}
        case Device():
            return {"person": record.person, "registered": record.registered}
        case Address():
            return {"site": record.site}
        case Spot():
            return {"site": record.site, "address": record.address}
        case Subscription():
            return {"product": record.product, "seats": record.seats, "used": record.used}
        case Grant():
            ended = {"ended": record.until is not None, "until": record.until}
            return {
                "product": record.product,
                **_held_by(record.holder),
                "since": record.since,
                "works_from": record.works_from,
                **ended,
            }
        case Account():
            return {"carrier": record.carrier}
        case Hold():
            return {"state": record.state, "expires_at": record.expires_at}
        case Order():
            return {
                "reference": record.reference,
                "open": record.is_open,
                "at": record.placed_at,
                "placed_as": record.placed_as,
            }
        case Document():
            return {"paper": record.paper, "withdrawn": record.withdrawn}
        case Port():
            return {
                "no": record.no,
                "state": record.state.value,
                "open": record.is_open,
                "foc": record.foc,
            }
        case PortOut():
            names = {
                "no": record.no,
                "state": record.state.value,
                "open": record.is_open,
                "theirs": record.theirs,
            }
            return {**names, "account": record.account, "due": record.answer_due}
        case KeptFree():
            return {"last": record.last}
        case Trunk():
            return {"site": record.site}
        case PathVersion():
            return {"name": record.name, "retired": record.retired}
        case Proof():
            return {"number": int(record.e164), "at": record.at, "direction": record.direction}
        case _:
            return {}


def _life(number: Number) -> dict[str, object]:
    assignment = number.assignment
    return {
        "number": int(number.e164),
        "state": number.state.value,
        "state_until": number.state_until,
        "usable_from": number.usable_from,
        "leaving_on": number.leaving_on,
        "site": number.site,
        "carrier": number.carrier,
        "account": number.account,
        "capacity": number.capacity.value,
        "order_id": number.order,
        **_held_by(number.holder),
        "role": assignment.role.value if assignment else None,
        "spot": number.spot,
        "registered_spot": number.registered_spot,
        "path": number.path,
        "trunk": number.trunk,
        "fallback": number.fallback or None,
        "attention": number.needs_attention,
    }


def _held_by(ref: HolderRef | None) -> dict[str, str | None]:
    return {"holder_kind": ref.kind.value if ref else None, "holder_id": ref.id if ref else None}


def read_record(record_type: type[R], body: str) -> R:
    """A record from its row. Records never change, so what was read of the same text is shared:
    pages read the same few hundred again and again."""
    return cast(R, _read_once(record_type, body))


@lru_cache(RECORDS_KEPT)
def _read_once(record_type: type[Fact], body: str) -> Fact:
    return record_type.model_validate_json(body)


class Records:
    """Reading records in one connection."""

    def __init__(self, connection: Connection) -> None:
        self.connection = connection

    def find(self, record_type: type[R], key: str | None) -> R | None:
        if not key:
            return None
        return next(iter(self.many(record_type, [key])), None)

    def the(self, record_type: type[R], key: str) -> R:
        found = self.find(record_type, key)
        if found is None:
            subject = SUBJECT_OF[record_type]
            raise NotFound(
                f"There is no {subject} “{key}” here. It may have been removed; search for it"
                " again.",
                subject=subject,
                id=key,
            )
        return found

    def many(self, record_type: type[R], keys: Iterable[str]) -> list[R]:
        """By id, or for numbers by E.164: the open life, else the last. Unknown keys are left
        out."""
        table = table_of(record_type)
        wanted = sorted(set(keys))
        found: list[R] = []
        for start in range(0, len(wanted), MOST_VARIABLES):
            part = wanted[start : start + MOST_VARIABLES]
            keyed: list[object] = list(part)
            if table is tables.life:
                keyed = [int(key) for key in part if key.lstrip("+").isdigit()]
            found += self._read(record_type, _by_key(table), {"keys": keyed})
        return found

    def _read(
        self, record_type: type[R], query: Query, given: dict[str, list[object]] | None = None
    ) -> list[R]:
        """All rows at once: each that is fetched alone lets other threads go first."""
        bodies = self.connection.execute(query, given).scalars().all()
        return [read_record(record_type, body) for body in bodies]

    def where(
        self,
        record_type: type[R],
        *conditions: ColumnElement[bool],
        order_by: Any = None,
        limit: int | None = None,
        offset: int = 0,
    ) -> list[R]:
        table = table_of(record_type)
        query = (
            select(table.c.body)
            .where(*conditions)
            .order_by(table.c.id if order_by is None else order_by)
        )
        if limit is not None:
            query = query.limit(limit).offset(offset)
        return self._read(record_type, query)

    def where_in(
        self,
        record_type: type[R],
        column: ColumnElement[str],
        values: Iterable[str],
        *conditions: ColumnElement[bool],
        order_by: object = None,
    ) -> list[R]:
        """Those with one of these values, however many there are."""
        wanted = sorted(set(values))
        found: list[R] = []
        for start in range(0, len(wanted), MOST_VARIABLES):
            part = column.in_(wanted[start : start + MOST_VARIABLES])
            found += self.where(record_type, part, *conditions, order_by=order_by)
        return found

    def all(self, record_type: type[R]) -> list[R]:
        return self._read(record_type, _whole(table_of(record_type)))

    def held_by(self, record_type: type[R], refs: Iterable[HolderRef]) -> list[R]:
        """Numbers or open grants of these holders."""
        table = table_of(record_type)
        by_kind: dict[str, list[str]] = {}
        for ref in refs:
            by_kind.setdefault(ref.kind.value, []).append(ref.id)
        found: list[R] = []
        for kind, ids in by_kind.items():
            for start in range(0, len(ids), MOST_VARIABLES):
                condition = and_(
                    table.c.holder_kind == kind,
                    table.c.holder_id.in_(ids[start : start + MOST_VARIABLES]),
                )
                if table is tables.grant:
                    condition = and_(condition, table.c.ended.is_(False))
                found += self.where(record_type, condition)
        return found

    def names(self, refs: Iterable[tuple[Subject, str]]) -> dict[tuple[Subject, str], str]:
        """Names of records, by one query for each kind, out of their columns where those have
        them."""
        by_subject: dict[Subject, set[str]] = {}
        for subject, key in refs:
            by_subject.setdefault(subject, set()).add(key)
        found: dict[tuple[Subject, str], str] = {}
        for subject, keys in by_subject.items():
            table = tables.RECORD_TABLES[subject]
            if "name" not in table.c:
                for record in self.many(RECORD_TYPES[subject], keys):
                    found[subject, record.id] = record.name  # type: ignore[attr-defined]
                continue
            listed = sorted(keys)
            for start in range(0, len(listed), MOST_VARIABLES):
                query = select(table.c.id, table.c.name).where(
                    table.c.id.in_(listed[start : start + MOST_VARIABLES])
                )
                found |= {(subject, key): name for key, name in self.connection.execute(query)}
        return found


def table_of(record_type: type[Fact]) -> Table:
    return tables.RECORD_TABLES[SUBJECT_OF[record_type]]


@cache
def _by_key(table: Table) -> Query:
    """Built once: that costs more than the question itself."""
    keys = bindparam("keys", expanding=True)
    if table is tables.life:
        return last_lives(select(table.c.body).where(table.c.number.in_(keys)))
    return select(table.c.body).where(table.c.id.in_(keys))


@cache
def _whole(table: Table) -> Query:
    return select(table.c.body).order_by(table.c.id)


def last_lives(query: Query) -> Query:
    """Of each number in the query: its open life, else the one that began last."""
    life = tables.life
    ended = [state.value for state in ENDED]
    rank = (
        func.row_number()
        .over(
            partition_by=life.c.number,
            order_by=(case((life.c.state.in_(ended), 1), else_=0), life.c.id.desc()),
        )
        .label("rank")
    )
    inner = query.add_columns(rank).subquery()
    return select(inner.c.body).where(inner.c.rank == 1)


def plus(column: Any) -> Any:
    """The same column, out of an index's reach."""
    return literal_column(f"+{column.table.name}.{column.name}", column.type)


def is_open() -> ColumnElement[bool]:
    return tables.life.c.state.notin_([state.value for state in ENDED])


def without_own() -> tuple[ColumnElement[bool], ...]:
    """People who are here and have no number of their own."""
    life, person = tables.life, tables.person
    own = (
        select(life.c.id)
        .where(life.c.holder_kind == "person", life.c.holder_id == person.c.id, is_open())
        .exists()
    )
    return person.c.departed.is_(False), ~own


def any_of(column: Any, values: Iterable[Any]) -> ColumnElement[bool]:
    return or_(*(column == value for value in values))

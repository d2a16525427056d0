"""Answers of trunks to OPTIONS. They are evidence with a time, not facts of the estate, so they are
no entries of the ledger and do not move the change counter."""

from collections.abc import Iterable, Sequence
from datetime import datetime

from sqlalchemy import Connection, delete, func, select
from sqlalchemy.dialects.sqlite import insert

from sedge.core.trunks.answers import MISSED, Answer, Hour, Standing, next_standing
from sedge.store.schema.trunks import trunk_hour, trunk_standing

KEPT_HOURS = 8 * 24


def save_answers(connection: Connection, answers: Sequence[Answer]) -> None:
    """How each stands now, and one more in its hour."""
    before = standings(connection, [answer.trunk for answer in answers])
    for answer in answers:
        now = next_standing(before.get(answer.trunk), answer)._asdict()
        standing = insert(trunk_standing).values(**now)
        connection.execute(standing.on_conflict_do_update(index_elements=["trunk"], set_=now))
        ms = answer.ms or 0
        hour = {
            "trunk": answer.trunk,
            "hour": hour_of(answer.at),
            "asked": 1,
            "answered": int(answer.ms is not None),
            "ms": ms,
            "slowest": ms,
        }
        add_hours(connection, [hour])


def add_hours(connection: Connection, rows: Iterable[dict[str, object]]) -> None:
    """Rows of hours, added to those that are there."""
    for row in rows:
        fresh = insert(trunk_hour).values(**row)
        c, new = trunk_hour.c, fresh.excluded
        added = {name: c[name] + new[name] for name in ("asked", "answered", "ms")}
        slowest = {"slowest": func.max(c.slowest, new.slowest)}
        connection.execute(
            fresh.on_conflict_do_update(index_elements=["trunk", "hour"], set_=added | slowest)
        )


def forget_old(connection: Connection, now: datetime) -> None:
    connection.execute(delete(trunk_hour).where(trunk_hour.c.hour < hour_of(now) - KEPT_HOURS))


def standings(connection: Connection, trunks: Sequence[str]) -> dict[str, Standing]:
    query = select(trunk_standing).where(trunk_standing.c.trunk.in_(trunks))
    return {row.trunk: Standing(*row) for row in connection.execute(query)}


def silent(connection: Connection) -> list[Standing]:
    """Trunks that have missed several in a row."""
    query = select(trunk_standing).where(trunk_standing.c.missed >= MISSED)
    return [Standing(*row) for row in connection.execute(query)]


def hours_of(connection: Connection, trunk: str, since: int) -> list[Hour]:
    """The hours in which a trunk was asked, the first first."""
    c = trunk_hour.c
    query = select(c.hour, c.asked, c.answered, c.ms, c.slowest).where(
        c.trunk == trunk, c.hour >= since
    )
    return [
        Hour(hour, asked, answered, round(ms / answered) if answered else 0, slowest)
        for hour, asked, answered, ms, slowest in connection.execute(query.order_by(c.hour))
    ]


def hour_of(moment: datetime) -> int:
    return int(moment.timestamp()) // 3600

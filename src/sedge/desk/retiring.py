"""Retiring at the desk: what depends on a number, and the work order that takes it out of use."""

from dataclasses import dataclass
from typing import Any

from sqlalchemy import select

from sedge.core.errors import NotUnderstood
from sedge.core.facts import Money
from sedge.core.numbers.life import State
from sedge.core.policy import POLICY
from sedge.core.records import Grant, HolderKind, Number, PathVersion, Product, Subject
from sedge.core.retiring.depends import Dependence, dependences, saved_a_year
from sedge.core.workorders import tasks as t
from sedge.desk.desk import Desk
from sedge.store import tables


@dataclass(frozen=True)
class Retirement:
    number: Number
    dependences: list[Dependence]
    saved: Money
    rest_days: int


def depends_on(desk: Desk, e164: str) -> Retirement:
    with desk.reading() as reading:
        estate = reading.look_at(Subject.NUMBER, e164)
        number = estate.number(e164)
        names = tables.path_names
        rows = reading.connection.execute(select(names.c.path).where(names.c.subject == Subject.NUMBER.value, names.c.subject_id == e164))
        naming = reading.records.many(PathVersion, [row.path for row in rows])
    return Retirement(number, dependences(number, estate, naming), saved_a_year(number), POLICY.rest(number.kind))


def plan(desk: Desk, e164: str, *, rest: str, release: bool) -> tuple[list[Any], str]:
    """Tasks that retire a number: taken back, licences that would stand idle with it, then rest, or release."""
    if rest and not (rest.isdigit() and int(rest) <= 3650):
        raise NotUnderstood("Days of rest are a number, 3,650 at most.", field="rest")
    with desk.reading() as reading:
        estate = reading.look_at(Subject.NUMBER, e164)
    number = estate.number(e164)
    tasks: list[Any] = []
    if number.state is State.ASSIGNED and number.holder:
        tasks.append(t.UnassignNumber(number=e164, rest=int(rest) if rest else None))
        if number.holder.kind is HolderKind.PERSON and len(estate.numbers_of(number.holder)) == 1:
            tasks += _idle_licences(number, estate.grants_of(number.holder), {p.id: p for p in estate.all(Product)})
    if release:
        tasks.append(t.ReleaseNumber(number=e164))
    if not tasks:
        raise NotUnderstood(f"{number.national} is {number.state} already. Choose to release it, if it shall go.", field="then")
    return tasks, f"Retire {number.national}"


def _idle_licences(number: Number, grants: list[Grant], products: dict[str, Product]) -> list[Any]:
    """Those that need another one go first."""
    ordered = sorted(grants, key=lambda g: -len(products[g.product].prerequisites))
    return [t.RevokeLicence(holder=g.holder, product=g.product) for g in ordered if number.holder == g.holder]

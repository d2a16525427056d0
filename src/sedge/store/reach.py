"""Which sites a record belongs to where its own row does not say so: what `core.access.scope` looks
up."""

from collections.abc import Iterable

from sqlalchemy import Connection, select

from sedge.core.access.scope import Pair
from sedge.core.records import Subject
from sedge.store.repositories.records import MOST_VARIABLES, is_open
from sedge.store.schema import tables

SITE_COLUMN = (Subject.PERSON, Subject.SERVICE_LINE, Subject.DOWNSTREAM)
MOST_PATHS_DEEP = 20


def sites_of(connection: Connection, pairs: Iterable[Pair]) -> dict[Pair, frozenset[str]]:
    """The sites of people, lines, systems, sites, numbers (by E.164) and call paths. A path belongs
    to the sites of all numbers whose calls come to it, also by way of other paths."""
    wanted: dict[Subject, set[str]] = {}
    for subject, key in pairs:
        wanted.setdefault(subject, set()).add(key)
    found: dict[Pair, frozenset[str]] = {}
    for subject in SITE_COLUMN:
        found |= _by_column(connection, subject, wanted.get(subject, set()))
    found |= {(Subject.SITE, key): frozenset({key}) for key in wanted.get(Subject.SITE, set())}
    found |= _of_numbers(connection, wanted.get(Subject.NUMBER, set()))
    for path in wanted.get(Subject.PATH, set()):
        found[Subject.PATH, path] = sites_of_path(connection, path)
    return found


def _by_column(
    connection: Connection, subject: Subject, keys: set[str]
) -> dict[Pair, frozenset[str]]:
    table = tables.RECORD_TABLES[subject]
    listed, found = sorted(keys), {}
    for start in range(0, len(listed), MOST_VARIABLES):
        query = select(table.c.id, table.c.site).where(
            table.c.id.in_(listed[start : start + MOST_VARIABLES])
        )
        found |= {(subject, key): frozenset({site}) for key, site in connection.execute(query)}
    return found


def _of_numbers(connection: Connection, keys: set[str]) -> dict[Pair, frozenset[str]]:
    life = tables.life
    listed, found = sorted(int(key) for key in keys), {}
    for start in range(0, len(listed), MOST_VARIABLES):
        query = select(life.c.number, life.c.site).where(
            life.c.number.in_(listed[start : start + MOST_VARIABLES]), is_open()
        )
        found |= {
            (Subject.NUMBER, f"+{number}"): frozenset({site})
            for number, site in connection.execute(query)
        }
    return found


def sites_of_path(connection: Connection, path: str) -> frozenset[str]:
    """The sites of the numbers whose calls come to a call path."""
    life, names = tables.life, tables.path_names
    reached, fresh = {path}, {path}
    for _ in range(MOST_PATHS_DEEP):
        query = select(names.c.path).where(
            names.c.subject == Subject.PATH.value, names.c.subject_id.in_(fresh)
        )
        fresh = {key for (key,) in connection.execute(query)} - reached
        if not fresh:
            break
        reached |= fresh
    query = select(life.c.site).where(life.c.path.in_(reached), is_open()).distinct()
    return frozenset(site for (site,) in connection.execute(query))

"""What would happen to a call on each call path at this moment."""

from dataclasses import dataclass

from sqlalchemy import func, select

from sedge.core.callpaths.steps import Path
from sedge.core.callpaths.tracing.trace import trace_inbound
from sedge.core.callpaths.tracing.world import Trace, World
from sedge.core.load_spec import LoadSpec
from sedge.core.records import Number, PathVersion
from sedge.services.context import Context
from sedge.store.repositories.records import is_open
from sedge.store.schema import tables

MOST = 60  # paths that are followed for one page


@dataclass(frozen=True)
class PathNow:
    """A published path with a call that comes in now. No `trace` where none of the numbers one may
    see follows it, or where it is not `followed`."""

    version: PathVersion
    path: Path
    trace: Trace | None
    followed: bool


def paths_now(context: Context) -> list[PathNow]:
    """The published paths by name, the first `MOST` followed. Remembered for a minute at most."""
    return context.installation.while_unchanged(context, "paths now", lambda: _followed(context))


def _followed(context: Context) -> list[PathNow]:
    life = tables.life
    with context.reading() as reading:
        here = tables.path.c.retired.is_(False)
        versions = reading.records.where(PathVersion, here, order_by=tables.path.c.name)
        first = dict(
            reading.connection.execute(
                select(life.c.path, func.min(life.c.number))
                .where(is_open(), life.c.path.in_([v.id for v in versions[:MOST]]))
                .group_by(life.c.path)
            ).all()
        )
        numbers = {path: f"+{number}" for path, number in first.items()}
        estate = reading.estate(LoadSpec(numbers=set(numbers.values())))
    found = []
    for place, version in enumerate(versions):
        number = estate.get(Number, numbers[version.id]) if version.id in numbers else None
        trace = trace_inbound(number.e164, estate.now, World(), estate) if number else None
        path = Path.model_validate(version.body)
        found.append(PathNow(version, path, trace, followed=place < MOST))
    return found

"""Days on which nothing is switched, and when sites are closed by their call paths: kept, listed,
asked for."""

from collections.abc import Iterable
from dataclasses import dataclass
from datetime import date

from sqlalchemy import select

from sedge.core.access.roles import May
from sedge.core.callpaths.steps import Closure
from sedge.core.changes import changed
from sedge.core.errors import NotUnderstood
from sedge.core.porting.dates import Blackout
from sedge.core.porting.records import KeptFree
from sedge.core.records import PathVersion, Site, Subject
from sedge.services.context import Context, Reading, Writing
from sedge.store.schema import tables

MOST_WORDS = 120
MOST_DAYS = 370
MOST_PATHS = 500
MOST_KEPT = 5000


@dataclass(frozen=True)
class FreeRow:
    """`site` its name, '' for everywhere."""

    kept: KeptFree
    site: str


def list_free_days(context: Context) -> list[FreeRow]:
    """Those that are not over, the next first."""
    with context.reading() as reading:
        found = _kept(reading, context.now().date())
        names = {
            s.id: s.name for s in reading.records.many(Site, {k.site for k in found if k.site})
        }
    return [
        FreeRow(k, names.get(k.site or "", ""))
        for k in sorted(found, key=lambda k: (k.first, k.last))
    ]


def _kept(reading: Reading | Writing, since: date) -> list[KeptFree]:
    found = reading.records.where(KeptFree, tables.kept_free.c.last >= since, limit=MOST_KEPT)
    return [k for k in found if not k.given_back]


def keep_free(context: Context, *, first: str, last: str, why: str, site: str = "") -> KeptFree:
    """Raises NotUnderstood naming the field."""
    context.require(May.PORT)
    begins = _day(first, "first")
    ends = _day(last, "last") if last.strip() else begins
    if ends < begins:
        raise NotUnderstood("It ends before it begins.", field="last")
    if (ends - begins).days > MOST_DAYS:
        raise NotUnderstood("At most a year at a time.", field="last")
    if not 2 <= len(why.strip()) <= MOST_WORDS:
        raise NotUnderstood(f"Say why, in at most {MOST_WORDS} characters.", field="why")
    with context.writing() as writing:
        if site:
            writing.records.the(Site, site)
        kept = KeptFree(
            id=context.new_id("free"), first=begins, last=ends, why=why.strip(), site=site or None
        )
        return writing.save([changed(Subject.KEPT_FREE, None, kept, "days.kept-free")])[0].after


def give_back(context: Context, key: str) -> None:
    """Something may be switched on these days again."""
    context.require(May.PORT)
    with context.writing() as writing:
        kept = writing.records.the(KeptFree, key)
        if not kept.given_back:
            writing.save(
                [
                    changed(
                        Subject.KEPT_FREE, kept, kept.copy_with(given_back=True), "days.given-back"
                    )
                ]
            )


def _day(typed: str, field: str) -> date:
    try:
        return date.fromisoformat(typed.strip())
    except ValueError as error:
        raise NotUnderstood(
            "Type the day as 2026-12-24; there has to be such a day.", field=field
        ) from error


def blackouts(reading: Reading | Writing, site: str) -> tuple[Blackout, ...]:
    """Days kept free that count for a site."""
    kept = (k for k in _kept(reading, reading.now.date()) if k.counts_at(site))
    return tuple(Blackout(k.first, k.last, k.why) for k in kept)


def closures(reading: Reading, sites: Iterable[str]) -> dict[str, list[Closure]]:
    """When sites are closed, by the hours of the call paths their numbers follow; each closure
    once."""
    life = tables.life
    wanted = sorted(set(sites))
    rows = reading.connection.execute(
        select(life.c.site, life.c.path)
        .where(life.c.site.in_(wanted), life.c.path.is_not(None))
        .distinct()
        .limit(MOST_PATHS)
    ).all()
    paths = {p.id: p for p in reading.records.many(PathVersion, {row.path for row in rows})}
    found: dict[str, dict[Closure, None]] = {}
    for row in rows:
        body = paths[row.path].body if row.path in paths else {"steps": {}}
        for step in body["steps"].values():
            for closure in step.get("closures", ()):
                found.setdefault(row.site, {})[Closure.model_validate(closure)] = None
    return {site: list(closed) for site, closed in found.items()}

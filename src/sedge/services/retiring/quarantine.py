"""Days of rest by country, looked at and changed."""

from dataclasses import dataclass

from sqlalchemy import select

from sedge.core.access.roles import May
from sedge.core.changes import changed
from sedge.core.errors import NotUnderstood
from sedge.core.numbers.plan import COUNTRIES, Kind
from sedge.core.policy import POLICY
from sedge.core.records import ORGANISATION, Defaults, Subject
from sedge.core.retiring.quarantine import MOST_REST, days_for, key_of
from sedge.services.context import Context
from sedge.store.schema import tables


@dataclass(frozen=True)
class RestRow:
    """A country with its days; `own`: the organisation has set one of them."""

    country: str
    name: str
    days: int
    toll_free: int
    own: bool


def list_rests(context: Context) -> list[RestRow]:
    """The countries of the organisation's sites, and those that have days of their own."""
    with context.reading() as reading:
        defaults = reading.records.find(Defaults, ORGANISATION)
        here = {
            country
            for (country,) in reading.connection.execute(select(tables.site.c.country).distinct())
        }
    rests = defaults.rests if defaults else {}
    countries = sorted(here | {key.split()[0] for key in rests})
    return [
        RestRow(
            c,
            COUNTRIES[c].name if c in COUNTRIES else c,
            days_for(c, Kind.GEOGRAPHIC, defaults),
            days_for(c, Kind.TOLL_FREE, defaults),
            any(key.split()[0] == c for key in rests),
        )
        for c in countries
    ]


def set_rest(context: Context, country: str, *, days: str, toll_free: str) -> list[RestRow]:
    """Empty: as the policy says. Raises NotUnderstood naming the field."""
    context.require(May.SET_RULES)
    if country not in COUNTRIES:
        raise NotUnderstood("Choose one of the countries.", field="country")
    wanted = {
        key_of(country, toll_free=False): _days(days, "days"),
        key_of(country, toll_free=True): _days(toll_free, "toll_free"),
    }
    usual = {
        key_of(country, toll_free=False): POLICY.rest(Kind.GEOGRAPHIC),
        key_of(country, toll_free=True): POLICY.rest(Kind.TOLL_FREE),
    }
    with context.writing(reason=f"rest of numbers in {COUNTRIES[country].name}") as writing:
        before = writing.records.find(Defaults, ORGANISATION)
        kept = {key: n for key, n in (before.rests if before else {}).items() if key not in wanted}
        kept |= {key: n for key, n in wanted.items() if n is not None and n != usual[key]}
        after = (before or Defaults(id=ORGANISATION)).copy_with(rests=kept)
        if after.rests != (before.rests if before else {}):
            writing.save([changed(Subject.DEFAULTS, before, after, "organisation.rest-set")])
    return list_rests(context)


def _days(typed: str, field: str) -> int | None:
    if not typed.strip():
        return None
    if not typed.strip().isdigit() or int(typed) > MOST_REST:
        raise NotUnderstood(f"Days of rest are a number, {MOST_REST:,} at most.", field=field)
    return int(typed)

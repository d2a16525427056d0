"""Dates of ports: which days are free, and when nothing may be switched."""

from pydantic import BaseModel, ConfigDict, Field

from sedge.api.answers import Page
from sedge.api.moments import CalendarDay
from sedge.api.porting.answers import ChangeFreezeOut
from sedge.api.routing import RequestContext, Resource
from sedge.core.access.roles import May
from sedge.core.porting.records import KeptFree
from sedge.services.porting import change_freezes

resource = Resource(tags=["ports"])


class Free(BaseModel):
    """Days on which nothing is switched; `site` None: anywhere."""

    model_config = ConfigDict(extra="forbid")
    first: CalendarDay
    last: CalendarDay | None = None
    why: str = Field(min_length=2, max_length=120)
    site: str | None = None


class Day(BaseModel):
    model_config = ConfigDict(extra="forbid")
    wanted_date: CalendarDay


@resource.read("/ports/days", May.SEE_MONEY)
def days(context: RequestContext) -> Page[ChangeFreezeOut]:
    """Days on which nothing is switched."""
    return {"items": [_free(f.kept) for f in change_freezes.list_free_days(context)], "next": None}


@resource.write("/ports/days", May.PORT, status_code=201)
def keep_free(context: RequestContext, asked: Free) -> ChangeFreezeOut:
    last = asked.last.isoformat() if asked.last else ""
    return _free(
        change_freezes.keep_free(
            context, first=asked.first.isoformat(), last=last, why=asked.why, site=asked.site or ""
        )
    )


@resource.write("/ports/days/{key}/give-back", May.PORT)
def give_back(context: RequestContext, key: str) -> Page[ChangeFreezeOut]:
    change_freezes.give_back(context, key)
    return days(context)


def _free(kept: KeptFree) -> ChangeFreezeOut:
    return {
        "id": kept.id,
        "first": kept.first.isoformat(),
        "last": kept.last.isoformat(),
        "why": kept.why,
        "site": kept.site,
    }

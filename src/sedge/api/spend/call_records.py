"""Call records: sent by programs, read from files, forgotten in time; and the use that follows."""

from typing import Annotated

from fastapi import Query
from pydantic import BaseModel, ConfigDict, Field
from starlette.concurrency import run_in_threadpool
from typing_extensions import TypedDict

from sedge.api.answers import Page, moment
from sedge.api.imports.files import TheFile
from sedge.api.routing import RequestContext, Resource
from sedge.core.access.roles import May, allowed
from sedge.core.numbers.e164 import read_one
from sedge.core.spend.step_use import LONGEST_STAY, MOST_PASSED, Passed, way_as_text
from sedge.core.spend.usage import Use
from sedge.services.spend import call_records, call_settings, telephone_records, usage
from sedge.store.repositories.spend.call_files import CallFile

resource = Resource(tags=["spend"])
Since = Annotated[str, Query(alias="from", max_length=40)]
Until = Annotated[str, Query(alias="to", max_length=40)]


class PassedAsked(BaseModel):
    """A step of a call path that the call was in for `seconds`. `exit` is the key pressed in a
    menu, the exit by which it went on, or how it ended there: answered, mailbox, announced,
    forwarded, ended, gave up."""

    model_config = ConfigDict(extra="forbid")
    path: str = Field(default="", max_length=80, pattern=r"^[^/=;:]*$")
    step: str = Field(pattern=r"^[a-z0-9-]{1,40}$")
    exit: str = Field(min_length=1, max_length=40, pattern=r"^[^/=;:]+$")
    seconds: int = Field(ge=0, le=LONGEST_STAY)


class CallLegAsked(BaseModel):
    """One leg of a call. `id` tells it from all others of its source: the same again changes
    nothing, with other facts it is corrected. Moments are RFC 3339; `ended` or `talk` is needed.
    `from` or `to` is one of your numbers."""

    model_config = ConfigDict(extra="forbid", populate_by_name=True)
    id: str = Field(default="", max_length=120)
    started: str = Field(max_length=40)
    answered: str = Field(default="", max_length=40)
    ended: str = Field(default="", max_length=40)
    talk: int | None = Field(default=None, description="seconds")
    ring: int | None = Field(default=None, description="seconds")
    caller: str = Field(default="", alias="from", max_length=60)
    callee: str = Field(default="", alias="to", max_length=60)
    forwarded_by: str = Field(default="", max_length=60)
    trunk: str = Field(default="", max_length=80)
    direction: str = Field(default="", max_length=20)
    cause: int | None = Field(default=None, ge=0, le=127, description="ITU-T Q.850")
    steps: list[PassedAsked] = Field(default=[], max_length=MOST_PASSED)

    def row(self) -> dict[str, str]:
        """As the reader of rows takes it."""
        told = {
            "key": self.id,
            "started": self.started,
            "answered": self.answered,
            "ended": self.ended,
            "talk": "" if self.talk is None else str(self.talk),
            "ring": "" if self.ring is None else str(self.ring),
            "from": self.caller,
            "to": self.callee,
            "diverted": self.forwarded_by,
            "trunk": self.trunk,
            "direction": self.direction,
            "cause": "" if self.cause is None else str(self.cause),
            "steps": way_as_text(Passed(x.path, x.step, x.exit, x.seconds) for x in self.steps),
        }
        return {name: value for name, value in told.items() if value}


class CallsAsked(BaseModel):
    model_config = ConfigDict(extra="forbid")
    source: str = Field(max_length=200, description="where the records come from")
    records: list[CallLegAsked] = Field(max_length=call_records.MOST_SENT)


class CallFaultOut(TypedDict):
    """`at`: the place in what was sent (from 0), or the line of a file."""

    at: int
    why: str


class CallsTakenOut(TypedDict):
    fresh: int
    same: int
    corrected: int
    faults: list[CallFaultOut]


class CallFileOut(TypedDict):
    """`state`: columns (say which is which), reading, done. `before`: the file that said the same
    already."""

    id: str
    name: str
    source: str
    state: str
    columns: list[str]
    mapping: dict[str, int]
    rows: int
    fresh: int
    same: int
    corrected: int
    bad: int
    faults: list[CallFaultOut]
    before: str
    problem: str


class CallSettingsOut(TypedDict):
    """`keep_days` 0: for good."""

    keep_days: int
    shorten: bool


class CallSettingsAsked(BaseModel):
    model_config = ConfigDict(extra="forbid")
    keep_days: int = Field(ge=0, le=100_000)
    shorten: bool = False


class ColumnsAsked(BaseModel):
    model_config = ConfigDict(extra="forbid")
    mapping: dict[str, int] = Field(max_length=40)


class UseOut(TypedDict):
    """`talk` and `ring` in seconds; `answered_share` null where nobody called."""

    key: str
    name: str
    calls: int
    answered: int
    answered_share: float | None
    minutes: int
    talk: int
    ring: int


class CallOut(TypedDict):
    started: str
    direction: str
    other: str
    answered: bool
    ring: int
    talk: int


class DayOut(TypedDict):
    day: str
    calls: int
    answered: int
    minutes: int


class NumberUseOut(TypedDict):
    number: str
    days: list[DayOut]
    latest: list[CallOut]


@resource.write("/call-records", May.KEEP_BOOKS)
def send_call_records(context: RequestContext, asked: CallsAsked) -> CallsTakenOut:
    """Each record is kept once; those that can't be taken are named and the others kept."""
    taken = call_records.take(context, asked.source, [record.row() for record in asked.records])
    return {
        "fresh": taken.fresh,
        "same": taken.same,
        "corrected": taken.corrected,
        "faults": [{"at": at, "why": why} for at, why in taken.faults],
    }


@resource.write("/call-records/fetch", May.KEEP_BOOKS)
def fetch_call_records(context: RequestContext) -> CallsTakenOut:
    """From the telephone system, what came since the last time."""
    taken = telephone_records.fetch(context)
    return {
        "fresh": taken.fresh,
        "same": taken.same,
        "corrected": taken.corrected,
        "faults": [],
    }


@resource.write("/imports/call-records", May.KEEP_BOOKS)
async def import_call_records(
    context: RequestContext, data: TheFile, source: str = "file", name: str = "file", zone: str = ""
) -> CallFileOut:
    """A CSV or XLSX file as the body, of any columns. `zone` (IANA) holds for moments without an
    offset. A large file goes on by itself: look at `/imports/call-records/{key}`."""

    def done() -> CallFileOut:
        return _file_out(call_records.receive(context, name, data, source=source, zone=zone))

    return await run_in_threadpool(done)


@resource.read("/imports/call-records", May.KEEP_BOOKS)
def call_files(context: RequestContext) -> Page[CallFileOut]:
    return {"items": [_file_out(f) for f in call_records.list_files(context)], "next": None}


@resource.read("/imports/call-records/{key}", May.KEEP_BOOKS)
def call_file(context: RequestContext, key: str) -> CallFileOut:
    return _file_out(call_records.get(context, key))


@resource.write("/imports/call-records/{key}/columns", May.KEEP_BOOKS, method="PUT")
def settle_call_columns(context: RequestContext, key: str, asked: ColumnsAsked) -> CallFileOut:
    """Which column (from 0) has which field; remembered for the next files of this source."""
    return _file_out(call_records.settle_columns(context, key, asked.mapping))


@resource.read("/call-records/settings")
def call_record_settings(context: RequestContext) -> CallSettingsOut:
    known = call_settings.view(context)
    return {"keep_days": known.keep_days, "shorten": known.shorten}


@resource.write("/call-records/settings", May.SET_RULES, method="PUT")
def change_call_record_settings(
    context: RequestContext, asked: CallSettingsAsked
) -> CallSettingsOut:
    known = call_settings.change_call_settings(
        context, keep_days=asked.keep_days, shorten=asked.shorten
    )
    return {"keep_days": known.keep_days, "shorten": known.shorten}


@resource.read("/usage")
def usage_by(
    context: RequestContext, since: Since = "", until: Until = "", by: str = "site", site: str = ""
) -> Page[UseOut]:
    """Calls and minutes by number, holder, site, trunk, hour, day or direction, in days of which
    both are included (the last 30 without)."""
    first, last = usage.read_days(context, since, until)
    rows = usage.usage(context, by, first, last, site=site)
    return {"items": [_use_out(row.key, row.name, row.use) for row in rows], "next": None}


@resource.read("/usage/numbers/{number}")
def use_of_number(context: RequestContext, number: str) -> NumberUseOut:
    """A year of a number by day; its last calls for who may see money."""
    year = usage.year_of(context, read_one(number, context.organisation.home_country))
    return {
        "number": year.number,
        "days": [
            {
                "day": day.isoformat(),
                "calls": use.calls,
                "answered": use.answered,
                "minutes": use.minutes,
            }
            for day, use in sorted(year.days.items())
        ],
        "latest": [
            {
                "started": moment(row.begun),
                "direction": row.direction,
                "other": row.other,
                "answered": row.answered,
                "ring": row.ring,
                "talk": row.talk,
            }
            for row in (year.latest if allowed(context.who.role, May.SEE_MONEY) else [])
        ],
    }


@resource.read("/usage/not-called")
def numbers_not_called(context: RequestContext, days: int = 90) -> Page[str]:
    """Numbers in use without a call for so many days."""
    return {"items": usage.not_called(context, max(1, min(days, usage.MOST_DAYS))), "next": None}


def _use_out(key: str, name: str, use: Use) -> UseOut:
    return {
        "key": key,
        "name": name,
        "calls": use.calls,
        "answered": use.answered,
        "answered_share": use.answered_share,
        "minutes": use.minutes,
        "talk": use.talk,
        "ring": use.ring,
    }


def _file_out(file: CallFile) -> CallFileOut:
    return {
        "id": file.id,
        "name": file.name,
        "source": file.source,
        "state": file.state.value,
        "columns": list(file.header),
        "mapping": dict(file.mapping),
        "rows": file.rows,
        "fresh": file.fresh,
        "same": file.same,
        "corrected": file.corrected,
        "bad": file.bad,
        "faults": [{"at": line, "why": why} for line, why in file.faults],
        "before": file.before,
        "problem": file.problem,
    }

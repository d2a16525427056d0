"""Call paths: what is published, what is computed of it, drawings, questions, open formats."""

from datetime import date
from typing import Annotated, Literal, cast

from fastapi import Body, File, Form, UploadFile
from fastapi.responses import Response
from pydantic import AfterValidator, BaseModel, ConfigDict, Field

from sedge.api.answers import OrderMadeOut, Page, moment
from sedge.api.callpaths.answers import (
    ConsequenceOut,
    CplReportOut,
    DrawingDetailOut,
    DrawingOut,
    EndingsItemOut,
    EndingsOut,
    JsonSchemaOut,
    PathComparisonNumberOut,
    PathComparisonOut,
    PathComparisonStepOut,
    PathDetailOut,
    PathDetailVersionOut,
    PathFindingOut,
    PathFindingsOut,
    PathFindingsTestCaseOut,
    PathOut,
    PathProvingOut,
    PathReadOut,
    ReachableDeviceOut,
    ReachableOut,
    RungByOut,
    SoundKeptOut,
    SoundOut,
    WeekDayOut,
    WeekOfManyDayOut,
    WeekOfManyOut,
    WeekOut,
    WhatIfItemOut,
    WhatIfOut,
)
from sedge.api.moments import CalendarDay, Moment
from sedge.api.routing import RequestContext, Resource
from sedge.core.access.roles import May
from sedge.core.callpaths.steps import Path
from sedge.core.callpaths.tracing.compare import Consequence
from sedge.core.callpaths.tracing.week import Week
from sedge.core.errors import NotUnderstood
from sedge.core.records import PathVersion
from sedge.core.workorders.findings import Finding
from sedge.formats import path_json
from sedge.services.callpaths import (
    drawing,
    path_analysis,
    path_files,
    path_reach,
    paths,
    proof_calls,
    sounds,
)
from sedge.services.numbers.numbers import the_number
from sedge.store.repositories.callpaths import Draft

FIRST_YEAR, LAST_YEAR = 1970, 2199  # of which holidays and time zones are known


def _a_monday_of_ours(day: date) -> date:
    if not FIRST_YEAR <= day.year <= LAST_YEAR:
        raise ValueError(f"a day of the years {FIRST_YEAR} to {LAST_YEAR}")
    return day


Monday = Annotated[CalendarDay, AfterValidator(_a_monday_of_ours)]
resource = Resource(tags=["call paths"])


class Begin(BaseModel):
    """Draw a published path (`path`), or a new one (`name`, `site`, perhaps a `body`)."""

    model_config = ConfigDict(extra="forbid")
    path: str = ""
    name: str = Field(default="", max_length=80)
    site: str = ""
    body: Path | None = None


class Drawn(BaseModel):
    """The whole drawing as it shall be; `version` is the one it was changed from."""

    model_config = ConfigDict(extra="forbid")
    version: int
    body: Path
    name: str = Field(default="", max_length=80)


class Publish(BaseModel):
    model_config = ConfigDict(extra="forbid")
    version: int
    run_at: str = Field(
        default="", description="local moment, as 2026-12-24T22:00; empty: as soon as it is run"
    )
    prove: bool = False
    reason: str = Field(default="", max_length=200)


def _shape(path: PathVersion, numbers: int = 0) -> PathOut:
    return {
        "id": path.id,
        "name": path.name,
        "version": path.number,
        "in_force_from": moment(path.in_force_from),
        "retired": path.retired,
        "numbers": numbers,
        "body": path.body,
    }


def _finding(finding: Finding) -> PathFindingOut:
    return {
        "rule": finding.rule,
        "level": finding.level.value,
        "message": finding.message,
        "steps": list(finding.steps),
    }


@resource.read("/paths")
def list_paths(context: RequestContext) -> Page[PathOut]:
    users = paths.counts(context)
    return {
        "items": [_shape(p, users.get(p.id, 0)) for p in paths.list_paths(context)],
        "next": None,
    }


@resource.read("/paths/schema")
def schema() -> JsonSchemaOut:
    """JSON Schema of a call path's file."""
    return cast(JsonSchemaOut, path_json.schema())


@resource.read("/paths/week")
def week_of_many(
    context: RequestContext, site: str = "", monday: Monday | None = None
) -> WeekOfManyOut:
    """How many numbers end how, for each hour of a week, over a site or all sites."""
    many = path_analysis.week_of_many(context, site=site, monday=monday)
    days: list[WeekOfManyDayOut] = [
        {
            "day": day.isoformat(),
            "hours": [
                {
                    "hour": h.hour,
                    "unanswered": h.unanswered,
                    "ends": {g.value: n for g, n in h.counts.items()},
                }
                for h in hours
            ],
        }
        for day, hours in many.days
    ]
    return {
        "timezone": many.timezone,
        "numbers": many.numbers,
        "left_out": many.left_out,
        "days": days,
    }


@resource.read("/paths/what-if")
def what_if(
    context: RequestContext,
    what: Literal["trunk", "site", "person"],
    id: str,  # noqa: A002  a query parameter
) -> WhatIfOut:
    """The numbers whose calls would end otherwise if a trunk were down, a site closed, a person
    gone."""
    found = path_reach.what_if(context, what, id)
    items: list[WhatIfItemOut] = [
        {"number": a.number.e164, "changes": [_consequence(c) for c in a.consequences]}
        for a in found.affected
    ]
    return {
        "title": found.title,
        "looked_at": found.numbers,
        "cut_off": found.cut_off,
        "items": items,
    }


def _consequence(c: Consequence) -> ConsequenceOut:
    return {"at": moment(c.at), "before": c.before, "after": c.after}


@resource.read("/paths/{key}")
def one(context: RequestContext, key: str) -> PathDetailOut:
    view = paths.view_path(context, key)
    versions: list[PathDetailVersionOut] = [
        {"version": number, "in_force_from": moment(at)}
        for number, at in paths.versions(context, key)
    ]
    return {
        **_shape(view.published, len(view.numbers)),
        "followed_by": [n.e164 for n in view.numbers],
        "versions": versions,
    }


@resource.read("/paths/{key}/endings")
def endings(context: RequestContext, key: str) -> EndingsOut:
    """Every way a call can end in the coming year, each with the shortest story that leads
    there."""
    analysis = path_analysis.analyse(context, key)
    items: list[EndingsItemOut] = [
        {
            "kind": e.way.kind.value,
            "step": e.way.step,
            "exit": e.way.exit,
            "reason": e.trace.ending.reason,
            "who": list(e.way.who),
            "at": moment(e.way.at),
            "choices": list(e.way.choices),
            "way": [{"step": s, "exit": x} for s, x in e.way.way],
            "seconds": e.trace.seconds,
        }
        for e in analysis.ended
    ]
    return {
        "items": items,
        "unreached": sorted(analysis.endings.unreached),
        "without_end": sorted(analysis.endings.stuck),
    }


@resource.read("/paths/{key}/findings")
def findings(context: RequestContext, key: str) -> PathFindingsOut:
    analysis = path_analysis.analyse(context, key)
    cases: list[PathFindingsTestCaseOut] = [
        {"name": v.case.name, "passes": not v.differs, "differs": v.differs}
        for v in analysis.verdicts
    ]
    return {"items": [_finding(f) for f in analysis.findings], "test_cases": cases}


@resource.read("/paths/{key}/week")
def week(context: RequestContext, key: str, monday: Monday | None = None) -> WeekOut:
    return _week(path_analysis.analyse(context, key, monday=monday).week)


@resource.read("/numbers/{number}/week")
def week_of_number(context: RequestContext, number: str, monday: Monday | None = None) -> WeekOut:
    return _week(path_analysis.week_of_number(context, the_number(context, number), monday=monday))


def _week(found: Week) -> WeekOut:
    """Hours of the local clock; an hour that is left out has no parts, one that comes twice parts
    of two hours."""
    days: list[WeekDayOut] = [
        {
            "day": d.day.isoformat(),
            "holiday": d.holiday,
            "hours": [
                {
                    "hour": c.hour,
                    "grade": c.grade.value,
                    "parts": [
                        {
                            "from": moment(p.start),
                            "to": moment(p.end),
                            "grade": p.grade.value,
                        }
                        for p in c.parts
                    ],
                }
                for c in d.cells
            ],
        }
        for d in found.days
    ]
    return {"timezone": found.timezone, "days": days}


@resource.read("/paths/{key}/compare")
def compare(
    context: RequestContext, key: str, old: int | None = None, new: int | None = None
) -> PathComparisonOut:
    """Two versions; by default what is published and what is drawn."""
    found = drawing.compare(context, key, old=old, new=new)
    steps: list[PathComparisonStepOut] = [
        {"step": c.key, "title": c.title, "what": c.what, "words": list(c.words)}
        for c in found.difference.steps
    ]
    numbers: list[PathComparisonNumberOut] = [
        {"number": called.e164, "changes": [_consequence(c) for c in changes]}
        for called, changes in found.consequences
    ]
    return {"steps": steps, "exits": sorted(map(list, found.difference.exits)), "numbers": numbers}


@resource.write("/paths/{key}/prove", May.CHANGE_ESTATE)
def prove(context: RequestContext, key: str) -> PathProvingOut:
    """Place a test call to every number of a path; the work order that does."""
    order = proof_calls.prove_again(context, path=key)
    return {"work_order": order.id, "no": order.no, "calls": len(order.tasks)}


# ── drawings ──


def _draft(draft: Draft) -> DrawingOut:
    return {
        "path": draft.path,
        "name": draft.name,
        "site": draft.site,
        "based_on": draft.based_on,
        "version": draft.version,
        "changed_by": draft.actor,
        "changed_at": moment(draft.at),
        "body": draft.body.model_dump(mode="json"),
    }


@resource.read("/drawings")
def drawings(context: RequestContext) -> Page[DrawingOut]:
    return {"items": [_draft(d) for d in paths.drawings(context)], "next": None}


@resource.write("/drawings", May.CHANGE_ESTATE, status_code=201)
def begin(context: RequestContext, asked: Begin) -> DrawingOut:
    draft = (
        drawing.begin(context, asked.path)
        if asked.path
        else drawing.begin_new(context, asked.name, asked.site, asked.body)
    )
    return _draft(draft)


@resource.read("/drawings/{key}")
def drawn(context: RequestContext, key: str) -> DrawingDetailOut:
    now = drawing.open_draft(context, key)
    return {**_draft(now.draft), "findings": [_finding(f) for f in now.findings]}


@resource.write("/drawings/{key}", May.CHANGE_ESTATE, method="PUT")
def save_drawing(context: RequestContext, key: str, wanted: Drawn) -> DrawingDetailOut:
    drawing.change_drawing(
        context, key, wanted.version, lambda _body, _where: (wanted.body, ""), name=wanted.name
    )
    return drawn(context, key)


@resource.write("/drawings/{key}/publish", May.CHANGE_ESTATE)
def publish(context: RequestContext, key: str, asked: Publish) -> OrderMadeOut:
    """A draft work order that publishes the drawing; run it as any other."""
    order = drawing.publish(
        context, key, asked.version, run_at=asked.run_at, prove=asked.prove, reason=asked.reason
    )
    return {"work_order": order.id, "no": order.no}


@resource.write("/drawings/{key}", May.CHANGE_ESTATE, method="DELETE", status_code=204)
def discard(context: RequestContext, key: str) -> Response:
    drawing.discard(context, key)
    return Response(status_code=204)


# ── who rings ──


@resource.read("/people/{key}/reachable")
def reachable(context: RequestContext, key: str, at: Moment | None = None) -> ReachableOut:
    """Which devices, mobiles and groups would ring for a person, and why the others not."""
    if at is not None and at.tzinfo is None:
        raise NotUnderstood("at is a moment with its offset.", field="at")
    found = path_reach.reachable(context, key, at)
    devices: list[ReachableDeviceOut] = [
        {"device": name, "would_ring": True, "reason": "registered"} for name in found.rings
    ]
    silent: list[ReachableDeviceOut] = [
        {"device": name, "would_ring": False, "reason": why} for name, why in found.silent
    ]
    return {
        "person": found.person.id,
        "at": moment(found.at),
        "reachable": bool(found.rings),
        "why_not": found.why_not,
        "devices": devices + silent,
        "may_pick_up": list(found.pickup),
        "groups": found.groups,
    }


@resource.read("/people/{key}/rung-by")
def rung_by(context: RequestContext, key: str) -> Page[RungByOut]:
    """The numbers that ring a person, and through what."""
    return {
        "items": [
            {"number": r.number.e164, "through": r.through}
            for r in path_reach.that_ring(context, key)
        ],
        "next": None,
    }


# ── open formats ──


@resource.file("/paths/{key}/path.json", May.LOOK, "application/json")
def as_json(context: RequestContext, key: str) -> Response:
    return Response(path_files.as_json(context, key), media_type="application/json")


@resource.file("/paths/{key}/path.cpl", May.LOOK, "application/cpl+xml")
def as_cpl(context: RequestContext, key: str) -> Response:
    return Response(path_files.as_cpl(context, key).data, media_type="application/cpl+xml")


@resource.read("/paths/{key}/cpl-report")
def cpl_report(context: RequestContext, key: str) -> CplReportOut:
    return {"items": path_files.as_cpl(context, key).report}


@resource.file("/paths/{key}/hours.ics", May.LOOK, "text/calendar")
def hours(context: RequestContext, key: str) -> Response:
    return Response(path_files.hours_calendar(context, key), media_type="text/calendar")


@resource.file("/enum.zone", May.LOOK, "text/dns")
def enum(context: RequestContext) -> Response:
    return Response(path_files.enum(context), media_type="text/dns")


@resource.write("/paths/read", May.CHANGE_ESTATE, status_code=201)
def bring_in(
    context: RequestContext,
    data: Annotated[
        bytes, Body(media_type="application/octet-stream", max_length=path_json.MOST_BYTES)
    ],
    name: str = "",
    site: str = "",
) -> PathReadOut:
    """A JSON or CPL file as a new drawing, with the report of what could not be read."""
    key, report = path_files.bring_in(context, data, name=name, site=site)
    return {"path": key, "report": report}


# ── sounds ──


@resource.read("/sounds")
def sound_shelf(context: RequestContext) -> Page[SoundOut]:
    return {"items": [_sound(s) for s in sounds.list_sounds(context)], "next": None}


def _sound(sound: sounds.Sound) -> SoundOut:
    return {
        "id": sound.id,
        "name": sound.name,
        "language": sound.language,
        "text": sound.text,
        "media": sound.media,
        "seconds": sound.seconds,
        "level": sound.level,
    }


@resource.write("/sounds", May.CHANGE_ESTATE, status_code=201)
def keep_sound(
    context: RequestContext,
    sound: Annotated[UploadFile, File()],
    name: Annotated[str, Form()],
    text: Annotated[str, Form()],
    language: Annotated[str, Form()] = "",
) -> SoundKeptOut:
    key, facts = sounds.keep_sound(
        context, name, language, text, sound.file.read(sounds.MOST_BYTES + 1)
    )
    return {
        "id": key,
        "media": facts.media,
        "seconds": facts.seconds,
        "level": facts.level,
        "cautions": list(facts.cautions),
    }


@resource.file("/sounds/{key}", May.LOOK, "audio/wav", "audio/mpeg", "audio/ogg")
def play(context: RequestContext, key: str) -> Response:
    sound, data = sounds.one(context, key)
    return Response(data, media_type=sound.media)


@resource.write("/sounds/{key}", May.CHANGE_ESTATE, method="DELETE", status_code=204)
def remove_sound(context: RequestContext, key: str) -> Response:
    sounds.remove(context, key)
    return Response(status_code=204)

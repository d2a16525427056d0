"""Questions to all call paths at once: the week of many numbers, who rings whom, what happens if;
and the sounds that are played."""

from datetime import datetime
from typing import Annotated, Any
from urllib.parse import quote, urlencode
from zoneinfo import ZoneInfo

from fastapi import Form, Request, UploadFile
from fastapi.responses import Response

from sedge.core.access.roles import May
from sedge.core.errors import NotUnderstood
from sedge.formats.sounds import MOST_BYTES
from sedge.services import people_lookup
from sedge.services.callpaths import calls, path_analysis, path_reach, sounds
from sedge.services.context import Context
from sedge.services.holders import site_management
from sedge.services.trunks import trunks as trunk_service
from sedge.web.routing import Place, RequestContext
from sedge.web.shared.drawings.weekmap import many_map
from sedge.web.shared.rendering import go, render

place = Place()
MOST_THEN = 200


@place.page("/paths/week", May.LOOK)
def week(request: Request, context: RequestContext, site: str = "", hour: str = "") -> Response:
    """What is unanswered when, over the numbers of a site or of all sites; which numbers it is in
    an hour (`2026-11-27T14`)."""
    many = path_analysis.week_of_many(context, site=site)
    sites = [(s.id, s.name) for s in site_management.plain_sites(context)]
    at = _hour(hour)
    found = many.unanswered_at(at.date(), at.hour) if at else []
    picture = many_map(
        many.days,
        many.numbers,
        lambda day, h: f"/paths/week?{urlencode({'site': site, 'hour': f'{day}T{h:02d}'})}#then",
        hour,
    )
    middle = quote(at.replace(minute=30, tzinfo=ZoneInfo(many.timezone)).isoformat()) if at else ""
    return render(
        request,
        "week.html",
        many=many,
        picture=picture,
        sites=sites,
        site=site,
        at=at,
        middle=middle,
        then=found[:MOST_THEN],
        more=len(found) - MOST_THEN,
    )


def _hour(typed: str) -> datetime | None:
    try:
        # an hour on the clock of the week
        return datetime.strptime(typed, "%Y-%m-%dT%H") if typed else None  # noqa: DTZ007
    except ValueError as error:
        raise NotUnderstood("Type the hour as 2026-11-27T14.", field="hour") from error


@place.page("/paths/questions", May.LOOK)
def questions(
    request: Request,
    context: RequestContext,
    ask: str = "",
    person: str = "",
    number: str = "",
    trunk: str = "",
    site: str = "",
) -> Response:
    return render(
        request,
        "questions.html",
        answer=_answer(context, ask, person, number, trunk, site),
        **_choices(context),
        asked={
            "ask": ask,
            "person": person,
            "number": number,
            "trunk": trunk,
            "site": site,
        },
    )


def _choices(context: Context) -> dict[str, Any]:
    return {
        "sites": [(s.id, s.name) for s in site_management.plain_sites(context)],
        "trunks": [(t.id, t.name) for t in trunk_service.plain(context)],
    }


def _answer(
    context: Context, ask: str, person: str, number: str, trunk: str, site: str
) -> dict[str, Any] | None:
    match ask:
        case "rings":
            who = people_lookup.person_named(context, person)
            return {"rings": path_reach.that_ring(context, who.id), "who": who}
        case "names":
            e164 = calls.read_number(context, number)
            return {"names": path_reach.that_name(context, e164), "e164": e164}
        case "trunk" if trunk:
            return {"if": path_reach.what_if(context, "trunk", trunk)}
        case "site" if site:
            return {"if": path_reach.what_if(context, "site", site)}
        case "leaves":
            return {
                "if": path_reach.what_if(
                    context, "person", people_lookup.person_named(context, person).id
                )
            }
        case _:
            return None


# ── sounds ──


@place.page("/paths/sounds", May.LOOK)
def shelf(request: Request, context: RequestContext) -> Response:
    return render(request, "sounds.html", sounds=sounds.list_sounds(context))


@place.action("/paths/sounds", May.CHANGE_ESTATE)
def keep_question(
    request: Request,
    context: RequestContext,
    sound: UploadFile,
    name: Annotated[str, Form()] = "",
    language: Annotated[str, Form()] = "",
    text: Annotated[str, Form()] = "",
) -> Response:
    if sound.size is not None and sound.size > MOST_BYTES:
        raise NotUnderstood(
            f"The file has more than {MOST_BYTES // 1_000_000} MB; a greeting needs less than one.",
            field="sound",
            reason="too-big",
        )
    key, _facts = sounds.keep_sound(context, name, language, text, sound.file.read(MOST_BYTES + 1))
    return go(request, f"/paths/sounds?kept={key}#{key}")


@place.action("/paths/sounds/{key}/remove", May.CHANGE_ESTATE)
def remove(request: Request, context: RequestContext, key: str) -> Response:
    sounds.remove(context, key)
    return go(request, "/paths/sounds")


@place.page("/paths/sounds/{key}/sound", May.LOOK)
def play(request: Request, context: RequestContext, key: str) -> Response:
    sound, data = sounds.one(context, key)
    return Response(
        data,
        media_type=sound.media,
        headers={"Content-Disposition": "inline", "X-Content-Type-Options": "nosniff"},
    )

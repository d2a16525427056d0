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
from sedge.services.callpaths import calls, path_analysis, path_reach, sounds
from sedge.services.context import Desk
from sedge.services.holders import holders, site_management
from sedge.services.trunks import trunks as trunk_desk
from sedge.web.routing import AtDesk, Place
from sedge.web.shared.drawings.weekmap import many_map
from sedge.web.shared.rendering import draw, go

place = Place()
MOST_THEN = 200


@place.page("/paths/week", May.LOOK)
def week(request: Request, desk: AtDesk, site: str = "", hour: str = "") -> Response:
    """What is unanswered when, over the numbers of a site or of all sites; which numbers it is in
    an hour (`2026-11-27T14`)."""
    many = path_analysis.week_of_many(desk, site=site)
    sites = [(s.id, s.name) for s in site_management.plain_sites(desk)]
    at = _hour(hour)
    found = many.unanswered_at(at.date(), at.hour) if at else []
    picture = many_map(
        many.days,
        many.numbers,
        lambda day, h: f"/paths/week?{urlencode({'site': site, 'hour': f'{day}T{h:02d}'})}#then",
        hour,
    )
    middle = quote(at.replace(minute=30, tzinfo=ZoneInfo(many.timezone)).isoformat()) if at else ""
    return draw(
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
    desk: AtDesk,
    ask: str = "",
    person: str = "",
    number: str = "",
    trunk: str = "",
    site: str = "",
) -> Response:
    return draw(
        request,
        "questions.html",
        answer=_answer(desk, ask, person, number, trunk, site),
        **_choices(desk),
        asked={
            "ask": ask,
            "person": person,
            "number": number,
            "trunk": trunk,
            "site": site,
        },
    )


def _choices(desk: Desk) -> dict[str, Any]:
    return {
        "sites": [(s.id, s.name) for s in site_management.plain_sites(desk)],
        "trunks": [(t.id, t.name) for t in trunk_desk.plain(desk)],
    }


def _answer(
    desk: Desk, ask: str, person: str, number: str, trunk: str, site: str
) -> dict[str, Any] | None:
    match ask:
        case "rings":
            who = holders.person_named(desk, person)
            return {"rings": path_reach.that_ring(desk, who.id), "who": who}
        case "names":
            e164 = calls.read_number(desk, number)
            return {"names": path_reach.that_name(desk, e164), "e164": e164}
        case "trunk" if trunk:
            return {"if": path_reach.what_if(desk, "trunk", trunk)}
        case "site" if site:
            return {"if": path_reach.what_if(desk, "site", site)}
        case "leaves":
            return {"if": path_reach.what_if(desk, "person", holders.person_named(desk, person).id)}
        case _:
            return None


# ── sounds ──


@place.page("/paths/sounds", May.LOOK)
def shelf(request: Request, desk: AtDesk) -> Response:
    return draw(request, "sounds.html", sounds=sounds.list_sounds(desk))


@place.action("/paths/sounds", May.CHANGE_ESTATE)
def keep(
    request: Request,
    desk: AtDesk,
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
    key, _facts = sounds.keep_sound(desk, name, language, text, sound.file.read(MOST_BYTES + 1))
    return go(request, f"/paths/sounds?kept={key}#{key}")


@place.action("/paths/sounds/{key}/remove", May.CHANGE_ESTATE)
def remove(request: Request, desk: AtDesk, key: str) -> Response:
    sounds.remove(desk, key)
    return go(request, "/paths/sounds")


@place.page("/paths/sounds/{key}/sound", May.LOOK)
def play(request: Request, desk: AtDesk, key: str) -> Response:
    sound, data = sounds.one(desk, key)
    return Response(
        data,
        media_type=sound.media,
        headers={"Content-Disposition": "inline", "X-Content-Type-Options": "nosniff"},
    )

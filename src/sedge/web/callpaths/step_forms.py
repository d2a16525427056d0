"""The form of a step: typed fields read into what the step shall be. Each refusal names its
field."""

import re
from collections.abc import Iterator, Mapping
from datetime import date
from typing import Any

from starlette.datastructures import FormData

from sedge.core.callpaths.menu_keys import menu_keys
from sedge.core.callpaths.steps import (
    Announce,
    Forward,
    Hours,
    Mailbox,
    Menu,
    OtherPath,
    Queue,
    Ring,
    SipAddress,
    Step,
    known_zone,
)
from sedge.core.errors import NotUnderstood
from sedge.core.moments import read_time_of_day
from sedge.core.numbers.e164 import read_one

MOST_ROWS = 24
LONG = 2000


def exits(form: FormData) -> Iterator[tuple[str, str]]:
    """Where the form lets each exit lead, as (exit, step); '' where nowhere. A menu's keys say it
    beside what they stand for."""
    for name, value in form.multi_items():
        if name.startswith("exit:"):
            yield name.removeprefix("exit:"), str(value)
        elif name.startswith("lead") and (key := str(form.get(f"key{name[4:]}", "")).strip()):
            yield key, str(value)


def read(step: Step, form: FormData, *, home: str) -> dict[str, Any]:
    """The fields of a step from its form. Raises NotUnderstood naming the field."""
    texts = {key: str(value).strip() for key, value in form.multi_items() if isinstance(value, str)}
    title = texts.get("title", "")[:60]
    if not title:
        raise NotUnderstood("Give the step a name.", field="title")
    fields: dict[str, Any] = {"title": title}
    match step:
        case Hours():
            return fields | _hours(form, texts)
        case Menu():
            return fields | _said(texts, "greeting") | _menu(form, texts)
        case Ring():
            return fields | _named(form) | _connecting(texts) | _ring(form, texts, home)
        case Queue():
            return fields | _named(form) | _connecting(texts) | _queue(texts)
        case Announce():
            return fields | _said(texts, "text")
        case Mailbox():
            return (
                fields
                | _said(texts, "greeting")
                | {
                    "recipients": _chosen(form, "recipients"),
                    "groups": _chosen(form, "groups"),
                }
            )
        case Forward():
            to = read_one(texts["to"], home, field="to") if texts.get("to") else ""
            return (
                fields
                | _connecting(texts)
                | {
                    "to": to,
                    "seconds": _whole(texts, "seconds", 5, 300),
                }
            )
        case SipAddress():
            address = texts.get("address", "")[:200]
            return fields | {
                "address": address,
                "seconds": _whole(texts, "seconds", 5, 300),
                "shown": texts.get("shown", "caller"),
            }
        case OtherPath():
            return fields | {"path": texts.get("path", "")[:80]}
        case _:
            return fields


def _hours(form: FormData, texts: Mapping[str, str]) -> dict[str, object]:
    openings = [o for i in range(1, MOST_ROWS) if (o := opening_of(form, texts, i))]
    closures = [c for i in range(1, MOST_ROWS) if (c := _closure(texts, i))]
    return {
        "timezone": texts.get("timezone", ""),
        "openings": openings,
        "closures": closures,
        "holidays_of": texts.get("holidays_of", "")[:12],
    }


def opening_of(form: FormData, texts: Mapping[str, str], i: int) -> dict[str, object] | None:
    days = sorted({int(str(d)) for d in form.getlist(f"days{i}") if str(d) in set("0123456")})
    start, end = texts.get(f"from{i}", ""), texts.get(f"to{i}", "")
    if not days and not start and not end:
        return None
    if not days:
        raise NotUnderstood("Say on which days, or leave the hours empty.", field=f"from{i}")
    opens, closes = read_time_of_day(start, f"from{i}"), read_time_of_day(end, f"to{i}")
    return {"weekdays": days, "start": opens, "end": closes}


def _closure(texts: Mapping[str, str], i: int) -> dict[str, object] | None:
    first = texts.get(f"closed{i}", "")
    if not first:
        return None
    begins = _day(first, f"closed{i}")
    ends = _day(texts.get(f"until{i}", "") or first, f"closed{i}")
    yearly = bool(texts.get(f"yearly{i}"))
    if ends < begins and not yearly:
        raise NotUnderstood("It ends before it begins.", field=f"until{i}")
    return {
        "first": begins,
        "last": ends,
        "name": texts.get(f"because{i}", "")[:80] or "closed",
        "yearly": yearly,
    }


def _said(texts: Mapping[str, str], field: str) -> dict[str, object]:
    """The words of a step in its own language and in further ones, with the sounds that say
    them."""
    also = [
        {
            "language": texts.get(f"language{i}", "")[:6],
            "text": texts[f"text{i}"][:LONG],
            "sound": texts.get(f"sound{i}", ""),
        }
        for i in range(1, 4)
        if texts.get(f"text{i}")
    ]
    return {
        field: texts.get(field, "")[:LONG],
        "language": texts.get("language", "")[:6],
        "sound": texts.get("sound", ""),
        "also": also,
    }


def _menu(form: FormData, texts: Mapping[str, str]) -> dict[str, object]:
    typed = (
        (texts.get(f"key{i}", ""), texts.get(f"word{i}", "")[:60], f"key{i}") for i in range(1, 15)
    )
    keys = menu_keys(row for row in typed if row[0] or row[1])
    return {
        "keys": keys,
        "spoken": bool(texts.get("spoken")),
        "extensions": bool(texts.get("extensions")),
        "wait_seconds": _whole(texts, "wait_seconds", 1, 60),
        "repeats": _whole(texts, "repeats", 1, 5),
    }


def _named(form: FormData) -> dict[str, object]:
    """Whom a step rings. People come in the order of their places (`place:ID`), those without one
    after them."""
    people = _chosen(form, "people")
    place = {
        key: int(value)
        for key in people
        if (value := str(form.get(f"place:{key}", ""))).isdigit() and len(value) < 4
    }
    return {
        "people": sorted(people, key=lambda key: place.get(key, 1000)),
        "groups": _chosen(form, "groups"),
    }


def _ring(form: FormData, texts: Mapping[str, str], home: str) -> dict[str, object]:
    typed = [x.strip() for x in re.split(r"[,;\n]", texts.get("mobiles", "")) if x.strip()]
    return {
        "rota": _rota(texts) if texts.get("order") == "by rota" else None,
        "devices": _chosen(form, "devices"),
        "systems": _chosen(form, "systems"),
        "order": texts.get("order", "all"),
        "mobiles": [read_one(m, home, field="mobiles") for m in typed[:20]],
        "seconds": _whole(texts, "seconds", 5, 300),
    }


def _rota(texts: Mapping[str, str]) -> dict[str, object]:
    change = read_time_of_day(texts.get("rota_change", "") or "08:00", "rota_change")
    try:
        timezone = known_zone(texts.get("rota_timezone", ""))
    except ValueError as error:
        raise NotUnderstood(f"{str(error).capitalize()}.", field="rota_timezone") from error
    swaps = []
    for i in range(1, MOST_ROWS):
        if person := texts.get(f"swap{i}", ""):
            first = _day(texts.get(f"swap_from{i}", ""), f"swap_from{i}")
            last = _day(
                texts.get(f"swap_to{i}", "") or texts.get(f"swap_from{i}", ""), f"swap_to{i}"
            )
            if last < first:
                raise NotUnderstood("It ends before it begins.", field=f"swap_to{i}")
            swaps.append({"first": first, "last": last, "person": person[:40]})
    return {
        "begins": _day(texts.get("rota_begins", ""), "rota_begins"),
        "days": _whole(texts, "rota_days", 1, 92),
        "change": change,
        "timezone": timezone,
        "swaps": swaps,
    }


def _day(typed: str, field: str) -> date:
    try:
        return date.fromisoformat(typed)
    except ValueError as error:
        raise NotUnderstood(
            "Type the day as 2026-12-24; there has to be such a day.", field=field
        ) from error


def _queue(texts: Mapping[str, str]) -> dict[str, object]:
    return {
        "order": texts.get("order", "in order"),
        "ring_seconds": _whole(texts, "ring_seconds", 5, 120),
        "most_waiting": _whole(texts, "most_waiting", 0, 500),
        "longest_wait": _whole(texts, "longest_wait", 10, 7200),
        "callback": bool(texts.get("callback")),
    }


def _connecting(texts: Mapping[str, str]) -> dict[str, object]:
    """What is heard and seen when the call is put through."""
    recording = None
    if texts.get("record"):
        recording = {
            "announcement": texts.get("announcement", "")[:LONG],
            "keep_days": _whole(texts, "keep_days", 1, 3650),
        }
    return {
        "shown": texts.get("shown", "caller"),
        "music": bool(texts.get("music")),
        "to_callee": texts.get("to_callee", "")[:300],
        "recording": recording,
    }


def _whole(texts: Mapping[str, str], field: str, least: int, most: int) -> int:
    value = texts.get(field, "")
    if not value.isdigit() or not least <= int(value) <= most:
        raise NotUnderstood(f"A whole number from {least} to {most}.", field=field)
    return int(value)


def _chosen(form: FormData, name: str) -> list[str]:
    return list(dict.fromkeys(str(value)[:80] for value in form.getlist(name) if str(value)))[:200]

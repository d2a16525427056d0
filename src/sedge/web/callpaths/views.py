"""What the pages of Call paths show, and how their forms are read."""

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import UTC, date, datetime, timedelta
from typing import Any, NamedTuple
from urllib.parse import urlencode
from zoneinfo import ZoneInfo

from markupsafe import Markup
from starlette.datastructures import FormData

from sedge.core.callpaths.patterns import GROUP, MOST_CHOICES, WAYS, Choice, DeskForm
from sedge.core.callpaths.steps import Closure, Opening, Path, Queue
from sedge.core.callpaths.tracing.endings import WayToEnd
from sedge.core.callpaths.tracing.week import Part
from sedge.core.callpaths.tracing.world import EndingKind, World
from sedge.core.errors import NotUnderstood
from sedge.core.moments import local_moment, read_time_of_day
from sedge.core.records import PathVersion
from sedge.core.spend.step_use import StepUse
from sedge.services.callpaths.calls import Followed
from sedge.services.callpaths.path_analysis import Analysis
from sedge.services.callpaths.paths import FormFacts, PathView
from sedge.services.callpaths.paths_now import PathNow
from sedge.web.callpaths.drawing_views import outlined
from sedge.web.callpaths.phrases import DAYS, more_words
from sedge.web.shared.drawings.pathmap import Shown, drawn, thumbnail
from sedge.web.shared.drawings.weekmap import grades_in, legend, week_map
from sedge.web.shared.picking import Option, group_options, person_options

OPENING_ROWS, CLOSURE_ROWS = 3, 2
WELL = {EndingKind.ANSWERED, EndingKind.MAILBOX, EndingKind.ANNOUNCED, EndingKind.FORWARDED}


# ── following a call ──


@dataclass(frozen=True)
class Asked:
    """What was typed beside the picture."""

    at: str
    caller: str
    presses: str
    busy: str
    waiting: str
    nobody: bool
    down: bool
    choices: str | None = None
    drawn: bool = False

    def made(self) -> tuple[str, ...] | None:
        """The choices made one by one; None where the world is set beforehand."""
        return None if self.choices is None else tuple(c for c in self.choices.split("~") if c)

    def address(self, **changes: str) -> str:
        """The same call with something otherwise, as a query."""
        said = {
            "at": self.at,
            "caller": self.caller,
            "presses": self.presses,
            "busy": self.busy,
            "waiting": self.waiting,
            "nobody": "1" if self.nobody else "",
            "down": "1" if self.down else "",
            "drawn": "1" if self.drawn else "",
        }
        if self.choices is not None:
            said["step_by_step"], said["choices"] = "1", self.choices
        return urlencode(
            {key: value for key, value in {**said, **changes}.items() if value or key == "caller"}
        )


def world_of(asked: Asked, path: Path, trunk: str | None) -> World:
    """How the world behaves in the call that is asked for. Raises NotUnderstood."""
    if asked.waiting and not (asked.waiting.isdigit() and len(asked.waiting) <= 4):
        raise NotUnderstood("How many wait is a whole number.", field="waiting")
    queues = [key for key, step in path.steps.items() if isinstance(step, Queue)]
    return World(
        presses=tuple(asked.presses.replace(",", " ").split())[:20],
        nobody_answers=asked.nobody,
        busy=(asked.busy,) if asked.busy else (),
        queue={key: int(asked.waiting or 0) for key in queues},
        trunks_down=(trunk,) if asked.down and trunk else (),
        choices=asked.made(),
    )


def moment_of(text: str, zone: ZoneInfo, now: datetime) -> datetime:
    """A typed moment, local where it has no offset, or now; the running minute is now, to the
    second. Raises NotUnderstood."""
    if not text:
        return now
    try:
        typed = datetime.fromisoformat(text)
    except ValueError as error:
        raise NotUnderstood("Type the moment as 2026-03-12T11:20.", field="at") from error
    moment = local_moment(typed, zone, now, "at")
    # in UTC: moments of the hour that comes twice equal none of another zone (PEP 495)
    running = now.astimezone(UTC).replace(second=0, microsecond=0)
    return now if moment.astimezone(UTC) == running else moment


def tone_of(call: Followed) -> str:
    if call.trace.ending.kind is EndingKind.OPEN:
        return ""
    return "good" if call.trace.ending.kind in WELL else "stop"


@dataclass(frozen=True)
class OptionButton:
    words: str
    address: str


@dataclass(frozen=True)
class FollowPage:
    """A followed call: its picture, what can be chosen next, its week with a link to each hour."""

    call: Followed
    asked: Asked
    number: str
    picture: Markup
    week: Markup
    legend: Markup
    tone: str
    agents: list[tuple[str, str]]
    options: list[OptionButton]
    back: str
    by_step: str
    by_world: str
    earlier: str
    later: str


def follow_page(call: Followed, asked: Asked, number: str, moment: datetime) -> FollowPage:
    base = f"/numbers/{number}/follow"
    zone = ZoneInfo(call.site.timezone)
    shown = replace(asked, at=moment.astimezone(zone).strftime("%Y-%m-%dT%H:%M"))
    last = call.trace.happenings[-1].step if call.trace.happenings else ""
    drawn_path, way = call.path, tuple(call.trace.way)
    picture = drawn(
        drawn_path,
        call.names,
        Shown(
            way,
            last if last in drawn_path.steps else "",
            (call.number.shown, f"from {asked.caller or 'a caller'}"),
        ),
    )
    made = shown.made() or ()
    options = [
        OptionButton(
            o.words,
            f"{base}?{shown.address(choices='~'.join((*made, o.choice)), step_by_step='1')}",
        )
        for o in call.trace.options
    ]

    def link(part: Part) -> str:
        return f"{base}?{shown.address(at=part.start.astimezone(zone).strftime('%Y-%m-%dT%H:%M'))}"

    selected = next(
        (
            link(p)
            for day in call.week.days
            for cell in day.cells
            for p in cell.parts
            if p.start <= moment < p.end
        ),
        "",
    )

    def week_off(days: int) -> str:
        at = (moment.astimezone(zone) + timedelta(days=days)).strftime("%Y-%m-%dT%H:%M")
        return f"{base}?{shown.address(at=at)}"

    return FollowPage(
        call,
        shown,
        number,
        picture,
        week_map(call.week, link, selected=selected),
        legend(grades_in(call.week)),
        tone_of(call),
        [(p.id, p.name) for p in call.agents],
        options,
        f"{base}?{shown.address(choices='~'.join(made[:-1]), step_by_step='1')}" if made else "",
        f"{base}?{replace(shown, choices='').address()}",
        f"{base}?{replace(shown, choices=None).address()}",
        week_off(-7),
        week_off(7),
    )


# ── the list of call paths ──


@dataclass(frozen=True)
class PathRow:
    """A path with a call that comes in now: `now` in words, `sign` whether somebody gets it."""

    version: PathVersion
    picture: Markup
    now: str
    seconds: int | None
    sign: str


def path_rows(found: list[PathNow]) -> list[PathRow]:
    return [_path_row(one) for one in found]


def _path_row(one: PathNow) -> PathRow:
    trace = one.trace
    if trace is None:
        words = "no number to call" if one.followed else "not followed in so long a list"
        return PathRow(one.version, thumbnail(one.path), words, None, "")
    return PathRow(
        one.version,
        thumbnail(one.path, trace.way, trace.ending.step),
        trace.ending.reason,
        trace.seconds,
        "good" if trace.ending.kind in WELL else "wrong",
    )


# ── the page of a call path ──


@dataclass(frozen=True)
class EndedRow:
    """One way to end, with the address of a call that ends so."""

    words: str
    kind: str
    who: str
    seconds: int
    address: str
    bad: bool


@dataclass(frozen=True)
class PathPage:
    view: PathView
    analysis: Analysis
    picture: Markup
    week: Markup
    legend: Markup
    ended: list[EndedRow]
    versions: list[tuple[int, datetime]]
    outline: list[Any]
    follow: str
    drawing: bool

    @property
    def has_hours(self) -> bool:
        return any(step.kind == "hours" for step in self.view.path.steps.values())


def path_page(
    view: PathView,
    analysis: Analysis,
    versions: list[tuple[int, datetime]],
    use: Sequence[StepUse],
    *,
    drawing: bool,
) -> PathPage:
    number = view.numbers[0] if view.numbers else None
    follow = f"/numbers/{number.e164[1:]}/follow" if number else ""
    zone = ZoneInfo(analysis.site.timezone)

    def at(moment: datetime) -> str:
        return moment.astimezone(zone).strftime("%Y-%m-%dT%H:%M")

    def same_call(way: WayToEnd) -> str:
        return urlencode({"at": at(way.at), "step_by_step": "1", "choices": "~".join(way.choices)})

    def link(part: Part) -> str:
        return f"{follow}?{urlencode({'at': at(part.start)})}" if follow else f"#{part.start:%a%H}"

    marks = {key: f.level.value for f in analysis.findings for key in f.steps}
    above = (number.shown if number else "no number yet", more_words(len(view.numbers)))
    shown = Shown(above=above, marks=marks, use={step.step: step for step in use})
    ended = [
        EndedRow(
            e.words,
            e.way.kind.value,
            ", ".join(e.way.who[:4])
            + (f" and {len(e.way.who) - 4} more" if len(e.way.who) > 4 else ""),
            e.trace.seconds,
            f"{follow}?{same_call(e.way)}" if follow and len(e.way.choices) < 40 else "",
            e.way.kind not in WELL and e.way.in_hours,
        )
        for e in analysis.ended
    ]
    words = outlined(view.path, view.names, f"/paths/{view.published.id}", {})
    return PathPage(
        view,
        analysis,
        drawn(view.path, view.names, shown),
        week_map(analysis.week, link),
        legend(grades_in(analysis.week)),
        ended,
        versions,
        words,
        follow,
        drawing,
    )


# ── the form of a call path ──


class Day(NamedTuple):
    value: str
    words: str
    on: bool


@dataclass(frozen=True)
class OpeningRow:
    no: int
    days: list[Day]
    start: str
    end: str


@dataclass(frozen=True)
class ClosureRow:
    no: int
    first: str
    last: str
    name: str


@dataclass(frozen=True)
class ChoiceRow:
    no: int
    key: str
    word: str
    way: str
    people: tuple[str, ...]


@dataclass(frozen=True)
class PathForm:
    """The form of a call path, filled with what is known."""

    title: str
    key: str
    name: str
    action: str
    back: str
    site: str
    site_name: str
    timezone: str
    sites: list[tuple[str, str]]
    who: list[Option]
    needs_more: bool
    openings: list[OpeningRow]
    closures: list[ClosureRow]
    holiday_places: tuple[tuple[str, str], ...]
    holidays_of: str
    greeting: str
    choices: list[ChoiceRow]
    ways: list[tuple[str, str]]
    recipients: tuple[str, ...]


def path_form(facts: FormFacts, sites: list[tuple[str, str]]) -> PathForm:
    known = facts.form
    key = facts.published.id if facts.published else ""
    openings = list(known.openings) if known else []
    closures = list(known.closures) if known else []
    choices = list(known.choices) if known else []
    return PathForm(
        title=f"Change {facts.published.name}" if facts.published else "New call path",
        key=key,
        name=facts.published.name if facts.published else "",
        action=f"/paths/{key}/change" if key else "/paths/new",
        back=f"/paths/{key}" if key else "/paths",
        site=facts.site.id,
        site_name=facts.site.name,
        timezone=known.timezone if known else facts.site.timezone,
        sites=sites,
        who=[
            *((GROUP + key, name, size, "") for key, name, size, _ in group_options(facts.groups)),
            *person_options(facts.people),
        ],
        needs_more=facts.published is not None and known is None,
        openings=[_opening_row(i, openings) for i in range(max(OPENING_ROWS, len(openings)))],
        closures=[_closure_row(i, closures) for i in range(max(CLOSURE_ROWS, len(closures)))],
        holiday_places=facts.holiday_places,
        holidays_of=known.holidays_of if known else "",
        greeting=known.greeting if known else "",
        choices=[_choice_row(i, choices) for i in range(MOST_CHOICES)],
        ways=[(way, way) for way in WAYS],
        recipients=known.recipients if known else (),
    )


def _opening_row(i: int, openings: list[Opening]) -> OpeningRow:
    row = openings[i] if i < len(openings) else None
    days = [
        Day(str(n), words, row is not None and n in row.weekdays) for n, words in enumerate(DAYS)
    ]
    return OpeningRow(i + 1, days, row.start if row else "", row.end if row else "")


def _closure_row(i: int, closures: list[Closure]) -> ClosureRow:
    row = closures[i] if i < len(closures) else None
    return (
        ClosureRow(i + 1, row.first.isoformat(), row.last.isoformat(), row.name)
        if row
        else ClosureRow(i + 1, "", "", "")
    )


def _choice_row(i: int, choices: list[Choice]) -> ChoiceRow:
    row = choices[i] if i < len(choices) else None
    return (
        ChoiceRow(i + 1, row.key, row.word, row.way, row.people)
        if row
        else ChoiceRow(i + 1, str(i + 1), "", WAYS[0], ())
    )


def read_form(form: FormData, timezone: str) -> DeskForm:
    """The filled-in form. Raises NotUnderstood naming the field."""
    texts = {key: str(value).strip() for key, value in form.multi_items()}
    rows = sorted(
        {
            int(m.group(1))
            for key in texts
            if (m := re.fullmatch(r"(?:word|people|from|closed)(\d{1,2})", key))
        }
    )
    return DeskForm(
        timezone=timezone,
        openings=tuple(o for i in rows if (o := _opening(form, texts, i))),
        closures=tuple(c for i in rows if (c := _closure(texts, i))),
        holidays_of=texts.get("holidays", "")[:12],
        greeting=texts.get("greeting", "")[:600],
        choices=tuple(c for i in rows if (c := _choice(form, texts, i))),
        recipients=_chosen(form, "recipients"),
    )


def _opening(form: FormData, texts: Mapping[str, str], i: int) -> Opening | None:
    days = tuple(
        sorted({int(str(d)) for d in form.getlist(f"days{i}") if str(d) in set("0123456")})
    )
    start, end = texts.get(f"from{i}", ""), texts.get(f"to{i}", "")
    if not days and not start and not end:
        return None
    if not days:
        raise NotUnderstood("Say on which days, or leave the hours empty.", field=f"days{i}")
    start, end = read_time_of_day(start, f"from{i}"), read_time_of_day(end, f"to{i}")
    if start >= end:
        raise NotUnderstood(
            "It closes before it opens. For a night, make two rows, until 24:00 and from 00:00.",
            field=f"to{i}",
        )
    return Opening(weekdays=days, start=start, end=end)


def _closure(texts: Mapping[str, str], i: int) -> Closure | None:
    first = texts.get(f"closed{i}", "")
    if not first:
        return None
    try:
        begins = date.fromisoformat(first)
        ends = date.fromisoformat(texts.get(f"until{i}", "") or first)
    except ValueError as error:
        raise NotUnderstood("Type the day as 2026-12-24.", field=f"closed{i}") from error
    if ends < begins:
        raise NotUnderstood("It ends before it begins.", field=f"until{i}")
    return Closure(first=begins, last=ends, name=texts.get(f"because{i}", "")[:80] or "closed")


def _choice(form: FormData, texts: Mapping[str, str], i: int) -> Choice | None:
    word, people = texts.get(f"word{i}", "")[:60], _chosen(form, f"people{i}")
    if not word and not people:
        return None
    way = texts.get(f"way{i}", "")
    key = texts.get(f"key{i}", str(i))
    return Choice(
        key=key if re.fullmatch(r"[0-9*#]", key) else str(i),
        word=word,
        people=people,
        way=way if way in WAYS else WAYS[0],
    )


def _chosen(form: FormData, name: str) -> tuple[str, ...]:
    return tuple(dict.fromkeys(str(value)[:80] for value in form.getlist(name) if str(value)))[:50]

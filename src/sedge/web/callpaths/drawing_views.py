"""What the pages of a drawing show: the picture with its marks, the form of the chosen step, the
outline, two versions compared."""

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime
from typing import Any
from urllib.parse import quote, urlencode

from markupsafe import Markup

from sedge.core.callpaths.editing import KINDS, exits_of
from sedge.core.callpaths.openings import zone
from sedge.core.callpaths.rota import coming
from sedge.core.callpaths.steps import (
    EXITS,
    Closure,
    Hours,
    Mailbox,
    Menu,
    Opening,
    Path,
    Queue,
    Ring,
    Rota,
    Saying,
    Shown,
    Step,
)
from sedge.core.records import Number
from sedge.core.workorders.findings import Finding, Level
from sedge.services.callpaths.drawing import Compared, Drawing
from sedge.services.callpaths.path_choices import Choices
from sedge.web.callpaths.phrases import DAYS, more_words
from sedge.web.shared.drawings import pathmap
from sedge.web.shared.drawings.pathmap import describe_step, drawn

SPARE = {"openings": 1, "closures": 1, "keys": 1, "also": 1}
SHOWN = [
    (Shown.CALLER.value, "who calls"),
    (Shown.CALLED.value, "the number that was called"),
    (Shown.LINE.value, "the line's name with who calls"),
    (Shown.WITHHELD.value, "nothing"),
]
KIND_WORDS = {
    "hours": "open, closed or a holiday",
    "menu": "the caller presses a key or says a word",
    "ring": "people, groups, devices",
    "queue": "callers wait for an agent",
    "announce": "says something",
    "mailbox": "takes a message",
    "forward": "to a number outside",
    "sip": "to a SIP address",
    "path": "goes on in another path",
    "end": "the call ends",
}


@dataclass(frozen=True)
class ExitRow:
    """`to` is the step an exit leads to, '' for nowhere."""

    name: str
    to: str
    add: str


@dataclass(frozen=True)
class Outlined:
    """A step in the outline: its key, what it is and does in full, its exits, what is wrong with
    it."""

    key: str
    title: str
    kind: str
    words: list[str]
    exits: list[tuple[str, str, str]]
    findings: list[str]
    address: str
    is_first: bool


@dataclass(frozen=True)
class DrawingPage:
    """`form` has the rows of the chosen step's form; `adding` is the exit that a new step is wanted
    at."""

    drawing: Drawing
    key: str
    base: str
    picture: Markup
    step: Step | None
    step_key: str
    adding: str
    along: bool
    exits: list[ExitRow]
    targets: list[tuple[str, str]]
    branches: list[tuple[str, str]]
    form: Mapping[str, Any]
    choices: Choices
    findings: list[Finding]
    step_findings: list[str]
    outline: list[Outlined]
    as_outline: bool
    kinds: list[tuple[str, str, str]]
    shown: list[tuple[str, str]]
    selected_people: frozenset[str]
    is_first: bool

    @property
    def here(self) -> str:
        """The address of what is shown now."""
        said = {
            "step": self.step_key,
            "way_out": self.adding,
            "along": "1" if self.along else "",
            "outline": "1" if self.as_outline else "",
        }
        kept = {key: value for key, value in said.items() if value or key == "step"}
        return f"{self.base}?{urlencode(kept)}"

    @property
    def version(self) -> int:
        return self.drawing.draft.version


def drawing_page(
    drawing: Drawing,
    step: str,
    way_out: str,
    choices: Choices,
    *,
    outline: bool,
    along: bool = False,
) -> DrawingPage:
    draft = drawing.draft
    base = f"/paths/{quote(draft.path)}/draw"
    body = draft.body
    chosen = body.steps.get(step)
    adding = way_out if chosen and way_out in exits_of(chosen) else ""
    on_line = bool(along and chosen and chosen.exits.get(adding))
    marks = _marks(drawing.findings)
    shown = pathmap.Shown(
        above=_called_words(drawing),
        selected=step,
        marks=marks,
        link=pathmap.address_of(base),
        add=lambda key, name: f"{base}?step={quote(key)}&way_out={quote(name)}",
        label=f"Drawing of {draft.name}",
    )
    told = {key: [f.message for f in drawing.findings if key in f.steps] for key in body.steps}
    targets = [(key, s.title) for key, s in body.steps.items() if key != step]
    return DrawingPage(
        drawing,
        draft.path,
        base,
        drawn(body, drawing.names, shown),
        chosen,
        step if chosen else "",
        adding,
        on_line,
        _exit_rows(base, step, chosen),
        _told_apart(targets),
        _told_apart([t for t in targets if t[0] != body.first]),
        _form(chosen, drawing.estate.now, choices),
        choices,
        drawing.findings,
        told.get(step, []),
        outlined(body, drawing.names, base, told),
        outline,
        [(k, name, KIND_WORDS[k]) for k, name in KINDS.items() if EXITS[k] or not on_line],
        SHOWN,
        frozenset(_people(chosen)),
        step == body.first,
    )


def _called_words(drawing: Drawing) -> tuple[str, str]:
    users = [n for n in drawing.estate.all(Number) if n.path == drawing.draft.path]
    return (users[0].shown if users else "no number yet"), more_words(len(users))


def _marks(findings: list[Finding]) -> dict[str, str]:
    marks: dict[str, str] = {}
    for finding in findings:
        for key in finding.steps:
            if marks.get(key) != "stop":
                marks[key] = "stop" if finding.level is Level.STOP else "warn"
    return marks


def _exit_rows(base: str, key: str, step: Step | None) -> list[ExitRow]:
    if step is None:
        return []
    return [
        ExitRow(n, step.exits.get(n, ""), f"{base}?step={quote(key)}&way_out={quote(n)}")
        for n in exits_of(step)
    ]


def _told_apart(targets: list[tuple[str, str]]) -> list[tuple[str, str]]:
    """Titles that stand for several steps, with their keys."""
    titles = [title for _, title in targets]
    return [
        (key, title if titles.count(title) == 1 else f"{title} ({key})") for key, title in targets
    ]


def _people(step: Step | None) -> tuple[str, ...]:
    return tuple(getattr(step, "people", ())) + tuple(getattr(step, "recipients", ()))


def _rota(step: Ring, now: datetime, choices: Choices) -> dict[str, object]:
    """The fields of a rota, empty where there is none yet; who is on duty now and next."""
    rota = step.rota
    swaps = [*(rota.swaps if rota else ()), None]
    plain = step.people and not (step.groups or step.devices or step.mobiles or step.systems)
    duties = coming(rota, step.people, now) if rota and plain else []
    timezone = rota.timezone if rota else choices.site.timezone
    names = {p.id: p.name for p in choices.people}
    return {
        "begins": rota.begins.isoformat() if rota else "",
        "days": rota.days if rota else 7,
        "change": rota.change if rota else "08:00",
        "timezone": timezone,
        "swaps": [
            {
                "no": i,
                "first": s.first if s else "",
                "last": s.last if s else "",
                "person": s.person if s else "",
            }
            for i, s in enumerate(swaps, start=1)
        ],
        "coming": [
            (
                names.get(step.people[d.who], step.people[d.who]),
                f"{d.since.astimezone(zone(timezone)):%a %-d %b %H:%M}",
                d.swapped,
            )
            for d in duties
        ],
    }


def _form(step: Step | None, now: datetime, choices: Choices) -> dict[str, Any]:
    match step:
        case Hours():
            return {"openings": openings_rows(step.openings), "closures": _closures(step.closures)}
        case Menu():
            return {
                "keys": [*step.keys.items(), *[("", "")] * SPARE["keys"]],
                "also": _also(step.also),
            }
        case Ring():
            return {"also": _also(()), "rota": _rota(step, now, choices)}
        case None:
            return {}
        case _:
            return {"also": _also(getattr(step, "also", ()))}


def openings_rows(openings: tuple[Opening, ...]) -> list[dict[str, object]]:
    rows = [*openings, *[None] * SPARE["openings"]]
    return [
        {
            "no": i,
            "start": o.start if o else "",
            "end": o.end if o else "",
            "days": [
                (str(n), words, o is not None and n in o.weekdays) for n, words in enumerate(DAYS)
            ],
        }
        for i, o in enumerate(rows, start=1)
    ]


def _closures(closures: tuple[Closure, ...]) -> list[dict[str, object]]:
    rows = [*closures, *[None] * SPARE["closures"]]
    return [
        {
            "no": i,
            "first": c.first.isoformat() if c else "",
            "last": c.last.isoformat() if c else "",
            "name": c.name if c else "",
            "yearly": bool(c and c.yearly),
        }
        for i, c in enumerate(rows, start=1)
    ]


def _also(also: tuple[Saying, ...]) -> list[dict[str, object]]:
    rows = [*also, *[None] * SPARE["also"]][:3]
    return [
        {
            "no": i,
            "language": s.language if s else "",
            "text": s.text if s else "",
            "sound": s.sound if s else "",
        }
        for i, s in enumerate(rows, start=1)
    ]


# ── the outline ──


def outlined(
    path: Path, names: Mapping[str, str], base: str, told: Mapping[str, list[str]]
) -> list[Outlined]:
    """Every step in words, in the order in which calls come to them; as complete as the picture and
    the forms together."""
    order = _order(path)
    return [
        Outlined(
            key,
            path.steps[key].title,
            KINDS[path.steps[key].kind].lower(),
            in_full(path.steps[key], names),
            [
                (n, path.steps[to].title if (to := path.steps[key].exits.get(n)) else "", to or "")
                for n in exits_of(path.steps[key])
            ],
            list(told.get(key, [])),
            f"{base}?step={quote(key)}",
            key == path.first,
        )
        for key in order
    ]


def _rota_in_words(rota: Rota, names: Mapping[str, str]) -> list[str]:
    turn = (
        f"duty changes every {rota.days} days at {rota.change} ({rota.timezone}), from"
        f" {rota.begins}"
    )
    return [
        turn,
        *(f"{s.first} to {s.last}: {names.get(s.person, s.person)} instead" for s in rota.swaps),
    ]


def _order(path: Path) -> list[str]:
    seen: dict[str, None] = {}
    waiting = [path.first]
    while waiting:
        key = waiting.pop(0)
        if key not in seen:
            seen[key] = None
            waiting += [
                path.steps[key].exits[n]
                for n in exits_of(path.steps[key])
                if n in path.steps[key].exits
            ]
    return [*seen, *(k for k in path.steps if k not in seen)]


def in_full(step: Step, names: Mapping[str, str]) -> list[str]:
    """Everything a step is set to, a sentence each."""
    said = [describe_step(step, names)]
    match step:
        case Hours():
            said = [
                f"{', '.join(DAYS[d] for d in o.weekdays)}: {o.start} to {o.end}"
                for o in step.openings
            ] or ["never open"]
            said.append(
                f"time zone {step.timezone}"
                + (
                    f"; public holidays of {step.holidays_of}"
                    if step.holidays_of
                    else "; no public holidays"
                )
            )
            said += [
                f"closed {c.first} to {c.last}{', every year' if c.yearly else ''}: {c.name}"
                for c in step.closures
            ]
        case Menu():
            said += [f"key {key}: {word}" for key, word in step.keys.items()]
            said.append(
                f"waits {step.wait_seconds} s, {step.repeats} times"
                + ("; words may be spoken" if step.spoken else "")
            )
            said += ["extensions may be dialled"] if step.extensions else []
        case Ring():
            named = (*step.people, *step.groups, *step.devices, *step.mobiles, *step.systems)
            whom = ", ".join(names.get(x, x) for x in named) or "the holder"
            said = [f"rings {whom}, {step.order}, for {step.seconds} s"]
            said += _rota_in_words(step.rota, names) if step.rota else []
        case Queue():
            agents = (*step.people, *step.groups)
            said = [
                (
                    f"agents {', '.join(names.get(x, x) for x in agents) or 'the holder'},"
                    f" {step.order}, {step.ring_seconds} s each"
                ),
                f"at most {step.most_waiting} waiting, at most {step.longest_wait} s"
                + ("; 1 to be called back" if step.callback else ""),
            ]
        case Mailbox() if step.greeting:
            said.append(f"says “{step.greeting}”")
        case _:
            pass
    said += [
        f"also in {s.language or 'another language'}: “{s.text}”" for s in getattr(step, "also", ())
    ]
    if (shown := getattr(step, "shown", None)) is not None:
        said.append(
            f"the callee sees {dict(SHOWN)[shown.value]}"
            + ("; music while it rings" if getattr(step, "music", False) else "")
        )
    if to_callee := getattr(step, "to_callee", ""):
        said.append(f"the callee first hears “{to_callee}”")
    if recording := getattr(step, "recording", None):
        said.append(f"recorded after “{recording.announcement}”, kept {recording.keep_days} days")
    return said


# ── two versions ──


@dataclass(frozen=True)
class ComparePage:
    before: Markup
    after: Markup


def compare_page(compared: Compared, key: str) -> ComparePage:
    """The old version with what is gone, the new one with what is new and changed."""
    gone = {c.key: c.what for c in compared.difference.steps if c.what == "gone"}
    now = {c.key: c.what for c in compared.difference.steps if c.what != "gone"}
    before = pathmap.Shown(
        changes=gone,
        new_exits=frozenset(compared.difference.exits_gone),
        label=f"{compared.name}, {compared.old_words}",
    )
    after = pathmap.Shown(
        changes=now,
        new_exits=frozenset(compared.difference.exits),
        label=f"{compared.name}, {compared.new_words}",
    )
    return ComparePage(
        drawn(compared.old, compared.names, before), drawn(compared.new, compared.names, after)
    )

"""The course of a port as a line of stations: what is behind it, where it stands and on whom it
waits, what is still to come."""

from dataclasses import dataclass
from datetime import datetime, tzinfo

from markupsafe import Markup

from sedge.core.porting.records import Port, PortState

STEP, TOP, RADIUS, HIGH = 132, 34, 9, 92
STATIONS = (
    ("planned", "us", (PortState.DRAFT,)),
    ("signed", "the customer", (PortState.READY,)),
    (
        "with its carrier",
        "the losing carrier",
        (PortState.SUBMITTED, PortState.QUERIED, PortState.REJECTED),
    ),
    ("has its date", "the day", (PortState.ACCEPTED, PortState.DUE)),
    ("switched", "us", (PortState.ACTIVATED,)),
    ("proven", "us", (PortState.PROVEN, PortState.CLOSED)),
)
WAITS = {
    PortState.DRAFT: "waits for us: details and mandate",
    PortState.READY: "waits for us: submit it",
    PortState.SUBMITTED: "waits for the losing carrier",
    PortState.QUERIED: "waits for us: answer it",
    PortState.REJECTED: "waits for us: correct it",
    PortState.ACCEPTED: "waits for its day",
    PortState.DUE: "waits for us: switch it",
    PortState.ACTIVATED: "waits for us: test it",
    PortState.PROVEN: "",
    PortState.CLOSED: "",
    PortState.CANCELLED: "was cancelled; the numbers are where they were",
    PortState.BACKED_OUT: "was backed out of; the numbers are where they were",
}
HOW_FAR = {
    "done": "done",
    "here": "here now",
    "wrong": "stands here, something is wrong",
    "ahead": "to come",
}


@dataclass(frozen=True)
class Station:
    name: str
    when: str
    kind: str


def stations(port: Port, zone: tzinfo) -> list[Station]:
    """`kind` is done, here, wrong or ahead; `when` a day, where there is one."""
    at = next(
        (i for i, (_, _, states) in enumerate(STATIONS) if port.state in states), len(STATIONS) - 1
    )
    over = not port.is_open and port.state is not PortState.CLOSED
    found = []
    for i, (name, _, _) in enumerate(STATIONS):
        here = "wrong" if port.state in {PortState.REJECTED, PortState.QUERIED} or over else "here"
        kind = "done" if i < at or port.state is PortState.CLOSED else here if i == at else "ahead"
        found.append(Station(name, _when(port, i, zone), kind))
    return found


def _when(port: Port, i: int, zone: tzinfo) -> str:
    moments: dict[int, datetime | None] = {2: port.submitted_at, 3: port.foc}
    if i == 2 and port.state is PortState.SUBMITTED and port.answer_due:
        return f"answer by {_day(port.answer_due, zone)}"
    moment = moments.get(i)
    return _day(moment, zone) if moment else ""


def _day(moment: datetime, zone: tzinfo) -> str:
    return f"{moment.astimezone(zone):%a %-d %b %H:%M}"


def course(port: Port, zone: tzinfo) -> Markup:
    found = stations(port, zone)
    width = STEP * len(found)
    out = Markup('<line class="course-rail" x1="{}" y1="{}" x2="{}" y2="{}"/>').format(
        STEP / 2, TOP, width - STEP / 2, TOP
    )
    for i, s in enumerate(found):
        x = STEP * i + STEP / 2
        out += Markup(
            '<g class="course-stop is-{}"><circle cx="{}" cy="{}" r="{}"/>{}<text x="{}" y="{}"'
            ' text-anchor="middle">{}</text>'
        ).format(s.kind, x, TOP, RADIUS, _mark(s.kind, x), x, TOP + 28, s.name)
        out += Markup(
            '<text class="course-when" x="{}" y="{}" text-anchor="middle">{}</text></g>'
        ).format(x, TOP + 46, s.when)
    told = "; ".join(f"{s.name}: {HOW_FAR[s.kind]}" for s in found)
    return Markup(
        '<svg class="course" viewBox="0 0 {} {}" width="{}" height="{}" role="img"'
        ' aria-label="{}">{}</svg>'
    ).format(width, HIGH, width, HIGH, f"{told}. {WAITS[port.state]}", out)


def _mark(kind: str, x: float) -> Markup:
    """A tick for what is done, a dot for where it stands, a cross where something is wrong: told
    apart without colour."""
    match kind:
        case "done":
            return Markup('<path class="course-mark" d="M{:.1f} {}l3 3l5 -6"/>').format(x - 4, TOP)
        case "here":
            return Markup('<circle class="course-dot" cx="{}" cy="{}" r="3.5"/>').format(x, TOP)
        case "wrong":
            return Markup('<path class="course-mark" d="M{:.1f} {}l7 7m0 -7l-7 7"/>').format(
                x - 3.5, TOP - 3.5
            )
        case _:
            return Markup("")

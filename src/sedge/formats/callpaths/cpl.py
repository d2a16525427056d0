"""CPL, the Call Processing Language (RFC 3880), out and in, for the part of a call path that it can
say; the rest is reported.

Each step is a subaction, so that several exits can lead to it. What CPL has no word for (a step's
name, who is behind an address) goes along in attributes of a namespace of our own, which other
readers skip.
"""

import xml.etree.ElementTree as ET
from collections.abc import Mapping
from dataclasses import dataclass, field
from datetime import date, timedelta
from functools import singledispatchmethod

from sedge.core.callpaths.openings import DAY, holidays_of, minute_of
from sedge.core.callpaths.steps import (
    End,
    Exit,
    Forward,
    Hours,
    Mailbox,
    Opening,
    Path,
    Queue,
    Ring,
    SipAddress,
    Step,
)

CPL = "urn:ietf:params:xml:ns:cpl"
OWN = "urn:sedge:call-path:1"
BYDAY = ("MO", "TU", "WE", "TH", "FR", "SA", "SU")
YEARS_OF_HOLIDAYS = 2
TIMEOUTS = {
    Exit.NO_ANSWER: "noanswer",
    Exit.BUSY: "busy",
    Exit.NOBODY_REACHABLE: "failure",
    Exit.NOT_PUT_THROUGH: "failure",
    Exit.NOT_REACHED: "failure",
}
LONGEST = 1_000_000
CANNOT = {
    "menu": "CPL has no menus: a caller can't choose. The way of the first key is taken.",
    "queue": "CPL has no queues: the agents are rung one after the other, and nobody waits.",
    "announce": "CPL can say nothing to a caller. The announcement is left out.",
    "path": "CPL knows no other path. The call is refused there.",
}


@dataclass(frozen=True)
class Written:
    """`report` says, a sentence each, what could not be said."""

    data: bytes
    report: list[str] = field(default_factory=list)


@dataclass(frozen=True)
class ReadPath:
    path: Path
    report: list[str] = field(default_factory=list)


# ── out ──


def write(path: Path, addresses: Mapping[str, str], year: int) -> Written:
    """A path as CPL. `addresses` has SIP addresses of people and the like by id; public holidays
    are written out for `year` and the next.

    A circle can't be said: the exit that closes it is left out, and reported.
    """
    return _Writer(path, addresses, year).done()


class _Writer:
    def __init__(self, path: Path, addresses: Mapping[str, str], year: int) -> None:
        self.path, self.addresses, self.year = path, addresses, year
        self.report: list[str] = []
        self.written: list[ET.Element] = []
        self.state: dict[str, str] = {}

    def done(self) -> Written:
        ET.register_namespace("", CPL)
        ET.register_namespace("s", OWN)
        root = ET.Element(_q("cpl"))
        self._step(self.path.first)
        for subaction in self.written:
            root.append(subaction)
        incoming = ET.SubElement(root, _q("incoming"))
        ET.SubElement(incoming, _q("sub"), {"ref": self.path.first})
        unreached = [s.title for key, s in self.path.steps.items() if key not in self.state]
        if unreached:
            self.report.append(f"No call comes to {', '.join(unreached)}, so it is left out.")
        if self.path.tests:
            self.report.append(f"{len(self.path.tests)} test cases stay here.")
        ET.indent(root)
        return Written(ET.tostring(root, encoding="utf-8", xml_declaration=True), self.report)

    def _step(self, key: str) -> None:
        """A step's subaction, after those it refers to: CPL wants them defined before (RFC 3880
        §5.3)."""
        self.state[key] = "open"
        step = self.path.steps[key]
        for way_out, target in step.exits.items():
            if target not in self.state:
                self._step(target)
            elif self.state[target] == "open":
                self.report.append(
                    f"“{step.title}” leads back to “{self.path.steps[target].title}” by"
                    f" “{way_out}”; CPL can't go in circles."
                )
        subaction = ET.Element(
            _q("subaction"), {"id": key, f"{{{OWN}}}title": step.title, f"{{{OWN}}}kind": step.kind}
        )
        if step.kind in CANNOT:
            self.report.append(f"“{step.title}”: {CANNOT[step.kind]}")
        self._say(step, subaction)
        self.state[key] = "done"
        self.written.append(subaction)

    @singledispatchmethod
    def _say(self, step: Step, parent: ET.Element) -> None:
        """A kind of step that CPL can't say: the way of its first exit."""
        onward = next(iter(step.exits.values()), None)
        if onward and self.state.get(onward) == "done":
            ET.SubElement(parent, _q("sub"), {"ref": onward})
        else:
            ET.SubElement(parent, _q("reject"), {"status": "error"})

    @_say.register
    def _(self, step: Queue, parent: ET.Element) -> None:
        onward = step.exits.get(Exit.WAITED_TOO_LONG)
        nearest = Ring(
            title=step.title,
            people=step.people,
            groups=step.groups,
            order="in order",
            seconds=step.ring_seconds,
            exits={Exit.NO_ANSWER: onward} if onward else {},
        )
        self._say(nearest, parent)

    @_say.register
    def _(self, step: Forward, parent: ET.Element) -> None:
        self._location([f"tel:{step.to}"], step, "parallel", parent)
        self._report_unsaid(step)

    @_say.register
    def _(self, step: SipAddress, parent: ET.Element) -> None:
        self._location([step.address], step, "parallel", parent)

    @_say.register
    def _(self, step: End, parent: ET.Element) -> None:
        ET.SubElement(parent, _q("reject"), {"status": "reject"})

    def _report_unsaid(self, step: Forward | Ring) -> None:
        if step.recording or step.to_callee:
            self.report.append(
                f"“{step.title}”: CPL can't record, nor say something to the callee."
            )

    def _exit(self, step: Step, way_out: str, parent: ET.Element) -> None:
        target = step.exits.get(way_out)
        if target and self.state.get(target) == "done":
            ET.SubElement(parent, _q("sub"), {"ref": target})

    @_say.register
    def _(self, step: Hours, parent: ET.Element) -> None:
        switch = ET.SubElement(
            parent,
            _q("time-switch"),
            {"tzid": step.timezone, f"{{{OWN}}}holidays": step.holidays_of},
        )
        if step.holidays_of:
            for day, name in sorted(
                {
                    **holidays_of(step.holidays_of, self.year),
                    **holidays_of(step.holidays_of, self.year + 1),
                }.items()
            ):
                self._time(switch, step, "holiday", _whole_days(day, day), {f"{{{OWN}}}name": name})
            self.report.append(
                f"“{step.title}”: public holidays are written out for {self.year} and"
                f" {self.year + 1} only."
            )
        for closure in step.closures:
            yearly = {"freq": "yearly"} if closure.yearly else {}
            self._time(
                switch,
                step,
                "closed",
                _whole_days(closure.first, closure.last) | yearly,
                {f"{{{OWN}}}name": closure.name},
            )
        for opening in step.openings:
            self._time(switch, step, "open", _weekly(opening), {})
        self._exit(step, "closed", ET.SubElement(switch, _q("otherwise")))

    def _time(
        self,
        switch: ET.Element,
        step: Hours,
        way_out: str,
        when: dict[str, str],
        own: dict[str, str],
    ) -> None:
        self._exit(
            step,
            way_out,
            ET.SubElement(switch, _q("time"), when | own | {f"{{{OWN}}}exit": way_out}),
        )

    @_say.register
    def _(self, step: Ring, parent: ET.Element) -> None:
        keys = (*step.people, *step.groups, *step.devices, *step.systems)
        urls = [self.addresses.get(key, f"sip:{key}@invalid") for key in keys] + [
            f"tel:{m}" for m in step.mobiles
        ]
        if not urls:
            urls = ["sip:holder@invalid"]
            self.report.append(
                f"“{step.title}” rings the holder of the number; CPL needs an address."
            )
        if step.order == "in turn":
            self.report.append(f"“{step.title}” rings in turn; CPL rings in order.")
        if step.order == "by rota":
            self.report.append(f"“{step.title}” rings by rota; CPL rings in order.")
        self._report_unsaid(step)
        self._location(urls, step, "parallel" if step.order == "all" else "sequential", parent)

    def _location(self, urls: list[str], step: Step, ordering: str, parent: ET.Element) -> None:
        for i, url in enumerate(urls):
            parent = ET.SubElement(
                parent,
                _q("location"),
                {
                    "url": url,
                    "priority": f"{1 - i / 100:.2f}",
                    **({"clear": "yes"} if not i else {}),
                },
            )
        own: dict[str, str] = {}
        for name in ("people", "groups", "devices", "systems", "mobiles", "order", "shown"):
            value = getattr(step, name, "")
            if name == "order" and value == "by rota" and isinstance(step, Ring) and step.rota:
                own[f"{{{OWN}}}rota"] = step.rota.model_dump_json()
            if value:
                own[f"{{{OWN}}}{name}"] = (
                    " ".join(value) if isinstance(value, tuple) else str(value)
                )
        proxy = ET.SubElement(
            parent,
            _q("proxy"),
            {
                "timeout": str(getattr(step, "seconds", 25)),
                "ordering": ordering,
                "recurse": "yes",
                **own,
            },
        )
        for way_out, element in TIMEOUTS.items():
            if way_out in step.exits and self.state.get(step.exits[way_out]) == "done":
                ET.SubElement(
                    ET.SubElement(proxy, _q(element)), _q("sub"), {"ref": step.exits[way_out]}
                )

    @_say.register
    def _(self, step: Mailbox, parent: ET.Element) -> None:
        for key in (*step.recipients, *step.groups):
            parent = ET.SubElement(
                parent,
                _q("mail"),
                {"url": f"mailto:{self.addresses.get('mail ' + key, key + '@invalid')}"},
            )
        if step.greeting:
            self.report.append(f"“{step.title}”: what the mailbox says is left out.")
        own = {
            f"{{{OWN}}}recipients": " ".join(step.recipients),
            f"{{{OWN}}}groups": " ".join(step.groups),
        }
        location = ET.SubElement(
            parent, _q("location"), {"url": "sip:mailbox@invalid", "clear": "yes"}
        )
        ET.SubElement(location, _q("redirect"), {k: v for k, v in own.items() if v})


def _q(name: str) -> str:
    return f"{{{CPL}}}{name}"


def _whole_days(first: date, last: date) -> dict[str, str]:
    end = max(last, first) + timedelta(days=1)
    return {"dtstart": f"{first:%Y%m%d}T000000", "dtend": f"{end:%Y%m%d}T000000"}


def _weekly(opening: Opening) -> dict[str, str]:
    """From a Monday on which nothing had begun, every week on these days (RFC 3880 §4.4)."""
    start, end = minute_of(opening.start), minute_of(opening.end)
    minutes = end - start if end > start else DAY - start + end
    return {
        "dtstart": f"20260105T{start // 60:02d}{start % 60:02d}00",
        "duration": f"PT{minutes // 60}H" + (f"{minutes % 60}M" if minutes % 60 else ""),
        "freq": "weekly",
        "byday": ",".join(BYDAY[d] for d in opening.weekdays),
    }


# ── in ──

"""Reading a call path from the Call Processing Language (RFC 3880)."""

import re
import xml.etree.ElementTree as ET
from datetime import datetime, timedelta

from defusedxml import DefusedXmlException
from defusedxml.ElementTree import fromstring

from sedge.core.callpaths.openings import DAY, clock_of
from sedge.core.callpaths.steps import (
    Closure,
    End,
    Exit,
    Forward,
    Hours,
    Mailbox,
    Opening,
    Path,
    Ring,
    Rota,
    SipAddress,
    Step,
)
from sedge.core.errors import NotUnderstood
from sedge.core.numbers.e164 import is_canonical
from sedge.formats.callpaths.cpl import BYDAY, LONGEST, OWN, ReadPath


def read(data: bytes) -> ReadPath:
    """The path a CPL file says. What has no step of its own is reported and left out. Raises
    NotUnderstood for what is no CPL."""
    if len(data) > LONGEST:
        raise NotUnderstood(
            "The file has more than a million characters; no call path is that long.",
            field="file",
            reason="too-big",
        )
    try:
        root = fromstring(data)
    except (ET.ParseError, DefusedXmlException, ValueError, LookupError) as error:
        raise NotUnderstood(
            f"This is no XML that can be read: {error}.", field="file", reason="xml"
        ) from error
    if _name(root) != "cpl":
        raise NotUnderstood(
            "This is no CPL: the outermost element is not “cpl”.", field="file", reason="not-cpl"
        )
    return _Reader(root).done()


class _Reader:
    def __init__(self, root: ET.Element) -> None:
        self.root = root
        self.steps: dict[str, Step] = {}
        self.report: list[str] = []
        self.known = {e.get("id", ""): e for e in root if _name(e) == "subaction"}
        self.reading: list[str] = []

    def done(self) -> ReadPath:
        incoming = next((e for e in self.root if _name(e) == "incoming"), None)
        if any(_name(e) == "outgoing" for e in self.root):
            self.report.append(
                "What is said of calls out is left out: a call path is for calls in."
            )
        if incoming is None:
            raise NotUnderstood(
                "The file says nothing about calls in.", field="file", reason="no-incoming"
            )
        first = self._node(list(incoming), "first")
        if first is None:
            raise NotUnderstood(
                "What the file says about calls in leads nowhere.", field="file", reason="nothing"
            )
        try:
            return ReadPath(Path(first=first, steps=self.steps), self.report)
        except ValueError as error:
            raise NotUnderstood(
                f"The file can't be a call path: {error}.", field="file", reason="no-path"
            ) from error

    def _free(self, wanted: str) -> str:
        plain = re.sub(r"[^a-z0-9-]+", "-", wanted.lower()).strip("-")[:34] or "step"
        return (
            plain
            if plain not in self.steps and plain not in self.reading
            else next(
                k
                for n in range(2, 1000)
                if (k := f"{plain}-{n}") not in self.steps and k not in self.reading
            )
        )

    def _node(
        self, elements: list[ET.Element], name: str, title: str = "", kind: str = ""
    ) -> str | None:
        """The step that some elements say, by its key; None where they say nothing."""
        for element in elements:
            match _name(element):
                case "sub":
                    return self._sub(element.get("ref", ""))
                case "time-switch":
                    return self._hours(element, name, title)
                case "location" | "mail" | "proxy" | "redirect":
                    return self._locating(element, name, title, kind)
                case "reject":
                    return self._keep(name, End(title=title or "End"))
                case (
                    "address-switch"
                    | "string-switch"
                    | "language-switch"
                    | "priority-switch" as switch
                ):
                    self.report.append(
                        f"The “{switch}” is left out; what holds otherwise is taken."
                    )
                    otherwise = next(
                        (e for e in element if _name(e) in {"otherwise", "not-present"}), None
                    )
                    return (
                        self._node(list(otherwise), name, title) if otherwise is not None else None
                    )
                case "log" | "remove-location" | "lookup" as other:
                    self.report.append(f"The “{other}” is left out.")
                    return self._node(list(element), name, title, kind)
                case _:
                    continue
        return None

    def _sub(self, ref: str) -> str | None:
        if ref in self.steps:
            return ref
        element = self.known.get(ref)
        if element is None or ref in self.reading:
            self.report.append(
                f"“{ref}” is referred to and not said before; that exit leads nowhere."
            )
            return None
        self.reading.append(ref)
        try:
            if len(self.reading) > 200:
                raise NotUnderstood(
                    "The file goes deeper than two hundred steps.", field="file", reason="too-deep"
                )
            own = ref if re.fullmatch(r"[a-z0-9-]{1,40}", ref) else self._free(ref)
            return self._node(
                list(element),
                own,
                element.get(f"{{{OWN}}}title", ""),
                element.get(f"{{{OWN}}}kind", ""),
            )
        finally:
            self.reading.pop()

    def _keep(self, name: str, step: Step) -> str:
        key = name if name in self.reading and name not in self.steps else self._free(name)
        self.steps[key] = step
        return key

    def _hours(self, element: ET.Element, name: str, title: str) -> str:
        openings: list[Opening] = []
        closures: list[Closure] = []
        exits: dict[str, str] = {}
        for time in element:
            way_out = time.get(f"{{{OWN}}}exit", "open") if _name(time) == "time" else "closed"
            if _name(time) == "time" and (time.get("freq") == "weekly" or time.get("byday")):
                openings.append(_opening(time))
            elif _name(time) == "time" and way_out != "holiday":
                if (closure := _closure(time)) is None:
                    self.report.append(
                        f"The time from {time.get('dtstart', '?')} can't be said in hours and is"
                        " left out."
                    )
                    continue
                closures.append(closure)
                way_out = "closed"
            target = self._node(list(time), f"{name}-{way_out}")
            if target:
                exits[way_out] = target
        holidays = element.get(f"{{{OWN}}}holidays", "")
        ordered = {
            way_out: exits[way_out] for way_out in ("open", "closed", "holiday") if way_out in exits
        }
        step = Hours(
            title=title or "Hours",
            timezone=element.get("tzid") or "UTC",
            openings=tuple(openings),
            closures=tuple(closures),
            holidays_of=holidays,
            exits=ordered,
        )
        return self._keep(name, step)

    def _locating(self, element: ET.Element, name: str, title: str, kind: str) -> str | None:
        """A chain of locations and mails, and what is done with them."""
        urls: list[str] = []
        mails: list[str] = []
        while _name(element) in {"location", "mail"}:
            (urls if _name(element) == "location" else mails).append(element.get("url", ""))
            if len(element) == 0:
                break
            element = element[0]
        if _name(element) == "redirect" or mails:
            recipients = tuple((element.get(f"{{{OWN}}}recipients") or "").split()) or tuple(
                _mailed(mails)
            )
            groups = tuple((element.get(f"{{{OWN}}}groups") or "").split())
            return self._keep(
                name, Mailbox(title=title or "Mailbox", recipients=recipients, groups=groups)
            )
        if _name(element) != "proxy":
            return self._node([element], name, title) if element is not None else None
        exits = self._exits(element, name, kind)
        seconds = min(
            300,
            max(
                5,
                int(element.get("timeout", "25")) if element.get("timeout", "25").isdigit() else 25,
            ),
        )
        return self._keep(name, self._rung(element, urls, title, kind, seconds, exits))

    def _exits(self, proxy: ET.Element, name: str, kind: str) -> dict[str, str]:
        words = {
            "noanswer": Exit.NO_ANSWER,
            "busy": Exit.BUSY,
            "failure": (
                {"forward": Exit.NOT_PUT_THROUGH, "sip": Exit.NOT_REACHED}.get(
                    kind, Exit.NOBODY_REACHABLE
                )
            ),
        }
        exits: dict[str, str] = {}
        for output in proxy:
            way_out = words.get(_name(output))
            if way_out is None:
                if _name(output) == "default":
                    target = self._node(list(output), f"{name}-otherwise")
                    exits |= {w: target for w in words.values() if target and w not in exits}
                else:
                    self.report.append(f"“{_name(output)}” of a proxy is left out.")
                continue
            if target := self._node(list(output), f"{name}-{_name(output)}"):
                exits[way_out] = target
        return {
            w: exits[w]
            for w in (
                Exit.NO_ANSWER,
                Exit.BUSY,
                *sorted(set(words.values()) - {Exit.NO_ANSWER, Exit.BUSY}),
            )
            if w in exits
        }

    def _rung(
        self,
        proxy: ET.Element,
        urls: list[str],
        title: str,
        kind: str,
        seconds: int,
        exits: dict[str, str],
    ) -> Step:
        shown = proxy.get(f"{{{OWN}}}shown")
        more: dict[str, object] = {"shown": shown} if shown else {}
        if kind == "forward" or (not kind and len(urls) == 1 and urls[0].startswith("tel:")):
            to = urls[0].removeprefix("tel:") if urls else ""
            exits = {
                (Exit.NOT_PUT_THROUGH if w == Exit.NOBODY_REACHABLE else w): t
                for w, t in exits.items()
            }
            return Forward.model_validate(
                {
                    "title": title or "Forward",
                    "to": to if is_canonical(to) else "",
                    "seconds": seconds,
                    "exits": exits,
                    **more,
                }
            )
        if kind == "sip" or (not kind and len(urls) == 1):
            exits = {
                (Exit.NOT_REACHED if w == Exit.NOBODY_REACHABLE else w): t for w, t in exits.items()
            }
            address = urls[0] if urls else ""
            return SipAddress.model_validate(
                {
                    "title": title or "SIP address",
                    "address": address,
                    "seconds": seconds,
                    "exits": exits,
                    **more,
                }
            )
        named = {
            f: tuple((proxy.get(f"{{{OWN}}}{f}") or "").split())
            for f in ("people", "groups", "devices", "systems", "mobiles")
        }
        if not any(named.values()):
            named["mobiles"] = tuple(
                u.removeprefix("tel:")
                for u in urls
                if u.startswith("tel:") and is_canonical(u.removeprefix("tel:"))
            )
            if lost := [u for u in urls if not u.startswith("tel:") and not u.endswith("@invalid")]:
                self.report.append(
                    f"{', '.join(lost)} are rung together there; choose whom they stand for."
                )
        order = proxy.get(f"{{{OWN}}}order") or (
            "in order" if proxy.get("ordering") == "sequential" else "all"
        )
        rota = proxy.get(f"{{{OWN}}}rota")
        try:
            more["rota"] = Rota.model_validate_json(rota) if rota else None
        except ValueError:
            self.report.append(f"The rota of “{title}” can't be read; it rings in order.")
        if order == "by rota" and not more.get("rota"):
            order = "in order"
        return Ring.model_validate(
            {
                "title": title or "Ring",
                "order": order,
                "seconds": seconds,
                "exits": exits,
                **named,
                **more,
            }
        )


def _name(element: ET.Element) -> str:
    return element.tag.rpartition("}")[2] if isinstance(element.tag, str) else ""


def _mailed(mails: list[str]) -> list[str]:
    return [
        m.removeprefix("mailto:").removesuffix("@invalid") for m in mails if m.endswith("@invalid")
    ]


def _opening(time: ET.Element) -> Opening:
    begin = _moment(time.get("dtstart", ""))
    days = tuple(BYDAY.index(d) for d in time.get("byday", "").split(",") if d in BYDAY) or (
        (begin.weekday(),) if begin else ()
    )
    start = begin.hour * 60 + begin.minute if begin else 0
    end = _ends(time, begin, start)
    return Opening(weekdays=days, start=clock_of(start), end=clock_of(end))


def _ends(time: ET.Element, begin: datetime | None, start: int) -> int:
    """The minute of the day at which it ends; 24:00 for midnight, an earlier one where it goes on
    after it."""
    if found := re.fullmatch(r"PT(?:(\d+)H)?(?:(\d+)M)?(?:\d+S)?", time.get("duration", "")):
        end = start + int(found[1] or 0) * 60 + int(found[2] or 0)
    else:
        until = _moment(time.get("dtend", ""))
        end = start + int((until - begin).total_seconds() // 60) if until and begin else DAY
    return end if end <= DAY else end % DAY


def _closure(time: ET.Element) -> Closure | None:
    first, end = _moment(time.get("dtstart", "")), _moment(time.get("dtend", ""))
    if first is None or end is None or end <= first:
        return None
    last = (end - timedelta(seconds=1)).date()
    return Closure(
        first=first.date(),
        last=last,
        name=time.get(f"{{{OWN}}}name", "closed"),
        yearly=time.get("freq") == "yearly",
    )


def _moment(text: str) -> datetime | None:
    try:
        # local to the switch's time zone
        return datetime.strptime(text[:15], "%Y%m%dT%H%M%S")  # noqa: DTZ007
    except ValueError:
        return None

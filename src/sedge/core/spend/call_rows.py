"""Rows of call records, whatever their columns are: which column means what, and how each row
reads."""

import re
from collections.abc import Callable, Mapping, Sequence
from datetime import UTC, datetime
from zoneinfo import ZoneInfo

from sedge.core.errors import NotOneNumber, NotUnderstood
from sedge.core.imports.fields import normal, plain_cell
from sedge.core.numbers.e164 import is_canonical, read_one
from sedge.core.spend.call_legs import CallLeg, Direction
from sedge.core.spend.step_use import Passed, read_way

FIELDS = {
    "key": "Record's own id",
    "started": "Started",
    "answered": "Answered",
    "ended": "Ended",
    "talk": "Duration",
    "ring": "Rang for",
    "from": "From",
    "to": "To",
    "diverted": "Forwarded by",
    "trunk": "Trunk",
    "direction": "Direction",
    "cause": "Cause",
    "steps": "Steps of the call path",
}
WORDS = {
    "key": ("id", "call id", "record id", "record", "cdr id", "uid", "unique id", "leg id", "key"),
    "started": (
        "started",
        "start",
        "start time",
        "begin",
        "setup",
        "setup time",
        "date",
        "time",
        "datetime",
        "date time",
        "beginn",
        "anfang",
        "zeitpunkt",
        "call start",
    ),
    "answered": ("answered", "answer", "answer time", "connected", "connect time", "angenommen"),
    "ended": ("ended", "end", "end time", "release", "disconnect", "disconnect time", "ende"),
    "talk": (
        "duration",
        "seconds",
        "talk",
        "talk time",
        "billed seconds",
        "billsec",
        "dauer",
        "duration s",
        "duration seconds",
        "sekunden",
    ),
    "ring": ("rang for", "ring", "ring time", "ring seconds", "waited", "wait"),
    "from": ("from", "caller", "calling", "calling number", "a number", "source", "von", "anrufer"),
    "to": (
        "to",
        "called",
        "called number",
        "callee",
        "b number",
        "destination",
        "dialled",
        "nach",
        "ziel",
    ),
    "diverted": ("forwarded by", "diverted by", "redirecting number", "diversion", "forwarder"),
    "trunk": ("trunk", "line", "gateway", "route", "leitung"),
    "direction": ("direction", "type", "call type", "richtung"),
    "cause": ("cause", "cause code", "release cause", "q 850", "hangup cause", "result"),
    "steps": ("steps", "way", "steps of the call path"),
}
BY_WORD = {word: name for name, words in WORDS.items() for word in words}
NEEDED = ("started", "from", "to")
LONGEST = 48 * 3600  # seconds; a longer call is a record that never ended
AHEAD = 3600  # seconds that another clock may be before ours
MOST_KEY, MOST_OTHER = 120, 40
CLOCK = re.compile(r"(?:(\d{1,4}):)?(\d{1,2}):(\d{2})(?:[.,]\d+)?", re.ASCII)
SECONDS = re.compile(r"(-?\d{1,9})(?:[.,](\d+))?\s*(?:s|sec|secs|seconds)?", re.ASCII)
DAYS_FIRST = ("%d/%m/%Y %H:%M:%S", "%d/%m/%Y %H:%M", "%d.%m.%Y %H:%M:%S", "%d.%m.%Y %H:%M")
MONTHS_FIRST = (
    "%m/%d/%Y %H:%M:%S",
    "%m/%d/%Y %H:%M",
    "%m/%d/%Y %I:%M:%S %p",
    "%m/%d/%Y %I:%M %p",
)
OUT_WORDS = {"out", "outgoing", "outbound", "originating", "o", "ausgehend", "egress"}
IN_WORDS = {"in", "incoming", "inbound", "terminating", "i", "eingehend", "ingress"}
FORWARD_WORDS = {"forward", "forwarded", "diverted", "redirected", "weitergeleitet"}


class RowProblem(NotUnderstood):
    """A row that can't be taken, with why; `reason` groups rows of one kind."""


def recognised(header: Sequence[str]) -> dict[str, int]:
    """Field → column, the first that fits."""
    found: dict[str, int] = {}
    for at, title in enumerate(header):
        name = BY_WORD.get(normal(title))
        if name and name not in found:
            found[name] = at
    return found


def missing(mapping: Mapping[str, int]) -> list[str]:
    """What is still needed to read a record, in the words of `FIELDS`."""
    found = [FIELDS[name] for name in NEEDED if name not in mapping]
    if "talk" not in mapping and "ended" not in mapping:
        found.append(f"{FIELDS['ended']} or {FIELDS['talk']}")
    return found


class CallReader:
    """Reads one source's rows in their order. Moments without an offset are in `zone`; where the
    clocks go back the order of the rows tells which of the two hours is meant. Days come before
    months but where the home country writes them the other way round."""

    def __init__(
        self,
        mapping: Mapping[str, int],
        *,
        zone: str,
        home: str,
        is_ours: Callable[[str], bool],
        trunks: Mapping[str, str],
        now: int,
        numbers: dict[str, str] | None = None,
    ) -> None:
        self.columns = [(name, at) for name, at in mapping.items() if name in FIELDS]
        self.zone = ZoneInfo(zone)
        self.home, self.is_ours, self.now = home, is_ours, now
        self.trunks = {name.casefold(): key for name, key in trunks.items()}
        self.numbers: dict[str, str] = {} if numbers is None else numbers
        self.formats = MONTHS_FIRST if home in {"US", "CA"} else DAYS_FIRST
        self.latest = 0

    def read(self, cells: Sequence[str]) -> CallLeg:
        """Raises RowProblem."""
        width = len(cells)
        row = {name: plain_cell(cells[at]) for name, at in self.columns if at < width}
        started = self._moment(row.get("started", ""), "started", self.latest)
        if started > self.now + AHEAD:
            raise RowProblem("It starts in the future.", reason="future", field="started")
        ring, talk, answered = self._lasted(row, started)
        caller = self._number(row.get("from", ""))
        callee = self._number(row.get("to", ""))
        diverted = self._number(row["diverted"]) if row.get("diverted") else ""
        direction, number, other = self._sides(
            row.get("direction", "").lower(), caller, callee, diverted
        )
        self.latest = max(self.latest, started)
        key = row.get("key", "")[:MOST_KEY] or f"{started} {caller} {callee} {direction}"
        trunk = row.get("trunk", "")
        return CallLeg(
            key,
            started,
            ring,
            talk,
            answered,
            direction,
            number,
            other,
            self.trunks.get(trunk.casefold(), "") if trunk else "",
            _cause(row.get("cause", "")),
            _way(row["steps"]) if row.get("steps") else (),
        )

    def _sides(
        self, said: str, caller: str, callee: str, diverted: str
    ) -> tuple[Direction, str, str]:
        if diverted and self.is_ours(diverted):
            return Direction.FORWARD, diverted, callee
        from_us, to_us = self.is_ours(caller), self.is_ours(callee)
        if from_us and (said in OUT_WORDS or said in FORWARD_WORDS or not to_us):
            forwarded = said in FORWARD_WORDS
            return Direction.FORWARD if forwarded else Direction.OUT, caller, callee
        if to_us and (said in IN_WORDS or not from_us):
            return Direction.IN, callee, caller
        if from_us:
            return Direction.OUT, caller, callee
        raise RowProblem(
            f"Neither {caller or 'a withheld number'} nor {callee or 'no number'} is one of yours.",
            reason="not-ours",
            field="from",
        )

    def _lasted(self, row: Mapping[str, str], started: int) -> tuple[int, int, bool]:
        """Seconds of ringing and talking, and whether it was answered."""
        answered_at = (
            self._moment(row["answered"], "answered", started)
            if _is_time(row.get("answered", ""))
            else None
        )
        talk = _seconds(row["talk"], "talk") if row.get("talk") else None
        ring = _seconds(row["ring"], "ring") if row.get("ring") else None
        ended = self._moment(row["ended"], "ended", started) if row.get("ended") else None
        if ended is not None and ended < started:
            raise RowProblem("It ends before it starts.", reason="backwards", field="ended")
        if answered_at is not None and answered_at < started:
            raise RowProblem(
                "It is answered before it starts.", reason="backwards", field="answered"
            )
        if ring is None:
            ring = _ring(started, answered_at, ended, talk)
        if talk is None:
            if ended is None:
                raise RowProblem(
                    "It says neither an end nor a duration.", reason="no-end", field="talk"
                )
            begun = answered_at if answered_at is not None else started + ring
            talk = max(0, ended - begun) if answered_at is not None or "answered" not in row else 0
        if talk < 0 or ring < 0:
            raise RowProblem("Its duration is negative.", reason="backwards", field="talk")
        if talk > LONGEST or ring > LONGEST:
            raise RowProblem(
                f"It lasts {max(talk, ring) // 86400 or 2} days; no call lasts more than two.",
                reason="too-long",
                field="talk",
            )
        return ring, talk, talk > 0

    def _moment(self, text: str, field: str, after: int) -> int:
        """Seconds since 1970. Of an hour that comes twice, the first that is not before
        `after`."""
        try:
            moment = _plain_moment(text)
        except ValueError:
            moment = self._written(text, field)
        if moment.tzinfo is not None:
            return int(moment.timestamp())
        local = moment.replace(tzinfo=self.zone)
        first = int(local.timestamp())
        second = int(local.replace(fold=1).timestamp())
        if second == first:
            return first
        if second < first:
            message = f"{text} does not exist: the clocks went forward."
            raise RowProblem(message, reason="no-such-hour", field=field)
        return second if first < after else first

    def _written(self, text: str, field: str) -> datetime:
        for written in self.formats:
            try:
                return datetime.strptime(text, written)  # noqa: DTZ007  `_moment` adds the zone
            except ValueError:
                continue
        said = f"“{text[:40]}” is no date with a time." if text else "It says no start."
        raise RowProblem(said, reason="moment", field=field)

    def _number(self, text: str) -> str:
        """E.164 where it can be read, else what was sent; '' for a withheld one."""
        known = self.numbers.get(text)
        if known is not None:
            return known
        found = text
        if not is_canonical(text):
            try:
                found = read_one(text, self.home) if any(c.isdigit() for c in text) else ""
            except NotOneNumber:
                found = text[:MOST_OTHER]
        self.numbers[text] = found
        return found


def _plain_moment(text: str) -> datetime:
    """ISO 8601 and RFC 3339, and seconds or milliseconds since 1970."""
    if text.isascii() and text.isdigit() and len(text) in {10, 13}:
        return datetime.fromtimestamp(int(text[:10]), UTC)
    return datetime.fromisoformat(text)


def _is_time(text: str) -> bool:
    """Whether a cell says a moment, where others say yes or no."""
    return len(text) >= 8 and any(c.isdigit() for c in text)


def _seconds(text: str, field: str) -> int:
    """`75`, `74,6`, `1:15`, `0:01:15`; parts of a second count as a whole one."""
    if found := SECONDS.fullmatch(text):
        more = 1 if found[2] and int(found[2]) else 0
        return int(found[1]) + more
    if found := CLOCK.fullmatch(text):
        return int(found[1] or 0) * 3600 + int(found[2]) * 60 + int(found[3])
    message = f"“{text[:20]}” is no duration: seconds, or hours:minutes:seconds."
    raise RowProblem(message, reason="duration", field=field)


def _ring(started: int, answered: int | None, ended: int | None, talk: int | None) -> int:
    if answered is not None:
        return answered - started
    if ended is not None and talk is not None:
        return max(0, ended - started - talk)
    return ended - started if ended is not None and not talk else 0


def _way(text: str) -> tuple[Passed, ...]:
    try:
        return read_way(text)
    except NotUnderstood as wrong:
        raise RowProblem(wrong.message, reason="steps", field="steps") from None


def _cause(text: str) -> int:
    return int(text) if text.isascii() and text.isdigit() and len(text) <= 3 else 0

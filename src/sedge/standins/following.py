"""A call from an outside phone, really followed: from the carrier over the trunk through what the
telephone system was told, to a phone.

Written on its own, from what it was told alone, so that it can disagree with whoever computed the
call beforehand.
"""

from datetime import date, datetime, timedelta
from zoneinfo import ZoneInfo

from sedge.standins.call_records import OUTSIDE_PHONE, keep_record
from sedge.standins.carriers.billing import is_suspended
from sedge.standins.far_ends import lost_on_the_way, sign_in
from sedge.standins.storage import Book, Json, moment, stamp

ANSWERS_AFTER = 6
MOST_STEPS = 300
COUNTRY_CODES = ("1", "44", "49", "33", "61")
FINAL = {"answered", "mailbox", "announced", "forwarded", "ended"}


def is_down(book: Book, trunk: str | None) -> bool:
    connected = trunk is not None and book.get("connection", trunk) is not None
    return (
        trunk is None
        or book.get("trunk down", trunk) is not None
        or book.get("trunk unused", trunk) is not None
        or (connected and bool(sign_in(book, trunk)))
    )


class InboundCall:
    """One call. `number` is what was dialled, `presses` the keys that are pressed on the way."""

    def __init__(self, book: Book, body: Json) -> None:
        self.book = book
        self.number: str = body["number"]
        self.presses = list(body.get("presses", []))
        self.now: datetime = book.now()
        self.seconds = 0
        self.rang: list[str] = []
        self.heard: list[str] = []
        self.over = ""
        self.routing: Json = {}
        self.turns: dict[str, int] = {}
        self.passed: list[Json] = []

    def place(self) -> Json:
        result = self._placed()
        keep_record(
            self.book,
            self.number,
            OUTSIDE_PHONE,
            "in",
            trunk=self.over,
            ring=self.seconds,
            answered=result["ended"] not in {"rejected", "ended"},
            steps=self.passed,
        )
        return result

    def _placed(self) -> Json:
        self.book.put("last call", self.number, stamp(self.now))
        routing = self.book.get("routing", self.number)
        if reason := self._stopped_before(routing):
            if (
                reason.startswith("engaged tone: the trunk is down")
                and routing
                and routing.get("fallback")
            ):
                return self._result(
                    "forwarded",
                    f"rings {routing['fallback']}, to which the carrier sends calls while the trunk"
                    " is down",
                )
            return self._result("rejected", reason)
        self.routing = routing or {}
        if self.routing.get("holder_kind") == "downstream":
            return self._result("forwarded", "another telephone system answers, and a tone")
        ended = self._walk(self.routing["path"])
        return self._result(ended, "; ".join(self.heard))

    def _stopped_before(self, routing: Json | None) -> str | None:
        if taken := self.book.get("taken", self.number):
            return f"somebody at {taken['by']} answers: the number is no longer ours"
        if routing is None:
            return "“This number is not in use.”"
        trunk = routing.get("trunk")
        if trunk is None:
            return "nothing: the trunk has no such number on its list"
        if self.book.get("trunk down", trunk) or self.book.get("trunk unused", trunk):
            return "engaged tone: the trunk is down"
        if (connection := self.book.get("connection", trunk)) and (
            lost := lost_on_the_way(self.book, trunk, connection, self.number)
        ):
            return lost
        self.over = trunk
        if not routing.get("holder") and not routing.get("rests"):
            return "“This number is not in use.” (said by the telephone system)"
        if is_suspended(self.book, self.number):
            return "“This number can't be reached.” (said by the carrier)"
        sold = self.book.get("order", (self.book.get("sold", self.number) or {}).get("order", ""))
        line = (
            next((x for x in sold["lines"] if x["number"] == self.number), None) if sold else None
        )
        if line and moment(line["usable_from"]) > self.now:
            return "“This number is not yet in use.”"
        works_from = routing.get("works_from")
        if works_from and moment(works_from) > self.now:
            return "“The person you are calling can't be reached.”"
        return None

    def _walk(self, path: Json) -> str:
        """From step to step; a path that goes on in another never comes back."""
        key: str | None = path["first"]
        path_id = self.routing.get("path_id", "")
        for _ in range(MOST_STEPS):
            step = path["steps"].get(key) if key else None
            if step is None:
                return "ended"
            if step["kind"] == "path":
                passed = {"path": path_id, "step": key, "exit": "went on", "seconds": 0}
                self.passed.append(passed)
                path_id = step["path"]
                path = self.book.get("path", path_id)
                if path is None:
                    return "ended"
                key = path["first"]
                continue
            begun = self.seconds
            outcome = getattr(self, f"_{step['kind']}")(step, key)
            self.passed.append(
                {"path": path_id, "step": key, "exit": outcome, "seconds": self.seconds - begun}
            )
            if outcome in FINAL:
                return outcome
            key = step.get("exits", {}).get(outcome)
            if key is None:
                return "announced" if step["kind"] == "announce" else "ended"
        return "ended"

    # ── who rings ──

    def _rules(self, person: str) -> Json:
        return self.book.get("person", person) or {}

    def _may_ring(self, rules: Json) -> bool:
        if rules.get("left"):
            return False
        return not rules.get("openings") or self._is_open(
            rules["openings"], rules.get("timezone", "UTC")
        )

    def _phones(self, person: str) -> list[str]:
        """What rings for a person now, by their own rules."""
        rules = self._rules(person)
        if not self._may_ring(rules):
            return []
        mine = {
            key: d
            for key, d in self.book.all("device").items()
            if d.get("person") == person and d["registered"]
        }
        chosen = [
            d["name"]
            for key, d in mine.items()
            if not rules.get("devices") or key in rules["devices"]
        ]
        return chosen + ([f"mobile {rules['mobile_shown']}"] if rules.get("mobile") else [])

    def _targets(self, step: Json) -> list[tuple[str, list[str]]]:
        """Everybody and everything a step rings, each with its phones; a person is there unless
        they are away."""
        others = step.get("devices") or step.get("mobiles") or step.get("systems")
        people = step.get("people") or ([] if others else self.routing.get("answering", []))
        found = [(person, self._phones(person)) for person in people]
        devices = self.book.all("device")
        found += [
            (key, [devices[key]["name"]] if key in devices and devices[key]["registered"] else [])
            for key in step.get("devices", [])
        ]
        shown = self.routing.get("names", {})
        found += [
            (key, [shown.get(key, key)])
            for key in (*step.get("mobiles", []), *step.get("systems", []))
        ]
        return found

    def _together(self, targets: list[tuple[str, list[str]]], seconds: int) -> bool:
        """All phones at once; the first who is there picks up."""
        there = [names for key, names in targets if names and not self.book.get("away", key)]
        rings_for = ANSWERS_AFTER if there else seconds
        for key, names in targets:
            each = self._rules(key).get("seconds_each", 0)
            self.rang += names[: 1 + max(rings_for - 1, 0) // each] if each else names
        if there:
            self.seconds += ANSWERS_AFTER
            self.heard.append(f"{there[0][0]} answers after {ANSWERS_AFTER} s")
            return True
        self.seconds += seconds
        return False

    def _try(self, groups: list[list[tuple[str, list[str]]]], seconds: int) -> str:
        ringing = [group for group in groups if any(names for _, names in group)]
        if not ringing:
            return "nobody reachable"
        return (
            "answered" if any(self._together(group, seconds) for group in ringing) else "no answer"
        )

    def _ring(self, step: Json, key: str) -> str:
        targets = self._targets(step)
        if step.get("order") == "in turn" and targets:
            turn = self.book.get("turn", f"{self.number}/{key}") or {"next": 0}
            first = turn["next"] % len(targets)
            self.turns[key] = first
            self.book.put("turn", f"{self.number}/{key}", {"next": first + 1})
            targets = targets[first:] + targets[:first]
        if step.get("order") == "by rota" and targets:
            first = on_duty(step["rota"], [key for key, _ in targets], self.now)
            targets = targets[first:] + targets[:first]
        groups = (
            [targets] if step.get("order", "all") == "all" else [[target] for target in targets]
        )
        return self._heard_first(step, self._try(groups, step.get("seconds", 25)))

    def _queue(self, step: Json, _key: str) -> str:
        targets = self._targets(step)
        groups = [targets] if step.get("order") == "all" else [[target] for target in targets]
        outcome = self._heard_first(step, self._try(groups, step.get("ring_seconds", 20)))
        return {"nobody reachable": "nobody signed in", "no answer": "waited too long"}.get(
            outcome, outcome
        )

    def _heard_first(self, step: Json, outcome: str) -> str:
        if outcome in {"answered", "forwarded"} and step.get("recording"):
            self.heard.append(f"“{step['recording']['announcement']}”")
        return outcome

    # ── the other steps ──

    def _hours(self, step: Json, _key: str) -> str:
        local = self.now.astimezone(ZoneInfo(step["timezone"]))
        if step.get("holidays_of"):
            import holidays

            country, _, subdivision = step["holidays_of"].partition("-")
            if local.date() in holidays.country_holidays(
                country, subdiv=subdivision or None, years=local.year
            ):
                return "holiday"
        if any(_closes(c, local.date()) for c in step.get("closures", [])):
            return "closed"
        return "open" if self._is_open(step["openings"], step["timezone"]) else "closed"

    def _is_open(self, openings: list[Json], timezone: str) -> bool:
        local = self.now.astimezone(ZoneInfo(timezone))
        clock, weekday, before = (
            local.strftime("%H:%M"),
            local.weekday(),
            (local - timedelta(days=1)).weekday(),
        )
        for o in openings:
            if o["start"] < o["end"]:
                if weekday in o["weekdays"] and o["start"] <= clock < o["end"]:
                    return True
            elif (weekday in o["weekdays"] and clock >= o["start"]) or (
                before in o["weekdays"] and clock < o["end"]
            ):
                return True
        return False

    def _menu(self, step: Json, _key: str) -> str:
        self.heard.append(f"“{step['greeting']}”")
        self.seconds += max(3, len(step["greeting"].split()) // 2)
        if not self.presses:
            return "no input"
        pressed = self.presses.pop(0)
        if pressed in step["keys"]:
            return pressed
        spoken = (
            [key for key, word in step["keys"].items() if word.lower() == pressed.lower()]
            if step.get("spoken", True)
            else []
        )
        if spoken:
            return spoken[0]
        person = self.routing.get("extensions", {}).get(pressed) if step.get("extensions") else None
        if person:
            return (
                "answered"
                if self._try([[(person, self._phones(person))]], 25) == "answered"
                else "no answer"
            )
        return "wrong input"

    def _announce(self, step: dict[str, object], _key: str) -> str:
        self.heard.append(f"“{step['text']}”")
        return "done"

    def _mailbox(self, step: dict[str, object], _key: str) -> str:
        self.heard.append(
            f"“{step['greeting']}” and a tone" if step.get("greeting") else "a mailbox, and a tone"
        )
        return "mailbox"

    def _forward(self, step: Json, _key: str) -> str:
        out = self.routing.get("calls_out", {})
        licences = out.get("any_of", [])
        holder = self.routing.get("holder")
        lacks = licences and all(
            self.book.get("licence", f"{holder}/{product}") is None for product in licences
        )
        if lacks or _right_for(self.number, step["to"]) not in out.get("rights", []):
            return "not put through"
        return self._heard_first(
            step,
            self._outside(step["to"], self.routing.get("names", {}).get(step["to"], step["to"])),
        )

    def _sip(self, step: Json, _key: str) -> str:
        if not step.get("address") or self.book.get("unreachable", step["address"]):
            return "not reached"
        return self._outside(step["address"], "")

    def _outside(self, key: str, shown: str) -> str:
        if self.book.get("away", key):
            return "no answer"
        self.rang += [shown] if shown else []
        self.heard.append(f"{shown or key} answers after {ANSWERS_AFTER} s")
        return "forwarded"

    def _end(self, _step: dict[str, object], _key: str) -> str:
        return "ended"

    def _result(self, ended: str, heard: str) -> dict[str, object]:
        return {
            "ended": ended,
            "heard": heard or "nothing",
            "rang": self.rang,
            "seconds": self.seconds,
            "over": self.over,
            "turns": self.turns,
            "at": stamp(self.now),
        }


def _closes(closure: Json, day: date) -> bool:
    if not closure.get("yearly"):
        return closure["first"] <= day.isoformat() <= closure["last"]
    first, last, this = closure["first"][5:], closure["last"][5:], day.isoformat()[5:]
    return first <= this <= last if first <= last else this >= first or this <= last


def _right_for(own: str, to: str) -> str:
    code = next((c for c in COUNTRY_CODES if own[1:].startswith(c)), "")
    if not to[1:].startswith(code):
        return "international"
    return (
        "mobile"
        if code == "44" and to.startswith("+447")
        else "premium"
        if to.startswith("+44909")
        else "national"
    )


def on_duty(rota: Json, keys: list[str], now: datetime) -> int:
    """Whose turn the local day is: counted from the first day, a day beginning at the hour of
    change; swaps come first."""
    hour, minute = (int(x) for x in rota["change"].split(":"))
    local = now.astimezone(ZoneInfo(rota["timezone"])).replace(tzinfo=None) - timedelta(
        hours=hour, minutes=minute
    )
    for swap in rota["swaps"]:
        if swap["first"] <= local.date().isoformat() <= swap["last"] and swap["person"] in keys:
            return keys.index(swap["person"])
    return (local.date() - date.fromisoformat(rota["begins"])).days // rota["days"] % len(keys)

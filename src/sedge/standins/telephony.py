"""The telephone system and the outside phone: devices, trunks' lists, and calls that are really followed.

It keeps what it was told per number and works a call out by itself, from carrier to device: so a test call can
disagree with whoever computed it beforehand.
"""

from datetime import datetime, timedelta
from typing import Any
from zoneinfo import ZoneInfo

from fastapi import APIRouter, Header

from sedge.standins.billing import is_suspended
from sedge.standins.book import Book, moment, stamp
from sedge.standins.far_ends import Connection, lost_on_the_way, sign_in

ANSWERS_AFTER = 6
SETTING_UP = timedelta(minutes=2)
READBACK = "+441134960199"


def telephony_routes(book: Book) -> APIRouter:
    routes = APIRouter(prefix="/telephony")

    @routes.put("/numbers/{e164}")
    def put_number(e164: str, body: dict[str, Any]) -> dict[str, Any]:
        book.put("routing", e164, body)
        return {}

    @routes.delete("/numbers/{e164}")
    def remove_number(e164: str) -> dict[str, Any]:
        book.remove("routing", e164)
        return {}

    @routes.put("/licences/{holder}/{product}")
    def put_licence(holder: str, product: str, body: dict[str, Any]) -> dict[str, Any]:
        book.put("licence", f"{holder}/{product}", body)
        return {}

    @routes.delete("/licences/{holder}/{product}")
    def remove_licence(holder: str, product: str) -> dict[str, Any]:
        book.remove("licence", f"{holder}/{product}")
        return {}

    @routes.put("/devices/{key}")
    def put_device(key: str, body: dict[str, Any]) -> dict[str, Any]:
        """A phone with a secret of its own signs in once somebody has typed its settings in, which takes a moment."""
        known = book.get("device", key) or {}
        kept = {"registered": True, "said": "", **known, **body}
        if body.get("secret") and body["secret"] != known.get("secret"):
            kept |= {
                "registered": False,
                "said": "secret" if known.get("secret") else "never",
                "signs_in_at": stamp(book.now() + SETTING_UP),
            }
        book.put("device", key, kept)
        return {}

    @routes.delete("/devices/{key}")
    def remove_device(key: str) -> dict[str, Any]:
        book.remove("device", key)
        return {}

    @routes.get("/devices")
    def devices() -> dict[str, Any]:
        """Which are registered, and of the others in a word why not."""
        for key, device in book.all("device").items():
            if device.get("signs_in_at") and moment(device["signs_in_at"]) <= book.now():
                book.put("device", key, {**device, "registered": True, "said": "", "signs_in_at": None})
        known = book.all("device")
        said = {key: d.get("said") or "silent" for key, d in known.items() if not d["registered"]}
        return {"devices": {key: d["registered"] for key, d in known.items()}, "said": said, "at": stamp(book.now())}

    @routes.get("/trunks")
    def trunks() -> dict[str, Any]:
        out = [trunk for trunk in book.all("connection") if sign_in(book, trunk)]
        return {"down": sorted({*book.all("trunk down"), *out}), "at": stamp(book.now())}

    @routes.put("/connections/{trunk}")
    def connect(trunk: str, body: Connection) -> dict[str, Any]:
        """Signs in at the other carrier and says whether that worked."""
        book.put("connection", trunk, body.model_dump())
        return {"problem": sign_in(book, trunk)}

    @routes.get("/connections/{trunk}")
    def connection(trunk: str) -> dict[str, Any]:
        return {"problem": sign_in(book, trunk)}

    @routes.delete("/connections/{trunk}")
    def disconnect(trunk: str) -> dict[str, Any]:
        book.remove("connection", trunk)
        return {}

    @routes.post("/announcements")
    def announce(body: dict[str, str], idempotency_key: str = Header()) -> dict[str, Any]:
        """A call to an outside phone that says something; once per key."""
        with book.writing():
            if book.get("announcement", idempotency_key) is None:
                book.put("announcement", idempotency_key, {**body, "at": stamp(book.now())})
        return {}

    @routes.get("/announcements")
    def announcements() -> dict[str, Any]:
        return {"items": list(reversed(book.all("announcement").values()))}

    @routes.put("/bulk")
    def bulk(body: dict[str, Any]) -> dict[str, Any]:
        """Many devices and numbers at once, for a system that is set up anew."""
        with book.writing():
            for shelf, entries in (("device", body.get("devices", {})), ("routing", body.get("numbers", {}))):
                for key, entry in entries.items():
                    book.put(shelf, key, entry)
        return {}

    @routes.post("/calls/in")
    def call_in(body: dict[str, Any]) -> dict[str, Any]:
        return InboundCall(book, body).place()

    @routes.post("/calls/help")
    def call_help(body: dict[str, str], idempotency_key: str = Header()) -> dict[str, Any]:
        """A call for help that ends at a stand-in of the answering point: what its operator sees, and who at the site is told."""
        with book.writing():
            known = book.get("help call", idempotency_key)
            if known is None:
                known = help_call(book, body["number"], body["dialled"])
                book.put("help call", idempotency_key, known)
        return known

    @routes.get("/notices")
    def notices() -> dict[str, Any]:
        """What security desks have been shown, newest first."""
        return {"items": list(reversed(book.all("notice").values()))}

    @routes.post("/calls/out")
    def call_out(body: dict[str, Any]) -> dict[str, Any]:
        """From a person's phone to the readback line, which says the caller ID it sees."""
        devices = [d for d in book.all("device").values() if d.get("person") == body["person"] and d["registered"]]
        if not devices:
            return {"heard": "nothing: no phone of this person is registered", "rang": [], "ended": "rejected", "shown": ""}
        shown = next((e for e, r in book.all("routing").items() if r.get("holder") == body["person"] and e == body["number"]), "")
        if not shown:
            return {"heard": "the line is not in service", "rang": [], "ended": "rejected", "shown": ""}
        if _is_down(book, book.get("routing", shown).get("trunk")):
            return {"heard": "no line out: the trunk does not take the call", "rang": [], "ended": "rejected", "shown": ""}
        spoken = " ".join(shown.lstrip("+"))
        return {"heard": f"“You are calling from {spoken}.”", "rang": [READBACK], "ended": "answered", "shown": shown}

    return routes


def help_call(book: Book, number: str, dialled: str) -> dict[str, Any]:
    routing = book.get("routing", number)
    if routing is None or not routing.get("holder"):
        return {"ended": "rejected", "place": "", "callback": "", "told": "", "heard": "no phone has this number"}
    if _is_down(book, routing.get("trunk")):
        return {"ended": "rejected", "place": "", "callback": "", "told": "", "heard": "no line out: the trunk does not take the call"}
    registered = book.get("address", number)
    place = written(registered) if registered else routing.get("place", "")
    told = routing.get("told", "")
    if told:
        words = f"Call for help ({dialled}, a test) from {place or 'nobody knows where'}. Ring back: {number}."
        book.put("notice", book.next_id("N"), {"to": told, "words": words, "at": stamp(book.now())})
        book.put("mail", book.next_id("M"), {"to": told, "subject": "Test of a call for help", "text": words, "at": stamp(book.now())})
    heard = f"“{dialled}, which place?” The operator's screen says: {place or 'nothing'}; ring back {number}."
    return {"ended": "answered", "place": place, "callback": number, "told": told, "heard": heard}


def written(address: dict[str, Any]) -> str:
    """A registered address as an operator reads it."""
    return "; ".join(
        x for x in (f"{address['street']} {address['house_number']}, {address['city']}", address.get("floor"), address.get("room")) if x
    )


def _is_down(book: Book, trunk: str | None) -> bool:
    connected = trunk is not None and book.get("connection", trunk) is not None
    return trunk is None or book.get("trunk down", trunk) is not None or (connected and bool(sign_in(book, trunk)))


class InboundCall:
    """One call from an outside phone, through the carrier and the trunk to whatever rings."""

    def __init__(self, book: Book, body: dict[str, Any]) -> None:
        self.book = book
        self.number: str = body["number"]
        self.presses = list(body.get("presses", []))
        self.now: datetime = book.now()
        self.seconds = 0
        self.rang: list[str] = []
        self.heard: list[str] = []
        self.over = ""

    def place(self) -> dict[str, Any]:
        routing = self.book.get("routing", self.number)
        if reason := self._stopped_before(routing):
            return self._result("rejected", reason)
        if routing.get("holder_kind") == "downstream":
            return self._result("forwarded", "another telephone system answers, and a tone")
        ended = self._walk(routing["path"], routing)
        return self._result(ended, "; ".join(self.heard))

    def _stopped_before(self, routing: dict[str, Any] | None) -> str | None:
        if routing is None:
            return "“This number is not in use.”"
        trunk = routing.get("trunk")
        if trunk is None:
            return "nothing: the trunk has no such number on its list"
        if self.book.get("trunk down", trunk):
            return "engaged tone: the trunk is down"
        if (connection := self.book.get("connection", trunk)) and (lost := lost_on_the_way(self.book, trunk, connection, self.number)):
            return lost
        self.over = trunk
        if not routing.get("holder"):
            return "“This number is not in use.” (said by the telephone system)"
        if is_suspended(self.book, self.number):
            return "“This number can't be reached.” (said by the carrier)"
        sold = self.book.get("order", (self.book.get("sold", self.number) or {}).get("order", ""))
        line = next((x for x in sold["lines"] if x["number"] == self.number), None) if sold else None
        if line and moment(line["usable_from"]) > self.now:
            return "“This number is not yet in use.”"
        works_from = routing.get("works_from")
        if works_from and moment(works_from) > self.now:
            return "“The person you are calling can't be reached.”"
        return None

    def _walk(self, path: dict[str, Any], routing: dict[str, Any]) -> str:
        key: str | None = path["first"]
        for _ in range(50):
            step = path["steps"].get(key) if key else None
            if step is None:
                return "ended"
            outcome = getattr(self, f"_{step['kind']}")(step, routing)
            if outcome in {"answered", "mailbox", "announced", "ended"}:
                return outcome
            key = step.get("exits", {}).get(outcome)
            if key is None:
                return "announced" if step["kind"] == "announce" else "ended"
        return "ended"

    def _phones(self, person: str) -> list[str]:
        return [d["name"] for d in self.book.all("device").values() if d.get("person") == person and d["registered"]]

    def _ring_together(self, people: list[str], seconds: int) -> bool:
        """All their phones at once; the first who is there picks up."""
        phones = {person: self._phones(person) for person in people}
        self.rang += [name for names in phones.values() for name in names]
        there = [person for person in people if phones[person] and not self.book.get("away", person)]
        if there:
            self.seconds += ANSWERS_AFTER
            self.heard.append(f"{phones[there[0]][0]} answers after {ANSWERS_AFTER} s")
            return True
        self.seconds += seconds
        return False

    def _try(self, groups: list[list[str]], seconds: int) -> str:
        ringing = [group for group in groups if any(self._phones(person) for person in group)]
        if not ringing:
            return "nobody reachable"
        return "answered" if any(self._ring_together(group, seconds) for group in ringing) else "no answer"

    def _ring(self, step: dict[str, Any], routing: dict[str, Any]) -> str:
        people = step.get("people") or routing.get("answering", [])
        groups = [[person] for person in people] if step.get("order") == "in order" else [people]
        return self._try(groups, step.get("seconds", 25))

    def _queue(self, step: dict[str, Any], routing: dict[str, Any]) -> str:
        people = step.get("people") or routing.get("answering", [])
        outcome = self._try([[person] for person in people], step.get("ring_seconds", 20))
        return {"nobody reachable": "nobody signed in", "no answer": "waited too long"}.get(outcome, outcome)

    def _hours(self, step: dict[str, Any], _routing: dict[str, Any]) -> str:
        local = self.now.astimezone(ZoneInfo(step["timezone"]))
        if step.get("holidays_of"):
            import holidays

            country, _, subdivision = step["holidays_of"].partition("-")
            if local.date() in holidays.country_holidays(country, subdiv=subdivision or None, years=local.year):
                return "holiday"
        if any(c["first"] <= local.date().isoformat() <= c["last"] for c in step.get("closures", [])):
            return "closed"
        clock = local.strftime("%H:%M")
        is_open = any(local.weekday() in o["weekdays"] and o["start"] <= clock < o["end"] for o in step["openings"])
        return "open" if is_open else "closed"

    def _menu(self, step: dict[str, Any], _routing: dict[str, Any]) -> str:
        self.heard.append(f"“{step['greeting']}”")
        self.seconds += max(3, len(step["greeting"].split()) // 2)
        if not self.presses:
            return "no input"
        pressed = self.presses.pop(0)
        return pressed if pressed in step["keys"] else "wrong input"

    def _announce(self, step: dict[str, Any], _routing: dict[str, Any]) -> str:
        self.heard.append(f"“{step['text']}”")
        return "done"

    def _mailbox(self, _step: dict[str, Any], _routing: dict[str, Any]) -> str:
        self.heard.append("a mailbox, and a tone")
        return "mailbox"

    def _end(self, _step: dict[str, Any], _routing: dict[str, Any]) -> str:
        return "ended"

    def _result(self, ended: str, heard: str) -> dict[str, Any]:
        return {
            "ended": ended,
            "heard": heard or "nothing",
            "rang": self.rang,
            "seconds": self.seconds,
            "over": self.over,
            "at": stamp(self.now),
        }

"""The telephone system and the outside phone: devices, trunks' lists, and calls that are really
followed.

What it was told of numbers, call paths and people is kept as it came; `following` works calls out
from that alone.
"""

import random
from datetime import datetime, timedelta

from fastapi import APIRouter, Header

from sedge.standins.call_records import keep_record, records_after
from sedge.standins.far_ends import Connection, sign_in
from sedge.standins.following import InboundCall, is_down
from sedge.standins.storage import Book, Json, moment, stamp

SETTING_UP = timedelta(minutes=2)
READBACK = {
    "+441134960199",
    "+492214710999",
    "+33199009999",
    "+16175550199",
    "+14165550199",
}  # each says the caller ID it sees


def telephony_routes(book: Book) -> APIRouter:  # noqa: C901  a factory
    routes = APIRouter(prefix="/telephony")

    @routes.put("/numbers/{e164}")
    def put_number(e164: str, body: dict[str, object]) -> dict[str, object]:
        book.put("routing", e164, body)
        return {}

    @routes.delete("/numbers/{e164}")
    def remove_number(e164: str) -> dict[str, object]:
        book.remove("routing", e164)
        return {}

    @routes.put("/licences/{holder}/{product}")
    def put_licence(holder: str, product: str, body: dict[str, object]) -> dict[str, object]:
        book.put("licence", f"{holder}/{product}", body)
        return {}

    @routes.delete("/licences/{holder}/{product}")
    def remove_licence(holder: str, product: str) -> dict[str, object]:
        book.remove("licence", f"{holder}/{product}")
        return {}

    @routes.put("/devices/{key}")
    def put_device(key: str, body: Json) -> Json:
        """A phone with a secret of its own signs in once somebody has typed its settings in, which
        takes a moment."""
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
    def remove_device(key: str) -> dict[str, object]:
        book.remove("device", key)
        return {}

    @routes.get("/devices")
    def devices() -> Json:
        """Which are registered, and of the others in a word why not."""
        for key, device in book.all("device").items():
            if device.get("signs_in_at") and moment(device["signs_in_at"]) <= book.now():
                book.put(
                    "device", key, {**device, "registered": True, "said": "", "signs_in_at": None}
                )
        known = book.all("device")
        said = {key: d.get("said") or "silent" for key, d in known.items() if not d["registered"]}
        return {
            "devices": {key: d["registered"] for key, d in known.items()},
            "said": said,
            "at": stamp(book.now()),
        }

    @routes.post("/uncalled")
    def uncalled(body: Json) -> Json:
        """Which numbers nobody has called, or called from, since, the quietest first: as its
        counters have it, the calls of before the books made up."""
        since = moment(body["since"])
        begun = moment(book.get("counters", "begun") or stamp(book.now()))
        if book.get("counters", "begun") is None:
            book.put("counters", "begun", stamp(begun))
        last = {n: _last_call(book, n, begun) for n in book.all("routing")}
        quiet = sorted(
            (stamp(at) if at else "", n) for n, at in last.items() if at is None or at < since
        )
        return {"numbers": {n: at or None for at, n in quiet[: body["most"]]}}

    @routes.get("/trunks")
    def trunks() -> Json:
        out = [trunk for trunk in book.all("connection") if sign_in(book, trunk)]
        return {"down": sorted({*book.all("trunk down"), *out}), "at": stamp(book.now())}

    @routes.put("/trunks/{trunk}")
    def use_trunk(trunk: str, body: dict[str, bool]) -> dict[str, object]:
        """A trunk that is not to carry calls, or is again."""
        if body["carries"]:
            book.remove("trunk unused", trunk)
        else:
            book.put("trunk unused", trunk, True)
        return {}

    @routes.put("/trunks/{trunk}/way")
    def put_trunk(trunk: str, body: dict[str, object]) -> dict[str, object]:
        """How calls leave over a trunk."""
        book.put("trunk way", trunk, body)
        return {}

    @routes.get("/trunks/{trunk}/way")
    def trunk_way(trunk: str) -> Json:
        return book.get("trunk way", trunk) or {}

    @routes.put("/connections/{trunk}")
    def connect(trunk: str, body: Connection) -> dict[str, object]:
        """Signs in at the other carrier and says whether that worked."""
        book.put("connection", trunk, body.model_dump())
        return {"problem": sign_in(book, trunk)}

    @routes.get("/connections/{trunk}")
    def connection(trunk: str) -> Json:
        return {"problem": sign_in(book, trunk)}

    @routes.delete("/connections/{trunk}")
    def disconnect(trunk: str) -> dict[str, object]:
        book.remove("connection", trunk)
        return {}

    @routes.post("/announcements")
    def announce(body: dict[str, str], idempotency_key: str = Header()) -> dict[str, object]:
        """A call to an outside phone that says something; once per key."""
        with book.writing():
            if book.get("announcement", idempotency_key) is None:
                book.put("announcement", idempotency_key, {**body, "at": stamp(book.now())})
        return {}

    @routes.get("/announcements")
    def announcements() -> dict[str, object]:
        return {"items": list(reversed(book.all("announcement").values()))}

    @routes.put("/paths/{key}")
    def put_path(key: str, body: dict[str, object]) -> dict[str, object]:
        """A call path that others may go on in."""
        book.put("path", key, body)
        return {}

    @routes.delete("/paths/{key}")
    def remove_path(key: str) -> dict[str, object]:
        """A call path that is no longer needed."""
        book.remove("path", key)
        return {}

    @routes.put("/people/{key}")
    def put_person(key: str, body: dict[str, object]) -> dict[str, object]:
        """A person's own answering rules."""
        book.put("person", key, body)
        return {}

    @routes.put("/caller-ids/{whose}")
    def put_caller_id(whose: str, body: dict[str, object]) -> dict[str, object]:
        """What the calls of a person, a site or everybody (`organisation`) show."""
        book.put("caller id", whose, body)
        return {}

    @routes.put("/dial-plans/{site}")
    def put_dial_plan(site: str, body: dict[str, object]) -> dict[str, object]:
        """What is dialled at a site and what becomes of it."""
        book.put("dial plan", site, body)
        return {}

    @routes.get("/dial-plans/{site}")
    def dial_plan(site: str) -> Json:
        return book.get("dial plan", site) or {"rules": []}

    @routes.put("/ways-for-help/{site}")
    def put_ways_for_help(site: str, body: dict[str, list[str]]) -> dict[str, object]:
        """Over which trunks emergency calls of a site may go."""
        book.put("ways for help", site, body)
        return {}

    @routes.get("/ways-for-help/{site}")
    def ways_for_help(site: str) -> Json:
        return book.get("ways for help", site) or {"trunks": None}

    @routes.put("/routes")
    def put_routes(body: dict[str, list[dict[str, object]]]) -> dict[str, object]:
        """Over which trunks calls out go."""
        book.put("routes", "all", body)
        return {}

    @routes.get("/routes")
    def outbound_routes() -> Json:
        return book.get("routes", "all") or {"routes": []}

    @routes.put("/bulk")
    def bulk(body: Json) -> Json:
        """Many things at once, for a system that is set up anew."""
        with book.writing():
            for shelf, field in (
                ("device", "devices"),
                ("routing", "numbers"),
                ("path", "paths"),
                ("person", "people"),
                ("dial plan", "dial_plans"),
            ):
                for key, entry in body.get(field, {}).items():
                    book.put(shelf, key, entry)
        return {}

    @routes.get("/calls")
    def call_records(after: int = 0) -> Json:
        """The records of calls that are over, after the one of that number."""
        return {"records": records_after(book, after)}

    @routes.post("/calls/in")
    def call_in(body: dict[str, object]) -> dict[str, object]:
        return InboundCall(book, body).place()

    @routes.post("/calls/help")
    def call_help(body: dict[str, str], idempotency_key: str = Header()) -> Json:
        """A call for help that ends at a stand-in of the answering point: what its operator sees,
        and who at the site is told."""
        with book.writing():
            known = book.get("help call", idempotency_key)
            if known is None:
                known = help_call(book, body["number"], body["dialled"])
                book.put("help call", idempotency_key, known)
        return known

    @routes.get("/notices")
    def notices() -> dict[str, object]:
        """What security desks have been shown, newest first."""
        return {"items": list(reversed(book.all("notice").values()))}

    @routes.post("/calls/out")
    def call_out(body: Json) -> Json:
        """From a person's phone to a readback line, which says the caller ID it sees."""
        if body["dialled"] not in READBACK:
            return {
                "heard": "the number called is not in service",
                "rang": [],
                "ended": "rejected",
                "shown": "",
            }
        devices = [
            d
            for d in book.all("device").values()
            if d.get("person") == body["person"] and d["registered"]
        ]
        if not devices:
            return {
                "heard": "nothing: no phone of this person is registered",
                "rang": [],
                "ended": "rejected",
                "shown": "",
            }
        routing = book.get("routing", body["number"])
        if routing is None or routing.get("holder") != body["person"]:
            return {
                "heard": "the line is not in service",
                "rang": [],
                "ended": "rejected",
                "shown": "",
            }
        shown = shown_on_calls(book, body["number"], body["person"], routing.get("home", ""))
        if is_down(book, (book.get("routing", shown) or routing).get("trunk")):
            return {
                "heard": "no line out: the trunk does not take the call",
                "rang": [],
                "ended": "rejected",
                "shown": "",
            }
        spoken = (
            f"You are calling from {' '.join(shown.lstrip('+'))}"
            if shown
            else "Your number is withheld"
        )
        keep_record(
            book,
            body["number"],
            body["dialled"],
            "out",
            trunk=(book.get("routing", shown) or routing).get("trunk") or "",
            ring=1,
            answered=True,
        )
        return {
            "heard": f"“{spoken}.”",
            "rang": [body["dialled"]],
            "ended": "answered",
            "shown": shown,
        }

    return routes


def shown_on_calls(book: Book, number: str, person: str, site: str) -> str:
    """What is shown: as the person, then the site, then everybody was told to; else the number of
    the line itself."""
    for whose in (person, site, "organisation"):
        wish = book.get("caller id", whose) or {}
        if wish.get("shows"):
            return {"own": number, "number": wish["number"], "withheld": ""}[wish["shows"]]
    return number


def help_call(book: Book, number: str, dialled: str) -> Json:
    routing = book.get("routing", number)
    if routing is None or not routing.get("holder"):
        return {
            "ended": "rejected",
            "place": "",
            "callback": "",
            "told": "",
            "heard": "no phone has this number",
        }
    of_site = (book.get("ways for help", routing.get("help_from", "")) or {}).get("trunks")
    of_number = routing.get("help_over") or [routing.get("trunk")]
    ways = of_number if of_site is None else of_site
    if all(is_down(book, trunk) for trunk in ways):
        return {
            "ended": "rejected",
            "place": "",
            "callback": "",
            "told": "",
            "heard": "no line out: no trunk takes the call",
        }
    registered = book.get("address", number)
    place = written(registered) if registered else routing.get("place", "")
    told = routing.get("told", "")
    if told:
        words = (
            f"Call for help ({dialled}, a test) from {place or 'nobody knows where'}. Ring back:"
            f" {number}."
        )
        book.put("notice", book.next_id("N"), {"to": told, "words": words, "at": stamp(book.now())})
        book.put(
            "mail",
            book.next_id("M"),
            {
                "to": told,
                "subject": "Test of an emergency call",
                "text": words,
                "at": stamp(book.now()),
            },
        )
    heard = (
        f"“{dialled}, which place?” The operator's screen says: {place or 'nothing'}; ring back"
        f" {number}."
    )
    return {"ended": "answered", "place": place, "callback": number, "told": told, "heard": heard}


def written(address: Json) -> str:
    """A registered address as an operator reads it."""
    return "; ".join(
        x
        for x in (
            f"{address['street']} {address['house_number']}, {address['city']}",
            address.get("floor"),
            address.get("room"),
        )
        if x
    )


def _last_call(book: Book, number: str, begun: datetime) -> datetime | None:
    """One number in seven has been quiet for months; one in forty has never been called."""
    if counted := book.get("last call", number):
        return moment(counted)
    chance = random.Random(f"{number} is called")
    if chance.random() < 0.025:
        return None
    quiet = chance.random() < 0.14
    return begun - timedelta(
        hours=chance.uniform(24 * 95, 24 * 300) if quiet else chance.uniform(0.2, 24 * 40)
    )

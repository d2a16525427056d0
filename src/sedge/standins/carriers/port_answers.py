"""What the simulated losing carriers answer to ports, and when."""

from datetime import date, datetime, time, timedelta
from functools import cache
from zoneinfo import ZoneInfo

from fastapi import HTTPException
from pydantic import BaseModel, Field

from sedge.standins.carriers.carrier_profiles import MANNERS
from sedge.standins.storage import Book, Json, moment, stamp

OLD_QUAY = "Old Quay Communications"
ANSWERS, SWITCHES = time(11), time(10)
HANGS = {840: "main billing number", 845: "alarm", 846: "lift"}
GONE = {838, 839}
ENDED = {
    838: timedelta(days=70)
}  # the register knows of these; of the others that are gone it has not heard yet
SLOW = {836: timedelta(hours=2)}  # an exchange that takes its time on the day
BATCH, EACH_BATCH = 100, timedelta(seconds=0.4)
OPEN_UNTIL, AT_LEAST_OPEN = time(16), timedelta(hours=2)
SILENT, AFTER_A_REMINDER = timedelta(days=5), timedelta(hours=1)
USED_FOR = {
    800: "Reception",
    801: "Gallery shop",
    802: "Workshop",
    803: "School visits",
    804: "Framing room",
    805: "Director, R. Tolliver",
    806: "Hattie Brandreth",
    807: "Osei Kwarteng",
    808: "Maud Pellingham",
    809: "Ivo Strand",
    810: "Bea Lorrimer",
    811: "Tam Okonedo",
    812: "Greta Fennimore",
    813: "Silas Dunmore",
    814: "Noor Abbasi",
    815: "Wilf Hathersage",
    816: "Cora Mbeki",
    817: "J Quillfeather",
    818: "Anselm Roy",
    819: "Dilys Partington",
    820: "Ravi Sundaresh",
    821: "Edda Kristensen",
    822: "Percy Aldous",
    823: "Loveday Trescott",
    840: "Main line",
    845: "Alarm",
    846: "Lift",
}
ACCOUNTS: dict[str, Json] = {
    "OQ-1184": {
        "name": "Millwheel Gallery Limited",
        "address": "7 Millwheel Yard, Bristol, BS1 6ZZ",
        "pin": "4471",
        "main_number": "+441174960840",
        "numbers": [f"+44117496{n:04d}" for n in range(800, 860)],
        "days": 15,
        "zone": "Europe/London",
        "holidays": ("GB", "ENG"),
    },
    "OQ-6900": {
        "name": "Mainufer Ateliers GmbH",
        "address": "Mainufer 4, 60311 Frankfurt am Main",
        "pin": "6900",
        "main_number": "+496990009000",
        "numbers": [f"+496990009{n:03d}" for n in range(20)],
        "days": 10,
        "zone": "Europe/Berlin",
        "holidays": ("DE", "HE"),
    },
    "OQ-9000": {  # a large customer without an area
        "name": "Reedbank Fairs Limited",
        "address": "1 Reedbank, Bristol, BS2 1ZZ",
        "pin": "9000",
        "main_number": "+441632960000",
        "numbers": [f"+441632960{n:03d}" for n in range(1000)],
        "days": 25,
        "zone": "Europe/London",
        "holidays": ("GB", "ENG"),
    },
    "OQ-3300": {  # each line has a code of its own, which it says when it is called
        "name": "Atelier des Quais SARL",
        "address": "8 quai des Lanternes, 75001 Paris",
        "pin": "3300",
        "main_number": "+33199000100",
        "numbers": [f"+33199000{n:03d}" for n in range(100, 105)],
        "days": 7,
        "zone": "Europe/Paris",
        "holidays": ("FR", ""),
        "codes": {f"+33199000{n:03d}": f"01P{n:03d}QUAI{n % 7}Z" for n in range(100, 105)},
    },
    "OQ-8000": {
        "name": "Harborline Tours Inc",
        "address": "40 Harborline Street, Boston, MA 02110",
        "pin": "8000",
        "main_number": "+18005550199",
        "numbers": ["+18005550199"],
        "days": 3,
        "zone": "America/New_York",
        "holidays": ("US", "MA"),
    },
}


class Asked(BaseModel):
    """A port as the gaining carrier passes it on."""

    reference: str
    account: str = ""
    losing: str
    numbers: list[str] = Field(min_length=1, max_length=10_000)
    codes: dict[str, str] = {}
    details: dict[str, str]
    wanted: date | None = None
    notes: list[str] = []


def next_answers(book: Book) -> list[str]:
    """The moments at which a losing carrier will say something, or a day comes."""
    moments = []
    for key, port in book.all("port").items():
        if port["over"]:
            continue
        told = shown(book, key)
        moments += (
            [stamp(_said_at(port))]
            if told["state"] == "submitted"
            else [told["foc"]]
            if told["state"] == "accepted"
            else []
        )
    return moments


def who_serves(book: Book, e164: str) -> Json | None:
    moved = book.get("moved", e164)
    if moved and moment(moved["at"]) <= book.now():
        return {
            "number": e164,
            "carrier": moved["carrier"],
            "account": "",
            "in_service": True,
            "pending": False,
            "hangs": "",
        }
    for key, account in ACCOUNTS.items():
        if e164 in account["numbers"]:
            n = _nth(e164)
            pending = any(
                e164 in p["asked"]["numbers"] and not p["over"] for p in book.all("port").values()
            )
            return {
                "number": e164,
                "carrier": OLD_QUAY,
                "account": key,
                "in_service": n not in ENDED,
                "ended_on": (book.now() - ENDED[n]).date().isoformat() if n in ENDED else None,
                "pending": pending,
                "hangs": HANGS.get(n, ""),
                "used_for": USED_FOR.get(n, ""),
            }
    return None


def shown(book: Book, key: str) -> Json:
    """How a port stands now: state, the date agreed on, what is left behind and why, what the
    losing carrier says."""
    port = book.get("port", key)
    asked, now = port["asked"], book.now()
    due = _answer_at(port)
    told: Json = {
        "id": key,
        "answer_due": stamp(due),
        "foc": None,
        "refused": {},
        "numbers": asked["numbers"],
        "code": "",
        "text": "",
    }
    if port["cancelled"]:
        return {**told, "state": "cancelled"}
    told["monthly"] = str(_monthly(port["gaining"]))
    if port.get("backed_out"):
        return {**told, **_accepted(port), "state": "backed out"}
    if port["activated"]:
        agreed = _accepted(port)
        arrived = [
            n
            for n, at in _arrivals(agreed["numbers"], moment(port["activated"])).items()
            if at <= now
        ]
        return {**told, **agreed, "state": "activated", "arrived": arrived}
    if now < _said_at(port):
        return {**told, "state": "submitted"}
    code, text = _fault(port)
    if code:
        return {**told, "state": "rejected", "code": code, "text": text}
    if (query := _query(port)) and not port["answered"]:
        return {**told, "state": "queried", "code": "line-in-use", "text": query}
    agreed = _accepted(port)
    return {**told, **agreed, "state": "due" if moment(agreed["foc"]) <= now else "accepted"}


def _begun(book: Book, gaining: str, asked: Asked, *, rounds: int) -> dict[str, object]:
    return {
        "silent": bool(book.get("steered", "silent")),
        "gaining": gaining,
        "asked": asked.model_dump(mode="json"),
        "at": stamp(book.now()),
        "rounds": rounds,
        "answered": "",
        "moved_to": None,
        "activated": None,
        "cancelled": False,
        "over": False,
    }


def _known(book: Book, gaining: str, key: str) -> str:
    port = book.get("port", key)
    if port is None or port["gaining"] != gaining:
        raise HTTPException(404, {"reason": "unknown port"})
    return key


def _account(port: Json) -> Json:
    """The account its first number is on, whatever was written."""
    first = port["asked"]["numbers"][0]
    return next(
        (a for a in ACCOUNTS.values() if first in a["numbers"]), next(iter(ACCOUNTS.values()))
    )


def _answer_at(port: Json) -> datetime:
    """The next working day at eleven; the same day where it was asked before nine."""
    account = _account(port)
    local = moment(port["at"]).astimezone(ZoneInfo(account["zone"]))
    day = (
        local.date()
        if local.time() < time(9) and not _free(port, local.date())
        else _working_days_on(port, local.date(), 1)
    )
    return datetime.combine(day, ANSWERS, ZoneInfo(account["zone"]))


def _said_at(port: Json) -> datetime:
    """When it answers really: later than promised where nobody there looks, soon after a
    reminder."""
    due = _answer_at(port)
    if not port.get("silent"):
        return due
    late = due + SILENT
    return (
        min(late, max(due, moment(port["reminded"]) + AFTER_A_REMINDER))
        if port.get("reminded")
        else late
    )


def _arrivals(numbers: list[str], begun: datetime) -> dict[str, datetime]:
    """When each number is with the gaining carrier, a batch after the other; a slow exchange comes
    last."""
    return {
        n: begun + EACH_BATCH * (i // BATCH) + SLOW.get(_nth(n), timedelta(0))
        for i, n in enumerate(sorted(numbers))
    }


def _open_until(port: Json) -> datetime:
    zone = ZoneInfo(_account(port)["zone"])
    begun = moment(port["activated"]).astimezone(zone)
    return max(datetime.combine(begun.date(), OPEN_UNTIL, zone), begun + AT_LEAST_OPEN)


def _monthly(gaining: str) -> object:
    return min(MANNERS[gaining].monthly.values())


def _fault(port: Json) -> tuple[str, str]:
    """What differs from the account, the first thing only, as its people look."""
    account, details, asked = _account(port), port["asked"]["details"], port["asked"]["numbers"]
    name = next(key for key, value in ACCOUNTS.items() if value is account)
    if details.get("account", "") != name:
        return "account-number", "We have no such account."
    if details.get("name", "") != account["name"]:
        return "name-mismatch", "The name is not our customer's."
    if details.get("pin", "") != account["pin"]:
        return "pin-wrong", "The PIN does not match."
    if details.get("address", "") != account["address"]:
        return "address-mismatch", "The address is not the one we bill."
    stays = [n for n in account["numbers"] if n not in asked and _nth(n) not in GONE]
    if (
        account["main_number"] in asked
        and stays
        and details.get("new_main_number", "") not in stays
    ):
        return "partial-needs-main", "The main billing number would leave the account without one."
    codes = account.get("codes", {})
    if wrong := [
        n
        for n in asked
        if n in codes and port["asked"]["codes"].get(n, "").replace(" ", "").upper() != codes[n]
    ]:
        return "code-wrong", f"The code of {wrong[0]} is not the one that its line says."
    if all(_nth(n) in GONE or n not in account["numbers"] for n in asked):
        return "not-in-service", "None of these is in service with us."
    return "", ""


def _query(port: Json) -> str:
    """It asks back once about lines that something else hangs on, unless a note with the request
    spoke of them."""
    said = " ".join(port["asked"]["notes"]).lower()
    found = [
        (n, HANGS[k])
        for n in port["asked"]["numbers"]
        if (k := _nth(n)) in HANGS and "billing" not in HANGS[k] and HANGS[k] not in said
    ]
    return "; ".join(f"{n} carries the {what}. Is it known that it stops?" for n, what in found)


def _accepted(port: Json) -> Json:
    account, asked = _account(port), port["asked"]
    refused = {
        n: "not in service with us"
        for n in asked["numbers"]
        if n not in account["numbers"] or _nth(n) in GONE
    }
    begun = moment(port["at"]).astimezone(ZoneInfo(account["zone"])).date()
    earliest = _working_days_on(port, begun, account["days"])
    wanted = date.fromisoformat(asked["wanted"]) if asked["wanted"] else earliest
    day = max(earliest, wanted)
    if port["moved_to"]:
        day = date.fromisoformat(port["moved_to"])
    elif _free(port, day):
        day = _working_days_on(port, day, 1)
    text = (
        ""
        if day == wanted
        else f"Not on {wanted.isoformat()}: the first day we can is {day.isoformat()}."
    )
    foc = datetime.combine(day, SWITCHES, ZoneInfo(account["zone"]))
    return {
        "foc": stamp(foc),
        "refused": refused,
        "numbers": [n for n in asked["numbers"] if n not in refused],
        "text": text,
    }


def _working_days_on(port: dict[str, object], day: date, days: int) -> date:
    while days:
        day += timedelta(days=1)
        days -= not _free(port, day)
    return day


def _free(port: Json, day: date) -> str:
    """Why nobody works there on a day; '' where they do."""
    country, subdivision = _account(port)["holidays"]
    return (
        "a weekend"
        if day.weekday() >= 5
        else _holidays(country, subdivision, day.year).get(day, "")
    )


@cache
def _holidays(country: str, subdivision: str, year: int) -> dict[date, str]:
    import holidays

    return dict(holidays.country_holidays(country, subdiv=subdivision or None, years=year))


def _nth(e164: str) -> int:
    """Which of the gallery's numbers it is; -1 for another."""
    return int(e164[-4:]) if e164.startswith("+44117496") else -1

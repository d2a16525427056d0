"""Moving numbers: the register of who serves which number, and a losing carrier that behaves like
the real thing.

It answers within working hours, compares what it is told with its own bill word for word, asks back
about lines that something else hangs on, leaves behind what is not in service, and gives another
date than the one wished for where that is too early. What it answers is worked out from what was
sent and from the clock, whenever somebody asks.
"""

from datetime import date

from fastapi import APIRouter, Header, HTTPException
from pydantic import BaseModel, Field

from sedge.standins.carriers.carrier_profiles import MANNERS
from sedge.standins.carriers.port_answers import (
    ACCOUNTS,
    OLD_QUAY,
    Asked,
    _accepted,
    _arrivals,
    _begun,
    _free,
    _known,
    _monthly,
    _open_until,
    shown,
    who_serves,
)
from sedge.standins.storage import Book, Json, moment, stamp


class Wish(BaseModel):
    wanted: date


class Attached(BaseModel):
    name: str = Field(max_length=200)
    media_type: str
    content: str = Field(max_length=14_000_000)


class Words(BaseModel):
    text: str = Field(min_length=1, max_length=2000)
    attached: Attached | None = None


class Numbers(BaseModel):
    numbers: list[str] = Field(max_length=20_000)


def porting_routes(book: Book) -> APIRouter:  # noqa: C901  a factory: its routes count as branches
    routes = APIRouter()

    @routes.post("/numbering/served")
    def served(asked: Numbers) -> Json:
        return {"served": [found for n in asked.numbers if (found := who_serves(book, n))]}

    @routes.get("/numbering/accounts/{account}")
    def of_account(account: str, carrier: str) -> Json:
        known = ACCOUNTS.get(account) if carrier == OLD_QUAY else None
        return {
            "served": [
                found
                for n in (known or {"numbers": []})["numbers"]
                if (found := who_serves(book, n))
            ]
        }

    @routes.post("/ports/{gaining}")
    def ask(gaining: str, asked: Asked, idempotency_key: str = Header()) -> Json:
        if gaining not in MANNERS:
            raise HTTPException(404, {"reason": "unknown carrier"})
        with book.writing():
            key = book.get("port key", idempotency_key)
            if key is None:
                if any(
                    p
                    for p in book.all("port").values()
                    if not p["over"] and set(p["asked"]["numbers"]) & set(asked.numbers)
                ):
                    raise HTTPException(409, {"reason": "pending-order"})
                key = book.next_id("P")
                book.put("port key", idempotency_key, key)
                book.put("port", key, _begun(book, gaining, asked, rounds=0))
        return shown(book, key)

    @routes.get("/ports/{gaining}/{key}")
    def state(gaining: str, key: str) -> Json:
        return shown(book, _known(book, gaining, key))

    @routes.put("/ports/{gaining}/{key}")
    def again(gaining: str, key: str, asked: Asked, idempotency_key: str = Header()) -> Json:
        """The same port with other details, once it was rejected."""
        with book.writing():
            port = book.get("port", _known(book, gaining, key))
            if book.get("port key", idempotency_key) != key:
                book.put("port key", idempotency_key, key)
                book.put("port", key, _begun(book, gaining, asked, rounds=port["rounds"] + 1))
        return shown(book, key)

    @routes.post("/ports/{gaining}/{key}/answer")
    def answer(gaining: str, key: str, words: Words) -> Json:
        with book.writing():
            port = book.get("port", _known(book, gaining, key))
            if shown(book, key)["state"] == "queried":
                attached = words.attached.name if words.attached else None
                book.put(
                    "port",
                    key,
                    {**port, "answered": words.text, "attached": attached, "at": stamp(book.now())},
                )
        return shown(book, key)

    @routes.post("/ports/{gaining}/{key}/remind")
    def remind(gaining: str, key: str) -> Json:
        """Whoever is past their time hurries once they are told so."""
        with book.writing():
            port = book.get("port", _known(book, gaining, key))
            if not port.get("reminded"):
                book.put("port", key, {**port, "reminded": stamp(book.now())})
        return shown(book, key)

    @routes.post("/ports/{gaining}/{key}/back-out")
    def back_out(gaining: str, key: str) -> Json:
        """The old lines are still there for the rest of the day."""
        with book.writing():
            port = book.get("port", _known(book, gaining, key))
            if port.get("backed_out"):
                return shown(book, key)
            if not port["activated"]:
                raise HTTPException(
                    409, {"reason": "not activated", "why": "nothing has been switched"}
                )
            if book.now() > _open_until(port):
                raise HTTPException(
                    409, {"reason": "window closed", "why": "the old lines are gone"}
                )
            for number in _accepted(port)["numbers"]:
                book.remove("moved", number)
                book.remove("in service", number)
            book.put("port", key, {**port, "backed_out": stamp(book.now())})
        return shown(book, key)

    @routes.post("/ports/{gaining}/{key}/date")
    def other_date(gaining: str, key: str, wish: Wish) -> Json:
        """A later day; an earlier one than it agreed to is refused."""
        with book.writing():
            port = book.get("port", _known(book, gaining, key))
            told = shown(book, key)
            if told["state"] not in {"accepted", "due"}:
                raise HTTPException(409, {"reason": "not accepted"})
            if wish.wanted < moment(told["foc"]).date() or _free(port, wish.wanted):
                raise HTTPException(
                    409,
                    {
                        "reason": "date",
                        "why": _free(port, wish.wanted) or "that is earlier than it can",
                    },
                )
            book.put("port", key, {**port, "moved_to": wish.wanted.isoformat()})
        return shown(book, key)

    @routes.post("/ports/{gaining}/{key}/activate")
    def activate(gaining: str, key: str) -> Json:
        """Switches what was accepted; asked twice it says the same."""
        with book.writing():
            port = book.get("port", _known(book, gaining, key))
            told = shown(book, key)
            if told["state"] not in {"due", "activated"}:
                raise HTTPException(409, {"reason": "not due", "foc": told.get("foc")})
            if not port["activated"]:
                book.put("port", key, {**port, "activated": stamp(book.now()), "over": True})
                monthly = str(_monthly(gaining))
                for number, at in _arrivals(told["numbers"], book.now()).items():
                    book.put("moved", number, {"carrier": gaining, "at": stamp(at)})
                    known = {
                        "account": port["asked"]["account"],
                        "carrier": gaining,
                        "monthly": monthly,
                        "features": [],
                    }
                    book.put("in service", number, {**known, "since": stamp(at), "billed_to": ""})
        return shown(book, key)

    @routes.delete("/ports/{gaining}/{key}")
    def cancel(gaining: str, key: str) -> Json:
        with book.writing():
            port = book.get("port", _known(book, gaining, key))
            if port["activated"]:
                raise HTTPException(409, {"reason": "activated"})
            book.put("port", key, {**port, "over": True, "cancelled": True})
        return shown(book, key)

    return routes

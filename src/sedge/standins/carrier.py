"""A carrier's ordering interface: stock, holds, orders that arrive line by line, releases, addresses, a prepaid balance.

Simulated: Brackwater Telecom. Delays are minutes where a real carrier takes hours. An order is bought once per
idempotency key, whatever is retried.
"""

import random
from datetime import timedelta
from decimal import Decimal
from typing import Any

from fastapi import APIRouter, Header, HTTPException
from pydantic import BaseModel, Field

from sedge.standins.book import Book, moment, stamp
from sedge.standins.callbacks import Callbacks

HOLD = timedelta(minutes=15)
FIRST_LINE, EACH_LINE, USABLE_AFTER, RELEASE = timedelta(seconds=40), timedelta(seconds=6), timedelta(seconds=60), timedelta(seconds=30)
SETUP = {"single": Decimal("2.50"), "many": Decimal("6.00")}
MONTHLY = {"single": Decimal("0.65"), "many": Decimal("1.20")}
# leading digits, first and last subscriber part of what is left to sell, country
STOCK = (
    ("+44113496", 320, 999, "GB"), ("+44151496", 450, 999, "GB"), ("+44131496", 550, 999, "GB"), ("+44161496", 0, 499, "GB"),
    ("+44292018", 630, 999, "GB"), ("+493023125", 200, 999, "DE"), ("+494066969", 740, 999, "DE"),
)  # fmt: skip
FEATURES = {"emergency registration": "0.00", "texts": "0.40"}


def number_at(lead: str, n: int) -> str:
    return f"{lead}{n:0{4 if lead.startswith('+44') else 3}d}"


def capacity_of(n: int) -> str:
    """The upper tenth of each range carries many calls."""
    return "many" if n >= 900 else "single"


def is_gone(e164: str) -> bool:
    """Sold to somebody else long ago: about one in nine, always the same ones."""
    return random.Random(e164).random() < 0.11


class HoldAsked(BaseModel):
    numbers: list[str] = Field(min_length=1, max_length=1000)


class OrderAsked(BaseModel):
    reference: str = ""
    numbers: list[str] = Field(min_length=1, max_length=1000)
    hold: str | None = None
    features: list[str] = Field(default=[], max_length=20)
    callback: str | None = None


def carrier_routes(book: Book, callbacks: Callbacks) -> APIRouter:
    routes = APIRouter(prefix="/carrier/{carrier}")

    def taken(e164: str) -> bool:
        hold = book.get("held", e164)
        return book.get("sold", e164) is not None or is_gone(e164) or bool(hold and moment(hold["until"]) > book.now())

    def item(e164: str, n: int) -> dict[str, Any]:
        capacity = capacity_of(n)
        return {
            "number": e164, "capacity": capacity, "setup": str(SETUP[capacity]), "monthly": str(MONTHLY[capacity]),
            "currency": "GBP" if e164.startswith("+44") else "EUR", "features": FEATURES,
        }  # fmt: skip

    def find(e164: str) -> dict[str, Any] | None:
        for lead, first, last, _country in STOCK:
            rest = e164[len(lead) :]
            if e164.startswith(lead) and rest.isdigit() and first <= int(rest) <= last and number_at(lead, int(rest)) == e164:
                return item(e164, int(rest))
        return None

    @routes.get("/stock")
    def stock(country: str, starts: str = "", capacity: str = "", limit: int = 5000) -> dict[str, Any]:
        held = {n for n, h in book.all("held").items() if moment(h["until"]) > book.now()}
        sold = set(book.all("sold"))
        found = []
        for lead, first, last, of in STOCK:
            if of != country or not (lead.startswith(starts) or starts.startswith(lead) or not starts):
                continue
            for n in range(first, last + 1):
                e164 = number_at(lead, n)
                if (
                    e164.startswith(starts)
                    and (not capacity or capacity == capacity_of(n))
                    and e164 not in held | sold
                    and not is_gone(e164)
                ):
                    found.append(item(e164, n))
        return {"numbers": found[:limit]}

    @routes.post("/prices")
    def prices(asked: HoldAsked) -> dict[str, Any]:
        items = [find(n) for n in asked.numbers]
        if unknown := [n for n, i in zip(asked.numbers, items, strict=True) if i is None]:
            raise HTTPException(409, {"reason": "taken", "numbers": unknown})
        return {"numbers": items}

    @routes.post("/deposits")
    def deposit(carrier: str, body: dict[str, str], idempotency_key: str = Header()) -> dict[str, Any]:
        with book.writing():
            if book.get("deposit", idempotency_key) is None:
                book.put("deposit", idempotency_key, body)
                book.put("balance", carrier, str(Decimal(account(carrier)["balance"]) + Decimal(body["amount"])))
        return account(carrier)

    @routes.post("/holds")
    def hold(asked: HoldAsked) -> dict[str, Any]:
        with book.writing():
            gone = [n for n in asked.numbers if find(n) is None or taken(n)]
            if gone:
                raise HTTPException(409, {"reason": "taken", "numbers": gone})
            key, until = book.next_id("H"), stamp(book.now() + HOLD)
            book.put("hold", key, {"numbers": asked.numbers, "until": until})
            for n in asked.numbers:
                book.put("held", n, {"hold": key, "until": until})
        return {"id": key, "expires_at": until}

    @routes.delete("/holds/{key}")
    def end_hold(key: str) -> dict[str, Any]:
        with book.writing():
            for n in (book.get("hold", key) or {"numbers": []})["numbers"]:
                if (book.get("held", n) or {}).get("hold") == key:
                    book.remove("held", n)
            book.remove("hold", key)
        return {}

    @routes.get("/account")
    def account(carrier: str) -> dict[str, Any]:
        return {"balance": book.get("balance", carrier) or "640.00", "currency": "GBP"}

    @routes.post("/orders")
    def order(carrier: str, asked: OrderAsked, idempotency_key: str = Header()) -> dict[str, Any]:
        with book.writing():
            if known := book.get("key", idempotency_key):
                return shown(known)
            if not asked.hold:
                gone = [n for n in asked.numbers if find(n) is None or taken(n)]
            else:
                gone = [
                    n for n in asked.numbers if (book.get("held", n) or {}).get("hold") != asked.hold or book.get("sold", n) is not None
                ]
            if gone:
                raise HTTPException(409, {"reason": "taken", "numbers": gone})
            if unknown := [f for f in asked.features if f not in FEATURES]:
                raise HTTPException(422, {"reason": "feature", "features": unknown})
            items = [found for n in asked.numbers if (found := find(n))]
            charge = sum((Decimal(i["setup"]) for i in items), Decimal(0))
            balance = Decimal(account(carrier)["balance"])
            if charge > balance:
                raise HTTPException(402, {"reason": "balance", "balance": str(balance), "charge": str(charge)})
            key, now = book.next_id("B"), book.now()
            lines = []
            for i, n in enumerate(asked.numbers):
                due = now + FIRST_LINE + EACH_LINE * i
                lines.append({"number": n, "due": stamp(due), "usable_from": stamp(due + (USABLE_AFTER if i % 3 == 2 else timedelta(0)))})
                book.put("sold", n, {"order": key})
                book.remove("held", n)
            book.put("balance", carrier, str(balance - charge))
            body = {
                "id": key,
                "reference": asked.reference,
                "lines": lines,
                "charged": str(charge),
                "features": asked.features,
                "callback": asked.callback,
                "told": [],
            }
            book.put("order", key, body)
            book.put("key", idempotency_key, key)
        return shown(key)

    def shown(key: str) -> dict[str, Any]:
        body, now = book.get("order", key), book.now()
        lines = []
        for line in body["lines"]:
            state = line.get("state") or ("delivered" if moment(line["due"]) <= now else "waiting")
            usable = line["usable_from"] if state == "delivered" else None
            lines.append({"number": line["number"], "state": state, "usable_from": usable, "reason": line.get("reason", "")})
        dues = [line["due"] for line in body["lines"]]
        return {
            "id": key,
            "reference": body["reference"],
            "lines": lines,
            "charged": body["charged"],
            "expected_from": min(dues),
            "expected_by": max(dues),
        }

    @routes.get("/orders/{key}")
    def order_state(key: str) -> dict[str, Any]:
        if book.get("order", key) is None:
            raise HTTPException(404, {"reason": "unknown order"})
        return shown(key)

    @routes.post("/orders/{key}/cancel")
    def cancel(key: str) -> dict[str, Any]:
        with book.writing():
            body = book.get("order", key)
            if body is None:
                raise HTTPException(404, {"reason": "unknown order"})
            for line in body["lines"]:
                if "state" not in line and moment(line["due"]) > book.now():
                    line.update(state="cancelled", reason="cancelled by the customer")
                    book.remove("sold", line["number"])
            book.put("order", key, body)
        return shown(key)

    @routes.post("/numbers/{e164}/release")
    def release(e164: str) -> dict[str, Any]:
        with book.writing():
            leaving = book.get("leaving", e164)
            if leaving is None:
                leaving = {"due": stamp(book.now() + RELEASE)}
                book.put("leaving", e164, leaving)
            done = moment(leaving["due"]) <= book.now()
            if done:
                book.remove("sold", e164)
        return {"number": e164, "state": "released" if done else "leaving", "due": leaving["due"]}

    @routes.put("/numbers/{e164}/address")
    def register(e164: str, body: dict[str, Any]) -> dict[str, Any]:
        with book.writing():
            book.put("address", e164, {**body, "at": stamp(book.now())})
        return {"number": e164, "registered": True}

    @routes.get("/numbers/{e164}")
    def number(e164: str) -> dict[str, Any]:
        sold = book.get("sold", e164)
        if sold is None:
            return {"number": e164, "state": "in service", "usable_from": None, "address": book.get("address", e164)}
        lines = {line["number"]: line for line in shown(sold["order"])["lines"]}
        line = lines[e164]
        return {"number": e164, "state": line["state"], "usable_from": line["usable_from"], "address": book.get("address", e164)}

    def next_due() -> list[str]:
        dues = [line["due"] for body in book.all("order").values() for line in body["lines"] if "state" not in line]
        return dues + [x["due"] for x in book.all("leaving").values()]

    def tell() -> None:
        """Callbacks for lines that have arrived since the last look."""
        for key, body in book.all("order").items():
            arrived = [
                line["number"] for line in shown(key)["lines"] if line["state"] == "delivered" and line["number"] not in body["told"]
            ]
            if arrived and body["callback"]:
                callbacks.send("carrier", body["callback"], {"order": key, "numbers": arrived})
            if arrived:
                with book.writing():
                    book.put("order", key, {**body, "told": body["told"] + arrived})

    callbacks.tellers.append(tell)
    callbacks.dues.append(next_due)
    return routes

"""Carriers' ordering interface: stock, holds, orders that arrive line by line, releases, addresses,
a balance.

Three simulated carriers with different manners (`manners.py`). An order is bought once per
idempotency key, whatever is retried. A line that fails or is cancelled is not charged.
"""

import random
from decimal import Decimal

from fastapi import APIRouter, Depends, Header, HTTPException
from fastapi.responses import JSONResponse

from sedge.standins.callbacks import Callbacks
from sedge.standins.carriers import billing
from sedge.standins.carriers.accounts import Ledger, account_routes
from sedge.standins.carriers.documents import (
    lateness,
    paper_routes,
)
from sedge.standins.carriers.outgoing import outgoing_routes
from sedge.standins.carriers.shop import RELEASE, CallerName, HoldAsked, OrderAsked, Shop, Switch
from sedge.standins.storage import Book, Json, moment, stamp

UNSERVED = {"LS28ZZ"}  # a district whose answering point takes addresses by letter only


def not_served(address: dict[str, object]) -> str:
    """Why a carrier won't register an address, in its own words."""
    if not str(address.get("house_number", "")).strip():
        return "we need a house number"
    if str(address.get("postcode", "")).upper().replace(" ", "") in UNSERVED:
        return "the answering point there takes no addresses from us; write to our safety desk"
    return ""


def carrier_routes(book: Book, callbacks: Callbacks) -> APIRouter:  # noqa: C901  a factory
    def the_shop(carrier: str, authorization: str = Header(default="")) -> Shop:
        shop = Shop(book, carrier, Ledger(book, carrier).whose(authorization.removeprefix("Key ")))
        shop.not_too_often()
        return shop

    routes = APIRouter(prefix="/carrier/{carrier}")

    @routes.get("/stock")
    def stock(
        country: str,
        starts: str = "",
        capacity: str = "",
        limit: int = 20_000,
        shop: Shop = Depends(the_shop),
    ) -> JSONResponse:
        return JSONResponse({"numbers": shop.stock(country, starts, capacity)[:limit]})

    @routes.post("/prices")
    def prices(asked: HoldAsked, shop: Shop = Depends(the_shop)) -> Json:
        items = [shop.find(n) for n in asked.numbers]
        if unknown := [n for n, i in zip(asked.numbers, items, strict=True) if i is None]:
            raise HTTPException(409, {"reason": "taken", "numbers": unknown})
        return {"numbers": items}

    @routes.post("/holds")
    def hold(asked: HoldAsked, shop: Shop = Depends(the_shop)) -> Json:
        with book.writing():
            gone = [n for n in asked.numbers if shop.find(n) is None or shop.is_taken(n)]
            if gone:
                raise HTTPException(409, {"reason": "taken", "numbers": gone})
            key, until = book.next_id("H"), stamp(book.now() + shop.manner.hold)
            _keep_hold(key, asked.numbers, until, longer=shop.manner.longer is not None)
        return {"id": key, "expires_at": until, "can_be_longer": shop.manner.longer is not None}

    def _keep_hold(key: str, numbers: list[str], until: str, *, longer: bool) -> None:
        book.put("hold", key, {"numbers": numbers, "until": until, "longer": longer})
        for n in numbers:
            book.put("held", n, {"hold": key, "until": until})

    @routes.post("/holds/{key}/longer")
    def longer(key: str, shop: Shop = Depends(the_shop)) -> Json:
        """Once, by as much again, while it lasts."""
        with book.writing():
            known = book.get("hold", key)
            if known is None or moment(known["until"]) <= book.now():
                raise HTTPException(409, {"reason": "hold over"})
            if shop.manner.longer is None or not known["longer"]:
                raise HTTPException(409, {"reason": "no longer hold"})
            until = stamp(moment(known["until"]) + shop.manner.longer)
            _keep_hold(key, known["numbers"], until, longer=False)
        return {"id": key, "expires_at": until, "can_be_longer": False}

    @routes.delete("/holds/{key}")
    def end_hold(key: str, shop: Shop = Depends(the_shop)) -> Json:
        with book.writing():
            for n in (book.get("hold", key) or {"numbers": []})["numbers"]:
                if (book.get("held", n) or {}).get("hold") == key:
                    book.remove("held", n)
            book.remove("hold", key)
        return {}

    @routes.post("/orders")
    def order(
        asked: OrderAsked, idempotency_key: str = Header(), shop: Shop = Depends(the_shop)
    ) -> Json:
        with book.writing():
            key = shop.take(asked, idempotency_key)
        return shop.shown(key)

    @routes.get("/orders/{key}")
    def order_state(key: str, shop: Shop = Depends(the_shop)) -> dict[str, object]:
        return shop.shown(key)

    @routes.post("/orders/{key}/cancel")
    def cancel(key: str, shop: Shop = Depends(the_shop)) -> Json:
        with book.writing():
            shop.cancel(key)
        return shop.shown(key)

    @routes.post("/numbers/{e164}/release")
    def release(e164: str, shop: Shop = Depends(the_shop)) -> Json:
        with book.writing():
            leaving = book.get("leaving", e164)
            if leaving is None:
                leaving = {"due": stamp(book.now() + RELEASE)}
                book.put("leaving", e164, leaving)
            done = moment(leaving["due"]) <= book.now()
            if done:
                book.remove("sold", e164)
                book.remove("in service", e164)
        return {"number": e164, "state": "released" if done else "leaving", "due": leaving["due"]}

    @routes.put("/numbers/{e164}/address")
    def register(e164: str, body: Json, shop: Shop = Depends(the_shop)) -> Json:
        if why := not_served(body):
            raise HTTPException(422, {"reason": "address", "why": why})
        with book.writing():
            book.put("address", e164, {**body, "account": shop.account, "at": stamp(book.now())})
        return {"number": e164, "registered": True}

    @routes.get("/addresses")
    def addresses(shop: Shop = Depends(the_shop)) -> Json:
        return {
            "addresses": {
                n: a for n, a in book.all("address").items() if a.get("account") == shop.account
            }
        }

    @routes.put("/numbers/{e164}/features/{feature}")
    def switch(e164: str, feature: str, body: Switch, shop: Shop = Depends(the_shop)) -> Json:
        if feature not in shop.manner.features:
            raise HTTPException(422, {"reason": "feature", "why": "it is not on our list"})
        if body.on and feature == "texts" and shop.manner.refuses_texts(e164):
            raise HTTPException(
                422,
                {
                    "reason": "feature",
                    "why": "these ten numbers are on an exchange without a text gateway",
                },
            )
        with book.writing():
            on: dict[str, str] = book.get("features", e164) or {}
            if body.on:
                on.setdefault(feature, stamp(book.now() + shop.manner.slow_features))
            else:
                on.pop(feature, None)
            book.put("features", e164, on)
            billing.switched(
                book, e164, feature, Decimal(shop.manner.features[feature]), on=body.on
            )
        return {"number": e164, "feature": feature, "works_from": on.get(feature)}

    @routes.put("/numbers/{e164}/caller-name")
    def caller_name(e164: str, body: CallerName, shop: Shop = Depends(the_shop)) -> Json:
        if "CNAM" not in (book.get("in service", e164) or {}).get("features", []):
            raise HTTPException(422, {"reason": "name", "why": "CNAM is off for this number"})
        with book.writing():
            book.put("caller-names", e164, body.name)
        return {"number": e164, "name": body.name}

    @routes.get("/numbers/{e164}")
    def number(e164: str, shop: Shop = Depends(the_shop)) -> Json:
        sold = book.get("sold", e164)
        if sold is None:
            return {
                "number": e164,
                "state": "in service",
                "usable_from": None,
                "address": book.get("address", e164),
            }
        line = {line["number"]: line for line in shop.shown(sold["order"])["lines"]}[e164]
        return {
            "number": e164,
            "state": line["state"],
            "usable_from": line["usable_from"],
            "address": book.get("address", e164),
        }

    def next_due() -> list[str]:
        orders = book.all("order").values()
        dues = [
            line["due"]
            for body in orders
            for line in body["lines"]
            if "state" not in line and not lateness(body.get("review"))
        ]
        dues += [body["review"]["due"] for body in orders if lateness(body.get("review"))]
        return dues + [x["due"] for x in book.all("leaving").values()]

    @routes.get("/numbers")
    def list_of_numbers(after: str = "", shop: Shop = Depends(the_shop)) -> Json:
        """What the account has in service, as it is billed; a page of at most 10,000, in order."""
        mine = sorted(
            n
            for n, line in book.all("in service").items()
            if line.get("account") == shop.account and n > after
        )
        lines = book.all("in service")
        page = [
            {
                "number": n,
                "monthly": lines[n]["monthly"],
                "trunk": lines[n].get("trunk"),
                "state": _state_of(book, n),
            }
            for n in mine[:10_000]
        ]
        return {"numbers": page, "next": page[-1]["number"] if len(mine) > 10_000 else None}

    @routes.post("/numbers/{e164}/put-right")
    def put_right(e164: str, body: dict[str, str], shop: Shop = Depends(the_shop)) -> Json:
        """A customer says what its own records have; what somebody else has by now can't come
        back."""
        with book.writing():
            line = book.get("in service", e164)
            match body["what"]:
                case "not listed" if book.get("taken", e164):
                    raise HTTPException(
                        409, {"reason": "taken", "why": "another carrier has it by now"}
                    )
                case "not listed":
                    known = book.get("dropped", e164) or {
                        "monthly": str(min(shop.manner.monthly.values())),
                        "since": stamp(book.now()),
                        "billed_to": "",
                    }
                    book.put(
                        "in service", e164, {**known, "account": shop.account, "carrier": shop.name}
                    )
                    book.remove("dropped", e164)
                case "other price" if line:
                    book.put("in service", e164, {**line, "monthly": body["ours"].split()[0]})
                case "other trunk" if line:
                    book.put("in service", e164, {**line, "trunk": body["ours"]})
                case "other state" if line:
                    book.remove("leaving", e164)
                case _:
                    raise HTTPException(
                        409, {"reason": "unknown", "why": "we have no such number on your account"}
                    )
        return {}

    outgoing_routes(routes, book, the_shop)
    account_routes(routes, book, the_shop)
    paper_routes(routes, book, the_shop)
    callbacks.tellers.append(lambda: tell(book, callbacks))
    callbacks.tellers.append(lambda: billing.bill(book))
    callbacks.dues.append(next_due)
    callbacks.dues.append(lambda: billing.next_bills(book))
    return routes


def tell(book: Book, callbacks: Callbacks) -> None:
    """Callbacks for lines that have arrived since the last look: the last first, and some of them
    twice."""
    for key, body in reversed(book.all("order").items()):
        shop = Shop(book, body["carrier"], body["account"])
        arrived = [
            x["number"]
            for x in shop.shown(key)["lines"]
            if x["state"] == "delivered" and x["number"] not in body["told"]
        ]
        if not arrived:
            continue
        if body["callback"]:
            for n in reversed(arrived):
                twice = random.Random(f"{n} told").random() < 0.2
                for _ in range(1 + twice):
                    callbacks.send(
                        body["callback"],
                        {"carrier": shop.name, "order": key, "numbers": [n]},
                        book.now(),
                    )
        with book.writing():
            now: Json = book.get("order", key)
            book.put("order", key, {**now, "told": [*now["told"], *arrived]})


def _state_of(book: Book, number: str) -> str:
    """As the carrier's list has it: in service, or on its way out."""
    if book.get("leaving", number):
        return "leaving"
    return (
        "porting out"
        if any(
            p["state"] == "approved" and number in p["numbers"]
            for p in book.all("port out").values()
        )
        else "in service"
    )

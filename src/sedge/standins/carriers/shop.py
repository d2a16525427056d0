"""What a simulated carrier sells: stock, holds, orders, their delivery."""

from datetime import datetime, timedelta
from decimal import Decimal

from fastapi import HTTPException
from pydantic import BaseModel, Field

from sedge.standins.carriers import billing
from sedge.standins.carriers.accounts import Ledger
from sedge.standins.carriers.carrier_profiles import MANNERS, Stretch
from sedge.standins.carriers.documents import (
    begin_review,
    is_due,
    lateness,
    look_through,
    refuse_papers,
    wanted,
)
from sedge.standins.storage import Book, Json, moment, stamp

RELEASE = timedelta(seconds=30)


class HoldAsked(BaseModel):
    numbers: list[str] = Field(min_length=1, max_length=1000)


class Callback(BaseModel):
    """`secret` signs what is sent to `url`."""

    url: str
    secret: str = ""


class Price(BaseModel):
    setup: Decimal
    monthly: Decimal


class OrderAsked(BaseModel):
    """`agreed` are the prices the customer has seen; where one is another by now, nothing is
    sold."""

    reference: str = ""
    numbers: list[str] = Field(min_length=1, max_length=1000)
    hold: str | None = None
    features: list[str] = Field(default=[], max_length=20)
    callback: Callback | None = None
    agreed: dict[str, Price] = {}
    papers: list[str] = Field(default=[], max_length=20)


class Switch(BaseModel):
    on: bool


class CallerName(BaseModel):
    name: str = Field(max_length=15)


class Shop:
    """One carrier's shelves and prices, as the holder of one account sees them."""

    def __init__(self, book: Book, name: str, account: str) -> None:
        if name not in MANNERS:
            raise HTTPException(404, {"reason": "unknown carrier"})
        self.book, self.name, self.manner = book, name, MANNERS[name]
        self.ledger = Ledger(book, name)
        self.account = account

    def not_too_often(self) -> None:
        """Refused with 429 where this carrier has been asked too often within a minute."""
        most: int | None = self.manner.at_most
        if most is None:
            return
        with self.book.writing():
            minute = int(self.book.now().timestamp()) // 60
            seen = self.book.get("asked", self.name) or {"minute": minute, "count": 0}
            count = seen["count"] + 1 if seen["minute"] == minute else 1
            self.book.put("asked", self.name, {"minute": minute, "count": count})
            if count > most:
                wait = 60 - int(self.book.now().timestamp()) % 60
                raise HTTPException(
                    429, {"reason": "too often", "wait": wait}, headers={"Retry-After": str(wait)}
                )

    def item(self, stretch: Stretch, n: int) -> Json:
        capacity, e164 = self.manner.capacity(n), stretch.number(n)
        dearer = 1 + Decimal(self.book.get("dearer", self.name) or 0) / 100
        setup, monthly = (
            (prices[capacity] * dearer).quantize(Decimal("0.01"))
            for prices in (self.manner.setup, self.manner.monthly)
        )
        return {
            "number": e164,
            "capacity": capacity,
            "setup": str(setup),
            "monthly": str(monthly),
            "currency": self.manner.currencies[stretch.country],
            "features": self.manner.features,
        }

    def find(self, e164: str) -> dict[str, object] | None:
        found = self.manner.find(e164)
        return self.item(*found) if found else None

    @staticmethod
    def monthly(item: Json, features: list[str]) -> str:
        return str(
            Decimal(item["monthly"])
            + sum((Decimal(item["features"][f]) for f in features), Decimal(0))
        )

    def is_taken(self, e164: str) -> bool:
        hold = self.book.get("held", e164)
        return (
            self.book.get("sold", e164) is not None
            or (self.manner.is_gone(e164) and not self.book.get("freed", e164))
            or bool(hold and moment(hold["until"]) > self.book.now())
        )

    def stock(self, country: str, starts: str, capacity: str) -> list[Json]:
        now = self.book.now()
        freed = set(self.book.all("freed"))
        off = {n for n, h in self.book.all("held").items() if moment(h["until"]) > now} | set(
            self.book.all("sold")
        )
        return [
            self.item(stretch, n)
            for stretch in self.manner.stock
            if stretch.country == country
            and (stretch.lead.startswith(starts) or starts.startswith(stretch.lead))
            for n in range(stretch.first, stretch.last + 1)
            if (e164 := stretch.number(n)).startswith(starts)
            and (not capacity or self.manner.capacity(n) in {capacity, "any"})
            and e164 not in off
            and (e164 in freed or not self.manner.is_gone(e164))
        ]

    # ── orders ──

    def refuse(self, asked: OrderAsked, items: dict[str, Json | None]) -> None:
        """Why an order can't be taken, as the answer."""
        if asked.hold:
            gone = [
                n
                for n in asked.numbers
                if (self.book.get("held", n) or {}).get("hold") != asked.hold
                or self.book.get("sold", n)
            ]
        else:
            gone = [n for n in asked.numbers if items[n] is None or self.is_taken(n)]
        if gone:
            raise HTTPException(409, {"reason": "taken", "numbers": gone})
        if unknown := [f for f in asked.features if f not in self.manner.features]:
            raise HTTPException(422, {"reason": "feature", "features": unknown})
        refuse_papers(self.book, self.manner, self.account, asked.numbers, asked.papers)
        now = {n: i for n, i in items.items() if i is not None}
        dearer = {
            n: {"setup": now[n]["setup"], "monthly": now[n]["monthly"]}
            for n, seen in asked.agreed.items()
            if n in now
            and (Decimal(now[n]["setup"]), Decimal(now[n]["monthly"])) != (seen.setup, seen.monthly)
        }
        if dearer:
            raise HTTPException(409, {"reason": "price", "prices": dearer})
        self.ledger.refuse_money(
            self.account,
            sum((Decimal(i["setup"]) for i in now.values()), Decimal(0)),
            {i["currency"] for i in now.values()},
        )

    def take(self, asked: OrderAsked, key: str) -> str:
        if known := self.book.get("key", key):
            return known
        items = {n: self.find(n) for n in asked.numbers}
        self.refuse(asked, items)
        order, now, manner = self.book.next_id(self.name[0].upper()), self.book.now(), self.manner
        review = (
            begin_review(self.book, manner, asked.papers) if wanted(manner, asked.numbers) else None
        )
        begins = now + (lateness(review) or timedelta(0))
        lines = []
        for i, n in enumerate(asked.numbers):
            due = begins + manner.first_line + manner.each_line * i
            usable = due + (manner.usable_after if i % 3 == 2 else timedelta(0))
            line = {
                "number": n,
                "due": stamp(due),
                "usable_from": stamp(usable),
                "setup": (items[n] or {})["setup"],
                "monthly": self.monthly(items[n] or {}, asked.features),
            }
            lines.append({**line, "fails": True} if manner.will_fail(n) else line)
            self.book.put("sold", n, {"order": order})
            self.book.remove("held", n)
        self.ledger.pay(self.account, sum((Decimal(line["setup"]) for line in lines), Decimal(0)))
        body = {
            "id": order,
            "carrier": self.name,
            "account": self.account,
            "reference": asked.reference,
            "lines": lines,
            "features": asked.features,
            "callback": asked.callback.model_dump() if asked.callback and manner.tells else None,
            "told": [],
            "review": review,
        }
        self.book.put("order", order, body)
        self.book.put("key", key, order)
        return order

    def cancel(self, key: str) -> None:
        body = self.look_after(key)
        for line in body["lines"]:
            if "state" not in line and moment(line["due"]) > self.book.now():
                self._give_up(line, "cancelled", "cancelled by the customer")
        self.book.put("order", key, body)

    def look_after(self, key: str) -> Json:
        """The order; what has turned out not to be there by now is given up and paid back."""
        body = self.book.get("order", key)
        if body is None or body["account"] != self.account:
            raise HTTPException(404, {"reason": "unknown order"})
        if is_due(self.book, body.get("review")):
            if look_through(self.book, self.account, body["review"]):
                self._deliver_from(body, moment(body["review"]["due"]))
            self.book.put("order", key, body)
        late = [
            x
            for x in body["lines"]
            if x.get("fails") and "state" not in x and moment(x["due"]) <= self.book.now()
        ]
        for line in late:
            self._give_up(line, "failed", "sold elsewhere a moment before")
        if late:
            self.book.put("order", key, body)
        return body

    def _deliver_from(self, body: Json, begins: datetime) -> None:
        """The lines' days, now that nothing is in their way any more."""
        for i, line in enumerate(body["lines"]):
            due = begins + self.manner.first_line + self.manner.each_line * i
            line.update(
                due=stamp(due),
                usable_from=stamp(due + (self.manner.usable_after if i % 3 == 2 else timedelta(0))),
            )

    def _give_up(self, line: Json, state: str, reason: str) -> None:
        line.update(state=state, reason=reason)
        self.ledger.pay(self.account, -Decimal(line["setup"]))
        if state == "cancelled":
            self.book.remove("sold", line["number"])

    def shown(self, key: str) -> Json:
        with self.book.writing():
            body = self.look_after(key)
        now = self.book.now()
        lines = []
        for line in body["lines"]:
            state = line.get("state") or ("delivered" if moment(line["due"]) <= now else "waiting")
            usable = line["usable_from"] if state == "delivered" else None
            lines.append(
                {
                    "number": line["number"],
                    "state": state,
                    "usable_from": usable,
                    "reason": line.get("reason", ""),
                }
            )
            if state == "delivered":
                billing.delivered(self.book, self.name, self.account, line, body["features"])
        dues = [line["due"] for line in body["lines"]]
        if lateness(body.get("review")):
            looked = moment(body["review"]["due"]) + self.manner.first_line
            dues = [stamp(looked), stamp(looked + self.manner.each_line * len(body["lines"]))]
        charged = sum(
            (Decimal(line["setup"]) for line in body["lines"] if "state" not in line), Decimal(0)
        )
        return {
            "id": key,
            "reference": body["reference"],
            "lines": lines,
            "charged": str(charged),
            "expected_from": min(dues),
            "expected_by": max(dues),
            "papers": (body.get("review") or {"papers": {}})["papers"],
        }

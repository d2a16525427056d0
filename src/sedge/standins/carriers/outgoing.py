"""Other carriers that ask ours for numbers, and the one that takes them without asking: steered
from the control panel.

A request lies at the carrier until its customer answers; approved numbers go some working days
later at ten in the morning, UTC.
"""

from collections.abc import Callable
from datetime import datetime, time, timedelta
from typing import Any

from fastapi import APIRouter, Depends, HTTPException
from pydantic import BaseModel, Field

from sedge.standins.storage import Book, Json, moment, stamp

ANSWER_WITHIN, GOES_AFTER_DAYS, GOES_AT = timedelta(hours=48), 3, time(10)
RETURNS_AFTER = timedelta(hours=20)
CODES = {
    "account-number",
    "name-mismatch",
    "pin-wrong",
    "not-in-service",
    "pending-order",
    "not-authorised",
}


class RequestAsked(BaseModel):
    """`unasked`: the numbers are gone at once, and nobody has asked."""

    carrier: str
    account: str
    numbers: list[str] = Field(min_length=1, max_length=1000)
    gaining: str = "Pellucid Telephony"
    name: str = ""
    account_number: str = ""
    pin: str = ""
    unasked: bool = False


class Refusal(BaseModel):
    code: str


def outgoing_control(book: Book) -> APIRouter:
    routes = APIRouter(prefix="/control/port-outs")

    @routes.post("")
    def ask(asked: RequestAsked) -> dict[str, object]:
        with book.writing():
            key = book.next_id("Q")
            body = {
                **asked.model_dump(),
                "at": stamp(book.now()),
                "state": "gone unasked" if asked.unasked else "asked",
                "goes_at": None,
                "code": "",
            }
            book.put("port out", key, body)
            if asked.unasked:
                _take(book, asked.numbers, asked.gaining)
        return {"id": key}

    @routes.delete("/{key}")
    def withdraw(key: str) -> Json:
        """Whoever asked takes it back."""
        with book.writing():
            body = book.get("port out", key)
            if body and body["state"] in {"asked", "approved"}:
                book.put("port out", key, {**body, "state": "withdrawn"})
        return {}

    return routes


def outgoing_routes(routes: APIRouter, book: Book, the_shop: Callable[..., Any]) -> None:
    @routes.get("/port-outs")
    def requests(shop: Any = Depends(the_shop)) -> Json:
        """Every request for numbers of the account, oldest first."""
        with book.writing():
            settle(book)
        return {
            "requests": [
                _shown(key, body)
                for key, body in book.all("port out").items()
                if body["account"] == shop.account
            ]
        }

    @routes.post("/port-outs/{key}/approve")
    def approve(key: str, shop: Any = Depends(the_shop)) -> Json:
        with book.writing():
            body = _known(book, key, shop.account)
            if body["state"] == "asked":
                body = {**body, "state": "approved", "goes_at": stamp(_goes_at(book.now()))}
                book.put("port out", key, body)
            elif body["state"] not in {"approved", "gone"}:
                raise HTTPException(
                    409, {"reason": "over", "why": f"the request is {body['state']}"}
                )
        return _shown(key, body)

    @routes.post("/port-outs/{key}/refuse")
    def refuse(key: str, refusal: Refusal, shop: Any = Depends(the_shop)) -> Json:
        with book.writing():
            body = _known(book, key, shop.account)
            if refusal.code not in CODES:
                raise HTTPException(
                    422, {"reason": "code", "why": "it is none of the trade's codes"}
                )
            if body["state"] == "asked":
                body = {**body, "state": "refused", "code": refusal.code}
                book.put("port out", key, body)
            elif body["state"] != "refused":
                raise HTTPException(
                    409, {"reason": "over", "why": f"the request is {body['state']}"}
                )
        return _shown(key, body)

    @routes.post("/port-outs/{key}/claim")
    def claim(key: str, shop: Any = Depends(the_shop)) -> Json:
        """Numbers that were taken without asking are fetched back."""
        with book.writing():
            body = _known(book, key, shop.account)
            if body["state"] == "gone unasked":
                body = {
                    **body,
                    "state": "claimed back",
                    "returns_at": stamp(book.now() + RETURNS_AFTER),
                }
                book.put("port out", key, body)
        return _shown(key, body)


def settle(book: Book) -> None:
    """What has happened by now: approved numbers go on their day, claimed ones come back."""
    for key, body in book.all("port out").items():
        if body["state"] == "approved" and moment(body["goes_at"]) <= book.now():
            _take(book, body["numbers"], body["gaining"])
            book.put("port out", key, {**body, "state": "gone"})
        if body["state"] == "claimed back" and moment(body["returns_at"]) <= book.now():
            for number in body["numbers"]:
                if kept := book.get("taken", number):
                    book.put("in service", number, kept["line"])
                    book.remove("taken", number)
            book.put("port out", key, {**body, "state": "returned"})


def next_port_outs(book: Book) -> list[str]:
    found = []
    for body in book.all("port out").values():
        found += (
            [body["goes_at"]]
            if body["state"] == "approved"
            else [body["returns_at"]]
            if body["state"] == "claimed back"
            else []
        )
    return found


def _take(book: Book, numbers: list[str], gaining: str) -> None:
    """They are in service somewhere else from now on: calls no longer come this way."""
    for number in numbers:
        line = book.get("in service", number)
        book.put("taken", number, {"by": gaining, "line": line or {}})
        if line:
            book.remove("in service", number)


def _known(book: Book, key: str, account: str) -> Json:
    settle(book)
    body = book.get("port out", key)
    if body is None or body["account"] != account:
        raise HTTPException(404, {"reason": "unknown request"})
    return body


def _shown(key: str, body: Json) -> Json:
    given = {"name": body["name"], "account": body["account_number"], "pin": body["pin"]}
    asked = moment(body["at"])
    return {
        "id": key,
        "gaining": body["gaining"],
        "numbers": body["numbers"],
        "given": given,
        "asked_at": body["at"],
        "answer_due": stamp(_due(asked)),
        "state": body["state"],
        "goes_at": body["goes_at"],
        "code": body["code"],
        "returns_at": body.get("returns_at"),
    }


def _due(asked: datetime) -> datetime:
    """Two days, weekends not counted."""
    due = asked
    left = ANSWER_WITHIN
    while left:
        due += timedelta(days=1)
        if due.weekday() < 5:
            left -= timedelta(days=1)
    return due


def _goes_at(now: datetime) -> datetime:
    day, left = now.date(), GOES_AFTER_DAYS
    while left:
        day += timedelta(days=1)
        left -= day.weekday() < 5
    return datetime.combine(day, GOES_AT, now.tzinfo)

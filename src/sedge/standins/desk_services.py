"""The address register and the mail service."""

from typing import Any

from fastapi import APIRouter, Header

from sedge.standins.book import Book, stamp

# street, first and last house number, side (all, odd, even), city, region, postcode, country, PSAP
SEGMENTS = (
    ("Lanternfield Wharf", 1, 40, "all", "Leeds", "West Yorkshire", "LS1 4ZZ", "GB", "Leeds operator assistance"),
    ("Towpath Row", 1, 19, "odd", "Leeds", "West Yorkshire", "LS1 5ZZ", "GB", "Leeds operator assistance"),
    ("Towpath Road", 2, 60, "even", "Leeds", "West Yorkshire", "LS1 6ZZ", "GB", "Leeds operator assistance"),
    ("Saltgate Lane", 1, 120, "all", "Leeds", "West Yorkshire", "LS2 7ZZ", "GB", "Leeds operator assistance"),
    ("Mill Goit Street", 1, 80, "all", "Leeds", "West Yorkshire", "LS3 1ZZ", "GB", "Leeds operator assistance"),
    ("Archive Quay", 1, 30, "all", "Liverpool", "Merseyside", "L3 0ZZ", "GB", "Liverpool operator assistance"),
    ("Dome Hill", 1, 12, "all", "Edinburgh", "City of Edinburgh", "EH3 9ZZ", "GB", "Edinburgh operator assistance"),
    ("Tide Parade", 1, 50, "all", "Cardiff", "Cardiff", "CF10 4ZZ", "GB", "Cardiff operator assistance"),
    ("Speicherufer", 1, 60, "all", "Berlin", "Berlin", "10999", "DE", "Leitstelle Berlin"),
    ("Hafentreppe", 1, 24, "all", "Hamburg", "Hamburg", "20459", "DE", "Leitstelle Hamburg"),
)
FIELDS = ("street", "first", "last", "side", "city", "region", "postcode", "country", "psap")


def register_routes() -> APIRouter:
    routes = APIRouter(prefix="/register")

    @routes.get("/segments")
    def segments(country: str) -> dict[str, Any]:
        return {"segments": [dict(zip(FIELDS, s, strict=True)) for s in SEGMENTS if s[7] == country]}

    return routes


def mail_routes(book: Book) -> APIRouter:
    routes = APIRouter(prefix="/mail")

    @routes.post("/messages")
    def send(body: dict[str, Any], idempotency_key: str = Header()) -> dict[str, Any]:
        with book.writing():
            if book.get("mail", idempotency_key) is None:
                book.put("mail", idempotency_key, {**body, "at": stamp(book.now())})
        return {}

    @routes.get("/messages")
    def messages() -> dict[str, Any]:
        return {"items": list(reversed(book.all("mail").values()))}

    return routes

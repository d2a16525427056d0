"""The mail service."""

from fastapi import APIRouter, Header

from sedge.standins.storage import Book, stamp


def mail_routes(book: Book) -> APIRouter:
    routes = APIRouter(prefix="/mail")

    @routes.post("/messages")
    def send(body: dict[str, object], idempotency_key: str = Header()) -> dict[str, object]:
        with book.writing():
            if book.get("mail", idempotency_key) is None:
                book.put("mail", idempotency_key, {**body, "at": stamp(book.now())})
        return {}

    @routes.get("/messages")
    def messages() -> dict[str, object]:
        return {"items": list(reversed(book.all("mail").values()))}

    return routes

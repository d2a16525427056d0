"""Papers at a simulated carrier: uploads, and the person who looks at them on an order.

The person takes their time, and sends back what can't be read: a scan of few dots. What they say
can be steered.
"""

from collections.abc import Callable
from datetime import timedelta
from typing import Any

from fastapi import APIRouter, Depends, Header, HTTPException, Request

from sedge.standins.storage import Book, Json, moment, stamp

FEW_BYTES = 20_000
TYPES = {"application/pdf", "image/png", "image/jpeg"}


def wanted(manner: Any, numbers: list[str]) -> list[str]:
    """The kinds of paper that must come with an order of these numbers."""
    return sorted(
        {
            kind
            for lead, kinds in manner.papers.items()
            for kind in kinds
            if any(n.startswith(lead) for n in numbers)
        }
    )


def refuse_papers(
    book: Book, manner: Any, account: str, numbers: list[str], papers: list[str]
) -> None:
    known = {p: book.get("paper", f"{account}/{p}") for p in papers}
    if unknown := [p for p, body in known.items() if body is None]:
        raise HTTPException(422, {"reason": "unknown papers", "papers": unknown})
    kinds = {body["kind"] for body in known.values()}
    if missing := [kind for kind in wanted(manner, numbers) if kind not in kinds]:
        raise HTTPException(422, {"reason": "papers", "missing": missing})


def begin_review(book: Book, manner: Any, papers: list[str]) -> Json:
    return {
        "due": stamp(book.now() + manner.review),
        "papers": {p: {"state": "in review", "reason": ""} for p in papers},
    }


def look_through(book: Book, account: str, review: Json) -> bool:
    """The person comes to it: every paper gets a word. Whether all of them are good."""
    for key, said in review["papers"].items():
        if said["state"] == "in review":
            said.update(_word(book, book.get("paper", f"{account}/{key}")))
    return all(said["state"] == "accepted" for said in review["papers"].values())


def _word(book: Book, paper: Json) -> dict[str, str]:
    steered = book.get("steered", "review")
    if steered and steered["count"] > 0:
        book.put("steered", "review", {**steered, "count": steered["count"] - 1})
        return {"state": steered["verdict"], "reason": steered["reason"]}
    if paper["type"] != "application/pdf" and paper["size"] < FEW_BYTES:
        return {
            "state": "rejected",
            "reason": "the scan can't be read; send it with 200 dots an inch or more, or as PDF",
        }
    return {"state": "accepted", "reason": ""}


def lateness(review: Json | None) -> timedelta | None:
    """How long lines must wait for the person; None where they need not."""
    open_ = review is not None and any(
        said["state"] != "accepted" for said in review["papers"].values()
    )
    return timedelta(days=3650) if open_ else None


def paper_routes(routes: APIRouter, book: Book, the_shop: Callable[..., Any]) -> None:
    @routes.put("/papers/{key}")
    async def upload(
        key: str, request: Request, paper_kind: str = Header(), shop: Any = Depends(the_shop)
    ) -> Json:
        content = await request.body()
        kind = request.headers.get("content-type", "")
        if kind not in TYPES:
            raise HTTPException(422, {"reason": "not a PDF or image"})
        with book.writing():
            book.put(
                "paper",
                f"{shop.account}/{key}",
                {"kind": paper_kind, "type": kind, "size": len(content), "at": stamp(book.now())},
            )
        return {"id": key}

    @routes.put("/orders/{key}/papers/{old}")
    def replace(key: str, old: str, body: dict[str, str], shop: Any = Depends(the_shop)) -> Json:
        """Another one in place of one that was rejected; the person looks again. Repeated, the
        same."""
        with book.writing():
            order = shop.look_after(key)
            review, fresh = order.get("review"), body.get("document", "")
            if review is None or book.get("paper", f"{shop.account}/{fresh}") is None:
                raise HTTPException(422, {"reason": "unknown papers", "papers": [fresh]})
            if fresh not in review["papers"]:
                if review["papers"].get(old, {}).get("state") != "rejected":
                    raise HTTPException(409, {"reason": "not rejected"})
                del review["papers"][old]
                review["papers"][fresh] = {"state": "in review", "reason": ""}
                review["due"] = stamp(book.now() + shop.manner.review)
                book.put("order", key, order)
        return shop.shown(key)


def is_due(book: Book, review: Json | None) -> bool:
    return (
        review is not None
        and moment(review["due"]) <= book.now()
        and any(p["state"] == "in review" for p in review["papers"].values())
    )

"""Calling back whoever asked to be told, and the faults one can order for each service."""

import contextlib
from collections.abc import Callable
from typing import Any

import httpx

from sedge.standins.book import Book


class Callbacks:
    """`tellers` look for what has happened; `dues` say when something will."""

    def __init__(self, book: Book) -> None:
        self.book = book
        self.tellers: list[Callable[[], None]] = []
        self.dues: list[Callable[[], list[str]]] = []

    def send(self, service: str, url: str, body: dict[str, Any]) -> None:
        """Nobody there is no trouble of ours: they can ask."""
        times = 2 if self.take_fault(service, "duplicate_callback") else 1
        for _ in range(times):
            with contextlib.suppress(httpx.HTTPError):
                httpx.post(url, json=body, timeout=5)

    def take_fault(self, service: str, *kinds: str) -> str | None:
        """The next ordered fault of these kinds, counted down."""
        with self.book.writing():
            for key, fault in self.book.all("fault").items():
                if fault["service"] == service and fault["fault"] in kinds:
                    left = fault["count"] - 1
                    if left > 0:
                        self.book.put("fault", key, {**fault, "count": left})
                    else:
                        self.book.remove("fault", key)
                    return fault["fault"]
        return None

    def tick(self) -> None:
        for tell in self.tellers:
            tell()

    def next_due(self) -> list[str]:
        return sorted(due for ask in self.dues for due in ask())

"""Calling back whoever asked to be told, and the faults one can order for each service."""

import contextlib
import hashlib
import hmac
import json
from collections.abc import Callable, Collection
from datetime import datetime

import httpx

from sedge.standins.storage import Book, Json


class Callbacks:
    """`tellers` look for what has happened; `dues` say when something will."""

    def __init__(self, book: Book) -> None:
        self.book = book
        self.tellers: list[Callable[[], None]] = []
        self.dues: list[Callable[[], list[str]]] = []
        self._quiet: tuple[tuple[int, int], list[str]] | None = None
        # kept, as making one reads all certificates of the machine; plain HTTP on loopback
        self._client = httpx.Client(timeout=5, trust_env=False, verify=False)  # noqa: S501

    def send(self, to: dict[str, str], body: Json, at: datetime) -> None:
        """Signed with the secret agreed on. Nobody there is no trouble of ours: they can ask."""
        times = 2 if self.take_fault(("carrier", body["carrier"]), "duplicate_callback") else 1
        for _ in range(times):
            text = json.dumps(body)
            moment = str(int(at.timestamp()))
            signed = hmac.new(
                to["secret"].encode(), f"{moment}.{text}".encode(), hashlib.sha256
            ).hexdigest()
            headers = {
                "Content-Type": "application/json",
                "Callback-Time": moment,
                "Callback-Signature": signed,
            }
            with contextlib.suppress(httpx.HTTPError):
                self._client.post(to["url"], content=text, headers=headers)

    def take_fault(self, services: Collection[str], *kinds: str) -> str | None:
        """The next ordered fault of these kinds, counted down."""
        with self.book.writing():
            for key, fault in self.book.all("fault").items():
                if fault["service"] in services and fault["fault"] in kinds:
                    left = fault["count"] - 1
                    if left > 0:
                        self.book.put("fault", key, {**fault, "count": left})
                    else:
                        self.book.remove("fault", key)
                    return fault["fault"]
        return None

    def tick(self) -> list[str]:
        """Tell what has happened; when something will, in order."""
        if self._quiet is not None and self.is_quiet:
            return self._quiet[1]
        for tell in self.tellers:
            tell()
        self._quiet = self.book.version, sorted(due for ask in self.dues for due in ask())
        return self._quiet[1]

    @property
    def is_quiet(self) -> bool:
        """Nothing was written and nothing has become due since the last tick."""
        if self._quiet is None or self._quiet[0] != self.book.version:
            return False
        due = self._quiet[1]
        return not due or self.book.now() < datetime.fromisoformat(due[0])

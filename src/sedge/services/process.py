"""What the process of one installation is in the middle of: read on, imported, checked or
answered slice by slice. All of it is gone with the process, and begun anew from what is stored."""

import threading
from collections import defaultdict
from dataclasses import dataclass, field
from typing import Any, Generic, TypeVar

from sedge.store.database import AskWriter

T = TypeVar("T")


@dataclass(frozen=True)
class Slot(Generic[T]):
    """A place for work of one kind, by key. Kept as a constant beside what does that work."""

    name: str


@dataclass
class Process:
    only_reads: bool = False
    _under_way: dict[Slot[Any], dict[str, Any]] = field(default_factory=dict)
    _locks: dict[str, threading.Lock] = field(default_factory=lambda: defaultdict(threading.Lock))

    def under_way(self, slot: Slot[T]) -> dict[str, T]:
        """What is under way of a kind, by key; to be changed by whoever does it. Raises AskWriter
        in a process that only reads."""
        if self.only_reads:
            raise AskWriter
        return self._under_way.setdefault(slot, {})

    def one_at_a_time(self, key: str) -> threading.Lock:
        """The lock of whatever must not be done twice at once. Raises AskWriter as above."""
        if self.only_reads:
            raise AskWriter
        return self._locks[key]

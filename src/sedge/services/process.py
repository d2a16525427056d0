"""What the process of one installation is in the middle of: read on, brought in, checked or
answered slice by slice. All of it is gone with the process, and begun anew from what is stored."""

import threading
from collections import defaultdict
from dataclasses import dataclass, field
from typing import Any, Generic, TypeVar

T = TypeVar("T")


@dataclass(frozen=True)
class Slot(Generic[T]):
    """A place for work of one kind, by key. Kept as a constant beside what does that work."""

    name: str


@dataclass
class Process:
    _under_way: dict[Slot[Any], dict[str, Any]] = field(default_factory=dict)
    _locks: dict[str, threading.Lock] = field(default_factory=lambda: defaultdict(threading.Lock))

    def under_way(self, slot: Slot[T]) -> dict[str, T]:
        """What is under way of a kind, by key; to be changed by whoever does it."""
        return self._under_way.setdefault(slot, {})

    def one_at_a_time(self, key: str) -> threading.Lock:
        """The lock of whatever must not be done twice at once."""
        return self._locks[key]

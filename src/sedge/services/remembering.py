"""What a process remembers of its organisations until something changes, so that it is not worked
out again for every page."""

import threading
import time
from collections import OrderedDict, defaultdict
from collections.abc import Callable, Hashable
from concurrent.futures import ThreadPoolExecutor
from functools import cached_property
from typing import Any, Protocol, TypeVar

import structlog
from sqlalchemy import Connection

from sedge.core.access.scope import Scope
from sedge.core.errors import SedgeError
from sedge.services.clock import Clock
from sedge.services.process import Process
from sedge.settings import Settings
from sedge.store.database import Database
from sedge.store.repositories import ledger
from sedge.store.repositories.access.sign_ins import Member

T = TypeVar("T")
Made = tuple[int, Any]  # change counter, and what was made then
Key = tuple[str, str, Scope]  # organisation, name, who sees as much
log = structlog.get_logger("sedge")
MOST_RECALLED = 128
MANY, FRESH_SECONDS = 8, 1.0  # so many requests at work at once; what is that old is good enough
ASIDE_SECONDS = 2.0  # between two times that the same is made aside


class OnBehalf(Protocol):
    """Anything that says on whose behalf it asks."""

    @property
    def who(self) -> Member: ...


class Remembering:
    """A part of the installation. What is remembered is the organisation's change counter it was
    made at, the slot of time, itself, and when that was."""

    settings: Settings
    clock: Clock
    shared: Database
    estates: dict[str, Database]
    at_work: int
    process: Process

    def __init__(self) -> None:
        self._change_counters: dict[str, tuple[int, int]] = {}
        self._recalled: OrderedDict[Hashable, Made] = OrderedDict()
        self._recalling = threading.Lock()
        self._remembered: dict[Key, tuple[int, int, Any, float]] = {}
        self._making: dict[Key, threading.RLock] = defaultdict(threading.RLock)
        self._aside: set[Key] = set()

    @property
    def makes_aside(self) -> bool:
        """Whether something may be done aside: not where nothing runs by itself, as in tests."""
        return self.settings.runner or self.process.only_reads

    @cached_property
    def _beside(self) -> ThreadPoolExecutor:
        return ThreadPoolExecutor(1, "beside")

    def forget(self) -> None:
        """Nothing is made aside any more."""
        self._beside.shutdown(wait=True, cancel_futures=True)

    def while_unchanged(
        self,
        context: OnBehalf,
        name: str,
        make: Callable[[], T],
        *,
        minutes: int = 1,
        current: bool = False,
    ) -> T:
        """What `make` gives for who sees as much as this desk does, made anew when something of the
        organisation has changed, or so many minutes later.

        One makes it at a time. While somebody does, others take what was made before: they would
        only make the same once more. With many at work it may be a second old even so. Where it
        has to be `current`, they wait.
        """
        slot = int(self.clock.now().timestamp()) // (60 * minutes)
        key = (context.who.organisation, name, context.who.scope)
        known = self._remembered.get(key)
        if known is not None and known[:2] == (self.change_counter(context.who.organisation), slot):
            return known[2]
        making = self._making[key]
        if known is not None and not current and self._is_fresh_enough(known[3]):
            return known[2]
        if not making.acquire(blocking=current or known is None):
            return known[2] if known else make()
        try:
            seen = (self.change_counter(context.who.organisation), slot)
            known = self._remembered.get(key)
            if known is None or known[:2] != seen:
                known = self._remembered[key] = (*seen, make(), time.monotonic())
            return known[2]
        finally:
            making.release()

    def lately(self, context: OnBehalf, name: str, make: Callable[[], T]) -> tuple[T, bool]:
        """What `make` gave last and whether it still holds. Where something has changed since, it
        is made anew aside, every other second at most, so that nobody waits for it. In an
        installation without a runner nothing is done aside: it is made first."""
        key = (context.who.organisation, name, context.who.scope)
        known = self._remembered.get(key)
        if known is None or not self.makes_aside:
            return self.while_unchanged(context, name, make), True
        slot = int(self.clock.now().timestamp()) // 60
        if known[:2] == (self.change_counter(context.who.organisation), slot):
            return known[2], True
        with self._recalling:
            is_due = time.monotonic() - known[3] > ASIDE_SECONDS and key not in self._aside
            if is_due:
                self._aside.add(key)
        if is_due:
            self._beside.submit(
                self._make_aside, key, lambda: self.while_unchanged(context, name, make)
            )
        return known[2], False

    def _make_aside(self, key: Key, make: Callable[[], object]) -> None:
        try:
            make()
        except SedgeError as error:  # the page that shows it whole says what is wrong
            log.warning("made aside", key=key[1], error=error.message)
        finally:
            self._aside.discard(key)

    def _is_fresh_enough(self, made_at: float) -> bool:
        return self.at_work >= MANY and time.monotonic() - made_at < FRESH_SECONDS

    def change_counter(self, organisation: str) -> int:
        """The change counter of an organisation, read from its database only when something was
        written since it was last read."""
        database = self.estates[organisation]
        writes, known = database.writes, self._change_counters.get(organisation)
        if known is None or known[0] != writes:
            with database.reading() as connection:
                known = self._change_counters[organisation] = (
                    writes,
                    ledger.change_counter(connection),
                )
        return known[1]

    def recall(self, context: OnBehalf, name: str, key: Hashable, make: Callable[[], T]) -> T:
        """What `make` gives for `key`, made anew when something of the organisation has changed.
        The latest `MOST_RECALLED` are kept."""
        change_counter = self.change_counter(context.who.organisation)
        full = (context.who.organisation, context.who.scope, name, key)
        known = self._recalled.get(full)
        if known is not None and known[0] == change_counter:
            return known[1]
        made = make()
        self._keep(full, (change_counter, made))
        return made

    def of_installation(self, key: Hashable, make: Callable[[Connection], T]) -> T:
        """What `make` reads of the installation's database, read anew when something was written to
        it. The latest `MOST_RECALLED` are kept."""
        writes = self.shared.writes
        known = self._recalled.get(key)
        if known is not None and known[0] == writes:
            return known[1]
        with self.shared.reading() as connection:
            made = make(connection)
        self._keep(key, (writes, made))
        return made

    def _keep(self, key: Hashable, made: Made) -> None:
        with self._recalling:
            self._recalled.pop(key, None)
            self._recalled[key] = made
            while len(self._recalled) > MOST_RECALLED:
                self._recalled.popitem(last=False)

    def for_a_while(
        self, context: OnBehalf, name: str, make: Callable[[], T], *, minutes: int = 10
    ) -> T:
        """The same, made anew every so many minutes only: for estimates that move slowly and cost
        something."""
        slot = int(self.clock.now().timestamp()) // (60 * minutes)
        key = (context.who.organisation, name, context.who.scope)
        known = self._remembered.get(key)
        if known is None or known[0] != slot:
            known = self._remembered[key] = (slot, 0, make(), 0.0)
        return known[2]

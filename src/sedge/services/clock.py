"""Sedge's clock: real time and an offset that the demo's control panel may move forward.

The offset is stored, so that a restart keeps it. Leases, sessions and sign-in throttling use
`real`.
"""

import threading
from datetime import UTC, datetime, timedelta


class Clock:
    def __init__(self, offset: timedelta = timedelta(0), fixed: datetime | None = None) -> None:
        self._lock = threading.Lock()
        self._offset = offset
        self._fixed = fixed

    def real(self) -> datetime:
        return datetime.now(UTC)

    def now(self) -> datetime:
        return (self._fixed or self.real()) + self._offset

    @property
    def offset(self) -> timedelta:
        return self._offset

    def advance(self, by: timedelta) -> None:
        """Forward only: the past has been written down."""
        if by < timedelta(0):
            raise ValueError("the clock only goes forward")
        with self._lock:
            self._offset += by

    def set_offset(self, offset: timedelta) -> None:
        """As it was kept."""
        with self._lock:
            self._offset = offset

    def set_fixed(self, moment: datetime) -> None:
        """For seeding and tests: stand still at `moment` (plus the offset)."""
        with self._lock:
            self._fixed = moment

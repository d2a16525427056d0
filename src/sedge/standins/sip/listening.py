"""The SIP side, begun when somebody first asks for it: most tests and pages never do."""

import threading
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from sedge.standins.sip.server import SipCarriers


class Listening:
    def __init__(self) -> None:
        self._carriers: SipCarriers | None = None
        self._lock = threading.Lock()

    def listening(self) -> "SipCarriers":
        from sedge.standins.sip.server import SipCarriers  # noqa: PLC0415  loads DNS and X.509

        with self._lock:
            if self._carriers is None:
                self._carriers = SipCarriers().start()
            return self._carriers

    def forget(self) -> None:
        """As if just started: no faults, no calls."""
        if self._carriers is not None:
            self._carriers.faults.clear()
            self._carriers.calls.clear()

    def stop(self) -> None:
        if self._carriers is not None:
            self._carriers.stop()
            self._carriers = None

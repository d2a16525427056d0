"""The address register, the control of the stand-ins, and mail where there is no server."""

from collections.abc import Sequence
from datetime import datetime
from functools import cached_property
from typing import Any
from urllib.parse import quote

import httpx

from sedge.core.facts import MailFile
from sedge.outside.http import Service
from sedge.outside.smtp import MailServer, Received, SmtpMail

PATIENT = httpx.Timeout(60.0)


class Register(Service):
    def candidates(
        self, country: str, city: str, street: str, postcode: str
    ) -> list[dict[str, Any]]:
        """Street segments that might be meant: street, first and last house number, side, city,
        region, postcode, country, psap, latitude and longitude of the middle (WGS 84)."""
        typed = {"country": country, "city": city, "street": street, "postcode": postcode}
        return self.call("POST", "candidates", json=typed)["segments"]


class NoMail(Service):
    """An installation without a mail server: letters are kept."""

    def send(
        self,
        key: str,
        recipient: str,
        subject: str,
        text: str,
        html: str = "",
        files: Sequence[MailFile] = (),
    ) -> None:
        """Raises OutsideRefused: there is none."""
        self.call("POST", "messages")

    def mailbox(self) -> list[Received]:
        return []


class Control(Service):
    """The stand-ins' control panel; in the demo and tests only. A tick waits until all callbacks
    have gone out."""

    def __init__(self, name: str, base_url: str) -> None:
        super().__init__(name, base_url, timeout=PATIENT)

    def advance(self, seconds: float) -> None:
        self.call("POST", "clock", json={"advance": seconds})

    def now(self) -> datetime:
        """What time it is for the stand-ins."""
        return datetime.fromisoformat(self.call("GET", "clock")["now"])

    def tick(self) -> list[str]:
        """Lets due callbacks go out; the moments at which something else will happen."""
        return self.call("POST", "tick")["due"]

    def order_fault(self, fault: dict[str, Any]) -> Any:
        return self.call("POST", "faults", json=fault)

    def state(self) -> dict[str, Any]:
        """All that can be steered, and what has come of it."""
        return self.call("GET", "state")

    def sip(self) -> dict[str, Any]:
        """The SIP side of the made-up carriers: ports, who may sign in, faults, the last calls."""
        return self.call("GET", "sip")

    def set_sip_fault(self, domain: str, fault: str) -> None:
        """From now on; '' takes it back."""
        self.call("PUT", "sip/faults", json={"domain": domain, "fault": fault})

    def put_in_service(self, numbers: list[dict[str, str]]) -> None:
        """Numbers that accounts have had since before the carriers' books begin: number, carrier,
        account, monthly."""
        self.call("PUT", "in-service", json={"numbers": numbers})

    def open_account(self, carrier: str, name: str, country: str) -> str:
        """The carrier's sales desk opens an account for who has none there, in the country's
        currency; its key."""
        return self.call(
            "POST", f"accounts/{quote(carrier)}", json={"name": name, "country": country}
        )["key"]

    def set_prices(self, carrier: str, percent: float) -> None:
        """From now on everything there costs so many per cent more than on its list."""
        self.call("PUT", f"prices/{quote(carrier)}", json={"percent": percent})

    def steer_review(self, verdict: str, reason: str, count: int) -> None:
        """What the person who looks at papers says of the next ones."""
        self.call("PUT", "review", json={"verdict": verdict, "reason": reason, "count": count})

    def backdate_port(self, key: str, days: float) -> None:
        """As if a port had been asked for so many days ago."""
        self.call("PUT", f"ports/{quote(key)}", json={"days_ago": days})

    def ask_for_numbers(self, request: dict[str, Any]) -> str:
        """Another carrier asks one of ours for numbers, or takes them without asking (`unasked`);
        the request's id there."""
        return self.call("POST", "port-outs", json=request)["id"]

    def let_drift(self, wish: dict[str, object]) -> None:
        """A carrier's list changes by itself: `dropped`, `added` with `account`, `prices`,
        `trunks`, `leaving`."""
        self.call("PUT", "drift", json=wish)

    def take_request_back(self, key: str) -> None:
        self.call("DELETE", f"port-outs/{quote(key)}")

    def steer_porting(self, *, silent: bool) -> None:
        """Whether losing carriers leave what they are asked from now on lying about."""
        self.call("PUT", "porting", json={"silent": silent})

    def set_trunk(self, trunk: str, *, up: bool) -> None:
        self.call("PUT", f"trunks/{quote(trunk)}", json={"up": up})

    def fill_directory(
        self, users: list[dict[str, object]], groups: list[dict[str, object]]
    ) -> None:
        """Users and groups as SCIM resources, each with its external id."""
        self.call("PUT", "directory", json={"users": users, "groups": groups})

    def connect_directory(self, url: str, token: str) -> None:
        """Where the directory shall push what changes."""
        self.call("PUT", "directory/target", json={"url": url, "token": token})

    def in_directory(self, event: dict[str, str]) -> dict[str, Any]:
        """Somebody joins, moves, leaves or changes over there."""
        return self.call("POST", "directory/events", json=event)


class StandinMail(SmtpMail):
    """The stand-ins' mail server, over SMTP as a real one; it says where it listens, and shows what
    it has received."""

    def __init__(self, control: Control, seconds: float) -> None:
        self._control, self._seconds = control, seconds

    @cached_property
    def _server(self) -> MailServer:
        port = self._control.call("GET", "mailbox")["port"]
        sender = "Sedge <sedge@lanternfield.example>"
        return MailServer("127.0.0.1", port, sender, tls="none", seconds=self._seconds)

    def mailbox(self) -> list[Received]:
        """Newest first."""
        return self._control.call("GET", "mailbox")["items"]

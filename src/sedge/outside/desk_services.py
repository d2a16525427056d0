"""The address register and the mail service."""

from collections.abc import Sequence
from datetime import datetime
from typing import Any
from urllib.parse import quote

import httpx

from sedge.core.facts import MailFile
from sedge.outside.http import Service

PATIENT = httpx.Timeout(60.0)


class Register(Service):
    def candidates(
        self, country: str, city: str, street: str, postcode: str
    ) -> list[dict[str, Any]]:
        """Street segments that might be meant: street, first and last house number, side, city,
        region, postcode, country, psap, latitude and longitude of the middle (WGS 84)."""
        typed = {"country": country, "city": city, "street": street, "postcode": postcode}
        return self.call("POST", "candidates", json=typed)["segments"]


class Mail(Service):
    def send(
        self,
        key: str,
        recipient: str,
        subject: str,
        text: str,
        html: str = "",
        files: Sequence[MailFile] = (),
    ) -> None:
        """Sends once per key; files are told by name, kind and size."""
        told = [
            {"name": f.name, "media_type": f.media_type, "bytes": len(f.content)} for f in files
        ]
        letter = {"to": recipient, "subject": subject, "text": text, "html": html, "files": told}
        self.call(
            "POST",
            "messages",
            json=letter,
            headers={"Idempotency-Key": key},
        )

    def mailbox(self) -> list[dict[str, Any]]:
        """What the stand-in has received, newest first."""
        return self.call("GET", "messages")["items"]


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

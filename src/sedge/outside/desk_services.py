"""The address register and the mail service."""

from typing import Any

from sedge.outside.http import Service


class Register(Service):
    def segments(self, country: str) -> list[dict[str, Any]]:
        """Street segments: street, first and last house number, side, city, region, postcode, psap."""
        return self.call("GET", "segments", params={"country": country})["segments"]


class Mail(Service):
    def send(self, key: str, recipient: str, subject: str, text: str) -> None:
        """Sends once per key."""
        self.call("POST", "messages", json={"to": recipient, "subject": subject, "text": text}, headers={"Idempotency-Key": key})

    def mailbox(self) -> list[dict[str, Any]]:
        """What the stand-in has received, newest first."""
        return self.call("GET", "messages")["items"]


class Control(Service):
    """The stand-ins' control panel; in the demo and tests only."""

    def advance(self, seconds: float) -> None:
        self.call("POST", "clock", json={"advance": seconds})

    def tick(self) -> list[str]:
        """Lets due callbacks go out; the moments at which something else will happen."""
        return self.call("POST", "tick")["due"]

    def order_fault(self, fault: dict[str, Any]) -> Any:
        return self.call("POST", "faults", json=fault)

"""The numbering register, and the gaining carriers' interface for ports."""

from dataclasses import dataclass, field
from datetime import date, datetime
from decimal import Decimal
from typing import Any
from urllib.parse import quote

from sedge.core.porting.planning import Served
from sedge.core.porting.records import Port
from sedge.outside.http import Service


@dataclass(frozen=True)
class PortAnswer:
    """How a port stands with its losing carrier. `state` is submitted, queried, rejected, accepted,
    due, activated backed out or cancelled; `refused` numbers stay behind, each with why; `arrived`
    are with the gaining carrier, which asks `monthly` for each.
    """

    id: str
    state: str
    answer_due: datetime
    foc: datetime | None
    code: str
    text: str
    refused: dict[str, str] = field(default_factory=dict)
    arrived: frozenset[str] = frozenset()
    monthly: Decimal | None = None


class Numbering(Service):
    """Who serves which number now."""

    def served(self, numbers: list[str]) -> dict[str, Served]:
        found = self.call("POST", "served", json={"numbers": numbers})["served"]
        return {x["number"]: _served(x) for x in found}

    def on_account(self, carrier: str, account: str) -> list[Served]:
        """Everything on an account, as far as its carrier tells."""
        return [
            _served(x)
            for x in self.call("GET", f"accounts/{quote(account)}", params={"carrier": carrier})[
                "served"
            ]
        ]


class Ports(Service):
    """Ports asked for through a gaining carrier. Each call may be repeated and has one effect."""

    def submit(
        self, gaining: str, key: str, port: Port, reference: str, account: str
    ) -> PortAnswer:
        """A new port to our `account` there, or the same again with other details once it was
        rejected. Refused with `pending-order`."""
        notes = [*port.settled, *(s.text for s in port.said if s.what in {"noted", "answered"})]
        body = {
            "reference": reference,
            "account": account,
            "losing": port.losing,
            "numbers": list(port.numbers),
            "codes": {x.e164: x.code for x in port.lines if x.code},
            "details": port.details.model_dump(),
            "wanted": port.wanted.isoformat() if port.wanted else None,
            "notes": notes,
        }
        headers = {"Idempotency-Key": key}
        if port.replaces:
            return _answer(
                self.call(
                    "PUT", f"{quote(gaining)}/{quote(port.replaces)}", json=body, headers=headers
                )
            )
        return _answer(self.call("POST", quote(gaining), json=body, headers=headers))

    def state(self, gaining: str, placed_as: str) -> PortAnswer:
        return _answer(self.call("GET", f"{quote(gaining)}/{quote(placed_as)}"))

    def answer(
        self, gaining: str, placed_as: str, text: str, attached: dict[str, str] | None = None
    ) -> PortAnswer:
        """`attached` is a document: its name, media type and content in base64 (RFC 4648 §4)."""
        return _answer(
            self.call(
                "POST",
                f"{quote(gaining)}/{quote(placed_as)}/answer",
                json={"text": text, "attached": attached},
            )
        )

    def remind(self, gaining: str, placed_as: str) -> PortAnswer:
        """The losing carrier is past its time and is told so."""
        return _answer(self.call("POST", f"{quote(gaining)}/{quote(placed_as)}/remind"))

    def back_out(self, gaining: str, placed_as: str) -> PortAnswer:
        """Refused with `window closed`."""
        return _answer(self.call("POST", f"{quote(gaining)}/{quote(placed_as)}/back-out"))

    def move_date(self, gaining: str, placed_as: str, day: date) -> PortAnswer:
        """Refused with `date` and a `why`."""
        return _answer(
            self.call(
                "POST",
                f"{quote(gaining)}/{quote(placed_as)}/date",
                json={"wanted": day.isoformat()},
            )
        )

    def activate(self, gaining: str, placed_as: str) -> PortAnswer:
        """Begins the switch, and says how far it has come. Refused with `not due`."""
        return _answer(self.call("POST", f"{quote(gaining)}/{quote(placed_as)}/activate"))

    def cancel(self, gaining: str, placed_as: str) -> PortAnswer:
        return _answer(self.call("DELETE", f"{quote(gaining)}/{quote(placed_as)}"))


def _served(x: dict[str, Any]) -> Served:
    ended = date.fromisoformat(x["ended_on"]) if x.get("ended_on") else None
    return Served(
        x["number"],
        x["carrier"],
        x["account"],
        x["in_service"],
        x["pending"],
        ended,
        x["hangs"],
        x.get("used_for", ""),
    )


def _answer(x: dict[str, Any]) -> PortAnswer:
    foc = datetime.fromisoformat(x["foc"]) if x["foc"] else None
    return PortAnswer(
        x["id"],
        x["state"],
        datetime.fromisoformat(x["answer_due"]),
        foc,
        x["code"],
        x["text"],
        x["refused"],
        frozenset(x.get("arrived", ())),
        Decimal(x["monthly"]) if x.get("monthly") else None,
    )

"""What Sedge needs of a carrier that takes orders over the wire, and the HTTP client for those that
do."""

from collections.abc import Sequence
from dataclasses import dataclass, field
from datetime import datetime
from decimal import Decimal
from typing import Any, Protocol
from urllib.parse import quote

from httpx import Timeout

from sedge.core.facts import Money
from sedge.core.records import Capacity
from sedge.core.supply.records import LineState, PaperState
from sedge.outside.http import TIMEOUT, Service


@dataclass(frozen=True)
class StockItem:
    e164: str
    capacity: Capacity
    setup: Money
    monthly: Money
    features: dict[str, Money]


@dataclass(frozen=True)
class CarrierAccount:
    """An account as the carrier keeps it. `key` is told once, when it is opened."""

    id: str
    balance: Money
    receives_only: bool
    key: str | None = None
    suspended_since: datetime | None = None


@dataclass(frozen=True)
class CarrierCharge:
    """What a carrier has taken for numbers in service. `id` counts up within the carrier's book."""

    id: int
    at: datetime
    words: str
    amount: Decimal


@dataclass(frozen=True)
class CarrierHold:
    """`can_be_longer`: whether the carrier would prolong it."""

    id: str
    expires_at: datetime
    can_be_longer: bool = False


@dataclass(frozen=True)
class CarrierOrder:
    """`lines` maps E.164 to state, moment from which it can be used (delivered ones), reason;
    `papers` our ids of documents to what the carrier says of them."""

    id: str
    lines: dict[str, tuple[LineState, datetime | None, str]]
    charged: Decimal
    expected_from: datetime
    expected_by: datetime
    papers: dict[str, tuple[PaperState, str]] = field(default_factory=dict)


@dataclass(frozen=True)
class WantedOrder:
    """`key` makes it one purchase however often it is asked. `agreed` maps numbers to set-up and
    monthly price as seen."""

    key: str
    reference: str
    agreed: dict[str, tuple[Decimal, Decimal]]
    hold: str | None = None
    features: Sequence[str] = ()
    papers: Sequence[str] = ()


@dataclass(frozen=True)
class Callback:
    """Where a carrier tells of arrivals, and the secret with which it signs."""

    url: str
    secret: str


@dataclass(frozen=True)
class PortOutAsked:
    """A request of another carrier for numbers of the account. `given` is what it says of us: name,
    account, pin. `state` is asked, approved, refused, gone, withdrawn, gone unasked, claimed back
    or returned."""

    id: str
    gaining: str
    numbers: tuple[str, ...]
    given: dict[str, str]
    asked_at: datetime
    answer_due: datetime
    state: str
    goes_at: datetime | None
    code: str
    returns_at: datetime | None = None


@dataclass(frozen=True)
class ListedNumber:
    """A line of a carrier's own list. `trunk` None: it says nothing of it; `state` is in service,
    leaving or porting out."""

    number: str
    monthly: Decimal
    trunk: str | None
    state: str


class CarrierService(Protocol):
    """For whoever connects another carrier: every call may be repeated, and does the same again.

    A service speaks for one account: the one whose key it has (`with_key`). All raise OutsideSilent
    or OutsideRefused. `order` must buy once per `key`, however often it is called; the answer to a
    repeated call is the order as it stands now, and must sell nothing at other prices than those
    `agreed`. Reasons that Sedge understands: `taken` (with `numbers`), `balance` (with `balance`
    and `charge`), `price` (with `prices`), `papers` (with `missing`).
    """

    name: str

    def stock(self, country: str, starts: str, capacity: str) -> list[StockItem]: ...
    def prices(self, numbers: list[str]) -> list[StockItem]: ...
    def hold(self, numbers: list[str]) -> CarrierHold: ...
    def hold_longer(self, hold: str) -> CarrierHold: ...
    def with_key(self, secret: str) -> "CarrierService": ...
    def account(self) -> CarrierAccount: ...
    def charges(self, after: int) -> tuple[CarrierAccount, list[CarrierCharge]]: ...
    def open_account(self, key: str, name: str, currency: str) -> CarrierAccount: ...
    def new_key(self) -> str: ...
    def set_grace(self, days: int) -> None: ...
    def deposit(self, key: str, amount: str) -> None: ...
    def end_hold(self, hold: str) -> None: ...
    def order(self, wanted: WantedOrder) -> CarrierOrder: ...
    def order_state(self, order: str) -> CarrierOrder: ...
    def cancel(self, order: str) -> CarrierOrder: ...
    def send_paper(self, key: str, paper: str, media_type: str, content: bytes) -> None: ...
    def replace_paper(self, order: str, rejected: str, key: str) -> CarrierOrder: ...
    def release(self, e164: str) -> datetime | None: ...
    def set_feature(self, e164: str, feature: str, *, on: bool) -> datetime | None: ...
    def set_caller_name(self, e164: str, name: str) -> None: ...
    def register_address(self, e164: str, address: dict[str, str]) -> None: ...
    def addresses(self) -> dict[str, dict[str, str]]: ...
    def port_outs(self) -> list[PortOutAsked]: ...
    def approve_port_out(self, request: str) -> PortOutAsked: ...
    def refuse_port_out(self, request: str, code: str) -> PortOutAsked: ...
    def claim_back(self, request: str) -> PortOutAsked: ...
    def listed(self) -> list[ListedNumber]: ...
    def put_right(self, e164: str, what: str, ours: str) -> None: ...
    def close(self) -> None: ...


class HttpCarrier(Service):
    """The client for carriers with Sedge's plain JSON ordering interface (the stand-ins have
    it)."""

    def __init__(
        self,
        name: str,
        base_url: str,
        secret: str = "",
        callback: Callback | None = None,
        *,
        timeout: Timeout = TIMEOUT,
    ) -> None:
        super().__init__(name, base_url, secret, timeout=timeout)
        self.callback = callback

    def stock(self, country: str, starts: str, capacity: str) -> list[StockItem]:
        answer = self.call(
            "GET", "stock", params={"country": country, "starts": starts, "capacity": capacity}
        )
        return [self._item(item) for item in answer["numbers"]]

    def prices(self, numbers: list[str]) -> list[StockItem]:
        """Of numbers that are to be had or held; refused with `taken` where one isn't the
        carrier's."""
        return [
            self._item(item)
            for item in self.call("POST", "prices", json={"numbers": numbers})["numbers"]
        ]

    def account(self) -> CarrierAccount:
        """What the carrier's own book says of our account."""
        return self._account(self.call("GET", "account"))

    def charges(self, after: int) -> tuple[CarrierAccount, list[CarrierCharge]]:
        """How the account stands, and what has been charged for numbers in service since the charge
        of that id, oldest first."""
        answer = self.call("GET", "account/charges", params={"after": after})
        found = [
            CarrierCharge(
                c["id"], datetime.fromisoformat(c["at"]), c["words"], Decimal(c["amount"])
            )
            for c in answer["charges"]
        ]
        return self._account(answer), found

    def open_account(self, key: str, name: str, currency: str) -> CarrierAccount:
        """One more account; `key` makes it one however often it is asked."""
        return self._account(
            self.call(
                "POST",
                "accounts",
                json={"name": name, "currency": currency},
                headers={"Idempotency-Key": key},
            )
        )

    def new_key(self) -> str:
        """Another key for the account; the one used for asking opens nothing any more."""
        return self.call("POST", "account/key")["key"]

    def set_grace(self, days: int) -> None:
        """After how many days without cover the carrier stops service."""
        self.call("PUT", "account", json={"grace_days": days})

    @staticmethod
    def _account(answer: dict[str, Any]) -> CarrierAccount:
        balance = Money(amount=Decimal(answer["balance"]), currency=answer["currency"])
        suspended = answer.get("suspended_since")
        return CarrierAccount(
            answer["id"],
            balance,
            answer["receives_only"],
            answer.get("key"),
            datetime.fromisoformat(suspended) if suspended else None,
        )

    def deposit(self, key: str, amount: str) -> None:
        self.call("POST", "deposits", json={"amount": amount}, headers={"Idempotency-Key": key})

    @staticmethod
    def _item(item: dict[str, Any]) -> StockItem:
        def amount(text: str) -> Money:
            return Money(amount=Decimal(text), currency=item["currency"])

        features = {name: amount(fee) for name, fee in item["features"].items()}
        return StockItem(
            item["number"],
            Capacity(item["capacity"]),
            amount(item["setup"]),
            amount(item["monthly"]),
            features,
        )

    def hold(self, numbers: list[str]) -> CarrierHold:
        return self._hold(self.call("POST", "holds", json={"numbers": numbers}))

    def hold_longer(self, hold: str) -> CarrierHold:
        """Refused with `no longer hold` or `hold over`."""
        return self._hold(self.call("POST", f"holds/{quote(hold)}/longer"))

    @staticmethod
    def _hold(answer: dict[str, Any]) -> CarrierHold:
        return CarrierHold(
            answer["id"], datetime.fromisoformat(answer["expires_at"]), answer["can_be_longer"]
        )

    def end_hold(self, hold: str) -> None:
        self.call("DELETE", f"holds/{quote(hold)}")

    def order(self, wanted: WantedOrder) -> CarrierOrder:
        body: dict[str, Any] = {
            "reference": wanted.reference,
            "numbers": list(wanted.agreed),
            "hold": wanted.hold,
            "features": list(wanted.features),
            "papers": list(wanted.papers),
            "agreed": {
                n: {"setup": str(setup), "monthly": str(monthly)}
                for n, (setup, monthly) in wanted.agreed.items()
            },
        }
        if self.callback:
            body["callback"] = {"url": self.callback.url, "secret": self.callback.secret}
        return self._order(
            self.call("POST", "orders", json=body, headers={"Idempotency-Key": wanted.key})
        )

    def order_state(self, order: str) -> CarrierOrder:
        return self._order(self.call("GET", f"orders/{quote(order)}"))

    def cancel(self, order: str) -> CarrierOrder:
        return self._order(self.call("POST", f"orders/{quote(order)}/cancel"))

    @staticmethod
    def _order(answer: dict[str, Any]) -> CarrierOrder:
        lines = {
            x["number"]: (
                LineState(x["state"]),
                datetime.fromisoformat(x["usable_from"]) if x["usable_from"] else None,
                x["reason"],
            )
            for x in answer["lines"]
        }
        expected = (
            datetime.fromisoformat(answer["expected_from"]),
            datetime.fromisoformat(answer["expected_by"]),
        )
        papers = {
            key: (PaperState(said["state"]), str(said["reason"]))
            for key, said in answer.get("papers", {}).items()
        }
        return CarrierOrder(answer["id"], lines, Decimal(answer["charged"]), *expected, papers)

    def send_paper(self, key: str, paper: str, media_type: str, content: bytes) -> None:
        """Put a document there under our id of it, before an order names it."""
        self.call(
            "PUT",
            f"papers/{quote(key)}",
            content=content,
            headers={"Content-Type": media_type, "Paper-Kind": paper},
        )

    def replace_paper(self, order: str, rejected: str, key: str) -> CarrierOrder:
        """Another document for one that was rejected. Refused with `not rejected`."""
        return self._order(
            self.call(
                "PUT", f"orders/{quote(order)}/papers/{quote(rejected)}", json={"document": key}
            )
        )

    def release(self, e164: str) -> datetime | None:
        """None once the carrier has it back, else when it will."""
        answer = self.call("POST", f"numbers/{quote(e164)}/release")
        return None if answer["state"] == "released" else datetime.fromisoformat(answer["due"])

    def set_feature(self, e164: str, feature: str, *, on: bool) -> datetime | None:
        """From when it works; None once it is off. Refused with `feature` and a `why` in the
        carrier's words."""
        answer = self.call(
            "PUT", f"numbers/{quote(e164)}/features/{quote(feature)}", json={"on": on}
        )
        return datetime.fromisoformat(answer["works_from"]) if answer["works_from"] else None

    def set_caller_name(self, e164: str, name: str) -> None:
        """The name shown with calls (CNAM); none where it is empty. Refused with `name` and a `why`
        in the carrier's words."""
        self.call("PUT", f"numbers/{quote(e164)}/caller-name", json={"name": name})

    def register_address(self, e164: str, address: dict[str, str]) -> None:
        """Refused with `address` and a `why` in the carrier's words where it can't send help
        there."""
        self.call("PUT", f"numbers/{quote(e164)}/address", json=address)

    def addresses(self) -> dict[str, dict[str, str]]:
        """Every address it has of the account's numbers, by E.164."""
        return self.call("GET", "addresses")["addresses"]

    def port_outs(self) -> list[PortOutAsked]:
        """Every request of other carriers for numbers of the account, oldest first."""
        return [self._asked(x) for x in self.call("GET", "port-outs")["requests"]]

    def approve_port_out(self, request: str) -> PortOutAsked:
        """Refused with `over` where it was refused or taken back meanwhile."""
        return self._asked(self.call("POST", f"port-outs/{quote(request)}/approve"))

    def refuse_port_out(self, request: str, code: str) -> PortOutAsked:
        """`code` is one of the trade's. Refused with `over` where it was approved or taken back
        meanwhile."""
        return self._asked(
            self.call("POST", f"port-outs/{quote(request)}/refuse", json={"code": code})
        )

    def claim_back(self, request: str) -> PortOutAsked:
        """Numbers that were let go without our word are to come back."""
        return self._asked(self.call("POST", f"port-outs/{quote(request)}/claim"))

    @staticmethod
    def _asked(x: dict[str, Any]) -> PortOutAsked:
        def at(text: str | None) -> datetime | None:
            return datetime.fromisoformat(text) if text else None

        return PortOutAsked(
            x["id"],
            x["gaining"],
            tuple(x["numbers"]),
            dict(x["given"]),
            datetime.fromisoformat(x["asked_at"]),
            datetime.fromisoformat(x["answer_due"]),
            x["state"],
            at(x["goes_at"]),
            x["code"],
            at(x.get("returns_at")),
        )

    def put_right(self, e164: str, what: str, ours: str) -> None:
        """Its list is to say what is so here. Refused with a `why` in its words."""
        self.call("POST", f"numbers/{quote(e164)}/put-right", json={"what": what, "ours": ours})

    def listed(self) -> list[ListedNumber]:
        """What the account has in service, as it is billed, in order."""
        found: list[ListedNumber] = []
        after: str | None = ""
        while after is not None:
            page = self.call("GET", "numbers", params={"after": after})
            found += [
                ListedNumber(x["number"], Decimal(x["monthly"]), x["trunk"], x["state"])
                for x in page["numbers"]
            ]
            after = page["next"]
        return found

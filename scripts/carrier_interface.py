"""docs/carrier-interface.json: the interface that Sedge speaks to carriers, as OpenAPI 3.1, for who
writes a bridge to another carrier."""

import json
from pathlib import Path
from typing import Annotated, Literal

from fastapi import Body, FastAPI, Header, Query
from fastapi import Path as InPath
from pydantic import AwareDatetime, BaseModel, Field

FILE = Path(__file__).parent.parent / "docs" / "carrier-interface.json"
Amount = Annotated[str, Field(pattern=r"^-?\d+(\.\d+)?$", description="decimal, as text")]
E164 = Annotated[str, Field(pattern=r"^\+[1-9]\d{1,14}$")]
Key = Annotated[str, Header(alias="Idempotency-Key", description="one purchase for each key")]
OneE164 = Annotated[str, InPath(pattern=r"^\+[1-9]\d{1,14}$")]
DESCRIPTION = """\
The ordering interface of a carrier, as Sedge calls it. `sedge carrier-check URL` tries a server of
it. One account speaks with its own key: `Authorization: Key …`.

Every call may be repeated and does the same again. An order buys once per `Idempotency-Key`; the
answer to a repeated call is the order as it stands now. Nothing is sold at other prices than those
`agreed`.

A refusal is 409 with `{"detail": {"reason": …}}` and facts beside the reason: `taken` with
`numbers`; `balance` with `balance` and `charge`; `price` with `prices`; `papers` with `missing`;
`hold over`, `no longer hold`, `not rejected`, `over`; `address`, `feature` and `name` with `why`.
401 is a wrong key, 404 what is not there, 429 with `Retry-After` too many calls, 5xx trouble: the
call is repeated later. Moments are ISO 8601 with their offset.
"""


class Item(BaseModel):
    """A number for sale. `capacity` is how many calls at once it takes; `features` what each costs
    a month."""

    number: E164
    capacity: Literal["single", "many"]
    currency: Annotated[str, Field(pattern="^[A-Z]{3}$")]
    setup: Amount
    monthly: Amount
    features: dict[str, Amount]


class Items(BaseModel):
    numbers: list[Item]


class Numbers(BaseModel):
    numbers: Annotated[list[E164], Field(min_length=1, max_length=1000)]


class Hold(BaseModel):
    id: str
    expires_at: AwareDatetime
    can_be_longer: bool


class Price(BaseModel):
    setup: Amount
    monthly: Amount


class Callback(BaseModel):
    """Where to tell that something happened: a POST of `{"carrier", "order"}`, with `Callback-Time`
    (seconds since 1970) and `Callback-Signature` (HMAC-SHA256 of time, full stop and body, hex)."""

    url: str
    secret: str


class Wanted(BaseModel):
    reference: str
    numbers: list[E164]
    hold: str | None = None
    features: list[str] = []
    papers: list[str] = []
    agreed: dict[E164, Price]
    callback: Callback | None = None


class Line(BaseModel):
    number: E164
    state: Literal["waiting", "delivered", "failed", "cancelled"]
    usable_from: AwareDatetime | None
    reason: str


class Paper(BaseModel):
    state: str
    reason: str


class Order(BaseModel):
    id: str
    lines: list[Line]
    charged: Amount
    expected_from: AwareDatetime
    expected_by: AwareDatetime
    papers: dict[str, Paper] = {}


class Account(BaseModel):
    """`key` is told once, when an account is opened."""

    id: str
    balance: Amount
    currency: str
    receives_only: bool
    suspended_since: AwareDatetime | None = None
    key: str | None = None


class Charge(BaseModel):
    """`id` counts up within the carrier's book."""

    id: int
    at: AwareDatetime
    words: str
    amount: Amount


class Charges(Account):
    charges: list[Charge]


class Opened(BaseModel):
    name: str
    currency: str


class NewKey(BaseModel):
    key: str


class Terms(BaseModel):
    grace_days: int


class Deposit(BaseModel):
    amount: Amount


class Replaced(BaseModel):
    document: str


class Released(BaseModel):
    number: E164
    state: Literal["leaving", "released"]
    due: AwareDatetime


class CallerName(BaseModel):
    name: Annotated[str, Field(max_length=15)]


class CallerNamed(CallerName):
    number: E164


class Switched(BaseModel):
    on: bool


class Works(BaseModel):
    works_from: AwareDatetime | None


class Addresses(BaseModel):
    addresses: dict[E164, dict[str, str]]


class Request(BaseModel):
    """Another carrier's request for numbers of the account."""

    id: str
    gaining: str
    numbers: list[E164]
    given: dict[str, str]
    asked_at: AwareDatetime
    answer_due: AwareDatetime
    state: str
    goes_at: AwareDatetime | None
    code: str
    returns_at: AwareDatetime | None = None


class Requests(BaseModel):
    requests: list[Request]


class Code(BaseModel):
    code: str


class Ours(BaseModel):
    what: str
    ours: str


class Listed(BaseModel):
    """`trunk` null: the carrier says nothing of it."""

    number: E164
    monthly: Amount
    trunk: str | None
    state: str


class Page(BaseModel):
    numbers: list[Listed]
    next: str | None


app = FastAPI(title="Carrier interface", version="1", description=DESCRIPTION)


@app.get("/stock")
def stock(
    country: Annotated[str, Query(pattern="^[A-Z]{2}$")], starts: str = "", capacity: str = ""
) -> Items:
    """Numbers for sale in a country, by their leading digits (E.164) and capacity."""
    raise NotImplementedError


@app.post("/prices")
def prices(asked: Numbers) -> Items:
    """Of numbers that are to be had or held. Refused with `taken`."""
    raise NotImplementedError


@app.post("/holds")
def hold(asked: Numbers) -> Hold:
    """Kept for this account for a while; nobody else is sold them. Refused with `taken`."""
    raise NotImplementedError


@app.post("/holds/{hold}/longer")
def longer(hold: str) -> Hold:
    """Refused with `no longer hold` or `hold over`."""
    raise NotImplementedError


@app.delete("/holds/{hold}")
def end_hold(hold: str) -> dict[str, str]:
    """Also one that is over."""
    raise NotImplementedError


@app.post("/orders")
def order(asked: Wanted, key: Key) -> Order:
    """Refused with `taken`, `balance`, `price` or `papers`."""
    raise NotImplementedError


@app.get("/orders/{order}")
def order_state(order: str) -> Order:
    """How each line stands. Lines arrive one by one."""
    raise NotImplementedError


@app.post("/orders/{order}/cancel")
def cancel(order: str) -> Order:
    """Lines that have not arrived are not charged."""
    raise NotImplementedError


@app.put("/papers/{key}")
def paper(
    key: str,
    content: Annotated[bytes, Body()],
    kind: Annotated[str, Header(alias="Paper-Kind")],
) -> dict[str, str]:
    """A document under our id, before an order names it."""
    raise NotImplementedError


@app.put("/orders/{order}/papers/{paper}")
def another_paper(order: str, paper: str, asked: Replaced) -> Order:
    """In place of one that was rejected. Refused with `not rejected`."""
    raise NotImplementedError


@app.get("/account")
def account() -> Account:
    """How the account stands."""
    raise NotImplementedError


@app.put("/account")
def terms(asked: Terms) -> Account:
    """After how many days without cover service stops."""
    raise NotImplementedError


@app.get("/account/charges")
def charges(after: int = 0) -> Charges:
    """What was charged for numbers in service since the charge of that id, oldest first."""
    raise NotImplementedError


@app.post("/account/key")
def new_key() -> NewKey:
    """Another key; the one used for asking opens nothing any more."""
    raise NotImplementedError


@app.post("/accounts")
def open_account(asked: Opened, key: Key) -> Account:
    """One more account."""
    raise NotImplementedError


@app.post("/deposits")
def deposit(asked: Deposit, key: Key) -> Account:
    """Money paid in."""
    raise NotImplementedError


@app.get("/numbers")
def listed(after: str = "") -> Page:
    """What the account has in service, as it is billed, page by page."""
    raise NotImplementedError


@app.post("/numbers/{e164}/release")
def release(e164: OneE164) -> Released:
    """The number goes back; when it is due where it has not gone yet."""
    raise NotImplementedError


@app.put("/numbers/{e164}/features/{feature}")
def feature(e164: OneE164, feature: str, asked: Switched) -> Works:
    """From when it works; null once it is off. Refused with `feature`."""
    raise NotImplementedError


@app.put("/numbers/{e164}/caller-name")
def caller_name(e164: OneE164, asked: CallerName) -> CallerNamed:
    """The name shown with calls (CNAM), where that feature is on; empty for none. Refused with
    `name`."""
    raise NotImplementedError


@app.put("/numbers/{e164}/address")
def address(e164: OneE164, asked: dict[str, str]) -> dict[str, str]:
    """Where help is sent for callers with this number. Refused with `address`."""
    raise NotImplementedError


@app.get("/addresses")
def addresses() -> Addresses:
    """Every address of the account's numbers."""
    raise NotImplementedError


@app.post("/numbers/{e164}/put-right")
def put_right(e164: OneE164, asked: Ours) -> dict[str, str]:
    """The list is to say what is so here. Refused with a `why`."""
    raise NotImplementedError


@app.get("/port-outs")
def port_outs() -> Requests:
    """Requests of other carriers for numbers of the account, oldest first."""
    raise NotImplementedError


@app.post("/port-outs/{request}/approve")
def approve(request: str) -> Request:
    """Refused with `over` where it was refused or taken back meanwhile."""
    raise NotImplementedError


@app.post("/port-outs/{request}/refuse")
def refuse(request: str, asked: Code) -> Request:
    """With one of the trade's codes. Refused with `over`."""
    raise NotImplementedError


@app.post("/port-outs/{request}/claim")
def claim(request: str) -> Request:
    """Numbers that were let go without our word are to come back."""
    raise NotImplementedError


def written() -> str:
    return json.dumps(app.openapi(), indent=1, ensure_ascii=False) + "\n"

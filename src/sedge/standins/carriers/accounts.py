"""Accounts at the simulated carriers: keys, balances, deposits; new ones, which can only receive
calls until money has come in."""

import hashlib
import secrets
from collections.abc import Callable
from decimal import Decimal, InvalidOperation
from typing import Any

from fastapi import APIRouter, Depends, Header, HTTPException
from pydantic import BaseModel, Field

from sedge.standins.carriers import balances, billing
from sedge.standins.carriers.carrier_profiles import MANNERS
from sedge.standins.storage import Book, Json, stamp


class AccountAsked(BaseModel):
    name: str = Field(min_length=1, max_length=80)
    currency: str = Field(pattern="^[A-Z]{3}$")


class Terms(BaseModel):
    grace_days: int = Field(ge=0, le=30)


class Ledger:
    """One carrier's accounts. A key is kept as its hash only."""

    def __init__(self, book: Book, carrier: str) -> None:
        self.book, self.carrier = book, carrier

    def whose(self, key: str) -> str:
        """The account a key opens. Refused with 401 where it opens none of this carrier's."""
        for account in MANNERS[self.carrier].accounts if self.carrier in MANNERS else ():
            if key == first_key(account) and self.book.get("other key", account) is None:
                return account
        known = self.book.get("key of account", _digest(key)) if key else None
        if known is None or known["carrier"] != self.carrier:
            raise HTTPException(401, {"reason": "unknown key"})
        return known["account"]

    def open(self, asked: AccountAsked, idempotency_key: str) -> Json:
        """A new one. Asked again under the same name of the call, the same account; its key is told
        once only."""
        if known := self.book.get("account asked", idempotency_key):
            return {**self.shown(known), "key": None}
        account = f"{self.carrier}-{self.book.next_id('A').lower()}"
        self.book.put(
            "account", account, {"name": asked.name, "currency": asked.currency, "opened": True}
        )
        self.book.put("account asked", idempotency_key, account)
        return {**self.shown(account), "key": self.new_key(account)}

    def new_key(self, account: str) -> str:
        """The old one opens nothing any more."""
        for digest, known in self.book.all("key of account").items():
            if known["account"] == account:
                self.book.remove("key of account", digest)
        key = secrets.token_urlsafe(24)
        self.book.put("key of account", _digest(key), {"carrier": self.carrier, "account": account})
        self.book.put("other key", account, True)
        return key

    def currency(self, account: str) -> str:
        opened = self.book.get("account", account)
        return opened["currency"] if opened else MANNERS[self.carrier].accounts[account][0]

    def balance(self, account: str) -> Decimal:
        return balances.balance(self.book, account)

    def pay(self, account: str, amount: Decimal) -> None:
        balances.pay(self.book, account, amount)

    def only_receives(self, account: str) -> bool:
        """A new account before its first deposit."""
        return bool(self.book.get("account", account)) and self.book.get("paid in", account) is None

    def refuse_money(self, account: str, charge: Decimal, currencies: set[str]) -> None:
        """Why an account can't pay, as the answer."""
        if self.only_receives(account):
            raise HTTPException(402, {"reason": "no deposit yet"})
        if currencies - {self.currency(account)}:
            raise HTTPException(422, {"reason": "currency", "currency": self.currency(account)})
        if charge > self.balance(account) + MANNERS[self.carrier].credit:
            raise HTTPException(
                402,
                {"reason": "balance", "balance": str(self.balance(account)), "charge": str(charge)},
            )

    def deposit(self, account: str, amount: Decimal, idempotency_key: str) -> None:
        if self.book.get("deposit", idempotency_key) is None:
            self.book.put("deposit", idempotency_key, {"account": account, "amount": str(amount)})
            self.book.put("paid in", account, True)
            self.pay(account, -amount)
            billing.note_cover(self.book, account, stamp(self.book.now()))

    def shown(self, account: str) -> Json:
        return {
            "id": account,
            "balance": str(self.balance(account)),
            "currency": self.currency(account),
            "credit": str(MANNERS[self.carrier].credit),
            "receives_only": self.only_receives(account),
            "grace_days": self.book.get("grace", account),
            "suspended_since": billing.suspended_since(self.book, account),
        }


def first_key(account: str) -> str:
    """The key with which an account of the beginning can be used."""
    return f"key-of-{account}"


def _digest(key: str) -> str:
    return hashlib.sha256(key.encode()).hexdigest()


def account_routes(routes: APIRouter, book: Book, the_shop: Callable[..., Any]) -> None:
    @routes.get("/account")
    def account(shop: Any = Depends(the_shop)) -> Json:
        return shop.ledger.shown(shop.account)

    @routes.get("/account/charges")
    def account_charges(after: int = 0, shop: Any = Depends(the_shop)) -> Json:
        """What has been charged for numbers in service since the charge of that id, oldest
        first."""
        return {
            **shop.ledger.shown(shop.account),
            "charges": billing.charges(book, shop.account, after),
        }

    @routes.put("/account")
    def terms(body: Terms, shop: Any = Depends(the_shop)) -> Json:
        book.put("grace", shop.account, body.grace_days)
        return shop.ledger.shown(shop.account)

    @routes.post("/account/key")
    def other_key(shop: Any = Depends(the_shop)) -> Json:
        with book.writing():
            return {"key": shop.ledger.new_key(shop.account)}

    @routes.post("/accounts")
    def open_account(
        asked: AccountAsked, idempotency_key: str = Header(), shop: Any = Depends(the_shop)
    ) -> Json:
        with book.writing():
            return shop.ledger.open(asked, idempotency_key)

    @routes.post("/deposits")
    def deposit(
        body: dict[str, str], idempotency_key: str = Header(), shop: Any = Depends(the_shop)
    ) -> Json:
        try:
            amount = Decimal(body["amount"])
        except (KeyError, InvalidOperation) as error:
            raise HTTPException(422, {"reason": "amount"}) from error
        with book.writing():
            shop.ledger.deposit(shop.account, amount, idempotency_key)
        return shop.ledger.shown(shop.account)


def every_balance(book: Book) -> dict[str, str]:
    """What each account holds, for whoever looks at the carriers' books."""
    begun = {account: name for name, manner in MANNERS.items() for account in manner.accounts}
    opened = {account: account.rpartition("-")[0] for account in book.all("account")}
    return {
        account: str(Ledger(book, name).balance(account))
        for account, name in {**begun, **opened}.items()
    }

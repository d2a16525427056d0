"""Accounts with carriers: their rules, what has moved on them, opening more, paying in."""

import hashlib
from decimal import Decimal
from typing import Any

from fastapi import Request
from fastapi.responses import Response
from pydantic import BaseModel, ConfigDict, Field

from sedge.api.amounts import Amount, OptionalAmount
from sedge.api.answers import Page, moment, money
from sedge.api.carriers.answers import (
    AccountDetailOut,
    AccountOpenedOut,
    AccountsOpenedOut,
    AccountWithKeyOut,
    MovesOut,
    account_out,
)
from sedge.api.routing import RequestContext, Resource, once
from sedge.core.access.roles import May
from sedge.core.records import Account
from sedge.services.carriers import accounts, balances, payments

resource = Resource(tags=["accounts"])


class AccountAsked(BaseModel):
    model_config = ConfigDict(extra="forbid")
    name: str = Field(min_length=1, max_length=80)
    opening: Amount = "0"
    contact: str = Field(
        default="", max_length=200, description="mail address of whom to tell when it runs low"
    )


class AccountsAsked(BaseModel):
    model_config = ConfigDict(extra="forbid")
    accounts: list[AccountAsked] = Field(min_length=1, max_length=accounts.MOST_AT_ONCE)
    currency: str = Field(default="", pattern=r"^([A-Z]{3})?$")


class Terms(BaseModel):
    """Everything is set anew; an empty text takes a rule away."""

    model_config = ConfigDict(extra="forbid")
    low_mark: Amount
    contact: str = Field(default="", max_length=200)
    alert_mail: str = Field(default="", max_length=200)
    alert_phone: str = Field(default="", max_length=40)
    top_up_at: OptionalAmount = ""
    top_up_amount: OptionalAmount = ""
    top_up_most: OptionalAmount = ""
    grace_days: str = Field(default="", max_length=3)


class Deposit(BaseModel):
    model_config = ConfigDict(extra="forbid")
    amount: Amount


@resource.read("/carrier-accounts/{key}", May.SEE_MONEY)
def account(context: RequestContext, key: str) -> AccountWithKeyOut:
    found, _, has_key = payments.account_to_pay(context, key)
    return {**_shape(context, found), "has_key": has_key}


def _shape(context: RequestContext, found: Account) -> AccountDetailOut:
    rule = found.top_up
    return {
        **account_out(found, balances.outlooks(context).get(found.id)),
        "carrier": found.carrier,
        "countries": list(found.countries),
        "contact": found.contact,
        "receives_only": found.receives_only,
        "alert_mail": found.alert_mail,
        "alert_phone": found.alert_phone,
        "grace_days": found.grace_days,
        "top_up": (
            {
                "at": str(rule.at),
                "amount": str(rule.amount),
                "most_a_month": str(rule.most_a_month),
            }
            if rule
            else None
        ),
    }


@resource.read("/carrier-accounts/{key}/moves", May.SEE_MONEY)
def moves(context: RequestContext, key: str) -> Page[MovesOut]:
    """What has moved on it, newest first."""
    items: list[MovesOut] = [
        {
            "at": moment(m.entry.at),
            "action": m.entry.action,
            "amount": money(m.amount),
            "balance": money(m.balance),
        }
        for m in payments.moves(context, payments.account_to_pay(context, key)[0].id, limit=200)
    ]
    return {"items": items, "next": None}


@resource.write("/carriers/{key}/accounts", May.PAY, status_code=201)
def open_accounts(
    request: Request, context: RequestContext, key: str, asked: AccountsAsked
) -> AccountsOpenedOut:
    """Each with a key, told this once and kept nowhere but sealed: the same `Idempotency-Key` again
    opens nothing twice, and its answer has no keys. An account that could not be opened, or paid
    into, says so in `problem`."""
    given = request.headers.get("idempotency-key", "")
    batch = (
        f"account-{hashlib.sha256(f'{context.who.sign_in}:{given}'.encode()).hexdigest()[:16]}"
        if given
        else context.new_id("account")
    )
    wanted = [accounts.Wanted(a.name, Decimal(a.opening), a.contact) for a in asked.accounts]
    opened = accounts.open_many(
        context, key, accounts.checked_lines(wanted), batch=batch, currency=asked.currency
    )
    rows: list[AccountOpenedOut] = [
        {
            "name": o.wanted.name,
            "id": o.account.id if o.account else None,
            "key": o.key or None,
            "problem": o.problem or None,
        }
        for o in opened
    ]
    return {"items": rows}


class FirstAccount(BaseModel):
    """An account that the carrier has opened, with the key it gave for it."""

    model_config = ConfigDict(extra="forbid")
    name: str = Field(max_length=80)
    key: str = Field(
        default="",
        max_length=500,
        description="none where the carrier can't be reached over the network",
    )


@resource.write("/carriers/{key}/first-account", May.PAY, status_code=201)
def add_first_account(context: RequestContext, key: str, asked: FirstAccount) -> AccountDetailOut:
    """The account from which more can be opened later; the key is tried at once and kept sealed."""
    return _shape(context, accounts.add_first(context, key, name=asked.name, key=asked.key))


@resource.write("/carrier-accounts/{key}/terms", May.PAY)
def terms(context: RequestContext, key: str, asked: Terms) -> AccountDetailOut:
    return _shape(context, accounts.set_terms(context, key, asked.model_dump()))


@resource.creates("/carrier-accounts/{key}/deposits", May.PAY, AccountDetailOut)
def deposit(request: Request, context: RequestContext, key: str, asked: Deposit) -> Response:
    """A simulated payment; one for each `Idempotency-Key`."""

    def make(identity: str | None) -> tuple[int, Any]:
        return 201, _shape(context, payments.deposit(context, key, asked.amount, identity=identity))

    return once(request, context, asked.model_dump(), make)

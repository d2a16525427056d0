"""The carriers' billing: in the night after a delivery the rest of its month is charged, on the
first of each month the whole month; who can't cover a charge is suspended after the days of
grace."""

import calendar
from collections import defaultdict
from datetime import UTC, datetime, timedelta
from decimal import ROUND_HALF_UP, Decimal
from functools import cache

from sedge.standins.carriers import balances
from sedge.standins.carriers.carrier_profiles import MANNERS
from sedge.standins.storage import Book, Json, moment, stamp

NIGHT = timedelta(minutes=10)  # after midnight
PENNY = Decimal("0.01")
GRACE_DAYS = 14


def put_in_service(book: Book, numbers: list[dict[str, str]]) -> None:
    """Numbers an account has had since before the books begin; they are billed from next month
    on."""
    month = f"{book.now():%Y-%m}"
    with book.writing():
        for n in numbers:
            book.put(
                "in service",
                n["number"],
                {
                    "account": n["account"],
                    "carrier": n["carrier"],
                    "monthly": n["monthly"],
                    "billed_to": month,
                },
            )


def drift(book: Book, wish: Json) -> None:
    """What somebody at a carrier does to its list by mistake. `dropped` and `leaving` are numbers,
    `added` has numbers of an `account`, `prices` and `trunks` are by number."""
    for number in wish.get("dropped", []):
        if line := book.get("in service", number):
            book.put("dropped", number, line)
            book.remove("in service", number)
    for number in wish.get("added", []):
        account = wish["account"]
        new = {
            "account": account,
            "carrier": account.rpartition("-")[0],
            "monthly": "0.80",
            "billed_to": f"{book.now():%Y-%m}",
        }
        book.put("in service", number, new)
    for field, given in (("monthly", wish.get("prices", {})), ("trunk", wish.get("trunks", {}))):
        for number, value in given.items():
            if line := book.get("in service", number):
                book.put("in service", number, {**line, field: value})
    for number in wish.get("leaving", []):
        book.put("leaving", number, {"due": stamp(book.now() + timedelta(days=20))})


def delivered(book: Book, carrier: str, account: str, line: Json, features: list[str]) -> None:
    """A number that has just come into service; nothing is billed before the night."""
    if book.get("in service", line["number"]) is None:
        known = {
            "account": account,
            "carrier": carrier,
            "monthly": line["monthly"],
            "features": features,
        }
        book.put("in service", line["number"], {**known, "since": line["due"], "billed_to": ""})


def switched(book: Book, number: str, feature: str, fee: Decimal, *, on: bool) -> None:
    """A feature costs from the next whole month on, and nothing from then on once it is off."""
    line = book.get("in service", number)
    if line is None or (feature in line.get("features", [])) is on:
        return
    others = [f for f in line.get("features", []) if f != feature]
    monthly = Decimal(line["monthly"]) + (fee if on else -fee)
    book.put(
        "in service",
        number,
        {**line, "monthly": str(monthly), "features": [*others, feature] if on else others},
    )


def bill(book: Book) -> None:
    """All that falls due by now. Run as often as one likes, each charge is made once."""
    with book.writing():
        now = book.now()
        due: dict[tuple[str, str, str], list[Decimal]] = defaultdict(list)
        for number, known in book.all("in service").items():
            line = known
            while (charge := _next_charge(line))[0] <= now:
                at, words, amount = charge
                due[line["account"], stamp(at), words].append(amount)
                line = {**line, "billed_to": _month_of(at, words)}
                book.put("in service", number, line)
        for (account, at, words), amounts in sorted(due.items(), key=lambda x: x[0][1]):
            _charge(
                book,
                account,
                at,
                f"{words}, {len(amounts)} number{'s' if len(amounts) != 1 else ''}",
                sum(amounts, Decimal(0)),
            )


def _next_charge(line: Json) -> tuple[datetime, str, Decimal]:
    """When a number is charged next, for what, and how much."""
    return _charged_next(line["monthly"], line.get("since", ""), line["billed_to"])


@cache
def _charged_next(price: str, begun: str, billed_to: str) -> tuple[datetime, str, Decimal]:
    monthly = Decimal(price)
    if not billed_to:
        since = moment(begun)
        days = calendar.monthrange(since.year, since.month)[1]
        part = (monthly * Decimal(days - since.day + 1) / days).quantize(PENNY, ROUND_HALF_UP)
        return _midnight(since + timedelta(days=1)) + NIGHT, f"rest of {since:%B %Y}", part
    year, month = (int(x) for x in billed_to.split("-"))
    first = datetime(year + month // 12, month % 12 + 1, 1, tzinfo=UTC)
    return first + NIGHT, f"{first:%B %Y}", monthly


def _month_of(at: datetime, words: str) -> str:
    """The month a charge covers; the rest of a month that ends at midnight is charged in the
    next."""
    return f"{at - timedelta(days=1) if words.startswith('rest of') else at:%Y-%m}"


def _midnight(at: datetime) -> datetime:
    return at.replace(hour=0, minute=0, second=0, microsecond=0)


def _charge(book: Book, account: str, at: str, words: str, amount: Decimal) -> None:
    if not amount:
        return
    number = int(book.get("counter", "charge") or 0) + 1
    book.put("counter", "charge", number)
    book.put(
        "charge",
        f"{number:09d}",
        {"id": number, "account": account, "at": at, "words": words, "amount": str(amount)},
    )
    balances.pay(book, account, amount)
    note_cover(book, account, at)


def note_cover(book: Book, account: str, at: str) -> None:
    """Since when the account no longer covers what it is charged."""
    carrier = account.rpartition("-")[0]
    short = balances.balance(book, account) < -MANNERS[carrier].credit
    if not short:
        book.remove("short since", account)
    elif book.get("short since", account) is None:
        book.put("short since", account, at)


def suspended_since(book: Book, account: str) -> str | None:
    """From when nothing works any more; None while all does."""
    short = book.get("short since", account)
    if short is None:
        return None
    grace = book.get("grace", account)
    ends = moment(short) + timedelta(days=GRACE_DAYS if grace is None else grace)
    return stamp(ends) if ends <= book.now() else None


def is_suspended(book: Book, number: str) -> bool:
    line = book.get("in service", number)
    return line is not None and suspended_since(book, line["account"]) is not None


def charges(book: Book, account: str, after: int) -> list[Json]:
    return [c for c in book.all("charge").values() if c["account"] == account and c["id"] > after]


def next_bills(book: Book) -> list[str]:
    """When something is charged next."""
    found = [_next_charge(line)[0] for line in book.all("in service").values()]
    return [stamp(min(found))] if found else []

"""Exchange rates that an organisation types or imports, and sums in its one chosen currency."""

import re
from bisect import bisect_right
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from datetime import date
from decimal import Decimal, InvalidOperation
from typing import NamedTuple

from babel.numbers import list_currencies

from sedge.core.errors import NotUnderstood
from sedge.core.facts import Money

MOST_RATES = 20_000
SEPARATED = re.compile(r"[;\t]|,(?=\s)|\s+")
LEAST, MOST = Decimal("0.000001"), Decimal(1_000_000)


class ExchangeRate(NamedTuple):
    """From a day on, one unit of a currency is worth so many of the chosen one."""

    currency: str
    day: date
    rate: Decimal


class Converted(NamedTuple):
    """A sum in the chosen currency; `by` are the rates that were used, `left_out` what no rate is
    known for."""

    total: Money
    by: tuple[ExchangeRate, ...]
    left_out: tuple[Money, ...]


@dataclass(frozen=True)
class Exchange:
    """`chosen` is the currency that all others are told in; rates in the order of their days."""

    chosen: str
    rates: tuple[ExchangeRate, ...] = ()

    def rate_of(self, currency: str, day: date) -> ExchangeRate | None:
        """The latest rate of a day or before; None where there is none yet."""
        if currency == self.chosen:
            return ExchangeRate(currency, day, Decimal(1))
        known = [rate for rate in self.rates if rate.currency == currency]
        at = bisect_right([rate.day for rate in known], day) - 1
        return known[at] if at >= 0 else None

    def convert(self, amounts: Iterable[Money], day: date) -> Converted:
        """All of them in one sum, as of a day."""
        total, by, left_out = Decimal(0), [], []
        for amount in amounts:
            rate = self.rate_of(amount.currency, day)
            if rate is None:
                left_out.append(amount)
                continue
            total += amount.amount * rate.rate
            if amount.currency != self.chosen:
                by.append(rate)
        summed = Money(amount=total, currency=self.chosen).rounded()
        return Converted(summed, tuple(by), tuple(left_out))

    def with_rates(self, rates: Iterable[ExchangeRate]) -> "Exchange":
        """The same with more rates; one of a day and currency that is there takes its place."""
        known: dict[tuple[str, date], ExchangeRate] = {(r.currency, r.day): r for r in self.rates}
        known |= {(r.currency, r.day): r for r in rates}
        return Exchange(self.chosen, tuple(sorted(known.values(), key=lambda r: (r.day, r[0]))))


def read_currency(text: str, field: str = "currency") -> str:
    """A currency by its code (ISO 4217). Raises NotUnderstood."""
    code = text.strip().upper()
    if code not in list_currencies():
        message = f"“{text[:20]}” is no currency: type its code, such as EUR."
        raise NotUnderstood(message, field=field, reason="currency")
    return code


def read_rates(text: str, chosen: str, today: date, field: str = "rates") -> list[ExchangeRate]:
    """Rates as people paste them: a line for each, such as `2026-10-31 EUR 0,86`, in any order of
    its three parts. A first line of headings is passed over. Raises NotUnderstood naming the
    line."""
    lines = [(n, line.strip()) for n, line in enumerate(text.splitlines(), 1) if line.strip()]
    found = []
    for place, (number, line) in enumerate(lines):
        parts = [part.strip("\"' ") for part in SEPARATED.split(line) if part.strip("\"' ")]
        if not place and not any(ch.isdigit() for ch in line):
            continue
        found.append(_read_rate(parts, chosen, today, f"Line {number}: ", field))
    if not 1 <= len(found) <= MOST_RATES:
        message = (
            f"At most {MOST_RATES:,} rates at a time."
            if found
            else "Type a rate a line: day, currency, rate."
        )
        raise NotUnderstood(message, field=field)
    return found


def _read_rate(
    parts: Sequence[str], chosen: str, today: date, where: str, field: str
) -> ExchangeRate:
    kinds: Mapping[str, list[str]] = {
        "day": [p for p in parts if re.fullmatch(r"\d{4}-\d\d-\d\d", p)],
        "code": [p for p in parts if re.fullmatch(r"[A-Za-z]{3}", p) and p.upper() != chosen],
        "rate": [p for p in parts if re.fullmatch(r"\d+([.,]\d+)?", p)],
    }
    if any(len(known) != 1 for known in kinds.values()):
        message = f"{where}give the day, the currency and the rate, as in 2026-10-31 EUR 0.86."
        raise NotUnderstood(message, field=field, reason="line")
    try:
        day = date.fromisoformat(kinds["day"][0])
        rate = Decimal(kinds["rate"][0].replace(",", "."))
        code = read_currency(kinds["code"][0], field)
    except (ValueError, InvalidOperation, NotUnderstood) as wrong:
        said = getattr(wrong, "message", "") or f"{kinds['day'][0]} is no day."
        raise NotUnderstood(f"{where}{said}", field=field, reason="line") from wrong
    if day > today:
        raise NotUnderstood(f"{where}{day} is still to come.", field=field, reason="later")
    if not LEAST <= rate <= MOST:
        message = f"{where}a rate is {LEAST:f} to {MOST:,} of the chosen currency for one unit."
        raise NotUnderstood(message, field=field, reason="rate")
    return ExchangeRate(code, day, rate)

"""Amounts of money as people type and read them, by the rules of a locale (Unicode CLDR, through
Babel).

A typed amount is read by the locale's separators; the other separator is taken where it cannot be
misread, and what could mean two amounts is asked back, never guessed. Exponents, several signs and
other alphabets' digits are refused.
"""

import re
import unicodedata
from decimal import Decimal
from functools import lru_cache

from babel import Locale, UnknownLocaleError
from babel.numbers import (
    get_currency_symbol,
    get_decimal_symbol,
    get_group_symbol,
    get_territory_currencies,
)

from sedge.core.errors import NotUnderstood
from sedge.core.facts import MINUS, SHOWN_IN, digits_of, in_currency
from sedge.core.numbers.plan import COUNTRIES

SPACES = re.compile(r"[\s’'_]+")
BODY = re.compile(r"[0-9]+(?:[.,][0-9]+)*|[.,][0-9]+")
MOST_TYPED = 40
CURRENCIES = {
    code: get_territory_currencies(code)[0] for code in COUNTRIES
}  # of a country, ISO 4217


@lru_cache
def locale_of(country: str) -> str:
    """The locale in which people of a country (ISO 3166-1) write amounts, such as `en_GB`; the
    general one where CLDR has none."""
    language = COUNTRIES[country].language if country in COUNTRIES else "en"
    try:
        return str(Locale.parse(f"{language}_{country}"))
    except (UnknownLocaleError, ValueError):
        return SHOWN_IN


def as_typed(amount: Decimal, currency: str) -> str:
    """An amount for a form field: no sign of the currency, no grouping, all its places. It reads
    back as itself in every locale."""
    return f"{amount:.{max(digits_of(currency), -int(amount.as_tuple().exponent))}f}"


def read_amount(text: str, currency: str, locale: str, *, field: str) -> Decimal:
    """The amount somebody typed, in `currency`. Raises NotUnderstood, naming the field and, where
    two readings are possible, both."""
    plain = unicodedata.normalize("NFKC", text).strip()
    if not plain or len(plain) > MOST_TYPED:
        raise NotUnderstood("Type an amount such as 100 or 250.00.", field=field)
    negative = plain[0] in f"-{MINUS}"
    plain = _without_currency(plain.lstrip(f"-{MINUS}") if negative else plain, currency, field)
    if plain[:1] in {"-", MINUS} and not negative:
        negative, plain = True, plain[1:]
    body = _without_spaces(plain, field)
    if not BODY.fullmatch(body):
        raise NotUnderstood(
            f"“{text.strip()[:40]}” is no amount. Type one such as 100 or 250.00.", field=field
        )
    value = _by_separators(body, currency, locale, field)
    return -value if negative else value


def _without_currency(plain: str, currency: str, field: str) -> str:
    """The text without a sign or code of the currency at either end. Raises NotUnderstood for
    another currency's."""
    found = re.fullmatch(
        r"(?P<before>[^\d.,\-−]*?)\s*(?P<body>[-−]?[\d.,].*?)\s*(?P<after>[^\d.,\s]*)",
        plain,
        re.DOTALL,
    )
    if found is None:
        raise NotUnderstood(
            f"“{plain[:40]}” is no amount. Type one such as 100 or 250.00.", field=field
        )
    for sign in (found["before"].strip(), found["after"].strip()):
        if sign and sign.casefold() not in _signs(currency):
            raise NotUnderstood(
                f"“{sign[:12]}” is not the currency of this account, which is {currency}. Type an"
                f" amount in {currency}.",
                field=field,
            )
    return found["body"]


@lru_cache
def _signs(currency: str) -> frozenset[str]:
    own = Locale.parse(SHOWN_IN)
    known = {currency, get_currency_symbol(currency, locale=own)}
    known |= {get_currency_symbol(currency, locale=locale_of(c)) for c in COUNTRIES}
    return frozenset(sign.casefold() for sign in known)


def _without_spaces(plain: str, field: str) -> str:
    """Spaces and apostrophes only ever group thousands."""
    if not SPACES.search(plain):
        return plain
    head, *tail = SPACES.split(plain)
    whole = [*tail[:-1], re.split(r"[.,]", tail[-1])[0]]
    if not re.fullmatch(r"[0-9]{1,3}", head) or any(
        not re.fullmatch(r"[0-9]{3}", part) for part in whole
    ):
        raise NotUnderstood(
            "The groups of this amount do not have three digits each. Type it without spaces.",
            field=field,
        )
    return head + "".join(tail)


def _by_separators(body: str, currency: str, locale: str, field: str) -> Decimal:
    signs = re.findall(r"[.,]", body)
    if not signs:
        return Decimal(body)
    last = signs[-1]
    if len(set(signs)) == 2:
        if signs.count(last) > 1:
            raise _unclear(field)
        whole, _, rest = body.rpartition(last)
        return _places(_ungrouped(whole, signs[0], field), rest, currency, field)
    if len(signs) > 1:
        return Decimal(_ungrouped(body, last, field))
    whole, _, rest = body.partition(last)
    if len(rest) != 3 or not 1 <= len(whole) <= 3 or whole.startswith("0"):
        return _places(whole or "0", rest, currency, field)
    return _one_group_or_places(whole, rest, last, currency, locale, field)


def _one_group_or_places(
    whole: str, rest: str, sign: str, currency: str, locale: str, field: str
) -> Decimal:
    """`1,250` or `1.250`: the locale says which it is; where it says neither, both readings are
    asked back."""
    if sign == get_group_symbol(locale):
        return Decimal(whole + rest)
    if sign == get_decimal_symbol(locale) and digits_of(currency) >= 3:
        return Decimal(f"{whole}.{rest}")
    one, other = Decimal(f"{whole}.{rest}"), Decimal(whole + rest)
    raise NotUnderstood(
        f"Do you mean {in_currency(one, currency)} or {in_currency(other, currency)}? Type"
        f" {one:.{digits_of(currency)}f} or {other}.",
        field=field,
        reason="ambiguous",
        readings=[str(one), str(other)],
    )


def _ungrouped(text: str, sign: str, field: str) -> str:
    head, *groups = text.split(sign)
    if not 1 <= len(head) <= 3 or any(len(group) != 3 for group in groups):
        raise _unclear(field)
    return head + "".join(groups)


def _places(whole: str, rest: str, currency: str, field: str) -> Decimal:
    places = digits_of(currency)
    if len(rest) > places:
        least = (
            f"{places} places after the point at most" if places else "no places after the point"
        )
        raise NotUnderstood(f"An amount in {currency} has {least}.", field=field)
    return Decimal(f"{whole}.{rest}")


def _unclear(field: str) -> NotUnderstood:
    return NotUnderstood(
        "The points and commas of this amount do not fit together. Type it without grouping, such"
        " as 1250.00.",
        field=field,
    )

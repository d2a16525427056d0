"""Where an outbound route leads: first digits, countries, kinds of number, rate groups; as people
type them, and which of them fits a number best."""

import re
from collections.abc import Sequence
from dataclasses import dataclass

from sedge.core.errors import NotUnderstood
from sedge.core.numbers.e164 import describe
from sedge.core.numbers.plan import COUNTRIES, Country, Kind
from sedge.core.outbound.records import OF_COUNTRY, RATE_GROUP, DestinationKind

MOST_DESTINATIONS = 200
LONGEST_GROUP = 60
DIGITS = re.compile(r"\+\d{0,15}")
EVERYTHING = "+"
# how exact a destination is; first digits count by their length, 1 for the plus alone
OF_A_KIND, OF_A_GROUP, OF_A_SIDE = 100, 50, 1
SIDES = {DestinationKind.INTERNATIONAL, DestinationKind.NATIONAL}
OF_NUMBER = {
    Kind.PREMIUM: DestinationKind.PREMIUM,
    Kind.MOBILE: DestinationKind.MOBILE,
    Kind.TOLL_FREE: DestinationKind.FREEPHONE,
}


@dataclass(frozen=True)
class Called:
    """A number that is called out: the kinds it is of, and the names that rate decks have for it,
    in small letters."""

    e164: str
    kinds: frozenset[str]
    groups: frozenset[str] = frozenset()


def _shares_code(country: Country) -> bool:
    """Whether first digits alone don't tell it from another, as in North America."""
    return sum(c.calling_code == country.calling_code for c in COUNTRIES.values()) > 1


OF_SHARED_CODES = {
    OF_COUNTRY + c.name: f"+{c.calling_code}" for c in COUNTRIES.values() if _shares_code(c)
}


def called(to: str, country: str, groups: Sequence[str] = ()) -> Called:
    """A number (E.164) as seen from a country."""
    facts = describe(to)
    side = DestinationKind.NATIONAL
    if facts.country != country:
        side = DestinationKind.INTERNATIONAL
    kinds = {side.value, *(k.value for k in (OF_NUMBER.get(facts.kind),) if k)}
    if known := COUNTRIES.get(facts.country):
        kinds.add(OF_COUNTRY + known.name)
    return Called(to, frozenset(kinds), frozenset(name.casefold() for name in groups if name))


def exactness(destination: str, to: Called) -> int:
    """How exactly a destination fits a number, 0 where it does not. A kind of number wins over a
    rate group, both over first digits and countries; `international` and `national` only over
    `all`."""
    if destination.startswith(EVERYTHING):
        return len(destination) * 2 if to.e164.startswith(destination) else 0
    if destination.startswith(RATE_GROUP):
        named = destination.removeprefix(RATE_GROUP).casefold()
        return OF_A_GROUP * 2 if named in to.groups else 0
    if destination not in to.kinds:
        return 0
    if destination in OF_SHARED_CODES:  # more exact than the code alone
        return len(OF_SHARED_CODES[destination]) * 2 + 1
    return OF_A_SIDE * 2 + 1 if destination in SIDES else OF_A_KIND * 2


def read_destinations(text: str, field: str = "destinations") -> tuple[str, ...]:
    """Destinations as people type them: `+44`, `Germany`, `DE`, `premium`, `rate group Europe`,
    `all`, with commas or line ends between. Raises NotUnderstood."""
    found = [_read(word, field) for part in re.split(r"[,;\n]+", text) if (word := part.strip())]
    if not 1 <= len(found) <= MOST_DESTINATIONS:
        message = f"A route has 1 to {MOST_DESTINATIONS} destinations; these are {len(found)}."
        raise NotUnderstood(message, field=field, reason="count")
    return tuple(dict.fromkeys(found))


def _read(word: str, field: str) -> str:
    low = " ".join(word.lower().split())
    kind = low.removesuffix(" numbers").removesuffix("s")
    if kind in set(DestinationKind):
        return kind
    if low.startswith(RATE_GROUP):
        return RATE_GROUP + " ".join(word.split())[len(RATE_GROUP) :][:LONGEST_GROUP]
    low = low.removeprefix(OF_COUNTRY)
    ways = {c.code: f"+{c.calling_code}" for c in COUNTRIES.values()}
    ways |= {c.code: OF_COUNTRY + c.name for c in COUNTRIES.values() if _shares_code(c)}
    names = {c.name.lower(): ways[c.code] for c in COUNTRIES.values()}
    names |= {c.code.lower(): ways[c.code] for c in COUNTRIES.values()}
    if names.get(low, "").startswith(OF_COUNTRY):
        return names[low]
    names |= {"all": EVERYTHING, "+": EVERYTHING, "everything": EVERYTHING}
    plain = names.get(low) or re.sub(r"[\s\-().]", "", word)
    plain = "+" + plain[2:] if plain.startswith("00") else plain
    if not DIGITS.fullmatch(plain):
        message = (
            f"“{word[:40]}” is no destination: type +44, a country, a kind such as premium or"
            " mobile, or all."
        )
        raise NotUnderstood(message, field=field, reason="destination")
    return plain

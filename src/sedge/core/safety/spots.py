"""Spots: where help must go. Codes that can't be mistyped unnoticed, and whether a spot is good
enough.

Detail: above one floor, or over 3,700 m² (a common threshold in US state law for a building's
detail), an address needs a floor and a room or zone (dispatchable location: 47 CFR 9.3). Codes end
in a check character (ISO 7064 MOD 37,36).
"""

from datetime import datetime, timedelta

from rapidfuzz import process
from stdnum.iso7064 import mod_37_36

from sedge.core.errors import NotUnderstood
from sedge.core.facts import counted
from sedge.core.policy import POLICY
from sedge.core.records import Address, Spot
from sedge.core.safety import countries
from sedge.core.safety.floors import UNPLACED, floor_order

ORDINALS = {1: "st", 2: "nd", 3: "rd"}


def spot_code(site_code: str, sequence: int) -> str:
    """`LEE-014-K`: site letters, sequence, check character."""
    body = f"{site_code.upper()}{sequence:03d}"
    return f"{site_code.upper()}-{sequence:03d}-{mod_37_36.calc_check_digit(body)}"


def read_spot_code(text: str, known: list[str]) -> str:
    """The code meant by `text` (case, spaces and dashes don't matter).

    Raises NotUnderstood with the nearest known codes where the check character doesn't fit or
    nobody has it.
    """
    plain = "".join(ch for ch in text.upper() if ch.isalnum())
    by_plain = {code.replace("-", ""): code for code in known}
    if plain in by_plain:
        return by_plain[plain]
    near = [match[0] for match in process.extract(plain, list(by_plain), limit=3, score_cutoff=60)]
    hint = (
        f" Did you mean {' or '.join(by_plain[n] for n in near)}?"
        if near
        else " Look it up under Safety."
    )
    wrong = not mod_37_36.is_valid(plain) if len(plain) > 2 else True
    what = "mistyped: its check character doesn't fit" if wrong else "not the code of any spot"
    raise NotUnderstood(
        f"“{text}” is {what}.{hint}",
        field="spot",
        reason="spot-code",
        near=[by_plain[n] for n in near],
    )


def needs_detail(address: Address) -> bool:
    """Whether a spot there must name a floor and a room or zone."""
    return address.detail or countries.needs_detail(
        address.elements.country, address.floors, address.area_m2
    )


def floor_problem(floor: str, address: Address) -> str:
    """Why there can be no such floor; '' where there can, or where nobody can tell from its name.
    North America counts from one."""
    number = int(floor_order(floor)[0]) if floor.strip() else 0  # between two floors: the lower
    highest = address.floors if address.elements.country in {"US", "CA"} else address.floors - 1
    if number >= UNPLACED or number <= highest:
        return ""
    top = f"{highest}{ORDINALS.get(highest, 'th')}" if highest else "ground"
    return f"The address has {counted(address.floors, 'floor')}; the {top} floor is its highest."


def spot_problem(spot: Spot, address: Address, now: datetime) -> str | None:
    """Why help sent to this spot might not find the caller; None where it is dispatchable. In words
    for a card."""
    if spot.removed:
        return "the spot has been taken out of use"
    if not address.dispatchable:
        return "the address is not confirmed by the register"
    if needs_detail(address) and not (spot.floor and spot.room):
        return "floor and room are missing"
    if now.tzinfo is None:
        raise ValueError("a moment needs its offset")
    return None


def review_due(spot: Spot, now: datetime) -> bool:
    """Whether nobody has confirmed the spot within the policy's time (12 months unless changed)."""
    return (
        spot.confirmed_at is None or spot.confirmed_at + timedelta(days=POLICY.confirm_days) <= now
    )

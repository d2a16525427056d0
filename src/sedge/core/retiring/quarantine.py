"""How long numbers rest between two holders, by country and kind: the policy's days, or those an
organisation has set (`Defaults.rests`).

Defaults follow the trade (47 CFR 52.15(f)(1)(ii): 45 days at least; toll-free by 47 CFR 52.103(d)).
"""

from datetime import datetime, timedelta

from sedge.core.estate import Estate
from sedge.core.numbers.life import State
from sedge.core.numbers.plan import Kind
from sedge.core.policy import POLICY
from sedge.core.records import ORGANISATION, Defaults, Number

MOST_REST = 3650


def key_of(country: str, *, toll_free: bool) -> str:
    """Under which word the days of a country's numbers are kept."""
    return f"{country} toll-free" if toll_free else country


def days_for(country: str, kind: Kind, defaults: Defaults | None) -> int:
    own = defaults.rests if defaults else {}
    return own.get(key_of(country, toll_free=kind is Kind.TOLL_FREE), POLICY.rest(kind))


def lasts_until(
    state: State, country: str, kind: Kind, now: datetime, defaults: Defaults | None
) -> datetime | None:
    """Until when a number found reserved or at rest stays so where nobody says; None: for good."""
    match state:
        case State.RESERVED:
            return now + timedelta(days=POLICY.reserved_days)
        case State.AGING:
            return now + timedelta(days=days_for(country, kind, defaults))
        case _:
            return None


def rest_of(number: Number, estate: Estate) -> int:
    """The days a number rests where nobody says otherwise."""
    return days_for(number.country, number.kind, estate.get(Defaults, ORGANISATION))

"""How many channels a load needs: Erlang B, and with callers who try again.

A load is in erlangs: calls at once on average in the busy hour, rung and waited time included.
"""

from dataclasses import dataclass

from sedge.core.errors import NotUnderstood

MOST_LOAD = 5000.0
MOST_CHANNELS = 10_000
USUAL_BLOCKING = 0.01
ENOUGH = 1e-9
MOST_ROUNDS = 200


def blocking(load: float, channels: int) -> float:
    """The share of calls that find all channels busy, by Erlang's recursion."""
    share = 1.0
    for n in range(1, channels + 1):
        share = load * share / (n + load * share)
    return share


def blocking_with_retries(load: float, channels: int, again: float) -> float:
    """The same where a share `again` (0 to 1) of those who were blocked tries at once more, which
    adds to the load until it settles."""
    offered, share = load, blocking(load, channels)
    for _ in range(MOST_ROUNDS):
        grown = load + offered * share * again
        share = blocking(grown, channels)
        if abs(grown - offered) < ENOUGH * max(1.0, grown):
            break
        offered = grown
    return share


def channels_for(load: float, wanted: float = USUAL_BLOCKING, again: float = 0.0) -> int:
    """The fewest channels with at most the wanted blocking. Raises NotUnderstood."""
    judge(load, wanted, again)
    share, channels = 1.0, 0
    while share > wanted:
        channels += 1
        share = load * share / (channels + load * share)
    while again and blocking_with_retries(load, channels, again) > wanted:
        channels += 1
    return channels


def offered(carried: float, share: float) -> float:
    """The load that was offered where so much was carried and a share was blocked."""
    return carried / (1 - share)


def judge(load: float, wanted: float, again: float) -> None:
    """Raises NotUnderstood naming the field."""
    if not 0 <= load <= MOST_LOAD:
        message = f"The load is 0 to {MOST_LOAD:,.0f} erlangs: calls at once on average."
        raise NotUnderstood(message, field="load")
    if not 0.0001 <= wanted <= 0.5:
        raise NotUnderstood("The blocking is 0.01 % to 50 %.", field="blocking")
    if not 0 <= again <= 0.95:
        raise NotUnderstood("At most 95 % of those who were blocked try again.", field="retries")


@dataclass(frozen=True)
class Advice:
    """`needed` channels for a load; `curve` has the blocking for 1, 2, … channels."""

    load: float
    wanted: float
    again: float
    needed: int
    curve: tuple[float, ...]


def advise(load: float, wanted: float = USUAL_BLOCKING, again: float = 0.0) -> Advice:
    """Raises NotUnderstood."""
    needed = channels_for(load, wanted, again)
    most = max(needed + 5, round(needed * 1.3))
    curve = tuple(blocking_with_retries(load, n, again) for n in range(1, most + 1))
    return Advice(load, wanted, again, needed, curve)

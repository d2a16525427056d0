"""Session border controllers that stand in for each other."""

from collections.abc import Iterable

from sedge.core.trunks.records import Sbc


def in_turn(sbc: Sbc, every: Iterable[Sbc]) -> list[Sbc]:
    """The SBCs of a group in the order in which calls try them; one alone without a group."""
    if not sbc.group:
        return [sbc]
    group = [x for x in every if x.group == sbc.group and not x.retired]
    return sorted(group, key=lambda x: (x.order, -x.weight, x.name))

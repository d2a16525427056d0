"""Assertions that can't pass for want of anything to assert."""

from collections.abc import Iterable


def every(found: Iterable[object]) -> bool:
    """Whether all hold, and there is at least one."""
    held = [bool(one) for one in found]
    return bool(held) and all(held)

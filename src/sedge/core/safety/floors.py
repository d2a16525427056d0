"""Floors by their names: where each stands in its building, from below."""

import re

UNPLACED, ROOF = (
    500,
    999,
)  # where floors stand whose names nobody can place, and what is on the roof


def floor_order(name: str) -> tuple[float, str]:
    """Where a floor stands in a building, from below: basements and negative numbers under 0, the
    ground floor at 0, what lies between it and the first at a half. Names nobody can place come
    last."""
    plain = name.casefold().strip()
    if re.fullmatch(r"[-−–]\s*\d+", plain):
        return -int(plain.lstrip("-−– ")), plain
    digits = "".join(ch for ch in plain if ch.isdigit())
    below = any(
        word in plain
        for word in ("basement", "lower ground", "cellar", "untergeschoss", "keller", "sous-sol")
    )
    if below:
        return -int(digits or "1"), plain
    if any(word in plain for word in ("ground", "erdgeschoss", "rez-de-chaussée", "parterre")):
        return 0, plain
    if any(word in plain for word in ("mezzanine", "zwischengeschoss", "entresol")):
        return 0.5, plain
    if digits:
        return int(digits), plain
    return (
        ROOF
        if any(word in plain for word in ("roof", "dach", "attic", "toit", "dome"))
        else UNPLACED
    ), plain

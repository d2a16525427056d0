"""The name that is shown beside a caller ID in North America (CNAM), as carriers keep it."""

CNAM = "CNAM"
LONGEST_NAME = 15  # as carriers' name stores keep it
NORTH_AMERICA = "+1"


def fitting_name(text: str) -> str:
    """What of a name fits: ASCII letters, digits and a few signs, 15 characters."""
    plain = "".join(ch for ch in text if ch.isascii() and (ch.isalnum() or ch in " .,'&-"))
    return " ".join(plain.split())[:LONGEST_NAME].strip()

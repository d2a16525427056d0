"""Days and moments as programs write them (RFC 3339). A bare number is none: it would be taken for
seconds since 1970."""

import re
from datetime import date, datetime
from typing import Annotated

from pydantic import BeforeValidator

BARE = re.compile(r"\s*[-+]?[\d.]+([eE][-+]?\d+)?\s*")


def _moment(value: object) -> object:
    if _is_bare(value):
        raise ValueError("write it as 2026-12-24T09:30:00+01:00")
    return value


def _day(value: object) -> object:
    if _is_bare(value):
        raise ValueError("write it as 2026-12-24")
    return value


def _is_bare(value: object) -> bool:
    return isinstance(value, int | float) or (
        isinstance(value, str) and BARE.fullmatch(value) is not None
    )


Moment = Annotated[datetime, BeforeValidator(_moment)]
CalendarDay = Annotated[date, BeforeValidator(_day)]

"""What every change is stamped with."""

from dataclasses import dataclass
from datetime import datetime


@dataclass(frozen=True)
class Stamp:
    """Who changes something, when, why, and as part of which work order."""

    at: datetime
    actor: str
    reason: str = ""
    work_order: str | None = None
    actor_id: str = ""

"""What is counted of calls: how many, how long, how many of them were answered."""

from dataclasses import dataclass

ERLANG_HOUR = 3600


@dataclass(frozen=True)
class Use:
    """`talk` and `ring` in seconds; `cost` in ten thousandths of the currency it is told with."""

    calls: int = 0
    answered: int = 0
    talk: int = 0
    ring: int = 0
    included: int = 0
    cost: int = 0

    def __add__(self, other: "Use") -> "Use":
        return Use(
            self.calls + other.calls,
            self.answered + other.answered,
            self.talk + other.talk,
            self.ring + other.ring,
            self.included + other.included,
            self.cost + other.cost,
        )

    @property
    def minutes(self) -> int:
        """Begun minutes of talk."""
        return -(-self.talk // 60)

    @property
    def answered_share(self) -> float | None:
        """The answer-seizure ratio (ITU-T E.425); None where nobody called, which is no bad one."""
        return self.answered / self.calls if self.calls else None

    @property
    def usual_wait(self) -> float | None:
        """Seconds before a call was answered or given up, in the mean."""
        return self.ring / self.calls if self.calls else None


def erlangs(busy_seconds: int) -> float:
    """The traffic that was carried in an hour in which channels were taken for so many seconds."""
    return busy_seconds / ERLANG_HOUR

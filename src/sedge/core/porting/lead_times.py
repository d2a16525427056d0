"""How long a port takes in each country: the defaults of the table, each with what it rests on.

Working days of the losing carrier; "practice" is what carriers of the country do, where no
regulator says it; `basis` names it.
"""

from dataclasses import dataclass
from datetime import time


@dataclass(frozen=True)
class Lead:
    """`simple` is one line at one site, `complex` more of either, `large` over `large_over` numbers
    or several sites (None: as complex). `cutoff` is the local hour from which a simple request
    counts from the next working day. `answer_hours` are the losing carrier's time to answer, simple
    and complex. `window` is when numbers are switched, local time. `needs_code`: what the code is
    called that each number has, `code_length` its letters and digits."""

    simple: int
    complex: int
    answer_hours: tuple[int, int]
    window: tuple[time, time]
    basis: str
    large: int | None = None
    large_over: int = 0
    cutoff: time | None = None
    toll_free: int | None = None
    needs_code: str = ""
    code_length: int = 0
    note: str = ""

    def code_problem(self, code: str) -> str:
        """What is wrong with a number's code, none told included; '' where nothing is. Blanks and
        dashes in it don't count."""
        length = sum(letter.isalnum() for letter in code)
        if not self.needs_code or length == self.code_length:
            return ""
        if not length:
            return f"it needs its {self.needs_code}."
        return (
            f"a {self.needs_code} has {self.code_length} letters and digits, this one has {length}."
        )


LEADS: dict[str, Lead] = {
    "US": Lead(
        simple=1,
        complex=4,
        cutoff=time(13),
        answer_hours=(4, 24),
        window=(time(9), time(17)),
        toll_free=3,
        basis="47 CFR 52.35 and 52.36; one working day for a simple port since 2010",
        note="Projects of hundreds of numbers are dated by agreement; this is the earliest.",
    ),
    "CA": Lead(
        simple=2,
        complex=5,
        answer_hours=(24, 48),
        window=(time(9), time(17)),
        toll_free=3,
        basis="Canadian Local Ordering Guidelines; practice",
    ),
    "GB": Lead(
        simple=7,
        complex=15,
        large=25,
        large_over=100,
        answer_hours=(48, 96),
        window=(time(10), time(16)),
        basis=(
            "practice between carriers; activation one working day after validation (Ofcom General"
            " Condition B3)"
        ),
    ),
    "DE": Lead(
        simple=7,
        complex=10,
        answer_hours=(48, 96),
        window=(time(6), time(12)),
        basis="practice; at most one working day of interruption (TKG § 59)",
    ),
    "FR": Lead(
        simple=2,
        complex=7,
        answer_hours=(24, 48),
        window=(time(8), time(20)),
        needs_code="RIO",
        code_length=12,
        basis=(
            "Arcep decision on number portability; counted from when the number's code has been"
            " checked"
        ),
    ),
}

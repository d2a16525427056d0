"""From numbers to ports: who has them now, which can move and why not, what stays behind, and what
hangs on the account.

One port for each losing carrier, account and country. Toll-free numbers go their own way: their
responsible organisation changes.
"""

from collections.abc import Callable, Collection, Iterable, Mapping
from dataclasses import dataclass, field
from datetime import date, datetime, timedelta

from sedge.core.numbers.e164 import describe
from sedge.core.numbers.plan import Kind, country_name, the_country
from sedge.core.porting.dates import Blackout, Earliest, earliest
from sedge.core.porting.lead_times import LEADS
from sedge.core.porting.records import MAIN_BILLING_NUMBER

STILL_PORTABLE = timedelta(
    days=30
)  # after the end of a contract (Directive (EU) 2018/1972, Article 106)


@dataclass(frozen=True)
class Served:
    """What the numbering register says of a number. `hangs` is what else uses its line: main
    billing number, alarm, lift, fax, broadband, hunting group; `used_for` whose it is in the
    carrier's own list; `ended_on` when its contract ended, `pending` that another port of it is
    under way.
    """

    e164: str
    carrier: str
    account: str
    in_service: bool = True
    pending: bool = False
    ended_on: date | None = None
    hangs: str = ""
    used_for: str = ""


@dataclass(frozen=True)
class Judged:
    """A number with why it can't move; `reasons` empty where it can."""

    e164: str
    hangs: str
    reasons: tuple[str, ...]
    used_for: str = ""

    @property
    def eligible(self) -> bool:
        return not self.reasons


@dataclass(frozen=True)
class PlannedPort:
    """`left_behind` are numbers of the account that nobody asked for; `questions` have to be
    settled before it is submitted."""

    losing: str
    account: str
    country: str
    lines: tuple[Judged, ...]
    left_behind: tuple[Served, ...]
    questions: tuple[str, ...]
    toll_free: bool
    earliest: Earliest | None
    undated: str = ""

    @property
    def eligible(self) -> list[Judged]:
        return [line for line in self.lines if line.eligible]

    @property
    def changes_responsible(self) -> bool:
        """Whether the responsible organisation of toll-free numbers changes, by papers and times of
        its own; elsewhere they move as others."""
        return (
            self.toll_free and self.country in LEADS and LEADS[self.country].toll_free is not None
        )

    @property
    def code_of_each(self) -> str:
        """What the code is called that each number of this country needs to move; '' where none
        does."""
        return LEADS[self.country].needs_code if self.country in LEADS else ""

    @property
    def country_name(self) -> str:
        return country_name(self.country)


@dataclass
class PortPlan:
    """`refused` can't move at all (nobody serves them, or they are ours), each with why."""

    ports: list[PlannedPort] = field(default_factory=list)
    refused: list[Judged] = field(default_factory=list)


def plan(
    numbers: Iterable[str],
    served: Mapping[str, Served],
    on_account: Callable[[str, str], Collection[Served]],
    *,
    ours: Mapping[str, str],
    serves: Callable[[str], str],
    submitted: datetime,
    subdivisions: Mapping[str, str] | None = None,
    blackouts: Iterable[Blackout] = (),
) -> PortPlan:
    """`served` by E.164; `on_account` gives everything on a carrier's account; `ours` the holder or
    carrier of numbers that are ours already; `serves` why the gaining carrier doesn't take a
    number, '' where it does; `subdivisions` by country for the holidays; `blackouts` days that are
    kept free.
    """
    found = PortPlan()
    groups: dict[tuple[str, str, str, bool], list[Served]] = {}
    for e164 in dict.fromkeys(numbers):
        known = served.get(e164)
        if e164 in ours:
            found.refused.append(Judged(e164, "", (f"It is ours already: {ours[e164]}.",)))
        elif known is None or not known.carrier:
            found.refused.append(Judged(e164, "", ("No carrier serves it. Check the digits.",)))
        else:
            facts = describe(e164)
            groups.setdefault(
                (known.carrier, known.account, facts.country, facts.kind is Kind.TOLL_FREE), []
            ).append(known)
    for (carrier, account, country, toll_free), members in sorted(groups.items()):
        found.ports.append(
            _port(
                carrier,
                account,
                country,
                toll_free,
                members,
                on_account,
                serves,
                submitted,
                subdivisions or {},
                tuple(blackouts),
            )
        )
    return found


def _port(
    carrier: str,
    account: str,
    country: str,
    toll_free: bool,
    members: list[Served],
    on_account: Callable[[str, str], Collection[Served]],
    serves: Callable[[str], str],
    submitted: datetime,
    subdivisions: Mapping[str, str],
    blackouts: tuple[Blackout, ...],
) -> PlannedPort:
    asked = {s.e164 for s in members}
    lines = tuple(
        Judged(s.e164, s.hangs, tuple(_reasons(s, country, serves, submitted.date())), s.used_for)
        for s in members
    )
    behind = tuple(s for s in on_account(carrier, account) if s.e164 not in asked and s.in_service)
    able = sum(1 for line in lines if line.eligible)
    when, undated = None, ""
    if country not in LEADS:
        undated = f"There is no table of porting times for {the_country(country)} yet."
    elif able:
        when = earliest(
            country,
            submitted,
            subdivision=subdivisions.get(country, ""),
            numbers=able,
            toll_free=toll_free,
            blackouts=blackouts,
        )
    return PlannedPort(
        carrier,
        account,
        country,
        lines,
        behind,
        tuple(_questions(members, behind)),
        toll_free,
        when,
        undated,
    )


def _reasons(
    served: Served, country: str, serves: Callable[[str], str], today: date
) -> Iterable[str]:
    if served.pending:
        yield "Another port of it is under way."
    if served.ended_on and today - served.ended_on > STILL_PORTABLE:
        yield (
            f"Its contract ended on {served.ended_on.day} {served.ended_on:%B %Y}, more than a"
            " month ago."
        )
    elif not served.in_service and not served.ended_on:
        yield "It is not in service."
    if why := serves(served.e164):
        yield why
    if country not in LEADS:
        yield "There is no table of porting times for its country yet; ask the carrier."


def _questions(members: Iterable[Served], behind: Collection[Served]) -> Iterable[str]:
    """What has to be settled before anything is submitted, since it stops working, or the account
    with it."""
    moving = [s for s in members if s.hangs]
    if behind and any(s.hangs == MAIN_BILLING_NUMBER for s in moving):
        yield (
            "The account's main billing number moves and numbers stay behind: which becomes the"
            " main one?"
        )
    for s in moving:
        if s.hangs != MAIN_BILLING_NUMBER:
            yield (
                f"{describe(s.e164).shown} carries {_article(s.hangs)}: it stops when the number"
                " moves. What becomes of it?"
            )
    stays = next((s for s in behind if s.hangs == MAIN_BILLING_NUMBER), None)
    if behind and not stays and not any(s.hangs == MAIN_BILLING_NUMBER for s in moving):
        yield "Numbers stay behind on the account: does it go on, or are they to be ended?"


def _article(what: str) -> str:
    return f"an {what}" if what[:1] in "aeiou" else what if what in {"broadband"} else f"a {what}"

"""Retiring: what depends on numbers, what each way of letting them go costs, and the
work orders that do it."""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass

from sedge.core.errors import NotAllowedNow, NotUnderstood
from sedge.core.estate import Estate
from sedge.core.holding import HolderRef
from sedge.core.load_spec import LoadSpec
from sedge.core.numbers.life import State
from sedge.core.records import Carrier, HolderKind, Number, Role, Site, Subject
from sedge.core.retiring.dependencies import Dependence, dependences, idle_first, settling
from sedge.core.retiring.quarantine import MOST_REST, rest_of
from sedge.core.retiring.terms import Choice, choices
from sedge.core.workorders import tasks as t
from sedge.core.workorders.task_base import Task
from sedge.services.context import Context, Reading
from sedge.services.retiring.usage_index import around

MOST_WORDS = 300
THENS = ("release", "rest", "keep")


@dataclass(frozen=True)
class Retirement:
    """One number with what depends on it, the ways of letting it go, and what callers could be told
    while it rests."""

    number: Number
    dependences: list[Dependence]
    choices: list[Choice]
    rest_days: int
    announcement: str

    @property
    def can_be_settled(self) -> int:
        """How many tasks settle what needs no judgement."""
        return len(settling(self.dependences))

    @property
    def grave(self) -> list[Dependence]:
        return [d for d in self.dependences if d.grave]


def depends_on(context: Context, e164: str) -> Retirement:
    """Raises NotFound."""
    with context.reading() as reading:
        estate = reading.look_at(Subject.NUMBER, e164)
        number = estate.number(e164)
        found = dependences(number, estate, around(reading, [number])[e164])
        carrier = reading.records.the(Carrier, number.carrier)
        site = reading.records.the(Site, number.site)
        main = next(
            (
                n
                for n in estate.numbers_of(_site_ref(site))
                if n.assignment and n.assignment.role is Role.MAIN and n.e164 != e164
            ),
            None,
        )
    rest = rest_of(number, estate)
    instead = f" Please call {main.shown}." if main else ""
    return Retirement(
        number,
        found,
        choices(number, carrier, context.now().date(), rest),
        rest,
        f"This number is no longer in use.{instead}",
    )


def _site_ref(site: Site) -> HolderRef:
    return HolderRef(kind=HolderKind.SITE, id=site.id)


def days_of_rest(typed: str) -> int | None:
    """None for nothing typed. Raises NotUnderstood."""
    if typed and not (typed.isdigit() and int(typed) <= MOST_REST):
        raise NotUnderstood(f"Aging days are a number, {MOST_REST:,} at most.", field="rest")
    return int(typed) if typed else None


def plan(
    context: Context,
    e164: str,
    *,
    then: str,
    rest: str = "",
    announcement: str = "",
    settle: bool = True,
) -> tuple[list[Task], str]:
    """Tasks that retire a number: what depends on it settled where that needs no judgement, taken
    back, then rest or release.

    `then` is `release` (now), `rest` (then released, by a work order of its own later) or `keep`.
    """
    days = days_of_rest(rest)
    if then not in THENS:
        raise NotUnderstood("Choose what becomes of the number.", field="then")
    if len(announcement) > MOST_WORDS:
        raise NotUnderstood(f"At most {MOST_WORDS} characters.", field="announcement")
    view = depends_on(context, e164)
    number = view.number
    tasks: list[Task] = settling(view.dependences) if settle else []
    if number.state is State.ASSIGNED and number.holder:
        words = announcement.strip() if then != "release" else ""
        tasks.append(
            t.UnassignNumber(
                number=e164,
                rest=0 if then == "release" else days,
                holder=number.holder,
                announcement=words,
            )
        )
    if then == "release":
        tasks.append(t.ReleaseNumber(number=e164))
    elif then == "rest":
        tasks.append(t.ReleaseNumber(number=e164, after_rest=True))
    if not tasks:
        raise NotAllowedNow(
            f"{number.shown} is {number.state} already. Choose to release it, if it shall go.",
            reason="nothing",
            field="then",
        )
    return tasks, f"Retire {number.shown}"


# ── many at once ──


def many(
    context: Context, numbers: Sequence[str], *, then: str, rest: int | None, announcement: str = ""
) -> list[Task]:
    """Tasks that retire many numbers: caller IDs and fallbacks that lead to them changed, idle
    seats taken back, each taken back and let go."""
    with context.reading() as reading:
        estate = reading.estate(LoadSpec(numbers=set(numbers)))
        found = [estate.number(n) for n in numbers]
        settled = _settle_many(reading, found, estate)
    tasks = [task for task in settled if getattr(task, "number", None) not in set(numbers)]
    for n in found:
        if n.state is State.ASSIGNED:
            days = 0 if then == "release" else rest
            tasks.append(
                t.UnassignNumber(
                    number=n.e164,
                    holder=n.holder,
                    rest=days,
                    announcement=announcement if then != "release" else "",
                )
            )
        if then == "release":
            tasks.append(t.ReleaseNumber(number=n.e164))
        elif then == "rest":
            tasks.append(t.ReleaseNumber(number=n.e164, after_rest=True))
    return tasks


def _settle_many(reading: Reading, found: Iterable[Number], estate: Estate) -> list[Task]:
    """What settles the dependences of many; seats are taken back where all numbers of a holder
    go."""
    going = [n for n in found if n.in_use]
    wanted = {n.e164 for n in going}
    about = around(reading, going)
    tasks: list[Task] = []
    for n in going:
        tasks += settling(
            d
            for d in dependences(n, estate, about[n.e164])
            if not any(isinstance(x, t.RevokeLicence) for x in d.tasks)
        )
    for ref in dict.fromkeys(n.holder for n in going if n.holder):
        if all(n.e164 in wanted for n in estate.numbers_of(ref)):
            tasks += [
                t.RevokeLicence(holder=ref, product=g.product)
                for g in idle_first(estate.grants_of(ref), estate)
            ]
    return list(dict.fromkeys(tasks))

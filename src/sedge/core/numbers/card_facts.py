"""How a number stands: the facts its card shows, each judged.

One list, in the order an administrator asks: who has it, what may they, where would help go, how do
calls get here, is it proven, what does it cost. A fact that is wrong says what to do about it by
naming the next action.
"""

from dataclasses import dataclass
from enum import StrEnum

from sedge.core.callpaths.tracing.proof import is_stale
from sedge.core.enums import Subject
from sedge.core.estate import Estate
from sedge.core.facts import in_words
from sedge.core.numbers.e164 import describe
from sedge.core.numbers.life import State
from sedge.core.outbound.caller_id import own_number, presented
from sedge.core.records import (
    Account,
    Carrier,
    HolderKind,
    Number,
    PathVersion,
    Person,
    Product,
    Proof,
    ServiceLine,
    Site,
    Trunk,
)
from sedge.core.safety.effective_spot import effective_spot, place_words, problem_with
from sedge.core.safety.emergency import unregistered


class Mark(StrEnum):
    GOOD = "good"
    WAITING = "waiting"
    WRONG = "wrong"
    NONE = "none"


@dataclass(frozen=True)
class Standing:
    """One judged fact; `to` is the record that it is about, where there is one to look at."""

    name: str
    text: str
    mark: Mark = Mark.NONE
    to: tuple[Subject, str] | None = None


def standing(number: Number, estate: Estate) -> list[Standing]:
    """The judged facts of one number, in the order of the card."""
    facts = [_holder(number, estate)]
    if number.in_use:
        facts.append(_licences(number, estate))
    if number.state in {State.ASSIGNED, State.AVAILABLE, State.ON_ORDER, State.RESERVED}:
        facts.append(_safety(number, estate))
    facts += [_carrier(number, estate), *_features(number, estate), *_trunk(number, estate)]
    if number.in_use:
        facts += [_path(number, estate), _caller_id(number, estate), _proof(number, estate)]
    return facts


def _caller_id(number: Number, estate: Estate) -> Standing:
    """What the callee sees on calls of the holder."""
    if number.holder is None or number.holder.kind is not HolderKind.PERSON:
        return Standing("Caller ID", "takes calls only", Mark.NONE)
    person = estate.the(Person, number.holder.id)
    shown = presented(person, own_number(person, estate), estate)
    if shown.withheld:
        return Standing("Caller ID", f"withheld: {shown.because}", Mark.GOOD)
    if shown.number == number.e164:
        return Standing("Caller ID", f"{number.shown}, this number", Mark.GOOD)
    known = estate.get(Number, shown.number)
    return Standing(
        "Caller ID",
        f"{describe(shown.number).shown}: {shown.because}",
        Mark.GOOD if known and known.holder else Mark.WRONG,
    )


def _proof(number: Number, estate: Estate) -> Standing:
    """The latest test call in each direction, and whether anything on its way has changed since."""
    latest: dict[str, Proof] = {}
    for proof in sorted(
        (p for p in estate.all(Proof) if p.e164 == number.e164), key=lambda p: p.at
    ):
        latest[proof.direction] = proof
    if not latest:
        return Standing("Tested", "never: place a test call", Mark.NONE)
    failed = [p.direction for p in latest.values() if not p.ok]
    stale = [p.direction for p in latest.values() if is_stale(p, number, estate)]
    when = estate.clock(max(p.at for p in latest.values()))
    if failed:
        return Standing(
            "Tested", f"the test call {' and '.join(failed)} failed, {when}", Mark.WRONG
        )
    if stale:
        return Standing("Tested", f"{' and '.join(latest)}, {when}; outdated since", Mark.WAITING)
    return Standing("Tested", f"{' and '.join(latest)}, {when}", Mark.GOOD)


def _holder(number: Number, estate: Estate) -> Standing:
    if number.assignment is None:
        return Standing("Holder", {State.AGING: "nobody, it rests"}.get(number.state, "nobody"))
    holder = estate.holder(number.assignment.holder)
    waits = number.assignment.works_from > estate.now
    extra = (
        holder.job if isinstance(holder, Person) and holder.job else number.assignment.role.value
    )
    mark = Mark.WAITING if waits else Mark.GOOD
    to = (number.assignment.holder.subject, holder.id)
    return Standing("Holder", f"{holder.name}, {extra}", mark, to)


def _licences(number: Number, estate: Estate) -> Standing:
    ref = number.assignment.holder if number.assignment else None
    asked = estate.carrier_of(number).asks_of.get(ref.kind, ()) if ref else ()
    if ref is None or not asked:
        return Standing("Licence", "none needed here", Mark.GOOD)
    grants = {g.product: g for g in estate.grants_of(ref)}
    missing = [p for p in asked if p not in grants]
    if missing:
        names = " and ".join(estate.the(Product, p).name for p in missing)
        return Standing("Licence", f"{names} missing", Mark.WRONG, (Subject.PRODUCT, missing[0]))
    latest = max(grants[p].works_from for p in asked)
    names = ", ".join(estate.the(Product, p).name for p in asked)
    mark = Mark.WAITING if latest > estate.now else Mark.GOOD
    return Standing("Licence", names, mark, (Subject.PRODUCT, asked[0]))


def _safety(number: Number, estate: Estate) -> Standing:
    spot = effective_spot(number, estate)
    if spot is None:
        wrong = number.in_use
        return Standing("Safety", "no emergency spot set", Mark.WRONG if wrong else Mark.NONE)
    problem = problem_with(spot, number, number.holder, estate, estate.now)
    words = place_words(spot, estate)
    if problem:
        return Standing(
            "Safety",
            problem if problem.startswith(words) else f"{words}; {problem}",
            Mark.WRONG,
            (Subject.SPOT, spot.id),
        )
    if number.in_use and unregistered(number, estate):
        return Standing(
            "Safety",
            f"{words}; its carrier has another address, or none",
            Mark.WAITING,
            (Subject.SPOT, spot.id),
        )
    return Standing("Safety", words, Mark.GOOD, (Subject.SPOT, spot.id))


def _carrier(number: Number, estate: Estate) -> Standing:
    name = estate.the(Carrier, number.carrier).name
    account = estate.get(Account, number.account)
    to = (Subject.ACCOUNT, account.id) if account else None
    if account and account.suspended_since:
        return Standing(
            "Carrier",
            f"{name} has suspended {account.name}: nothing gets through until money is paid in",
            Mark.WRONG,
            to,
        )
    if number.usable_from and number.usable_from > estate.now:
        return Standing("Carrier", f"{name}, not usable yet", Mark.WAITING, to)
    if number.leaving_on:
        return Standing("Carrier", f"{name}, being released", Mark.WAITING, to)
    mark = Mark.GOOD if number.state is not State.ON_ORDER else Mark.WAITING
    return Standing("Carrier", name, mark, to)


def _features(number: Number, estate: Estate) -> list[Standing]:
    """What is switched on, for how much a month, and from when the latest of it works."""
    if not number.features:
        return []
    carrier = estate.the(Carrier, number.carrier)
    fees = [carrier.fee(name, number.monthly.currency) for name in number.features]
    told = [
        f"{name} {in_words(fee)}" if fee.amount else name
        for name, fee in zip(number.features, fees, strict=True)
    ]
    late = max((at for at in number.features_from.values() if at > estate.now), default=None)
    return [
        Standing(
            "Features",
            ", ".join(told) + (f"; works from {estate.clock(late)}" if late else ""),
            Mark.WAITING if late else Mark.GOOD,
        )
    ]


def _trunk(number: Number, estate: Estate) -> list[Standing]:
    trunk = estate.get(Trunk, number.trunk)
    if trunk:
        words = (
            ("signed in", "not signed in: calls don't arrive")
            if trunk.connection
            else ("up", "down")
        )
        return [
            Standing(
                "Trunk",
                f"{trunk.name}, {words[0] if trunk.carries else words[1]}",
                Mark.GOOD if trunk.carries else Mark.WRONG,
                (Subject.TRUNK, trunk.id),
            )
        ]
    if number.in_use:
        return [Standing("Trunk", "on no trunk's list: calls don't arrive", Mark.WRONG)]
    return []


def _path(number: Number, estate: Estate) -> Standing:
    path = estate.get(PathVersion, number.path)
    if path:
        return Standing("Call path", path.name, Mark.GOOD, (Subject.PATH, path.id))
    holder = estate.holder(number.assignment.holder) if number.assignment else None
    if isinstance(holder, ServiceLine | Site):
        return Standing("Call path", "none yet: callers hear nothing", Mark.WRONG)
    return Standing("Call path", "rings the holder, then their mailbox", Mark.GOOD)


def next_actions(number: Number, estate: Estate) -> list[str]:
    """What a person would sensibly do next, most sensible first; keys of the doors that do it."""
    match number.state:
        case State.AVAILABLE | State.RESERVED:
            between = ["reserve", "set-aside"] if number.state is State.AVAILABLE else ["unreserve"]
            trunk = estate.get(Trunk, number.trunk)
            prove = ["test-call"] if trunk and trunk.connection else []
            return ["assign", *prove, *between, "set-spot", "features", "retire"]
        case State.ASSIGNED:
            wanting = []
            if number.spot is None:
                wanting.append("set-spot")
            elif unregistered(number, estate):
                wanting.append("register-address")
            if number.trunk is None:
                wanting.append("list-on-trunk")
            needs_path = number.assignment is not None and number.assignment.holder.kind in {
                HolderKind.SERVICE_LINE,
                HolderKind.SITE,
            }
            if needs_path and number.path is None:
                wanting.append("set-path")
            if number.trunk and not number.fallback and number.path:
                wanting.append("set-fallback")
            rest = [
                a
                for a in ("test-call", "follow", "route-calls", "set-spot", "features", "retire")
                if a not in wanting
            ]
            return wanting + rest
        case State.AGING:
            return ["end-rest", "retire"]
        case State.ADMINISTRATIVE:
            return ["return", "features", "retire"]
        case _:
            return []

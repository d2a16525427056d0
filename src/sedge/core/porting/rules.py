"""Rules about ports: what a losing carrier would refuse is found before it is asked."""

from collections.abc import Iterator
from dataclasses import dataclass

from sedge.core.errors import SedgeError
from sedge.core.estate import Estate
from sedge.core.facts import counted
from sedge.core.numbers.e164 import describe
from sedge.core.numbers.life import ENDED
from sedge.core.numbers.plan import the_country
from sedge.core.porting.dates import Blackout, earliest, refused_day
from sedge.core.porting.lead_times import LEADS
from sedge.core.porting.records import KeptFree, Port, PortState
from sedge.core.porting.reducers import arrival, spot_of, waiting_numbers
from sedge.core.records import Account, Carrier, Number, Site
from sedge.core.workorders import tasks as t
from sedge.core.workorders.findings import (
    Finding,
    Level,
    Remedy,
    add_before,
    elsewhere,
    passed,
    stop,
    warn,
)
from sedge.core.workorders.rules.registry import REGISTERED, rule

NEEDED = {"name": "account holder", "address": "billing address", "account": "account number"}


@rule("port.details-complete", t.SubmitPort)
def details_complete(task: t.SubmitPort, estate: Estate) -> Finding:
    """The losing carrier compares every word with its bill, and refuses for the first that is
    missing."""
    port = estate.the(Port, task.port)
    missing = [words for field, words in NEEDED.items() if not getattr(port.details, field).strip()]
    if missing:
        return stop(
            f"Port {port.no}: {', '.join(missing)} {'is' if len(missing) == 1 else 'are'} missing."
            " Copy from the latest bill.",
            elsewhere("Fill it in", "port", port.id),
        )
    return passed("The account is told as on the bill")


@rule("port.papers-signed", t.SubmitPort)
def papers_signed(task: t.SubmitPort, estate: Estate) -> Finding:
    """Without the customer's mandate nobody may take numbers away from a carrier."""
    port = estate.the(Port, task.port)
    if port.state is PortState.READY:
        return passed(f"Signed by {port.signed}")
    if port.state is PortState.DRAFT:
        return stop(
            f"The mandate of port {port.no} is not signed. Print it, have it signed, and say by"
            " whom.",
            elsewhere("Sign mandate", "port", port.id),
        )
    return stop(f"Port {port.no} is {port.state}; there is nothing to submit.")


@rule("port.questions-settled", t.SubmitPort)
def questions_settled(task: t.SubmitPort, estate: Estate) -> Finding:
    """What hangs on a line that moves stops working: an alarm or a lift phone that nobody thought
    of costs more than the port."""
    port = estate.the(Port, task.port)
    hanging = [x for x in port.lines if x.carries_something]
    unsettled = [x for x in hanging if not any(x.e164 in said for said in port.settled)]
    if unsettled:
        first = unsettled[0]
        return stop(
            f"{describe(first.e164).shown} carries the {first.hangs}. Say what becomes of it.",
            elsewhere("Settle service", "port", port.id),
        )
    main = next((x for x in port.lines if x.is_main_billing_number), None)
    if main and port.left_behind and port.details.new_main_number not in port.left_behind:
        return stop(
            "The main billing number moves and the account goes on. Name the number that takes its"
            " place.",
            elsewhere("Name main number", "port", port.id),
        )
    return passed("Everything that hangs on the account is settled")


@rule("port.numbers-can-move", t.SubmitPort)
def numbers_can_move(task: t.SubmitPort, estate: Estate) -> Finding:
    """A number that is ours already, or has no code where its country wants one, has no business in
    a port."""
    port = estate.the(Port, task.port)
    if not port.numbers:
        return stop(f"No number is left in port {port.no}.")
    known = (estate.get(Number, e164) for e164 in port.numbers)
    ours = next((n for n in known if n and n.state not in ENDED and n.order != port.id), None)
    if ours:
        return stop(
            f"{ours.shown} is in the estate already, {ours.state}. Take it out of the port.",
            elsewhere("Take it out", "port", port.id),
        )
    lead = LEADS.get(port.country)
    for line in port.lines:
        if lead and not line.refused and (why := lead.code_problem(line.code)):
            return stop(
                f"{describe(line.e164).shown}: {why} Ask for it from the line itself.",
                elsewhere("Fill it in", "port", port.id),
            )
    return passed(f"{counted(len(port.numbers), 'number')} can move")


@rule("port.carrier-takes-it", t.SubmitPort)
def carrier_takes_it(task: t.SubmitPort, estate: Estate) -> Finding:
    """The gaining carrier has to serve the country."""
    port = estate.the(Port, task.port)
    carrier = estate.the(Carrier, estate.the(Account, port.account).carrier)
    if port.country not in carrier.countries:
        return stop(
            f"{carrier.name} does not serve {the_country(port.country)}. Choose another account"
            f" for port {port.no}.",
            elsewhere("Choose account", "port", port.id),
        )
    return passed(f"{carrier.name} takes numbers of {the_country(port.country)}")


@rule("port.date-is-possible", t.SubmitPort)
def date_is_possible(task: t.SubmitPort, estate: Estate) -> Finding:
    """A day that can't be kept is answered with another one, days later."""
    port = estate.the(Port, task.port)
    zone, free = _days(port, estate)
    found = earliest(
        port.country,
        estate.now,
        subdivision=port.subdivision,
        numbers=len(port.numbers),
        timezone=zone,
        blackouts=free,
        toll_free=port.toll_free,
    )
    words = f"{found.day.day} {found.day:%B %Y}"
    if port.wanted and port.wanted < found.day:
        return warn(
            f"{port.wanted.day} {port.wanted:%B %Y} is too early: the earliest day is {words}. The"
            " losing carrier will name its own."
        )
    if port.wanted:
        at = found.moment.replace(
            year=port.wanted.year, month=port.wanted.month, day=port.wanted.day
        )
        if why := refused_day(port.country, port.subdivision, at, free, zone):
            return warn(f"{why} The losing carrier will name another day.")
    return passed(f"The earliest day is {words}")


def _days(port: Port, estate: Estate) -> tuple[str, tuple[Blackout, ...]]:
    """The clock that counts for a port, and the days on which nothing may be switched."""
    free = (
        Blackout(k.first, k.last, k.why) for k in estate.all(KeptFree) if k.counts_at(port.site)
    )
    return estate.the(Site, port.site).timezone, tuple(free)


@rule("port.day-has-come", t.ActivatePort)
def day_has_come(task: t.ActivatePort, estate: Estate) -> Finding:
    """Before its day no number can be switched; afterwards the window closes."""
    port = estate.the(Port, task.port)
    if port.foc and port.state in {PortState.ACCEPTED, PortState.DUE}:
        zone, free = _days(port, estate)
        if why := refused_day(port.country, port.subdivision, port.foc, free, zone):
            return warn(
                f"{why} Ask {port.losing} for another day, or be sure that somebody is there.",
                elsewhere("Request another day", "port", port.id),
            )
    if port.state is PortState.DUE:
        return passed(f"The day of port {port.no} has come")
    if port.state is PortState.ACCEPTED and port.foc:
        return warn(
            f"Port {port.no} is switched from {estate.clock(port.foc)}; the task waits for that by"
            " itself."
        )
    return stop(f"Port {port.no} is {port.state}; its numbers can't be switched.")


# ── who has the numbers from the switch on ──

PLACED = ("assignment.dispatchable-spot",)
ALLOWED = ("assignment.holder-may-call-here", "assignment.calling-rights")
REST = (
    "assignment.capacity-suits-holder",
    "assignment.role-free",
    "assignment.holder-is-here",
    "assignment.country-served",
    "assignment.line-has-path",
    "assignment.on-trunk-list",
)
MOST_TOLD = 3


@dataclass(frozen=True)
class Unready:
    """A rule about giving numbers that a line of a port does not satisfy."""

    e164: str
    finding: Finding


def _unready(port: Port, names: tuple[str, ...], estate: Estate) -> list[Unready]:
    """What the rules about giving a number say of each line's holder, judged on the estate as it is
    once the number has arrived."""
    return [
        x
        for x in estate.once("port lines judged", port.id, lambda: list(_judged(port, estate)))
        if x.finding.rule in names
    ]


def _judged(port: Port, estate: Estate) -> Iterator[Unready]:
    waiting = {n.e164: n for n in waiting_numbers(port, estate)}
    lines = [(line, line.holder) for line in port.lines if line.holder and line.e164 in waiting]
    bare = port.copy_with(lines=())
    if not lines or port.state not in {PortState.ACCEPTED, PortState.DUE}:
        return
    world = estate.fork()
    for line, holder in lines:
        number = arrival(bare, waiting[line.e164], estate).after
        world.put(number.copy_with(path=line.path))
        task = t.AssignNumber(
            number=line.e164, holder=holder, role=line.role, spot=spot_of(line, estate)
        )
        for name in (*PLACED, *ALLOWED, *REST):
            finding = _judge_one(name, task, world)
            if finding and not finding.is_pass:
                yield Unready(
                    line.e164, Finding(finding.level, finding.message, finding.remedies, rule=name)
                )
        world.put(arrival(port, waiting[line.e164], estate).after)


def _judge_one(name: str, task: t.AssignNumber, world: Estate) -> Finding | None:
    try:
        return REGISTERED[name][1](task, world)
    except SedgeError as error:
        return stop(error.message)


def _together(found: list[Unready], port: Port, good: str) -> Finding:
    """One finding for many lines: the worst first, what can be done for all of them at once."""
    stops = [x for x in found if x.finding.level is Level.STOP]
    told = stops or found
    if not told:
        return passed(good)
    said = list(dict.fromkeys(x.finding.message for x in told))
    more = f" And {len(said) - MOST_TOLD:,} more." if len(said) > MOST_TOLD else ""
    automatic = [
        r for x in told for r in x.finding.remedies if r.automatic and not r.replaces and r.tasks
    ]
    tasks = tuple(dict.fromkeys(task for r in automatic for task in r.tasks))
    words = automatic[0].words if len(automatic) == 1 else f"Do that for all {len(automatic)}"
    remedies: list[Remedy] = [add_before(words, *tasks)] if tasks else []
    remedies.append(elsewhere("Choose holders again", "port holders", port.id))
    return (stop if stops else warn)(" ".join(said[:MOST_TOLD]) + more, *remedies)


@rule("port.help-finds-each", t.ActivatePort)
def help_finds_each(task: t.ActivatePort, estate: Estate) -> Finding:
    """From the first minute a call for help from a number that has just moved must say where (47
    CFR 9.3 and 9.16; asked everywhere)."""
    port = estate.the(Port, task.port)
    return _together(
        _unready(port, PLACED, estate),
        port,
        "Each holder has a spot that responders can be sent to",
    )


@rule("port.holders-may-call", t.ActivatePort)
def holders_may_call(task: t.ActivatePort, estate: Estate) -> Finding:
    """Licences and rights are there before the switch, or the phones are dead on the day."""
    port = estate.the(Port, task.port)
    return _together(
        _unready(port, ALLOWED, estate), port, "Holders have the licences and rights they need"
    )


@rule("port.holders-suit", t.ActivatePort)
def holders_suit(task: t.ActivatePort, estate: Estate) -> Finding:
    """Whoever is to have a number must be here, have room for it, and be reached by it."""
    port = estate.the(Port, task.port)
    nobody = sum(1 for line in port.lines if line.holder is None and not line.refused)
    if nobody == len(port.numbers) and nobody:
        return warn(
            f"Nobody has been chosen for the numbers of port {port.no}: callers of all of them"
            " would be turned away from the switch on.",
            elsewhere("Choose holders", "port holders", port.id),
        )
    free, given = f"; {nobody:,} will be free" if nobody else "", len(port.numbers) - nobody
    return _together(
        _unready(port, REST, estate),
        port,
        f"{counted(given, 'number')} {'has' if given == 1 else 'have'} somebody from the switch"
        f" on{free}",
    )


@rule("port.back-out-open", t.BackOutPort)
def back_out_open(task: t.BackOutPort, estate: Estate) -> Finding:
    """The losing carrier keeps the old lines for hours only; after that a number comes back by a
    port of its own."""
    port = estate.the(Port, task.port)
    if port.state not in {PortState.ACTIVATED, PortState.PROVEN}:
        return stop(f"Port {port.no} is {port.state}; there is nothing to back out of.")
    if port.back_out_until is None or port.back_out_until <= estate.now:
        ended = (
            f" closed {estate.clock(port.back_out_until)}" if port.back_out_until else " is closed"
        )
        return stop(
            f"The window for going back{ended}. Ask {port.losing} for a port in the other"
            " direction."
        )
    held = [n for e164 in port.numbers if (n := estate.get(Number, e164)) and n.holder]
    until = estate.clock(port.back_out_until)
    if held:
        who = "1 holder loses its" if len(held) == 1 else f"{len(held):,} holders lose their"
        return warn(
            f"{who} number here, and calls go to {port.losing} again. It can be done until {until}."
        )
    return passed(f"{port.losing} takes the numbers back until {until}")

"""Rules about ports: what a losing carrier would refuse is found before it is asked."""

from sedge.core.estate import Estate
from sedge.core.numbers.e164 import describe
from sedge.core.numbers.life import ENDED
from sedge.core.porting.dates import earliest, refused_day
from sedge.core.porting.leads import LEADS
from sedge.core.porting.records import Port, PortState
from sedge.core.records import Account, Carrier, Number, Site
from sedge.core.workorders import tasks as t
from sedge.core.workorders.findings import Finding, elsewhere, passed, stop, warn
from sedge.core.workorders.rules import rule

NEEDED = {"name": "account holder", "address": "billing address", "account": "account number"}


@rule("port.details-complete", t.SubmitPort)
def details_complete(task: t.SubmitPort, estate: Estate) -> Finding:
    """The losing carrier compares every word with its bill, and refuses for the first that is missing."""
    port = estate.the(Port, task.port)
    missing = [words for field, words in NEEDED.items() if not getattr(port.details, field).strip()]
    if missing:
        return stop(
            f"Port {port.no}: {', '.join(missing)} {'is' if len(missing) == 1 else 'are'} missing. Copy from the latest bill.",
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
            f"The mandate of port {port.no} is not signed. Print it, have it signed, and say by whom.",
            elsewhere("Sign it", "port", port.id),
        )
    return stop(f"Port {port.no} is {port.state}; there is nothing to submit.")


@rule("port.questions-settled", t.SubmitPort)
def questions_settled(task: t.SubmitPort, estate: Estate) -> Finding:
    """What hangs on a line that moves stops working: an alarm or a lift phone that nobody thought of costs more than the port."""
    port = estate.the(Port, task.port)
    hanging = [x for x in port.lines if x.hangs and x.hangs != "main billing number"]
    unsettled = [x for x in hanging if not any(x.e164 in said for said in port.settled)]
    if unsettled:
        first = unsettled[0]
        return stop(
            f"{describe(first.e164).national} carries the {first.hangs}. Say what becomes of it.", elsewhere("Settle it", "port", port.id)
        )
    main = next((x for x in port.lines if x.hangs == "main billing number"), None)
    if main and port.left_behind and port.details.new_main_number not in port.left_behind:
        return stop(
            "The main billing number moves and the account goes on. Name the number that takes its place.",
            elsewhere("Name it", "port", port.id),
        )
    return passed("Everything that hangs on the account is settled")


@rule("port.numbers-can-move", t.SubmitPort)
def numbers_can_move(task: t.SubmitPort, estate: Estate) -> Finding:
    """A number that is ours already, or has no code where its country wants one, has no business in a port."""
    port = estate.the(Port, task.port)
    if not port.numbers:
        return stop(f"No number is left in port {port.no}.")
    known = (estate.get(Number, e164) for e164 in port.numbers)
    ours = next((n for n in known if n and n.state not in ENDED and n.order != port.id), None)
    if ours:
        return stop(
            f"{ours.national} is in the estate already, {ours.state}. Take it out of the port.", elsewhere("Take it out", "port", port.id)
        )
    code = LEADS[port.country].needs_code if port.country in LEADS else ""
    without = next((x for x in port.lines if code and not x.code and not x.refused), None)
    if without:
        return stop(
            f"{describe(without.e164).national} needs its {code}; ask for it from the line itself.",
            elsewhere("Fill it in", "port", port.id),
        )
    return passed(f"{len(port.numbers):,} numbers can move")


@rule("port.carrier-takes-it", t.SubmitPort)
def carrier_takes_it(task: t.SubmitPort, estate: Estate) -> Finding:
    """The gaining carrier has to serve the country."""
    port = estate.the(Port, task.port)
    carrier = estate.the(Carrier, estate.the(Account, port.account).carrier)
    if port.country not in carrier.countries:
        return stop(
            f"{carrier.name} does not serve {port.country}. Choose another account for port {port.no}.",
            elsewhere("Choose it", "port", port.id),
        )
    return passed(f"{carrier.name} takes numbers of {port.country}")


@rule("port.date-is-possible", t.SubmitPort)
def date_is_possible(task: t.SubmitPort, estate: Estate) -> Finding:
    """A day that can't be kept is answered with another one, days later."""
    port = estate.the(Port, task.port)
    found = earliest(
        port.country, estate.now, subdivision=port.subdivision, numbers=len(port.numbers), timezone=estate.the(Site, port.site).timezone
    )
    if port.wanted and port.wanted < found.day:
        return warn(
            f"{port.wanted.day} {port.wanted:%B %Y} is too early: the earliest day is {found.day.day} {found.day:%B %Y}. The losing carrier will name its own."
        )
    if port.wanted:
        at = found.moment.replace(year=port.wanted.year, month=port.wanted.month, day=port.wanted.day)
        if why := refused_day(port.country, port.subdivision, at):
            return warn(f"{why} The losing carrier will name another day.")
    return passed(f"The earliest day is {found.day.day} {found.day:%B %Y}")


@rule("port.day-has-come", t.ActivatePort)
def day_has_come(task: t.ActivatePort, estate: Estate) -> Finding:
    """Before its day no number can be switched; afterwards the window closes."""
    port = estate.the(Port, task.port)
    if port.state is PortState.DUE:
        return passed(f"The day of port {port.no} has come")
    if port.state is PortState.ACCEPTED and port.foc:
        return warn(f"Port {port.no} is switched from {estate.clock(port.foc)}; the task waits for that by itself.")
    return stop(f"Port {port.no} is {port.state}; its numbers can't be switched.")

"""Rules of supply: what an order, and a feature of a number, must satisfy."""

from sedge.core.estate import Estate
from sedge.core.facts import Money, in_words
from sedge.core.numbers.e164 import describe
from sedge.core.numbers.life import ENDED, State
from sedge.core.numbers.plan import Kind, the_country
from sedge.core.records import Account, Address, Carrier, Document, Number, Order, Spot
from sedge.core.safety.spots import spot_problem
from sedge.core.supply.documents import PAPERS, asked, held
from sedge.core.supply.records import PaperState
from sedge.core.workorders import tasks as t
from sedge.core.workorders.findings import Finding, elsewhere, passed, stop, warn
from sedge.core.workorders.rules.registry import rule

REGISTRATION = "emergency registration"


@rule("order.enough-money", t.OrderNumbers)
def enough_money(task: t.OrderNumbers, estate: Estate) -> Finding:
    """A prepaid account must cover the set-up."""
    account = estate.the(Account, task.account)
    if (currency := task.lines[0].setup.currency) != account.balance.currency:
        return stop(
            f"These numbers are sold in {currency}, and {account.name} is kept in"
            f" {account.balance.currency}. Order them on another account."
        )
    if account.receives_only:
        return stop(
            f"{account.name} can only receive calls until money has been paid in for the first"
            " time.",
            elsewhere(f"Deposit to {account.name}", "deposit", account.id),
        )
    total = Money(
        amount=sum((line.setup.amount for line in task.lines), start=account.balance.amount * 0),
        currency=account.balance.currency,
    )
    if account.prepaid and total.amount > account.balance.amount:
        short = (total - account.balance).rounded()
        return stop(
            f"Set-up costs {in_words(total)}, the balance of {account.name} is"
            f" {in_words(account.balance)}: {in_words(short)} short. Deposit that, or order fewer.",
            elsewhere(f"Deposit to {account.name}", "deposit", account.id),
        )
    return passed(f"The balance covers the set-up: {in_words(total)}")


@rule("order.not-ours-already", t.OrderNumbers)
def not_ours_already(task: t.OrderNumbers, estate: Estate) -> Finding:
    """A number is bought once."""
    ours = [
        n for line in task.lines if (n := estate.get(Number, line.number)) and n.state not in ENDED
    ]
    if ours:
        return stop(
            f"{ours[0].shown} is in the estate already, {ours[0].state}. Take it off the order."
        )
    return passed("None of these numbers is in the estate yet")


@rule("order.spot-chosen", t.OrderNumbers)
def order_spot(task: t.OrderNumbers, estate: Estate) -> Finding:
    """Each number will need an emergency spot."""
    spot = estate.get(Spot, task.spot)
    if spot is None:
        return warn(
            "No emergency spot is chosen for these numbers; each will need one before it can be"
            " given to somebody."
        )
    problem = spot_problem(spot, estate.the(Address, spot.address), estate.now)
    if problem:
        return warn(f"{spot.id} is not yet good enough to send responders to: {problem}.")
    return passed(f"The numbers' first spot is {spot.name}")


@rule("order.papers-on-file", t.OrderNumbers)
def papers_on_file(task: t.OrderNumbers, estate: Estate) -> Finding | None:
    """What the carrier wants to see before it sells numbers of this country and kind must be on
    file and still good."""
    carrier = estate.the(Carrier, estate.the(Account, task.account).carrier)
    wanted = asked(carrier.id, (facts_of(line.number) for line in task.lines))
    if not wanted:
        return None
    found = [held(paper, estate.all(Document), task.site, estate.now.date()) for paper in wanted]
    missing = [f for f in found if f.document is None]
    if missing:
        told = "; ".join(f"{f.paper.name}: {f.problem}" for f in missing)
        return stop(
            f"{carrier.name} wants to see documents before it sells these numbers."
            f" {told[:1].upper()}{told[1:]}.",
            elsewhere("Upload the documents", "papers", task.site),
        )
    ends = [f for f in found if f.good_until]
    if not ends:
        return passed("Every document asked for is on file")
    first = min(ends, key=lambda f: f.good_until or estate.now.date())
    return passed(
        f"Every document asked for is on file; the {first.paper.name} is good until"
        f" {first.good_until:%-d %B %Y}"
    )


def facts_of(e164: str) -> tuple[str, Kind]:
    number = describe(e164)
    return number.country, number.kind


@rule("arrival.of-a-form", t.RecordArrival)
def arrival_of_a_form(task: t.RecordArrival, estate: Estate) -> Finding:
    """Only what was ordered on a form arrives by hand, and not more than was asked for without
    somebody noticing."""
    order = estate.the(Order, task.order)
    if order.form is None:
        return stop(
            f"Order {order.reference} was placed over the wire; the carrier itself says what"
            " arrives."
        )
    if order.refused:
        return stop(
            f"Order {order.reference} was cancelled. Take the numbers over as found, or send them"
            " back."
        )
    known = {line.e164 for line in order.lines}
    after = len(known | {line.number for line in task.lines})
    if after > order.form.quantity:
        return warn(
            f"{order.form.quantity} were asked for; with these it would be {after}. The carrier may"
            " charge for all of them."
        )
    return passed(f"{after} of {order.form.quantity} will have arrived")


@rule("arrival.numbers-fit", t.RecordArrival)
def arrival_numbers_fit(task: t.RecordArrival, estate: Estate) -> Finding:
    """They must be new to the estate, in the account's currency, and of a country the carrier
    serves."""
    order = estate.the(Order, task.order)
    account = estate.the(Account, order.account)
    carrier = estate.the(Carrier, account.carrier)
    ours = {line.e164 for line in order.lines}
    for line in task.lines:
        number, here = describe(line.number), estate.get(Number, line.number)
        if line.number not in ours and here is not None and here.state not in ENDED:
            return stop(
                f"{number.shown} is in the estate already, {here.state}. Check the letter again."
            )
        if number.country not in carrier.countries:
            return stop(
                f"{line.number} is not of a country that {carrier.name} serves. Look at the letter"
                " again."
            )
        if {line.setup.currency, line.monthly.currency} != {account.balance.currency}:
            return stop(
                f"The account is kept in {account.balance.currency}; the price of {number.shown} is"
                " in another currency."
            )
    return passed("The numbers are new here and fit the carrier")


@rule("order.paper-is-wanted", t.SendPaper)
def paper_is_wanted(task: t.SendPaper, estate: Estate) -> Finding:
    """Only a document that the carrier has rejected is replaced, and by one of the same kind that
    is still good."""
    order, document = estate.the(Order, task.order), estate.the(Document, task.document)
    rejected = next((p for p in order.papers if p.document == task.instead_of), None)
    if rejected is None or rejected.state is not PaperState.REJECTED:
        return stop(f"The carrier has not rejected that document of order {order.reference}.")
    if document.paper != rejected.paper:
        return stop(f"“{document.title}” is a {document.paper}; a {rejected.paper} is asked for.")
    if held(PAPERS[document.paper], [document], order.site, estate.now.date()).document is None:
        return stop(f"“{document.title}” is no longer good, or of another site. Choose another.")
    if document.id == task.instead_of:
        return stop("That is the one it has rejected. Choose another.")
    return passed(f"“{document.title}” can be sent")


@rule("when-free.can-be-bought", t.OrderWhenFree)
def when_free(task: t.OrderWhenFree, estate: Estate) -> Finding:
    """It must be possible at all: a day still to come, the account's own currency, a country the
    carrier sells."""
    account = estate.the(Account, task.account)
    carrier = estate.the(Carrier, account.carrier)
    if task.until <= estate.now:
        return stop("The last day has passed. Choose a later one.")
    if {task.most_monthly.currency, task.most_setup.currency} != {account.balance.currency}:
        return stop(
            f"{account.name} is kept in {account.balance.currency}; say the limits in that."
        )
    if task.country not in carrier.countries:
        return stop(
            f"{carrier.name} sells numbers of {', '.join(map(the_country, carrier.countries))}"
            " only."
        )
    return passed(
        f"{carrier.name} is asked until {estate.clock(task.until)}; nothing dearer than"
        f" {in_words(task.most_monthly)} a month is bought"
    )


# ── features ──


@rule("feature.offered", t.SetFeature)
def feature_offered(task: t.SetFeature, estate: Estate) -> Finding:
    """The carrier must offer it for a number of this kind."""
    number = estate.number(task.e164 or "")
    carrier = estate.carrier_of(number)
    if not task.on:
        return passed(f"{carrier.name} can switch it off")
    offered = carrier.features_for(number.kind)
    if task.feature not in offered:
        others = (
            f"It offers {', '.join(offered)} for it."
            if offered
            else "It offers nothing for such numbers."
        )
        return stop(
            f"{carrier.name} does not offer “{task.feature}” for {number.shown}, a {number.kind}"
            f" number. {others}"
        )
    return passed(
        f"{carrier.name} offers {task.feature},"
        f" {in_words(carrier.fee(task.feature, number.monthly.currency))} a month"
    )


@rule("feature.number-is-here", t.SetFeature)
def feature_number_here(task: t.SetFeature, estate: Estate) -> Finding:
    """Only a number that has been delivered can be changed at its carrier."""
    number = estate.number(task.e164 or "")
    if number.state is State.ON_ORDER:
        return stop(
            f"{number.shown} is on order. Ask for the feature in the order, or wait until it is"
            " delivered."
        )
    if number.state in ENDED or number.leaving_on:
        return stop(
            f"{number.shown} is {'on its way back' if number.leaving_on else number.state}; nothing"
            " is switched at it any more."
        )
    if (task.feature in number.features) is task.on:
        return passed(f"{task.feature.capitalize()} is {'on' if task.on else 'off'} already")
    return passed("The number is in service at its carrier")


@rule("feature.help-still-comes", t.SetFeature)
def feature_help(task: t.SetFeature, estate: Estate) -> Finding | None:
    """Without its registration, a call for help from the number would not say where."""
    if task.on or task.feature != REGISTRATION:
        return None
    number = estate.number(task.e164 or "")
    if number.state is State.ASSIGNED and estate.carrier_of(number).registers_addresses:
        return stop(
            f"{number.shown} is in use: without emergency registration an emergency call would not"
            " say where. Take the number back first."
        )
    return warn(
        "Without emergency registration nobody may be given the number until it is switched on"
        " again."
    )

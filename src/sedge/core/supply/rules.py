"""Rules of supply: what an order, and a feature of a number, must satisfy."""

from sedge.core.estate import Estate
from sedge.core.facts import Money, in_words
from sedge.core.numbers.life import ENDED, State
from sedge.core.records import Account, Address, Number, Spot
from sedge.core.safety.spots import spot_problem
from sedge.core.workorders import tasks as t
from sedge.core.workorders.arriving import RULES, rule
from sedge.core.workorders.findings import Finding, elsewhere, passed, stop, warn

__all__ = ["RULES"]
REGISTRATION = "emergency registration"


@rule("order.enough-money", t.OrderNumbers)
def enough_money(task: t.OrderNumbers, estate: Estate) -> Finding:
    """A prepaid account must cover the set-up."""
    account = estate.the(Account, task.account)
    if (currency := task.lines[0].setup.currency) != account.balance.currency:
        return stop(
            f"These numbers are sold in {currency}, and {account.name} is kept in {account.balance.currency}. Order them on another account."
        )
    if account.receives_only:
        return stop(
            f"{account.name} can only receive calls until money has been paid in for the first time.",
            elsewhere(f"Deposit to {account.name}", "deposit", account.id),
        )
    total = Money(
        amount=sum((line.setup.amount for line in task.lines), start=account.balance.amount * 0), currency=account.balance.currency
    )
    if account.prepaid and total.amount > account.balance.amount:
        short = (total - account.balance).rounded()
        return stop(
            f"Set-up costs {in_words(total)}, the balance of {account.name} is {in_words(account.balance)}: {in_words(short)} short. Deposit that, or order fewer.",
            elsewhere(f"Deposit to {account.name}", "deposit", account.id),
        )
    return passed(f"The balance covers the set-up: {in_words(total)}")


@rule("order.not-ours-already", t.OrderNumbers)
def not_ours_already(task: t.OrderNumbers, estate: Estate) -> Finding:
    """A number is bought once."""
    ours = [n for line in task.lines if (n := estate.get(Number, line.number)) and n.state not in ENDED]
    if ours:
        return stop(f"{ours[0].national} is in the estate already, {ours[0].state}. Take it off the order.")
    return passed("None of these numbers is in the estate yet")


@rule("order.spot-chosen", t.OrderNumbers)
def order_spot(task: t.OrderNumbers, estate: Estate) -> Finding:
    """Each number will need an emergency spot."""
    spot = estate.get(Spot, task.spot)
    if spot is None:
        return warn("No emergency spot is chosen for these numbers; each will need one before it can be given to somebody.")
    problem = spot_problem(spot, estate.the(Address, spot.address), estate.now)
    if problem:
        return warn(f"{spot.id} is not yet good enough to send help to: {problem}.")
    return passed(f"The numbers' first spot is {spot.name}")


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
        others = f"It offers {', '.join(offered)} for it." if offered else "It offers nothing for such numbers."
        return stop(f"{carrier.name} does not offer “{task.feature}” for {number.national}, a {number.kind} number. {others}")
    return passed(f"{carrier.name} offers {task.feature}, {in_words(carrier.fee(task.feature, number.monthly.currency))} a month")


@rule("feature.number-is-here", t.SetFeature)
def feature_number_here(task: t.SetFeature, estate: Estate) -> Finding:
    """Only a number that has been delivered can be changed at its carrier."""
    number = estate.number(task.e164 or "")
    if number.state is State.ON_ORDER:
        return stop(f"{number.national} is on order. Ask for the feature in the order, or wait until it is delivered.")
    if number.state in ENDED or number.leaving_on:
        return stop(f"{number.national} is {'on its way back' if number.leaving_on else number.state}; nothing is switched at it any more.")
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
            f"{number.national} is in use: without emergency registration a call for help would not say where. Take the number back first."
        )
    return warn("Without emergency registration nobody may be given the number until it is switched on again.")

"""What Today tells of spend: unusual calls, budgets that will be passed, lines of invoices."""

from collections.abc import Iterator

from sedge.core.facts import counted, in_words
from sedge.core.numbers.card_facts import Mark
from sedge.services.context import Context
from sedge.services.spend import budgets, invoices, unusual_calls
from sedge.services.todo import Todo

MOST_TOLD = 3


def alarms(context: Context) -> Iterator[Todo]:
    found = unusual_calls.list_alarms(context, only_open=True)
    for alarm in found[:MOST_TOLD]:
        who = f" {alarm.holder_name} had the number." if alarm.holder_name else ""
        what = f"Unusual calls: {alarm.kind}"
        yield Todo(Mark.WRONG, what, alarm.words + who, "/spend/unusual", "View alarm")
    if len(found) > MOST_TOLD:
        more = counted(len(found) - MOST_TOLD, "more alarm")
        yield Todo(Mark.WRONG, more, "Unusual calls.", "/spend/unusual", "View alarms")


def passed_budgets(context: Context) -> Iterator[Todo]:
    for budget in budgets.passed(budgets.view(context))[:MOST_TOLD]:
        words = (
            f"{in_words(budget.expected)} expected this month, {in_words(budget.amount)} budgeted."
        )
        what = f"{budget.name} will pass its budget"
        yield Todo(Mark.WAITING, what, words, "/spend#budgets", "View spend")


def open_invoice_lines(context: Context) -> Iterator[Todo]:
    for view in invoices.with_open_lines(context, MOST_TOLD):
        words = f"{in_words(view.billed)} billed, {in_words(view.expected)} expected."
        what = f"Invoice {view.invoice.reference}: {counted(view.open_lines, 'line')} to settle"
        yield Todo(Mark.WAITING, what, words, f"/spend/invoices/{view.invoice.id}", "Check lines")

"""Orders on a form: written, printed from the record, sent, taken in as numbers arrive, and
undone."""

from datetime import timedelta

import pytest

from sedge.core.errors import NotAllowedNow, NotRunnable, NotUnderstood
from sedge.core.numbers.life import State
from sedge.core.records import Number, Order
from sedge.core.supply.offers import Wish
from sedge.core.workorders.life import OrderState
from sedge.services.supply import holds, ordering, paper_orders, stock_search, supply
from sedge.services.workorders import order_running, order_views
from tests.conftest import until_quiet

ASKED = {
    "account": "old-quay-main",
    "site": "canal-museum",
    "reference": "Bristol shop",
    "area": "Bristol",
    "quantity": "3",
    "in_a_row": "1",
    "note": "Bitte „schnell“",
}
LETTER = "number;set-up;a month\n0117 496 0900\n+44 117 496 0901; 1.50\n0117-496-0902;;0.70\n"


def get(context, kind, key):
    with context.reading() as reading:
        return reading.records.find(kind, key)


def written(context, **more):
    return paper_orders.write(context, {**ASKED, **more})


def test_a_form_goes_from_record_to_paper_to_numbers(installation, context):
    order = written(context)
    assert supply.order_view(context, order.id).state == "draft"
    name, pdf = paper_orders.printed(context, order.id)
    assert name == "order-bristol-shop.pdf"
    assert pdf.startswith(b"%PDF-")
    paper_orders.mark_sent(context, order.id, on="", how="by post")
    assert supply.order_view(context, order.id).state == "placed"
    draft = paper_orders.arrived(context, order.id, LETTER, setup="1.00", monthly="0.90")
    assert draft.state is OrderState.DRAFT
    order_running.run(context, draft.id)
    until_quiet(installation)
    view = supply.order_view(context, order.id)
    assert view.state == "delivered"
    held = {
        n.e164: (n.state, str(n.monthly.amount), n.site)
        for n in supply.numbers_of(context, order.id)
    }
    assert held == {
        "+441174960900": (State.AVAILABLE, "0.90", "canal-museum"),
        "+441174960901": (State.AVAILABLE, "0.90", "canal-museum"),
        "+441174960902": (State.AVAILABLE, "0.70", "canal-museum"),
    }


def test_what_arrived_is_undone_with_the_order_waiting_again(installation, context):
    order = written(context)
    paper_orders.mark_sent(context, order.id, on="", how="by mail")
    run = order_running.run(
        context, paper_orders.arrived(context, order.id, "0117 496 0900", monthly="0.90").id
    )
    until_quiet(installation)
    assert supply.order_view(context, order.id).state == "part delivered"
    order_running.undo(context, run.id)
    until_quiet(installation)
    assert supply.order_view(context, order.id).state == "placed"
    assert get(context, Number, "+441174960900").state is State.CLOSED


def test_the_paper_says_all_that_was_asked(context, monkeypatch):
    """What is handed to the printer: every answer in its place."""
    seen = []
    monkeypatch.setattr(paper_orders, "order_form", lambda facts: (seen.append(facts), b"%PDF-")[1])
    paper_orders.printed(context, written(context, spot="CNL-001-Y", wanted_by="2026-12-24").id)
    (facts,) = seen
    assert facts.to.startswith("Old Quay Communications\norders@oldquay.example")
    assert dict(facts.rows) == {
        "Account": "Old Quay Communications, Bristol, OQ-20418",
        "Numbers wanted": "3, in a row",
        "Kind and area": "geographic, Bristol, United Kingdom",
        "Calls at once": "any number",
        "For the site": "Canal Museum\n3 Towpath Row, Leeds LS1 5ZZ",
        "Emergency address": "3 Towpath Row, Leeds LS1 5ZZ\nground floor, front desk",
        "Wanted by": "24 December 2026",
        "Answer to": "marta.kowalczyk@lanternfield.example",
    }
    assert facts.note == "Bitte „schnell“"


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("", "one a line"),
        ("0117 496", "Line 1: “0117 496” is not one whole number"),
        ("number\n0117 496 0900; cheap", "Line 2: “cheap” is no amount"),
        ("number", "one a line"),
    ],
)
def test_letters_that_cannot_be_read_name_the_line(context, text, words):
    order = written(context)
    with pytest.raises(NotUnderstood, match=words) as error:
        paper_orders.arrived(context, order.id, text)
    assert error.value.field == "lines"


def test_numbers_that_are_ours_or_of_another_country_are_stopped(context):
    order = written(context)
    for text, words in (
        ("0113 496 0100", "is in the estate already, assigned"),
        ("+49 30 23125 300", "not of a country that Old Quay Communications serves"),
    ):
        with pytest.raises(NotRunnable, match=words):
            order_running.run(context, paper_orders.arrived(context, order.id, text).id)


def test_more_than_asked_for_is_a_warning(context):
    order = written(context, quantity="1")
    draft = paper_orders.arrived(context, order.id, LETTER)
    said = [f.message for f in order_views.view_order(context, draft.id).report.warnings]
    assert said == [
        "1 were asked for; with these it would be 3. The carrier may charge for all of them."
    ]


@pytest.mark.parametrize(
    ("given", "field"),
    [
        ({"account": "brackwater-main"}, "account"),
        ({"reference": ""}, "reference"),
        ({"area": " "}, "area"),
        ({"quantity": "0"}, "quantity"),
        ({"quantity": "many"}, "quantity"),
        ({"kind": "golden"}, "kind"),
        ({"wanted_by": "soon"}, "wanted_by"),
    ],
)
def test_forms_that_cannot_be_are_refused_with_their_field(context, given, field):
    with pytest.raises(NotUnderstood) as error:
        written(context, **given)
    assert error.value.field == field


def test_a_form_is_sent_once_and_given_up_once(context):
    order = written(context)
    with pytest.raises(NotUnderstood, match="still to come"):
        paper_orders.mark_sent(
            context, order.id, on=str(context.now().date() + timedelta(days=1)), how="by mail"
        )
    with pytest.raises(NotUnderstood):
        paper_orders.mark_sent(context, order.id, on="", how="by pigeon")
    paper_orders.mark_sent(context, order.id, on="", how="by mail")
    with pytest.raises(NotAllowedNow, match="sent already"):
        paper_orders.mark_sent(context, order.id, on="", how="by mail")
    paper_orders.cancel(context, order.id)
    assert supply.order_view(context, order.id).state == "cancelled"
    with pytest.raises(NotAllowedNow, match="waited for any more"):
        paper_orders.cancel(context, order.id)
    with pytest.raises(NotRunnable, match="was cancelled"):
        order_running.run(context, paper_orders.arrived(context, order.id, "0117 496 0900").id)


def test_an_order_over_the_wire_has_no_form(context):
    found = stock_search.one(context, Wish("GB", area="Leeds"), "brackwater")
    hold = holds.hold(context, found.account.id, [found.offers[0].numbers[0].e164])
    key, _ = ordering.order(context, reference="R", account="", site="wharf-house", hold_id=hold.id)
    from sedge.services.workorders import runner

    runner.tick(context.installation)
    assert get(context, Order, key) is not None
    with pytest.raises(NotAllowedNow, match="there is no form"):
        paper_orders.printed(context, key)

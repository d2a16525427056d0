"""Papers: checked before ordering, looked at by a person, sent again where one was rejected;
uploads by content only."""

from datetime import timedelta

import pytest

from sedge.core.errors import NotRunnable, NotUnderstood
from sedge.core.numbers.plan import Kind
from sedge.core.records import Account, Document
from sedge.core.supply.documents import PAPERS, asked, good_until, held
from sedge.core.supply.offers import Wish
from sedge.core.supply.records import PaperState
from sedge.core.workorders.life import OrderState
from sedge.services.supply import documents, holds, ordering, stock_search, supply
from sedge.services.today import today
from sedge.services.workorders import order_views
from tests.conftest import NOW, SILENT, until_quiet

PDF = b"%PDF-1.7\n" + b"0" * 30_000
SMALL_SCAN = b"\x89PNG\r\n\x1a\n" + b"0" * 500


def the_account(context):
    with context.reading() as reading:
        return reading.records.the(Account, "brackwater-berlin")


def hold(context, count=3):
    found = stock_search.one(context, Wish("DE", area="Berlin", quantity=count), "brackwater")
    assert found.problem == ""
    return holds.hold(context, found.account.id, [n.e164 for n in found.offers[0].numbers])


def ordered(context, **more):
    return ordering.order(
        context, reference="Depot", account="", site="spree-depot", hold_id=hold(context).id, **more
    )


def put(context, **more):
    given = {
        "paper": "proof of local address",
        "filename": "lease.pdf",
        "content": PDF,
        "site": "spree-depot",
        "issued_on": str(context.now().date()),
    }
    return documents.put_on_file(context, **{**given, **more})


def test_papers_go_with_the_order_a_person_looks_and_then_numbers_come(installation, context):
    key, _ = ordered(context)
    until_quiet(installation, timedelta(seconds=20))
    view = supply.order_view(context, key)
    assert [p.state for p in view.order.papers] == [PaperState.IN_REVIEW] * 2
    assert view.delivered == 0
    until_quiet(installation, timedelta(minutes=4))
    view = supply.order_view(context, key)
    assert view.state == "delivered"
    assert {p.state for p in view.order.papers} == {PaperState.ACCEPTED}
    assert str(the_account(context).balance.amount) == "172.50"


def test_without_a_paper_nothing_is_ordered_and_the_check_says_which(context):
    lease = next(
        f.document
        for f in documents.on_file(context)
        if f.document.paper == "proof of local address"
    )
    documents.withdraw(context, lease.id)
    with pytest.raises(
        NotRunnable,
        match=(
            "Brackwater Telecom wants to see documents before it sells these numbers. Proof"
            " of local"
            " address: none is on file"
        ),
    ):
        ordered(context)
    assert the_account(context).balance.amount == 180


def test_a_rejected_paper_holds_the_order_until_another_is_sent(installation, context):
    lease = next(
        f.document
        for f in documents.on_file(context)
        if f.document.paper == "proof of local address"
    )
    documents.withdraw(context, lease.id)
    poor = put(context, content=SMALL_SCAN, filename="scan.png")
    key, order = ordered(context)
    until_quiet(installation, timedelta(minutes=10))
    rejected = next(
        p for p in supply.order_view(context, key).order.papers if p.state is PaperState.REJECTED
    )
    assert (rejected.document, rejected.reason) == (
        poor.id,
        "the scan can't be read; send it with 200 dots an inch or more, or as PDF",
    )
    assert any(
        "the proof of local address was rejected" in line.what for line in today.todo(context)
    )
    assert order_views.view_order(context, order.id).order.state is OrderState.RUNNING
    with pytest.raises(NotRunnable, match="the one it has rejected"):
        documents.send_another(context, key, poor.id, poor.id)
    better = put(context)
    extract = next(
        f.document for f in documents.on_file(context) if f.document.paper == "register extract"
    )
    with pytest.raises(
        NotRunnable, match="is a register extract; a proof of local address is asked for"
    ):
        documents.send_another(context, key, poor.id, extract.id)
    documents.send_another(context, key, poor.id, better.id)
    until_quiet(installation, timedelta(minutes=6))
    view = supply.order_view(context, key)
    assert view.state == "delivered"
    assert [p.document for p in view.order.papers if p.paper == "proof of local address"] == [
        better.id
    ]
    assert order_views.view_order(context, order.id).order.state is OrderState.DONE
    assert documents.rejected(context) == []


@pytest.mark.parametrize("kind", [SILENT, "error", "slow"])
def test_a_fault_while_another_paper_is_sent_changes_nothing_about_the_end(
    installation, context, kind
):
    installation.outside.control.call(
        "PUT", "review", json={"verdict": "rejected", "reason": "not signed", "count": 1}
    )
    key, _ = ordered(context)
    until_quiet(installation, timedelta(minutes=3))
    bad = next(
        p for p in supply.order_view(context, key).order.papers if p.state is PaperState.REJECTED
    )
    fresh = put(context, paper=bad.paper, content=PDF + b"1")
    installation.outside.control.order_fault({"service": "brackwater", "fault": kind, "count": 2})
    documents.send_another(context, key, bad.document, fresh.id)
    until_quiet(installation, timedelta(minutes=15))
    view = supply.order_view(context, key)
    assert view.state == "delivered"
    assert str(the_account(context).balance.amount) == "172.50"


def test_an_order_whose_paper_was_rejected_can_be_cancelled_and_is_paid_back(installation, context):
    installation.outside.control.call(
        "PUT", "review", json={"verdict": "rejected", "reason": "not signed", "count": 5}
    )
    key, _ = ordered(context)
    until_quiet(installation, timedelta(minutes=3))
    supply.cancel(context, key)
    until_quiet(installation, timedelta(minutes=5))
    assert supply.order_view(context, key).state == "cancelled"
    assert the_account(context).balance.amount == 180


@pytest.mark.parametrize(
    ("given", "field"),
    [
        ({"content": b"<html><script>alert(1)</script>", "filename": "lease.pdf"}, "file"),
        ({"content": b""}, "file"),
        ({"content": b"%PDF-" + b"0" * 10_000_001}, "file"),
        ({"paper": "diploma"}, "paper"),
        ({"site": ""}, "site"),
        ({"issued_on": ""}, "issued_on"),
        ({"issued_on": "2099-01-01"}, "issued_on"),
        ({"issued_on": "soon"}, "issued_on"),
        ({"valid_until": "2001-01-01"}, "valid_until"),
    ],
)
def test_what_cannot_go_on_file_is_refused_with_its_field(context, given, field):
    with pytest.raises(NotUnderstood) as error:
        put(context, **given)
    assert error.value.field == field


def test_the_same_content_twice_is_one_document_and_names_are_harmless(context):
    one = put(context, filename='../../etc/"lease"\r\n<b>.pdf')
    assert put(context).id == one.id
    assert one.filename == "_lease____b_.pdf"
    assert documents.content_of(context, one.id)[1] == PDF


def document(paper, **more):
    given = {
        "title": "t",
        "filename": "f",
        "media_type": "application/pdf",
        "size": 1,
        "sha256": "0",
        "at": NOW,
        "by": "x",
    }
    return Document.model_validate({"id": "d", "paper": paper, **given, **more})


def test_what_is_asked_follows_the_table():
    assert [p.name for p in asked("brackwater", [("DE", Kind.GEOGRAPHIC)])] == [
        "proof of local address",
        "register extract",
    ]
    assert asked("brackwater", [("GB", Kind.GEOGRAPHIC), ("DE", Kind.TOLL_FREE)]) == []
    assert [
        p.name for p in asked("maplecourt", [("US", Kind.TOLL_FREE), ("CA", Kind.GEOGRAPHIC)])
    ] == ["statement of use"]


def test_a_document_serves_until_it_ends_or_is_too_old():
    day = NOW.date()
    proof = PAPERS["proof of local address"]
    fresh = document(proof.name, site="a", issued_on=day)
    assert good_until(fresh) == day + timedelta(days=180)
    assert good_until(fresh.copy_with(valid_until=day + timedelta(days=3))) == day + timedelta(
        days=3
    )
    assert held(proof, [fresh], "a", day).document == fresh
    assert held(proof, [fresh], "b", day).problem == "there is one, but of another site"
    old = fresh.copy_with(issued_on=day - timedelta(days=181))
    assert (
        held(proof, [old], "a", day).problem
        == f"the one on file served until {day - timedelta(days=1):%-d %B %Y}"
    )
    assert held(proof, [old, fresh], "a", day).document == fresh
    assert held(proof, [fresh.copy_with(withdrawn=True)], "a", day).problem == "none is on file"

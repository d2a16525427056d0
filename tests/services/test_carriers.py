"""Each carrier with its own manners: whatever goes wrong at whichever call, bought once, and both
books agree to the penny."""

import threading
from datetime import timedelta
from decimal import Decimal

import pytest

from sedge.core.changes import changed
from sedge.core.errors import Forbidden, NotAllowedNow, NotFound, OutsideRefused, OutsideSilent
from sedge.core.numbers.life import State
from sedge.core.records import Account, Subject
from sedge.core.supply.offers import Wish, leading
from sedge.core.supply.records import LineState
from sedge.core.workorders.life import OrderState
from sedge.outside.callbacks import Listener, signature
from sedge.services.carriers import balances as money
from sedge.services.carriers import connections
from sedge.services.supply import holds, ordering, stock_search, supply
from sedge.services.today import today
from sedge.services.workorders import order_views, runner
from sedge.store.repositories.access import sign_ins
from sedge.store.schema import installation as installation_tables
from sedge.web.supply.views import order_page
from tests.asserting import every
from tests.conftest import NOW, SILENT, until_quiet

CARRIERS = {
    "brackwater": Wish("GB", area="Leeds", quantity=4),
    "fellgate": Wish("GB", area="Sheffield", quantity=12),
    "maplecourt": Wish("CA", quantity=4),
}
FAULTS = (SILENT, "error", "slow", "reject", "duplicate_callback")
CALLS = ("the order", "the first look", "a later look")


def hold_of(context, carrier, wish=None):
    found = stock_search.one(context, wish or CARRIERS[carrier], carrier)
    assert found.problem == ""
    return holds.hold(context, found.account.id, [n.e164 for n in found.offers[0].numbers])


def order_of(context, hold, **more):
    return ordering.order(
        context, reference="R", account="", site="wharf-house", hold_id=hold.id, **more
    )


def fault(installation, service, kind, count=1):
    installation.outside.control.order_fault({"service": service, "fault": kind, "count": count})


def balances(installation, context, carrier):
    """What Sedge's ledger and the carrier's own book say."""
    with context.reading() as reading:
        ours = reading.records.the(Account, f"{carrier}-main").balance.amount
    return ours, Decimal(
        installation.outside.control.call("GET", "orders")["balances"][f"{carrier}-main"]
    )


def keys_bought(installation):
    return [o["key"] for o in installation.outside.control.call("GET", "orders")["orders"]]


@pytest.mark.parametrize("when", CALLS)
@pytest.mark.parametrize("kind", FAULTS)
@pytest.mark.parametrize("carrier", CARRIERS)
def test_bought_once_and_paid_once_whatever_goes_wrong_at_any_call(
    installation, context, carrier, kind, when
):
    before, theirs = balances(installation, context, carrier)
    assert before == theirs
    key, order = order_of(context, hold_of(context, carrier))
    if when != "the order":
        runner.tick(installation)
        runner.tick(installation)
        assert supply.order_view(context, key).order.placed_as
    if when == "a later look":
        until_quiet(installation, timedelta(seconds=25))
    fault(installation, carrier, kind)
    until_quiet(installation, timedelta(minutes=15))
    view = supply.order_view(context, key)
    lines = view.order.lines
    assert every(line.state is not LineState.WAITING for line in lines)
    assert len(keys_bought(installation)) == len(set(keys_bought(installation))) <= 1
    ours, theirs = balances(installation, context, carrier)
    assert ours == theirs
    assert before - ours == sum(
        line.setup.amount for line in lines if line.state is LineState.DELIVERED
    )
    states = {n.e164: n.state for n in supply.numbers_of(context, key)}
    assert every(
        (states[x.e164] is State.AVAILABLE) == (x.state is LineState.DELIVERED) for x in lines
    )
    settled = OrderState.DONE if view.delivered else OrderState.FAILED
    assert order_views.view_order(context, order.id).order.state is settled
    if kind != "reject":
        assert view.delivered > 0


def test_what_turns_out_to_be_sold_elsewhere_is_said_and_paid_back(installation, context):
    before, _ = balances(installation, context, "fellgate")
    key, _ = order_of(
        context, hold_of(context, "fellgate", Wish("GB", area="Glasgow", quantity=60))
    )
    until_quiet(installation, timedelta(minutes=5))
    view = supply.order_view(context, key)
    failed = [line for line in view.order.lines if line.state is LineState.FAILED]
    assert view.state == "part delivered"
    assert failed
    assert {line.reason for line in failed} == {"sold elsewhere a moment before"}
    ours, theirs = balances(installation, context, "fellgate")
    assert ours == theirs == before - (60 - len(failed))
    page = order_page(view, context.now())
    assert (page.missing, page.elsewhere) == (
        len(failed),
        f"/supply?country=GB&area=Glasgow&quantity={len(failed)}",
    )


def test_cancelling_pays_back_what_has_not_arrived(installation, context):
    before, _ = balances(installation, context, "brackwater")
    key, _ = order_of(context, hold_of(context, "brackwater"))
    until_quiet(installation, timedelta(seconds=42))
    assert supply.order_view(context, key).delivered == 1
    supply.cancel(context, key)
    until_quiet(installation, timedelta(minutes=5))
    ours, theirs = balances(installation, context, "brackwater")
    assert ours == theirs == before - Decimal("2.50")


def test_a_price_that_has_changed_is_never_paid_silently(installation, context):
    hold = hold_of(context, "fellgate")
    seen = ordering.plan(context, ordering.Wanted(hold=hold.id, site="wharf-house"))
    installation.outside.control.call("PUT", "prices/fellgate", json={"percent": 10})
    with pytest.raises(NotAllowedNow, match="it costs") as raised:
        order_of(context, hold, agreed=seen.agreed)
    assert raised.value.reason == "price"
    again = ordering.plan(context, ordering.Wanted(hold=hold.id, site="wharf-house"))
    assert again.quote.setup.amount == seen.quote.setup.amount * Decimal("1.1")
    key, _ = order_of(context, hold, agreed=again.agreed)
    until_quiet(installation, timedelta(minutes=10))
    assert supply.order_view(context, key).delivered > 0


def test_a_price_that_changes_on_the_way_to_the_carrier_sells_nothing(installation, context):
    before, _ = balances(installation, context, "fellgate")
    key, order = order_of(context, hold_of(context, "fellgate"))
    installation.outside.control.call("PUT", "prices/fellgate", json={"percent": 25})
    until_quiet(installation, timedelta(minutes=10))
    view = supply.order_view(context, key)
    assert view.state == "failed"
    assert "asks other prices than it did" in view.order.refused
    assert "1.25 once and 1.00 a month" in view.order.refused
    assert balances(installation, context, "fellgate") == (before, before)
    assert order_views.view_order(context, order.id).order.state is OrderState.FAILED


def test_a_hold_is_prolonged_once_where_the_carrier_allows_it(installation, context):
    hold = hold_of(context, "brackwater")
    longer = holds.hold_longer(context, hold.id)
    assert longer.expires_at - hold.expires_at == timedelta(minutes=15)
    with pytest.raises(NotAllowedNow, match="no longer"):
        holds.hold_longer(context, hold.id)
    until_quiet(installation, timedelta(minutes=20))
    assert ordering.plan(context, ordering.Wanted(hold=hold.id)).hold.state == "held"
    with pytest.raises(NotAllowedNow, match="no longer"):
        holds.hold_longer(context, hold_of(context, "fellgate").id)


def test_a_carrier_that_wants_to_be_asked_less_often_is_waited_for(installation, context):
    hold = hold_of(context, "maplecourt")
    for _ in range(90):
        try:
            context.outside.carrier("maplecourt").with_key("key-of-maplecourt-main").call(
                "GET", "account"
            )
        except OutsideSilent as error:
            assert 0 < error.facts["wait"] <= 60
            break
    else:
        raise AssertionError("ninety calls in a minute, and none refused")
    until_quiet(installation, timedelta(minutes=2))
    key, order = order_of(context, hold)
    until_quiet(installation, timedelta(minutes=10))
    assert supply.order_view(context, key).state == "delivered"
    assert order_views.view_order(context, order.id).order.state is OrderState.DONE


# ── searching ──


def test_all_carriers_of_a_country_are_asked_at_once(context, monkeypatch):
    """Each answers only once the other has been asked too."""
    meeting = threading.Barrier(2, timeout=20)
    for name in ("brackwater", "fellgate"):
        carrier = context.outside.carrier(name)
        answer = carrier.with_key(f"key-of-{name}-main").stock
        monkeypatch.setattr(
            carrier, "stock", lambda *asked, answer=answer: (meeting.wait(), answer(*asked))[1]
        )
    answers = stock_search.search(context, Wish("GB", area="Leeds", quantity=2))
    assert {a.carrier.id for a in answers} == {"brackwater", "fellgate"}
    assert every(a.offers for a in answers)
    best = stock_search.merged(answers)
    assert [offer.total for offer, _ in best] == sorted(
        (offer.total for offer, _ in best), reverse=True
    )


def test_a_failing_carrier_holds_nobody_up(installation, context):
    fault(installation, "fellgate", "error")
    answers = {a.carrier.id: a for a in stock_search.search(context, Wish("GB", area="Leeds"))}
    assert "Fellgate Voice has trouble of its own" in answers["fellgate"].problem
    assert answers["brackwater"].offers


def test_what_is_in_the_estate_is_not_offered_and_what_joins_it_comes_first(context):
    found = stock_search.one(
        context, Wish("GB", area="Leeds", quantity=3, consecutive=True), "brackwater"
    )
    with context.reading() as reading:
        from sedge.core.records import Number

        ours = {n.e164 for n in reading.records.all(Number)}
    assert not {n.e164 for offer in found.offers for n in offer.numbers} & ours
    assert every("extends a run you own" not in offer.parts for offer in found.offers[5:])


@pytest.mark.parametrize(
    ("area", "lead"),
    [("Leeds", "+44113"), ("0113", "+44113"), ("113", "+44113"), ("Nowhere", ""), ("", "")],
)
def test_the_area_is_asked_for_by_its_digits(area, lead):
    assert leading(Wish("GB", area=area)) == lead


def test_endings_and_words_count(context):
    wished = stock_search.one(
        context, Wish("GB", area="Sheffield", endings=("142",)), "fellgate"
    ).offers[0]
    assert wished.numbers[0].e164.endswith("142")
    assert wished.parts["wanted endings"] == 15
    spelt = stock_search.one(context, Wish("GB", area="Sheffield", pattern="?TEA"), "fellgate")
    assert {o.numbers[0].e164[-3:] for o in spelt.offers} == {"832"}


# ── callbacks ──


def told(secret, moment, body=b"{}"):
    return {
        "callback-time": str(moment),
        "callback-signature": signature(secret, str(moment), body),
    }


def test_a_callback_is_heard_once_fresh_and_signed():
    listener, now = Listener("s3cret"), NOW
    at = int(now.timestamp())
    listener.check(told("s3cret", at), b"{}", now)
    for headers, body, reason in (
        (told("s3cret", at), b"{}", "replayed"),
        (told("other", at), b"{}", "forged"),
        (told("s3cret", at), b'{"order": 1}', "forged"),
        (told("s3cret", at - 301), b"{}", "stale"),
        (told("s3cret", at + 301), b"{}", "stale"),
        ({}, b"{}", "forged"),
        ({"callback-time": "tomorrow", "callback-signature": "é"}, b"{}", "forged"),
    ):
        with pytest.raises(Forbidden) as raised:
            listener.check(headers, body, now)
        assert raised.value.reason == reason


def test_the_door_for_callbacks_refuses_what_is_not_signed(client, installation):
    assert client.post("/callbacks/carrier", content=b"{}").status_code == 403
    with installation.shared.writing() as connection:
        secret = sign_ins.callback_secret(connection, installation.keyring)
    body = b'{"carrier": "brackwater", "order": "B00001"}'
    headers = told(secret, int(installation.clock.now().timestamp()), body)
    assert client.post("/callbacks/carrier", content=body, headers=headers).status_code == 204
    assert client.post("/callbacks/carrier", content=body, headers=headers).status_code == 403
    later = told(secret, int(installation.clock.now().timestamp()) + 1, b"[]")
    assert client.post("/callbacks/carrier", content=b"[]", headers=later).status_code == 422


# ── testing a connection ──


def test_a_connection_in_order_says_so_and_compares_the_books(installation, context):
    tried = connections.test(context, "brackwater")
    assert tried.ok
    assert tried.said == "Every account answers, and its books say what ours do: €180.00, £640.00."
    context.outside.carrier("brackwater").with_key("key-of-brackwater-main").deposit(
        "known to them only", "5"
    )
    tried = connections.test(context, "brackwater")
    assert not tried.ok
    assert "its book says £645.00 where ours says £640.00" in tried.said
    with pytest.raises(NotFound):
        connections.test(context, "nobody")


@pytest.mark.parametrize(
    ("error", "words"),
    [
        (
            OutsideSilent("", cause="ConnectError", detail="[Errno 111] Connection refused"),
            "Nothing answers at its address",
        ),
        (
            OutsideSilent(
                "",
                cause="ConnectError",
                detail="[SSL: CERTIFICATE_VERIFY_FAILED] certificate has expired",
            ),
            "Its certificate",
        ),
        (OutsideSilent("", cause="ReadTimeout"), "does not answer within 5 seconds"),
        (OutsideSilent("", status=503), "trouble of its own"),
        (OutsideSilent("", wait=12), "again in 12 seconds"),
        (OutsideRefused("", reason="401"), "does not take our key"),
        (OutsideRefused("", reason="suspended"), "refuses to tell: suspended"),
    ],
)
def test_each_failure_of_a_connection_is_named_with_what_to_change(
    context, monkeypatch, error, words
):
    def fail():
        raise error

    monkeypatch.setattr(context.outside.carrier("fellgate"), "account", fail)
    tried = connections.test(context, "fellgate")
    assert not tried.ok
    assert words in tried.said


# ── money ahead ──


def test_an_account_tells_what_its_numbers_cost_and_until_when_it_covers_them(context):
    found = money.outlooks(context)
    fellgate = found["fellgate-main"]
    assert (fellgate.numbers, str(fellgate.monthly.amount)) == (200, "160")
    assert fellgate.runway.steps[1][1] == Decimal("52.40")
    assert fellgate.runway.empty_on == fellgate.runway.steps[2][0]
    assert found["maplecourt-main"].runway is None


def test_today_warns_of_a_charge_that_is_not_covered(installation, context):
    with context.writing() as writing:
        account = writing.records.the(Account, "fellgate-main")
        writing.save(
            [
                changed(
                    Subject.ACCOUNT,
                    account,
                    account.copy_with(balance=account.balance.copy_with(amount=Decimal(120))),
                    "account.charged",
                )
            ]
        )
    lines = [line for line in today.todo(context) if "is not covered" in line.what]
    assert [line.href for line in lines] == ["/carriers/accounts/fellgate-main"]
    assert "£160.00 a month for 200 numbers" in lines[0].why


def test_tries_are_counted_anew_once_one_has_come_to_something(installation, context):
    """A single refusal late in an order's life must not make Sedge wait as if all the looks before
    it had failed too."""
    key, order = order_of(
        context, hold_of(context, "brackwater", Wish("GB", area="Leeds", quantity=40))
    )
    until_quiet(installation, timedelta(minutes=3))
    looked = order_views.view_order(context, order.id).order.tasks[0]
    assert looked.attempts == 0
    fault(installation, "brackwater", "reject")
    until_quiet(installation, timedelta(seconds=70))
    assert order_views.view_order(context, order.id).order.tasks[0].attempts <= 1
    until_quiet(installation, timedelta(minutes=5))
    assert supply.order_view(context, key).state == "delivered"


def test_the_secret_that_callbacks_are_signed_with_lies_sealed(installation):
    with installation.shared.writing() as connection:
        secret = sign_ins.callback_secret(connection, installation.keyring)
        assert sign_ins.callback_secret(connection, installation.keyring) == secret
        assert sign_ins.setting(connection, "callback secret") is None
    assert len(secret) == 64
    assert secret.encode() not in (installation.settings.data / "installation.sqlite").read_bytes()


def test_the_secret_of_an_older_installation_goes_on_and_is_sealed(installation):
    with installation.shared.writing() as connection:
        sign_ins.put_setting(connection, sign_ins.SEALED_SECRET, "")
        connection.execute(
            installation_tables.setting.delete().where(
                installation_tables.setting.c.name == sign_ins.SEALED_SECRET
            )
        )
        sign_ins.put_setting(connection, "callback secret", "as agreed long ago")
        assert sign_ins.callback_secret(connection, installation.keyring) == "as agreed long ago"
        assert sign_ins.setting(connection, "callback secret") is None

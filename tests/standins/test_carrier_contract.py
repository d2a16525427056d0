"""The carrier's contract, over stand-in and client alike: buy once per key, hold for one, deliver
line by line, translate refusals."""

import threading
from contextlib import nullcontext
from datetime import timedelta
from http.server import BaseHTTPRequestHandler, HTTPServer

import pytest

from sedge.core.errors import OutsideRefused, OutsideSilent
from sedge.core.facts import MailFile
from sedge.core.records import Capacity
from sedge.core.supply.records import LineState
from sedge.outside.carrier import WantedOrder
from sedge.outside.http import Service
from sedge.outside.outside import at_standins
from sedge.standins.app import StandinServer
from tests.asserting import every

FIVE = [f"+4411349605{n:02d}" for n in range(20, 40)]


@pytest.fixture
def outside(tmp_path):
    server = StandinServer(tmp_path).start(ticking=False)
    made = at_standins(server.url)
    yield made
    made.close()
    server.stop()


@pytest.fixture
def carrier(outside):
    return outside.carrier("brackwater").with_key("key-of-brackwater-main")


def in_stock(carrier, count, *, capacity="single"):
    return [item.e164 for item in carrier.stock("GB", "+44113496", capacity)[:count]]


def wanted(carrier, key, numbers, *, hold=None, features=()):
    agreed = {
        item.e164: (item.setup.amount, item.monthly.amount) for item in carrier.prices(numbers)
    }
    return WantedOrder(key, "R", agreed, hold, features)


def balance(carrier):
    return carrier.call("GET", "account")["balance"]


def test_stock_is_of_the_country_the_leading_digits_and_the_capacity_asked(carrier):
    items = carrier.stock("GB", "+44113496", "many")
    assert items
    assert {i.capacity for i in items} == {Capacity.MANY}
    assert every(i.e164.startswith("+44113496") for i in items)
    assert every(i.setup.currency == "GBP" for i in items)
    assert {i.setup.currency for i in carrier.stock("DE", "", "")} == {"EUR"}
    assert carrier.stock("FR", "", "") == []


def test_an_order_asked_twice_under_one_key_is_bought_once(carrier, outside):
    numbers = in_stock(carrier, 3)
    first = carrier.order(wanted(carrier, "key-1", numbers))
    again = carrier.order(wanted(carrier, "key-1", numbers))
    assert first.id == again.id
    assert balance(carrier) == "632.50"
    assert [o["key"] for o in outside.control.call("GET", "orders")["orders"]] == ["key-1"]


def test_lines_arrive_one_after_the_other(carrier, outside):
    order = carrier.order(wanted(carrier, "key-1", in_stock(carrier, 3)))
    assert {state for state, _, _ in order.lines.values()} == {LineState.WAITING}
    outside.control.advance(timedelta(seconds=41).total_seconds())
    states = [state for state, _, _ in carrier.order_state(order.id).lines.values()]
    assert states.count(LineState.DELIVERED) == 1
    outside.control.advance(60)
    arrived = carrier.order_state(order.id).lines
    assert {state for state, _, _ in arrived.values()} == {LineState.DELIVERED}
    assert every(usable is not None for _, usable, _ in arrived.values())


def test_what_is_sold_is_no_longer_in_stock_nor_can_it_be_bought_again(carrier):
    numbers = in_stock(carrier, 2)
    carrier.order(wanted(carrier, "key-1", numbers))
    assert not set(numbers) & {i.e164 for i in carrier.stock("GB", "+44113496", "")}
    with pytest.raises(OutsideRefused) as refused:
        carrier.order(wanted(carrier, "key-2", numbers))
    assert refused.value.reason == "taken"
    assert refused.value.facts["numbers"] == numbers


def test_a_hold_keeps_others_out_until_it_ends(carrier, outside):
    numbers = in_stock(carrier, 2)
    held = carrier.hold(numbers)
    with pytest.raises(OutsideRefused):
        carrier.hold(numbers)
    with pytest.raises(OutsideRefused):
        carrier.order(wanted(carrier, "stranger", numbers))
    carrier.end_hold(held.id)
    assert carrier.hold(numbers).id != held.id
    outside.control.advance(timedelta(minutes=16).total_seconds())
    assert carrier.order(wanted(carrier, "late", numbers)).id


def test_the_one_who_holds_can_order(carrier):
    numbers = in_stock(carrier, 2)
    held = carrier.hold(numbers)
    assert set(carrier.order(wanted(carrier, "key-1", numbers, hold=held.id)).lines) == set(numbers)


def test_an_unknown_number_is_refused_by_name(carrier):
    with pytest.raises(OutsideRefused) as refused:
        carrier.hold(["+441134960001"])
    assert refused.value.facts["numbers"] == ["+441134960001"]


def test_without_money_the_carrier_sells_nothing(carrier):
    numbers = in_stock(carrier, 300)
    with pytest.raises(OutsideRefused) as refused:
        carrier.order(wanted(carrier, "key-1", numbers))
    assert (refused.value.reason, refused.value.facts["balance"]) == ("balance", "640.00")
    assert balance(carrier) == "640.00"
    assert numbers[0] in {i.e164 for i in carrier.stock("GB", "+44113496", "")}


def test_a_deposit_counts_once_per_key(carrier):
    for _ in range(2):
        carrier.deposit("d-1", "100.00")
    assert balance(carrier) == "740.00"


def test_cancelling_takes_back_only_what_has_not_arrived(carrier, outside):
    order = carrier.order(wanted(carrier, "key-1", in_stock(carrier, 3)))
    outside.control.advance(41)
    lines = carrier.cancel(order.id).lines.values()
    assert sorted(state.value for state, _, _ in lines) == ["cancelled", "cancelled", "delivered"]
    again = carrier.cancel(order.id).lines.values()
    assert sorted(state.value for state, _, _ in again) == ["cancelled", "cancelled", "delivered"]


def test_a_released_number_goes_back_into_stock_when_it_is_carried_out(carrier, outside):
    (number,) = in_stock(carrier, 1)
    carrier.order(wanted(carrier, "key-1", [number]))
    outside.control.advance(60)
    assert carrier.release(number) is not None
    outside.control.advance(31)
    assert carrier.release(number) is None
    assert number in in_stock(carrier, 5)


def test_features_the_carrier_does_not_have_are_refused(carrier):
    numbers = in_stock(carrier, 1)
    with pytest.raises(OutsideRefused) as refused:
        carrier.order(wanted(carrier, "key-1", numbers, features=["teleportation"]))
    assert refused.value.reason == "feature"
    assert carrier.order(wanted(carrier, "key-2", numbers, features=["texts"])).id


def test_the_registered_address_is_what_the_carrier_shows(carrier):
    address = {
        "street": "Lanternfield Wharf",
        "house_number": "12",
        "floor": "1st floor",
        "room": "room 1.04",
    }
    carrier.register_address("+441134960300", address)
    shown = carrier.call("GET", "numbers/+441134960300")["address"]
    assert {key: shown[key] for key in address} == address


# ── faults, and what the client makes of them ──


@pytest.mark.parametrize(
    ("fault", "raised"), [("error", OutsideSilent), ("reject", OutsideRefused)]
)
def test_an_ordered_fault_happens_once_and_is_translated(carrier, outside, fault, raised):
    outside.control.order_fault({"service": "carrier", "fault": fault, "count": 1})
    with pytest.raises(raised) as error:
        carrier.stock("GB", "", "")
    assert error.value.facts["service"] == "Brackwater Telecom"
    assert carrier.stock("GB", "", "")


def test_a_silent_carrier_may_still_have_bought_and_the_same_key_finds_out(carrier, outside):
    """`timeout`: the order is done, nobody hears of it. Asking again under the key gives the order,
    not a second one."""
    numbers = in_stock(carrier, 1)
    order = wanted(carrier, "key-1", numbers)
    outside.control.order_fault({"service": "carrier", "fault": "timeout", "count": 1})
    with pytest.raises(OutsideSilent):
        carrier.order(order)
    assert set(carrier.order(order).lines) == set(numbers)
    assert balance(carrier) == "637.50"


def test_a_service_that_is_not_there_is_silent():
    service = Service("The mail service", "http://127.0.0.1:9/")
    with pytest.raises(OutsideSilent) as error:
        service.call("GET", "messages")
    service.close()
    assert "The mail service does not answer" in error.value.message


@pytest.mark.parametrize(
    ("status", "body", "raised", "reason"),
    [
        (500, b"{}", OutsideSilent, None),
        (503, b"down", OutsideSilent, None),
        (404, b'{"detail": {"reason": "unknown order"}}', OutsideRefused, "unknown order"),
        (422, b'{"detail": "plain words"}', OutsideRefused, "422"),
        (403, b"<html>no</html>", OutsideRefused, "403"),
    ],
)
def test_every_kind_of_answer_is_translated_in_one_place(status, body, raised, reason):
    class Answer(BaseHTTPRequestHandler):
        def do_GET(self):
            self.send_response(status)
            self.send_header(
                "Content-Type", "application/json" if body.startswith(b"{") else "text/html"
            )
            self.send_header("Content-Length", str(len(body)))
            self.end_headers()
            self.wfile.write(body)

        def log_message(self, *_args):
            pass

    server = HTTPServer(("127.0.0.1", 0), Answer)
    threading.Thread(target=server.handle_request, daemon=True).start()
    service = Service("The register", f"http://127.0.0.1:{server.server_port}/")
    with pytest.raises(raised) as error:
        service.call("GET", "x")
    service.close()
    server.server_close()
    assert error.value.reason == reason


def test_mail_is_kept_once_per_key(outside):
    for _ in range(2):
        outside.mail.send("m-1", "ifeoma@example.test", "Your number", "Dear Ifeoma")
    assert [m["to"] for m in outside.mail.mailbox()] == ["ifeoma@example.test"]


def test_the_register_gives_candidates_of_the_country_asked_and_judges_nothing(outside):
    found = outside.register.candidates("DE", "Berlin", "Speichrufer", "10999")
    assert {s["country"] for s in found} == {"DE"}
    assert "Speicherufer" in {s["street"] for s in found}
    assert outside.register.candidates("ZZ", "Berlin", "Speicherufer", "10999") == []


@pytest.mark.parametrize(
    ("fault", "raised", "kept"),
    [
        ("error", OutsideSilent, 0),
        ("reject", OutsideRefused, 0),
        ("timeout", OutsideSilent, 1),
        ("slow", None, 1),
    ],
)
def test_the_mail_server_fails_as_it_is_ordered(outside, fault, raised, kept):
    outside.control.order_fault({"service": "mail", "fault": fault})
    letter = ("m-2", "ifeoma@example.test", "Your number", "Dear Ifeoma,\n\nétage 3.", "<p>é</p>")
    file = MailFile("plan.txt", "text/plain", b"abc")
    with pytest.raises(raised) if raised else nullcontext():
        outside.mail.send(*letter, [file])
    assert len(outside.mail.mailbox()) == kept
    outside.mail.send(*letter, [file])
    [told] = outside.mail.mailbox()
    assert (told["subject"], told["text"], told["html"]) == (letter[2], letter[3], letter[4])
    assert told["files"] == [{"name": "plan.txt", "media_type": "text/plain", "bytes": 3}]

"""What people type for a trunk: read, or refused with where it goes."""

import pytest

from sedge.core.errors import NotUnderstood
from sedge.core.records import Trunk
from sedge.core.trunks.number_rules import (
    as_sent,
    digit_by_digit,
    examine_send_rules,
    read_send_rules,
    send_rules_as_text,
)
from sedge.core.trunks.records import KnownBy, NumberFormat, SendRule, SignIn, TrunkSettings
from sedge.core.trunks.settings import (
    as_written,
    private_addresses,
    read_addresses,
    read_codecs,
    read_header,
    read_host,
    read_port,
)
from sedge.core.trunks.sheet import sheet_of
from sedge.core.workorders import tasks as t
from sedge.core.workorders.checks import judge
from tests.conftest import EstateBuilder


@pytest.mark.parametrize(
    ("typed", "host"),
    [
        ("sip.example.net", "sip.example.net"),
        (" SIP.Example.NET. ", "sip.example.net"),
        ("192.0.2.7", "192.0.2.7"),
        ("[2001:db8::1]", "2001:db8::1"),
        ("2001:DB8::1", "2001:db8::1"),
    ],
)
def test_a_host_is_a_name_or_an_address(typed, host):
    assert read_host(typed) == host


@pytest.mark.parametrize(
    ("typed", "says"),
    [
        ("sip:sip.example.net", "Leave “sip:” out"),
        ("https://sip.example.net:5061", "Leave “https://” out"),
        ("sip.example.net:5061", "port 5061"),
        ("", "domain name"),
        ("a b.example", "domain name"),
        ("300.1.2.3", "domain name"),
        ("x" * 300, "domain name"),
        ("-a.example", "domain name"),
    ],
)
def test_what_is_no_host_says_where_the_rest_goes(typed, says):
    with pytest.raises(NotUnderstood, match=says) as refused:
        read_host(typed)
    assert refused.value.field == "host"


def test_a_port_is_left_to_the_dns_or_is_one():
    assert (read_port(""), read_port(" 5061 ")) == (None, 5061)
    for typed in ("0", "70000", "-1", "5o60", "५०६०", "99999999999999"):
        with pytest.raises(NotUnderstood, match="1 to 65535"):
            read_port(typed)


def test_addresses_are_read_in_any_writing():
    typed = "192.0.2.7, 192.0.2.64/26\n2001:db8::/32 192.0.2.7;198.51.100.9/24"
    assert read_addresses(typed) == (
        "192.0.2.7",
        "192.0.2.64/26",
        "2001:db8::/32",
        "198.51.100.0/24",
    )
    assert private_addresses(read_addresses("10.1.2.0/24 192.168.1.1 9.9.9.9")) == [
        "10.1.2.0/24",
        "192.168.1.1",
    ]
    with pytest.raises(NotUnderstood, match="no IP address"):
        read_addresses("192.0.2.7 example.net")
    with pytest.raises(NotUnderstood, match="at most 100"):
        read_addresses(" ".join(f"10.0.{i // 256}.{i % 256}" for i in range(10_000)))


def test_codecs_keep_their_order():
    assert read_codecs("pcma > G722, OPUS pcma") == ("PCMA", "G722", "opus")
    with pytest.raises(NotUnderstood, match="“mp3” is no codec"):
        read_codecs("PCMA, mp3")
    with pytest.raises(NotUnderstood, match="At least one"):
        read_codecs(" ")


@pytest.mark.parametrize(
    ("way", "written"),
    [
        (NumberFormat.PLUS, "+441134960142"),
        (NumberFormat.NO_PLUS, "441134960142"),
        (NumberFormat.NATIONAL, "01134960142"),
        (NumberFormat.LAST_DIGITS, "0142"),
    ],
)
def test_a_number_is_written_as_the_trunk_wants_it(way, written):
    assert as_written("+441134960142", way, 4) == written
    assert as_written("+16175550140", NumberFormat.NATIONAL, 4) == "6175550140"


RULES = """49xx. strip 2 put 0 for calls  to Germany
1xxxxxxxxxx put 001
44x. strip 2"""


def test_some_numbers_are_sent_in_another_way():
    rules = read_send_rules(RULES)
    assert send_rules_as_text(rules).splitlines() == [
        "49xx. strip 2 put 0 for calls to Germany",
        "1xxxxxxxxxx strip 0 put 001",
        "44x. strip 2",
    ]
    assert read_send_rules(send_rules_as_text(rules)) == rules
    way = TrunkSettings(send_rules=rules, sends=NumberFormat.NO_PLUS)
    assert as_sent("+493012345678", way) == "03012345678"
    assert as_sent("+16175550140", way) == "00116175550140"
    assert as_sent("+441134960142", way) == "1134960142"
    assert as_sent("+33199001234", way) == "33199001234", "no rule takes it: the trunk's format"


def test_the_first_rule_that_takes_a_number_counts():
    rules = (SendRule(pattern="4930x.", before="1"), SendRule(pattern="49x.", before="2"))
    assert as_sent("+493012345678", TrunkSettings(send_rules=rules)) == "1493012345678"
    assert as_sent("+498912345678", TrunkSettings(send_rules=rules)) == "2498912345678"
    found = examine_send_rules(rules)
    assert (found.hidden, found.overlaps) == ({}, ((0, 1, "4930"),))
    assert examine_send_rules(rules[::-1]).hidden == {1: (0,)}
    more = (*rules[::-1], SendRule(pattern="33x.", strip=2))
    assert examine_send_rules(more).hidden == {1: (0,)}
    assert examine_send_rules(()).hidden == {}


def test_each_digit_says_which_rules_still_fit():
    rules = (SendRule(pattern="4930x.", before="1"), SendRule(pattern="49x.", before="2"))
    told = digit_by_digit("+493", rules)
    assert [(d.typed, d.takes, d.goes_on) for d in told] == [
        ("4", (), (0, 1)),
        ("49", (1,), (0, 1)),
        ("493", (1,), (0, 1)),
    ]
    assert digit_by_digit("+33", rules)[-1].goes_on == ()


@pytest.mark.parametrize(
    ("typed", "reason", "words"),
    [
        ("49xx.", "rule", "Line 1: “49xx.” is no rule"),
        ("49xx. strip 2\n49xx put abc", "rule", "Line 2"),
        ("strip 2 put 0", "rule", "is no rule"),
        ("49[ strip 2", "pattern", "Line 1: “49\\["),
        ("49x. strip 4", "strips-too-much", "strips 4 digits, and 49x. takes as few as 2"),
        ("\n".join(["49x. put 0"] * 51), "too-many", "at most 50 such rules; these are 51"),
    ],
)
def test_a_rule_that_can_not_be_read_is_named(typed, reason, words):
    with pytest.raises(NotUnderstood, match=words) as refused:
        read_send_rules(typed)
    assert (refused.value.field, refused.value.reason) == ("send_rules", reason)


@pytest.mark.parametrize(
    ("typed", "read"),
    [("X-Trunk: leeds-1", "X-Trunk: leeds-1"), (" x-group:7 ", "x-group: 7")],
)
def test_a_header_has_a_name_and_a_value(typed, read):
    assert read_header(typed, KnownBy.HEADER) == read
    assert read_header(typed, KnownBy.ADDRESS) == ""


@pytest.mark.parametrize("typed", ["", "X-Trunk", "X-Trunk:", "X Trunk: 1", "a: b\r\nTo: c"])
def test_what_is_no_header_is_refused(typed):
    with pytest.raises(NotUnderstood, match="such as X-Trunk: leeds-1"):
        read_header(typed, KnownBy.HEADER)


BY_HEADER = TrunkSettings(user="us", known_by=KnownBy.HEADER, known_header="X-Trunk: leeds-1")
TRUSTING = TrunkSettings(sign_in=SignIn.ADDRESS, addresses=("192.0.2.7",), port=5070)


def changed(settings, **more):
    facts = {"trunk": "leeds-a", "name": "Leeds A", "host": "sip.example.net", "channels": 30}
    return t.ChangeTrunk(**(facts | more), settings=settings)


def level_of(estate, task, rule):
    return next(f.level for f in judge(task, estate.build()) if f.rule == rule)


@pytest.mark.parametrize(
    ("settings", "rule", "level"),
    [
        (TrunkSettings(user="us"), "trunk.someone-to-trust", "pass"),
        (TrunkSettings(), "trunk.someone-to-trust", "stop"),
        (TrunkSettings(sign_in=SignIn.ADDRESS), "trunk.someone-to-trust", "stop"),
        (TRUSTING, "trunk.someone-to-trust", "pass"),
        (TrunkSettings(user="us", addresses=("10.0.0.1",)), "trunk.addresses-reachable", "warn"),
        (TrunkSettings(user="us", transport="udp"), "trunk.not-overheard", "warn"),
        (TrunkSettings(user="us"), "trunk.not-overheard", "pass"),
        (BY_HEADER, "trunk.calls-known", "warn"),
        (BY_HEADER.copy_with(addresses=("192.0.2.7",)), "trunk.calls-known", "pass"),
        (TRUSTING, "trunk.calls-known", "pass"),
        (
            TRUSTING.copy_with(send_rules=read_send_rules("49x. put 0\n4930x. put 1")),
            "trunk.send-rules-reached",
            "warn",
        ),
        (
            TRUSTING.copy_with(send_rules=read_send_rules(RULES)),
            "trunk.send-rules-reached",
            "pass",
        ),
    ],
)
def test_settings_are_checked(estate: EstateBuilder, settings, rule, level):
    assert level_of(estate, changed(settings), rule) == level


def test_a_name_that_another_trunk_has_is_stopped(estate):
    task = changed(TrunkSettings(user="us"), name="brackwater LEEDS")
    assert level_of(estate, task, "trunk.name-free") == "stop"


def values_of(sheet):
    return {value.name: value.text for part in sheet.parts for value in part.values}


def test_a_sheet_has_every_value_and_no_secret(estate):
    trunk = estate.build().the(Trunk, "leeds-a").copy_with(host="sip.example.net")
    sheet = sheet_of(trunk, TrunkSettings(user="us"), has_secret=True)
    said = values_of(sheet)
    assert (said["Host"], said["Name"]) == ("sip.example.net", "us")
    assert said["Port"] == "by DNS, else 5061"
    assert said["Secret"] == "handed over apart from this sheet"
    assert len(sheet.steps) == 5
    said = values_of(sheet_of(trunk, TRUSTING, has_secret=False))
    assert (said["Your addresses that we allow"], said["Port"]) == ("192.0.2.7", "5070")
    assert said["We know your calls by"] == "the address they come from"
    by_list = BY_HEADER.copy_with(known_by=KnownBy.NUMBER_LIST, send_rules=read_send_rules(RULES))
    said = values_of(sheet_of(trunk, by_list, has_secret=True))
    assert said["We know your calls by"] == "the numbers of the list"
    assert said["Numbers 49, then 1 digit or more"] == "without the first 2 digits, 0 in front"
    assert said["Numbers 1, then 10 digits"] == "001 in front"
    said = values_of(sheet_of(trunk, BY_HEADER, has_secret=True))
    assert said["We know your calls by"] == "the header X-Trunk: leeds-1"

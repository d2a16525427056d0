"""What people type for a trunk: read, or refused with where it goes."""

import pytest

from sedge.core.errors import NotUnderstood
from sedge.core.records import Trunk
from sedge.core.trunks.records import NumberFormat, SignIn, TrunkSettings
from sedge.core.trunks.settings import (
    as_written,
    private_addresses,
    read_addresses,
    read_codecs,
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

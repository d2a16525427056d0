"""Calls that reach us from another telephone system of ours, or over a trunk."""

import pytest

from sedge.core import records as e
from sedge.core.numbers.life import State
from sedge.core.outbound.arriving import trace_from_system, trace_from_trunk
from sedge.core.trunks.records import KnownBy, NumberFormat, TrunkSettings, TrunkState

ALARMS = e.HolderRef(kind=e.HolderKind.DOWNSTREAM, id="alarms")


@pytest.fixture
def leeds(estate):
    estate.put(
        e.Downstream(id="alarms", name="Alarm server", site="leeds", host="alarms.example.test")
    )
    estate.given(150, ALARMS, carrier="fellgate", capacity="any")
    estate.given(142, estate.person(), carrier="fellgate", capacity="any")
    estate.number(160, carrier="fellgate", capacity="any")
    return estate


def from_system(leeds, digits):
    built = leeds.build()
    return trace_from_system(built.the(e.Downstream, "alarms"), digits, built)


def over_trunk(leeds, digits, **values):
    if values:
        trunk = leeds.records["Trunk/leeds-a"]
        leeds.put(trunk.copy_with(**values))
    built = leeds.build()
    return trace_from_trunk(built.the(e.Trunk, "leeds-a"), digits, built)


# ── from a system ──


@pytest.mark.parametrize("digits", ["0113 496 0142", "+441134960142", "00441134960142"])
def test_a_system_calls_one_of_ours_however_it_writes(leeds, digits):
    found = from_system(leeds, digits)
    assert found.ending == "internal"
    assert found.leads_to == "+441134960142"
    assert "held by Ifeoma Okafor" in found.reason


def test_its_own_number_would_go_round(leeds):
    found = from_system(leeds, "0113 496 0150")
    assert found.ending == "rejected"
    assert "It would go round" in found.reason
    assert "Set the number up there" in found.reason


def test_help_is_asked_for_by_its_main_number_and_says_who_cannot_be_rung_back(leeds):
    found = from_system(leeds, "999")
    assert found.emergency is not None
    assert found.emergency.psap == "Leeds operator assistance"
    assert found.emergency.trunk == "Leeds A"
    assert "could not ring back" in found.reason


def test_it_calls_by_the_rights_of_its_site(leeds):
    site = leeds.records["Site/leeds"]
    leeds.put(site.copy_with(rights=(e.Right.INTERNAL, e.Right.EMERGENCY)))
    found = from_system(leeds, "0151 496 0400")
    assert found.ending == "rejected"
    assert "Wharf House has no right" in found.reason


def test_without_a_number_nobody_takes_its_call(leeds):
    del leeds.records["Number/+441134960150"]
    found = from_system(leeds, "0151 496 0400")
    assert found.ending == "rejected"
    assert "no number to show" in found.reason


@pytest.mark.parametrize("digits", ["", "12", "hello", "0999 999"])
def test_what_is_no_number_is_said_to_be_none(leeds, digits):
    found = from_system(leeds, digits)
    assert found.ending == "rejected"
    assert found.reason


# ── over a trunk ──


def test_what_is_for_us_rings_who_has_it(leeds):
    found = over_trunk(leeds, "+441134960142")
    assert found.ending == "internal"
    assert "Ifeoma Okafor" in found.reason


def test_what_is_for_a_system_goes_on_to_it(leeds):
    found = over_trunk(leeds, "+441134960150")
    assert "on to Alarm server, whose number it is" in found.reason


def test_what_is_for_nobody_of_ours_never_goes_out_again(leeds):
    found = over_trunk(leeds, "0151 496 0400")
    assert found.ending == "rejected"
    assert "strangers could call at our cost" in found.reason


def test_a_free_number_rings_nobody(leeds):
    found = over_trunk(leeds, "0113 496 0160")
    assert found.ending == "rejected"
    assert "nobody has it" in found.reason


def test_a_released_number_is_not_ours(leeds):
    leeds.number(161, State.RELEASED, carrier="fellgate", capacity="any")
    assert "not one of our numbers" in over_trunk(leeds, "0113 496 0161").reason


@pytest.mark.parametrize(
    ("values", "words"),
    [({"up": False}, "is down"), ({"state": TrunkState.SUSPENDED}, "is suspended")],
)
def test_a_trunk_that_takes_no_calls_says_why(leeds, values, words):
    found = over_trunk(leeds, "+441134960142", **values)
    assert found.ending == "rejected"
    assert words in found.reason


def test_a_number_of_another_trunks_list_is_said_to_be(leeds):
    leeds.given(143, leeds.person("Amara Drummond"))
    found = over_trunk(leeds, "+441134960143")
    assert found.ending == "internal"
    assert "It is on the list of Brackwater Leeds" in found.reason


def test_a_number_of_no_list_is_said_to_be_of_none(leeds):
    leeds.given(144, leeds.person("Amara Drummond"), carrier="fellgate", trunk=None)
    assert "It is on no trunk's list" in over_trunk(leeds, "+441134960144").reason


LAST_FOUR = TrunkSettings(expects=NumberFormat.LAST_DIGITS, last_digits=4)


def test_last_digits_mean_the_one_on_the_list_that_ends_so(leeds):
    found = over_trunk(leeds, "0142", settings=LAST_FOUR)
    assert (found.ending, found.leads_to, found.sent) == ("internal", "+441134960142", "0142")


@pytest.mark.parametrize(
    ("digits", "words"), [("9999", "No number fits"), ("0", "numbers of its list end 0")]
)
def test_last_digits_of_none_or_several_are_refused(leeds, digits, words):
    found = over_trunk(leeds, digits, settings=LAST_FOUR)
    assert found.ending == "rejected"
    assert words in found.reason


def test_calls_that_are_known_by_the_list_are_for_its_numbers_only(leeds):
    leeds.given(143, leeds.person("Amara Drummond"))
    by_list = TrunkSettings(known_by=KnownBy.NUMBER_LIST)
    assert over_trunk(leeds, "+441134960142", settings=by_list).ending == "internal"
    found = over_trunk(leeds, "+441134960143", settings=by_list)
    assert found.ending == "rejected"
    assert "not on the list of Leeds A, by which its calls are known" in found.reason

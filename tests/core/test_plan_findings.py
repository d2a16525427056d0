"""What is wrong with a site's own dial rules, and what each key does."""

import time

import pytest

from sedge.core.enums import Reached
from sedge.core.errors import NotUnderstood
from sedge.core.numbers.plan import COUNTRIES
from sedge.core.outbound.dialling.dialplan import dial, plan_of
from sedge.core.outbound.dialling.digit_maps import goes_on_from, in_common
from sedge.core.outbound.dialling.plan_findings import (
    check_rules,
    examine,
    key_by_key,
    lost_extensions,
    reading_of,
    unreachable,
)
from sedge.core.outbound.records import OwnDialRule
from sedge.core.records import Right
from tests.asserting import every
from tests.core.test_outbound import site


def own(name, pattern, leads_to=Reached.EXTENSION, **more):
    return OwnDialRule(name=name, pattern=pattern, leads_to=leads_to, **more)


def with_rules(*rules, country="GB", **more):
    return site(country, **more).copy_with(dial_rules=rules)


@pytest.mark.parametrize("country", list(COUNTRIES))
def test_no_countrys_number_makes_a_phone_wait_in_an_emergency(country):
    rules = plan_of(site(country, ""))
    digits = [r.pattern for r in rules if r.kind is Reached.EMERGENCY]
    numbers = [r for r in rules if r.kind is Reached.NUMBER]
    waits = [
        (d, r.pattern)
        for d in digits
        for r in numbers
        if goes_on_from(r.pattern, d) and d != "000"  # Australian numbers abroad begin 0011
    ]
    assert waits == []


def test_a_prefix_that_numbers_begin_with_makes_a_phone_wait_and_that_is_told():
    found = examine(site("FR", "0"))
    told = {(e.digits, found.rules[e.rule].name) for e in found.endangered}
    assert {("015", "a national number"), ("15", "an extension")} <= told
    keys = key_by_key(site("FR", "0"), "015")
    assert (keys[-1].emergency, bool(keys[-1].goes_on)) == (True, True)
    assert dial("01 56 78 90 12", site("FR", "0")).kind is not Reached.EMERGENCY


def test_extensions_that_are_emergency_numbers_cannot_be_dialled():
    assert [e for e, _ in lost_extensions(site("GB", "9"), ["111", "112", "999", "4000"])] == [
        "112",
        "999",
        "4000",
    ]


def test_an_own_rule_comes_before_its_countrys():
    here = with_rules(own("Workshops", "01[1-4]xxxxxxxx"))
    found = dial("0113 496 0142", here)
    assert (found.kind, found.rule.name) == (Reached.EXTENSION, "Workshops")


def test_what_a_rule_strips_and_puts_makes_a_number():
    here = with_rules(own("Branch", "6xxx", Reached.NUMBER, strip=1, before="+4411349601"))
    assert dial("6042", here).kind is Reached.NOTHING
    here = with_rules(own("Branch", "6xxx", Reached.NUMBER, strip=1, before="+441134960"))
    assert (dial("6142", here).kind, dial("6142", here).result) == ("number", "+441134960142")


def test_a_refused_pattern_says_what_for():
    here = with_rules(own("directory enquiries cost too much", "118xxx", Reached.REFUSED))
    found = dial("118 118", here)
    assert (found.kind, found.reason) == (
        Reached.REFUSED,
        "United Kingdom refuses 118118: directory enquiries cost too much.",
    )


def test_a_rule_may_ask_for_more_right_than_the_number_does():
    branch = own(
        "Branch", "6xxx", Reached.NUMBER, strip=1, before="+441134960", right=Right.INTERNATIONAL
    )
    assert dial("6142", with_rules(branch)).right is Right.INTERNATIONAL
    cheaper = own("Abroad", "6x.", Reached.NUMBER, strip=1, before="+49")
    assert dial("63023125100", with_rules(cheaper)).right is Right.INTERNATIONAL


def test_rules_that_take_or_delay_an_emergency_number_are_found():
    found = examine(with_rules(own("Stores", "1xx."), own("Lifts", "99[0-8]x")))
    told = {(found.rules[e.rule].name, e.digits, e.delays, e.example) for e in found.endangered}
    assert told == {
        ("Stores", "112", False, "112"),
    }
    found = examine(with_rules(own("Stores", "112xx")))
    assert [(e.delays, e.example) for e in found.endangered] == [(True, "11200")]


def test_the_prefix_counts_for_emergency_numbers_too():
    found = examine(with_rules(own("Stores", "9112x"), prefix="9"))
    assert [(e.digits, e.example) for e in found.endangered] == [("9112", "91120")]


def test_a_rule_behind_others_that_take_all_of_its_keys_is_never_reached():
    here = with_rules(own("Low", "7[0-4]xx"), own("High", "7[5-9]xx"), own("All", "7xxx"))
    found = examine(here)
    assert {found.rules[i].name: len(before) for i, before in found.hidden.items()} == {"All": 2}
    here = with_rules(own("Low", "7[0-4]xx"), own("High", "7[6-9]xx"), own("All", "7xxx"))
    assert examine(here).hidden == {}


def test_a_number_rule_hides_nothing_since_what_it_takes_may_be_no_number():
    here = with_rules(
        own("Abroad", "7x.", Reached.NUMBER, strip=1, before="+"), own("Stores", "7xxx")
    )
    assert examine(here).hidden == {}


def test_overlaps_come_with_an_example():
    found = examine(with_rules(own("Low", "7[0-4]xx"), own("Some", "7[4-6]xx")))
    names = [
        (found.rules[o.earlier].name, found.rules[o.later].name, o.example) for o in found.overlaps
    ]
    assert names == [("Low", "Some", "7400")]


def test_a_rule_that_strips_more_than_it_takes_is_found():
    found = examine(with_rules(own("Branch", "6x.", Reached.NUMBER, strip=2, before="+44")))
    assert [found.rules[i].name for i in found.overdrawn] == ["Branch"]


def test_each_key_tells_what_fits_and_what_waits():
    keys = key_by_key(site("GB", "9"), "112")
    assert [(k.typed, bool(k.takes), bool(k.goes_on), k.emergency) for k in keys] == [
        ("1", False, True, False),
        ("11", False, True, False),
        ("112", True, False, True),
    ]
    assert key_by_key(site("GB", "9"), "8 88-8")[-1].takes == ()


def test_numbers_of_ones_own_that_a_rule_swallows_are_found():
    here = with_rules(own("Loans desk", "90113496xxxx"), prefix="9")
    found = unreachable(here, ["+441134960142", "+441314960500", "+493023125100"])
    assert [(e164, became.kind) for e164, became in found] == [("+441134960142", "extension")]


def test_rules_are_read_as_one_says_them():
    here = site("GB", "9")
    read = [reading_of(rule, here) for rule in plan_of(here)]
    assert "9, then a national number" in read
    assert every(words for words in read)


def test_more_than_200_rules_are_refused():
    with pytest.raises(NotUnderstood, match="at most 200"):
        check_rules([own("Rule", "7xxx")] * 201)


def test_200_maps_against_200_are_compared(record_property):
    ours = [f"{i:03d}xx[1-9]xxx." for i in range(200)]
    theirs = [f"{i % 10}{i // 10 % 10}x.{i % 7}" for i in range(200)]
    begun = time.perf_counter()
    found = sum(in_common(a, b) is not None for a in ours for b in theirs)
    record_property("seconds", time.perf_counter() - begun)
    assert found == sum(a[:2] == b[:2] for a in ours for b in theirs)

"""What people dial, in every country Sedge works in; and the call out that follows from it."""

from datetime import timedelta

import pytest
from hypothesis import given
from hypothesis import strategies as st

from sedge.core.numbers.plan import COUNTRIES
from sedge.core.outbound.dialling.dialplan import dial, matches, plan_of
from sedge.core.outbound.trace import trace_outbound
from sedge.core.records import HolderKind, HolderRef, Person, Right, Role, Site, SupplyModel
from tests.conftest import NOW


def site(country, prefix=None, digits=3):
    of = COUNTRIES[country]
    return Site(
        id=country.lower(),
        name=of.name,
        code="ABC",
        country=country,
        timezone=of.timezone,
        language=of.language,
        supply_model=SupplyModel.OWN_TRUNK,
        outside_prefix=of.outside_line if prefix is None else prefix,
        extension_digits=digits,
    )


@pytest.mark.parametrize("country", list(COUNTRIES))
@pytest.mark.parametrize("prefix", [None, "", "7"])
def test_every_emergency_number_is_reached_without_and_with_the_prefix(country, prefix):
    here = site(country, prefix)
    for digits in COUNTRIES[country].emergency:
        for dialled in (digits, here.outside_prefix + digits):
            found = dial(dialled, here)
            assert (found.kind, found.result, found.right) == ("emergency", digits, Right.EMERGENCY)


@pytest.mark.parametrize("country", list(COUNTRIES))
def test_emergency_numbers_come_before_every_other_rule(country):
    here = site(country)
    kinds = [rule.kind for rule in plan_of(here)]
    assert "emergency" not in kinds[kinds.index("number") :]


@pytest.mark.parametrize(
    ("country", "dialled", "kind", "result", "right"),
    [
        ("GB", "0131 496 0500", "number", "+441314960500", Right.NATIONAL),
        ("GB", "9 0131 496-0500", "number", "+441314960500", Right.NATIONAL),
        ("GB", "07700 900123", "number", "+447700900123", Right.MOBILE),
        ("GB", "0909 879 0123", "number", "+449098790123", Right.PREMIUM),
        ("GB", "00 49 30 23125 100", "number", "+493023125100", Right.INTERNATIONAL),
        ("GB", "+1 617 555 0140", "number", "+16175550140", Right.INTERNATIONAL),
        ("GB", "142", "extension", "142", Right.INTERNAL),
        ("GB", "12345", "nothing", "12345", Right.INTERNAL),
        ("DE", "0 030 23125 100", "number", "+493023125100", Right.NATIONAL),
        ("DE", "040 66969 700", "number", "+494066969700", Right.NATIONAL),
        ("DE", "00 44 113 496 0142", "number", "+441134960142", Right.INTERNATIONAL),
        ("US", "617 555 0140", "number", "+16175550140", Right.NATIONAL),
        ("US", "1 617 555 0140", "number", "+16175550140", Right.NATIONAL),
        ("US", "9 1 617 555 0140", "number", "+16175550140", Right.NATIONAL),
        ("US", "011 44 113 496 0142", "number", "+441134960142", Right.INTERNATIONAL),
        ("CA", "416 555 0100", "number", "+14165550100", Right.NATIONAL),
        ("FR", "01 99 00 12 34", "number", "+33199001234", Right.NATIONAL),
    ],
)
def test_what_keys_become_by_country(country, dialled, kind, result, right):
    found = dial(dialled, site(country))
    assert (found.kind, found.result, found.right) == (kind, result, right)


def test_digits_that_are_no_number_in_service_are_refused_with_the_reason():
    found = dial("0999 999 9999", site("GB"))
    assert found.kind == "nothing"
    assert "no such number" in found.reason


@given(st.text(st.sampled_from("0123456789*#+ -()"), max_size=20))
def test_any_keys_become_something_or_nothing_and_never_an_error(keys):
    for country in COUNTRIES:
        found = dial(keys, site(country))
        assert found.kind in {"number", "extension", "emergency", "nothing"}


@given(st.text(st.sampled_from("0123456789"), min_size=1, max_size=12))
def test_only_emergency_digits_reach_help(keys):
    here = site("GB")
    wanted = {p + d for d in COUNTRIES["GB"].emergency for p in ("", here.outside_prefix)}
    assert (dial(keys, here).kind == "emergency") == (keys in wanted)


@pytest.mark.parametrize(
    ("pattern", "keys", "fits"),
    [
        ("0[1-9]xx.", "0113", True),
        ("0[1-9]xx.", "011", True),
        ("0[1-9]xx.", "01", False),
        ("0[1-9]xx.", "0013", False),
        ("9x.T", "9", True),
        ("9x.T", "95551", True),
        ("999|112", "112", True),
        ("999|112", "99", False),
        ("+xx.", "+4", True),
        ("*xx#", "*12#", True),
    ],
)
def test_digit_maps_take_exactly_these_keys(pattern, keys, fits):
    assert matches(pattern, keys) is fits


# ── the call that follows ──


def out(estate, digits, person="ifeoma-okafor"):
    built = estate.build()
    return trace_outbound(
        next(
            p
            for p in built.all(type(built.holder(HolderRef(kind=HolderKind.PERSON, id=person))))
            if p.id == person
        ),
        digits,
        built,
    )


def test_the_main_number_is_shown_before_an_extra_one(estate):
    person = estate.person()
    estate.given(100, person, Role.EXTRA)
    main = estate.given(142, person)
    assert out(estate, "0131 496 0500").caller_id == main


def test_each_trunk_says_why_it_was_or_was_not_taken(estate):
    estate.given(142, estate.person())
    estate.put(estate.records["Trunk/brackwater-leeds"].copy_with(up=False))
    trace = out(estate, "0131 496 0500")
    assert trace.ending == "rejected"
    assert {c.trunk: c.reason for c in trace.candidates} == {
        "Brackwater Leeds": "it is down",
        "Leeds A": "it leads to another carrier, which would not take this caller ID",
    }


@pytest.mark.parametrize(
    ("digits", "needs"),
    [
        ("0131 496 0500", Right.NATIONAL),
        ("07700 900123", Right.MOBILE),
        ("00 49 30 23125 100", Right.INTERNATIONAL),
        ("142", Right.INTERNAL),
    ],
)
def test_a_call_needs_its_right_and_help_needs_none(estate, digits, needs):
    person = estate.person(rights=tuple(r for r in Right if r is not needs))
    estate.given(142, person, registered_spot="WHF-001-K")
    refused = out(estate, digits)
    assert refused.ending == "rejected"
    assert f"no right to make {needs} calls" in refused.reason
    assert out(estate, "999").ending == "emergency"


def test_an_extension_stays_inside(estate):
    estate.given(142, estate.person())
    assert (out(estate, "155").ending, out(estate, "155").trunk) == ("internal", "")


def test_without_a_number_there_is_nothing_to_show(estate):
    estate.person()
    assert "no number to show" in out(estate, "0131 496 0500").reason


def test_help_goes_over_another_trunk_when_the_own_one_is_down(estate):
    estate.given(142, estate.person(), registered_spot="WHF-001-K")
    estate.put(estate.records["Trunk/brackwater-leeds"].copy_with(up=False))
    site_main = estate.given(
        100, HolderRef(kind=HolderKind.SITE, id="leeds"), carrier="fellgate", capacity="any"
    )
    duty = estate.person("Amara Duty")
    from sedge.core.callpaths.steps import Path, Ring
    from sedge.core.records import PathVersion

    body = Path(first="ring", steps={"ring": Ring(people=(duty.id,))}).model_dump(mode="json")
    estate.put(PathVersion(id="duty", name="Duty", body=body, in_force_from=NOW))
    estate.put(estate.records[f"Number/{site_main}"].copy_with(path="duty"))
    trace = out(estate, "999")
    assert (trace.ending, trace.trunk) == ("emergency", "Leeds A")
    assert trace.emergency.callback == site_main, (
        "its own number can't be rung over a trunk that is down"
    )


@pytest.mark.parametrize(
    ("features", "from_", "dialled", "shown"),
    [
        (("CNAM",), {}, "00 1 617 555 0142", "LANTERNFIELD"),
        (("CNAM",), {}, "0113 496 0142", ""),
        ((), {}, "00 1 617 555 0142", ""),
        (("CNAM",), {"CNAM": NOW + timedelta(minutes=5)}, "00 1 617 555 0142", ""),
    ],
)
def test_a_caller_name_goes_along_in_north_america_once_cnam_works(
    estate, features, from_, dialled, shown
):
    person = estate.person("Ifeoma Okafor-Hartleberry", rights=tuple(Right))
    facts = {"features": features, "features_from": from_, "caller_name": "LANTERNFIELD"}
    estate.given(142, person, **facts)
    world = estate.build()
    assert trace_outbound(world.the(Person, person.id), dialled, world).caller_name == shown

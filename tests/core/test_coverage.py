"""Of the numbers and people of each site and floor, how many help would find; floors by their
names; calls for help from one number and where the first broken link is put right."""

from datetime import timedelta

import pytest

from sedge.core.numbers.life import State
from sedge.core.records import Role, Site
from sedge.core.safety.coverage import NO_SPOT, OTHER_SITE, Share, coverage_of
from sedge.core.safety.emergency_tests import help_from
from sedge.core.safety.floors import floor_order
from tests.conftest import NOW

# ── floors ──


@pytest.mark.parametrize(
    "names",
    [
        [
            "2nd basement",
            "basement",
            "ground floor",
            "mezzanine",
            "1st floor",
            "12th floor",
            "roof",
        ],
        ["2. Untergeschoss", "Keller", "Erdgeschoss", "Zwischengeschoss", "1. Stock", "Dach"],
        ["sous-sol 2", "sous-sol", "rez-de-chaussée", "entresol", "étage 3", "toit"],
        ["lower ground", "Ground", "3", "annexe", "attic"],
        ["-2", "cellar", "parterre", "4. Etage", "dome"],
    ],
)
def test_floors_stand_above_each_other_in_three_languages(names):
    assert sorted(reversed(names), key=floor_order) == names


# ── shares ──


def counted(estate, *counts, elsewhere=None, sites=()):
    spots = [r for k, r in estate.records.items() if k.startswith("Spot/")]
    addresses = {r.id: r for k, r in estate.records.items() if k.startswith("Address/")}
    leeds = estate.records["Site/leeds"]
    return coverage_of(counts, spots, addresses, [leeds, *sites], NOW, elsewhere)


def test_nobody_is_found_without_a_spot_and_everybody_with_a_good_one(estate):
    [leeds] = counted(
        estate,
        ("leeds", "number", "WHF-001-K", 3),
        ("leeds", "person", "WHF-001-K", 2),
        ("leeds", "number", "", 4),
        ("leeds", "person", "gone", 1),
    )
    whole = leeds.whole
    assert (whole.numbers, whole.found_numbers, whole.people, whole.found_people) == (7, 3, 3, 2)
    assert dict(whole.reasons) == {NO_SPOT: 5}
    assert whole.per_cent == 50
    assert (leeds.floors["ground floor"].per_cent, leeds.floors[""].per_cent) == (100, 0)


def test_a_hundred_per_cent_is_never_rounded_up():
    share = Share()
    share.add("number", 999, "")
    share.add("number", 1, NO_SPOT)
    assert (share.per_cent, share.found, share.all) == (99, 999, 1000)
    assert (Share().per_cent, Share().is_empty) == (0, True)


def test_a_spot_of_another_site_is_no_place_unless_it_is_their_own(estate):
    york = Site.model_validate(
        estate.records["Site/leeds"].model_dump() | {"id": "york", "name": "York", "code": "YRK"}
    )
    away = ("york", "number", "WHF-001-K", 3)
    _, far = counted(estate, ("leeds", "number", "WHF-001-K", 1), away, sites=[york])[::-1]
    assert (far.site.id, dict(far.whole.reasons)) == ("york", {OTHER_SITE: 3})
    own = {("york", "number", "WHF-001-K"): 2}
    found = counted(estate, away, elsewhere=own, sites=[york])
    assert next(c for c in found if c.site.id == "york").whole.found_numbers == 2


def test_the_least_covered_site_comes_first_and_those_without_anybody_last(estate):
    sites = [estate.records["Site/leeds"].copy_with(id=x, name=x) for x in ("york", "bath", "ely")]
    found = counted(
        estate,
        ("leeds", "number", "WHF-001-K", 1),
        ("york", "number", "", 1),
        ("bath", "number", "", 9),
        ("nowhere", "number", "", 9),
        sites=sites,
    )
    assert [c.site.id for c in found] == ["bath", "york", "leeds", "ely"]


@pytest.mark.parametrize(
    ("values", "unconfirmed"),
    [
        ({}, 0),
        ({"confirmed_at": None}, 1),
        ({"confirmed_at": NOW - timedelta(days=3000)}, 1),
        ({"confirmed_at": None, "removed": True}, 0),
        ({"confirmed_at": None, "whole": True}, 0),
    ],
)
def test_spots_nobody_has_looked_at_in_time_are_counted(estate, values, unconfirmed):
    estate.put(estate.records["Spot/WHF-001-K"].copy_with(**values))
    [leeds] = counted(estate)
    assert leeds.unconfirmed == unconfirmed


# ── a call for help from one number ──


@pytest.fixture
def calling(estate):
    """A number from which help comes; what is broken is broken by the test."""
    person = estate.person()
    e164 = estate.given(142, person, registered_spot="WHF-001-K")
    return estate, e164


def tried(estate, e164):
    world = estate.build()
    return help_from(world.number(e164), world)


def test_help_comes_and_nothing_is_to_be_put_right(calling):
    found = tried(*calling)
    assert (found.comes, found.broken, found.cautions, found.remedy) == (True, (), (), "")
    assert (found.holder, found.site, found.trunk) == (
        "Ifeoma Okafor",
        "Wharf House",
        "Brackwater Leeds",
    )


def change(estate, key, **values):
    estate.put(estate.records[key].copy_with(**values))


@pytest.mark.parametrize(
    ("key", "values", "remedy", "words"),
    [
        ("Spot/WHF-001-K", {"removed": True}, "spots", "is not right for 0113 496 0142"),
        ("Trunk/brackwater-leeds", {"emergency": False}, "", None),
        ("Device/phone-ifeoma-okafor", {"registered": False}, "main number", "could not ring back"),
        ("Site/leeds", {"security_desk": ""}, "security desk", "Nobody at Wharf House"),
        ("Address/leeds-address", {"psap": ""}, "address", "names no public safety"),
    ],
)
def test_the_first_broken_link_says_where_it_is_put_right(calling, key, values, remedy, words):
    estate, e164 = calling
    change(estate, key, **values)
    found = tried(estate, e164)
    assert found.remedy == remedy
    assert found.comes is (words is None)
    assert words is None or any(words in link for link in found.broken)


def test_without_any_trunk_no_call_leaves(calling):
    estate, e164 = calling
    for key in ("Trunk/brackwater-leeds", "Trunk/leeds-a"):
        change(estate, key, up=False)
    found = tried(estate, e164)
    assert found.remedy == "trunks" and not found.comes


def test_an_address_the_carrier_does_not_have_is_a_caution(estate):
    e164 = estate.given(142, estate.person(), registered_spot=None)
    found = tried(estate, e164)
    assert found.comes and found.remedy == "register"
    assert found.cautions[0].startswith("Brackwater Telecom has no address for 0113 496 0142")


def test_a_number_nobody_has_calls_for_nobody(estate):
    e164 = estate.number(142)
    found = tried(estate, e164)
    assert not found.comes and "no phone has it" in found.broken[0]


def test_the_main_number_of_the_site_rings_back_for_who_cannot_be_rung(calling):
    estate, e164 = calling
    change(estate, "Device/phone-ifeoma-okafor", registered=False)
    desk = estate.person("Front Desk")
    main = estate.given(100, desk, Role.MAIN)
    site = estate.records[f"Number/{main}"]
    assert site.state is State.ASSIGNED
    found = tried(estate, e164)
    assert found.remedy == "main number"  # it is somebody's own, not the site's


def test_a_place_that_is_in_doubt_leads_to_the_spots(calling):
    estate, e164 = calling
    change(estate, "Address/leeds-address", verdict="unknown")
    found = tried(estate, e164)
    assert (found.comes, found.remedy) == (False, "spots")

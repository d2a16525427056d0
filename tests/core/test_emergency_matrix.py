"""From every site every emergency number, or the hole and why."""

from sedge.core.enums import HolderKind, Reached
from sedge.core.numbers.plan import COUNTRIES
from sedge.core.outbound.records import OwnDialRule
from sedge.core.records import Trunk
from sedge.core.safety.emergency_matrix import matrix
from tests.asserting import every
from tests.core.test_outbound import site


def trunk(key, at, **more):
    return Trunk(id=key, name=key.title(), site=at, carrier="fellgate", channels=1, **more)


def cells(sites, trunks):
    return list(matrix(sites, trunks))


def test_there_is_a_cell_for_each_site_number_and_kind_of_holder():
    sites = [site(code) for code in COUNTRIES]
    found = cells(sites, [trunk(s.id, s.id) for s in sites])
    numbers = sum(len(c.emergency) for c in COUNTRIES.values())
    assert len(found) == numbers * 4
    assert {c.holder for c in found} == set(HolderKind)
    assert every(not c.hole for c in found)
    assert every(c.plain for c in found)
    assert {c.prefixed for c in found if c.site in {"gb", "us"}} <= {True, None}


def test_a_site_without_a_trunk_takes_one_of_its_country():
    here, there, abroad = site("GB"), site("GB").copy_with(id="other", name="Other"), site("DE")
    found = cells([here, there, abroad], [trunk("leeds", "other"), trunk("berlin", "de")])
    gb = next(c for c in found if c.site == "gb")
    assert [(w.trunk, w.at_site) for w in gb.ways] == [("leeds", False)]
    assert (gb.first.trunk, gb.spare, gb.hole) == ("leeds", 0, "")


def test_its_own_trunk_comes_first_and_one_that_is_down_is_passed_over():
    here, there = site("GB"), site("GB").copy_with(id="other", name="Other")
    trunks = [trunk("a", "other"), trunk("b", "gb", up=False), trunk("c", "gb", emergency=False)]
    found = next(iter(cells([here, there], trunks)))
    assert [(w.trunk, w.why_not) for w in found.ways] == [
        ("b", "is down"),
        ("c", "takes no emergency calls"),
        ("a", ""),
    ]
    assert (found.first.trunk, found.spare) == ("a", 0)


def test_a_trunk_takes_emergency_calls_of_the_sites_it_serves_alone():
    here, there = site("GB"), site("GB").copy_with(id="other", name="Other")
    third = site("GB").copy_with(id="third", name="Third")
    trunks = [trunk("all", "other"), trunk("some", "other", serves=("third",))]
    ways = {c.site: [w.trunk for w in c.ways] for c in cells([here, there, third], trunks)}
    assert ways == {"gb": ["all"], "other": ["all", "some"], "third": ["all", "some"]}
    spare = {c.site: c.spare for c in cells([here, there, third], trunks)}
    assert spare == {"gb": 0, "other": 1, "third": 1}
    holes = {c.site: c.hole for c in cells([here, third], [trunk("some", "gb", serves=("gb",))])}
    assert holes == {"gb": "", "third": "No trunk of Third or its country takes its calls."}


def test_a_trunk_that_serves_a_site_abroad_is_no_way_to_its_emergency_desk():
    here, abroad = site("GB"), site("DE")
    [hole] = {c.hole for c in cells([here, abroad], [trunk("a", "gb", serves=("de",))])} - {""}
    assert hole.startswith("No trunk of")


def test_holes_say_why():
    here = site("GB")
    assert "No trunk" in cells([here], [])[0].hole
    assert "no other trunk is left" in cells([here], [trunk("a", "gb", up=False)])[0].hole
    foreign = [trunk("a", "de")]
    assert "No trunk" in cells([here, site("DE")], foreign)[0].hole


def test_own_rules_never_take_an_emergency_number_away():
    rule = OwnDialRule(name="All", pattern="x.", leads_to=Reached.REFUSED)
    found = cells([site("GB").copy_with(dial_rules=(rule,))], [trunk("a", "gb")])
    assert every(not c.hole for c in found)

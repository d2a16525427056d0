"""What depends on a number is found before it goes: each thing with what happens to it and what
settles it."""

from datetime import UTC, datetime

import pytest

from sedge.core import records as e
from sedge.core.numbers.life import State
from sedge.core.retiring.dependencies import Around, dependences, settling
from sedge.core.workorders import tasks as t


def found(estate, number, **around):
    built = estate.build()
    return {d.what: d for d in dependences(built.number(number), built, Around(**around))}


def path(key="night", name="Night desk"):
    return e.PathVersion(
        id=key,
        name=name,
        body={"first": "end", "steps": {"end": {"kind": "end"}}},
        in_force_from=datetime(2026, 1, 1, tzinfo=UTC),
    )


def test_nothing_depends_on_a_number_that_nobody_has(estate):
    assert found(estate, estate.number(142, trunk=None)) == {}


def test_the_last_number_of_somebody_takes_their_seats_along(estate):
    person = estate.person()
    estate.granted(person, "staff", "home")
    number = estate.given(142, person)
    what = found(estate, number)
    assert (what["Ifeoma Okafor, main number"].so, what["Ifeoma Okafor, main number"].grave) == (
        "is left without any number",
        True,
    )
    assert what["Licences of Ifeoma Okafor"].tasks == (
        t.RevokeLicence(holder=person, product="home"),
        t.RevokeLicence(holder=person, product="staff"),
    ), "what stands on another seat goes first"


def test_whoever_keeps_another_number_keeps_the_seats(estate):
    person = estate.person()
    estate.granted(person, "staff", "home")
    number = estate.given(142, person)
    estate.given(143, person, e.Role.EXTRA)
    what = found(estate, number)
    assert (
        what["Ifeoma Okafor, main number"].so == "keeps 0113 496 0143; none of them is the main one"
    )
    assert "Licences of Ifeoma Okafor" not in what


def test_a_sites_main_number_is_what_help_rings_back(estate):
    site = e.HolderRef(kind=e.HolderKind.SITE, id="leeds")
    ring = {
        "first": "ring",
        "steps": {"ring": {"kind": "ring", "people": ["ifeoma-okafor"], "exits": {}}},
    }
    estate.person()
    estate.put(path().copy_with(body=ring))
    number = estate.given(190, site, path="night")
    what = found(estate, number, without_own=3, followers=2)
    help_ = what["Emergency calls from Wharf House"]
    assert (help_.grave, help_.so) == (
        True,
        (
            "are rung back on this number: 3 of its people have no number of their own. Give the"
            " site another main number first"
        ),
    )
    assert what["Call path Night desk"].so == "stays, with 1 number left"


def test_what_names_the_number_elsewhere_is_settled_by_tasks(estate):
    number = estate.given(142, estate.person())
    falling = estate.number(150, fallback=number)
    other = estate.build().number(falling)
    colleague = e.Person(id="bo", name="Bo Reed", email="bo@example.test", site="leeds")
    site = estate.build().the(e.Site, "leeds")
    what = found(
        estate,
        number,
        naming=[path()],
        falling_back=[other],
        ringing=[colleague],
        showing=[colleague, site, e.Defaults(id=e.ORGANISATION)],
        orders=[("wo-1", "A second number")],
        more={"showing": 7},
    )
    assert what["Call path Night desk"].so == "names this number and would lead nowhere"
    assert what["Fallback of 0113 496 0150"].tasks == (t.SetFallback(number=other.e164, to=""),)
    assert what["Bo Reed’s calls"].so == "ring this number along"
    ref = e.HolderRef(kind=e.HolderKind.PERSON, id="bo")
    assert what["Bo Reed’s calls out"].tasks == (t.SetCallerId(holder=ref, shows="own"),)
    assert what["The organisation’s calls out"].tasks == (t.SetCallerId(shows="own"),)
    assert "Calls out of 7 more" in what
    assert what["Work order “A second number”"].href == "/work-orders/wo-1"
    assert len(settling(what.values())) == 4


def test_tags_say_where_else_it_stands(estate):
    number = estate.given(
        142,
        estate.person(),
        tags=("contact: harbour boats", "published: website", "red"),
        known_as={"wall board": "17"},
    )
    what = found(estate, number)
    assert what["Website"].so == "still shows it; have it changed"
    assert what["Harbour boats"].so == "calls it by this number"
    assert what["wall board"].so.startswith("knows it as 17")


@pytest.mark.parametrize("state", [State.AVAILABLE, State.AGING])
def test_what_is_free_depends_on_its_trunk_list_only(estate, state):
    assert list(found(estate, estate.number(142, state))) == ["The list of trunk Brackwater Leeds"]

"""Several organisations: each sees its own only, whoever acts for several switches, a new one is
set up from a pattern and goes on where it stopped."""

import secrets

import pytest

from sedge.core.errors import Forbidden, NotFound, NotUnderstood, OutsideTrouble
from sedge.core.records import Account, Product, Site
from sedge.demo.seed import MEMBERS
from sedge.services.access import access, organisations
from sedge.services.holders import holders
from sedge.services.numbers import estate, numbers
from sedge.store.repositories.access import installation
from tests.asserting import every


def form(**values):
    return {
        "name": "Reedbed Archive",
        "country": "GB",
        "token": "abc12345",
        "carriers": ["fellgate"],
        "administrators": "leila.rahimi@lanternfield.example",
        "site_name": "Reedbed House",
        "code": "RBH",
        "street": "Saltgate Lane",
        "house_number": "11",
        "city": "Leeds",
        "postcode": "LS2 7ZZ",
        "security_desk": "desk@reedbed.example",
        **values,
    }


def in_(house, organisation, who="rowan"):
    with house.installation.reading() as connection:
        return house.desk(
            next(
                m
                for m in installation.memberships_of(connection, who)
                if m.organisation == organisation
            )
        )


def test_whoever_acts_for_several_sees_each_at_a_glance_and_others_only_their_own(house, desk):
    assert [(m.organisation.id, m.numbers) for m in organisations.mine(desk)][1:] == [
        ("copperleaf", 22),
        ("observatory-friends", 6),
    ]
    assert [m.organisation.id for m in organisations.mine(house.desk(MEMBERS[2]))] == [
        "lanternfield"
    ]


def test_nothing_of_one_is_seen_in_another(house, desk):
    theirs = in_(house, "copperleaf")
    assert estate.overview(theirs).total == 22
    with pytest.raises(NotFound):
        numbers.card(theirs, "+441134960100")
    with pytest.raises(NotFound):
        numbers.card(desk, "+441154960100")
    assert numbers.find(theirs, "okafor").groups == []
    assert {p.holder.name for p in holders.people(theirs)[0]} == {
        "Sefa Larkin",
        "Dorrit Vance",
        "Moss Abara",
        "Ottilie Kemp",
        "Jarek Whitlow",
    }


def test_a_session_goes_on_for_another_organisation_of_ones_own_only(house, client):
    client.post("/sign-in", data={"who": "rowan"})
    assert "Lanternfield" in client.get("/organisations").text
    assert client.post("/organisations/copperleaf/act").status_code == 303
    assert "Sefa Larkin" in client.get("/holders").text
    assert client.get("/numbers/441134960100").status_code == 404
    client.post("/sign-out")
    client.post("/sign-in", data={"who": "declan"})
    for organisation in ("copperleaf", "nothing-such"):
        answer = client.post(f"/organisations/{organisation}/act")
        assert answer.status_code == 403
        assert "Copperleaf" not in answer.text


def test_a_program_names_the_organisation_it_acts_for(api):
    assert (
        api.get("numbers?limit=1", headers={"Sedge-Organisation": "copperleaf"}).json()["items"][0][
            "e164"
        ]
        == "+441154960100"
    )
    assert api.get("numbers?limit=1", headers={"Sedge-Organisation": "nobody"}).status_code == 403
    assert api.get("numbers/+441154960100").status_code == 404


def test_a_new_one_is_looked_at_then_made_like_the_pattern(house, desk):
    found = organisations.review(desk, form())
    assert found.runnable, [c for c in found.checks if not c.ok]
    assert "Reedbed Archive" not in {m.organisation.name for m in organisations.mine(desk)}, (
        "looking makes nothing"
    )
    made = organisations.create(desk, form())
    theirs = in_(house, made.id)
    with theirs.reading() as reading:
        assert {p.id for p in reading.records.all(Product)} >= {"staff-seat", "home-calling"}
        assert [a.carrier for a in reading.records.all(Account)] == ["fellgate"]
        assert [(s.name, s.code, s.security_desk) for s in reading.records.all(Site)] == [
            ("Reedbed House", "RBH", "desk@reedbed.example")
        ]
    assert holders.people(theirs)[0] == []
    assert in_(house, made.id, "leila").organisation.name == "Reedbed Archive"


def test_sent_again_it_is_the_same_one_and_what_failed_goes_on(house, desk):
    house.outside.control.order_fault({"service": "fellgate", "fault": "error", "count": 1})
    with pytest.raises(OutsideTrouble, match="goes on"):
        organisations.create(desk, form())
    made = organisations.create(desk, form())
    again = organisations.create(desk, form())
    assert made == again
    theirs = in_(house, made.id)
    with theirs.reading() as reading:
        assert len(reading.records.all(Account)) == 1
        assert len(reading.records.all(Site)) == 1


@pytest.mark.parametrize(
    ("values", "what"),
    [
        ({"name": "Copperleaf Cafés"}, "Name"),
        ({"carriers": ["old-quay"]}, "Carrier Old Quay Communications"),
        ({"carriers": ["maplecourt"]}, "Carrier Maplecourt Networks"),
        ({"administrators": "stranger@example.test"}, "Administrator stranger@example.test"),
        ({"street": "Nowhere Lane"}, "First site"),
        ({"code": "X"}, "First site"),
    ],
)
def test_what_stops_it_is_said_before_anything_is_made(house, desk, values, what):
    before = set(house.estates)
    found = organisations.review(desk, form(**values))
    assert [c.what for c in found.checks if not c.ok] == [what]
    with pytest.raises(NotUnderstood):
        organisations.create(desk, form(**values))
    assert set(house.estates) == before


def test_only_an_administrator_sets_one_up_and_bad_fields_are_named(house, desk):
    with pytest.raises(Forbidden):
        organisations.review(house.desk(MEMBERS[3]), form())
    for values, field in (
        ({"name": ""}, "name"),
        ({"country": "XX"}, "country"),
        ({"administrators": " ".join(f"a{i}@b.example" for i in range(11))}, "administrators"),
    ):
        with pytest.raises(NotUnderstood) as raised:
            organisations.review(desk, form(**values))
        assert raised.value.field == field


def test_a_token_of_the_demo_acts_for_its_first_organisation(house):
    assert access.by_demo_token(house, "demo", local=True).organisation == "lanternfield"
    assert (
        len({m.sign_in for m in access.demo_people(house)})
        == len(access.demo_people(house))
        == len(MEMBERS)
    )
    assert access.whose(house, secrets.token_hex(8)) is None


def test_nobody_enters_another_organisation_by_its_name(house):
    """The id is made here, whatever name and token are sent; what is there is not touched, nor told
    of."""
    leila = house.desk(MEMBERS[1])
    with in_(house, "copperleaf").reading() as reading:
        before = (reading.records.all(Account), reading.records.all(Product))
    for name, token in (
        ("Copperleaf Cafes", ""),
        ("copperleaf", "copperleaf"),
        ("Copperleaf!", "x"),
    ):
        sent = form(name=name, carriers=[], token=token, site_name="", street="", administrators="")
        assert every(c.ok for c in organisations.review(leila, sent).checks), (
            "whether another has that name is not told"
        )
        made = organisations.create(leila, sent)
        assert made.id.startswith("org-")
    assert "copperleaf" not in {m.organisation.id for m in organisations.mine(leila)}
    with in_(house, "copperleaf").reading() as reading:
        assert (reading.records.all(Account), reading.records.all(Product)) == before


def test_a_token_is_of_whoever_sends_it(house, desk):
    rowans, leilas = (
        organisations.create(d, form(carriers=[], street="", administrators=""))
        for d in (desk, house.desk(MEMBERS[1]))
    )
    assert rowans.id != leilas.id
    organisations.create(desk, form(carriers=[], street="", administrators="", name="Another name"))
    assert in_(house, rowans.id).organisation.name == "Reedbed Archive", (
        "made once, it is changed no more"
    )


def test_an_organisation_that_could_not_be_made_whole_is_nobodys(house, desk):
    house.outside.control.order_fault({"service": "fellgate", "fault": "error", "count": 1})
    with pytest.raises(OutsideTrouble, match="Nothing is set up yet"):
        organisations.create(desk, form())
    assert "Reedbed Archive" not in {m.organisation.name for m in organisations.mine(desk)}

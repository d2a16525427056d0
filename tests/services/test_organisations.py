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
from sedge.store.repositories.access import sign_ins
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


def in_(installation, organisation, who="rowan"):
    with installation.shared.reading() as connection:
        return installation.context(
            next(
                m
                for m in sign_ins.memberships_of(connection, who)
                if m.organisation == organisation
            )
        )


def test_whoever_acts_for_several_sees_each_at_a_glance_and_others_only_their_own(
    installation, context
):
    assert [(m.organisation.id, m.numbers) for m in organisations.mine(context)][1:] == [
        ("copperleaf", 22),
        ("observatory-friends", 6),
    ]
    assert [m.organisation.id for m in organisations.mine(installation.context(MEMBERS[2]))] == [
        "lanternfield"
    ]


def test_nothing_of_one_is_seen_in_another(installation, context):
    theirs = in_(installation, "copperleaf")
    assert estate.overview(theirs).total == 22
    with pytest.raises(NotFound):
        numbers.card(theirs, "+441134960100")
    with pytest.raises(NotFound):
        numbers.card(context, "+441154960100")
    assert numbers.find(theirs, "okafor").groups == []
    assert {p.holder.name for p in holders.people(theirs)[0]} == {
        "Sefa Larkin",
        "Dorrit Vance",
        "Moss Abara",
        "Ottilie Kemp",
        "Jarek Whitlow",
    }


def test_a_session_goes_on_for_another_organisation_of_ones_own_only(installation, client):
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


def test_a_new_one_is_looked_at_then_made_like_the_pattern(installation, context):
    found = organisations.review(context, form())
    assert found.runnable, [c for c in found.checks if not c.ok]
    assert "Reedbed Archive" not in {m.organisation.name for m in organisations.mine(context)}, (
        "looking makes nothing"
    )
    made = organisations.create(context, form())
    theirs = in_(installation, made.id)
    with theirs.reading() as reading:
        assert {p.id for p in reading.records.all(Product)} >= {"staff-seat", "home-calling"}
        assert [a.carrier for a in reading.records.all(Account)] == ["fellgate"]
        assert [(s.name, s.code, s.security_desk) for s in reading.records.all(Site)] == [
            ("Reedbed House", "RBH", "desk@reedbed.example")
        ]
    assert holders.people(theirs)[0] == []
    assert in_(installation, made.id, "leila").organisation.name == "Reedbed Archive"


def test_sent_again_it_is_the_same_one_and_what_failed_goes_on(installation, context):
    installation.outside.control.order_fault({"service": "fellgate", "fault": "error", "count": 1})
    with pytest.raises(OutsideTrouble, match="goes on"):
        organisations.create(context, form())
    made = organisations.create(context, form())
    again = organisations.create(context, form())
    assert made == again
    theirs = in_(installation, made.id)
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
def test_what_stops_it_is_said_before_anything_is_made(installation, context, values, what):
    before = set(installation.estates)
    found = organisations.review(context, form(**values))
    assert [c.what for c in found.checks if not c.ok] == [what]
    with pytest.raises(NotUnderstood):
        organisations.create(context, form(**values))
    assert set(installation.estates) == before


def test_only_an_administrator_sets_one_up_and_bad_fields_are_named(installation, context):
    with pytest.raises(Forbidden):
        organisations.review(installation.context(MEMBERS[3]), form())
    for values, field in (
        ({"name": ""}, "name"),
        ({"country": "XX"}, "country"),
        ({"administrators": " ".join(f"a{i}@b.example" for i in range(11))}, "administrators"),
    ):
        with pytest.raises(NotUnderstood) as raised:
            organisations.review(context, form(**values))
        assert raised.value.field == field


def test_a_token_of_the_demo_acts_for_its_first_organisation(installation):
    assert access.by_demo_token(installation, "demo", local=True).organisation == "lanternfield"
    assert (
        len({m.sign_in for m in access.demo_people(installation)})
        == len(access.demo_people(installation))
        == len(MEMBERS)
    )
    assert access.whose(installation, secrets.token_hex(8)) is None


def test_nobody_enters_another_organisation_by_its_name(installation):
    """The id is made here, whatever name and token are sent; what is there is not touched, nor told
    of."""
    leila = installation.context(MEMBERS[1])
    with in_(installation, "copperleaf").reading() as reading:
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
    with in_(installation, "copperleaf").reading() as reading:
        assert (reading.records.all(Account), reading.records.all(Product)) == before


def test_a_token_is_of_whoever_sends_it(installation, context):
    rowans, leilas = (
        organisations.create(d, form(carriers=[], street="", administrators=""))
        for d in (context, installation.context(MEMBERS[1]))
    )
    assert rowans.id != leilas.id
    organisations.create(
        context, form(carriers=[], street="", administrators="", name="Another name")
    )
    assert in_(installation, rowans.id).organisation.name == "Reedbed Archive", (
        "made once, it is changed no more"
    )


def test_an_organisation_that_could_not_be_made_whole_is_nobodys(installation, context):
    installation.outside.control.order_fault({"service": "fellgate", "fault": "error", "count": 1})
    with pytest.raises(OutsideTrouble, match="Nothing is set up yet"):
        organisations.create(context, form())
    assert "Reedbed Archive" not in {m.organisation.name for m in organisations.mine(context)}

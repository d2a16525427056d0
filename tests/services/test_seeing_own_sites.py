"""Who is kept to sites sees those only: in lists, counts, cards, the finder, Today, pages and the
API."""

import pytest
from sqlalchemy import select

from sedge.core.access.roles import AccessRole
from sedge.core.changes import changed
from sedge.core.errors import NotFound
from sedge.core.records import (
    Address,
    Grant,
    HolderKind,
    Number,
    Person,
    ServiceLine,
    Site,
    Spot,
    Subject,
    Trunk,
)
from sedge.demo.seed import MEMBERS
from sedge.services.holders import holders, site_management
from sedge.services.ledger import ledger
from sedge.services.numbers import estate, numbers
from sedge.services.safety import safety
from sedge.services.today import today
from sedge.services.trunks import number_lists, trunk_settings
from sedge.services.workorders import workorders
from sedge.store.repositories.numbers import Filter
from sedge.store.schema import tables

NOOR = next(m for m in MEMBERS if m.role is AccessRole.SITE_MANAGER)


@pytest.fixture
def noor(installation):
    assert NOOR.sites == ("wharf-house",)
    return installation.context(NOOR)


def test_every_record_that_is_read_is_of_their_sites(noor):
    with noor.reading() as reading:
        for kind in (Number, Person, Spot):
            assert {r.site for r in reading.records.all(kind)} == {"wharf-house"}
        assert [s.id for s in reading.records.all(Site)] == ["wharf-house"]
        assert reading.records.find(Site, "canal-museum") is None
        people = set(reading.connection.execute(select(tables.device.c.person)).scalars())
        assert people <= {p.id for p in reading.records.all(Person)}


def test_lists_and_counts_are_of_their_sites(context, noor):
    all_of_it, theirs = (
        estate.counts_of(context, Filter()).total,
        estate.counts_of(noor, Filter()).total,
    )
    assert 0 < theirs < all_of_it
    assert theirs == estate.counts_of(context, Filter(site="wharf-house")).total
    assert {r.number.site for r in estate.list_numbers(noor, Filter(), limit=500).rows} == {
        "wharf-house"
    }
    assert estate.overview(noor).sites == 1
    assert [r.site.id for r in site_management.sites(noor)] == ["wharf-house"]
    assert {r.site.id for r in safety.spots(noor)} == {"wharf-house"}


def test_what_is_remembered_for_one_is_not_shown_to_the_other(context, noor):
    assert estate.overview(context).total > estate.overview(noor).total
    assert estate.overview(context).total > estate.overview(noor).total, "asked again, from memory"
    assert len(today.waiting(noor)) <= len(today.waiting(context))


def test_a_card_of_another_site_is_not_there(noor):
    with pytest.raises(NotFound):
        numbers.card(noor, "+441134960215")
    with pytest.raises(NotFound):
        holders.one_holder(noor, HolderKind.PERSON, "person-saoirse-ashgrove")
    assert numbers.card(noor, "+441134960107").number.site == "wharf-house"


def test_the_finder_finds_their_own_only(context, noor):
    def found(who, text):
        return {row[0] for _, rows in numbers.find(who, text).groups for row in rows}

    assert "Saoirse Ashgrove" in found(context, "saoirse")
    assert "Saoirse Ashgrove" not in found(noor, "saoirse")
    assert "Saoirse Farrow" in found(noor, "saoirse")
    assert "Canal Museum" in found(context, "Canal Museum")
    assert "Canal Museum" not in found(noor, "Canal Museum")
    assert found(noor, "0113 496 0215") == set()


def test_the_ledger_and_work_orders_tell_of_their_sites_only(context, noor):
    theirs = {(e.subject, e.subject_id) for e in ledger.read(noor, limit=500).entries}
    assert not {key for subject, key in theirs if subject == Subject.SITE} - {"wharf-house"}
    assert len(workorders.list_orders(noor)) <= len(workorders.list_orders(context))
    with noor.reading() as reading:
        grants = {g.id for g in reading.records.all(Grant)}
        every = {
            e.subject_id for e in ledger.read(context, subject=Subject.GRANT, limit=500).entries
        }
    seen = {key for subject, key in theirs if subject == Subject.GRANT}
    assert seen <= grants
    assert not every <= grants, "others have licences too, and the ledger knows"


def test_every_line_of_the_ledger_about_a_record_of_a_site_is_of_theirs(context, noor):
    with context.reading() as reading:
        kinds = (
            (Subject.SERVICE_LINE, ServiceLine),
            (Subject.ADDRESS, Address),
            (Subject.TRUNK, Trunk),
            (Subject.SPOT, Spot),
        )
        elsewhere = {
            (subject, r.id)
            for subject, kind in kinds
            for r in reading.records.all(kind)
            if r.site != "wharf-house"
        }
    assert {subject for subject, _ in elsewhere} == {subject for subject, _ in kinds}
    told = {
        (e.subject, e.subject_id)
        for subject, _ in kinds
        for e in ledger.read(noor, subject=subject, limit=500).entries
    }
    assert told
    assert not told & elsewhere


def test_rules_see_the_whole_estate(context, noor):
    """A rule holds whoever asks: what is taken at another site is taken."""
    with context.reading() as reading, noor.reading() as theirs:
        whole, seen = (
            reading.look_at(Subject.NUMBER, "+441134960107"),
            theirs.look_at(Subject.NUMBER, "+441134960107"),
        )
        assert {n.e164 for n in whole.all(Number)} == {n.e164 for n in seen.all(Number)}


def test_no_list_of_the_api_names_people_or_numbers_of_other_sites(context, client):
    with context.reading() as reading:
        others = {p.email for p in reading.records.all(Person) if p.site != "wharf-house"}
        others |= {n.e164 for n in reading.records.all(Number) if n.site != "wharf-house"}
    assert told_of(client, NOOR.sign_in, others) == {}
    assert len(told_of(client, "rowan", others)) > 3, "the administrator sees them in several lists"


def told_of(client, who, names):
    client.post("/sign-in", data={"who": who})
    told = {}
    for path, methods in client.get("/api/v1/openapi.json").json()["paths"].items():
        if "get" in methods and "{" not in path and not path.startswith("/api/v1/standins"):
            answer = client.get(
                path if path.startswith("/api") else f"/api/v1{path}", params={"limit": 100}
            )
            assert answer.status_code < 500, path
            if found := [name for name in names if name in answer.text]:
                told[path] = found[:3]
    return told


def test_one_of_theirs_is_found_among_many_of_other_sites(context, noor):
    names = [(f"Zephyrine {n:03d}", "canal-museum") for n in range(150)] + [
        ("Zephyrine at the wharf", "wharf-house")
    ]
    people = [
        Person(id=f"z-{n}", name=name, email=f"z{n}@lanternfield.example", site=site)
        for n, (name, site) in enumerate(names)
    ]
    with context.writing() as writing:
        writing.save([changed(Subject.PERSON, None, person, "person.added") for person in people])
    assert [row[0] for _, rows in numbers.find(noor, "zephyrine").groups for row in rows] == [
        "Zephyrine at the wharf"
    ]
    assert [row.holder.name for row in holders.people(noor, find="zephyrine")[0]] == [
        "Zephyrine at the wharf"
    ]


def test_a_trunks_list_is_compared_by_who_sees_every_site(context, noor):
    with noor.reading() as reading:
        trunk = reading.records.all(Trunk)[0].id
    number_lists.give_their_list(context, trunk, "+441134960100")
    assert number_lists.compare(context, trunk).found.count
    seen = number_lists.compare(noor, trunk)
    assert (seen.in_part, seen.found.count, seen.given_at) == (True, 0, None)
    assert number_lists.differing(noor) == []
    assert len(number_lists.differing(context)) == 1


def test_a_trunk_says_that_it_serves_sites_of_others_without_their_names(context, noor):
    def serves(*sites):
        with context.writing() as writing:
            trunk = writing.records.the(Trunk, "leeds-a")
            after = trunk.copy_with(serves=sites)
            writing.save([changed(Subject.TRUNK, trunk, after, "trunk.changed")])

    def told():
        return trunk_settings.view(noor, "leeds-a").serves_in_words

    assert told() == "every site"
    serves("canal-museum", "spree-depot")
    assert told() == "2 sites of others"
    serves("wharf-house", "canal-museum")
    assert told() == "Wharf House and 1 site of others"
    assert trunk_settings.view(context, "leeds-a").serves_in_words == "Canal Museum, Wharf House"

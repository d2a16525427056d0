"""What the directory says becomes a proposal: of the right kind, with every difference, and none
where all agree."""

from hypothesis import given
from hypothesis import strategies as st

from sedge.core.holders.directory import ProposalKind, Said, SaidGroup, about_group, about_person
from sedge.core.records import Group, Person
from tests.conftest import EstateBuilder

SITES = [EstateBuilder().records["Site/leeds"]]
ADA = Person(
    id="ada",
    name="Ada Quill",
    email="ada@example.test",
    site="leeds",
    department="Archive",
    extension="142",
    known_elsewhere_as="d1",
)
SAID = Said(
    id="ada",
    external="d1",
    name="Ada Quill",
    email="ADA@example.test",
    site="WHARF house",
    department="Archive",
    extension="142",
)


def about(said, person=ADA, people=None):
    return about_person(said, person, SITES, people or {})


def test_nothing_is_proposed_where_all_agree_whatever_the_case():
    assert about(SAID) is None
    assert about(SAID.copy_with(department="", job="", extension="", site="")) is None, (
        "what the directory leaves empty it says nothing of"
    )


def test_a_joiner_a_leaver_and_nobody():
    assert about(SAID, None).kind is ProposalKind.JOINER
    assert about(SAID.copy_with(active=False)).kind is ProposalKind.LEAVER
    assert about(SAID.copy_with(active=False), None) is None
    assert about(SAID, ADA.copy_with(left=True)).kind is ProposalKind.JOINER


def test_a_site_that_is_not_known_is_somebodys_decision():
    assert "North Lodge" in about(SAID.copy_with(site="North Lodge"), None).problem
    assert "choose one" in about(SAID.copy_with(site=""), None).problem
    moved = about(SAID.copy_with(site="North Lodge"))
    assert (moved.kind, moved.changes) == (ProposalKind.MOVER, {})


def test_each_difference_is_told_with_both_sides():
    found = about(SAID.copy_with(department="Estates", name="Ada Quill-Moss"))
    assert found.kind is ProposalKind.CHANGED
    assert {(d.what, d.here, d.there) for d in found.differences} == {
        ("department", "Archive", "Estates"),
        ("name", "Ada Quill", "Ada Quill-Moss"),
    }
    assert found.changes == {"department": "Estates", "name": "Ada Quill-Moss"}


@given(
    st.builds(
        Said,
        id=st.just("ada"),
        name=st.text(min_size=1, max_size=20),
        email=st.just("ada@example.test"),
        site=st.sampled_from(["", "WHF", "x"]),
        department=st.text(max_size=9),
        job=st.text(max_size=9),
        extension=st.sampled_from(["", "1", "142"]),
        active=st.booleans(),
    )
)
def test_taking_what_is_proposed_leaves_nothing_to_propose(said):
    found = about(said)
    if found and found.kind in {ProposalKind.CHANGED, ProposalKind.MOVER} and not found.problem:
        assert about(said, ADA.copy_with(**found.changes)) is None


def test_a_group_is_proposed_with_whom_sedge_knows_and_says_how_many_it_does_not():
    said = SaidGroup(id="g", name="Desk", members=("ada", "stranger"))
    found = about_group(said, None, {"ada": ADA})
    assert found.changes["members"] == ["ada"]
    assert "1 of its members" in found.problem
    assert about_group(said, Group(id="g", name="Desk", members=("ada",)), {"ada": ADA}) is None
    assert about_group(said.copy_with(gone=True), Group(id="g", name="Desk"), {}).changes == {
        "removed": True
    }
    assert about_group(said.copy_with(gone=True), None, {}) is None

"""How far a site manager reaches: their sites' records, before and after, and nothing of the whole
organisation."""

import pytest

from sedge.core import records as e
from sedge.core.access.scope import Scope
from sedge.core.errors import Forbidden
from sedge.core.estate import Change
from tests.conftest import NOW, EstateBuilder

MINE = Scope(frozenset({"leeds"}))


def change(subject, after, before=None):
    return Change(subject=subject, id=after.id, action="x", before=before, after=after)


def spot(site, code="WHF-001-K"):
    return e.Spot(id=code, address="a", site=site, name="room")


def refuse(*changes, known=None):
    MINE.refuse_outside(
        changes,
        lambda pairs: {pair: frozenset({known[pair]}) for pair in pairs if pair in (known or {})},
    )


def test_whoever_is_kept_to_no_site_reaches_everything():
    Scope().refuse_outside([change(e.Subject.SPOT, spot("canal"))], lambda pairs: {})
    assert Scope().covers(None)
    assert not Scope(frozenset()).covers("leeds")


@pytest.mark.parametrize(
    ("before", "after"), [("canal", "canal"), ("leeds", "canal"), ("canal", "leeds")]
)
def test_a_record_of_another_site_before_or_after_is_refused(before, after):
    with pytest.raises(Forbidden, match="another site"):
        refuse(change(e.Subject.SPOT, spot(after), spot(before)))


def test_ones_own_site_is_not_refused():
    refuse(change(e.Subject.SPOT, spot("leeds"), spot("leeds")))


def test_a_number_belongs_to_its_holders_site_too():
    estate = EstateBuilder()
    person = estate.person()
    e164 = estate.given(12, person)
    number = estate.build().number(e164)
    at = {(e.Subject.PERSON, person.id): "leeds"}
    refuse(change(e.Subject.NUMBER, number), known=at)
    with pytest.raises(Forbidden):
        refuse(change(e.Subject.NUMBER, number), known={(e.Subject.PERSON, person.id): "canal"})


def test_a_grant_a_device_a_group_and_a_proof_belong_where_their_people_and_numbers_do():
    holder = e.HolderRef(kind=e.HolderKind.PERSON, id="ann")
    records = {
        e.Subject.GRANT: e.Grant(
            id="g", product="staff", subscription="s", holder=holder, since=NOW, works_from=NOW
        ),
        e.Subject.DEVICE: e.Device(id="d", person="ann", kind="desk phone", name="phone"),
        e.Subject.GROUP: e.Group(id="gr", name="Group", members=("ann", "bob")),
    }
    for subject, record in records.items():
        refuse(
            change(subject, record),
            known={(e.Subject.PERSON, "ann"): "leeds", (e.Subject.PERSON, "bob"): "leeds"},
        )
        with pytest.raises(Forbidden):
            refuse(
                change(subject, record),
                known={(e.Subject.PERSON, "ann"): "canal", (e.Subject.PERSON, "bob"): "leeds"},
            )


def test_what_belongs_to_the_whole_organisation_is_refused_but_seats_in_use_move_along():
    seats = e.Subscription(id="staff-sub", product="staff", seats=5, used=1)
    refuse(change(e.Subject.SUBSCRIPTION, seats.copy_with(used=2), seats))
    for after in (seats.copy_with(seats=6), seats.copy_with(used=2, seats=6)):
        with pytest.raises(Forbidden, match="whole organisation"):
            refuse(change(e.Subject.SUBSCRIPTION, after, seats))
    with pytest.raises(Forbidden, match="whole organisation"):
        refuse(change(e.Subject.DEFAULTS, e.Defaults(id=e.ORGANISATION)))

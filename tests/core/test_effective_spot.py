"""One answer to *where is help sent*: over random estates the check, the card, the emergency test
and what goes with a call name the same spot, and none of them is content with a spot in another
building."""

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from sedge.core import records as e
from sedge.core.numbers.card_facts import Mark, standing
from sedge.core.safety.effective_spot import effective_spot, misplaced, place_words, spot_when_given
from sedge.core.safety.emergency import emergency_test
from sedge.core.workorders import tasks as t
from sedge.core.workorders.checks import check
from sedge.core.workorders.findings import Level
from tests.conftest import NOW, EstateBuilder

SPOTS = ["WHF-001-K", "WHF-002-W", "CNL-001-Y", "CNL-000-0", None]


def two_sites():
    estate = EstateBuilder()
    elements = e.CivicElements(
        country="GB", city="Leeds", street="Canal Road", house_number="3", postcode="LS1 4AA"
    )
    leeds = estate.records["Site/leeds"]
    estate.put(
        leeds.copy_with(
            id="canal", name="Canal Museum", code="CNL", address="canal-address", spot="CNL-000-0"
        ),
        e.Address(
            id="canal-address",
            site="canal",
            elements=elements,
            verdict=e.Verdict.EXACT,
            psap="Leeds operator assistance",
            floors=3,
        ),
        e.Spot(
            id="WHF-002-W",
            address="leeds-address",
            site="leeds",
            name="shop",
            floor="1st floor",
            room="shop",
            confirmed_at=NOW,
        ),
        e.Spot(
            id="CNL-000-0",
            address="canal-address",
            site="canal",
            name="whole address",
            whole=True,
            confirmed_at=NOW,
        ),
        e.Spot(
            id="CNL-001-Y",
            address="canal-address",
            site="canal",
            name="front desk",
            floor="ground floor",
            room="front desk",
            confirmed_at=NOW,
        ),
    )
    return estate


def dispatch(answer, estate):
    """The spot that the emergency test names, None where it says help would not be sent right."""
    return (
        answer.spot if answer.spot and not any("spot" in link for link in answer.broken) else None
    )


@settings(max_examples=150)
@given(
    st.sampled_from(SPOTS),
    st.sampled_from(SPOTS),
    st.sampled_from(SPOTS),
    st.sampled_from(["leeds", "canal"]),
)
def test_check_card_test_and_call_name_the_same_spot(own, of_number, chosen, works_at):
    estate = two_sites()
    person = estate.person(spot=own)
    estate.put(estate.records[f"Person/{person.id}"].copy_with(site=works_at))
    free = estate.number(142, spot=of_number, carrier="fellgate", capacity="any")
    estate.put(estate.records[f"Number/{free}"].copy_with(site=works_at))
    world = estate.build()
    task = t.AssignNumber(number=free, holder=person, spot=chosen)
    report = check([task], world)
    found = next(f for f in report.findings if f.rule == "assignment.dispatchable-spot")
    will_be = spot_when_given(world.number(free), person, chosen, world)
    given_number = report.after.number(free)
    assert given_number.spot == (will_be.id if will_be else None), "what is checked is what is done"
    answer = emergency_test(given_number, "999", report.after)
    sent_to = dispatch(answer, report.after)
    safety = next(s for s in standing(given_number, report.after) if s.name == "Safety")
    if found.level is Level.PASS:
        assert sent_to == will_be.id == effective_spot(given_number, report.after).id
        assert place_words(will_be, world) in found.message
        assert place_words(will_be, world) in answer.spot_words
        assert safety.mark is not Mark.WRONG
        assert place_words(will_be, world) in safety.text
    else:
        assert sent_to is None
        assert safety.mark is Mark.WRONG


@pytest.mark.parametrize(
    ("spot", "own", "right"),
    [("WHF-001-K", None, True), ("CNL-001-Y", None, False), ("CNL-001-Y", "CNL-001-Y", True)],
)
def test_a_spot_is_right_where_the_holder_works_or_is_their_own(spot, own, right):
    estate = two_sites()
    person = estate.person(spot=own)
    world = estate.build()
    assert (misplaced(world.the(e.Spot, spot), person, "leeds", world) == "") is right


def test_the_words_of_a_check_name_the_site_the_spot_is_at():
    estate = two_sites()
    person = estate.person(spot=None)
    number = estate.number(142, spot="CNL-001-Y")
    found = {
        f.rule: f
        for f in check(
            [t.AssignNumber(number=number, holder=person, spot="CNL-001-Y")], estate.build()
        ).findings
    }
    finding = found["assignment.dispatchable-spot"]
    assert finding.level is Level.STOP
    assert (
        "Canal Museum, ground floor, front desk is at another site: Ifeoma Okafor works at Wharf"
        " House" in finding.message
    )


def test_a_number_moves_to_another_site_on_purpose_only():
    estate = two_sites()
    person = estate.person(spot="WHF-001-K")
    number = estate.number(142, spot="CNL-001-Y", carrier="fellgate", capacity="any")
    estate.put(estate.records[f"Number/{number}"].copy_with(site="canal"))
    world = estate.build()
    report = check([t.AssignNumber(number=number, holder=person)], world)
    stopped = next(f for f in report.stops if f.rule == "assignment.at-its-site")
    assert (
        "0113 496 0142 is a number of Canal Museum; Ifeoma Okafor is at Wharf House"
        in stopped.message
    )
    assert stopped.remedies[0].tasks == (t.MoveNumber(number=number, site="leeds"),)
    moved = check([*stopped.remedies[0].tasks, t.AssignNumber(number=number, holder=person)], world)
    assert moved.runnable, moved.stops
    after = moved.after.number(number)
    assert (after.site, after.spot) == ("leeds", "WHF-001-K")
    spot = next(f for f in moved.findings if f.rule == "move.its-spot")
    assert (spot.level, "does not go along" in spot.message) == (Level.WARN, True)

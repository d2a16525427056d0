"""Addresses held against the register again: what it no longer knows is no place to send help to,
and comes back when it does."""

from datetime import timedelta

from sedge.core.records import Address, Number, Verdict
from sedge.services import simulation_clock
from sedge.services.callpaths import calls
from sedge.services.safety import address_revalidation, coverage


def address(context, key="wharf-house-address"):
    with context.reading() as reading:
        return reading.records.the(Address, key)


def renamed(installation, old, new):
    installation.outside.control.call("PUT", "streets", json={old: new})


def test_nothing_changes_while_the_register_says_the_same(context):
    before = address(context)
    done = address_revalidation.recheck(context)
    assert (done.asked, done.changed, done.trouble) == (5, [], "")
    assert address(context) == before


def test_a_renamed_street_is_found_and_help_is_no_longer_sent_to_a_guess(installation, context):
    renamed(installation, "Lanternfield Wharf", "Captain Ferris Wharf")
    done = address_revalidation.recheck(context)
    assert [a.id for a in done.changed] == ["wharf-house-address"]
    assert address(context).verdict in {Verdict.UNKNOWN, Verdict.AMBIGUOUS}
    gap = next(g for g in coverage.gaps(context) if g.key == "weak-spot")
    assert "not confirmed by the register" in gap.reason
    assert gap.count > 100
    assert calls.emergency(context, "+441134960100", "999").broken
    renamed(installation, "Lanternfield Wharf", "Lanternfield Wharf")
    address_revalidation.recheck(context)
    assert address(context).verdict is Verdict.EXACT
    assert not calls.emergency(context, "+441134960100", "999").broken


def test_it_is_asked_each_night_by_itself(installation, context):
    renamed(installation, "Towpath Row", "Towpath Terrace")
    simulation_clock.advance(installation, timedelta(days=1, hours=3))
    assert address(context, "canal-museum-address").verdict is not Verdict.EXACT


def test_a_silent_register_leaves_all_as_it_was(installation, context):
    installation.outside.control.order_fault({"service": "register", "fault": "error", "count": 3})
    before = address(context)
    done = address_revalidation.recheck(context)
    assert done.trouble
    assert address(context) == before


def test_numbers_keep_their_spots_whatever_the_register_says(installation, context):
    with context.reading() as reading:
        before = {n.e164: n.spot for n in reading.records.all(Number)}
    renamed(installation, "Lanternfield Wharf", "Captain Ferris Wharf")
    address_revalidation.recheck(context)
    with context.reading() as reading:
        assert {n.e164: n.spot for n in reading.records.all(Number)} == before

"""A carrier's list and the estate, held against each other: every difference is found, once, and
nothing else."""

from decimal import Decimal

from hypothesis import given
from hypothesis import strategies as st

from sedge.core.carriers.reconciliation import (
    MEANINGS,
    DriftKind,
    OurLine,
    TheirLine,
    as_told,
    compare,
)
from sedge.core.workorders import tasks as t

OURS = OurLine("assigned", 80, "leeds-a", leaving=False)
THEIRS = TheirLine(Decimal("0.80"), None, "in service")
N = "+441134960142"


def kinds(ours=OURS, theirs=THEIRS, trunks=None):
    found = compare({N: ours} if ours else {}, {N: theirs} if theirs else {}, trunks or {}, "GBP")
    return [(d.kind, d.ours, d.theirs) for d in found]


def test_what_is_the_same_is_no_difference():
    assert kinds() == []
    assert kinds(theirs=TheirLine(Decimal("0.8000"), "leeds-a", "in service")) == []
    assert (
        kinds(theirs=TheirLine(Decimal("0.80"), "SBC-1", "in service"), trunks={"leeds-a": "SBC-1"})
        == []
    )


def test_each_kind_is_told_in_words():
    assert kinds(theirs=None) == [(DriftKind.NOT_LISTED, "assigned", "not on its list")]
    assert kinds(ours=None) == [
        (DriftKind.NOT_OURS, "not in the estate", "in service, 0.80 GBP a month")
    ]
    assert kinds(theirs=TheirLine(Decimal("1.10"), None, "in service")) == [
        (DriftKind.PRICE, "0.80 GBP", "1.10 GBP")
    ]
    assert kinds(theirs=TheirLine(Decimal("0.80"), None, "leaving")) == [
        (DriftKind.STATE, "assigned", "leaving")
    ]
    assert kinds(theirs=TheirLine(Decimal("0.80"), "leeds-b", "in service")) == [
        (DriftKind.TRUNK, "leeds-a", "leeds-b")
    ]
    assert set(MEANINGS) == set(DriftKind)


def test_what_is_on_its_way_is_no_difference_yet():
    assert kinds(ours=OurLine("on order", 0, "", leaving=False), theirs=None) == []
    assert (
        kinds(
            ours=OurLine("porting in", 0, "", leaving=False),
            theirs=TheirLine(Decimal("0.80"), None, "in service"),
        )
        == []
    )
    assert kinds(ours=OurLine("available", 80, "", leaving=True), theirs=None) == []
    assert (
        kinds(
            ours=OurLine("porting out", 80, "leeds-a", leaving=False),
            theirs=TheirLine(Decimal("0.80"), None, "porting out"),
        )
        == []
    )


numbers = st.integers(100, 130).map(lambda n: f"+44113496{n:04d}")
ours = st.builds(
    OurLine,
    st.sampled_from(["assigned", "available", "aging"]),
    st.sampled_from([65, 80]),
    st.sampled_from(["", "leeds-a"]),
    st.just(value=False),
)
theirs = st.builds(
    TheirLine,
    st.sampled_from([Decimal("0.65"), Decimal("0.80")]),
    st.sampled_from([None, "leeds-a"]),
    st.just("in service"),
)


@given(st.dictionaries(numbers, ours), st.dictionaries(numbers, theirs))
def test_following_the_carrier_leaves_no_difference(mine, its):
    """Every difference belongs to one number and kind; once each is followed, nothing differs any
    more."""
    found = list(compare(mine, its, {}, "GBP"))
    assert len({(d.e164, d.kind) for d in found}) == len(found)
    after = dict(mine)
    for d in found:
        match d.kind:
            case DriftKind.NOT_LISTED:
                del after[d.e164]
            case DriftKind.NOT_OURS:
                after[d.e164] = OurLine(
                    "available",
                    round(its[d.e164].monthly * 100),
                    its[d.e164].trunk or "",
                    leaving=False,
                )
            case DriftKind.PRICE:
                old = after[d.e164]
                after[d.e164] = OurLine(
                    old.state, round(its[d.e164].monthly * 100), old.trunk, leaving=False
                )
            case DriftKind.TRUNK:
                old = after[d.e164]
                after[d.e164] = OurLine(old.state, old.monthly, d.theirs, leaving=False)
            case DriftKind.STATE:
                raise AssertionError("all are in service")
    assert list(compare(after, its, {}, "GBP")) == []


def test_prices_are_told_as_people_write_them_and_the_rest_as_it_is():
    assert as_told("in service, 0.80 GBP a month") == "in service, £0.80 a month"
    assert (as_told("1.1 EUR"), as_told("not on its list"), as_told("trunk 12 AB")) == (
        "€1.10",
        "not on its list",
        "trunk 12 AB",
    )


def test_the_way_it_is_settled_is_what_the_task_says(estate):
    number = estate.number(301)
    told = t.TellCarrier(
        number=number, account="brackwater-main", drift="other price", ours="0.65 GBP"
    )
    assert told.describe(estate.build()) == ("0113 496 0301: dispute the price", "£0.65")
    assert (
        t.FollowCarrier(number=number, drift="other price", theirs="1.45 GBP").describe(
            estate.build()
        )[1]
        == "£1.45"
    )

"""Numbers become ports: grouped, judged, with what stays behind and what hangs on the account; the
life of a port; rejections."""

from datetime import date, datetime, timedelta
from zoneinfo import ZoneInfo

import pytest
from hypothesis import given
from hypothesis import strategies as st

from sedge.core.errors import NotAllowedNow
from sedge.core.porting.life import LIFE, PortEvent, allows, next_state
from sedge.core.porting.planning import Served, plan
from sedge.core.porting.records import (
    MAIN_BILLING_NUMBER,
    AccountDetails,
    Port,
    PortLine,
    PortState,
)
from sedge.core.porting.rejections import REJECTIONS, rejection
from tests.asserting import every

AT = datetime(2026, 11, 24, 11, 20, tzinfo=ZoneInfo("Europe/London"))
OLD, ACCOUNT = "Old Quay Communications", "OQ-1184"


def gallery(*last, account=ACCOUNT, carrier=OLD, **facts):
    return {
        f"+44117496{n:04d}": Served(f"+44117496{n:04d}", carrier, account, **facts) for n in last
    }


def planned(served, asked=None, **more):
    everything = list(served.values())
    facts = {
        "ours": {},
        "serves": lambda _: "",
        "submitted": AT,
        "subdivisions": {"GB": "ENG"},
        **more,
    }
    return plan(
        asked or served,
        served,
        lambda carrier, account: [
            s for s in everything if (s.carrier, s.account) == (carrier, account)
        ],
        **facts,
    )


def test_numbers_are_grouped_by_carrier_account_and_country():
    served = (
        gallery(800, 801)
        | gallery(860, account="OQ-2")
        | gallery(870, carrier="Brackwater Telecom", account="B-1")
    )
    served["+493023125500"] = Served("+493023125500", OLD, ACCOUNT)
    served["+448081570100"] = Served("+448081570100", OLD, ACCOUNT)
    ports = planned(served).ports
    assert [(p.losing, p.account, p.country, p.toll_free, len(p.lines)) for p in ports] == [
        ("Brackwater Telecom", "B-1", "GB", False, 1),
        (OLD, ACCOUNT, "DE", False, 1),
        (OLD, ACCOUNT, "GB", False, 2),
        (OLD, ACCOUNT, "GB", True, 1),
        (OLD, "OQ-2", "GB", False, 1),
    ]
    assert {
        p.country: p.earliest.day for p in ports if p.account == ACCOUNT and not p.toll_free
    } == {
        "DE": date(2026, 12, 3),
        "GB": date(2026, 12, 15),
    }


def test_what_is_ours_or_nobodys_is_refused_with_the_reason():
    found = planned(
        gallery(800),
        ["+441174960800", "+441134960100", "+441174960999"],
        ours={"+441134960100": "Ifeoma Okafor has it"},
    )
    assert [(j.e164, j.reasons[0]) for j in found.refused] == [
        ("+441134960100", "It is ours already: Ifeoma Okafor has it."),
        ("+441174960999", "No carrier serves it. Check the digits."),
    ]
    assert [len(p.lines) for p in found.ports] == [1]


@pytest.mark.parametrize(
    ("facts", "why"),
    [
        ({"pending": True}, "Another port"),
        ({"in_service": False}, "not in service"),
        ({"in_service": False, "ended_on": date(2026, 10, 1)}, "ended on 1 October 2026"),
        ({"in_service": False, "ended_on": date(2026, 11, 10)}, ""),
    ],
)
def test_a_number_that_cant_move_says_why(facts, why):
    line = planned(gallery(800, **facts)).ports[0].lines[0]
    assert (line.eligible, why in "".join(line.reasons)) == (not why, True)


def test_the_gaining_carrier_and_the_country_have_their_say():
    assert planned(gallery(800), serves=lambda _: "Fellgate Voice does not serve Bristol.").ports[
        0
    ].lines[0].reasons == ("Fellgate Voice does not serve Bristol.",)
    abroad = planned({"+61255501234": Served("+61255501234", "Somewhere", "S-1")}).ports[0]
    assert (abroad.earliest, abroad.lines[0].eligible, "Australia" in abroad.undated) == (
        None,
        False,
        True,
    )


def test_a_part_of_an_account_asks_for_a_new_main_number_and_what_hangs_on_the_lines():
    served = (
        gallery(800, hangs=MAIN_BILLING_NUMBER) | gallery(801, hangs="alarm") | gallery(802, 803)
    )
    port = planned(served, list(served)[:3]).ports[0]
    assert [s.e164[-3:] for s in port.left_behind] == ["803"]
    assert port.questions == (
        (
            "The account's main billing number moves and numbers stay behind: which becomes the"
            " main one?"
        ),
        "0117 496 0801 carries an alarm: it stops when the number moves. What becomes of it?",
    )
    assert planned(gallery(800, 801)).ports[0].questions == (), "a whole account asks nothing"
    assert planned(gallery(800, 801), ["+441174960800"]).ports[0].questions == (
        "Numbers stay behind on the account: does it go on, or are they to be ended?",
    )


@given(st.lists(st.integers(800, 859), unique=True, min_size=1), st.integers(1, 4))
def test_every_number_asked_for_comes_out_exactly_once(last, accounts):
    served = {}
    for n in last:
        served |= gallery(n, account=f"OQ-{n % accounts}", in_service=n % 5 != 0)
    found = planned(served)
    assert sorted(line.e164 for p in found.ports for line in p.lines) == sorted(served)
    assert every(p.earliest is None or len(p.eligible) > 0 for p in found.ports)


# ── its life ──


def test_a_port_goes_from_draft_to_closed():
    steps = [
        PortEvent.SIGN,
        PortEvent.SUBMIT,
        PortEvent.QUERY,
        PortEvent.ANSWER,
        PortEvent.ACCEPT,
        PortEvent.DUE,
        PortEvent.ACTIVATE,
        PortEvent.PROVE,
        PortEvent.CLOSE,
    ]
    state = PortState.DRAFT
    for event in steps:
        state = next_state(state, event)
    assert state is PortState.CLOSED


def test_what_was_signed_is_signed_again_once_it_is_changed():
    assert next_state(PortState.READY, PortEvent.CHANGE) is PortState.DRAFT
    assert next_state(PortState.REJECTED, PortEvent.CHANGE) is PortState.DRAFT


@pytest.mark.parametrize("state", list(PortState))
def test_every_other_step_is_refused_in_words(state):
    for event in PortEvent:
        if not allows(state, event):
            with pytest.raises(NotAllowedNow, match=state):
                next_state(state, event)


def test_every_state_is_reached_and_ends_are_ends():
    reached = {PortState.DRAFT} | {to for steps in LIFE.values() for to in steps.values()}
    assert reached == set(PortState)
    port = Port(
        id="p",
        no=1,
        losing=OLD,
        country="GB",
        account="fellgate-main",
        site="gallery",
        lines=(PortLine(e164="+441174960800"), PortLine(e164="+441174960801", refused="x")),
    )
    assert port.numbers == ("+441174960800",)
    assert {s for s in PortState if not port.copy_with(state=s).is_open} == {
        s for s in PortState if not LIFE[s]
    }


def test_each_rejection_has_its_remedy_and_names_a_field_of_the_details():
    fields = {*AccountDetails.model_fields, "lines", ""}
    assert every(r.words and r.remedy and r.field in fields for r in REJECTIONS.values())
    assert "ask it" in rejection("whatever").remedy


def test_ten_thousand_numbers_are_planned_in_two_seconds():
    served = {
        f"+1617555{n:04d}": Served(f"+1617555{n:04d}", OLD, f"OQ-{n % 7}") for n in range(10_000)
    }
    by_account = {}
    for s in served.values():
        by_account.setdefault(s.account, []).append(s)
    started = datetime.now(tz=ZoneInfo("UTC"))
    found = plan(
        served,
        served,
        lambda _, account: by_account[account],
        ours={},
        serves=lambda _: "",
        submitted=AT,
    )
    assert datetime.now(tz=ZoneInfo("UTC")) - started < timedelta(seconds=4), (
        "two seconds on a quiet machine; the bench measures it"
    )
    assert len(found.ports) == 7

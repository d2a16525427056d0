"""What a losing carrier would refuse is found before it is asked; what happens to the numbers of a
port at each answer; and what is checked before they are switched."""

from datetime import date, timedelta

import pytest

from sedge.core.errors import NotAllowedNow
from sedge.core.numbers.life import State
from sedge.core.porting import rules
from sedge.core.porting.records import (
    MAIN_BILLING_NUMBER,
    AccountDetails,
    KeptFree,
    Port,
    PortLine,
    PortState,
)
from sedge.core.porting.reducers import answered, stays_behind, switched
from sedge.core.records import Number, Role
from sedge.core.workorders import tasks as t
from sedge.core.workorders.findings import Level
from tests.conftest import NOW

ONE, TWO, THREE = "+441174960806", "+441174960807", "+441174960808"
BILL = AccountDetails(name="Millwheel Gallery", address="1 Mill Lane", account="MG-1")
USUAL = {
    "country": "GB",
    "details": BILL,
    "state": PortState.READY,
    "signed": "R. Tolliver",
}
SUBMIT, SWITCH = t.SubmitPort(port="port-1"), t.ActivatePort(port="port-1")


@pytest.fixture
def port(estate):
    """Puts a port of three numbers, as wanted, and gives what it put."""

    def made(*, arriving=False, **values):
        lines = values.pop("lines", tuple(PortLine(e164=x) for x in (ONE, TWO, THREE)))
        found = Port(
            id="port-1",
            no=7,
            losing="Brightwater",
            account="fellgate-main",
            site="leeds",
            lines=lines,
            **USUAL | values,
        )
        estate.put(found)
        if arriving:
            for line in lines:
                estate.put(on_its_way(estate, line.e164))
        return found

    return made


def on_its_way(estate, e164):
    last = estate.number(100, State.PORTING_IN, carrier="fellgate", order="port-1", trunk=None)
    number = estate.records.pop(f"Number/{last}")
    return number.copy_with(id=f"life-{e164}", e164=e164)


def told(rule, task, world):
    finding = rule(task, world)
    return finding.level, finding.message


# ── before it is asked for ──


@pytest.mark.parametrize(
    ("details", "missing"),
    [
        (AccountDetails(), "account holder, billing address, account number are missing"),
        (BILL.copy_with(address=" "), "billing address is missing"),
        (BILL.copy_with(name="", account=""), "account holder, account number are missing"),
    ],
)
def test_what_the_bill_says_is_needed_whole(port, estate, details, missing):
    port(details=details)
    level, words = told(rules.details_complete, SUBMIT, estate.build())
    assert level is Level.STOP and missing in words


def test_a_bill_told_whole_passes_and_leads_nowhere(port, estate):
    port()
    finding = rules.details_complete(SUBMIT, estate.build())
    assert finding.is_pass and finding.remedies == ()


@pytest.mark.parametrize(
    ("state", "level", "words"),
    [
        (PortState.READY, Level.PASS, "Signed by R. Tolliver"),
        (PortState.DRAFT, Level.STOP, "not signed"),
        (PortState.SUBMITTED, Level.STOP, "is submitted; there is nothing to submit"),
        (PortState.CANCELLED, Level.STOP, "is cancelled"),
    ],
)
def test_nobody_takes_numbers_away_without_a_mandate(port, estate, state, level, words):
    port(state=state)
    found = told(rules.papers_signed, SUBMIT, estate.build())
    assert found[0] is level and words in found[1]


def test_what_hangs_on_a_line_has_to_be_settled(port, estate):
    lift = (PortLine(e164=ONE, hangs="lift"), PortLine(e164=TWO))
    port(lines=lift)
    level, words = told(rules.questions_settled, SUBMIT, estate.build())
    assert level is Level.STOP and "0117 496 0806 carries the lift" in words
    port(lines=lift, settled=(f"{ONE} carries the lift",))
    assert told(rules.questions_settled, SUBMIT, estate.build())[0] is Level.PASS


@pytest.mark.parametrize(
    ("behind", "new_main", "level"),
    [
        ((), "", Level.PASS),
        ((THREE,), "", Level.STOP),
        ((THREE,), TWO, Level.STOP),
        ((THREE,), THREE, Level.PASS),
    ],
)
def test_an_account_that_goes_on_needs_another_main_number(port, estate, behind, new_main, level):
    port(
        lines=(PortLine(e164=ONE, hangs=MAIN_BILLING_NUMBER), PortLine(e164=TWO)),
        left_behind=behind,
        details=BILL.copy_with(new_main_number=new_main),
    )
    assert told(rules.questions_settled, SUBMIT, estate.build())[0] is level


def test_a_number_that_is_here_already_cannot_come(port, estate):
    port()
    estate.put(on_its_way(estate, ONE).copy_with(state=State.AVAILABLE, order=None))
    level, words = told(rules.numbers_can_move, SUBMIT, estate.build())
    assert level is Level.STOP and "in the estate already, available" in words


@pytest.mark.parametrize("state", [State.PORTED_OUT, State.RELEASED, State.CLOSED])
def test_a_number_that_was_here_once_can_come_back(port, estate, state):
    port()
    estate.put(on_its_way(estate, ONE).copy_with(state=state, order=None))
    assert told(rules.numbers_can_move, SUBMIT, estate.build()) == (
        Level.PASS,
        "3 numbers can move",
    )


def test_a_port_without_numbers_is_none(port, estate):
    port(lines=(PortLine(e164=ONE, refused="not ours"),))
    assert told(rules.numbers_can_move, SUBMIT, estate.build())[0] is Level.STOP


@pytest.mark.parametrize(
    ("code", "words"),
    [("", "it needs its"), ("AB12", "this one has 4"), ("01 2345 ABCD67", None)],
)
def test_a_french_number_needs_its_code(port, estate, code, words):
    port(country="FR", lines=(PortLine(e164="+33199005677", code=code),))
    level, said = told(rules.numbers_can_move, SUBMIT, estate.build())
    assert (level, words or "1 number can move") == (
        (Level.STOP, words) if words else (Level.PASS, said)
    )
    assert words is None or words in said


def test_a_carrier_that_does_not_serve_the_country_is_not_asked(port, estate):
    port(country="DE", lines=(PortLine(e164="+493023125600"),))
    level, words = told(rules.carrier_takes_it, SUBMIT, estate.build())
    assert level is Level.STOP and "Fellgate Voice does not serve Germany" in words
    estate.put(estate.records["Carrier/fellgate"].copy_with(countries=("GB", "DE")))
    assert told(rules.carrier_takes_it, SUBMIT, estate.build())[0] is Level.PASS


@pytest.mark.parametrize(
    ("wanted", "level", "words"),
    [
        (None, Level.PASS, "The earliest day is"),
        (date(2026, 11, 25), Level.WARN, "is too early"),
        (date(2026, 12, 25), Level.WARN, "name another day"),
        (date(2026, 12, 19), Level.WARN, "name another day"),
        (date(2026, 12, 15), Level.PASS, "The earliest day is"),
    ],
)
def test_a_day_that_cannot_be_kept_is_told_beforehand(port, estate, wanted, level, words):
    port(wanted=wanted)
    found = told(rules.date_is_possible, SUBMIT, estate.build())
    assert found[0] is level and words in found[1]


@pytest.mark.parametrize(
    ("site", "given_back", "level"),
    [(None, False, Level.WARN), ("leeds", False, Level.WARN), ("york", False, Level.PASS)]
    + [("leeds", True, Level.PASS)],
)
def test_days_kept_free_are_kept(port, estate, site, given_back, level):
    port(wanted=date(2026, 12, 15))
    estate.put(
        KeptFree(
            id="fair",
            first=date(2026, 12, 14),
            last=date(2026, 12, 16),
            why="Winter fair",
            site=site,
            given_back=given_back,
        )
    )
    assert told(rules.date_is_possible, SUBMIT, estate.build())[0] is level


# ── its numbers, at each answer ──


def test_submitting_begins_a_life_for_each_number_and_again_only_for_new_ones(port, estate):
    port()
    world = estate.build()
    first, *numbers = SUBMIT.apply(world, "order-9")
    assert first.after.state is PortState.SUBMITTED and first.after.said[-1].what == "submitted"
    assert [(c.after.e164, c.after.state) for c in numbers] == [
        (x, State.PORTING_IN) for x in (ONE, TWO, THREE)
    ]
    assert {c.after.id for c in numbers} == {f"order-9-{x[1:]}" for x in (ONE, TWO, THREE)}
    world.absorb([first, *numbers])
    rejected, *behind = answer(world, "rejected", code="wrong-account")
    assert rejected.after.state is PortState.REJECTED and len(behind) == 3
    world.absorb([rejected, *behind])
    again = world.the(Port, "port-1").copy_with(state=PortState.READY, placed_as="their-1")
    world.put(again)
    submitted, *anew = SUBMIT.apply(world, "order-10")
    assert submitted.after.replaces == "their-1" and submitted.after.placed_as is None
    assert len(anew) == 3


def answer(world, state, **values):
    given = {"code": "", "text": "", "foc": None, "refused": {}, **values}
    return answered(world.the(Port, "port-1"), world, state=state, **given)


def test_an_acceptance_leaves_behind_what_is_refused(port, estate):
    port(state=PortState.SUBMITTED, arriving=True)
    world = estate.build()
    day = NOW + timedelta(days=8)
    accepted, *behind = answer(world, "accepted", foc=day, refused={TWO: "not on this account"})
    assert (accepted.after.state, accepted.after.foc) == (PortState.ACCEPTED, day)
    assert accepted.after.numbers == (ONE, THREE)
    assert [(c.after.e164, c.after.state) for c in behind] == [(TWO, State.CLOSED)]


@pytest.mark.parametrize(
    ("before", "says", "after"),
    [
        (PortState.SUBMITTED, "queried", PortState.QUERIED),
        (PortState.QUERIED, "queried", None),
        (PortState.QUERIED, "rejected", PortState.REJECTED),
        (PortState.QUERIED, "accepted", PortState.ACCEPTED),
        (PortState.ACCEPTED, "accepted", PortState.ACCEPTED),
        (PortState.ACCEPTED, "due", PortState.DUE),
        (PortState.DUE, "due", None),
        (PortState.DRAFT, "accepted", None),
        (PortState.ACTIVATED, "rejected", None),
        (PortState.ACCEPTED, "cancelled", PortState.CANCELLED),
        (PortState.CANCELLED, "cancelled", None),
        (PortState.SUBMITTED, "what nobody knows", None),
    ],
)
def test_what_the_other_side_says_twice_changes_nothing(port, estate, before, says, after):
    port(state=before, foc=NOW - timedelta(hours=1), arriving=True)
    changes = answer(estate.build(), says, foc=NOW + timedelta(days=3))
    assert (changes[0].after.state if changes else None) is after
    assert changes == [] or changes[0].before.state is before


def test_numbers_of_another_port_are_left_alone(port, estate):
    found = port(state=PortState.SUBMITTED, arriving=True)
    estate.put(on_its_way(estate, TWO).copy_with(order="port-2"))
    behind = stays_behind(found, estate.build(), {ONE, TWO})
    assert [c.after.e164 for c in behind] == [ONE]


# ── the switch ──


def test_numbers_arrive_with_whoever_was_chosen_for_them(port, estate):
    person = estate.person("Hattie Brandreth")
    estate.granted(person, "staff", works_from=NOW + timedelta(hours=2))
    lines = (
        PortLine(e164=ONE, holder=person, role=Role.MAIN),
        PortLine(e164=TWO, holder=person, role=Role.EXTRA, spot="WHF-000-M", path="gallery"),
        PortLine(e164=THREE),
    )
    found = port(state=PortState.DUE, arriving=True, lines=lines)
    done, *numbers = switched(found, estate.build())
    first, second, third = (c.after for c in numbers)
    assert done.after.state is PortState.ACTIVATED and done.after.back_out_until > NOW
    assert (first.state, first.holder, first.spot) == (State.ASSIGNED, person, "WHF-001-K")
    assert first.assignment.works_from == NOW + timedelta(hours=2)
    assert (second.spot, second.path, second.assignment.role) == (
        "WHF-000-M",
        "gallery",
        Role.EXTRA,
    )
    assert (third.state, third.trunk, third.order) == (State.AVAILABLE, "leeds-a", None)


def test_a_port_is_switched_when_the_last_number_has_arrived(port, estate):
    found = port(state=PortState.DUE, arriving=True)
    world = estate.build()
    some = switched(found, world, {ONE, THREE})
    assert [type(c.after) for c in some] == [Number, Number]
    world.absorb(some)
    rest = switched(found, world, {TWO})
    assert [type(c.after) for c in rest] == [Port, Number]


@pytest.mark.parametrize("state", [PortState.DRAFT, PortState.SUBMITTED, PortState.ACTIVATED])
def test_nothing_is_switched_before_it_was_accepted_or_twice(port, estate, state):
    found = port(state=state, arriving=True)
    with pytest.raises(NotAllowedNow, match=f"is {state}"):
        switched(found, estate.build())


def test_a_trunk_of_the_ports_own_site_is_taken_first(port, estate):
    found = port(state=PortState.DUE, arriving=True)
    trunk = estate.records["Trunk/leeds-a"]
    estate.put(trunk.copy_with(id="a-york", site="york"))
    assert switched(found, estate.build())[1].after.trunk == "leeds-a"
    del estate.records["Trunk/leeds-a"]
    assert switched(found, estate.build())[1].after.trunk == "a-york"
    del estate.records["Trunk/a-york"]
    assert switched(found, estate.build())[1].after.trunk is None


@pytest.mark.parametrize(
    ("state", "foc", "level", "words"),
    [
        (PortState.DUE, timedelta(hours=-1), Level.PASS, "has come"),
        (PortState.ACCEPTED, timedelta(days=7), Level.WARN, "waits for that by itself"),
        (PortState.ACCEPTED, timedelta(days=5), Level.WARN, "Ask Brightwater for another day"),
        (PortState.ACCEPTED, None, Level.STOP, "can't be switched"),
        (PortState.SUBMITTED, None, Level.STOP, "is submitted"),
    ],
)
def test_a_switch_waits_for_its_day(port, estate, state, foc, level, words):
    port(state=state, foc=NOW + foc if foc else None)
    found = told(rules.day_has_come, SWITCH, estate.build())
    assert found[0] is level and words in found[1]


def test_the_task_waits_until_the_moment_agreed(port, estate):
    port(state=PortState.ACCEPTED, foc=NOW + timedelta(days=7))
    assert SWITCH.waits(estate.build()).until == NOW + timedelta(days=7)
    assert SWITCH.waits(estate.build(NOW + timedelta(days=8))) is None


# ── who has them from the switch on ──


def test_nobody_chosen_is_warned_of_and_some_chosen_is_counted(port, estate):
    port(state=PortState.DUE, arriving=True)
    level, words = told(rules.holders_suit, SWITCH, estate.build())
    assert level is Level.WARN and "Nobody has been chosen" in words
    person = estate.person()
    estate.granted(person, "staff", "home")
    lines = (PortLine(e164=ONE, holder=person), PortLine(e164=TWO))
    port(state=PortState.DUE, arriving=True, lines=lines)
    level, words = told(rules.holders_suit, SWITCH, estate.build())
    assert (level, words) == (
        Level.PASS,
        "1 number has somebody from the switch on; 1 will be free",
    )


def test_a_holder_without_a_spot_stops_the_switch(port, estate):
    person = estate.person(spot=None)
    port(state=PortState.DUE, arriving=True, lines=(PortLine(e164=ONE, holder=person),))
    finding = rules.help_finds_each(SWITCH, estate.build())
    assert finding.level is Level.STOP
    assert finding.remedies[-1].leads_to.what == "port holders"
    port(
        state=PortState.DUE,
        arriving=True,
        lines=(PortLine(e164=ONE, holder=person, spot="WHF-001-K"),),
    )
    assert rules.help_finds_each(SWITCH, estate.build()).is_pass


def test_licences_missing_for_many_are_offered_at_once(port, estate):
    people = [estate.person(name) for name in ("Ada Strand", "Ivo Strand")]
    estate.put(
        estate.records["Carrier/fellgate"].copy_with(
            asks_of=estate.records["Carrier/brackwater"].asks_of
        )
    )
    lines = tuple(PortLine(e164=x, holder=p) for x, p in zip((ONE, TWO), people, strict=True))
    port(state=PortState.DUE, arriving=True, lines=lines)
    finding = rules.holders_may_call(SWITCH, estate.build())
    assert finding.level is Level.STOP
    granted = {(x.holder.id, x.product) for x in finding.remedies[0].tasks}
    assert granted >= {("ada-strand", "staff"), ("ivo-strand", "staff")}


def test_before_it_is_accepted_nobody_is_judged(port, estate):
    person = estate.person(spot=None)
    port(state=PortState.SUBMITTED, arriving=True, lines=(PortLine(e164=ONE, holder=person),))
    assert rules.help_finds_each(SWITCH, estate.build()).is_pass


# ── back again ──

BACK = t.BackOutPort(port="port-1", reason="nobody can call")


@pytest.mark.parametrize(
    ("state", "until", "level", "words"),
    [
        (PortState.DUE, None, Level.STOP, "nothing to back out of"),
        (PortState.ACTIVATED, None, Level.STOP, "is closed"),
        (PortState.ACTIVATED, timedelta(minutes=-1), Level.STOP, "going back closed"),
        (PortState.ACTIVATED, timedelta(hours=3), Level.PASS, "takes the numbers back"),
        (PortState.PROVEN, timedelta(hours=3), Level.PASS, "takes the numbers back"),
    ],
)
def test_there_is_a_way_back_for_hours_only(port, estate, state, until, level, words):
    port(state=state, back_out_until=NOW + until if until else None)
    found = told(rules.back_out_open, BACK, estate.build())
    assert found[0] is level and words in found[1]


def test_going_back_takes_the_numbers_from_whoever_has_them(port, estate):
    person = estate.person()
    lines = (PortLine(e164=ONE, holder=person), PortLine(e164=TWO))
    found = port(state=PortState.DUE, arriving=True, lines=lines)
    world = estate.build()
    world.absorb(switched(found, world))
    level, words = told(rules.back_out_open, BACK, world)
    assert level is Level.WARN and "1 holder loses its number here" in words
    back, *numbers = BACK.apply(world)
    assert back.after.state is PortState.BACKED_OUT
    assert back.after.said[-1].text == "nobody can call"
    assert [(c.after.holder, c.after.trunk, c.after.spot) for c in numbers] == [(None,) * 3] * 2
    assert {c.after.state for c in numbers} == {State.CLOSED}


# ── what the tasks say of themselves ──


@pytest.mark.parametrize(
    ("task", "words"),
    [
        (SUBMIT, ("Submit port 7, 3 numbers,", "to Brightwater")),
        (SWITCH, ("Switch port 7, 3 numbers,", "from Brightwater")),
        (BACK, ("Back out of port 7, 3 numbers,", "to Brightwater")),
        (t.SubmitPort(port="gone"), ("Submit port gone", "")),
    ],
)
def test_tasks_are_told_in_words(port, estate, task, words):
    port()
    assert task.describe(estate.build()) == words
    assert task.needs().ports == {task.port}
    assert task.works(estate.build())


def test_a_switch_is_undone_by_going_back():
    assert SWITCH.reversal((), "x") == t.BackOutPort(port="port-1", reason="undone")

"""Calls at the desk: test calls against their traces, proofs that go stale, calls out, who really
rings."""

from datetime import timedelta

import pytest

from sedge.core.callpaths.patterns import Choice, DeskForm
from sedge.core.callpaths.tracing.proof import things_on_the_way
from sedge.core.callpaths.tracing.trace import World
from sedge.core.changes import changed
from sedge.core.errors import NotAllowedNow, NotFound, NotOneNumber, NotUnderstood, OutsideSilent
from sedge.core.load_spec import LoadSpec
from sedge.core.records import (
    Device,
    HolderKind,
    HolderRef,
    Number,
    PathVersion,
    Person,
    Subject,
    Trunk,
)
from sedge.core.trunks.records import NumberFormat
from sedge.core.workorders import tasks as t
from sedge.core.workorders.life import OrderState
from sedge.services.apply_now import apply_at_once
from sedge.services.callpaths import calls, calls_out, paths, proof_calls
from sedge.services.context import system_member
from sedge.services.numbers import numbers
from sedge.services.outbound import caller_ids
from sedge.services.today import today
from sedge.services.workorders import order_running, workorders
from sedge.store.schema import tables
from tests.conftest import until_quiet

MAIN, FRONT_DESK, FREE = "+441134960100", "+441134960200", "+441134960160"


def control(installation):
    return installation.outside.control


@pytest.fixture
def open_hours(installation):
    """The museum's doors are open: the next day from Tuesday to Sunday that is no holiday, and stay
    open for the test."""
    from sedge.core.callpaths.openings import opening_at

    context = installation.context(system_member("lanternfield"))
    hours = paths.view_path(context, "canal-front-desk").path.steps["hours"]
    is_open = lambda m: opening_at(hours, m)[0] == "open"  # noqa: E731
    now = context.now()
    opens = next(
        m
        for m in (now + timedelta(minutes=30 * n) for n in range(1000))
        if is_open(m) and is_open(m + timedelta(hours=3))
    )
    until_quiet(installation, opens - now + timedelta(minutes=30))


def phone_of(context, person):
    with context.reading() as reading:
        return reading.records.where(Device, tables.device.c.person == person)[0]


def register(installation, device, *, registered):
    control(installation).call("PUT", f"devices/{device.id}", json={"registered": registered})


# ── placed calls ──


def test_a_test_call_in_rings_the_phone_and_agrees_with_the_trace(context):
    proof = calls.place_test_call(context, MAIN, "in")
    assert (proof.ok, proof.differs, proof.rang) == (True, "", ("desk phone 100",))
    assert "answers after 6 s" in proof.heard


def test_a_test_call_out_hears_its_own_caller_id(context):
    proof = calls.place_test_call(context, MAIN, "out")
    assert proof.ok
    assert "4 4 1 1 3 4 9 6 0 1 0 0" in proof.heard


def test_what_a_site_or_a_person_shows_is_seen_by_the_callee_and_stales_the_proof(
    installation, context
):
    site, person = (
        HolderRef(kind=kind, id=key)
        for kind, key in (
            (HolderKind.SITE, "wharf-house"),
            (HolderKind.PERSON, "person-ifeoma-okafor"),
        )
    )
    before = calls.place_test_call(context, MAIN, "out")
    run(installation, context, t.SetCallerId(holder=site, shows="number", caller_id=FRONT_DESK))
    assert stale_of(context, before.id)
    proof = calls.place_test_call(context, MAIN, "out")
    assert (proof.ok, "calling from 4 4 1 1 3 4 9 6 0 2 0 0" in proof.heard) == (True, True)
    assert not stale_of(context, proof.id)
    assert "Wharf House shows 0113 496 0200" in next(
        f.text for f in numbers.card(context, MAIN).standing if f.name == "Caller ID"
    )
    order = run(installation, context, t.SetCallerId(holder=person, shows="withheld"))
    assert "withheld" in calls.place_test_call(context, MAIN, "out").heard
    assert caller_ids.view_number_shown(context, person=person.id).now == "nothing: it is withheld"
    order_running.undo(context, order.id)
    until_quiet(installation)
    run(installation, context, t.SetCallerId(shows="withheld"))
    assert caller_ids.view_rules(context).whole.words == "nothing, it is withheld"
    assert (
        "calling from 4 4 1 1 3 4 9 6 0 2 0 0" in calls.place_test_call(context, MAIN, "out").heard
    ), "the site is nearer than the organisation"


def test_what_a_site_shows_is_undone(installation, context):
    site = HolderRef(kind=HolderKind.SITE, id="canal-museum")
    before = caller_ids.view_number_shown(context, site=site.id).line.said
    order = run(installation, context, t.SetCallerId(holder=site, shows="withheld"))
    assert caller_ids.view_number_shown(context, site=site.id).line.said != before
    order_running.undo(context, order.id)
    until_quiet(installation)
    assert caller_ids.view_number_shown(context, site=site.id).line.said == before


def run(installation, context, task):
    order = order_running.run_now(context, "what is shown", [task])
    until_quiet(installation)
    return order


def stale_of(context, key):
    return next(stale for proof, stale in calls.proofs(context) if proof.id == key)


def test_a_note_stays_beside_a_test_call(context):
    proof = calls.place_test_call(context, MAIN, "in")
    calls.note_on_call(context, proof.id, "  the second phone rang late ")
    assert (
        next(p for p, _ in calls.proofs(context) if p.id == proof.id).note
        == "the second phone rang late"
    )
    with pytest.raises(NotUnderstood, match="at most 400") as refused:
        calls.note_on_call(context, proof.id, "x" * 401)
    assert refused.value.field == "note"


def test_keys_are_pressed_in_a_placed_call_too(context, open_hours):
    proof = calls.place_test_call(context, FRONT_DESK, "in", presses=("2",))
    assert "For visits, press 1" in proof.heard
    assert proof.differs == ""


def test_a_phone_that_stopped_registering_is_noticed_and_the_proof_fails(installation, context):
    register(installation, phone_of(context, "person-ifeoma-okafor"), registered=False)
    proof = calls.place_test_call(context, MAIN, "in")
    assert proof.rang == ()
    assert phone_of(context, "person-ifeoma-okafor").registered is False
    out = calls.place_test_call(context, MAIN, "out")
    assert not out.ok


def test_somebody_who_lets_it_ring_makes_the_call_differ_and_the_card_says_so(
    installation, context
):
    control(installation).call("PUT", "people/person-ifeoma-okafor", json={"away": True})
    proof = calls.place_test_call(context, MAIN, "in")
    assert not proof.ok
    assert proof.differs == "computed: answered, Ifeoma Okafor answers; really: mailbox"
    facts = {f.name: f for f in numbers.card(context, MAIN).standing}
    assert facts["Tested"].mark == "wrong"


def test_a_trunk_that_is_down_rejects_the_call_in_both_worlds(installation, context):
    from sedge.services.trunks import trunks

    control(installation).call("PUT", "trunks/leeds-a", json={"up": False})
    trunks.refresh(context)
    proof = calls.place_test_call(context, MAIN, "in")
    assert (proof.ok, proof.differs) == (False, "")
    assert "trunk is down" in proof.heard
    assert any("Leeds A is down" in line.what for line in today.todo(context))


def test_nobody_can_be_called_on_a_number_nobody_has(context):
    with pytest.raises(NotAllowedNow) as raised:
        calls.place_test_call(context, FREE, "in")
    assert raised.value.reason == "no-holder"


def test_a_service_line_places_no_call_out(context):
    with pytest.raises(NotAllowedNow) as raised:
        calls.place_test_call(context, FRONT_DESK, "out")
    assert raised.value.reason == "not-a-person"


def test_a_silent_telephone_system_is_said_to_be_silent(installation, context):
    control(installation).order_fault({"service": "telephony", "fault": "error", "count": 1})
    with pytest.raises(OutsideSilent):
        calls.place_test_call(context, MAIN, "in")


# ── proofs ──


def test_the_demo_has_one_proof_gone_stale_and_says_why_it_matters(context):
    stale = calls.proofs(context, stale=True)
    assert [p.e164 for p, _ in stale] == [FRONT_DESK]
    line = next(line for line in today.todo(context) if "outdated" in line.what)
    assert "0113 496 0200" in line.why
    assert line.href == "/numbers/441134960200/test-call"


def test_proving_again_makes_it_good(context):
    calls.place_test_call(context, FRONT_DESK, "in")
    assert calls.proofs(context, stale=True) == []


def test_a_proof_goes_stale_when_the_path_is_published_anew(installation, context, open_hours):
    calls.place_test_call(context, FRONT_DESK, "in")
    facts = paths.form_facts(context, key="canal-front-desk")
    assert facts.form is not None
    order = paths.plan(
        context,
        "Canal Museum front desk",
        facts.form.copy_with(greeting="For visits, press 1. For schools, press 2."),
        key="canal-front-desk",
    )
    order_running.run(context, order.id)
    until_quiet(installation)
    assert [p.e164 for p, _ in calls.proofs(context, stale=True)] == [FRONT_DESK]


# ── following ──


def test_the_caller_stands_in_the_story(context):
    words = calls.caller_words(context, "+441314960999")
    followed = calls.follow_call(context, MAIN, None, World(), caller=words)
    assert "from 0131 496 0999" in followed.trace.happenings[0].text
    assert calls.caller_words(context, " Withheld ") == "a withheld number"
    assert calls.caller_words(context, "") == ""
    with pytest.raises(NotOneNumber) as raised:
        calls.caller_words(context, "0131")
    assert raised.value.field == "caller"


def test_who_may_be_rung_is_offered_as_busy(context):
    followed = calls.follow_call(context, FRONT_DESK, None, World())
    assert {p.id for p in followed.agents} >= set(followed.path.steps["visits"].people)
    alone = calls.follow_call(context, MAIN, None, World())
    assert [p.name for p in alone.agents] == ["Ifeoma Okafor"]


def test_help_from_a_persons_phone_names_spot_psap_and_callback(context):
    trace = calls_out.follow_out(context, Subject.PERSON, "person-ifeoma-okafor", "999")
    assert (trace.ending, trace.caller_id) == ("emergency", MAIN)
    assert trace.emergency.psap == "Leeds operator assistance"
    assert trace.emergency.broken == []
    prefixed = calls_out.follow_out(context, Subject.PERSON, "person-ifeoma-okafor", "9 999")
    assert prefixed.ending == "emergency"


def test_help_from_a_phone_that_does_not_register_is_rung_back_on_the_sites_main_number(
    installation, context
):
    register(installation, phone_of(context, "person-ifeoma-okafor"), registered=False)
    calls.refresh_devices(context)
    answer = calls.emergency(context, MAIN, "999")
    assert answer.callback == "+441134960192"
    assert answer.broken == []


def test_a_phone_without_a_number_reaches_no_help_and_is_told_why(context):
    with context.reading() as reading:
        held = {
            n.holder.id
            for n in reading.records.where(Number, tables.life.c.holder_kind == "person")
        }
        person = next(p for p in reading.records.all(Person) if p.id not in held)
    trace = calls_out.follow_out(context, Subject.PERSON, person.id, "999")
    assert trace.ending == "rejected"
    assert "no number" in trace.reason


def test_somebody_unknown_dials_nothing(context):
    with pytest.raises(NotFound):
        calls_out.follow_out(context, Subject.PERSON, "nobody", "999")


# ── what reaches us from elsewhere ──

ALARMS = "+441134960185"  # the alarm server's


@pytest.fixture
def alarm_server(context):
    """With a number, so that it can call."""
    ref = HolderRef(kind=HolderKind.DOWNSTREAM, id="alarm-server")
    apply_at_once(context, [t.AssignNumber(number=ALARMS, holder=ref)])
    return "alarm-server"


def test_a_device_calls_as_the_person_whose_it_is(context):
    named = calls_out.caller_named(context, "desk phone 100")
    assert (named.name, named.at, named.is_person) == ("Ifeoma Okafor", "desk phone 100", True)


def test_another_system_calls_out_by_its_sites_rights_and_shows_its_own_number(
    context, alarm_server
):
    named = calls_out.caller_named(context, "Alarm server, Wharf House")
    assert (named.subject, named.id) == (Subject.DOWNSTREAM, alarm_server)
    trace = calls_out.follow_out(context, named.subject, named.id, "020 7946 0123")
    assert (trace.ending, trace.caller_id) == ("reached", ALARMS)
    abroad = calls_out.follow_out(context, named.subject, named.id, "+33 1 99 00 12 34")
    assert abroad.ending == "rejected"
    assert "no right to make international calls" in abroad.reason


def test_a_call_that_would_go_round_between_two_systems_is_found(context, alarm_server):
    trace = calls_out.follow_out(context, Subject.DOWNSTREAM, alarm_server, "0113 496 0185")
    assert trace.ending == "rejected"
    assert "It would go round" in trace.reason


def test_another_system_reaches_our_people_and_help(context, alarm_server):
    trace = calls_out.follow_out(context, Subject.DOWNSTREAM, alarm_server, "0113 496 0100")
    assert (trace.ending, trace.leads_to) == ("internal", MAIN)
    assert "Ifeoma Okafor" in trace.reason
    help_comes = calls_out.follow_out(context, Subject.DOWNSTREAM, alarm_server, "999")
    assert help_comes.ending == "emergency", help_comes.reason
    nonsense = calls_out.follow_out(context, Subject.DOWNSTREAM, alarm_server, "12")
    assert nonsense.ending == "rejected"


def test_a_system_without_a_number_reaches_nobody_outside(context):
    for digits in ("020 7946 0123", "999"):
        trace = calls_out.follow_out(context, Subject.DOWNSTREAM, "alarm-server", digits)
        assert trace.ending == "rejected"
        assert "no number" in trace.reason


def test_what_comes_in_over_a_trunk_rings_one_of_ours_or_nobody(context):
    named = calls_out.caller_named(context, "Leeds A")
    assert named.is_trunk

    def over(digits, trunk="leeds-a"):
        return calls_out.follow_out(context, Subject.TRUNK, trunk, digits)

    assert (over("+441134960100").ending, over("0113 496 0100").leads_to) == ("internal", MAIN)
    stranger = over("+442079460123")
    assert stranger.ending == "rejected"
    assert "not one of our numbers" in stranger.reason
    assert "nobody has it" in over("+441134960270").reason
    elsewhere = over("+441134960100", "brackwater-leeds")
    assert "It is on the list of Leeds A" in elsewhere.reason
    with pytest.raises(NotFound):
        over("+441134960100", "no-such-trunk")


def test_a_trunk_that_sends_last_digits_means_the_number_of_its_list_that_ends_so(context):
    with context.writing() as writing:
        trunk = writing.records.the(Trunk, "leeds-a")
        way = trunk.settings.copy_with(expects=NumberFormat.LAST_DIGITS, last_digits=3)
        writing.save(
            [changed(Subject.TRUNK, trunk, trunk.copy_with(settings=way), "trunk.changed")]
        )
    trace = calls_out.follow_out(context, Subject.TRUNK, "leeds-a", "100")
    assert (trace.leads_to, trace.sent) == (MAIN, "100")
    assert (
        "numbers of its list end 0"
        in calls_out.follow_out(context, Subject.TRUNK, "leeds-a", "0").reason
    )
    assert calls_out.follow_out(context, Subject.TRUNK, "leeds-a", "999").ending == "rejected"


# ── call paths from the form ──


def people_of(context, count=2, site="canal-museum"):
    facts = paths.form_facts(context, site=site)
    return tuple(p.id for p in facts.people[:count])


def form(context, **values):
    one, two = people_of(context)
    choices = (
        Choice(key="1", word="visits", people=(one,)),
        Choice(key="2", word="schools", people=(two,), way="in order"),
    )
    known = {
        "timezone": "Europe/London",
        "greeting": "For visits press 1, for schools press 2.",
        "choices": choices,
        "recipients": (one,),
    }
    return DeskForm(**{**known, **values})


def test_a_new_path_is_published_by_a_work_order_and_calls_follow_it(installation, context):
    order = paths.plan(context, "School bookings", form(context))
    assert order.state is OrderState.DRAFT
    assert "school-bookings" not in {p.id for p in paths.list_paths(context)}
    order_running.run(context, order.id)
    until_quiet(installation)
    view = paths.view_path(context, "school-bookings")
    assert (view.published.number, view.path.first) == (1, "menu")
    assert set(view.path.steps) == {"menu", "choice-1", "choice-2", "mailbox"}
    give = workorders.draft(context, "give", [t.SetPath(number=FRONT_DESK, path="school-bookings")])
    order_running.run(context, give.id)
    until_quiet(installation)
    proof = calls.place_test_call(context, FRONT_DESK, "in", presses=("2",))
    assert (proof.ok, proof.differs) == (True, "")


def test_a_changed_path_reaches_the_telephone_system_for_every_number_that_follows_it(
    installation, context, open_hours
):
    facts = paths.form_facts(context, key="canal-front-desk")
    order = paths.plan(
        context,
        "Canal Museum front desk",
        facts.form.copy_with(greeting="New words: 1 visits, 2 schools."),
        key="canal-front-desk",
    )
    order_running.run(context, order.id)
    until_quiet(installation)
    for number in (FRONT_DESK, "+441134960203"):
        assert "New words" in calls.place_test_call(context, number, "in").heard


def test_undo_brings_the_earlier_path_back_as_a_new_version(installation, context, open_hours):
    before = paths.view_path(context, "canal-front-desk").published
    facts = paths.form_facts(context, key="canal-front-desk")
    order = paths.plan(
        context, before.name, facts.form.copy_with(greeting="Press 1 or 2."), key="canal-front-desk"
    )
    order_running.run(context, order.id)
    until_quiet(installation)
    order_running.undo(context, order.id)
    until_quiet(installation)
    after = paths.view_path(context, "canal-front-desk").published
    assert (after.number, after.body) == (before.number + 2, before.body)
    assert "For visits, press 1" in calls.place_test_call(context, FRONT_DESK, "in").heard


def test_undoing_a_new_path_retires_it(installation, context):
    order = paths.plan(context, "Only tried", form(context))
    order_running.run(context, order.id)
    until_quiet(installation)
    order_running.undo(context, order.id)
    until_quiet(installation)
    with context.reading() as reading:
        assert reading.records.the(PathVersion, "only-tried").retired


def test_two_paths_of_one_name_get_different_keys(installation, context):
    for _ in range(2):
        order_running.run(context, paths.plan(context, "Bookings", form(context)).id)
        until_quiet(installation)
    with context.reading() as reading:
        keys = [p.id for p in reading.records.where(PathVersion, tables.path.c.name == "Bookings")]
    assert len(set(keys)) == 2
    assert "bookings" in keys


def test_holidays_are_offered_for_the_sites_country(context):
    assert (
        dict(paths.form_facts(context, site="canal-museum").holiday_places)["GB-ENG"] == "England"
    )
    assert dict(paths.holiday_places("DE"))["DE-BE"] == "Berlin"


def test_time_passes_in_the_story(context):
    followed = calls.follow_call(context, FRONT_DESK, context.now() - timedelta(days=1), World())
    assert followed.trace.happenings[0].at == 0


def test_an_outdated_test_names_what_has_changed(installation, context, open_hours):
    test_a_proof_goes_stale_when_the_path_is_published_anew(installation, context, open_hours)
    judged = calls.proofs(context)
    [(proof, _)] = [pair for pair in judged if pair[1]]
    found = proof_calls.what_changed(context, judged)
    assert set(found) == {proof.id}
    entry = found[proof.id]
    assert (entry.action, entry.subject_id) == ("path.published", "canal-front-desk")
    assert entry.at >= proof.at
    of_path = proof_calls.proofs_of(context, path="canal-front-desk")
    assert proof_calls.what_changed(context, of_path)[proof.id].sequence == entry.sequence


def test_what_still_holds_names_nothing(context):
    calls.place_test_call(context, FRONT_DESK, "in")
    assert proof_calls.what_changed(context, calls.proofs(context)) == {}


def test_a_change_of_somebody_who_is_rung_by_the_path_is_on_its_way(context):
    number = numbers.card(context, FRONT_DESK).number
    with context.reading() as reading:
        estate = reading.estate(LoadSpec(numbers={FRONT_DESK}))
    way = things_on_the_way(number, estate)
    assert (Subject.PATH, "canal-front-desk") in way
    assert (Subject.NUMBER, FRONT_DESK) in way
    assert (Subject.TRUNK, number.trunk) in way
    assert {subject for subject, _ in way} >= {Subject.PERSON, Subject.DEVICE}
    assert (Subject.PATH, "school-visits") not in way or "school-visits" in str(
        estate.the(PathVersion, "canal-front-desk").body
    )

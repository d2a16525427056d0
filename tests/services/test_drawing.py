"""Drawing call paths at the desk: one drawing for all, undo and redo, two at once, publishing,
going back; questions to all paths."""

from datetime import timedelta

import pytest

from sedge.core.callpaths import editing
from sedge.core.callpaths.steps import Path
from sedge.core.callpaths.tracing.world import World
from sedge.core.errors import ChangedMeanwhile, NotAllowedNow, NotFound, NotUnderstood
from sedge.core.records import Answering, Device, HolderKind, HolderRef, Number, PathVersion, Person
from sedge.core.workorders import tasks as t
from sedge.core.workorders.life import OrderState
from sedge.demo.seed import MEMBERS
from sedge.services.apply_now import apply_at_once
from sedge.services.callpaths import (
    calls,
    drawing,
    path_analysis,
    path_files,
    path_reach,
    paths,
    proof_calls,
    sounds,
)
from sedge.services.trunks import trunks
from sedge.services.workorders import order_running, order_views, workorders
from tests.conftest import until_quiet
from tests.formats.test_sounds import tone

DESK = "canal-front-desk"
NUMBER = "+441134960200"


def titled(title):
    return lambda body, _where: (editing.change_step(body, "menu", {"title": title}), "menu")


def draft_of(context, path=DESK):
    return drawing.open_draft(context, path).draft


def published(context, path=DESK):
    with context.reading() as reading:
        return reading.records.the(PathVersion, path)


def run(installation, context, order):
    order_running.run(context, order.id)
    until_quiet(installation, timedelta(minutes=3))
    return workorders.get(context, order.id)


def test_everything_done_to_a_drawing_can_be_taken_back_and_done_again(context):
    begun = drawing.begin(context, DESK)
    drawing.change_drawing(context, DESK, 1, titled("First"))
    drawing.change_drawing(context, DESK, 2, titled("Second"))
    drawing.step_back(context, DESK, 3)
    assert draft_of(context).body.steps["menu"].title == "First"
    drawing.step_back(context, DESK, 4)
    assert draft_of(context).body == begun.body
    with pytest.raises(NotAllowedNow):
        drawing.step_back(context, DESK, 5)
    drawing.step_back(context, DESK, 5, forward=True)
    drawing.step_back(context, DESK, 6, forward=True)
    assert (draft_of(context).body.steps["menu"].title, draft_of(context).can_redo) == ("Second", 0)
    drawing.step_back(context, DESK, 7)
    drawing.change_drawing(context, DESK, 8, titled("Third"))
    assert (draft_of(context).can_undo, draft_of(context).can_redo) == (2, 0)


def test_of_two_who_draw_the_slower_is_told_who_was_faster_and_nothing_is_lost(
    installation, context
):
    other = installation.context(MEMBERS[1])
    drawing.begin(context, DESK)
    assert drawing.begin(other, DESK).version == 1
    drawing.change_drawing(other, DESK, 1, titled("Theirs"))
    with pytest.raises(ChangedMeanwhile) as caught:
        drawing.change_drawing(context, DESK, 1, titled("Mine"))
    assert caught.value.message.startswith(f"{other.actor} has changed this drawing meanwhile")
    assert draft_of(context).body.steps["menu"].title == "Theirs"


def test_a_drawing_changes_nothing_for_callers_until_it_is_published(installation, context):
    before = published(context)
    drawing.begin(context, DESK)
    drawing.change_drawing(context, DESK, 1, titled("New menu"))
    assert published(context) == before
    done = run(installation, context, drawing.publish(context, DESK, 2, prove=True))
    assert (done.state, [x.body.kind for x in done.tasks][:2]) == (
        OrderState.DONE,
        ["publish_path", "place_test_call"],
    )
    now = published(context)
    assert (now.number, now.body["steps"]["menu"]["title"]) == (before.number + 1, "New menu")
    assert DESK not in {d.path for d in paths.drawings(context)}
    proven = {
        p.e164: (p.ok, stale)
        for p, stale in proof_calls.proofs_of(context, path=DESK)
        if p.at >= now.in_force_from
    }
    assert proven
    assert set(proven.values()) == {(True, False)}


def test_published_at_a_moment(installation, context):
    drawing.begin(context, DESK)
    drawing.change_drawing(context, DESK, 1, titled("Later"))
    tomorrow = (context.now() + timedelta(days=1)).strftime("%Y-%m-%dT%H:%M")
    order = order_running.run(context, drawing.publish(context, DESK, 2, run_at=tomorrow).id)
    assert order.state is OrderState.SCHEDULED
    until_quiet(installation, timedelta(hours=1))
    assert published(context).number == 1
    until_quiet(installation, timedelta(days=1))
    assert published(context).number == 2
    with pytest.raises(NotUnderstood):
        drawing.publish(context, DESK, 2, run_at="yesterday noon")


def test_what_is_published_while_another_draws_stops_the_older_drawing(installation, context):
    drawing.begin(context, DESK)
    drawing.change_drawing(context, DESK, 1, titled("Drawn"))
    apply_at_once(
        context,
        [
            t.PublishPath(
                path=DESK,
                name="Canal Museum front desk",
                body=Path.model_validate(published(context).body),
            )
        ],
    )
    order = drawing.publish(context, DESK, 2)
    stops = [f.message for f in order_views.view_order(context, order.id).report.stops]
    assert stops[0].startswith(
        "Version 2 of Canal Museum front desk has been published since this was drawn from"
        " version 1"
    )
    assert drawing.open_draft(context, DESK).is_overtaken
    drawing.go_on_from_here(context, DESK, 2)
    assert run(installation, context, drawing.publish(context, DESK, 3)).state is OrderState.DONE
    assert published(context).number == 3


def test_one_can_go_back_to_an_earlier_version(installation, context):
    first = published(context).body
    drawing.begin(context, DESK)
    drawing.change_drawing(context, DESK, 1, titled("Worse"))
    run(installation, context, drawing.publish(context, DESK, 2))
    assert [n for n, _ in paths.versions(context, DESK)] == [2, 1]
    again = drawing.begin(context, DESK)
    drawing.take_over(context, DESK, again.version, 1)
    assert run(installation, context, drawing.publish(context, DESK, 2)).state is OrderState.DONE
    assert (published(context).number, published(context).body) == (3, first)
    with pytest.raises(NotFound):
        drawing.compare(context, DESK, old=1, new=9)


def test_two_versions_tell_what_callers_of_each_number_will_notice(context):
    drawing.begin(context, DESK)

    def longer(body, _where):
        hours = body.steps["hours"]
        later = [o.model_dump(mode="json") | {"end": "19:00"} for o in hours.openings]
        return editing.change_step(body, "hours", {"openings": later}), ""

    drawing.change_drawing(context, DESK, 1, longer)
    compared = drawing.compare(context, DESK)
    assert {(c.key, c.what) for c in compared.difference.steps} == {("hours", "changed")}
    named = {
        called.name: [c.before.split(":")[0] for c in found]
        for called, found in compared.consequences
    }
    assert named["0113 496 0200"] == ["mailbox"]
    assert len(named) == compared.users == 4


def test_branches_are_cut_and_put_into_another_path(context):
    drawing.begin(context, DESK)
    with pytest.raises(NotAllowedNow):
        drawing.paste(context, DESK, 1, "menu", "1")
    drawing.cut(context, DESK, 1, "schools")
    assert "schools" not in draft_of(context).body.steps
    made = drawing.begin_new(context, "Lending", "canal-museum")
    key = drawing.paste(context, made.path, 1, "ring-1", "busy")
    assert draft_of(context, made.path).body.steps[key].title == "Ring: learning"


@pytest.mark.parametrize(
    ("name", "key"),
    [("Week", "week-"), ("Canal front desk", "canal-front-desk-"), ("Été à Paris!", "t-paris")],
)
def test_a_new_path_has_an_id_of_its_own_that_no_page_has(context, name, key):
    assert drawing.begin_new(context, name, "canal-museum").path.startswith(key)


@pytest.mark.parametrize("name", ["", " ", "x" * 81])
def test_a_path_needs_a_name(context, name):
    with pytest.raises(NotUnderstood) as caught:
        drawing.begin_new(context, name, "canal-museum")
    assert caught.value.field == "name"


def test_a_followed_call_is_kept_with_the_drawing_and_guards_publishing(context):
    key = calls.keep_as_test(
        context, NUMBER, "Sunday at night", context.now().replace(hour=3), World()
    )
    assert [(c.name, c.ends) for c in draft_of(context, key).body.tests] == [
        ("Sunday at night", "mailbox")
    ]
    version = draft_of(context, key).version

    def always_open(body, _where):
        return editing.begin_with(body, "menu"), ""

    drawing.change_drawing(context, key, version, always_open)
    failed = [
        f.message
        for f in drawing.open_draft(context, key).findings
        if f.rule == "path.test-cases-pass"
    ]
    assert failed
    assert "“Sunday at night” has to end mailbox" in failed[0]
    with pytest.raises(NotUnderstood):
        calls.keep_as_test(context, NUMBER, " ", context.now(), World())
    with pytest.raises(NotAllowedNow):
        calls.keep_as_test(context, "+441134960100", "A person", context.now(), World())


def test_a_call_of_the_past_follows_the_version_of_that_time(installation, context):
    before = context.now()
    drawing.begin(context, DESK)
    drawing.change_drawing(context, DESK, 1, titled("Another menu"))
    run(installation, context, drawing.publish(context, DESK, 2))
    noon = before.replace(hour=12) - timedelta(days=2)
    titles = lambda at: {
        h.title for h in calls.follow_call(context, NUMBER, at, World()).trace.happenings
    }
    assert "Another menu" not in titles(noon)
    days = [context.now().replace(hour=12) + timedelta(days=n) for n in range(1, 8)]
    assert any("Another menu" in titles(day) for day in days)


# ── questions to all paths ──


def test_all_that_rings_somebody_is_found_directly_and_through_something(installation, context):
    with context.reading() as reading:
        people = {p.id: p for p in reading.records.all(Person)}
    view = paths.view_path(context, DESK)
    agent = view.path.steps["visits"].people[1]
    through = {r.number.national: r.through for r in path_reach.that_ring(context, agent)}
    assert through["0113 496 0200"] == "call path Canal Museum front desk"
    assert through["0113 496 0202"] == "call path School visits"  # goes on in the front desk's
    assert "their own" in through.values()
    early = next(p for p in people.values() if p.answering.cover)
    asked = {r.through for r in path_reach.that_ring(context, early.answering.cover)}
    assert f"answers for {early.name}" in asked
    assert [p.id for p in path_reach.that_name(context, "+441514960400")] == ["school-visits"]


def test_what_if_is_told_for_trunks_sites_and_people(context):
    found = path_reach.what_if(context, "trunk", "leeds-a")
    fallen = next(a for a in found.affected if a.number.e164 == NUMBER)
    assert fallen.consequences[0].after == "forwarded: fallback to 0151 496 0400"
    assert any(c.after.startswith("rejected") for a in found.affected for c in a.consequences)
    agent = paths.view_path(context, DESK).path.steps["schools"].people[0]
    assert {a.number.national for a in path_reach.what_if(context, "person", agent).affected} >= {
        "0113 496 0202"
    }
    assert path_reach.what_if(context, "site", "canal-museum").affected
    with pytest.raises(NotFound):
        path_reach.what_if(context, "weather", "rain")


def test_the_week_of_a_site_counts_every_number_once(context):
    many = path_analysis.week_of_many(context, site="canal-museum")
    assert {sum(h.counts.values()) for _, hours in many.days for h in hours} == {many.numbers}
    with context.reading() as reading:
        in_use = [
            n
            for n in reading.records.all(Number)
            if n.site == "canal-museum" and n.state.value == "assigned"
        ]
    assert many.numbers == len(in_use)
    one = path_analysis.week_of_number(context, NUMBER)
    assert one.timezone == "Europe/London"
    few = path_analysis.week_of_many(context, most=5)
    assert (few.numbers, few.left_out) == (5, 1)
    day, hours = many.days[0]
    assert {h.hour: len(many.unanswered_at(day, h.hour)) for h in hours} == {
        h.hour: h.unanswered for h in hours
    }
    at_night = {e164 for e164, _ in many.unanswered_at(day, 3)}
    assert NUMBER in at_night
    assert at_night <= {n.e164 for n in in_use}


def test_the_week_of_many_is_worked_out_anew_once_something_changes(installation, context):
    first = path_analysis.week_of_many(context, site="canal-museum")
    assert path_analysis.week_of_many(context, site="canal-museum") is first
    order_running.run_now(context, "note", [t.LabelNumbers(numbers=(NUMBER,), label="Front desk")])
    until_quiet(installation)
    assert path_analysis.week_of_many(context, site="canal-museum") is not first


def test_somebody_is_reached_by_their_own_rules(installation, context):
    with context.reading() as reading:
        early = next(p for p in reading.records.all(Person) if p.answering.openings)
    sunday = context.now() + timedelta(days=(6 - context.now().weekday()) % 7)
    found = path_reach.reachable(context, early.id, sunday)
    assert (found.rings, found.why_not) == ((), "is outside the hours they answer")
    ref = HolderRef(kind=HolderKind.PERSON, id=early.id)
    order = workorders.draft(
        context, "rules", [t.SetAnswering(holder=ref, answering=Answering(mobile="+447700900199"))]
    )
    assert run(installation, context, order).state is OrderState.DONE
    assert path_reach.reachable(context, early.id, sunday).rings[-1] == "mobile 07700 900199"
    order_running.undo(context, order.id)
    until_quiet(installation, timedelta(minutes=3))
    assert path_reach.reachable(context, early.id, sunday).rings == ()


def test_devices_one_after_the_other_are_heard_so_by_a_test_call(installation, context):
    """The telephone system rings them as the followed call says, by its own count."""
    with context.reading() as reading:
        held = [
            n
            for n in sorted(reading.records.all(Number), key=lambda n: n.e164)
            if n.holder and n.holder.kind is HolderKind.PERSON and not n.path
        ]
        devices = {d.person for d in reading.records.all(Device) if d.registered}
    number = next(n for n in held if n.holder.id in devices)
    rules = Answering(mobile="+447700900199", seconds_each=10)
    order = workorders.draft(
        context, "rules", [t.SetAnswering(holder=number.holder, answering=rules)]
    )
    assert run(installation, context, order).state is OrderState.DONE
    proof = calls.place_test_call(context, number.e164, "in")
    assert (proof.ok, proof.differs) == (True, "")
    assert proof.rang
    assert not any("mobile" in name for name in proof.rang)


# ── proof, files, sounds ──


def test_all_numbers_of_a_path_are_called_again_at_once(installation, context):
    order = proof_calls.prove_again(context, path="school-visits")
    until_quiet(installation, timedelta(minutes=3))
    assert workorders.get(context, order.id).state is OrderState.DONE
    [(proof, stale)] = proof_calls.proofs_of(context, path="school-visits")
    assert (proof.ok, stale, proof_calls.without_proof(context, "school-visits")) == (
        True,
        False,
        0,
    )
    assert proof_calls.proofs_by(context, workorders.get(context, order.id)) == {0: proof}
    with pytest.raises(NotAllowedNow):
        proof_calls.prove_again(context, path=drawing_without_number(installation, context))
    over = proof_calls.proofs_of(context, trunk="leeds-a")
    assert proof in {p for p, _ in over}
    card = trunks.one(context, "leeds-a")
    assert (card.carrier, card.without_fallback) == ("Fellgate Voice", card.numbers - 1)


def drawing_without_number(installation, context):
    apply_at_once(
        context,
        [
            t.PublishPath(
                path="alone", name="Alone", body=Path.model_validate(published(context).body)
            )
        ],
    )
    return "alone"


def test_a_file_becomes_a_drawing_and_a_calendar_becomes_hours(context):
    data = path_files.as_json(context, "school-visits")
    key, report = path_files.bring_in(
        context, data, name="School visits again", site="canal-museum"
    )
    assert (report, draft_of(context, key).body) == (
        [],
        Path.model_validate(published(context, "school-visits").body),
    )
    drawn, report = path_files.bring_in(
        context, path_files.as_cpl(context, "canal-duty").data, name="Duty", site="canal-museum"
    )
    assert draft_of(context, drawn).body.steps[draft_of(context, drawn).body.first].kind == "ring"
    calendar = path_files.hours_calendar(context, DESK)
    report = path_files.take_hours(context, key, 1, "hours", calendar)
    assert report[0] == "1 weekly hours and 0 closures were taken."
    assert (
        draft_of(context, key).body.steps["hours"].openings
        == Path.model_validate(published(context).body).steps["hours"].openings
    )
    with pytest.raises(NotUnderstood):
        path_files.hours_calendar(context, "wharf-front-desk")


def test_the_enum_zone_has_every_number_of_another_system(installation, context):
    before = path_files.enum(context)
    assert before.count("NAPTR") == before.count("sip:")
    installation.settings = installation.settings.model_copy(update={"sip_domain": "sip.example"})
    zone = path_files.enum(context)
    assert (
        '0.0.2.0.6.9.4.3.1.1.4.4 IN NAPTR 100 10 "u" "E2U+sip"'
        ' "!^.*$!sip:+441134960200@lanternfield.sip.example!" .' in zone
    )


def test_a_sound_is_kept_played_and_only_removed_where_nobody_plays_it(context):
    key, facts = sounds.keep_sound(context, "Welcome", "en", "Welcome to the museum", tone())
    assert (facts.media, [s.name for s in sounds.list_sounds(context)]) == (
        "audio/wav",
        ["Welcome"],
    )
    drawing.begin(context, DESK)
    drawing.change_drawing(
        context,
        DESK,
        1,
        lambda body, _w: (editing.change_step(body, "menu", {"sound": key}), "menu"),
    )
    with pytest.raises(NotAllowedNow) as caught:
        sounds.remove(context, key)
    assert caught.value.message.startswith("“Canal Museum front desk” plays it")
    drawing.discard(context, DESK)
    sounds.remove(context, key)
    assert sounds.list_sounds(context) == []
    for name, text, field in (("", "x", "name"), ("x", "", "text")):
        with pytest.raises(NotUnderstood) as caught:
            sounds.keep_sound(context, name, "en", text, tone())
        assert caught.value.field == field

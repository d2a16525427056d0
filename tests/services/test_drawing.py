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


def draft_of(desk, path=DESK):
    return drawing.open_draft(desk, path).draft


def published(desk, path=DESK):
    with desk.reading() as reading:
        return reading.records.the(PathVersion, path)


def run(house, desk, order):
    order_running.run(desk, order.id)
    until_quiet(house, timedelta(minutes=3))
    return workorders.get(desk, order.id)


def test_everything_done_to_a_drawing_can_be_taken_back_and_done_again(desk):
    begun = drawing.begin(desk, DESK)
    drawing.change_drawing(desk, DESK, 1, titled("First"))
    drawing.change_drawing(desk, DESK, 2, titled("Second"))
    drawing.step_back(desk, DESK, 3)
    assert draft_of(desk).body.steps["menu"].title == "First"
    drawing.step_back(desk, DESK, 4)
    assert draft_of(desk).body == begun.body
    with pytest.raises(NotAllowedNow):
        drawing.step_back(desk, DESK, 5)
    drawing.step_back(desk, DESK, 5, forward=True)
    drawing.step_back(desk, DESK, 6, forward=True)
    assert (draft_of(desk).body.steps["menu"].title, draft_of(desk).can_redo) == ("Second", 0)
    drawing.step_back(desk, DESK, 7)
    drawing.change_drawing(desk, DESK, 8, titled("Third"))
    assert (draft_of(desk).can_undo, draft_of(desk).can_redo) == (2, 0)


def test_of_two_who_draw_the_slower_is_told_who_was_faster_and_nothing_is_lost(house, desk):
    other = house.desk(MEMBERS[1])
    drawing.begin(desk, DESK)
    assert drawing.begin(other, DESK).version == 1
    drawing.change_drawing(other, DESK, 1, titled("Theirs"))
    with pytest.raises(ChangedMeanwhile) as caught:
        drawing.change_drawing(desk, DESK, 1, titled("Mine"))
    assert caught.value.message.startswith(f"{other.actor} has changed this drawing meanwhile")
    assert draft_of(desk).body.steps["menu"].title == "Theirs"


def test_a_drawing_changes_nothing_for_callers_until_it_is_published(house, desk):
    before = published(desk)
    drawing.begin(desk, DESK)
    drawing.change_drawing(desk, DESK, 1, titled("New menu"))
    assert published(desk) == before
    done = run(house, desk, drawing.publish(desk, DESK, 2, prove=True))
    assert (done.state, [x.body.kind for x in done.tasks][:2]) == (
        OrderState.DONE,
        ["publish_path", "place_test_call"],
    )
    now = published(desk)
    assert (now.number, now.body["steps"]["menu"]["title"]) == (before.number + 1, "New menu")
    assert DESK not in {d.path for d in paths.drawings(desk)}
    proven = {
        p.e164: (p.ok, stale)
        for p, stale in proof_calls.proofs_of(desk, path=DESK)
        if p.at >= now.in_force_from
    }
    assert proven
    assert set(proven.values()) == {(True, False)}


def test_published_at_a_moment(house, desk):
    drawing.begin(desk, DESK)
    drawing.change_drawing(desk, DESK, 1, titled("Later"))
    tomorrow = (desk.now() + timedelta(days=1)).strftime("%Y-%m-%dT%H:%M")
    order = order_running.run(desk, drawing.publish(desk, DESK, 2, run_at=tomorrow).id)
    assert order.state is OrderState.SCHEDULED
    until_quiet(house, timedelta(hours=1))
    assert published(desk).number == 1
    until_quiet(house, timedelta(days=1))
    assert published(desk).number == 2
    with pytest.raises(NotUnderstood):
        drawing.publish(desk, DESK, 2, run_at="yesterday noon")


def test_what_is_published_while_another_draws_stops_the_older_drawing(house, desk):
    drawing.begin(desk, DESK)
    drawing.change_drawing(desk, DESK, 1, titled("Drawn"))
    apply_at_once(
        desk,
        [
            t.PublishPath(
                path=DESK,
                name="Canal Museum front desk",
                body=Path.model_validate(published(desk).body),
            )
        ],
    )
    order = drawing.publish(desk, DESK, 2)
    stops = [f.message for f in order_views.view_order(desk, order.id).report.stops]
    assert stops[0].startswith(
        "Version 2 of Canal Museum front desk has been published since this was drawn from"
        " version 1"
    )
    assert drawing.open_draft(desk, DESK).is_overtaken
    drawing.go_on_from_here(desk, DESK, 2)
    assert run(house, desk, drawing.publish(desk, DESK, 3)).state is OrderState.DONE
    assert published(desk).number == 3


def test_one_can_go_back_to_an_earlier_version(house, desk):
    first = published(desk).body
    drawing.begin(desk, DESK)
    drawing.change_drawing(desk, DESK, 1, titled("Worse"))
    run(house, desk, drawing.publish(desk, DESK, 2))
    assert [n for n, _ in paths.versions(desk, DESK)] == [2, 1]
    again = drawing.begin(desk, DESK)
    drawing.take_over(desk, DESK, again.version, 1)
    assert run(house, desk, drawing.publish(desk, DESK, 2)).state is OrderState.DONE
    assert (published(desk).number, published(desk).body) == (3, first)
    with pytest.raises(NotFound):
        drawing.compare(desk, DESK, old=1, new=9)


def test_two_versions_tell_what_callers_of_each_number_will_notice(desk):
    drawing.begin(desk, DESK)

    def longer(body, _where):
        hours = body.steps["hours"]
        later = [o.model_dump(mode="json") | {"end": "19:00"} for o in hours.openings]
        return editing.change_step(body, "hours", {"openings": later}), ""

    drawing.change_drawing(desk, DESK, 1, longer)
    compared = drawing.compare(desk, DESK)
    assert {(c.key, c.what) for c in compared.difference.steps} == {("hours", "changed")}
    named = {
        called.name: [c.before.split(":")[0] for c in found]
        for called, found in compared.consequences
    }
    assert named["0113 496 0200"] == ["mailbox"]
    assert len(named) == compared.users == 4


def test_branches_are_cut_and_put_into_another_path(desk):
    drawing.begin(desk, DESK)
    with pytest.raises(NotAllowedNow):
        drawing.paste(desk, DESK, 1, "menu", "1")
    drawing.cut(desk, DESK, 1, "schools")
    assert "schools" not in draft_of(desk).body.steps
    made = drawing.begin_new(desk, "Lending", "canal-museum")
    key = drawing.paste(desk, made.path, 1, "ring-1", "busy")
    assert draft_of(desk, made.path).body.steps[key].title == "Ring: learning"


@pytest.mark.parametrize(
    ("name", "key"),
    [("Week", "week-"), ("Canal front desk", "canal-front-desk-"), ("Été à Paris!", "t-paris")],
)
def test_a_new_path_has_an_id_of_its_own_that_no_page_has(desk, name, key):
    assert drawing.begin_new(desk, name, "canal-museum").path.startswith(key)


@pytest.mark.parametrize("name", ["", " ", "x" * 81])
def test_a_path_needs_a_name(desk, name):
    with pytest.raises(NotUnderstood) as caught:
        drawing.begin_new(desk, name, "canal-museum")
    assert caught.value.field == "name"


def test_a_followed_call_is_kept_with_the_drawing_and_guards_publishing(desk):
    key = calls.keep_as_test(desk, NUMBER, "Sunday at night", desk.now().replace(hour=3), World())
    assert [(c.name, c.ends) for c in draft_of(desk, key).body.tests] == [
        ("Sunday at night", "mailbox")
    ]
    version = draft_of(desk, key).version

    def always_open(body, _where):
        return editing.begin_with(body, "menu"), ""

    drawing.change_drawing(desk, key, version, always_open)
    failed = [
        f.message
        for f in drawing.open_draft(desk, key).findings
        if f.rule == "path.test-cases-pass"
    ]
    assert failed
    assert "“Sunday at night” has to end mailbox" in failed[0]
    with pytest.raises(NotUnderstood):
        calls.keep_as_test(desk, NUMBER, " ", desk.now(), World())
    with pytest.raises(NotAllowedNow):
        calls.keep_as_test(desk, "+441134960100", "A person", desk.now(), World())


def test_a_call_of_the_past_follows_the_version_of_that_time(house, desk):
    before = desk.now()
    drawing.begin(desk, DESK)
    drawing.change_drawing(desk, DESK, 1, titled("Another menu"))
    run(house, desk, drawing.publish(desk, DESK, 2))
    noon = before.replace(hour=12) - timedelta(days=2)
    titles = lambda at: {
        h.title for h in calls.follow_call(desk, NUMBER, at, World()).trace.happenings
    }
    assert "Another menu" not in titles(noon)
    days = [desk.now().replace(hour=12) + timedelta(days=n) for n in range(1, 8)]
    assert any("Another menu" in titles(day) for day in days)


# ── questions to all paths ──


def test_all_that_rings_somebody_is_found_directly_and_through_something(house, desk):
    with desk.reading() as reading:
        people = {p.id: p for p in reading.records.all(Person)}
    view = paths.view_path(desk, DESK)
    agent = view.path.steps["visits"].people[1]
    through = {r.number.national: r.through for r in path_reach.that_ring(desk, agent)}
    assert through["0113 496 0200"] == "call path Canal Museum front desk"
    assert through["0113 496 0202"] == "call path School visits"  # goes on in the front desk's
    assert "their own" in through.values()
    early = next(p for p in people.values() if p.answering.cover)
    asked = {r.through for r in path_reach.that_ring(desk, early.answering.cover)}
    assert f"answers for {early.name}" in asked
    assert [p.id for p in path_reach.that_name(desk, "+441514960400")] == ["school-visits"]


def test_what_if_is_told_for_trunks_sites_and_people(desk):
    found = path_reach.what_if(desk, "trunk", "leeds-a")
    fallen = next(a for a in found.affected if a.number.e164 == NUMBER)
    assert fallen.consequences[0].after == "forwarded: fallback to 0151 496 0400"
    assert any(c.after.startswith("rejected") for a in found.affected for c in a.consequences)
    agent = paths.view_path(desk, DESK).path.steps["schools"].people[0]
    assert {a.number.national for a in path_reach.what_if(desk, "person", agent).affected} >= {
        "0113 496 0202"
    }
    assert path_reach.what_if(desk, "site", "canal-museum").affected
    with pytest.raises(NotFound):
        path_reach.what_if(desk, "weather", "rain")


def test_the_week_of_a_site_counts_every_number_once(desk):
    many = path_analysis.week_of_many(desk, site="canal-museum")
    assert {sum(h.counts.values()) for _, hours in many.days for h in hours} == {many.numbers}
    with desk.reading() as reading:
        in_use = [
            n
            for n in reading.records.all(Number)
            if n.site == "canal-museum" and n.state.value == "assigned"
        ]
    assert many.numbers == len(in_use)
    one = path_analysis.week_of_number(desk, NUMBER)
    assert one.timezone == "Europe/London"
    few = path_analysis.week_of_many(desk, most=5)
    assert (few.numbers, few.left_out) == (5, 1)
    day, hours = many.days[0]
    assert {h.hour: len(many.unanswered_at(day, h.hour)) for h in hours} == {
        h.hour: h.unanswered for h in hours
    }
    at_night = {e164 for e164, _ in many.unanswered_at(day, 3)}
    assert NUMBER in at_night
    assert at_night <= {n.e164 for n in in_use}


def test_the_week_of_many_is_worked_out_anew_once_something_changes(house, desk):
    first = path_analysis.week_of_many(desk, site="canal-museum")
    assert path_analysis.week_of_many(desk, site="canal-museum") is first
    order_running.run_now(desk, "note", [t.LabelNumbers(numbers=(NUMBER,), label="Front desk")])
    until_quiet(house)
    assert path_analysis.week_of_many(desk, site="canal-museum") is not first


def test_somebody_is_reached_by_their_own_rules(house, desk):
    with desk.reading() as reading:
        early = next(p for p in reading.records.all(Person) if p.answering.openings)
    sunday = desk.now() + timedelta(days=(6 - desk.now().weekday()) % 7)
    found = path_reach.reachable(desk, early.id, sunday)
    assert (found.rings, found.why_not) == ((), "is outside the hours they answer")
    ref = HolderRef(kind=HolderKind.PERSON, id=early.id)
    order = workorders.draft(
        desk, "rules", [t.SetAnswering(holder=ref, answering=Answering(mobile="+447700900199"))]
    )
    assert run(house, desk, order).state is OrderState.DONE
    assert path_reach.reachable(desk, early.id, sunday).rings[-1] == "mobile 07700 900199"
    order_running.undo(desk, order.id)
    until_quiet(house, timedelta(minutes=3))
    assert path_reach.reachable(desk, early.id, sunday).rings == ()


def test_devices_one_after_the_other_are_heard_so_by_a_test_call(house, desk):
    """The telephone system rings them as the followed call says, by its own count."""
    with desk.reading() as reading:
        held = [
            n
            for n in sorted(reading.records.all(Number), key=lambda n: n.e164)
            if n.holder and n.holder.kind is HolderKind.PERSON and not n.path
        ]
        devices = {d.person for d in reading.records.all(Device) if d.registered}
    number = next(n for n in held if n.holder.id in devices)
    rules = Answering(mobile="+447700900199", seconds_each=10)
    order = workorders.draft(desk, "rules", [t.SetAnswering(holder=number.holder, answering=rules)])
    assert run(house, desk, order).state is OrderState.DONE
    proof = calls.place_test_call(desk, number.e164, "in")
    assert (proof.ok, proof.differs) == (True, "")
    assert proof.rang
    assert not any("mobile" in name for name in proof.rang)


# ── proof, files, sounds ──


def test_all_numbers_of_a_path_are_called_again_at_once(house, desk):
    order = proof_calls.prove_again(desk, path="school-visits")
    until_quiet(house, timedelta(minutes=3))
    assert workorders.get(desk, order.id).state is OrderState.DONE
    [(proof, stale)] = proof_calls.proofs_of(desk, path="school-visits")
    assert (proof.ok, stale, proof_calls.without_proof(desk, "school-visits")) == (True, False, 0)
    assert proof_calls.proofs_by(desk, workorders.get(desk, order.id)) == {0: proof}
    with pytest.raises(NotAllowedNow):
        proof_calls.prove_again(desk, path=drawing_without_number(house, desk))
    over = proof_calls.proofs_of(desk, trunk="leeds-a")
    assert proof in {p for p, _ in over}
    card = trunks.one(desk, "leeds-a")
    assert (card.carrier, card.without_fallback) == ("Fellgate Voice", card.numbers - 1)


def drawing_without_number(house, desk):
    apply_at_once(
        desk,
        [t.PublishPath(path="alone", name="Alone", body=Path.model_validate(published(desk).body))],
    )
    return "alone"


def test_a_file_becomes_a_drawing_and_a_calendar_becomes_hours(desk):
    data = path_files.as_json(desk, "school-visits")
    key, report = path_files.bring_in(desk, data, name="School visits again", site="canal-museum")
    assert (report, draft_of(desk, key).body) == (
        [],
        Path.model_validate(published(desk, "school-visits").body),
    )
    drawn, report = path_files.bring_in(
        desk, path_files.as_cpl(desk, "canal-duty").data, name="Duty", site="canal-museum"
    )
    assert draft_of(desk, drawn).body.steps[draft_of(desk, drawn).body.first].kind == "ring"
    calendar = path_files.hours_calendar(desk, DESK)
    report = path_files.take_hours(desk, key, 1, "hours", calendar)
    assert report[0] == "1 weekly hours and 0 closures were taken."
    assert (
        draft_of(desk, key).body.steps["hours"].openings
        == Path.model_validate(published(desk).body).steps["hours"].openings
    )
    with pytest.raises(NotUnderstood):
        path_files.hours_calendar(desk, "wharf-front-desk")


def test_the_enum_zone_has_every_number_of_another_system(house, desk):
    before = path_files.enum(desk)
    assert before.count("NAPTR") == before.count("sip:")
    house.settings = house.settings.model_copy(update={"sip_domain": "sip.example"})
    zone = path_files.enum(desk)
    assert (
        '0.0.2.0.6.9.4.3.1.1.4.4 IN NAPTR 100 10 "u" "E2U+sip"'
        ' "!^.*$!sip:+441134960200@lanternfield.sip.example!" .' in zone
    )


def test_a_sound_is_kept_played_and_only_removed_where_nobody_plays_it(desk):
    key, facts = sounds.keep_sound(desk, "Welcome", "en", "Welcome to the museum", tone())
    assert (facts.media, [s.name for s in sounds.list_sounds(desk)]) == ("audio/wav", ["Welcome"])
    drawing.begin(desk, DESK)
    drawing.change_drawing(
        desk, DESK, 1, lambda body, _w: (editing.change_step(body, "menu", {"sound": key}), "menu")
    )
    with pytest.raises(NotAllowedNow) as caught:
        sounds.remove(desk, key)
    assert caught.value.message.startswith("“Canal Museum front desk” plays it")
    drawing.discard(desk, DESK)
    sounds.remove(desk, key)
    assert sounds.list_sounds(desk) == []
    for name, text, field in (("", "x", "name"), ("x", "", "text")):
        with pytest.raises(NotUnderstood) as caught:
            sounds.keep_sound(desk, name, "en", text, tone())
        assert caught.value.field == field

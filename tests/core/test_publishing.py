"""Publishing a call path: its people are here, somebody rings, keys are spoken, mail is read;
versions are never rewritten."""

import pytest
from pydantic import ValidationError

from sedge.core.callpaths.patterns import Choice, DeskForm, plan_desk
from sedge.core.callpaths.steps import Mailbox, Path, Ring, holder_path
from sedge.core.estate import Estate
from sedge.core.records import PathVersion, Subject
from sedge.core.workorders import tasks as t
from sedge.core.workorders.checks import check
from sedge.core.workorders.findings import Level
from sedge.core.workorders.tasks import TASK, PutBack, Snapshot
from tests.conftest import NOW


def desk(*people, greeting="Press 1 or 2."):
    choices = (
        Choice(key="1", word="visits", people=people),
        Choice(key="2", word="schools", people=people),
    )
    return plan_desk(
        DeskForm(timezone="Europe/London", greeting=greeting, choices=choices, recipients=people)
    )


def publish(body, path="front-desk"):
    return t.PublishPath(path=path, name="Front desk", body=body)


def levels(task, estate):
    return {f.rule: f.level for f in check([task], estate.build()).findings}


def test_a_sound_path_passes_every_check(estate):
    estate.person()
    assert set(levels(publish(desk("ifeoma-okafor")), estate).values()) == {Level.PASS}


def test_somebody_unknown_is_a_stop(estate):
    assert levels(publish(desk("nobody")), estate)["path.people-are-here"] is Level.STOP


def test_somebody_who_left_is_a_stop_by_name(estate):
    estate.person(left=True)
    stop = check([publish(desk("ifeoma-okafor"))], estate.build()).stops[0]
    assert "Ifeoma Okafor can't answer" in stop.message


def test_a_step_where_no_phone_would_ring_is_a_warning_that_names_it(estate):
    estate.person(registered=False)
    warning = next(
        f
        for f in check([publish(desk("ifeoma-okafor"))], estate.build()).warnings
        if f.rule == "path.somebody-rings"
    )
    assert "Queue: visits" in warning.message


def test_a_key_the_greeting_does_not_speak_of_is_a_warning(estate):
    estate.person()
    found = levels(publish(desk("ifeoma-okafor", greeting="For visits press 1.")), estate)
    assert found["path.greeting-names-keys"] is Level.WARN


def test_a_mailbox_nobody_reads_is_a_warning(estate):
    body = Path(
        first="ring", steps={"ring": Ring(exits={"no answer": "mailbox"}), "mailbox": Mailbox()}
    )
    assert levels(publish(body), estate)["path.mailbox-is-read"] is Level.WARN


def test_people_and_users_of_the_path_are_loaded_to_judge_it():
    wanted = publish(desk("ifeoma-okafor", "piet")).needs()
    assert wanted.people == {"ifeoma-okafor", "piet"}
    assert wanted.path_users == {"front-desk"}


@pytest.mark.parametrize(
    "body",
    [
        {"first": "a", "steps": {}},
        {"first": "b", "steps": {"a": {"kind": "ring"}}},
        {"first": "a", "steps": {"a": {"kind": "ring", "exits": {"no answer": "gone"}}}},
        {"first": "a", "steps": {"a": {"kind": "ring", "exits": {"open": "a"}}}},
        {"first": "a", "steps": {"a": {"kind": "dance"}}},
        "a path",
    ],
)
def test_a_body_that_is_no_path_is_refused_when_it_is_read(body):
    with pytest.raises(ValidationError):
        TASK.validate_python({"kind": "publish_path", "path": "p", "name": "P", "body": body})


def test_each_publishing_is_a_new_version(estate):
    estate.person()
    world = estate.build()
    for number in (1, 2, 3):
        world.absorb(publish(desk("ifeoma-okafor")).apply(world))
        assert world.the(PathVersion, "front-desk").number == number


def test_undo_publishes_the_earlier_body_as_a_new_version(estate):
    estate.person()
    estate.put(
        PathVersion(
            id="front-desk",
            name="Front desk",
            body=holder_path().model_dump(mode="json"),
            in_force_from=NOW,
        )
    )
    world: Estate = estate.build()
    before = world.the(PathVersion, "front-desk")
    world.absorb(publish(desk("ifeoma-okafor")).apply(world))
    after = world.the(PathVersion, "front-desk")
    snapshot = Snapshot(
        subject=Subject.PATH,
        id="front-desk",
        before=before.model_dump(mode="json"),
        after=after.model_dump(mode="json"),
    )
    world.absorb(PutBack(of="publish", snapshots=(snapshot,)).apply(world))
    restored = world.the(PathVersion, "front-desk")
    assert (restored.number, restored.body) == (3, before.body)

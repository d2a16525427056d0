"""Which steps of call paths calls passed: recorded by the telephone system, counted, corrected."""

from collections import Counter
from datetime import timedelta

import pytest
from sqlalchemy import select

from sedge.core.callpaths.steps import OtherPath, Path
from sedge.core.records import PathVersion
from sedge.core.spend.step_use import WENT_ON, read_way
from sedge.services.spend import call_records, telephone_records, usage
from sedge.store.repositories.spend import calls
from sedge.store.schema import spend
from tests.conftest import until_quiet

PATH, NUMBER = "canal-front-desk", "+441134960200"


def used(context):
    days = usage.read_days(context, "", "")
    return {s.step: s for s in usage.of_steps(context, PATH, *days)}


def record(context, **other):
    started = context.now() - timedelta(hours=1)
    row = {
        "key": "one",
        "started": started.isoformat(),
        "talk": "30",
        "from": "+441514960001",
        "to": NUMBER,
        "steps": f"{PATH}/hours=open:0; {PATH}/menu=2:8; {PATH}/schools=gave up:41",
    }
    return row | other


def test_calls_of_the_demo_go_through_their_paths_as_they_are_drawn(context):
    with context.reading() as reading:
        paths = {p.id: Path.model_validate(p.body) for p in reading.records.all(PathVersion)}
        table = spend.call_record
        ways = [
            read_way(text)
            for text in reading.connection.execute(
                select(table.c.way).where(table.c.way != "").limit(3000)
            ).scalars()
        ]
    assert len(ways) == 3000
    for way in ways:
        assert way[0].step == paths[way[0].path].first
        for one, following in zip(way, way[1:], strict=False):
            step = paths[one.path].steps[one.step]
            if isinstance(step, OtherPath):
                assert (one.exit, following.path) == (WENT_ON, step.path)
                assert following.step == paths[following.path].first
            else:
                assert (step.exits[one.exit], one.path) == (following.step, following.path)
    passed = Counter(isinstance(paths[x.path].steps[x.step], OtherPath) for w in ways for x in w)
    assert passed[True] > 0


def test_a_record_is_counted_once_corrected_and_kept_when_it_is_forgotten(context):
    before = used(context)
    call_records.take(context, "x", [record(context)])
    call_records.take(context, "x", [record(context)])
    after = used(context)
    assert {key: after[key].calls - before[key].calls for key in after} == {
        "hours": 1,
        "menu": 1,
        "visits": 0,
        "schools": 1,
        "mailbox": 0,
    }
    assert after["schools"].gave_up == before["schools"].gave_up + 1
    corrected = f"{PATH}/hours=closed:0; {PATH}/mailbox=mailbox:20"
    taken = call_records.take(context, "x", [record(context, steps=corrected)])
    assert taken.corrected == 1
    now = used(context)
    assert {key: now[key].calls - before[key].calls for key in now} == {
        "hours": 1,
        "menu": 0,
        "visits": 0,
        "schools": 0,
        "mailbox": 1,
    }
    with context.writing() as writing:
        assert calls.forget_before(writing.connection, context.now()) > 0
        writing.touch()
    assert used(context)["mailbox"].calls == now["mailbox"].calls


def test_a_path_that_has_no_name_is_not_counted(context):
    with context.reading() as reading:
        before = reading.connection.execute(select(spend.step_use)).all()
    call_records.take(context, "x", [record(context, steps="/ring=answered:4")])
    with context.reading() as reading:
        assert reading.connection.execute(select(spend.step_use)).all() == before


@pytest.mark.parametrize(("presses", "step"), [(["2"], "schools"), (["1"], "visits")])
def test_the_telephone_system_says_which_steps_a_call_passed(installation, context, presses, step):
    until_quiet(installation, timedelta(hours=6))  # the museum is open
    before = used(context)
    telephony = installation.outside.telephony
    told = telephony.call("POST", "calls/in", json={"number": NUMBER, "presses": presses})
    assert told["ended"] == "answered"
    until_quiet(installation, timedelta(minutes=5))
    assert telephone_records.fetch(context).fresh == 1
    after = used(context)
    gained = {key for key in after if after[key].calls > before[key].calls}
    assert gained == {"hours", "menu", step}

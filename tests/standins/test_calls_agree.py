"""The telephone system follows calls by its own code; the trace computes them by ours. Over many
paths both say the same."""

from datetime import UTC, datetime

import pytest
from fastapi.testclient import TestClient
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from sedge.core.callpaths.steps import Mailbox, Path, Ring
from sedge.core.callpaths.tracing.proof import difference
from sedge.core.callpaths.tracing.trace import World, trace_inbound
from sedge.core.records import Device, Grant, PathVersion, Person
from sedge.services.telephony_sync import device_wish, plain_body, routing_of, rules_of
from sedge.standins.app import create_standins
from tests.random_paths import PEOPLE, estate_for, paths, rules


@pytest.fixture(scope="module")
def standins(tmp_path_factory):
    app = create_standins(tmp_path_factory.mktemp("standins"))
    with TestClient(app) as client:
        yield client
    app.state.book.close()


def told(standins, estate):
    """The telephone system, set up with all that a path of the estate needs."""
    number = estate.number("+441134960142")
    devices = {d.id: device_wish(d) for d in estate.all(Device)}
    people = {p.id: rules_of(p, estate) for p in estate.all(Person)}
    paths = {p.id: plain_body(p.body, estate) for p in estate.all(PathVersion)}
    routing = {**routing_of(number, estate), "works_from": None}
    standins.put(
        "/telephony/bulk",
        json={
            "devices": devices,
            "numbers": {number.e164: routing},
            "paths": paths,
            "people": people,
        },
    )
    for grant in estate.all(Grant):
        standins.put(f"/telephony/licences/{grant.holder.id}/{grant.product}", json={})
    return number


@settings(suppress_health_check=[HealthCheck.function_scoped_fixture], max_examples=200)
@given(
    path=paths,
    silent=st.sets(st.sampled_from(PEOPLE)),
    presses=st.lists(st.sampled_from(["1", "2", "7", "schools"]), max_size=3),
    line=st.booleans(),
    answering=st.dictionaries(st.sampled_from(PEOPLE), rules, max_size=2),
)
def test_a_placed_call_ends_as_it_was_computed(standins, path, silent, presses, line, answering):
    estate = estate_for(path, silent, line=line, answering=answering)
    number = told(standins, estate)
    placed = standins.post(
        "/telephony/calls/in", json={"number": number.e164, "presses": presses}
    ).json()
    now = datetime.fromisoformat(placed["at"]).astimezone(UTC)
    trace = trace_inbound(number.e164, now, World(presses=tuple(presses)), estate)
    if trace.ending.reason == "the path goes round in a circle":
        assert placed["ended"] in {"ended", "answered", "mailbox", "announced", "forwarded"}
        return
    assert difference(trace, placed["ended"], placed["rang"]) == ""


def test_who_rings_in_turn_is_said_so_that_the_trace_follows(standins):
    path = Path(first="a", steps={"a": Ring(people=("ifeoma", "piet", "jo"), order="in turn")})
    estate = estate_for(path)
    number = told(standins, estate)
    for turn in range(4):
        placed = standins.post("/telephony/calls/in", json={"number": number.e164}).json()
        assert placed["turns"] == {"a": turn % 3}
        trace = trace_inbound(
            number.e164, datetime.fromisoformat(placed["at"]), World(turns=placed["turns"]), estate
        )
        assert difference(trace, placed["ended"], placed["rang"]) == ""


def test_a_trunk_that_is_down_leads_to_the_fallback(standins):
    path = Path(first="a", steps={"a": Mailbox(recipients=("ifeoma",))})
    estate = estate_for(path)
    estate.put(estate.number("+441134960142").copy_with(fallback="+441514960400"))
    number = told(standins, estate)
    standins.put("/control/trunks/brackwater-leeds", json={"up": False})
    placed = standins.post("/telephony/calls/in", json={"number": number.e164}).json()
    standins.put("/control/trunks/brackwater-leeds", json={"up": True})
    trace = trace_inbound(
        number.e164,
        datetime.fromisoformat(placed["at"]),
        World(trunks_down=("brackwater-leeds",)),
        estate,
    )
    assert difference(trace, placed["ended"], placed["rang"]) == ""
    assert placed["ended"] == "forwarded"


def test_somebody_who_is_away_makes_the_call_differ_from_the_trace(standins):
    """What a trace can't know, a placed call finds."""
    path = Path(
        first="a",
        steps={
            "a": Ring(people=("ifeoma",), exits={"no answer": "mailbox"}),
            "mailbox": Mailbox(recipients=("ifeoma",)),
        },
    )
    estate = estate_for(path)
    number = told(standins, estate)
    standins.put("/control/people/ifeoma", json={"away": True})
    placed = standins.post("/telephony/calls/in", json={"number": number.e164}).json()
    standins.put("/control/people/ifeoma", json={"away": False})
    trace = trace_inbound(number.e164, datetime.fromisoformat(placed["at"]), World(), estate)
    assert (
        difference(trace, placed["ended"], placed["rang"])
        == "computed: answered, Ifeoma answers; really: mailbox"
    )

"""The telephone system follows calls by its own code; the trace computes them by ours. Over many paths both say the same."""

from datetime import UTC, datetime

import pytest
from fastapi.testclient import TestClient
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from sedge.core.paths.steps import EXITS, Announce, End, Hours, Mailbox, Menu, Opening, Path, Queue, Ring
from sedge.core.paths.trace import World, trace_inbound
from sedge.core.proof.compare import difference
from sedge.core.records import Device, PathVersion
from sedge.desk.routing import device_wish, routing_of
from sedge.standins.app import create_standins
from tests.conftest import NOW, EstateBuilder

PEOPLE = ("ifeoma", "piet", "jo", "amara")
KEYS = ("a", "b", "c", "d", "mailbox")
who = st.lists(st.sampled_from(PEOPLE), min_size=1, max_size=3, unique=True).map(tuple)
targets = st.sampled_from(KEYS)


def exits_of(kind, keys=()):
    return st.fixed_dictionaries({}, optional=dict.fromkeys((*EXITS[kind], *keys), targets))


hours = st.builds(
    Hours,
    timezone=st.sampled_from(["Europe/London", "Europe/Berlin"]),
    openings=st.just((Opening(weekdays=(0, 1, 2, 3, 4), start="09:00", end="17:00"),)),
    holidays_of=st.sampled_from(["", "GB-ENG", "DE-BE"]),
    exits=exits_of("hours"),
)
menu = st.builds(
    Menu,
    greeting=st.just("Press 1 or 2"),
    keys=st.just({"1": "visits", "2": "schools"}),
    repeats=st.just(1),
    exits=exits_of("menu", ("1", "2")),
)
ring = st.builds(Ring, people=who | st.just(()), order=st.sampled_from(["all", "in order"]), exits=exits_of("ring"))
queue = st.builds(Queue, people=who, exits=exits_of("queue"))
announce = st.builds(Announce, text=st.just("We are closed"), exits=exits_of("announce"))
step = hours | menu | ring | queue | announce | st.builds(End)
paths = st.fixed_dictionaries({key: step for key in KEYS[:4]}).map(
    lambda steps: Path(first="a", steps={**steps, "mailbox": Mailbox(recipients=("ifeoma",))})
)


@pytest.fixture(scope="module")
def standins(tmp_path_factory):
    app = create_standins(tmp_path_factory.mktemp("standins"))
    with TestClient(app) as client:
        yield client
    app.state.book.close()


def estate_with(path, silent, *, line):
    builder = EstateBuilder()
    refs = [builder.person(name.capitalize(), registered=name not in silent) for name in PEOPLE]
    holder = builder.line("Visits") if line else refs[0]
    builder.put(PathVersion(id="p", name="p", body=path.model_dump(mode="json"), in_force_from=NOW))
    builder.given(142, holder, capacity="many", path="p")
    return builder.build()


@settings(suppress_health_check=[HealthCheck.function_scoped_fixture], max_examples=150)
@given(
    path=paths,
    silent=st.sets(st.sampled_from(PEOPLE)),
    presses=st.lists(st.sampled_from(["1", "2", "7"]), max_size=3),
    line=st.booleans(),
)
def test_a_placed_call_ends_as_it_was_computed(standins, path, silent, presses, line):
    estate = estate_with(path, silent, line=line)
    number = estate.number("+441134960142")
    devices = {d.id: device_wish(d) for d in estate.all(Device)}
    standins.put("/telephony/bulk", json={"devices": devices, "numbers": {number.e164: {**routing_of(number, estate), "works_from": None}}})
    placed = standins.post("/telephony/calls/in", json={"number": number.e164, "presses": presses}).json()
    now = datetime.fromisoformat(placed["at"]).astimezone(UTC)
    trace = trace_inbound(number.e164, now, World(presses=tuple(presses)), estate)
    assert difference(trace, placed["ended"], placed["rang"]) == ""


def test_somebody_who_is_away_makes_the_call_differ_from_the_trace(standins):
    """What a trace can't know, a placed call finds."""
    path = Path(
        first="a", steps={"a": Ring(people=("ifeoma",), exits={"no answer": "mailbox"}), "mailbox": Mailbox(recipients=("ifeoma",))}
    )
    estate = estate_with(path, set(), line=False)
    number = estate.number("+441134960142")
    devices = {d.id: device_wish(d) for d in estate.all(Device)}
    standins.put("/telephony/bulk", json={"devices": devices, "numbers": {number.e164: {**routing_of(number, estate), "works_from": None}}})
    standins.put("/control/people/ifeoma", json={"away": True})
    placed = standins.post("/telephony/calls/in", json={"number": number.e164}).json()
    standins.put("/control/people/ifeoma", json={"away": False})
    trace = trace_inbound(number.e164, datetime.fromisoformat(placed["at"]), World(), estate)
    assert difference(trace, placed["ended"], placed["rang"]) == "computed: answered, Ifeoma answers; really: mailbox"

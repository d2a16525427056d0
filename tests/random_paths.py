"""Random call paths with every kind of step, in an estate where they can be followed; and random
worlds to follow them in."""

from datetime import date

from hypothesis import strategies as st

from sedge.core import records as e
from sedge.core.callpaths.steps import (
    EXITS,
    Announce,
    Closure,
    End,
    Forward,
    Hours,
    Mailbox,
    Menu,
    Opening,
    OtherPath,
    Path,
    Queue,
    Recording,
    Ring,
    Rota,
    SipAddress,
)
from sedge.core.callpaths.tracing.trace import World
from sedge.core.facts import money
from tests.conftest import NOW, EstateBuilder

PEOPLE = ("ifeoma", "piet", "jo", "amara")
KEYS = ("a", "b", "c", "d", "e", "mailbox")
ZONES = ("Europe/London", "Europe/Berlin", "America/New_York", "Australia/Sydney")
OUTSIDE, MOBILE, PREMIUM, ABROAD = (
    "+441514960400",
    "+447700900123",
    "+449098790123",
    "+493023125001",
)
STUDIO = "sip:studio@example.org"
targets = st.sampled_from(KEYS)
who = st.lists(st.sampled_from(PEOPLE), min_size=1, max_size=3, unique=True).map(tuple)
clocks = st.sampled_from(["00:00", "07:30", "09:00", "12:15", "17:00", "22:00"])


def exits_of(kind, keys=()):
    return st.fixed_dictionaries({}, optional=dict.fromkeys((*EXITS[kind], *keys), targets))


openings = st.builds(
    Opening,
    weekdays=st.sets(st.integers(0, 6), min_size=1).map(lambda d: tuple(sorted(d))),
    start=clocks,
    end=st.sampled_from(["04:00", "12:00", "16:45", "24:00"]),
)
closures = st.builds(
    Closure,
    first=st.just(date(2026, 12, 20)),
    last=st.just(date(2026, 12, 27)),
    name=st.just("winter"),
    yearly=st.booleans(),
)
hours = st.builds(
    Hours,
    timezone=st.sampled_from(ZONES),
    openings=st.lists(openings, max_size=3).map(tuple),
    closures=st.lists(closures, max_size=1).map(tuple),
    holidays_of=st.sampled_from(["", "GB-ENG", "DE-BE"]),
    exits=exits_of("hours"),
)
menu = st.builds(
    Menu,
    greeting=st.just("For visits press 1, for schools press 2"),
    keys=st.just({"1": "visits", "2": "schools"}),
    repeats=st.just(1),
    spoken=st.booleans(),
    exits=exits_of("menu", ("1", "2")),
)
recording = st.none() | st.just(Recording(announcement="This call is recorded"))
ring = st.builds(
    Ring,
    people=who | st.just(()),
    groups=st.sampled_from([(), ("team",)]),
    mobiles=st.sampled_from([(), (MOBILE,)]),
    devices=st.sampled_from([(), ("phone-jo",)]),
    order=st.sampled_from(["all", "in order", "by rota"]),
    rota=st.just(Rota(begins=date(2026, 1, 5), timezone="Europe/London")),
    recording=recording,
    exits=exits_of("ring"),
)
queue = st.builds(
    Queue,
    people=who,
    order=st.sampled_from(["in order", "all"]),
    most_waiting=st.sampled_from([0, 2]),
    callback=st.booleans(),
    exits=exits_of("queue"),
)
announce = st.builds(Announce, text=st.just("We are closed at present"), exits=exits_of("announce"))
forward = st.builds(
    Forward, to=st.sampled_from([OUTSIDE, MOBILE, ABROAD]), exits=exits_of("forward")
)
sip = st.builds(SipAddress, address=st.just(STUDIO), exits=exits_of("sip"))
other = st.just(OtherPath(path="other"))
step = hours | menu | ring | queue | announce | forward | sip | other | st.builds(End)


def _path(steps):
    return Path(first="a", steps={**steps, "mailbox": Mailbox(recipients=("ifeoma",))})


paths = st.fixed_dictionaries(dict.fromkeys(KEYS[:5], step)).map(_path)
OTHER = Path(
    first="desk",
    steps={
        "desk": Ring(people=("piet",), exits={"no answer": "box", "busy": "box"}),
        "box": Mailbox(recipients=("piet",)),
    },
)
worlds = st.builds(
    World,
    busy=st.lists(st.sampled_from((*PEOPLE, OUTSIDE, STUDIO)), max_size=3).map(tuple),
    answers=st.dictionaries(
        st.sampled_from((*PEOPLE, OUTSIDE, STUDIO, MOBILE)),
        st.none() | st.integers(0, 60),
        max_size=4,
    ),
    presses=st.lists(st.sampled_from(["1", "2", "7", "schools"]), max_size=6).map(tuple),
    queue=st.dictionaries(targets, st.integers(0, 4), max_size=2),
    unreachable=st.sampled_from([(), (STUDIO,)]),
    asks_callback=st.booleans(),
    nobody_answers=st.booleans(),
)
rules = st.builds(
    e.Answering,
    openings=st.lists(openings, max_size=1).map(tuple),
    mobile=st.sampled_from(["", MOBILE]),
    pickup=st.sampled_from([(), ("amara",)]),
)


def estate_for(path, silent=(), *, line=False, answering=None):
    """An estate in which the number 0113 496 0142 follows the path; `silent` have no phone
    registered."""
    builder = EstateBuilder()
    refs = [builder.person(name.capitalize(), registered=name not in silent) for name in PEOPLE]
    for name, rule in (answering or {}).items():
        builder.put(builder.records[f"Person/{name}"].copy_with(answering=rule))
    builder.put(e.Group(id="team", name="Team", members=("jo", "amara")))
    builder.put(
        builder.records["Carrier/brackwater"].copy_with(
            rates={"44": money("0.012", "GBP"), "447": money("0.03", "GBP")}
        )
    )
    holder = builder.line("Visits") if line else refs[0]
    builder.put(
        e.PathVersion(id="p", name="p", body=path.model_dump(mode="json"), in_force_from=NOW)
    )
    builder.put(
        e.PathVersion(
            id="other", name="Other desk", body=OTHER.model_dump(mode="json"), in_force_from=NOW
        )
    )
    builder.given(142, holder, capacity="many", path="p")
    if line:
        builder.granted(holder, "permit")
    return builder.build()

"""Properties of work orders over generated estates: undo gives the estate as before, remedies lead
out or say that nothing can, the order of tasks breaks no dependency."""

import random

from hypothesis import given
from hypothesis import strategies as st

from sedge.core import records as e
from sedge.core.errors import NotUnderstood, SedgeError
from sedge.core.facts import to_canonical_json
from sedge.core.numbers.life import State
from sedge.core.workorders import tasks as t
from sedge.core.workorders.checks import check, with_remedies
from sedge.core.workorders.plan import arrange
from tests.conftest import EstateBuilder

NAMES = ("Ada", "Bea", "Cem")
LAST = (140, 141, 142, 143)
REVERSIBLE = (
    t.GrantLicence,
    t.RevokeLicence,
    t.BuySeats,
    t.AssignNumber,
    t.UnassignNumber,
    t.SetAside,
    t.ReturnNumber,
    t.ReserveNumber,
    t.UnreserveNumber,
    t.LabelNumbers,
    t.ChangePerson,
    t.SetCallingRights,
)


def world_of(seed):
    r = random.Random(seed)
    builder = EstateBuilder()
    people = [
        builder.person(
            name,
            spot=r.choice(["WHF-001-K", "WHF-001-K", None]),
            rights=r.choice([(), (e.Right.INTERNAL,)]),
        )
        for name in NAMES
    ]
    for person in people:
        builder.granted(person, *r.sample(["staff", "home"], r.randrange(3)))
    for last in LAST:
        state = r.choice(
            [State.AVAILABLE, State.AVAILABLE, State.AGING, State.ADMINISTRATIVE, State.RESERVED]
        )
        builder.number(
            last,
            state,
            carrier=r.choice(["brackwater", "fellgate"]),
            trunk=r.choice(["brackwater-leeds", None]),
        )
    held = builder.given(144, people[0])
    return builder.build(), people, [f"+44113496{n:04d}" for n in LAST] + [held]


@st.composite
def scenes(draw):
    world, people, numbers = world_of(draw(st.integers(0, 10_000)))
    holder, number = st.sampled_from(people), st.sampled_from(numbers)
    product = st.sampled_from(["staff", "home"])
    kinds = st.one_of(
        st.builds(t.GrantLicence, holder=holder, product=product),
        st.builds(t.RevokeLicence, holder=holder, product=product),
        st.builds(t.BuySeats, product=product, seats=st.integers(1, 4)),
        st.builds(t.AssignNumber, number=number, holder=holder, role=st.sampled_from(list(e.Role))),
        st.builds(t.UnassignNumber, number=number, rest=st.sampled_from([None, 0, 5])),
        st.builds(t.SetAside, number=number),
        st.builds(t.ReturnNumber, number=number),
        st.builds(
            t.ReserveNumber, number=number, holder=st.none(), reason=st.just("x"), until=st.none()
        ),
        st.builds(t.UnreserveNumber, number=number),
        st.builds(t.LabelNumbers, numbers=st.tuples(number), label=st.just("Ours")),
        st.builds(t.SetCallingRights, holder=holder, rights=st.just((e.Right.INTERNAL,))),
        st.builds(
            t.ChangePerson,
            person=st.sampled_from([p.id for p in people]),
            department=st.just("Archive"),
        ),
        st.builds(t.PlaceTestCall, number=number),
        st.builds(
            t.SetSpot, person=st.sampled_from([p.id for p in people]), spot=st.just("WHF-001-K")
        ),
    )
    return world, draw(st.lists(kinds, min_size=1, max_size=6))


def plain(world):
    """The estate as people would compare it: open grants, counts, numbers and people, without
    versions."""
    records = [
        r.copy_with(version=0)
        for kind in (e.Number, e.Person, e.Subscription)
        for r in world.all(kind)
    ]
    grants = [g for g in world.all(e.Grant) if g.until is None]
    return sorted(
        to_canonical_json(r) for r in (*records, *(g.copy_with(version=0) for g in grants))
    )


@given(scenes())
def test_run_then_undo_gives_the_estate_as_before(scene):
    world, tasks = scene
    before, done = plain(world), []
    for i, task in enumerate(tasks):
        if not isinstance(task, REVERSIBLE):
            continue
        try:
            changes = task.apply(world, f"x{i}")
        except SedgeError:
            continue
        world.absorb(changes)
        done.append(
            [
                t.Snapshot(
                    subject=c.subject,
                    id=c.id,
                    before=c.before.model_dump(mode="json") if c.before else None,
                    after=c.after.model_dump(mode="json"),
                )
                for c in changes
            ]
        )
    for snapshots in reversed(done):
        world.absorb(t.PutBack(of="x", snapshots=tuple(snapshots)).apply(world))
    after = plain(world)
    ended = {g.id for g in world.all(e.Grant) if g.until is not None}
    assert [x for x in after if not any(key in x for key in ended)] == [
        x for x in before if not any(key in x for key in ended)
    ]


@given(scenes())
def test_remedies_lead_to_no_stops_or_leave_only_what_nothing_adds_by_itself(scene):
    world, tasks = scene
    try:
        for _ in range(8):
            report = check(tasks, world)
            mended, _ = with_remedies(tasks, report)
            if mended == tasks:
                break
            tasks = mended
    except NotUnderstood:
        return  # tasks that wait for each other: said plainly, and nothing is added
    report = check(tasks, world)
    for finding in report.stops:
        automatic = [r for r in finding.remedies if r.automatic]
        assert finding.message
        assert not automatic or all(task in tasks for r in automatic for task in r.tasks), (
            finding,
            tasks,
        )


@given(scenes())
def test_the_order_of_tasks_breaks_no_dependency(scene):
    _, tasks = scene
    needs = {"home": ("staff",)}
    try:
        order = arrange(tasks, needs)
    except NotUnderstood:
        return
    place = {position: i for i, (position, _) in enumerate(order)}
    assert sorted(place) == list(range(len(tasks)))
    for position, before in order:
        assert all(place[b] < place[position] for b in before)
        wanted = set(tasks[position].resolved(tasks).requires({}))
        for other, task in enumerate(tasks):
            if other != position and wanted & set(task.resolved(tasks).provides()):
                assert place[other] < place[position]

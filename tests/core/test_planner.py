"""The planner: as good as the undivided problem, nobody twice, nobody left out for a wish, pins and
bars hold, and it says why."""

import random
from collections import Counter

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy.optimize import linear_sum_assignment

from sedge.core.errors import NotUnderstood
from sedge.core.workorders.planner.problem import (
    Free,
    Problem,
    Wants,
    Wish,
    elsewhere_costs,
    pair_points,
)
from sedge.core.workorders.planner.solve import solve, team_windows


def made(people, numbers, *, sites=1, seed=1, teams=12, weights=None):
    r = random.Random(seed)
    wants = tuple(
        Wants(
            id=f"p{i}",
            name=f"N{i}",
            site=f"s{i % sites}",
            country="GB",
            extension=str(r.randrange(100, 999)),
            team=f"t{r.randrange(max(1, people // teams))}",
            before=f"+4411349{r.randrange(60000, 69999)}" if r.random() < 0.3 else "",
        )
        for i in range(people)
    )
    values, at = [], 0
    for i in range(numbers):
        at += 1 if r.random() < 0.95 else r.randrange(2, 30)
        values.append(
            Free(
                e164=f"+44113{4000000 + at}",
                site=f"s{i * sites // numbers}",
                country="GB",
                memorable=r.random() if r.random() < 0.1 else 0,
                run=r.choice([1, 5, 20, 100]),
            )
        )
    return Problem(people=wants, numbers=tuple(values), **({"weights": weights} if weights else {}))


def worth(problem, pairs):
    windows = team_windows(problem)
    numbers, people = {n.e164: n for n in problem.numbers}, {p.id: p for p in problem.people}
    return sum(
        pair_points(people[p], numbers[n], windows.get(n), problem)
        - elsewhere_costs(people[p], numbers[n])
        for p, n in pairs
    )


def best_by_trying(problem):
    windows = team_windows(problem)
    costs = np.array(
        [
            [
                elsewhere_costs(p, n) - pair_points(p, n, windows.get(n.e164), problem)
                for n in problem.numbers
            ]
            for p in problem.people
        ]
    )
    rows, columns = linear_sum_assignment(costs)
    return -costs[rows, columns].sum()


@pytest.mark.parametrize(
    ("people", "numbers", "sites"), [(1, 1, 1), (30, 45, 1), (60, 60, 2), (120, 180, 3)]
)
def test_as_good_as_the_undivided_problem(people, numbers, sites):
    problem = made(people, numbers, sites=sites, seed=people)
    plan = solve(problem)
    pairs = [(g.person, g.number) for g in plan.given if g.number]
    assert worth(problem, pairs) == pytest.approx(best_by_trying(problem), rel=0.01)


@given(
    st.integers(1, 25),
    st.integers(0, 25),
    st.integers(1, 3),
    st.integers(0, 10_000),
    st.lists(st.integers(0, 10), min_size=5, max_size=5),
)
def test_nobody_gets_two_no_number_goes_twice_and_as_many_as_can_get_one(
    people, numbers, sites, seed, weights
):
    problem = made(
        people, numbers, sites=sites, seed=seed, weights=dict(zip(Wish, weights, strict=True))
    )
    plan = solve(problem)
    given_ = [g.number for g in plan.given if g.number]
    assert len(plan.given) == people
    assert max(Counter(given_).values(), default=1) == 1
    assert len(given_) == min(people, numbers)
    assert all(g.why for g in plan.left_out)


def test_pins_stay_and_bars_never_come_back():
    problem = made(12, 20, seed=3)
    first = {g.person: g.number for g in solve(problem).given}
    again = solve(problem.copy_with(pins={"p0": first["p1"]}, barred=(("p2", first["p2"]),)))
    chosen = {g.person: g.number for g in again.given}
    assert chosen["p0"] == first["p1"]
    assert chosen["p2"] != first["p2"]
    assert len(set(chosen.values())) == 12


def test_a_number_pinned_twice_or_not_there_is_refused_by_the_field():
    problem = made(3, 5)
    number = problem.numbers[0].e164
    with pytest.raises(NotUnderstood, match="N1") as raised:
        solve(problem.copy_with(pins={"p0": number, "p1": number}))
    assert raised.value.field == "pin-p1"
    with pytest.raises(NotUnderstood, match="not among"):
        solve(problem.copy_with(pins={"p0": "+441134999999"}))


def test_the_extension_wins_and_is_said_and_so_is_why_it_could_not():
    people = (
        Wants(id="a", name="Ada", site="s", country="GB", extension="142"),
        Wants(id="b", name="Bea", site="s", country="GB", extension="142"),
        Wants(id="c", name="Cem", site="s", country="GB", extension="777"),
    )
    numbers = tuple(Free(e164=f"+44113496{n:04d}", site="s", country="GB") for n in (142, 150, 151))
    given_ = {g.person: g for g in solve(Problem(people=people, numbers=numbers)).given}
    winner = next(p for p in "ab" if given_[p].number == "+441134960142")
    loser = "b" if winner == "a" else "a"
    assert given_[winner].wishes[0].met
    assert "goes to" in given_[loser].wishes[0].why
    assert "ends in 777" in given_["c"].wishes[0].why


def test_memorable_numbers_and_long_runs_are_kept_while_others_are_left():
    person = (Wants(id="a", name="Ada", site="s", country="GB"),)
    plain = Free(e164="+441134960153", site="s", country="GB")
    fine = Free(e164="+441134960100", site="s", country="GB", memorable=0.9)
    inside = Free(e164="+441134960160", site="s", country="GB", run=100)
    assert (
        solve(Problem(people=person, numbers=(fine, plain, inside))).given[0].number == plain.e164
    )
    assert solve(Problem(people=person, numbers=(fine,))).given[0].number == fine.e164


def test_a_team_sits_in_one_run_that_it_fits_into():
    people = tuple(
        Wants(id=f"p{i}", name=f"N{i}", site="s", country="GB", team="archive") for i in range(4)
    )
    numbers = tuple(
        Free(e164=f"+44113496{n:04d}", site="s", country="GB")
        for n in (100, 102, 103, 104, 105, 110)
    )
    plan = solve(Problem(people=people, numbers=numbers))
    assert sorted(g.number[-3:] for g in plan.given) == ["102", "103", "104", "105"]
    assert plan.windows == {"s/archive": ("+441134960102", "+441134960105")}


def test_another_country_is_never_a_way_out_and_another_site_is_the_last():
    people = (
        Wants(id="a", name="Ada", site="s", country="GB"),
        Wants(id="b", name="Bea", site="t", country="DE"),
    )
    numbers = (Free(e164="+441134960101", site="other", country="GB"),)
    given_ = {g.person: g for g in solve(Problem(people=people, numbers=numbers)).given}
    assert given_["a"].number == "+441134960101"
    assert "another site" in given_["a"].why
    assert (given_["b"].number, "DE" in given_["b"].why) == (None, True)

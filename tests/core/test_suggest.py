"""Which free numbers suit a holder, and why."""

import pytest

from sedge.core.workorders.planner.problem import Free, Wants
from sedge.core.workorders.planner.suggest import suggest_for_line, suggest_for_person


def free(last, *, run=1, site="leeds", memorable=0.0, country="GB"):
    return Free(e164=f"+44113496{last}", site=site, country=country, run=run, memorable=memorable)


def person(**known):
    return Wants(id="p", name="Maya", site="leeds", country="GB", **known)


def told(found):
    return [(s.number.e164[-4:], s.why) for s in found]


def test_the_extension_comes_before_everything_else():
    numbers = [free("0101"), free("0144", run=40), free("0102")]
    assert told(suggest_for_person(person(extension="144"), numbers))[0] == (
        "0144",
        "ends in extension 144",
    )


def test_an_extension_of_one_digit_says_nothing():
    numbers = [free("0101", run=9), free("0104", run=40)]
    assert told(suggest_for_person(person(extension="4"), numbers))[0][0] == "0101"


def test_the_ending_of_the_last_number_is_kept_where_it_can_be():
    numbers = [free("0101"), free("0377", run=30)]
    found = suggest_for_person(person(before="+441514960377"), numbers)
    assert told(found)[0] == ("0377", "ends like 0151 496 0377, their last number")


def test_gaps_are_filled_before_runs_are_broken_and_the_lowest_comes_first():
    numbers = [free("0160", run=30), free("0145"), free("0121"), free("0150", run=5)]
    assert told(suggest_for_person(person(), numbers)) == [
        ("0121", "the only free one between two in use"),
        ("0145", "the only free one between two in use"),
        ("0150", "in a run of 5 free numbers"),
        ("0160", "in a run of 30 free numbers"),
    ]


def test_memorable_numbers_are_left_to_service_lines():
    numbers = [free("0100", memorable=0.9), free("0163", run=20)]
    assert told(suggest_for_person(person(), numbers))[0][0] == "0163"
    assert told(suggest_for_line("leeds", numbers))[0] == ("0100", "easily remembered")


def test_another_sites_number_comes_last_and_another_countrys_never():
    numbers = [free("0401", site="york"), free("0160", run=90), free("0199", country="DE")]
    found = told(suggest_for_person(person(extension="401"), numbers))
    assert found == [("0160", "in a run of 90 free numbers"), ("0401", "ends in extension 401")]
    assert told(suggest_for_line("leeds", numbers[:2]))[-1] == ("0401", "belongs to another site")


@pytest.mark.parametrize("most", [0, 1, 3])
def test_no_more_than_are_wanted(most):
    numbers = [free(f"01{n}") for n in range(10, 20)]
    assert len(suggest_for_person(person(), numbers, most)) == most
    assert len(suggest_for_line("leeds", numbers, most)) == most


def test_nothing_free_is_no_suggestion():
    assert suggest_for_person(person(), []) == []
    assert suggest_for_line("leeds", []) == []

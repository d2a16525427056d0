"""What the interface says of itself: every operation declares its answer, how one signs in and what
files it hands out, and the check of answers in all tests catches what it is for."""

import re
from typing import NotRequired

import pytest
from scripts.measure import untyped_operations
from typing_extensions import TypedDict

from tests.declared import differences, holding_to_declared


class Answered(TypedDict):
    name: str
    at: NotRequired[str]


@pytest.fixture(scope="module")
def described():
    from sedge.app import build_app

    return build_app().openapi()


def test_every_operation_declares_its_answer():
    assert untyped_operations() == []


@pytest.mark.parametrize(
    ("answered", "so"),
    [
        ({"name": "x"}, ""),
        ({"name": "x", "at": "now"}, ""),
        ({"name": "x", "more": 1}, "more"),
    ],
)
def test_an_answer_with_more_than_declared_is_told(answered, so):
    told = differences(Answered, answered)
    assert (told == "") == (so == "") and so in told


@pytest.mark.parametrize("answered", [{}, {"name": None}, []])
def test_an_answer_that_lacks_something_is_told(answered):
    with pytest.raises(ValueError, match="validation error"):
        differences(Answered, answered)


def test_answers_to_the_tests_are_checked(api):
    [check] = holding_to_declared()["response"]
    answer = api.get("numbers", params={"limit": 1})
    check(answer)
    answer._content = answer.content.replace(b'"e164"', b'"e165"')
    with pytest.raises(ValueError, match="e164"):
        check(answer)


def test_files_say_what_they_are(described):
    kinds = {
        path.removeprefix("/api/v1"): sorted(answers["200"]["content"])
        for path, operations in described["paths"].items()
        if "application/json" not in (answers := operations.get("get", {}).get("responses", {}))
        and "200" in answers
        and re.search(r"\.(csv|pdf|ics|xml|zone|cpl)$", path)
    }
    assert kinds == {
        "/enum.zone": ["text/dns"],
        "/exports/spots.csv": ["text/csv"],
        "/numbers/{number}/pidf-lo.xml": ["application/pidf+xml"],
        "/orders/{key}/form.pdf": ["application/pdf"],
        "/paths/{key}/hours.ics": ["text/calendar"],
        "/paths/{key}/path.cpl": ["application/cpl+xml"],
        "/trunks/{key}/numbers.csv": ["text/csv"],
        "/ports/{key}/calendar.ics": ["text/calendar"],
        "/ports/{key}/loa.pdf": ["application/pdf"],
        "/safety/tests/{key}/report.csv": ["text/csv"],
        "/safety/tests/{key}/report.pdf": ["application/pdf"],
        "/spots/{code}/pidf-lo.xml": ["application/pidf+xml"],
    }


def test_it_says_how_one_signs_in(described):
    assert set(described["components"]["securitySchemes"]) == {"token", "session"}
    assert described["security"] == [{"token": []}, {"session": []}]

"""A trunk's list beside the one that its other side has."""

import pytest

from tests.conftest import in_one_line

HTMX = {"HX-Request": "true"}
HERE = "/carriers/trunks/leeds-a"
API = "/api/v1/trunks/leeds-a"


@pytest.fixture
def ours(rowan):
    text = rowan.get(f"{HERE}/numbers.csv").text
    return text.split()[1:]


def give(rowan, numbers):
    answer = rowan.post(f"{HERE}/list", data={"text": "\n".join(numbers)}, follow_redirects=True)
    assert answer.status_code == 200, answer.text
    return answer.text


def today(rowan):
    return "Leeds A: the other side&#39;s list differs" in rowan.get("/").text


def test_lists_that_agree_are_said_to(rowan, ours):
    assert "nobody has given it yet" in rowan.get(f"{HERE}/list").text
    assert "Both lists agree" in give(rowan, ours)
    assert not today(rowan)
    seen = rowan.get(f"{API}/list-difference").json()
    assert (seen["ours"], seen["theirs"], seen["missing"], seen["extra"]) == (
        len(ours),
        len(ours),
        [],
        [],
    )


def test_differences_are_told_on_today_until_they_are_gone(rowan, ours):
    unlisted = "+441134960214"  # ours, on no trunk's list
    html = give(rowan, [*ours[2:], unlisted, "+493023125100"])
    assert "2 numbers: calls to them do not reach us" in html
    assert "2 numbers: who calls them reaches nobody here" in in_one_line(html)
    assert "not ours" in html
    assert today(rowan)
    missing = rowan.get(f"{HERE}/list/missing.csv").text.split()
    assert missing == ["number", *ours[:2]]
    draft = rowan.post(f"{HERE}/list/order", follow_redirects=True)
    assert "Put 1 number on Leeds A" in draft.text
    rowan.post(f"{HERE}/list/forget", follow_redirects=True)
    assert "nobody has given it yet" in rowan.get(f"{HERE}/list").text
    assert not today(rowan)
    nothing = rowan.post(f"{HERE}/list/order", headers=HTMX)
    assert (nothing.status_code, "None of these" in nothing.headers["Sedge-Problem"]) == (422, True)


def test_a_file_is_read_too_and_what_is_none_is_named(rowan, ours):
    files = {"file": ("list.csv", "﻿Number;Name\n" + "\n".join(f"{n};x" for n in ours))}
    assert rowan.post(f"{HERE}/list", files=files, follow_redirects=True).status_code == 200
    assert "Both lists agree" in rowan.get(f"{HERE}/list").text
    for files, field in (
        ({"file": ("list.xlsx", b"PK\x03\x04\x00\x00")}, "file"),
        ({"file": ("list.txt", b"hello")}, "text"),
    ):
        wrong = rowan.post(f"{HERE}/list", files=files, headers=HTMX)
        assert (wrong.status_code, f'"field": "{field}"' in wrong.headers["Sedge-Problem"]) == (
            422,
            True,
        )
    assert "Both lists agree" in rowan.get(f"{HERE}/list").text  # what was given before stays


def test_programs_give_the_list_too(rowan, ours):
    given = rowan.put(
        f"{API}/their-list",
        json={"text": f"{ours[0]}-{ours[9]}\n77777777777777777777"},
        headers={"Authorization": "Bearer demo"},
    )
    assert given.status_code == 200, given.text
    assert (given.json()["theirs"], len(given.json()["missing"])) == (10, len(ours) - 10)
    assert given.json()["unread"] == ["77777777777777777777"]

"""The rule that erases personal data, through the interface and the page."""

import pytest

HTMX = {"HX-Request": "true"}


def test_the_rule_is_read_and_set(api):
    before = api.get("leavers").json()
    assert before["days"] == 0
    assert all(one["on"] is None for one in before["leavers"])
    after = api.put("leavers", json={"days": 180}).json()
    assert after["days"] == api.get("leavers").json()["days"] == 180


@pytest.mark.parametrize("asked", [{"days": -1}, {"days": 9999}, {"days": "soon"}, {}, {"x": 1}])
def test_what_is_no_number_of_days_names_its_field(api, asked):
    answer = api.put("leavers", json=asked)
    assert answer.status_code == 422
    assert "days" in answer.text


def test_the_page_says_what_holds(client):
    client.post("/sign-in", data={"who": "rowan"})
    assert "Nothing is erased by itself" in client.get("/holders/leavers").text
    answer = client.post("/holders/leavers", data={"days": "90"})
    assert answer.headers["location"] == "/holders/leavers"
    assert "erased by itself 90 days after" in client.get("/holders/leavers").text
    assert (
        client.post("/holders/leavers", data={"days": "a while"}, headers=HTMX).status_code == 422
    )
    client.post("/holders/leavers", data={"days": ""})
    assert "Nothing is erased by itself" in client.get("/holders/leavers").text

"""Requests that nobody should send get an answer that names the field, never an error of ours."""

import json

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from sedge.outside.callbacks import signature

PERSON = '{"name": "Petra %s", "email": "petra@lanternfield.example", "site": "wharf-house"}'


def answer(api, method, path, body):
    found = api.request(method, path, content=body, headers={"Content-Type": "application/json"})
    return found.status_code, found.json() if "json" in found.headers["content-type"] else {}


@pytest.mark.parametrize("odd", [r"\u0000", r"\ud800", r"\udfff"])
def test_characters_that_are_no_text_are_refused_by_their_field(api, odd):
    status, told = answer(api, "POST", "people", PERSON % odd)
    assert (status, told["code"], told["field"]) == (422, "not-understood", "name")
    assert api.get("people", params={"find": "Petra"}).json()["items"] == []


def test_text_written_in_escapes_is_text(api):
    assert (
        answer(api, "POST", "people", PERSON % r"\u00dcnal \ud83c\udf3e")[1]["name"]
        == "Petra Ünal 🌾"
    )


@pytest.mark.parametrize(
    "body",
    [
        "{",
        "",
        "[]",
        "7",
        '"x"',
        r'{"name": "\u00"}',
        '{"a":' * 2000 + r'"\u0041"' + "}" * 2000,
        "[" * 50_000,
    ],
)
def test_bodies_that_are_no_objects_are_refused(api, body):
    assert answer(api, "POST", "people", body)[0] in {400, 422}


@pytest.mark.parametrize("after", ["-1", str(2**63), "1e9", "x", "9" * 40])
def test_a_cursor_is_a_number_that_we_have_given(api, after):
    found = api.get("ledger", params={"after": after})
    assert (found.status_code, found.json()["field"]) == (422, "after")


@pytest.mark.parametrize(
    "monday", ["0001-01-01", "9999-12-31", "1969-12-29", "tomorrow", "2026-13-01"]
)
def test_a_week_is_of_the_years_we_know_the_holidays_of(api, monday):
    found = api.get("paths/week", params={"monday": monday})
    assert (found.status_code, found.json()["field"]) == (422, "monday")


SAID = st.one_of(
    st.binary(max_size=60),
    st.recursive(
        st.none() | st.booleans() | st.integers() | st.text(max_size=12),
        lambda x: st.lists(x, max_size=3) | st.dictionaries(st.text(max_size=8), x, max_size=3),
    ).map(lambda said: json.dumps(said).encode()),
    st.fixed_dictionaries({"carrier": st.text(max_size=90), "order": st.text(max_size=90)}).map(
        lambda said: json.dumps(said).encode()
    ),
)


@settings(
    max_examples=120, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture]
)
@given(body=SAID, moment=st.one_of(st.just("now"), st.text(max_size=14)), signed=st.booleans())
def test_whatever_a_carrier_sends_is_answered(client, body, moment, signed):
    """Rightly signed or not: nonsense is refused, never a failure of ours."""
    installation = client.app.state.installation
    sent = str(int(installation.clock.now().timestamp())) if moment == "now" else moment
    secret = client.app.state.listener._secret if signed else "guessed"
    told = (
        sent.encode("ascii", "replace")
        .decode()
        .replace("\n", " ")
        .replace("\r", " ")
        .replace("\0", " ")
    )
    headers = {"Callback-Time": told, "Callback-Signature": signature(secret, told, body)}
    answer = client.post("/callbacks/carrier", content=body, headers=headers)
    assert answer.status_code < 500, (answer.status_code, body, told)
    assert answer.status_code in {204, 403, 404, 413, 422}
    if not signed:
        assert answer.status_code in {403, 422}

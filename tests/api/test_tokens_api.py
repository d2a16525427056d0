"""Programs with a token of their own: what they may, and what not."""

import pytest

ROOT = {"name": "export", "role": "administrator", "days": 10}


@pytest.fixture
def made(api):
    def make(**wishes):
        answer = api.post("tokens", json=ROOT | wishes)
        assert answer.status_code == 201
        return answer.json()

    return make


def bearer(made):
    return {"Authorization": f"Bearer {made['secret']}"}


def test_a_token_is_made_used_listed_and_revoked(api, made):
    token = made()
    assert api.get("numbers?limit=1", headers=bearer(token)).status_code == 200
    listed = next(t for t in api.get("tokens").json()["items"] if t["id"] == token["token"]["id"])
    assert listed["used_at"]
    assert "secret" not in listed
    assert api.delete(f"tokens/{listed['id']}").json()["revoked_at"]
    assert api.get("numbers?limit=1", headers=bearer(token)).status_code == 401


def test_one_that_only_reads_changes_nothing(api, made):
    token = made(read_only=True)
    refused = api.post("people", headers=bearer(token), json={})
    assert refused.status_code == 403
    assert api.get("people?limit=1", headers=bearer(token)).status_code == 200


def test_a_role_holds_for_a_program_too(api, made):
    token = made(role="help desk")
    assert api.get("members", headers=bearer(token)).status_code == 403
    assert api.get("ledger", headers=bearer(token)).status_code == 403
    assert api.get("people?limit=1", headers=bearer(token)).status_code == 200


def test_a_token_makes_no_others_and_reaches_no_other_organisation(api, made):
    token = made()
    assert api.post("tokens", json=ROOT, headers=bearer(token)).status_code == 403
    elsewhere = bearer(token) | {"Sedge-Organisation": "copperleaf"}
    assert api.get("numbers", headers=elsewhere).status_code == 403


def test_the_ledger_says_which_program_it_was(api, made):
    token = made()
    answer = api.patch(
        "numbers/+441134960100", json={"label": "by a program"}, headers=bearer(token)
    )
    assert answer.status_code == 200
    newest = api.get("ledger?limit=1").json()["items"][0]
    assert newest["actor"] == "Rowan Achterberg (export)"


@pytest.mark.parametrize(
    "headers",
    [
        {"X-Forwarded-For": "192.0.2.9"},
        {"X-Real-IP": "192.0.2.9"},
        {"Forwarded": "for=192.0.2.9"},
        {"Via": "1.1 proxy"},
    ],
)
def test_the_demos_token_counts_only_without_a_proxy_between(api, headers):
    assert api.get("numbers?limit=1").status_code == 200
    assert api.get("numbers?limit=1", headers=headers).status_code == 401


@pytest.mark.parametrize("host", ["attacker.example", "attacker.example:8420", "127.0.0.1.example"])
def test_a_strange_host_name_is_refused_before_anything_is_looked_at(api, host):
    answer = api.get("numbers?limit=1", headers={"Host": host})
    assert answer.status_code == 421
    assert "does not answer to this host name" in answer.text


@pytest.mark.parametrize("field", ["days", "role", "name"])
def test_a_wrong_wish_names_its_field(api, field):
    wrong = {"days": 0, "role": "owner", "name": ""}
    answer = api.post("tokens", json=ROOT | {field: wrong[field]})
    assert answer.status_code == 422
    assert field in answer.json()["field"]

"""Accounts over the API: keys told once and kept nowhere in the clear, one payment for each key of
a call."""

ASKED = {
    "accounts": [
        {"name": "Copperleaf Cafés", "opening": "50.00"},
        {"name": "Friends of the Observatory"},
    ]
}


def test_accounts_are_opened_once_and_their_keys_told_once(api, installation):
    first = api.post(
        "/carriers/brackwater/accounts", json=ASKED, headers={"Idempotency-Key": "k-1"}
    )
    assert first.status_code == 201
    keys = [x["key"] for x in first.json()["items"]]
    assert len(set(keys)) == 2
    again = api.post(
        "/carriers/brackwater/accounts", json=ASKED, headers={"Idempotency-Key": "k-1"}
    ).json()["items"]
    assert [(x["id"], x["key"]) for x in again] == [(x["id"], None) for x in first.json()["items"]]
    other = api.post(
        "/carriers/brackwater/accounts",
        json={"accounts": [{"name": "X"}]},
        headers={"Idempotency-Key": "k-1"},
    )
    assert other.status_code == 409
    for file in installation.settings.data.glob("estate-*.sqlite*"):
        assert not any(key.encode() in file.read_bytes() for key in keys)


def test_one_payment_for_each_key_and_what_moved_is_told(api):
    for _ in range(2):
        answer = api.post(
            "/carrier-accounts/fellgate-main/deposits",
            json={"amount": "12.50"},
            headers={"Idempotency-Key": "d-1"},
        )
        assert answer.status_code == 201
        assert answer.json()["balance"]["amount"] == "224.90"
    moves = api.get("/carrier-accounts/fellgate-main/moves").json()["items"]
    assert (moves[0]["action"], moves[0]["amount"]["amount"]) == ("account.deposited", "12.50")


def test_rules_are_set_and_refused_with_their_field(api):
    rule = {
        "low_mark": "50",
        "alert_phone": "+44 7700 900142",
        "top_up_at": "60",
        "top_up_amount": "40",
        "top_up_most": "80",
        "grace_days": "7",
    }
    answer = api.post("/carrier-accounts/fellgate-main/terms", json=rule).json()
    assert answer["top_up"] == {"at": "60", "amount": "40", "most_a_month": "80"}
    assert (answer["alert_phone"], answer["grace_days"]) == ("+447700900142", 7)
    assert api.get("/carrier-accounts/fellgate-main").json()["has_key"] is True
    wrong = api.post("/carrier-accounts/fellgate-main/terms", json={**rule, "top_up_most": "1"})
    assert (wrong.status_code, wrong.json()["field"]) == (422, "top_up_most")
    assert api.get("/carrier-accounts/nobody").status_code == 404

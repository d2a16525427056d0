"""What goes no further: large bodies from strangers, and larger ones than anything we take."""

import pytest

from sedge.web.front_gate import MOST_FORM, MOST_UNASKED, host_name

LARGE = b"x" * (MOST_UNASKED + 1)


class Counting:
    """A body that says how much of it was taken."""

    def __init__(self, pieces: int) -> None:
        self.pieces, self.taken = pieces, 0

    def __iter__(self):
        for _ in range(self.pieces):
            self.taken += 1
            yield b"x" * 10_000


@pytest.mark.parametrize("path", ["/numbers/files", "/api/v1/people", "/scim/v2/Users"])
def test_a_strangers_large_body_is_not_read(client, path):
    body = Counting(100)
    headers = {"Content-Length": str(100 * 10_000), "Content-Type": "text/csv"}
    answer = client.post(path, content=iter(body), headers=headers)
    assert answer.status_code in {401, 303}
    if answer.status_code == 303:
        assert answer.headers["location"].startswith("/sign-in")


@pytest.mark.parametrize(
    "headers", [{"Authorization": "Bearer nonsense"}, {"Cookie": "sedge_session=x"}]
)
def test_a_made_up_token_makes_nobody_known(client, headers):
    answer = client.post("/api/v1/people", content=LARGE, headers=headers)
    assert answer.status_code == 401


def test_who_is_signed_in_may_send_much(api):
    answer = api.post("people", content=LARGE, headers={"Content-Type": "application/json"})
    assert answer.status_code == 422


def test_json_has_a_limit_for_everybody(api):
    headers = {"Content-Type": "application/json", "Content-Length": str(MOST_FORM + 1)}
    answer = api.post("people", content=iter([b"{}"]), headers=headers)
    assert answer.status_code == 413
    assert answer.headers["content-type"] == "application/problem+json"
    assert "16 MB" in answer.json()["detail"]


@pytest.mark.parametrize(
    ("host", "name"),
    [
        ("sedge.example", "sedge.example"),
        ("Sedge.Example:8420", "sedge.example"),
        ("[::1]:8420", "::1"),
        ("[::1]", "::1"),
        ("127.0.0.1", "127.0.0.1"),
        ("", ""),
        ("a b", ""),
        ("user@sedge.example", ""),
        ("sedge.example/..", ""),
        ("sedge.example:port", ""),
    ],
)
def test_a_host_header_is_read_as_it_is_defined(host, name):
    assert host_name(host) == name

"""What goes no further: large bodies from strangers, and larger ones than anything we take."""

import pytest

from sedge.demo.members import MEMBERS
from sedge.services.access import tokens
from sedge.services.access.callers import host_name, is_local
from sedge.services.access.tokens import Wish
from sedge.web.front_gate import MOST_FORM, MOST_UNASKED

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


@pytest.mark.parametrize(
    ("host", "local"),
    [
        ("localhost", True),
        ("127.0.0.1:8420", True),
        ("[::1]", True),
        ("[::1]:8420", True),
        ("sedge.example", False),
        ("", False),
    ],
)
def test_this_machine_is_known_by_a_local_name(host, local):
    assert is_local("127.0.0.1", {"host": host}) is local
    assert not is_local("192.0.2.7", {"host": host})


def test_a_program_from_a_network_it_may_not_come_from_is_no_error(client, installation):
    made = tokens.make(installation.context(MEMBERS[0]), Wish("export", MEMBERS[0].role, 1))
    installation.settings = installation.settings.model_copy(
        update={"role_networks": {MEMBERS[0].role: ("192.0.2.0/24",)}}
    )
    bearer = {"Authorization": f"Bearer {made.secret}"}
    assert client.post("/api/v1/people", content=LARGE, headers=bearer).status_code == 401
    assert client.get("/api/v1/people", headers=bearer).status_code == 403

"""Signing in through an OpenID Connect provider that really answers over HTTP: who is let in, and
what is not believed."""

import base64
import hashlib
import json
import threading
import time
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from urllib.parse import parse_qs, urlencode, urlsplit

import httpx
import pytest
from joserfc import jwt
from joserfc.jwk import ECKey
from pydantic import SecretStr

from sedge.demo.members import MEMBERS
from tests.conftest import in_one_line

ROWAN = MEMBERS[0]
BACK = "/sign-in/provider/back"


class Provider:
    """One that lets everybody in who comes. `claims` go over what it says of them, `signed_with`
    is its key, `secret` what clients are known by."""

    def __init__(self) -> None:
        self.key = self.signed_with = ECKey.generate_key("P-256", {"kid": "one"}, private=True)
        self.claims: dict = {}
        self.asked: dict = {}
        self.codes: dict = {}
        self.server = ThreadingHTTPServer(("127.0.0.1", 0), self._handler())
        self.issuer = f"http://127.0.0.1:{self.server.server_port}"
        threading.Thread(target=self.server.serve_forever, daemon=True).start()

    def stop(self) -> None:
        self.server.shutdown()
        self.server.server_close()

    def _handler(self):
        provider = self

        class Handler(BaseHTTPRequestHandler):
            def do_GET(self):
                parts = urlsplit(self.path)
                query = {k: v[0] for k, v in parse_qs(parts.query).items()}
                if parts.path == "/authorize":
                    provider.asked = query
                    provider.codes["the-code"] = query
                    back = urlencode({"code": "the-code", "state": query["state"]})
                    self.send_response(302)
                    self.send_header("Location", f"{query['redirect_uri']}?{back}")
                    self.end_headers()
                elif parts.path == "/keys":
                    self._say({"keys": [provider.key.as_dict(private=False)]})
                else:
                    self._say(provider.published())

            def do_POST(self):
                body = self.rfile.read(int(self.headers["Content-Length"])).decode()
                form = {k: v[0] for k, v in parse_qs(body).items()}
                asked = provider.codes.pop(form.get("code"), None)
                digest = hashlib.sha256(form.get("code_verifier", "").encode()).digest()
                challenge = base64.urlsafe_b64encode(digest).rstrip(b"=").decode()
                known = self.headers["Authorization"] == (
                    "Basic " + base64.b64encode(b"sedge:secret").decode()
                )
                if asked is None or asked["code_challenge"] != challenge or not known:
                    self._say({"error": "invalid_grant"}, 400)
                else:
                    self._say(
                        {
                            "access_token": "x",
                            "token_type": "Bearer",
                            "id_token": provider.token(asked["nonce"]),
                        }
                    )

            def _say(self, answer, status=200):
                content = json.dumps(answer).encode()
                self.send_response(status)
                self.send_header("Content-Type", "application/json")
                self.send_header("Content-Length", str(len(content)))
                self.end_headers()
                self.wfile.write(content)

            def log_message(self, *_):
                pass

        return Handler

    def published(self):
        return {
            "issuer": self.issuer,
            "authorization_endpoint": f"{self.issuer}/authorize",
            "token_endpoint": f"{self.issuer}/token",
            "jwks_uri": f"{self.issuer}/keys",
        }

    def token(self, nonce):
        now = int(time.time())
        claims = {
            "iss": self.issuer,
            "aud": "sedge",
            "sub": "248289761001",
            "exp": now + 300,
            "iat": now,
            "nonce": nonce,
            "email": ROWAN.email,
            "email_verified": True,
        } | self.claims
        return jwt.encode({"alg": "ES256", "kid": "one"}, claims, self.signed_with)


@pytest.fixture
def provider(installation):
    made = Provider()
    installation.settings = installation.settings.model_copy(
        update={
            "oidc_issuer": made.issuer,
            "oidc_name": "the Trust",
            "oidc_client_id": "sedge",
            "oidc_client_secret": SecretStr("secret"),
        }
    )
    yield made
    made.stop()


def journey(client, to="/"):
    """Out to the provider, in there, and the address that leads back."""
    left = client.get(f"/sign-in/provider?to={to}")
    assert left.status_code == 303
    return httpx.get(left.headers["location"], follow_redirects=False).headers["location"]


def come_back(client, address):
    return client.get(address)


def test_who_is_known_there_gets_in_here_and_where_they_wanted(client, provider):
    assert "Sign in through the Trust" in in_one_line(client.get("/sign-in").text)
    answer = come_back(client, journey(client, "/numbers"))
    assert (answer.status_code, answer.headers["location"]) == (303, "/numbers")
    assert client.get("/account").status_code == 200
    assert provider.asked["code_challenge_method"] == "S256"
    assert provider.asked["redirect_uri"].endswith(BACK)


def test_the_link_holds_when_the_mail_address_changes_there(client, provider):
    come_back(client, journey(client))
    client.cookies.clear()
    provider.claims = {"email": "someone.else@elsewhere.example"}
    assert come_back(client, journey(client)).status_code == 303
    assert ROWAN.email in client.get("/account").text


def test_somebody_elses_identity_does_not_take_over_a_linked_address(client, provider):
    come_back(client, journey(client))
    client.cookies.clear()
    provider.claims = {"sub": "another"}
    answer = come_back(client, journey(client))
    assert answer.status_code == 403
    assert client.get("/account").status_code == 303


@pytest.mark.parametrize(
    "claims",
    [
        {"email_verified": False},
        {"email_verified": "true"},
        {"email": "stranger@lanternfield.example"},
        {"email": ""},
    ],
)
def test_who_was_not_let_in_stays_out(client, provider, claims):
    provider.claims = claims
    answer = come_back(client, journey(client))
    assert answer.status_code == 403
    assert "Ask an administrator" in answer.text
    assert client.get("/account").status_code == 303


@pytest.mark.parametrize(
    "claims",
    [
        {"iss": "http://127.0.0.1:9"},
        {"aud": "another"},
        {"nonce": "another"},
        {"exp": 1},
        {"sub": None},
    ],
)
def test_a_token_for_something_else_is_not_believed(client, provider, claims):
    provider.claims = claims
    assert come_back(client, journey(client)).status_code == 401
    assert client.get("/account").status_code == 303


def test_a_token_signed_with_another_key_is_not_believed(client, provider):
    provider.signed_with = ECKey.generate_key("P-256", {"kid": "one"}, private=True)
    assert come_back(client, journey(client)).status_code == 401


def test_a_code_is_of_use_to_the_browser_that_asked_only_and_once(client, provider):
    back = journey(client)
    cookie = dict(client.cookies)
    client.cookies.clear()
    assert come_back(client, back).status_code == 401  # no cookie: somebody else's link
    client.cookies.update(cookie)
    assert come_back(client, back).status_code == 401  # and it is used up by that


def test_without_a_second_factor_there_it_is_asked_for_here(client, installation, provider):
    installation.settings = installation.settings.model_copy(update={"demo": False})
    assert come_back(client, journey(client)).headers["location"] == "/sign-in/set-up"
    assert client.get("/numbers").status_code == 303
    client.cookies.clear()
    provider.claims = {"amr": ["pwd", "mfa"]}
    assert come_back(client, journey(client)).headers["location"] == "/"
    assert client.get("/numbers").status_code == 200


def test_a_provider_that_is_silent_or_calls_itself_otherwise_is_said_so(
    client, installation, provider
):
    provider.stop()
    answer = client.get("/sign-in/provider")
    assert answer.status_code == 502
    assert "does not answer" in answer.text


def test_who_has_no_password_proves_it_there_again(client, provider):
    come_back(client, journey(client))
    page = client.get("/sure?to=/account").text
    assert 'href="/sign-in/provider?to=/account"' in page.replace("%2F", "/")


def test_without_a_provider_there_is_no_such_door(client):
    assert client.get("/sign-in/provider").status_code == 404
    assert "Sign in through" not in client.get("/sign-in").text

"""An OpenID Connect provider (OpenID Connect Core 1.0, Discovery 1.0): where people are sent to
sign in, and what comes back about them. Authorization code flow with PKCE (RFC 7636)."""

import secrets
from dataclasses import dataclass
from typing import TYPE_CHECKING, cast

import httpx

from sedge import metrics
from sedge.core.errors import NotSignedIn, OutsideSilent

if TYPE_CHECKING:
    from joserfc.jwk import KeySetSerialization

NAME = "The identity provider"
SIGNED_BY = ("RS256", "PS256", "ES256", "EdDSA")  # never "none", never a shared secret
SCOPE = "openid email profile"
LEEWAY = 60  # seconds between the clocks


@dataclass(frozen=True)
class Journey:
    """Somebody on their way to the provider and back: what must be the same on return."""

    state: str
    nonce: str
    verifier: str
    address: str


@dataclass(frozen=True)
class Claimed:
    """What the provider says of who came back, its signature checked."""

    issuer: str
    subject: str
    email: str
    is_verified: bool
    has_second_factor: bool


class IdentityProvider:
    """What the provider publishes is asked anew after each failure to read a token, as its keys
    change."""

    def __init__(self, issuer: str, client_id: str, secret: str, seconds: float = 5.0) -> None:
        self.issuer = issuer
        self._client_id, self._secret, self._seconds = client_id, secret, seconds
        self._published: dict[str, object] = {}

    def begin(self, back: str) -> Journey:
        """Where to send somebody. Raises OutsideSilent."""
        from authlib.integrations.httpx_client import OAuth2Client

        nonce, verifier = secrets.token_urlsafe(24), secrets.token_urlsafe(48)
        client = OAuth2Client(
            self._client_id, scope=SCOPE, redirect_uri=back, code_challenge_method="S256"
        )
        with cast("httpx.Client", client):
            address, state = client.create_authorization_url(
                self._told("authorization_endpoint"), nonce=nonce, code_verifier=verifier
            )
        return Journey(state, nonce, verifier, address)

    def finish(self, journey: Journey, code: str, back: str) -> Claimed:
        """Who came back with a code. Raises NotSignedIn for what the provider does not stand by,
        OutsideSilent."""
        from authlib.common.errors import AuthlibBaseError
        from authlib.integrations.httpx_client import OAuth2Client

        client = OAuth2Client(
            self._client_id, self._secret, redirect_uri=back, timeout=self._seconds
        )
        try:
            with cast("httpx.Client", client), metrics.calling(NAME):
                told = client.fetch_token(
                    self._told("token_endpoint"), code=code, code_verifier=journey.verifier
                )
        except (AuthlibBaseError, ValueError) as error:
            raise NotSignedIn(f"{NAME} does not stand by this sign-in. Begin again.") from error
        except httpx.HTTPError as error:
            raise self._silent(error) from error
        return self._claimed(str(told.get("id_token", "")), journey.nonce)

    def close(self) -> None:
        """Nothing is kept open."""

    def _claimed(self, token: str, nonce: str) -> Claimed:
        from joserfc import jwt
        from joserfc.errors import JoseError
        from joserfc.jwk import KeySet

        try:
            published = self._get(self._told("jwks_uri"))
            keys = KeySet.import_key_set(cast("KeySetSerialization", published))
            found = jwt.decode(token, keys, algorithms=list(SIGNED_BY)).claims
            jwt.JWTClaimsRegistry(
                leeway=LEEWAY,
                iss={"essential": True, "value": self._told("issuer")},
                aud={"essential": True, "value": self._client_id},
                sub={"essential": True},
                exp={"essential": True},
                nonce={"essential": True, "value": nonce},
            ).validate(found)
        except (JoseError, ValueError, KeyError, TypeError) as error:
            self._published = {}
            raise NotSignedIn(f"{NAME} said nothing that can be trusted. Begin again.") from error
        ways = found.get("amr")
        return Claimed(
            self.issuer,
            str(found["sub"])[:255],
            str(found.get("email") or "")[:200].lower(),
            found.get("email_verified") is True,
            isinstance(ways, list) and "mfa" in ways,  # RFC 8176
        )

    def _told(self, name: str) -> str:
        if not self._published:
            found = self._get(f"{self.issuer}/.well-known/openid-configuration")
            if str(found.get("issuer", "")).rstrip("/") != self.issuer:
                raise OutsideSilent(f"{NAME} calls itself otherwise than the settings do.")
            self._published = found
        value = self._published.get(name)
        if not isinstance(value, str):
            raise OutsideSilent(f"{NAME} does not publish its {name}.", service=NAME)
        return value

    def _get(self, address: str) -> dict[str, object]:
        try:
            with metrics.calling(NAME):
                answer = httpx.get(address, timeout=self._seconds).raise_for_status()
            found = answer.json()
        except (httpx.HTTPError, ValueError) as error:
            raise self._silent(error) from error
        if not isinstance(found, dict):
            raise OutsideSilent(f"{NAME} answers with something else.", service=NAME)
        return found

    def _silent(self, error: Exception) -> OutsideSilent:
        return OutsideSilent(
            f"{NAME} does not answer. Try again in a minute, or sign in with your password.",
            service=NAME,
            cause=type(error).__name__,
        )

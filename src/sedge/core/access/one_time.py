"""Links that need no account: a token that says whose organisation it belongs to, of which only the
hash is kept."""

import hashlib
import secrets

SECRET_BYTES = 24
SHORTEST, LONGEST = 20, 60  # characters of the part that nobody can guess


def new_token(organisation: str) -> str:
    return f"{organisation}.{secrets.token_urlsafe(SECRET_BYTES)}"


def organisation_in(token: str) -> str:
    """'' for what can't be such a token."""
    organisation, _, secret = token.partition(".")
    return organisation if SHORTEST <= len(secret) <= LONGEST else ""


def digest_of(token: str) -> str:
    """What is kept of it: SHA-256, in hexadecimal digits."""
    return hashlib.sha256(token.encode()).hexdigest()

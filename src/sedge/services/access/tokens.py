"""Tokens for programs: made by a person, never reaching further than that person does, shown once,
used until a day, and revoked at once."""

import secrets
from dataclasses import dataclass, replace
from datetime import timedelta

from sedge.core.access.roles import ALLOWED, KEPT_TO_SITES, AccessRole, May
from sedge.core.errors import Forbidden, NotFound, NotUnderstood
from sedge.core.records import Site, Subject
from sedge.services.access import access
from sedge.services.access.passwords import digest
from sedge.services.access.throttle import Caller
from sedge.services.context import Context, Installation
from sedge.store.repositories.access import sign_ins, tokens
from sedge.store.repositories.access.sign_ins import Member
from sedge.store.repositories.access.tokens import Token

PREFIX = "sedge_"  # so that a token that got loose can be told for what it is
MOST_DAYS = 366
MOST_TOKENS = 100


@dataclass(frozen=True)
class Wish:
    """What somebody wants a token for. `role` and `sites` say how far it reaches, `days` how
    long."""

    name: str
    role: AccessRole
    days: int
    read_only: bool = False
    sites: tuple[str, ...] = ()


@dataclass(frozen=True)
class Made:
    """A new token and its text, which is never shown again."""

    token: Token
    secret: str


def within(role: AccessRole, owner: AccessRole) -> bool:
    """Whether `role` may nothing that `owner` may not, and is kept to sites where `owner` is."""
    return ALLOWED[role] <= ALLOWED[owner] and (owner not in KEPT_TO_SITES or role in KEPT_TO_SITES)


def roles_for(owner: AccessRole) -> list[AccessRole]:
    """The roles that somebody can give a token, their own first."""
    others = [role for role in AccessRole if role is not owner and within(role, owner)]
    return [owner, *others]


def make(context: Context, wish: Wish) -> Made:
    """Raises NotUnderstood naming the field, Forbidden for a role or a site beyond one's own."""
    if context.who.token:
        raise Forbidden("A token makes no others: it would outlast its own end.")
    name = wish.name.strip()
    if not 1 <= len(name) <= 80:
        raise NotUnderstood("A token needs a name of at most 80 characters.", field="name")
    if not 1 <= wish.days <= MOST_DAYS:
        raise NotUnderstood(f"A token lasts 1 to {MOST_DAYS} days.", field="days")
    if not within(wish.role, context.who.role):
        raise Forbidden(
            f"As {context.who.role} you can't give a token the role {wish.role}.", field="role"
        )
    sites = _sites(context, wish)
    now, secret = context.installation.clock.real(), PREFIX + secrets.token_urlsafe(32)
    token = Token(
        id=f"token-{secrets.token_hex(5)}",
        name=name,
        sign_in=context.who.sign_in,
        organisation=context.who.organisation,
        role=wish.role,
        sites=sites,
        read_only=wish.read_only,
        made_at=now,
        expires_at=now + timedelta(days=wish.days),
    )
    with context.installation.shared.writing() as connection:
        mine = tokens.all_of(connection, context.who.organisation, context.who.sign_in)
        if sum(t.revoked_at is None and t.expires_at > now for t in mine) >= MOST_TOKENS:
            raise NotUnderstood(
                f"You have {MOST_TOKENS} tokens in use. Revoke some first.", field="name"
            )
        tokens.add(connection, digest(secret), token)
    _note(context, "token.made", token)
    return Made(token, secret)


def list_tokens(context: Context) -> list[Token]:
    """One's own; an administrator sees everybody's."""
    whose = None if access_to_all(context) else context.who.sign_in
    with context.installation.shared.reading() as connection:
        return tokens.all_of(connection, context.who.organisation, whose)


def access_to_all(context: Context) -> bool:
    return May.SET_RULES in ALLOWED[context.who.role]


def revoke(context: Context, key: str) -> Token:
    """It lets nobody in from now on. Raises NotFound for one that is not there, not one's own, or
    has ended."""
    token = next((t for t in list_tokens(context) if t.id == key), None)
    now = context.installation.clock.real()
    with context.installation.shared.writing() as connection:
        if token is None or not tokens.revoke(connection, key, now, context.actor):
            raise NotFound("There is no such token, or it has ended.", subject="token", id=key)
    _note(context, "token.revoked", token)
    return replace(token, revoked_at=now, revoked_by=context.actor)


def whose(installation: Installation, secret: str, caller: Caller) -> Member | None:
    """Who a program acts as. None for a token that has ended, whose owner has left, or may less
    now than the token says."""
    if not secret.startswith(PREFIX):
        return None
    now = installation.clock.real()
    with installation.shared.reading() as connection:
        token = tokens.by_hash(connection, digest(secret), now)
        here = sign_ins.memberships_of(connection, token.sign_in) if token else []
    owner = next((m for m in here if token and m.organisation == token.organisation), None)
    if token is None or owner is None or not within(token.role, owner.role):
        return None
    access.refuse_network(installation, owner, caller)
    if token.used_at is None or now - token.used_at > tokens.USED_EVERY:
        with installation.shared.writing() as connection:
            tokens.note_use(connection, token.id, now, caller.address)
    sites = token.sites or owner.sites
    if owner.sites:
        sites = tuple(site for site in sites if site in owner.sites)
    if token.role in KEPT_TO_SITES and not sites:
        return None
    return replace(
        owner,
        name=f"{owner.name} ({token.name})",
        role=token.role,
        sites=sites,
        read_only=token.read_only,
        token=token.id,
    )


def _sites(context: Context, wish: Wish) -> tuple[str, ...]:
    if wish.role not in KEPT_TO_SITES:
        return ()
    wanted = wish.sites or context.who.sites
    if not wanted:
        raise NotUnderstood("Choose at least one site for this role.", field="sites")
    with context.reading() as reading:
        known = {site.id for site in reading.records.many(Site, wanted)}
    for site in wanted:
        if site not in known:
            raise NotUnderstood(f"There is no site {site}.", field="sites")
        context.who.scope.require(site)
    return tuple(dict.fromkeys(wanted))


def _note(context: Context, action: str, token: Token) -> None:
    reach = f"{token.role}{', reads only' if token.read_only else ''}"
    until = f"until {token.expires_at:%-d %B %Y}"
    with context.writing() as writing:
        writing.record_event(
            action, Subject.SIGN_IN, context.who.email, f"{token.name}: {reach}, {until}"
        )

"""Signing in through an OpenID Connect provider: who is known there is known here by the provider's
own name for them, linked once by a mail address that it has verified. Nobody gets in who was not
let in by an administrator."""

from dataclasses import dataclass
from datetime import datetime, timedelta

from sedge.core.errors import Forbidden, NotFound, NotSignedIn
from sedge.core.records import Subject
from sedge.outside.identity_provider import Claimed, IdentityProvider, Journey
from sedge.services.access import access, second_factor
from sedge.services.access.access import Awaits
from sedge.services.access.throttle import Caller, knock
from sedge.services.context import Installation
from sedge.services.process import Slot
from sedge.store.repositories.access import factors, sign_ins
from sedge.store.repositories.access.sign_ins import Member

UNDER_WAY = Slot["OnTheWay"]("journeys to the identity provider")
PROVIDER = Slot[IdentityProvider]("the identity provider")
LASTS = timedelta(minutes=10)
MOST = 5000  # journeys at a time; the oldest are forgotten


@dataclass(frozen=True)
class OnTheWay:
    journey: Journey
    to: str
    until: datetime


def provider(installation: Installation) -> IdentityProvider:
    """Raises NotFound where the settings name none."""
    settings, kept = installation.settings, installation.process.under_way(PROVIDER)
    if not settings.oidc_issuer:
        raise NotFound("Nobody signs in here through another provider.")
    known = kept.get(settings.oidc_issuer)
    if known is None:
        known = kept[settings.oidc_issuer] = IdentityProvider(
            settings.oidc_issuer,
            settings.oidc_client_id,
            settings.oidc_client_secret.get_secret_value(),
            settings.outside_seconds,
        )
    return known


def begin(installation: Installation, back: str, to: str, caller: Caller) -> Journey:
    """Raises NotFound, TooMany, OutsideSilent."""
    knock(installation, "provider", "", caller)
    journey, now = provider(installation).begin(back), installation.clock.real()
    under_way = installation.process.under_way(UNDER_WAY)
    for state in [s for s, one in under_way.items() if one.until < now]:
        under_way.pop(state, None)
    while len(under_way) >= MOST:
        under_way.pop(next(iter(under_way)), None)
    under_way[journey.state] = OnTheWay(journey, to, now + LASTS)
    return journey


def finish(
    installation: Installation, state: str, kept_state: str, code: str, back: str, caller: Caller
) -> tuple[str, str]:
    """Let in who comes back: a session's token, and where they wanted to go. `kept_state` is what
    their browser took along. Raises NotSignedIn, Forbidden for who was not let in, OutsideSilent.
    """
    one = installation.process.under_way(UNDER_WAY).pop(state, None)
    if one is None or state != kept_state or one.until < installation.clock.real():
        raise NotSignedIn("This sign-in was begun too long ago, or elsewhere. Begin again.")
    claimed = provider(installation).finish(one.journey, code, back)
    member = _member(installation, claimed)
    access.refuse_network(installation, member, caller)
    proven = claimed.has_second_factor or installation.settings.oidc_second_factor
    asked = second_factor.is_asked_of(installation, member.role)
    had = second_factor.factors_of(installation, member.sign_in).has_any
    awaits = Awaits.NOTHING
    if not proven and had:
        awaits = Awaits.CODE
    elif not proven and asked:
        awaits = Awaits.SET_UP
    return access.open_as(installation, member, caller, awaits), one.to


def _member(installation: Installation, claimed: Claimed) -> Member:
    with installation.shared.reading() as connection:
        known = factors.linked(connection, claimed.issuer, claimed.subject)
    if known is None:
        known = _linked_now(installation, claimed)
    with installation.shared.reading() as connection:
        member = sign_ins.member(connection, known)
    if member is None:
        raise Forbidden("You act for no organisation here. Ask an administrator to invite you.")
    return member


def _linked_now(installation: Installation, claimed: Claimed) -> str:
    """By the mail address, once, and only where the provider has verified it and nobody of that
    provider is linked to it."""
    with installation.shared.writing() as connection:
        found = sign_ins.by_email(connection, claimed.email) if claimed.is_verified else None
        if found is None or factors.has_identity(connection, claimed.issuer, found.id):
            raise Forbidden(
                f"{claimed.email or 'You'} was not let in here. Ask an administrator to invite"
                " that mail address."
            )
        now = installation.clock.real()
        factors.link(connection, claimed.issuer, claimed.subject, found.id, now)
        member = sign_ins.member(connection, found.id)
    if member and member.organisation in installation.estates:
        with installation.context(member).writing() as writing:
            title = f"{member.name} ({member.email})"
            writing.record_event("sign-in.linked", Subject.SIGN_IN, member.email, title)
    return found.id

"""How a trunk is set up: changed by a work order, its secret sealed, its sheet handed out."""

import secrets
from collections.abc import Sequence
from dataclasses import dataclass, replace

from pydantic import BaseModel, ConfigDict, Field, ValidationError

from sedge.core.access.roles import May
from sedge.core.enums import Subject, Transport
from sedge.core.errors import NotAllowedNow, NotUnderstood
from sedge.core.facts import counted
from sedge.core.records import Carrier, Site, Trunk
from sedge.core.trunks.life import TrunkEvent
from sedge.core.trunks.number_rules import read_send_rules, send_rules_as_text
from sedge.core.trunks.pasted import Pasted
from sedge.core.trunks.records import (
    Diversion,
    Dtmf,
    Identity,
    KnownBy,
    NumberFormat,
    SignIn,
    TrunkSettings,
)
from sedge.core.trunks.settings import (
    MOST_CHANNELS,
    read_addresses,
    read_codecs,
    read_header,
    read_host,
    read_port,
    untrusted,
)
from sedge.core.trunks.sheet import Sheet, sheet_of
from sedge.core.trunks.tasks import MOST_SERVED, ChangeTrunk, MoveTrunk
from sedge.services.context import Context
from sedge.services.trunks import adding, sbcs
from sedge.services.trunks.connection_tests import secret_name
from sedge.services.workorders import workorders
from sedge.store import secrets as secrets_store
from sedge.store.repositories.workorders import WorkOrder

SECRET_BYTES = 18
STRONG = 4  # of 4, as zxcvbn judges: more than 10^10 guesses
LONGEST_SECRET = 72


class SettingsAsked(BaseModel):
    """How a trunk is to be set up, as somebody types it; addresses and codecs with commas or line
    ends between, rules for numbers it sends one a line."""

    model_config = ConfigDict(extra="forbid")
    name: str = Field(max_length=200)
    host: str = Field(max_length=500)
    port: str = Field(default="", max_length=20)
    transport: Transport = Transport.TLS
    outbound_proxy: str = Field(default="", max_length=500)
    channels: int = Field(default=0, ge=0, le=MOST_CHANNELS)
    sign_in: SignIn = SignIn.REGISTER
    user: str = Field(default="", max_length=200)
    addresses: str = Field(default="", max_length=500_000)
    codecs: str = Field(default="G722, PCMA, PCMU", max_length=500)
    dtmf: Dtmf = Dtmf.RFC4733
    session: int = Field(default=1800, ge=0, le=86_400)
    options_every: int = Field(default=60, ge=0, le=3600)
    sends: NumberFormat = NumberFormat.PLUS
    expects: NumberFormat = NumberFormat.PLUS
    last_digits: int = Field(default=4, ge=2, le=15)
    identity_out: Identity = Identity.PAI
    identity_in: Identity = Identity.PAI
    diversion: Diversion = Diversion.HISTORY
    known_by: KnownBy = KnownBy.ADDRESS
    known_header: str = Field(default="", max_length=300)
    send_rules: str | None = Field(
        default=None, max_length=10_000, description="left out: they stay as they are"
    )
    others_caller_ids: bool = False
    emergency: bool = True
    sbc: str = Field(default="", max_length=80)
    serves: list[str] = Field(
        default_factory=list, max_length=MOST_SERVED, description="sites; none for every one"
    )


@dataclass(frozen=True)
class SettingsView:
    """`settings` are the usual ones where nobody has said any; `has_secret` whether one is kept;
    `secret` one that was pasted just now;
    `serves` names of sites."""

    trunk: Trunk
    carrier: str
    site: str
    settings: TrunkSettings
    has_secret: bool
    secret: str = ""
    serves: tuple[str, ...] = ()

    @property
    def serves_in_words(self) -> str:
        """`Canal Museum, Wharf House and 1 site of others`: theirs are not named."""
        if not self.trunk.serves:
            return "every site"
        hidden = len(self.trunk.serves) - len(self.serves)
        more = [f"{counted(hidden, 'site')} of others"] if hidden else []
        return " and ".join([", ".join(self.serves)] * bool(self.serves) + more)

    @property
    def send_rules(self) -> str:
        """As they are typed."""
        return send_rules_as_text(self.settings.send_rules)


def view(context: Context, key: str) -> SettingsView:
    """Raises NotFound."""
    with context.reading() as reading:
        trunk = reading.records.the(Trunk, key)
        carrier = reading.records.the(Carrier, trunk.carrier).name
        site = reading.records.the(Site, trunk.site).name
        serves = sorted(s.name for s in reading.records.many(Site, set(trunk.serves)))
        secret = secrets_store.read(
            reading.connection, context.installation.keyring, secret_name(key)
        )
    settings = trunk.settings or TrunkSettings()
    return SettingsView(trunk, carrier, site, settings, bool(secret), serves=tuple(serves))


def with_pasted(context: Context, key: str, pasted: Pasted) -> SettingsView:
    """A trunk as it would be with what was recognised; what can't be used stays as it was. Raises
    NotFound."""
    seen = view(context, key)
    fields = as_typed(seen)
    for name, value in pasted.fields.items():
        if name in SettingsAsked.model_fields:
            try:
                read_asked(SettingsAsked.model_validate(fields | {name: value}))
            except (NotUnderstood, ValidationError):
                pasted.left.append(f"{name}: {value}"[:120])
            else:
                fields[name] = value
    _, host, settings = read_asked(SettingsAsked.model_validate(fields))
    trunk = seen.trunk.copy_with(host=host, channels=int(str(fields["channels"])))
    return replace(seen, trunk=trunk, settings=settings, secret=pasted.fields.get("secret", ""))


def as_typed(seen: SettingsView) -> dict[str, object]:
    """Settings as the form has them; a host that nobody has named yet as one that can be read."""
    typed: dict[str, object] = {
        name: ", ".join(value) if isinstance(value, tuple) else str("" if value is None else value)
        for name, value in seen.settings.model_dump(mode="python", exclude={"send_rules"}).items()
    }
    typed["send_rules"] = seen.send_rules
    return typed | {
        "name": seen.trunk.name,
        "host": seen.trunk.host or "sip.invalid",
        "channels": str(seen.trunk.channels),
        "emergency": "yes" if seen.trunk.emergency else "no",
        "sbc": seen.trunk.sbc,
        "serves": list(seen.trunk.serves),
    }


def read_asked(asked: SettingsAsked) -> tuple[str, str, TrunkSettings]:
    """Name, host and settings. Raises NotUnderstood naming the field."""
    name = " ".join(asked.name.split())
    if not 1 <= len(name) <= 80:
        raise NotUnderstood("A trunk needs a name of at most 80 characters.", field="name")
    user = asked.user.strip()
    if any(ch in user for ch in '"<>;, \r\n\\'):
        message = "A sign-in name has no spaces, quotes or brackets."
        raise NotUnderstood(message, field="user", reason="user")
    proxy = asked.outbound_proxy.strip()
    return (
        name,
        read_host(asked.host),
        TrunkSettings(
            port=read_port(asked.port),
            transport=asked.transport,
            outbound_proxy=read_host(proxy, "outbound_proxy") if proxy else "",
            sign_in=asked.sign_in,
            user=user,
            addresses=read_addresses(asked.addresses),
            codecs=read_codecs(asked.codecs),
            dtmf=asked.dtmf,
            session=asked.session,
            options_every=asked.options_every,
            sends=asked.sends,
            expects=asked.expects,
            last_digits=asked.last_digits,
            identity_out=asked.identity_out,
            identity_in=asked.identity_in,
            diversion=asked.diversion,
            known_by=asked.known_by,
            known_header=read_header(asked.known_header, asked.known_by),
            send_rules=read_send_rules(asked.send_rules or ""),
            others_caller_ids=asked.others_caller_ids,
        ),
    )


def add(
    context: Context,
    *,
    name: str,
    account: str,
    site: str,
    host: str,
    channels: int,
    asked: SettingsAsked | None,
    secret: str = "",
    serves: Sequence[str] = (),
) -> Trunk:
    """One's own trunk to a carrier, set up where it is `asked` how; a `secret` is sealed. Raises
    NotUnderstood naming the field, before anything is written."""
    context.require(May.TRUNKS)
    settings = read_asked(asked)[2] if asked else None
    judge_secret(secret)
    if settings is not None:
        _refuse_untrusted(settings)
    made = adding.add_trunk(
        context,
        name=name,
        account=account,
        site=site,
        host=host,
        channels=channels,
        settings=settings,
        serves=serves,
    )
    if secret.strip():
        _keep(context, made.id, secret.strip())
    return made


def _refuse_untrusted(settings: TrunkSettings) -> None:
    if problem := untrusted(settings):
        field = "addresses" if settings.sign_in is SignIn.ADDRESS else "username"
        raise NotUnderstood(problem, field=field, reason="untrusted")


def draft(context: Context, key: str, asked: SettingsAsked, secret: str = "") -> WorkOrder:
    """A work order that sets the trunk up; a `secret` is sealed at once. Raises NotFound;
    NotUnderstood naming the field, before anything is written."""
    context.require(May.TRUNKS)
    name, host, settings = read_asked(asked)
    judge_secret(secret)
    with context.reading() as reading:
        trunk = reading.records.the(Trunk, key)
        adding.refuse_unknown_sites(reading, asked.serves)
    if asked.send_rules is None and trunk.settings is not None:
        settings = settings.copy_with(send_rules=trunk.settings.send_rules)
    if trunk.connection is not None:
        message = f"{trunk.name} is a connection: its sign-in is changed on its own page."
        raise NotAllowedNow(message, reason="connection")
    task = ChangeTrunk(
        trunk=key,
        name=name,
        host=host,
        channels=asked.channels,
        settings=settings,
        emergency=asked.emergency,
        sbc=asked.sbc,
        serves=tuple(asked.serves),
    )
    if secret.strip():
        _keep(context, key, secret.strip())
    return workorders.draft(context, f"Set up trunk {name}", [task], look=True)


class SettingsChanged(BaseModel):
    """Some of a trunk's settings; what is not named stays."""

    model_config = ConfigDict(extra="forbid")
    name: str | None = Field(default=None, max_length=200)
    host: str | None = Field(default=None, max_length=500)
    port: str | int | None = None
    transport: Transport | None = None
    outbound_proxy: str | None = Field(default=None, max_length=500)
    channels: int | None = Field(default=None, ge=0, le=MOST_CHANNELS)
    sign_in: SignIn | None = None
    user: str | None = Field(default=None, max_length=200)
    addresses: str | list[str] | None = Field(default=None, max_length=500_000)
    codecs: str | list[str] | None = Field(default=None, max_length=500)
    dtmf: Dtmf | None = None
    session: int | None = Field(default=None, ge=0, le=86_400)
    options_every: int | None = Field(default=None, ge=0, le=3600)
    sends: NumberFormat | None = None
    expects: NumberFormat | None = None
    last_digits: int | None = Field(default=None, ge=2, le=15)
    identity_out: Identity | None = None
    identity_in: Identity | None = None
    diversion: Diversion | None = None
    known_by: KnownBy | None = None
    known_header: str | None = Field(default=None, max_length=300)
    send_rules: str | list[str] | None = Field(default=None, max_length=10_000)
    others_caller_ids: bool | None = None
    emergency: bool | None = None
    sbc: str | None = Field(default=None, max_length=80)
    serves: list[str] | None = Field(default=None, max_length=MOST_SERVED)

    def typed(self) -> dict[str, object]:
        """What is named, as the form has it; null empties a text, and a list of sites."""
        named = self.model_dump(mode="json", exclude_unset=True)
        sites = {"serves": self.serves or []} if "serves" in named else {}
        texts = {key: "\n".join(v) for key, v in named.items() if isinstance(v, list)}
        typed: dict[str, object] = {
            key: "" if v is None else str(v) for key, v in (named | texts).items()
        }
        return typed | sites


def draft_change(context: Context, key: str, asked: SettingsChanged) -> WorkOrder:
    """A work order that changes some settings. Raises NotFound, NotUnderstood naming the field."""
    seen = view(context, key)
    typed = asked.typed()
    if not seen.trunk.host and "host" not in typed:
        message = f"Nobody has said where {seen.trunk.name} ends. Give its host too."
        raise NotUnderstood(message, field="host")
    try:
        whole = SettingsAsked.model_validate(as_typed(seen) | typed)
    except ValidationError as wrong:
        field = str(wrong.errors()[0]["loc"][0])
        message = f"“{str(typed.get(field, ''))[:60]}” can't be used for {field.replace('_', ' ')}."
        raise NotUnderstood(message, field=field) from None
    return draft(context, key, whole)


def move(context: Context, key: str, event: TrunkEvent) -> WorkOrder:
    """A work order that suspends, resumes or retires a trunk, with what that changes. Raises
    NotFound."""
    context.require(May.TRUNKS)
    with context.reading() as reading:
        trunk = reading.records.the(Trunk, key)
    task = MoveTrunk(trunk=key, event=event)
    title = f"{event.capitalize()} trunk {trunk.name}"
    return workorders.draft(context, title, [task], look=True)


def keep_secret(context: Context, key: str, secret: str) -> None:
    """Keeps the secret that the other side has given. Raises NotUnderstood for one that is guessed
    too easily, with what would make it better."""
    context.require(May.TRUNKS)
    judge_secret(secret, required=True)
    _keep(context, key, secret.strip())


def judge_secret(secret: str, *, required: bool = False) -> None:
    """Raises NotUnderstood for one that is guessed too easily."""
    secret = secret.strip()
    if (secret or required) and (problem := weakness(secret)):
        raise NotUnderstood(problem, field="secret", reason="weak")


def make_secret(context: Context, key: str) -> str:
    """A secret made anew, handed out this once."""
    context.require(May.TRUNKS)
    secret = secrets.token_urlsafe(SECRET_BYTES)
    _keep(context, key, secret)
    return secret


def _keep(context: Context, key: str, secret: str) -> None:
    with context.writing(reason="secret of a trunk") as writing:
        trunk = writing.records.the(Trunk, key)
        secrets_store.keep_secret(
            writing.connection,
            context.installation.keyring,
            secret_name(key),
            secret,
            writing.stamp,
        )
        writing.record_event("trunk.password-changed", Subject.TRUNK, key, trunk.name)


def weakness(secret: str) -> str:
    """Why a secret is too easily guessed; '' for a strong one."""
    from zxcvbn import zxcvbn

    if not 12 <= len(secret) <= LONGEST_SECRET:
        return f"A secret has 12 to {LONGEST_SECRET} characters; this one has {len(secret)}."
    found = zxcvbn(secret)
    if found["score"] >= STRONG:
        return ""
    advice = " ".join([found["feedback"]["warning"], *found["feedback"]["suggestions"]]).strip()
    return f"This secret is guessed too easily. {advice or 'Take a longer one.'}"


def sheet(context: Context, key: str) -> Sheet:
    """What the other side's equipment has to be set to. Raises NotFound, NotAllowedNow."""
    seen = view(context, key)
    if seen.trunk.settings is None:
        message = f"Nobody has said how {seen.trunk.name} is set up. Set it up first."
        raise NotAllowedNow(message, reason="not-set-up")
    ends_at = sbcs.standing_in(context, seen.trunk.sbc)
    return sheet_of(seen.trunk, seen.trunk.settings, has_secret=seen.has_secret, sbcs=ends_at)

"""Trunks: how each is set up, its connection test, the sheet for the other side, its list."""

from collections.abc import Sequence
from datetime import UTC, datetime
from enum import StrEnum

from pydantic import BaseModel, ConfigDict, Field
from typing_extensions import TypedDict

from sedge.api.routing import RequestContext, Resource
from sedge.core.access.roles import May
from sedge.core.enums import Transport
from sedge.core.errors import NotUnderstood
from sedge.core.records import Trunk
from sedge.core.trunks.erlang import advise
from sedge.core.trunks.records import NumberFormat, SignIn, TestedLink
from sedge.core.trunks.sheet import Sheet
from sedge.core.trunks.system_sheets import End
from sedge.services.holders import downstream
from sedge.services.trunks import connection_tests, trunk_settings, trunks, watching
from sedge.services.trunks.trunk_settings import SettingsAsked, SettingsChanged

resource = Resource(tags=["trunks"])


class ErlangOut(TypedDict):
    load: float
    channels: int
    curve: list[float]


class SendRuleOut(TypedDict):
    """Numbers that a digit map takes are sent without their first `strip` digits, with `before` in
    front; `name` says what for."""

    pattern: str
    strip: int
    before: str
    name: str


class TrunkSettingsOut(TypedDict):
    port: int | None
    transport: str
    outbound_proxy: str
    sign_in: str
    user: str
    addresses: list[str]
    codecs: list[str]
    dtmf: str
    session: int
    options_every: int
    sends: str
    expects: str
    last_digits: int
    identity_out: str
    identity_in: str
    diversion: str
    known_by: str
    known_header: str
    send_rules: list[SendRuleOut]
    others_caller_ids: bool


class LinkOut(TypedDict):
    """`ok` null: not come to. `cure` says what to change."""

    what: str
    ok: bool | None
    evidence: str
    cure: str
    ms: int | None


class TrunkDetailOut(TypedDict):
    """`serves` sites whose calls go out over it; none for every one."""

    id: str
    name: str
    carrier: str
    site: str
    host: str
    channels: int
    serves: list[str]
    up: bool
    emergency: bool
    sbc: str
    phase: str
    next_step: str
    has_secret: bool
    settings: TrunkSettingsOut | None
    tested_at: str | None
    links: list[LinkOut]


class TrunkTestOut(TypedDict):
    tested_at: str | None
    steps: list[LinkOut]


class StandingOut(TypedDict):
    """`missed` in a row; `ms` null where nothing came, `said` is why. `since` when it is so."""

    at: str
    ms: int | None
    said: str
    since: str
    missed: int


class AnsweredHourOut(TypedDict):
    """An hour that begins at `at`; `ms` on average."""

    at: str
    asked: int
    answered: int
    ms: int
    slowest_ms: int


class TrunkAnswersOut(TypedDict):
    """`now` null: it was never asked OPTIONS. `hours` of the last seven days."""

    now: StandingOut | None
    hours: list[AnsweredHourOut]


class SheetValueOut(TypedDict):
    name: str
    text: str
    copy: str


class SheetPartOut(TypedDict):
    title: str
    values: list[SheetValueOut]


class SheetOut(TypedDict):
    trunk: str
    parts: list[SheetPartOut]
    steps: list[str]


class TrunkDraftOut(TypedDict):
    work_order: str
    no: int


class Registration(StrEnum):
    NONE = "none"
    REGISTER = "register"


class NewTrunk(BaseModel):
    """`site` is where it ends, else the first of the `sites`; `sites` are those it serves, besides
    that one, every one where none is named. `registration` none: the other side is trusted by its
    `addresses`. The `password` goes in once and never comes out."""

    model_config = ConfigDict(extra="forbid")
    name: str = Field(min_length=1, max_length=80)
    carrier_account: str = Field(max_length=80)
    site: str = Field(default="", max_length=80)
    sites: list[str] = Field(default_factory=list, max_length=100)
    host: str = Field(max_length=253, description="domain name or IP address")
    channels: int = Field(ge=1, le=10_000, description="calls at once")
    port: int | None = Field(default=None, ge=1, le=65535)
    transport: Transport | None = None
    registration: Registration | None = None
    username: str = Field(default="", max_length=200)
    password: str = Field(default="", max_length=500)
    addresses: list[str] = Field(default_factory=list, max_length=1000)
    format: NumberFormat | None = None

    def home(self) -> str:
        """The site where it ends; '' where none is named."""
        return self.site or next(iter(self.sites), "")

    def settings(self) -> SettingsAsked | None:
        """None where nobody says how it is set up."""
        said = self.model_fields_set - {"name", "carrier_account", "site", "sites", "channels"}
        if said <= {"host"}:
            return None
        by_address = self.registration is Registration.NONE or not (
            self.registration or self.username
        )
        return SettingsAsked(
            name=self.name,
            host=self.host,
            port=str(self.port or ""),
            transport=self.transport or Transport.TLS,
            channels=self.channels,
            sign_in=SignIn.ADDRESS if by_address else SignIn.REGISTER,
            user=self.username,
            addresses="\n".join(self.addresses),
            sends=self.format or NumberFormat.PLUS,
            expects=self.format or NumberFormat.PLUS,
        )


class TrunkAddedOut(TypedDict):
    id: str
    name: str
    carrier: str
    site: str
    host: str
    channels: int
    serves: list[str]
    up: bool


class SecretAsked(BaseModel):
    model_config = ConfigDict(extra="forbid")
    secret: str = Field(max_length=500)


class SecretOut(TypedDict):
    secret: str


@resource.read("/erlang")
def erlang(load: float, blocking: float = 0.01, retries: float = 0.0) -> ErlangOut:
    """How many channels a load needs (Erlang B): `load` in erlangs, `blocking` and `retries` as
    shares of 1; the curve has the blocking of 1, 2, … channels."""
    found = advise(load, blocking, retries)
    return {"load": load, "channels": found.needed, "curve": list(found.curve)}


@resource.read("/trunks/{key}")
def trunk(context: RequestContext, key: str) -> TrunkDetailOut:
    seen, card = trunk_settings.view(context, key), trunks.one(context, key)
    t = seen.trunk
    return {
        "id": t.id,
        "name": t.name,
        "carrier": t.carrier,
        "site": t.site,
        "host": t.host,
        "channels": t.channels,
        "serves": list(t.serves),
        "up": t.up,
        "emergency": t.emergency,
        "sbc": t.sbc,
        "phase": card.phase.value,
        "next_step": card.next_step,
        "has_secret": seen.has_secret,
        "settings": _settings(t),
        "tested_at": t.tested_at.isoformat() if t.tested_at else None,
        "links": links_out(t.links),
    }


@resource.write("/trunks", May.TRUNKS, status_code=201)
def add_trunk(context: RequestContext, asked: NewTrunk) -> TrunkAddedOut:
    """One's own trunk to the carrier of an account, with how it is set up where that is said."""
    try:
        made = trunk_settings.add(
            context,
            name=asked.name,
            account=asked.carrier_account,
            site=asked.home(),
            host=asked.host,
            channels=asked.channels,
            asked=asked.settings(),
            secret=asked.password,
            serves=asked.sites,
        )
    except NotUnderstood as wrong:
        if wrong.field != "serves":
            raise
        raise NotUnderstood(wrong.message, field="sites") from None
    return {
        "id": made.id,
        "name": made.name,
        "carrier": made.carrier,
        "site": made.site,
        "host": made.host,
        "channels": made.channels,
        "serves": list(made.serves),
        "up": made.up,
    }


@resource.write("/trunks/{key}", May.TRUNKS, method="PATCH")
def change_trunk(context: RequestContext, key: str, asked: SettingsChanged) -> TrunkDraftOut:
    """Settings of a trunk, as a draft of a work order; running it changes them."""
    made = trunk_settings.draft_change(context, key, asked)
    return {"work_order": made.id, "no": made.no}


@resource.write("/trunks/{key}/secret", May.TRUNKS, method="PUT")
def give_secret(context: RequestContext, key: str, asked: SecretAsked) -> TrunkDetailOut:
    """Once in, never out. One that is guessed too easily is refused."""
    trunk_settings.keep_secret(context, key, asked.secret)
    return trunk(context, key)


@resource.write("/trunks/{key}/new-secret", May.TRUNKS)
def make_secret(context: RequestContext, key: str) -> SecretOut:
    """Made anew, handed out this once."""
    return {"secret": trunk_settings.make_secret(context, key)}


@resource.write("/trunks/{key}/test", May.PLACE_TEST_CALL)
def test_trunk(context: RequestContext, key: str) -> TrunkTestOut:
    """Every link tried now, in the protocol itself."""
    found = connection_tests.run(context, key)
    at = found.tested_at.isoformat() if found.tested_at else None
    return {"tested_at": at, "steps": links_out(found.links)}


@resource.read("/trunks/{key}/answers")
def answers(context: RequestContext, key: str) -> TrunkAnswersOut:
    """Whether the other side answers OPTIONS, as it was asked by itself."""
    found = watching.watched(context, key)
    now = found.standing
    return {
        "now": (
            {
                "at": now.at.isoformat(),
                "ms": now.ms,
                "said": now.said,
                "since": now.since.isoformat(),
                "missed": now.missed,
            }
            if now
            else None
        ),
        "hours": [
            {
                "at": datetime.fromtimestamp(hour.hour * 3600, UTC).isoformat(),
                "asked": hour.asked,
                "answered": hour.answered,
                "ms": hour.mean_ms,
                "slowest_ms": hour.slowest_ms,
            }
            for hour in found.hours
        ],
    }


@resource.read("/trunks/{key}/sheet")
def trunk_sheet(context: RequestContext, key: str) -> SheetOut:
    return sheet_out(trunk_settings.sheet(context, key))


@resource.read("/downstream-systems/{key}/sheets/{end}")
def system_sheet(context: RequestContext, key: str, end: End) -> SheetOut:
    """The trunk between our telephone system and another of ours: what one of the ends sets."""
    return sheet_out(downstream.sheet(context, key, end))


def sheet_out(sheet: Sheet) -> SheetOut:
    return {
        "trunk": sheet.trunk,
        "parts": [
            {
                "title": part.title,
                "values": [
                    {"name": v.name, "text": v.text, "copy": v.copy or v.text} for v in part.values
                ],
            }
            for part in sheet.parts
        ],
        "steps": list(sheet.steps),
    }


def links_out(links: Sequence[TestedLink]) -> list[LinkOut]:
    return [
        {"what": x.what, "ok": x.ok, "evidence": x.evidence, "cure": x.cure, "ms": x.ms}
        for x in links
    ]


def _settings(t: Trunk) -> TrunkSettingsOut | None:
    s = t.settings
    if s is None:
        return None
    return {
        "port": s.port,
        "transport": s.transport.value,
        "outbound_proxy": s.outbound_proxy,
        "sign_in": s.sign_in.value,
        "user": s.user,
        "addresses": list(s.addresses),
        "codecs": list(s.codecs),
        "dtmf": s.dtmf.value,
        "session": s.session,
        "options_every": s.options_every,
        "sends": s.sends.value,
        "expects": s.expects.value,
        "last_digits": s.last_digits,
        "identity_out": s.identity_out.value,
        "identity_in": s.identity_in.value,
        "diversion": s.diversion.value,
        "known_by": s.known_by.value,
        "known_header": s.known_header,
        "send_rules": [
            {
                "pattern": rule.pattern,
                "strip": rule.strip,
                "before": rule.before,
                "name": rule.name,
            }
            for rule in s.send_rules
        ],
        "others_caller_ids": s.others_caller_ids,
    }

"""Settings, declared once: from the command line, the environment (`SEDGE_…`) or one TOML file, in
this order; an unknown or bad one refuses to start."""

import ipaddress
import os
from pathlib import Path
from typing import Annotated, Literal
from urllib.parse import urlsplit

from pydantic import Field, SecretStr, field_validator, model_validator
from pydantic_settings import (
    BaseSettings,
    NoDecode,
    PydanticBaseSettingsSource,
    SettingsConfigDict,
    TomlConfigSettingsSource,
)

from sedge.core.access.roles import AccessRole
from sedge.outside.syslog import SyslogServer

LOCAL_NAMES = ("localhost", "127.0.0.1", "::1")
NO_ADDRESS = ("0.0.0.0", "::")  # noqa: S104  to listen everywhere; nobody calls a host so
Names = Annotated[tuple[str, ...], NoDecode]
Roles = Annotated[tuple[AccessRole, ...], NoDecode]


class Settings(BaseSettings):
    model_config = SettingsConfigDict(env_prefix="SEDGE_", extra="forbid")

    config: Path | None = Field(
        default=None, description="a TOML file with any of these settings, by their names here"
    )
    data: Path = Field(default=Path("var"), description="folder of the databases")
    host: str = Field(default="127.0.0.1", description="address to listen on")
    port: int = Field(default=8420, ge=1, le=65535, description="port of pages and API")
    public_url: str = Field(
        default="",
        description=(
            "address under which people reach Sedge, as https://sedge.example.org: links in mails"
            " begin with it, and its host name is answered; empty: http://host:port"
        ),
    )
    hosts: Names = Field(
        default=(), description="further host names that are answered; all others are refused"
    )
    trusted_proxies: Names = Field(
        default=(),
        description=(
            "addresses or networks of reverse proxies; X-Forwarded-For and X-Forwarded-Proto are"
            " believed from these only"
        ),
    )
    workers: int = Field(
        default=1,
        ge=1,
        le=16,
        description=(
            "processes that answer, one for each core at most; one of them writes, the others show"
            " pages and pass on to it what changes something"
        ),
    )
    tls_certificate: Path | None = Field(
        default=None, description="PEM file with the certificate and its chain; with tls_key"
    )
    tls_key: Path | None = Field(default=None, description="PEM file with the certificate's key")
    standins_port: int = Field(
        default=0, ge=0, le=65535, description="port of the stand-ins; 0: the next free one"
    )
    demo: bool = Field(
        default=False,
        description="demo data, demo people on the sign-in page, the stand-ins' control panel",
    )
    sip_domain: str = Field(
        default="",
        description=(
            "domain under which telephone systems take SIP calls, each organisation's under its own"
            " id; empty: only other systems' numbers are in the ENUM zone"
        ),
    )
    demo_token: str = Field(
        default="demo", description="the API token that the demo accepts on loopback addresses"
    )
    durable: bool = Field(
        default=True, description="wait for the disk at each commit; off only for tests and seeding"
    )
    runner: bool = Field(
        default=True, description="run due tasks by themselves; off: only when ticked"
    )
    runner_seconds: float = Field(
        default=1.0, gt=0, description="pause between two looks at the due tasks"
    )
    outside_seconds: float = Field(
        default=5.0, gt=0, description="how long a service outside may take to answer"
    )
    session_hours: int = Field(default=12, ge=1, description="how long a sign-in lasts at most")
    session_idle_minutes: int = Field(
        default=120, ge=5, description="after how long without a page a sign-in ends"
    )
    second_factor_roles: Roles = Field(
        default=(AccessRole.ADMINISTRATOR,),
        description=(
            "roles that sign in with a second factor or not at all; not asked of the demo's people"
        ),
    )
    oidc_issuer: str = Field(
        default="",
        description=(
            "OpenID Connect provider that people may sign in through, as https://id.example.org"
        ),
    )
    oidc_name: str = Field(
        default="your organisation", description="how the provider is called on the sign-in page"
    )
    oidc_client_id: str = Field(default="", description="what Sedge is called at the provider")
    oidc_client_secret: SecretStr = Field(
        default=SecretStr(""), description="Sedge's secret at the provider"
    )
    oidc_second_factor: bool = Field(
        default=False,
        description=(
            "the provider asks everybody for a second factor, so Sedge asks for none of its own"
        ),
    )
    role_networks: dict[AccessRole, tuple[str, ...]] = Field(
        default_factory=dict,
        description=(
            "networks that a role is let in from, as {administrator = ['192.0.2.0/24']}; a role"
            " that is not named comes from anywhere"
        ),
    )
    telephony_url: str = Field(
        default="", description="telephone system's interface; empty: it is set up by hand"
    )
    register_url: str = Field(
        default="", description="address register; empty: addresses are checked by their form only"
    )
    directory_url: str = Field(
        default="", description="directory of people (SCIM 2.0); empty: it may push, none is asked"
    )
    numbering_url: str = Field(
        default="", description="register of who serves a number; empty: one is told by hand"
    )
    ports_url: str = Field(
        default="", description="gaining carriers' porting interface; empty: ports go on paper"
    )
    carriers: dict[str, str] = Field(
        default_factory=dict,
        description=(
            "carriers' interfaces by the carrier's id, as {brackwater = 'https://…'}; all others"
            " take orders on paper"
        ),
    )
    smtp_host: str = Field(default="", description="mail server; empty: letters are kept unsent")
    smtp_port: int = Field(default=587, ge=1, le=65535, description="port of the mail server")
    smtp_tls: Literal["starttls", "tls", "none"] = Field(
        default="starttls", description="how the way to the mail server is kept secret"
    )
    smtp_user: str = Field(default="", description="user name at the mail server; empty: none")
    smtp_password: SecretStr = Field(
        default=SecretStr(""), description="password at the mail server"
    )
    mail_from: str = Field(default="", description="sender of all mails; needed with a mail server")
    backup_folder: Path | None = Field(
        default=None, description="where a backup is made each night; empty: none is made"
    )
    backup_hour: int = Field(default=2, ge=0, le=23, description="hour of the backup (UTC)")
    backup_keep: int = Field(default=14, ge=1, description="how many backups are kept")
    backup_passphrase_file: Path | None = Field(
        default=None, description="file with the passphrase that seals the backups"
    )
    arrivals_folder: Path | None = Field(
        default=None,
        description=(
            "watched for lists of numbers that arrived for paper orders, as"
            " <organisation>/<reference>.csv"
        ),
    )
    audit_file: Path | None = Field(
        default=None, description="every ledger entry is added to this file as a line of JSON"
    )
    audit_syslog: str = Field(
        default="",
        description=(
            "every ledger entry is sent to this syslog server, as tcp://log.example.org:601 or"
            " udp://…"
        ),
    )
    metrics_token: SecretStr = Field(
        default=SecretStr(""),
        description="token that /metrics asks for; empty: it answers on loopback addresses only",
    )
    inside_webhooks: bool = Field(
        default=False, description="webhooks may lead to private and local addresses"
    )
    log_json: bool = Field(default=False, description="log lines as JSON")
    traces: str = Field(
        default="",
        description=(
            "spans of requests, tasks and calls outside are sent to this OpenTelemetry collector"
            " (OTLP over HTTP), as http://localhost:4318; needs sedge[traces]"
        ),
    )

    @classmethod
    def settings_customise_sources(
        cls,
        settings_cls: type[BaseSettings],
        init_settings: PydanticBaseSettingsSource,
        env_settings: PydanticBaseSettingsSource,
        dotenv_settings: PydanticBaseSettingsSource,  # noqa: ARG003  as the library calls it
        file_secret_settings: PydanticBaseSettingsSource,  # noqa: ARG003
    ) -> tuple[PydanticBaseSettingsSource, ...]:
        """Command line before environment before file."""
        given = init_settings().get("config") or os.environ.get("SEDGE_CONFIG")
        file = TomlConfigSettingsSource(settings_cls, Path(given)) if given else None
        return (init_settings, env_settings, *([file] if file else []))

    @model_validator(mode="before")
    @classmethod
    def _all_known(cls, values: object) -> object:
        """A mistyped setting would silently do nothing; so it is refused."""
        prefix = str(cls.model_config.get("env_prefix", ""))
        unknown = sorted(
            name
            for name in os.environ
            if name.startswith(prefix) and name.removeprefix(prefix).lower() not in cls.model_fields
        )
        if unknown:
            known = ", ".join(prefix + name.upper() for name in cls.model_fields)
            raise ValueError(f"unknown setting {', '.join(unknown)}; there are: {known}")
        return values

    @field_validator("config", mode="after")
    @classmethod
    def _there(cls, file: Path | None) -> Path | None:
        """A file that is not there would leave everything at its default."""
        if file is not None and not file.is_file():
            raise ValueError(f"there is no file {file}")
        return file

    @field_validator("hosts", "trusted_proxies", "second_factor_roles", mode="before")
    @classmethod
    def _listed(cls, value: object) -> object:
        """In the environment: names with commas between."""
        return (
            [part.strip() for part in value.split(",") if part.strip()]
            if isinstance(value, str)
            else value
        )

    @field_validator("trusted_proxies")
    @classmethod
    def _networks(cls, value: tuple[str, ...]) -> tuple[str, ...]:
        for one in value:
            ipaddress.ip_network(one, strict=False)
        return value

    @field_validator("role_networks")
    @classmethod
    def _role_networks(
        cls, value: dict[AccessRole, tuple[str, ...]]
    ) -> dict[AccessRole, tuple[str, ...]]:
        for networks in value.values():
            cls._networks(networks)
        return value

    @field_validator(
        "public_url",
        "oidc_issuer",
        "telephony_url",
        "register_url",
        "directory_url",
        "numbering_url",
        "ports_url",
        "traces",
    )
    @classmethod
    def _is_address(cls, value: str) -> str:
        if value and (
            urlsplit(value).scheme not in {"http", "https"} or not urlsplit(value).netloc
        ):
            raise ValueError("an address begins with http:// or https:// and names a host")
        return value.rstrip("/")

    @field_validator("audit_syslog")
    @classmethod
    def _is_syslog(cls, value: str) -> str:
        if value:
            SyslogServer.read(value)
        return value

    @model_validator(mode="after")
    def _belong_together(self) -> "Settings":
        if (self.tls_certificate is None) != (self.tls_key is None):
            raise ValueError("tls_certificate and tls_key go together: give both or none")
        if self.smtp_host and "@" not in self.mail_from:
            raise ValueError("mail_from: with a mail server, a sender such as sedge@example.org")
        return self

    @property
    def address(self) -> str:
        """Where people reach Sedge, without a slash at the end."""
        if self.public_url:
            return self.public_url
        host = "127.0.0.1" if self.host in NO_ADDRESS else self.host
        scheme = "https" if self.tls_certificate else "http"
        return f"{scheme}://{f'[{host}]' if ':' in host else host}:{self.port}"

    @property
    def answered_hosts(self) -> frozenset[str]:
        """The host names that are answered, in lower case, without ports and brackets."""
        own = {urlsplit(self.address).hostname or "", self.host, *self.hosts, *LOCAL_NAMES}
        return frozenset(name.lower().strip("[]") for name in own - {"", *NO_ADDRESS})

"""Settings, declared once: from the environment (`SEDGE_…`) or the command line; an unknown or bad
one refuses to start."""

import os
from pathlib import Path

from pydantic import Field, model_validator
from pydantic_settings import BaseSettings, SettingsConfigDict


class Settings(BaseSettings):
    model_config = SettingsConfigDict(env_prefix="SEDGE_", extra="forbid")

    data: Path = Field(default=Path("var"), description="folder of the databases")
    host: str = Field(default="127.0.0.1", description="address to listen on")
    port: int = Field(default=8420, ge=1, le=65535, description="port of pages and API")
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
    session_hours: int = Field(default=12, ge=1, description="how long a sign-in lasts")
    log_json: bool = Field(default=False, description="log lines as JSON")

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

"""What CONTRIBUTING.md shows works as it stands there."""

import re
from pathlib import Path
from typing import Literal

import pytest
from fastapi import FastAPI
from fastapi.responses import PlainTextResponse
from fastapi.testclient import TestClient
from pydantic import BaseModel

import sedge
from sedge.api import routing as api_routing
from sedge.core.access.roles import May
from sedge.core.changes import number_changed
from sedge.core.errors import NotSignedIn
from sedge.core.numbers.life import State
from sedge.core.workorders import task_base, undo
from sedge.core.workorders.findings import Level, passed, warn
from sedge.core.workorders.rules import registry
from sedge.web import routing as web_routing
from tests.conftest import EstateBuilder

TEXT = (Path(sedge.__file__).parent.parent.parent / "CONTRIBUTING.md").read_text()
NAMES = {
    **vars(task_base),
    **{"BaseModel": BaseModel, "Literal": Literal, "May": May, "passed": passed, "warn": warn},
    **{"PlainTextResponse": PlainTextResponse, "number_changed": number_changed},
    "restore": undo.restore,
    "rule": registry.rule,
}


def shown(heading: str) -> str:
    return re.search(rf"## {heading}\n.*?```python\n(.*?)```", TEXT, re.DOTALL)[1]


@pytest.fixture
def names(monkeypatch):
    """What the examples define, one after the other; the register of rules is left as it was."""
    monkeypatch.setattr(registry, "REGISTERED", dict(registry.REGISTERED))
    found = {**NAMES, "__name__": "tests.docs.shown"}
    exec(shown("A kind of task"), found)  # noqa: S102  our own page
    exec(shown("A rule"), {**found, "rule": registry.rule})  # noqa: S102
    return found


def test_the_kind_of_task_can_be_told_applied_and_undone(names):
    builder = EstateBuilder()
    builder.person("Ifeoma Okafor")
    task = names["MarkImportant"](number=builder.number(142))
    estate = builder.build()
    assert task.in_words(estate) == "Mark 0113 496 0142 as important"
    [change] = task.apply(estate)
    assert change.after.label == "important"
    assert task.reversal((), "x").kind == "put_back"


def test_the_rule_registers_itself_and_says_what_is_wrong(names):
    builder = EstateBuilder()
    task = names["MarkImportant"](number=builder.number(142))
    kind, rule = registry.REGISTERED["important.in-use"]
    found = rule(task, builder.build())
    assert kind is names["MarkImportant"]
    assert (found.level, State.AVAILABLE in found.message) == (Level.WARN, True)


def test_the_page_asks_who_is_there():
    found = {**NAMES, **vars(web_routing)}
    exec(shown("A page"), found)  # noqa: S102
    app = FastAPI()
    app.include_router(found["place"])
    app.state.installation = None
    with pytest.raises(NotSignedIn):
        TestClient(app).get("/important")


def test_the_resource_has_a_schema_and_asks_for_a_token():
    found = {**NAMES, **vars(api_routing), "BaseModel": BaseModel}
    exec(shown("A resource of the interface"), found)  # noqa: S102
    app = FastAPI()
    app.include_router(found["resource"])
    answers = app.openapi()["paths"]["/api/v1/important"]["get"]["responses"]
    assert "Important" in answers["200"]["content"]["application/json"]["schema"]["$ref"]
    app.state.installation = None
    with pytest.raises(NotSignedIn):
        TestClient(app).get("/api/v1/important")


@pytest.mark.parametrize("name", re.findall(r"`([\w/]+/[\w/.]+\.py)`", TEXT))
def test_the_modules_it_names_are_there(name):
    root = Path(sedge.__file__).parent
    assert (root / name).exists() or (root.parent.parent / name).exists()

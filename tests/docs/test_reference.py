"""The docs say what the code does, or these fail."""

import re
from pathlib import Path

import pytest
from scripts.docs import FILE, reference

from sedge.api.routing import BASE
from sedge.app import ROUTES
from sedge.core import errors
from sedge.core.numbers.life import State
from sedge.core.workorders.rules.catalogue import RULES
from sedge.settings import Settings
from sedge.web.error_pages import HEADINGS
from tests.asserting import every

DOCS = Path(__file__).parent.parent.parent / "docs"
README = DOCS.parent / "README.md"


def every_error():
    found = [errors.SedgeError]
    for kind in found:
        found += [k for k in kind.__subclasses__() if k.__module__ == errors.__name__]
    return found[1:]


def test_the_reference_is_what_the_code_says_now():
    assert FILE.read_text() == reference()


def test_every_error_of_the_tree_has_its_own_code_a_status_and_a_heading():
    kinds = every_error()
    codes = [kind.code for kind in kinds]
    assert len(set(codes)) == len(codes)
    assert every(400 <= kind.status < 600 for kind in kinds)
    assert set(codes) == set(HEADINGS)
    assert every(kind.__name__ in (errors.__doc__ or "") for kind in kinds), (
        "the tree is drawn whole"
    )


@pytest.mark.parametrize("setting", list(Settings.model_fields))
def test_every_setting_says_what_it_is_for(setting):
    assert len(Settings.model_fields[setting].description or "") > 10
    assert f"`SEDGE_{setting.upper()}`" in FILE.read_text()


def test_checks_states_and_calls_stand_in_the_reference():
    text = FILE.read_text()
    assert [name for name in RULES if f"`{name}`" not in text] == []
    assert [state.value for state in State if state.value not in text] == []
    calls = [r.path.removeprefix(BASE) for r in ROUTES if r.path.startswith(BASE)]
    assert len(calls) > 200
    assert [path for path in calls if f"{path}`" not in text] == []


def test_every_page_of_the_docs_is_linked_and_every_link_leads_somewhere():
    import re

    pages = {README, *DOCS.rglob("*.md")}
    linked = set()
    for page in pages:
        for target in re.findall(r"\]\(([^)#]+?)\)", page.read_text()):
            if "://" in target:
                continue
            path = (page.parent / target).resolve()
            assert path.exists(), f"{page.name} leads to {target}, which is not there"
            linked.add(path)
    decisions = {p.resolve() for p in (DOCS / "decisions").glob("*.md")}
    assert {p.resolve() for p in pages} - linked - decisions <= {README.resolve()}


def test_pictures_are_few_and_each_is_linked_from_the_readme():
    pictures = sorted((DOCS / "screenshots").glob("*.png"))
    assert 5 <= len(pictures) < 20
    assert [p.name for p in pictures if p.name not in README.read_text()] == []


def test_a_mistyped_setting_refuses_to_start_and_lists_those_there_are(monkeypatch):
    monkeypatch.setenv("SEDGE_PROT", "8420")
    with pytest.raises(
        ValueError,
        match=r"unknown setting SEDGE_PROT; there are: SEDGE_CONFIG, SEDGE_DATA, .*SEDGE_PORT",
    ):
        Settings()


@pytest.mark.parametrize(
    ("name", "value"),
    [
        ("SEDGE_PORT", "0"),
        ("SEDGE_PORT", "many"),
        ("SEDGE_RUNNER_SECONDS", "-1"),
        ("SEDGE_SESSION_HOURS", "0"),
    ],
)
def test_a_bad_setting_ends_the_program_with_a_sentence_that_names_it(monkeypatch, name, value):
    from typer.testing import CliRunner

    from sedge.cli import main

    monkeypatch.setenv(name, value)
    if name == "SEDGE_PORT":
        with pytest.raises(ValueError, match="port"):
            Settings()
        return
    result = CliRunner().invoke(main, ["check", "--data", "/nonexistent"])
    assert result.exit_code == 2
    assert name in result.output


def test_every_test_that_the_security_page_names_is_there():
    named = set(re.findall(r"`(tests/[\w/]+\.py)`", (DOCS / "security.md").read_text()))
    assert len(named) > 15
    assert [path for path in sorted(named) if not (DOCS.parent / path).exists()] == []

"""Every area has a page, and what the pages name is there."""

import re
from pathlib import Path

import pytest

import sedge

ROOT = Path(sedge.__file__).parent
DOCS = ROOT.parent.parent / "docs"
PAGES = sorted((DOCS / "areas").glob("*.md"))
NO_AREA = {"components", "shared", "standins", "static", "today"}
LAYERS = ("core", "services", "web", "api")


def areas():
    folders = {folder for layer in LAYERS for folder in (ROOT / layer).iterdir()}
    return {f.name for f in folders if (f / "__init__.py").exists()} - NO_AREA


def test_every_area_has_a_page_and_the_map_leads_there():
    assert {page.stem for page in PAGES} == areas()
    text = (DOCS / "architecture.md").read_text()
    assert [page.stem for page in PAGES if f"(areas/{page.name})" not in text] == []


@pytest.mark.parametrize("page", [*PAGES, DOCS / "architecture.md"], ids=lambda page: page.stem)
def test_every_path_and_class_that_a_page_names_is_there(page):
    text = page.read_text()
    paths = re.findall(r"`((?:core|store|services|web|api)/[\w/.]+?)`", text)
    assert [path for path in paths if not (ROOT / path).exists()] == []
    source = "\n".join(path.read_text() for path in ROOT.rglob("*.py"))
    named = set(re.findall(r"`([A-Z][A-Za-z]+)`", text))
    assert [
        name for name in named if not re.search(rf"^class {name}\b", source, re.MULTILINE)
    ] == []


@pytest.mark.parametrize("page", PAGES, ids=lambda page: page.stem)
def test_a_page_has_its_parts_in_lines_that_can_be_read(page):
    text = page.read_text()
    for heading in ("## Main types", "## Main flows", "## Where the rules are"):
        assert heading in text
    assert max(map(len, text.splitlines())) <= 100

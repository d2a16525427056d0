"""What pages ask for is what was put together from today's scripts and styles."""

import shutil

import pytest
from scripts import bundle, check_assets


@pytest.fixture
def copied(tmp_path, monkeypatch):
    """The files of the pages, to be changed."""
    static = tmp_path / "src/sedge/web/static"
    shutil.copytree(bundle.STATIC, static)
    monkeypatch.setattr(bundle, "STATIC", static)
    monkeypatch.setattr(bundle, "BUILT", static / "built")
    monkeypatch.setattr(bundle, "MANIFEST", static / "built/manifest.json")
    monkeypatch.setattr(check_assets, "ROOT", tmp_path)
    monkeypatch.setattr(check_assets, "VENDOR", static / "vendor")
    monkeypatch.setattr(check_assets, "MANIFEST", static / "vendor/manifest.json")
    return static


def test_nothing_is_found_in_what_is_committed():
    assert check_assets.faults() == []


@pytest.mark.parametrize("name", ["desk/pick.js", "css/work.css", "built/sedge.js"])
def test_what_was_changed_and_not_put_together_again_is_found(copied, name):
    with (copied / name).open("a") as file:
        file.write("\n")
    assert check_assets.faults() == [f"{name}: not as it was put together; run make assets"]


def test_a_script_that_is_new_is_found(copied):
    (copied / "desk/new.js").write_text("export const fresh = 1;\n")
    assert check_assets.faults() == ["desk/new.js: not as it was put together; run make assets"]


def test_a_released_file_that_was_changed_is_found(copied):
    (copied / "vendor/htmx/htmx.min.js").write_text("changed")
    assert check_assets.faults() == ["htmx/htmx.min.js: changed"]


def test_what_is_fetched_from_elsewhere_is_found(copied):
    page = copied.parent / "new.html"
    page.write_text('<script src="https://cdn.example.org/x.js"></script>')
    assert check_assets.faults() == ["new.html: fetches https://cdn.example.org/x.js"]


def test_all_scripts_of_a_page_are_in_the_one_file():
    built = (bundle.BUILT / "sedge.js").read_text()
    names = [f'"{name}"' for name in ("blockMap", "pickMany", "countdown", "floorPlan")]
    assert [name for name in names if name not in built] == []

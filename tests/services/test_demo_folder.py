"""The demo seeds anew only what the demo has made."""

import pytest

from sedge.demo.running import MADE_HERE, NotOurs, clear


def test_a_folder_with_somebodys_files_is_left_alone(tmp_path):
    theirs = tmp_path / "estate-ours.sqlite"
    theirs.write_text("years of work")
    with pytest.raises(NotOurs, match="Nothing was touched"):
        clear(tmp_path)
    assert theirs.read_text() == "years of work"


def test_of_a_folder_of_the_demo_only_its_own_files_go(tmp_path):
    for name in (MADE_HERE, "installation.sqlite", "estate-trust.sqlite-wal", "letter.txt"):
        (tmp_path / name).write_text("x")
    clear(tmp_path)
    assert [file.name for file in tmp_path.iterdir()] == ["letter.txt"]


def test_a_folder_that_is_not_there_or_empty_needs_nothing(tmp_path):
    clear(tmp_path)
    clear(tmp_path / "not-yet")

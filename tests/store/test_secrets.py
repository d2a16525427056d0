"""Secrets at rest: sealed, for the owner's eyes only, never opened with another key."""

import stat

import pytest

from sedge.core.errors import CannotStart, NotAllowedNow
from sedge.store import secrets
from sedge.store.database import Database
from sedge.store.secrets import Keyring
from sedge.store.stamp import Stamp
from tests.conftest import NOW

STAMP = Stamp(at=NOW, actor="Rowan", actor_id="rowan")


@pytest.fixture
def database(tmp_path):
    made = Database(tmp_path / "estate-some.sqlite", "estate", durable=False)
    made.migrate()
    yield made
    made.close()


@pytest.fixture
def ring(tmp_path):
    return Keyring(tmp_path / "secret.key")


def keep(database, ring, name, text):
    with database.writing() as connection:
        secrets.keep_secret(connection, ring, name, text, STAMP)


def read(database, ring, name):
    with database.reading() as connection:
        return secrets.read(connection, ring, name)


def test_a_key_is_made_once_and_only_its_owner_reads_it(tmp_path):
    file = tmp_path / "new" / "secret.key"
    first = Keyring(file)
    assert stat.S_IMODE(file.stat().st_mode) == 0o600
    key = file.read_bytes()
    second = Keyring(file)
    assert file.read_bytes() == key
    assert second.open(first.seal("gannets")) == "gannets"


def test_sealing_twice_gives_two_texts_and_neither_says_anything(ring):
    one, two = ring.seal("gannets over the harbour"), ring.seal("gannets over the harbour")
    assert one != two
    assert "gannets" not in one
    assert ring.open(one) == ring.open(two) == "gannets over the harbour"


@pytest.mark.parametrize("text", ["", "a", "é漢字\n\t", "x" * 100_000])
def test_any_text_can_be_sealed(ring, text):
    assert ring.open(ring.seal(text)) == text


@pytest.mark.parametrize(
    "damage", [lambda s: s[:-4], lambda s: "A" + s[1:], lambda s: "", str.lower]
)
def test_a_sealed_text_that_was_tampered_with_is_not_opened(ring, damage):
    with pytest.raises(NotAllowedNow, match="another than when it was kept") as refused:
        ring.open(damage(ring.seal("gannets")))
    assert refused.value.reason == "sealed"


def test_another_key_opens_nothing(tmp_path, ring, database):
    keep(database, ring, "trunk", "gannets")
    other = Keyring(tmp_path / "other" / "secret.key")
    with pytest.raises(NotAllowedNow, match="Put the old file back"):
        read(database, other, "trunk")


@pytest.mark.parametrize("content", [b"", b"x", b"not a key at all", b"k" * 38])
def test_a_file_that_is_no_key_is_named(tmp_path, content):
    file = tmp_path / "secret.key"
    file.write_bytes(content)
    with pytest.raises(CannotStart, match=f"is no key: it has {len(content)} bytes"):
        Keyring(file)


def test_a_lost_key_is_not_made_anew_where_secrets_are_sealed_with_it(tmp_path):
    (tmp_path / "installation.sqlite").touch()
    Keyring(tmp_path / "first.key")  # nothing of an organisation is there yet
    (tmp_path / "estate-some.sqlite").touch()
    with pytest.raises(CannotStart, match="is missing, and the databases beside it"):
        Keyring(tmp_path / "secret.key")
    assert not (tmp_path / "secret.key").exists()


def test_a_secret_is_kept_replaced_and_told_of(database, ring):
    assert read(database, ring, "trunk") == ""
    keep(database, ring, "trunk", "first")
    keep(database, ring, "trunk", "second")
    keep(database, ring, "phone", "third")
    assert read(database, ring, "trunk") == "second"
    with database.reading() as connection:
        assert secrets.kept(connection, ["trunk", "phone", "other"]) == {"trunk", "phone"}
        assert secrets.kept(connection, []) == set()


def test_nothing_of_a_secret_stands_in_the_file(database, ring):
    keep(database, ring, "trunk", "gannets-over-the-harbour-47")
    with database.writing() as connection:
        connection.exec_driver_sql("CREATE TABLE scratch (a)")  # so that pages are written
    folder = database.file.parent
    for file in folder.glob("estate-some.sqlite*"):
        assert b"gannets-over" not in file.read_bytes()

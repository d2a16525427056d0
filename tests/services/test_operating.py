"""Keeping an installation: backups that can be restored, exports that another takes in, starting on
what is wrong, and saying so."""

import json
import os
import re
import socket
import socketserver
import sqlite3
import threading
import time
import zipfile
from contextlib import closing
from datetime import UTC, datetime, timedelta
from pathlib import Path

import pytest
from prometheus_client.parser import text_string_to_metric_families
from pydantic import ValidationError
from sqlalchemy.exc import OperationalError

from sedge.app import open_installation
from sedge.core.errors import CannotStart, OutOfOrder
from sedge.demo.members import MEMBERS
from sedge.outside.outside import Addresses, at_addresses
from sedge.outside.syslog import SyslogServer
from sedge.services.context import system_member
from sedge.services.operating import audit, backups, exports, ledger_heads, nightly_backup
from sedge.services.operating.surroundings import Verdict, check_surroundings
from sedge.services.workorders import runner
from sedge.settings import Settings
from sedge.store.database import BEFORE_UPGRADES, newest_revision
from sedge.store.folder import folder_in_use, told_plainly
from sedge.store.sealed_file import seal, unseal
from sedge.web.error_pages import out_of_order
from tests.asserting import every

NOBODY_OUTSIDE = "http://127.0.0.1:9"


def settings_on(folder, **values):
    return Settings(data=folder, durable=False, runner=False, demo=True, **values)


def from_sqlite(code):
    """An error as SQLite gives it: what it is stands in its code."""
    error = sqlite3.OperationalError("in words that nobody goes by")
    error.sqlite_errorcode = code
    return error


@pytest.fixture
def passphrase(tmp_path):
    file = tmp_path / "passphrase"
    file.write_text("heron bulrush lantern\n")
    return file


# ── backups ──


def test_a_backup_taken_while_it_serves_is_the_same_again_elsewhere(
    installation, context, tmp_path, passphrase
):
    made = backups.make(installation.settings.data, tmp_path / "kept", passphrase)
    again = tmp_path / "again"
    assert backups.restore(made.file, again, passphrase) == made.files
    with context.reading() as reading:
        there = reading.connection.exec_driver_sql("SELECT * FROM ledger_head").first()
    with closing(sqlite3.connect(again / "estate-lanternfield.sqlite")) as restored:
        assert restored.execute("SELECT * FROM ledger_head").fetchone() == tuple(there)
    with closing(open_installation(settings_on(again), NOBODY_OUTSIDE)) as opened:
        assert set(opened.organisations) == set(installation.organisations)
        assert ledger_heads.verify(again)[1] is False


def test_a_sealed_backup_tells_nothing(installation, tmp_path, passphrase):
    made = backups.make(installation.settings.data, tmp_path / "kept", passphrase)
    content = made.file.read_bytes()
    key = (installation.settings.data / "secret.key").read_bytes()
    assert key not in content
    assert b"SQLite format" not in content
    assert made.file.stat().st_mode & 0o077 == 0


def test_another_passphrase_opens_nothing_and_leaves_nothing(installation, tmp_path, passphrase):
    made = backups.make(installation.settings.data, tmp_path / "kept", passphrase)
    wrong = tmp_path / "wrong"
    wrong.write_text("quite another passphrase")
    with pytest.raises(CannotStart, match="passphrase is another"):
        backups.restore(made.file, tmp_path / "again", wrong)
    with pytest.raises(CannotStart, match="is sealed"):
        backups.restore(made.file, tmp_path / "again", None)
    assert [f.name for f in (tmp_path / "again").iterdir()] == ["in-use"]


@pytest.mark.parametrize("sealed", [True, False])
@pytest.mark.parametrize("where", ["middle", "end"])
def test_a_damaged_backup_is_refused(installation, tmp_path, passphrase, sealed, where):
    word = passphrase if sealed else None
    made = backups.make(installation.settings.data, tmp_path / "kept", word)
    content = bytearray(made.file.read_bytes())
    if where == "middle":
        content[len(content) // 2] ^= 0xFF
    else:
        del content[-2000:]
    made.file.write_bytes(content)
    with pytest.raises(CannotStart):
        backups.restore(made.file, tmp_path / "again", word)


def test_a_backup_is_never_put_over_something(installation, tmp_path):
    made = backups.make(installation.settings.data, tmp_path / "kept")
    with pytest.raises(CannotStart, match="has files in it"):
        backups.restore(made.file, installation.settings.data)


def test_only_the_newest_are_kept_and_nothing_else_is_touched(installation, tmp_path):
    kept = tmp_path / "kept"
    kept.mkdir()
    other = kept / "holiday.backup"
    other.write_text("not ours")
    began = datetime(2026, 11, 1, 2, tzinfo=UTC)
    for night in range(4):
        backups.make(installation.settings.data, kept, keep=2, at=began + timedelta(days=night))
    assert [f.name for f in backups.kept(kept)] == [
        "sedge-20261104T020000Z.backup",
        "sedge-20261103T020000Z.backup",
    ]
    assert other.read_text() == "not ours"
    assert sorted(f.name for f in kept.iterdir())[0] == "holiday.backup"


def test_a_damaged_database_becomes_no_backup(installation, tmp_path):
    file = installation.settings.data / "estate-copperleaf.sqlite"
    installation.estates["copperleaf"].close()
    for extra in installation.settings.data.glob("estate-copperleaf.sqlite-*"):
        extra.unlink()
    content = bytearray(file.read_bytes())
    content[100_000:200_000] = os.urandom(100_000)
    file.write_bytes(content)
    with pytest.raises(CannotStart):
        backups.make(installation.settings.data, tmp_path / "kept")
    assert backups.kept(tmp_path / "kept") == []


@pytest.mark.parametrize("size", [0, 1, (1 << 20) - 1, 1 << 20, (1 << 20) + 1, 3 << 20])
def test_what_is_sealed_comes_out_as_it_was(tmp_path, size):
    plain, sealed, out = (tmp_path / name for name in ("plain", "sealed", "out"))
    plain.write_bytes(os.urandom(size))
    seal(plain, sealed, "a passphrase of some length")
    unseal(sealed, out, "a passphrase of some length")
    assert out.read_bytes() == plain.read_bytes()


def test_pieces_that_change_places_are_seen(tmp_path):
    plain, sealed = tmp_path / "plain", tmp_path / "sealed"
    plain.write_bytes(os.urandom(3 << 20))
    seal(plain, sealed, "a passphrase of some length")
    head, _, rest = sealed.read_bytes().partition(b"\n")
    piece = 4 + (1 << 20) + 16
    moved = rest[piece : 2 * piece] + rest[:piece] + rest[2 * piece :]
    sealed.write_bytes(head + b"\n" + moved)
    with pytest.raises(CannotStart):
        unseal(sealed, tmp_path / "out", "a passphrase of some length")


# ── the nightly one ──


def test_it_is_made_once_a_night_and_today_tells_when_it_is_not(installation, tmp_path):
    installation.settings = installation.settings.model_copy(
        update={"backup_folder": tmp_path / "kept"}
    )
    assert nightly_backup.last(installation).is_late
    night = datetime.now(UTC).replace(hour=3)
    assert nightly_backup.make_when_due(installation, night)
    assert not nightly_backup.make_when_due(installation, night + timedelta(hours=1))
    assert nightly_backup.make_when_due(installation, night + timedelta(days=1))
    assert not nightly_backup.last(installation).problem


def test_one_that_fails_says_why_and_is_tried_again_after_an_hour(installation, tmp_path):
    file = tmp_path / "not-a-folder"
    file.write_text("")
    installation.settings = installation.settings.model_copy(update={"backup_folder": file})
    night = datetime.now(UTC).replace(hour=3)
    assert not nightly_backup.make_when_due(installation, night)
    told = nightly_backup.last(installation)
    assert told.problem
    assert told.is_late
    installation.settings = installation.settings.model_copy(
        update={"backup_folder": tmp_path / "kept"}
    )
    assert not nightly_backup.make_when_due(installation, night + timedelta(minutes=10))
    assert nightly_backup.make_when_due(installation, night + timedelta(hours=1, minutes=1))


# ── exports ──


def test_an_export_is_read_without_sedge_and_taken_in_by_another(installation, context, tmp_path):
    file = tmp_path / "lanternfield.zip"
    exports.export(installation.settings.data, "lanternfield", file)
    with zipfile.ZipFile(file) as packed:
        names = packed.namelist()
        ledger = packed.read("tables/ledger.jsonl").splitlines()
        assert json.loads(ledger[0])["sequence"] == 1
        assert "tables/secret.jsonl" not in names
        assert json.loads(packed.read("organisation.json"))["name"] == context.organisation.name
        assert any(name.startswith("files/") for name in names)
    with closing(open_installation(settings_on(tmp_path / "other"), NOBODY_OUTSIDE)) as other:
        taken, fresh = exports.take_in(other, file)
        assert fresh == [m.email for m in sorted(MEMBERS, key=lambda m: m.name)]
        with other.context(system_member(taken.id)).reading() as there, context.reading() as here:
            count = "SELECT count(*) FROM ledger"
            assert (
                there.connection.exec_driver_sql(count).scalar()
                == here.connection.exec_driver_sql(count).scalar()
            )


@pytest.mark.parametrize("content", [b"", b"PK\x03\x04 not really", b"text"])
def test_what_is_no_export_is_refused_and_leaves_nothing(installation, tmp_path, content):
    file = tmp_path / "wrong.zip"
    file.write_bytes(content)
    before = set(installation.organisations)
    with pytest.raises(CannotStart):
        exports.take_in(installation, file)
    assert set(installation.organisations) == before


def test_an_organisation_that_is_not_there_is_named_with_those_that_are(installation, tmp_path):
    with pytest.raises(CannotStart, match="Lanternfield"):
        exports.export(installation.settings.data, "nowhere", tmp_path / "x.zip")


# ── the ledger's head ──


def test_a_tail_that_was_cut_off_shows_against_a_head_kept_elsewhere(installation, tmp_path):
    data, heads = installation.settings.data, tmp_path / "heads"
    lines, broken = ledger_heads.verify(data, None, heads)
    assert not broken
    assert every("all hold" in line for line in lines[:-1])
    with installation.estates["lanternfield"].writing() as connection:
        run = connection.exec_driver_sql
        last = run("SELECT sequence FROM ledger_head").scalar()
        for trigger in run("SELECT name FROM sqlite_master WHERE type = 'trigger'").scalars().all():
            run(f"DROP TRIGGER {trigger}")
        run(f"DELETE FROM ledger WHERE sequence > {last - 10}")
        run(
            "UPDATE ledger_head SET sequence = (SELECT max(sequence) FROM ledger), hash ="
            " (SELECT hash FROM ledger ORDER BY sequence DESC LIMIT 1)"
        )
    assert not ledger_heads.verify(data)[1]
    lines, broken = ledger_heads.verify(data, heads)
    assert broken
    assert any("the end was cut off" in line for line in lines)


def test_verifying_changes_nothing_and_needs_a_folder_of_ours(tmp_path):
    with pytest.raises(CannotStart, match="no folder of Sedge"):
        ledger_heads.verify(tmp_path / "nowhere")
    assert not (tmp_path / "nowhere").exists()


# ── starting ──


def test_a_folder_is_used_by_one_process_at_a_time(tmp_path):
    with folder_in_use(tmp_path / "data"):
        with pytest.raises(CannotStart, match=f"in use by process {os.getpid()}"):
            with folder_in_use(tmp_path / "data"):
                pass
    with folder_in_use(tmp_path / "data"):
        pass


def test_nobody_else_reads_what_is_there(tmp_path):
    folder = tmp_path / "data"
    folder.mkdir(mode=0o755)
    (folder / "estate-old.sqlite").write_text("")
    (folder / "estate-old.sqlite").chmod(0o644)
    umask = os.umask(0)
    os.umask(umask)
    try:
        with folder_in_use(folder):
            (folder / "new").write_text("")
            assert every(f.stat().st_mode & 0o077 == 0 for f in (folder, *folder.iterdir()))
    finally:
        os.umask(umask)


@pytest.mark.parametrize("where", ["middle", "header"])
def test_one_damaged_organisation_stops_none_of_the_others(installation, where):
    folder = installation.settings.data
    installation.estates["copperleaf"].close()
    file = folder / "estate-copperleaf.sqlite"
    for extra in folder.glob("estate-copperleaf.sqlite-*"):
        extra.unlink()
    content = bytearray(file.read_bytes())
    start = 0 if where == "header" else 16_384
    content[start : start + 300_000] = os.urandom(300_000)
    file.write_bytes(content)
    with closing(open_installation(settings_on(folder), NOBODY_OUTSIDE)) as again:
        runner.recover(again)
        runner.tick_when_due(again, quiet_for=0)
        assert set(again.damaged) == {"copperleaf"}
        assert again.context(MEMBERS[0]).organisation.id == "lanternfield"
        with pytest.raises(OutOfOrder):
            again.context(system_member("copperleaf"))


def test_a_newer_database_is_refused_in_words(installation):
    with installation.shared.writing() as connection:
        connection.exec_driver_sql("UPDATE alembic_version SET version_num = '0099'")
    with pytest.raises(CannotStart, match=r"newer Sedge \(revision 0099"):
        open_installation(settings_on(installation.settings.data), NOBODY_OUTSIDE)


def test_before_an_upgrade_a_copy_is_kept(installation):
    data = installation.settings.data
    with installation.shared.writing() as connection:
        run = connection.exec_driver_sql
        for table in (
            "api_token",
            "attempt",
            "identity",
            "known_browser",
            "passkey",
            "password_reset",
            "recovery_code",
        ):
            run(f"DROP TABLE {table}")
        for column in ("password_changed_at", "totp_sealed", "totp_since", "totp_step"):
            run(f"ALTER TABLE sign_in DROP COLUMN {column}")
        for column in ("id", "opened_at", "seen_at", "sure_at", "awaits", "address", "agent"):
            run(f"ALTER TABLE session DROP COLUMN {column}")
        run("ALTER TABLE sign_in ADD COLUMN failures INTEGER NOT NULL DEFAULT 0")
        run("ALTER TABLE sign_in ADD COLUMN locked_until DATETIME")
        run("UPDATE alembic_version SET version_num = '0003'")
    with closing(open_installation(settings_on(data), NOBODY_OUTSIDE)) as again:
        assert again.shared.revision() == newest_revision("installation")
    kept = data / BEFORE_UPGRADES / "installation-0003.sqlite"
    with closing(sqlite3.connect(kept)) as before:
        assert before.execute("SELECT version_num FROM alembic_version").fetchone() == ("0003",)


@pytest.mark.parametrize("content", [b"", b"short", b"x" * 44])
def test_a_key_that_is_none_is_named(installation, content):
    (installation.settings.data / "secret.key").write_bytes(content)
    with pytest.raises(CannotStart, match=r"secret\.key is no key"):
        open_installation(settings_on(installation.settings.data), NOBODY_OUTSIDE)


def test_a_missing_key_is_not_made_anew_where_secrets_are_sealed_with_it(installation):
    (installation.settings.data / "secret.key").unlink()
    with pytest.raises(CannotStart, match="is missing"):
        open_installation(settings_on(installation.settings.data), NOBODY_OUTSIDE)
    assert not (installation.settings.data / "secret.key").exists()


@pytest.mark.parametrize(
    ("error", "says"),
    [
        (OSError(28, "No space left on device"), "no room left"),
        (OSError(30, "Read-only file system"), "can't be written to"),
        (PermissionError(13, "Permission denied"), "can't be written to"),
        (from_sqlite(sqlite3.SQLITE_FULL), "no room left"),
        (from_sqlite(sqlite3.SQLITE_READONLY_DIRECTORY), "can't be written to"),
        (from_sqlite(sqlite3.SQLITE_CORRUPT_INDEX), "is damaged"),
        (from_sqlite(sqlite3.SQLITE_NOTADB), "is damaged"),
        (from_sqlite(sqlite3.SQLITE_CANTOPEN), "can't be opened"),
    ],
)
def test_troubles_of_the_disk_are_sentences(error, says):
    with pytest.raises(CannotStart, match=says), told_plainly(Path("/data")):
        raise error


# ── while it serves ──


@pytest.mark.parametrize(
    ("code", "told"),
    [
        (sqlite3.SQLITE_FULL, "disk is full"),
        (sqlite3.SQLITE_IOERR_WRITE, "disk is full"),
        (sqlite3.SQLITE_BUSY, "Another program"),
        (sqlite3.SQLITE_READONLY, "may not write"),
        (sqlite3.SQLITE_ERROR, None),
    ],
)
def test_the_disks_trouble_is_told_as_what_it_is(code, told):
    found = out_of_order(OperationalError("", {}, from_sqlite(code)))
    assert (found is None) if told is None else (told in found.message and found.status == 503)


def test_a_full_disk_refuses_what_writes_and_shows_what_reads(client, installation):
    client.post("/sign-in", data={"who": "rowan"})
    with installation.estates["lanternfield"].writing() as connection:
        pages = connection.exec_driver_sql("PRAGMA page_count").scalar()
        connection.exec_driver_sql(f"PRAGMA max_page_count = {pages}")
    client.headers["Authorization"] = "Bearer demo"
    codes = {
        client.post(
            "/api/v1/people",
            json={"name": f"P {n}", "site": "wharf-house", "email": f"p{n}@lanternfield.example"},
        ).status_code
        for n in range(60)
    }
    assert 503 in codes
    assert not codes & {500}
    assert client.get("/numbers").status_code == 200


def test_the_watchers_pages_tell_good_from_bad(client, installation, monkeypatch):
    for path in ("/healthz", "/readyz"):
        assert client.get(path).json() == {"status": "ok"}
        assert client.get(path, headers={"Host": "10.0.0.7:8420"}).status_code == 200
    installation.damaged["copperleaf"] = "malformed"
    assert client.get("/healthz").status_code == 200
    assert client.get("/readyz").status_code == 503


def test_figures_are_read_by_an_independent_reader(client, installation):
    client.post("/sign-in", data={"who": "rowan"})
    client.get("/numbers")
    found = {
        (sample.name, *sorted(sample.labels.items())): sample.value
        for family in text_string_to_metric_families(client.get("/metrics").text)
        for sample in family.samples
    }
    route = ("sedge_requests_total", ("method", "GET"), ("route", "/numbers"), ("status", "2xx"))
    assert found[route] >= 1
    assert found["sedge_disk_free_bytes",] > 0
    assert found["sedge_organisations",] == len(installation.estates)
    assert found["sedge_backup_age_seconds",] == -1


def test_figures_are_for_the_token_or_this_machine(client, installation):
    assert client.get("/metrics", headers={"X-Forwarded-For": "192.0.2.1"}).status_code == 403
    secret = Settings(metrics_token="figures").metrics_token
    installation.settings = installation.settings.model_copy(update={"metrics_token": secret})
    assert client.get("/metrics").status_code == 403
    assert client.get("/metrics", headers={"Authorization": "Bearer figures"}).status_code == 200


def test_the_audit_is_a_line_of_json_for_each_entry_once(installation, context, tmp_path):
    file = tmp_path / "audit.jsonl"
    installation.settings = installation.settings.model_copy(update={"audit_file": file})
    while audit.append(context):
        pass
    lines = [json.loads(line) for line in file.read_text().splitlines()]
    assert [line["sequence"] for line in lines] == list(range(1, len(lines) + 1))
    assert {"actor", "action", "organisation", "at"} <= set(lines[0])
    with context.reading() as reading:
        assert (
            len(lines)
            == reading.connection.exec_driver_sql("SELECT sequence FROM ledger_head").scalar()
        )
    assert audit.append(context) == 0


class Collector(socketserver.StreamRequestHandler):
    def handle(self):
        self.server.told.append(self.rfile.read())


@pytest.fixture
def syslog():
    """A syslog server over TCP that keeps what it is told."""
    with socketserver.ThreadingTCPServer(("127.0.0.1", 0), Collector) as server:
        server.told = []
        threading.Thread(target=server.serve_forever, daemon=True).start()
        yield server
        server.shutdown()


MESSAGE = re.compile(rb"<109>1 (\S+Z) (\S+) sedge (\d+) (\S+) - \xef\xbb\xbf(\{.*\})", re.DOTALL)


def messages_of(told):
    """What was sent, by the octets that are counted before each (RFC 6587)."""
    while told:
        count, _, rest = told.partition(b" ")
        yield rest[: int(count)]
        told = rest[int(count) :]


def test_every_entry_goes_to_the_syslog_server_once_and_waits_while_it_is_away(
    installation, context, syslog
):
    at = f"tcp://127.0.0.1:{syslog.server_address[1]}"
    installation.settings = installation.settings.model_copy(
        update={"audit_syslog": "tcp://127.0.0.1:1"}
    )
    assert audit.append(context) == 0  # nobody is there
    installation.settings = installation.settings.model_copy(update={"audit_syslog": at})
    sent = 0
    while found := audit.append(context):
        sent += found
    ends = time.monotonic() + 30
    while sum(told.count(b"<109>1 ") for told in syslog.told) < sent:
        assert time.monotonic() < ends
        time.sleep(0.02)
    messages = [m for told in syslog.told for m in messages_of(told)]
    found = [MESSAGE.fullmatch(m) for m in messages]
    assert len(found) == sent
    assert every(found)
    told = sorted(json.loads(m[5])["sequence"] for m in found)
    assert told == list(range(1, sent + 1))
    assert found[0][4].decode() == json.loads(found[0][5])["action"]


@pytest.mark.parametrize("address", ["log.example.org", "http://log.example.org", "tcp://", "x"])
def test_a_syslog_address_that_cannot_be_is_refused_at_the_start(address):
    with pytest.raises(ValidationError, match="tcp://host:port"):
        Settings(audit_syslog=address)


def test_over_udp_each_line_is_a_datagram():
    with socket.socket(socket.AF_INET, socket.SOCK_DGRAM) as listens:
        listens.bind(("127.0.0.1", 0))
        listens.settimeout(10)
        server = SyslogServer.read(f"udp://127.0.0.1:{listens.getsockname()[1]}")
        server.send([(datetime(2026, 11, 30, tzinfo=UTC), "number.freed", "{}")], 1)
        assert MESSAGE.fullmatch(listens.recv(9_000))[1] == b"2026-11-30T00:00:00.000000Z"


def test_what_is_wrong_with_the_surroundings_is_told(installation, tmp_path):
    found = check_surroundings(
        settings_on(
            installation.settings.data,
            tls_certificate=tmp_path / "no.pem",
            tls_key=tmp_path / "no.key",
        )
    )
    told = {line.what: line.verdict for line in found}
    assert told["Certificate"] is Verdict.STOP
    assert told["Mail"] is Verdict.WARN
    assert told["Disk"] is Verdict.GOOD
    (installation.settings.data / "secret.key").unlink()
    assert {
        line.what
        for line in check_surroundings(settings_on(installation.settings.data))
        if line.is_stop
    } == {"Key"}


def test_a_clock_that_stepped_back_is_seen(installation):
    ahead = datetime.now(UTC).timestamp() + 7200
    os.utime(installation.settings.data / "installation.sqlite", (ahead, ahead))
    clock = next(
        x for x in check_surroundings(settings_on(installation.settings.data)) if x.what == "Clock"
    )
    assert clock.is_stop


def test_services_that_are_not_there_say_so_and_what_to_do():
    outside = at_addresses(Addresses())
    outside.telephony.put_number("+441134960100", {})  # nobody is there to be told
    for ask in (outside.telephony.devices, outside.directory.users):
        with pytest.raises(Exception, match="is not connected to this installation") as refused:
            ask()
        assert refused.value.reason == "not connected"
    outside.close()

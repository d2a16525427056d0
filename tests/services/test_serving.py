"""As an operator would: a real process on an empty folder, with TLS, from its first page to a
second factor, a token, figures, a backup that is restored elsewhere; one process at a time."""

import os
import re
import signal
import socket
import ssl
import subprocess
import sys
import time
from datetime import UTC, datetime, timedelta
from pathlib import Path

import httpx
import pyotp
import pytest
from cryptography import x509
from cryptography.hazmat.primitives import hashes, serialization
from cryptography.hazmat.primitives.asymmetric import ec
from cryptography.x509.oid import NameOID
from typer.testing import CliRunner

from sedge.cli import main

FRESH = "otter kettle orbit nineteen"
ADA = {
    "organisation": "Reedham Libraries",
    "country": "GB",
    "name": "Ada Marsh",
    "email": "ada.marsh@reedham.example",
    "password": FRESH,
    "again": FRESH,
}


def free_port() -> int:
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        return probe.getsockname()[1]


def sedge(*words, **named):
    command = [sys.executable, "-m", "sedge.cli", *map(str, words)]
    return subprocess.run(command, capture_output=True, text=True, timeout=60, **named)


def certificate(folder: Path):
    """One for localhost, signed by itself."""
    key = ec.generate_private_key(ec.SECP256R1())
    name = x509.Name([x509.NameAttribute(NameOID.COMMON_NAME, "localhost")])
    now = datetime.now(UTC)
    made = (
        x509.CertificateBuilder()
        .subject_name(name)
        .issuer_name(name)
        .public_key(key.public_key())
        .serial_number(x509.random_serial_number())
        .not_valid_before(now - timedelta(days=1))
        .not_valid_after(now + timedelta(days=90))
        .add_extension(x509.SubjectAlternativeName([x509.DNSName("localhost")]), critical=False)
        .sign(key, hashes.SHA256())
    )
    files = folder / "tls.pem", folder / "tls.key"
    files[0].write_bytes(made.public_bytes(serialization.Encoding.PEM))
    files[1].write_bytes(
        key.private_bytes(
            serialization.Encoding.PEM,
            serialization.PrivateFormat.PKCS8,
            serialization.NoEncryption(),
        )
    )
    return files


class Served:
    """A process of `sedge serve` under its settings file."""

    def __init__(self, folder: Path, collector: str = "") -> None:
        self.folder, self.data, self.port = folder, folder / "data", free_port()
        self.tls = certificate(folder)
        (folder / "passphrase").write_text("heron bulrush lantern")
        self.settings = folder / "sedge.toml"
        self.settings.write_text(
            f"""
            data = "{self.data}"
            port = {self.port}
            public_url = "https://localhost:{self.port}"
            tls_certificate = "{self.tls[0]}"
            tls_key = "{self.tls[1]}"
            metrics_token = "figures"
            traces = "{collector}"
            """
        )
        self.process: subprocess.Popen | None = None

    def start(self) -> "Served":
        command = [sys.executable, "-m", "sedge.cli", "serve", "--config", str(self.settings)]
        with (self.folder / "log").open("w") as log:
            self.process = subprocess.Popen(command, stdout=log, stderr=log)
        for _ in range(300):
            if re.search(r"^Sedge: https", self.log, re.MULTILINE):
                return self
            assert self.process.poll() is None, self.log
            time.sleep(0.1)
        raise AssertionError(self.log)

    @property
    def log(self) -> str:
        return (self.folder / "log").read_text()

    def client(self) -> httpx.Client:
        context = ssl.create_default_context(cafile=str(self.tls[0]))
        return httpx.Client(
            base_url=f"https://localhost:{self.port}", verify=context, follow_redirects=True
        )

    def stop(self) -> None:
        if self.process and self.process.poll() is None:
            self.process.send_signal(signal.SIGTERM)
            self.process.wait(20)


@pytest.fixture
def served(tmp_path, collector):
    one = Served(tmp_path, collector.url).start()
    yield one
    one.stop()


def test_from_nothing_to_an_organisation_that_is_served_kept_and_watched(
    served, collector, tmp_path
):
    code = re.search(r"with the code (\S+)", served.log)[1]
    with served.client() as browser:
        # the first page, with the code of the log and no other
        assert browser.post("/first-run", data={**ADA, "code": "AAAA-BBBB-CCCC"}).status_code == 403
        page = browser.post("/first-run", data={**ADA, "code": code.lower()})
        assert page.url.path == "/sign-in/set-up"
        assert browser.get("/numbers").url.path == "/sign-in"
        # the second factor
        secret = re.search(r'secret: <span class="code">([A-Z2-7 ]+)<', page.text)[1]
        totp = pyotp.TOTP(secret.replace(" ", ""))
        shown = browser.post("/sign-in/set-up", data={"code": totp.now()})
        assert len(re.findall(r'<li class="code">[a-z0-9-]{11}</li>', shown.text)) == 10
        today = browser.get("/")
        assert "First steps" in today.text
        assert "max-age=" in today.headers["Strict-Transport-Security"]
        cookie = next(c for c in browser.cookies.jar if c.name == "sedge_session")
        assert cookie.secure
        # a token, used and revoked
        form = {"name": "export", "role": "administrator", "days": "30"}
        made = browser.post("/account/tokens", data=form)
        token = re.search(r'data-copy="(sedge_[^"]+)"', made.text)[1]
        bearer = {"Authorization": f"Bearer {token}"}
        with served.client() as program:
            assert program.get("/api/v1/numbers", headers=bearer).json()["items"] == []
            key = program.get("/api/v1/tokens", headers=bearer).json()["items"][0]["id"]
            assert browser.post(f"/account/tokens/{key}/revoke").status_code == 200
            assert program.get("/api/v1/numbers", headers=bearer).status_code == 401
            assert (
                program.get("/api/v1/numbers", headers={"Authorization": "Bearer demo"}).status_code
                == 401
            )
        # what is not connected says so
        assert browser.get("/system").text.count("not connected") >= 6
    # figures, for who has the token
    with served.client() as watcher:
        assert watcher.get("/readyz").json() == {"status": "ok"}
        assert watcher.get("/metrics").status_code == 403
        found = watcher.get("/metrics", headers={"Authorization": "Bearer figures"}).text
        assert "sedge_organisations 1.0" in found
        assert 'sedge_requests_total{method="POST",route="/account/tokens",status="2xx"}' in found
        assert watcher.get("/", headers={"Host": "elsewhere.example"}).status_code == 421
    # one process at a time
    second = sedge("serve", "--config", served.settings)
    assert second.returncode == 2
    assert f"in use by process {served.process.pid}" in second.stderr
    # a backup while it serves, restored elsewhere and served there
    words = ("--passphrase-file", tmp_path / "passphrase")
    made = sedge("backup", "--config", served.settings, "--to", tmp_path / "kept", *words)
    assert made.returncode == 0, made.stderr
    served.stop()
    told = {"GET /", "POST /sign-in/set-up", "GET /api/v1/numbers", "GET /metrics"}
    assert told <= collector.spans.keys()
    file = next((tmp_path / "kept").glob("*.backup"))
    again = sedge("restore", file, "--data", tmp_path / "again", *words)
    assert again.returncode == 0, again.stderr
    checked = sedge("verify", "--data", tmp_path / "again")
    assert checked.stdout.startswith("Reedham Libraries: ")
    assert "all hold" in checked.stdout
    served.settings.write_text(
        served.settings.read_text().replace(str(served.data), str(tmp_path / "again"))
    )
    served.start()
    with served.client() as browser:
        page = browser.post("/sign-in", data={"email": ADA["email"], "password": FRESH})
        assert page.url.path == "/sign-in/code"
        # the step of the code used before is not taken again, so the next one is
        later = totp.at(datetime.now(UTC) + timedelta(seconds=30))
        assert browser.post("/sign-in/code", data={"code": later}).url.path == "/"


def test_a_wrong_settings_file_ends_it_with_a_sentence(tmp_path):
    file = tmp_path / "sedge.toml"
    for text, told in (
        ("prot = 8420", "prot"),
        ("port = 'many'", "SEDGE_PORT"),
        ("port = [", "can't be read"),
        ("tls_key = 'x'", "go together"),
        ("public_url = 'sedge.example.org'", "begins with http"),
    ):
        file.write_text(text)
        done = sedge("serve", "--config", file)
        assert done.returncode == 2
        assert told in done.stderr
        assert "Traceback" not in done.stderr
    missing = sedge("serve", "--config", tmp_path / "no.toml")
    assert missing.returncode == 2
    assert "Traceback" not in missing.stderr


def test_a_port_that_is_taken_is_named(tmp_path):
    with socket.socket() as taken:
        taken.bind(("127.0.0.1", 0))
        taken.listen()
        port = taken.getsockname()[1]
        done = sedge("serve", "--data", tmp_path / "data", "--port", port)
    assert done.returncode == 2
    assert f"Port {port}" in done.stderr
    assert "Traceback" not in done.stderr


@pytest.fixture
def _usual_umask():
    """The command keeps its files to itself; the tests after it need not."""
    usual = os.umask(0o022)
    os.umask(usual)
    yield
    os.umask(usual)


@pytest.mark.usefixtures("_usual_umask")
def test_the_first_organisation_is_set_up_from_the_command_line(tmp_path):
    named = {"organisation": "Reedham", "country": "DE", "name": "Ada", "email": ADA["email"]}
    words = [part for name, value in named.items() for part in (f"--{name}", value)]

    def init(password):
        command = ["init", "--data", str(tmp_path / "data"), *words]
        return CliRunner().invoke(main, command, input=f"{password}\n{password}\n")

    weak = init("short")
    assert weak.exit_code == 2
    assert "at least 12 characters" in weak.output
    assert init(FRESH).exit_code == 0
    again = init(FRESH)
    assert again.exit_code == 2
    assert "set this up already" in again.output
    assert (tmp_path / "data").stat().st_mode & 0o077 == 0

"""The published carrier interface: the document is what the client speaks, the stand-ins keep to
it, and the check finds who does not."""

import re
from http.server import BaseHTTPRequestHandler, HTTPServer
from pathlib import Path
from threading import Thread

import httpx
import pytest
from scripts import carrier_interface as interface

import sedge.outside.carrier as client
from sedge.services.operating import carrier_check
from sedge.services.operating.surroundings import Verdict
from sedge.standins.app import StandinServer
from tests.asserting import every

KEY = "key-of-brackwater-main"


@pytest.fixture
def server(tmp_path):
    made = StandinServer(tmp_path).start(ticking=False)
    yield made
    made.stop()


@pytest.fixture
def url(server):
    return f"{server.url}/carrier/brackwater"


def verdicts(lines):
    return {line.what: line.verdict for line in lines}


def test_a_carrier_that_keeps_its_promises_passes_every_trial(url):
    found = carrier_check.check(url, KEY, "GB", buy=True)
    assert {line.what: line.says for line in found if line.verdict is not Verdict.GOOD} == {}
    assert len(found) >= 16


def test_looking_changes_nothing(url):
    before = httpx.get(f"{url}/account", headers={"Authorization": f"Key {KEY}"}).json()
    carrier_check.check(url, KEY, "GB", buy=False)
    after = httpx.get(f"{url}/account", headers={"Authorization": f"Key {KEY}"}).json()
    assert before == after


def test_a_wrong_key_and_a_country_without_stock_are_told(url):
    found = verdicts(carrier_check.check(url, "nonsense", "GB", buy=False))
    assert found["account"] is Verdict.STOP
    assert verdicts(carrier_check.check(url, KEY, "FR", buy=False))["stock"] is Verdict.WARN


class Careless(BaseHTTPRequestHandler):
    """Says yes to everything, with too little."""

    def do_GET(self):
        content = b'{"numbers": [], "balance": "1"}'
        self.send_response(200)
        self.send_header("Content-Type", "application/json")
        self.send_header("Content-Length", str(len(content)))
        self.end_headers()
        self.wfile.write(content)

    do_POST = do_GET

    def log_message(self, *_):
        pass


def test_a_server_that_says_yes_to_everything_is_found_out():
    server = HTTPServer(("127.0.0.1", 0), Careless)
    Thread(target=server.serve_forever, daemon=True).start()
    try:
        found = carrier_check.check(f"http://127.0.0.1:{server.server_port}", KEY, "GB", buy=True)
    finally:
        server.shutdown()
        server.server_close()
    told = verdicts(found)
    assert every(told[what] is Verdict.STOP for what in ("account", "charges", "unknown order"))
    assert told["what is not for sale"] is Verdict.STOP


@pytest.mark.parametrize(
    ("path", "model"),
    [
        ("account", interface.Account),
        ("account/charges?after=0", interface.Charges),
        ("stock?country=GB&starts=%2B44113496", interface.Items),
        ("numbers", interface.Page),
        ("addresses", interface.Addresses),
        ("port-outs", interface.Requests),
    ],
)
def test_the_stand_in_answers_as_the_document_says(url, path, model):
    answer = httpx.get(f"{url}/{path}", headers={"Authorization": f"Key {KEY}"})
    model.model_validate(answer.json())


def test_every_call_of_the_client_stands_in_the_document():
    paths = interface.app.openapi()["paths"]
    known = {
        (method.upper(), re.sub(r"\{\w+\}", "{}", path.lstrip("/")))
        for path, methods in paths.items()
        for method in methods
    }
    source = re.sub(r"\s+", " ", Path(client.__file__).read_text())
    calls = re.findall(r'self\.call\( ?"(\w+)", f?"([^"]+)"', source)
    assert len(calls) > 20
    asked = {(method, re.sub(r"\{quote\(\w+\)\}", "{}", path)) for method, path in calls}
    assert asked - known == set()

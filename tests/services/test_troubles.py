"""The last warnings of the log are shown, whichever process had them."""

import json
import os
import subprocess
import sys

import pytest

from sedge import troubles
from sedge.services.operating import health

OTHER = """
import structlog
from sedge.app import set_up_logging
set_up_logging(as_json=False)
structlog.get_logger("x").warning("the register is slow", service="The register")
structlog.get_logger("x").info("nothing to tell")
"""


@pytest.fixture
def shared(tmp_path, monkeypatch):
    monkeypatch.setenv("PROMETHEUS_MULTIPROC_DIR", str(tmp_path))
    monkeypatch.setattr(troubles, "_own", type(troubles._own)(maxlen=troubles.MOST))
    return tmp_path


def warn(event, **facts):
    troubles.note_trouble(None, "warning", {"event": event, **facts})


def test_a_warning_of_another_process_stands_on_the_page(shared, context):
    environment = os.environ | {"PROMETHEUS_MULTIPROC_DIR": str(shared)}
    subprocess.run([sys.executable, "-c", OTHER], env=environment, check=True, capture_output=True)
    warn("own", organisation="lanternfield")
    warn("of others", organisation="copperleaf")
    told = [(t.event, t.says) for t in health.system(context).troubles]
    assert told == [("own", ""), ("the register is slow", "service The register")]


def test_files_stay_small_and_a_half_written_line_hurts_nobody(shared, monkeypatch):
    monkeypatch.setattr(troubles, "LARGEST", 2000)
    for n in range(300):
        warn(f"no {n}")
    [mine] = shared.glob("*.troubles")
    assert len(mine.read_text().splitlines()) <= troubles.MOST + 20
    mine.rename(shared / "1.troubles")
    whole = json.dumps({"at": "2026-11-24T08:00:00+00:00", "level": "warning"})
    with (shared / "1.troubles").open("a") as file:
        file.write(whole + "\n" + whole[:20])
    events = [t.event for t in troubles.last_troubles()]
    assert events.count("no 299") == 2, "its own, and the one of the file"


def test_alone_it_writes_nothing_down(tmp_path, monkeypatch):
    monkeypatch.delenv("PROMETHEUS_MULTIPROC_DIR", raising=False)
    monkeypatch.chdir(tmp_path)
    warn("something")
    assert troubles.last_troubles()[0].event == "something"
    assert list(tmp_path.iterdir()) == []

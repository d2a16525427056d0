"""Spans go to a collector where one is named, and services outside can continue the trace."""

import subprocess
import sys

import pytest

from sedge import traces
from sedge.settings import Settings

PROGRAM = """
import sys
from sedge import traces
from fastapi import FastAPI
from sedge.outside.http import Service
from starlette.testclient import TestClient

end = traces.send_spans(sys.argv[1])
app = FastAPI()

@app.get("/told/{name}")
def told(name: str):
    with traces.span("do assign_number", task="t-1"):
        Service("The register", sys.argv[1]).call("GET", "register")
    return {}

assert TestClient(app).get("/told/ada").status_code == 200
end()
"""


def test_a_request_its_task_and_the_call_outside_are_one_trace(collector):
    done = subprocess.run(
        [sys.executable, "-c", PROGRAM, collector.url], capture_output=True, text=True, check=False
    )
    assert done.returncode == 0, done.stderr
    request, task, outside = (
        collector.spans[name]
        for name in ("GET /told/{name}", "do assign_number", "ask The register")
    )
    assert {x.trace_id for x in (task, outside)} == {request.trace_id}
    assert outside.parent_span_id == task.span_id
    assert [x.value.string_value for x in task.attributes if x.key == "task"] == ["t-1"]
    [continued] = collector.continued
    assert continued.startswith(f"00-{outside.trace_id.hex()}-{outside.span_id.hex()}-")


def test_where_no_collector_is_named_nothing_is_sent_or_told():
    traces.send_spans("")()
    with traces.span("do nothing"):
        assert traces.passed_on() == {}


def test_a_collector_is_an_address(tmp_path):
    assert (
        Settings(data=tmp_path, traces="http://localhost:4318/").traces == "http://localhost:4318"
    )
    with pytest.raises(ValueError, match="begins with http"):
        Settings(data=tmp_path, traces="localhost:4318")


def test_without_the_packages_it_says_what_to_install(monkeypatch):
    monkeypatch.setitem(sys.modules, "opentelemetry.sdk.trace", None)
    with pytest.raises(traces.CannotStart, match="pip install"):
        traces.send_spans("http://localhost:4318")

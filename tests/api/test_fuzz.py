"""No input makes an error of the server's own: every route with odd values in every place."""

import re
import zlib

import pytest
from fastapi.routing import APIRoute
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from sedge.api.holders import scim
from sedge.api.routing import BASE
from sedge.app import PLACES, RESOURCES

ODD = [
    "",
    " ",
    "0",
    "-1",
    "x" * 5000,
    "'; DROP TABLE life; --",
    "\u0000",
    "😀",
    "../../etc",
    "%00",
    "1e309",
    "null",
    "+44",
    "0113 496 0142",
    "true",
    "[]",
    "{}",
    "٣",
]
PARTS = 3  # each operation gets every third odd value; the described ones are many more
json_values = st.recursive(
    st.none() | st.booleans() | st.integers() | st.floats(allow_nan=False) | st.text(max_size=30),
    lambda inner: (
        st.lists(inner, max_size=4)
        | st.dictionaries(
            st.sampled_from(["number", "numbers", "kind", "holder", "tasks", "title", "at", "x"]),
            inner,
            max_size=5,
        )
    ),
    max_leaves=10,
)


@pytest.fixture(scope="module")
def fuzzed(shared):
    """One house for all: what odd values have done to it must not break it either."""
    shared.post("/sign-in", data={"who": "rowan"})
    shared.headers["Authorization"] = "Bearer demo"
    return shared


def filled(path, odd):
    value = odd.replace("/", "").replace("\u0000", "").replace("?", "").replace("#", "") or "x"
    return re.sub(r"\{[^}]*\}", lambda _match: value, path)


def routes(sources):
    return [
        (m, r.path, [p.name for p in r.dependant.query_params], r)
        for s in sources
        for r in s.routes
        if isinstance(r, APIRoute)
        for m in r.methods
    ]


@pytest.mark.parametrize(
    ("method", "path"), sorted({(m, p) for m, p, _, _ in routes(RESOURCES) if p.startswith(BASE)})
)
def test_the_api_never_breaks(fuzzed, method, path):
    names = {p: n for m, p, n, _ in routes(RESOURCES) if m == method}[path]
    for odd in ODD[zlib.crc32(path.encode()) % PARTS :: PARTS]:
        address = filled(path, odd)
        answer = fuzzed.request(
            method, address, params={n: odd for n in names if odd != "\u0000"}, json={"x": odd}
        )
        assert answer.status_code < 500 or answer.json()["code"].startswith("outside"), (
            address,
            odd,
            answer.text[:300],
        )


@pytest.mark.parametrize(
    ("method", "path"), sorted({(m, p) for m, p, _, _ in routes([scim.resource])})
)
def test_the_directorys_door_never_breaks(fuzzed, method, path):
    for odd in ODD:
        answer = fuzzed.request(
            method,
            filled(path, odd),
            params={"filter": odd} if odd != "\u0000" else None,
            json={"userName": odd, "Operations": odd},
        )
        assert answer.status_code < 500, (path, odd, answer.text[:300])


@settings(max_examples=40, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(body=json_values)
def test_any_json_body_is_answered(fuzzed, body):
    for path in (
        "work-orders",
        "supply/holds",
        "orders",
        "trace/inbound",
        "trace/outbound",
        "test-calls",
        "people",
        "civic-addresses/match",
    ):
        answer = fuzzed.post(f"/api/v1/{path}", json=body)
        assert answer.status_code < 500, (path, body, answer.text[:300])


@pytest.mark.parametrize("path", sorted({p for m, p, _, _ in routes(PLACES) if m == "GET"}))
def test_pages_never_break(fuzzed, path):
    names = {p: n for m, p, n, _ in routes(PLACES) if m == "GET"}[path]
    for odd in ODD[zlib.crc32(path.encode()) % PARTS :: PARTS]:
        address = filled(path, odd)
        answer = fuzzed.get(address, params={n: odd for n in names})
        assert answer.status_code < 500, (address, odd, answer.text[-400:])

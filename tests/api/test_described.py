"""Every operation is as the interface's own description says, whatever is sent that fits it or does
not: no error of the server's own (500 is described nowhere), no status, media type, header or body
that is not described."""

import os
import re

import pytest
import schemathesis
from hypothesis import HealthCheck, Phase, given, settings
from schemathesis import GenerationMode
from schemathesis.checks import CHECKS as KNOWN
from schemathesis.checks import load_all_checks

from sedge.demo.seed import MEMBERS
from tests.api.test_reach import PARAMETERS, ids_of

CALLS_EACH = int(os.environ.get("CALLS_EACH", "2"))  # valid ones, and as many that are not
HERE = "http://127.0.0.1:8420"
PARTS = 8  # so that several processes share them
load_all_checks()
CHECKS = KNOWN.get_by_names(
    [
        "status_code_conformance",
        "content_type_conformance",
        "response_headers_conformance",
        "response_schema_conformance",
    ]
)
STEERED = ("/standins/", "/system/backup")  # these move clocks and files of everybody


@pytest.fixture(scope="module")
def described(shared):
    made = schemathesis.openapi.from_dict(shared.get("/api/v1/openapi.json").json())
    made.app = shared.app
    operations = [found.ok() for found in made.get_all_operations()]
    return [one for one in operations if not any(path in one.path for path in STEERED)]


def test_all_of_the_interface_is_described(described):
    assert len(described) > 300


@pytest.fixture(scope="module")
def ids(shared):
    """What there is at one site, by the name that the paths' parameters have for it."""
    return ids_of(shared.app.state.installation.context(MEMBERS[0]), "wharf-house")


def there(path, ids):
    """Parameters of a path that lead to something, as far as it is known what they mean."""
    before = path[: path.find("{")].removeprefix("/api/v1")
    meant = {name: PARAMETERS.get((name, before), "") for name in re.findall(r"\{(\w+)\}", path)}
    return {name: ids[what].lstrip("+") for name, what in meant.items() if what in ids} or None


@pytest.mark.parametrize("kind", ["what is there", "what fits", "what does not fit"])
@pytest.mark.parametrize("part", range(PARTS))
def test_each_operation_answers_as_described(described, ids, part, kind):
    mode = GenerationMode.NEGATIVE if kind == "what does not fit" else GenerationMode.POSITIVE
    for operation in described[part::PARTS]:
        known = there(operation.path, ids) if kind == "what is there" else None
        if kind == "what is there" and known is None:
            continue

        @given(case=operation.as_strategy(generation_mode=mode, path_parameters=known))
        @settings(
            max_examples=CALLS_EACH,
            derandomize=True,
            deadline=None,
            database=None,
            phases=[Phase.explicit, Phase.generate],
            suppress_health_check=list(HealthCheck),
        )
        def holds(case):
            answer = case.call(HERE, headers={"Authorization": "Bearer demo"})
            case.validate_response(answer, checks=CHECKS)

        holds()

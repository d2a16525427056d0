"""What records refer to: no field that names another record is forgotten by the table that loading
goes by."""

import pytest

from sedge.core.records import RECORD_TYPES, PathVersion, Site, Spot
from sedge.core.references import references
from tests.conftest import EstateBuilder

NAMING = {"site", "spot", "path", "address", "person", "cover"}
# of whose site or spot nothing is asked when they are
NOT_ASKED = {"Address", "Document", "KeptFree", "Order", "Proof"}
TYPES = sorted(set(RECORD_TYPES.values()), key=lambda x: x.__name__)


@pytest.mark.parametrize("record_type", TYPES)
def test_no_field_that_names_a_record_is_forgotten(record_type):
    named = set(record_type.model_fields) & NAMING
    if record_type.__name__ in NOT_ASKED:
        named = set()
    empty = {
        name: {"steps": {}} if name == "body" else ()
        for name, field in record_type.model_fields.items()
        if field.is_required()
    }
    record = record_type.model_construct(**empty | {name: f"a {name}" for name in named})
    assert {f"a {name}" for name in named} <= {key for _, key in references(record)}


def test_a_number_brings_its_site_spot_and_path():
    builder = EstateBuilder()
    number = builder.number(142)
    found = builder.build().number(number).copy_with(spot="a-spot", path="a-path")
    wanted = {(Site, found.site), (Spot, "a-spot"), (PathVersion, "a-path")}
    assert wanted <= set(references(found))

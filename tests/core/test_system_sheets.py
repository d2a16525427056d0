"""The trunk between two telephone systems of our own: a sheet for each end."""

import pytest

from sedge.core.enums import Transport
from sedge.core.records import Downstream
from sedge.core.trunks.records import Sbc
from sedge.core.trunks.system_sheets import End, sheet_for

SYSTEM = Downstream(
    id="alarm",
    name="Alarm server",
    site="leeds",
    host="alarm.example",
    port=5070,
    transport=Transport.TCP,
    number_format="last 4 digits",
)
EDGE = Sbc(id="edge", name="Edge", site="leeds", host="edge.example", addresses=("192.0.2.7",))


def values(end, sbcs=(EDGE,)):
    sheet = sheet_for(end, SYSTEM, sbcs, ["0113 496 0280-0281"], ["0280", "0281"])
    return {v.name: v.text for part in sheet.parts for v in part.values}, sheet


def test_each_end_gets_the_address_of_the_other():
    theirs, sheet = values(End.THEIRS)
    assert (theirs["Host"], theirs["Port"], theirs["Transport"]) == ("edge.example", "5061", "TLS")
    assert theirs["Addresses to allow"] == "192.0.2.7"
    assert any("emergency" in step for step in sheet.steps)
    ours, sheet = values(End.OURS)
    assert (ours["Host"], ours["Port"], ours["Transport"]) == ("alarm.example", "5070", "TCP")
    assert any("written last 4 digits" in step for step in sheet.steps)


@pytest.mark.parametrize("end", list(End))
def test_both_have_the_same_numbers_each_with_copy(end):
    found, sheet = values(end)
    assert found["Its numbers"] == "0113 496 0280-0281"
    assert found["Written"] == "last 4 digits, as in 0280"
    numbers = next(v for part in sheet.parts for v in part.values if v.name == "Its numbers")
    assert numbers.copy == "0280\n0281"


def test_what_nobody_knows_is_said_to_be_missing():
    found, sheet = values(End.THEIRS, ())
    assert found["Host"].startswith("not known")
    assert not any("firewall" in step for step in sheet.steps)
    two, _ = values(End.THEIRS, (EDGE, EDGE.copy_with(name="Spare", host="spare.example")))
    assert two["Then Spare"] == "spare.example"

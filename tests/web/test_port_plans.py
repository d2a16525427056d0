"""A port planned from a file: whatever kind it is, and what is said of one that has no numbers."""

import json

import pytest

from sedge.formats.sheets import to_spreadsheet


def plan_of(rowan, name, content, **form):
    asked = {"account": "fellgate-main", "site": "millwheel-gallery", "what": "plan", **form}
    return rowan.post(
        "/ports/new", data=asked, files={"file": (name, content)}, headers={"HX-Request": "true"}
    )


def test_a_port_is_planned_from_a_file_of_any_kind(rowan):
    rows = [
        ["Name", "Number"],
        ["Main desk", "0117 496 0800"],
        ["Shop", "+44 117 496-0801 to 0117 496 0805"],
        ["Office", "not yet"],
    ]
    sheet = to_spreadsheet(rows[0], rows[1:])
    semicolons = "\r\n".join(";".join(row) for row in rows).encode("utf-16")
    for name, content in (
        ("list.csv", semicolons),
        ("list.xlsx", sheet),
        ("list.txt", b"0117 496 0800, 0117 496 0801-0805"),
    ):
        answer = plan_of(rowan, name, content)
        assert answer.status_code == 200, name
        assert 'name="text" value="+441174960800 to +441174960805"' in answer.text, name
        assert "Begin with 6 numbers" in answer.text
    begun = rowan.post(
        "/ports/new",
        data={
            "text": "+441174960800 to +441174960805",
            "account": "fellgate-main",
            "site": "millwheel-gallery",
            "what": "begin",
        },
    )
    assert begun.headers["location"].startswith("/ports/port-")


@pytest.mark.parametrize(
    ("content", "field", "said"),
    [
        (b"", "text", "No number could be read"),
        (b"  \n", "file", "The file is empty"),
        (b"\x89PNG\r\n\0\0\0", "file", "This is no text file"),
        (b"PK\x03\x04 broken", "file", "This is no XLSX spreadsheet"),
        (b"0" * 1_000_001, "file", "A file of numbers may have 1 MB"),
        (b"ring me", "text", "No number could be read"),
    ],
)
def test_a_file_without_numbers_is_answered_beside_its_field(rowan, content, field, said):
    answer = plan_of(rowan, "list.csv", content)
    problem = json.loads(answer.headers["Sedge-Problem"])
    assert (answer.status_code, problem["field"]) == (422, field)
    assert said in str(problem)

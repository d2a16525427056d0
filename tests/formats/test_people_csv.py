"""People from a directory's CSV export (RFC 4180), as directories really write it."""

import csv
import io

import pytest
from hypothesis import given
from hypothesis import strategies as st

from sedge.core.errors import NotUnderstood
from sedge.formats.people_csv import MOST_BYTES, MOST_ROWS, read_people

ONE = "Name;Email\nAda Reed;ada@example.test\n"


def rows(text):
    return [(r.name, r.email) for r in read_people(text.encode()).rows]


@pytest.mark.parametrize(
    "data",
    [
        ONE.encode(),
        b"\xef\xbb\xbf" + ONE.encode(),
        ONE.replace(";", ",").encode(),
        ONE.replace(";", "\t").encode(),
        ONE.replace("\n", "\r\n").encode(),
        b'"Name";"Email"\r\n"Ada Reed";"ada@example.test"\r\n',
        b"Name;Email\n\n  ;  \nAda Reed;ada@example.test\n\n",
        b"Name;Email\n  Ada Reed  ;ada@example.test",
    ],
    ids=[
        "plain",
        "bom",
        "commas",
        "tabs",
        "crlf",
        "quoted",
        "blank lines",
        "spaces, no end of line",
    ],
)
def test_every_usual_dialect_gives_the_same_row(data):
    sheet = read_people(data)
    assert [(r.name, r.email) for r in sheet.rows] == [("Ada Reed", "ada@example.test")]


@pytest.mark.parametrize(
    ("header", "field"),
    [
        ("Display name", "name"),
        ("displayName", "name"),
        ("cn", "name"),
        ("E-Mail", "email"),
        ("mail", "email"),
        ("Office", "site"),
        ("Standort", "site"),
        ("Dept", "department"),
        ("Abteilung", "department"),
        ("job_title", "job"),
        ("Durchwahl", "extension"),
        ("EXT", "extension"),
    ],
)
def test_columns_are_found_by_any_usual_header(header, field):
    needed = {"name": "Name", "email": "Email"}
    needed.pop(field, None)
    text = ";".join([header, *needed.values()]) + "\nx;" + ";".join("y@z" for _ in needed) + "\n"
    assert read_people(text.encode()).columns[field] == header


def test_names_may_come_in_two_columns():
    assert rows("First name;Last name;Email\nAda;Reed;a@b\n") == [("Ada Reed", "a@b")]


def test_columns_nothing_is_made_of_are_told():
    sheet = read_people(b"Name;Email;Shoe size;Locker\nA;a@b;42;7\n")
    assert sheet.ignored == ["Shoe size", "Locker"]


def test_quotes_semicolons_and_line_breaks_inside_a_field_stay():
    sheet = read_people(b'Name,Email,Department\n"Reed, Ada ""Wren""",a@b,"Loans\nand stores"\n')
    assert sheet.rows[0].name == 'Reed, Ada "Wren"'
    assert sheet.rows[0].department == "Loans\nand stores"


def test_a_row_that_is_too_short_lacks_only_what_it_lacks():
    sheet = read_people(b"Name;Email;Extension\nAda;a@b\n")
    assert (sheet.rows[0].email, sheet.rows[0].extension) == ("a@b", "")


def test_rows_keep_the_line_they_stand_on():
    assert [r.number for r in read_people(b"Name;Email\nA;a@b\nB;b@b\n").rows] == [2, 3]


@pytest.mark.parametrize(
    ("data", "words"),
    [
        (b"", "empty"),
        (b"   \n  ", "empty"),
        (b"Name\nAda\n", "mail addresses"),
        (b"Email\na@b\n", "names"),
        (b"First name;Email\nAda;a@b\n", "names"),
        (b"\xff\xfeN\x00", "UTF-8"),
        (b'Name;Email\n"Ada;a@b\n', "quotes"),
        (b"x" * (MOST_BYTES + 1), "5 MB"),
        (b"Name;Email\n" + b"A;a@b\n" * (MOST_ROWS + 1), "20,000"),
    ],
    ids=[
        "empty",
        "blank",
        "no mail",
        "no name",
        "half a name",
        "not utf-8",
        "open quote",
        "large",
        "many",
    ],
)
def test_a_file_that_cannot_be_used_says_why_and_what_to_do(data, words):
    with pytest.raises(NotUnderstood) as raised:
        read_people(data)
    assert words in raised.value.message
    assert raised.value.field == "file"


plain = (
    st.text(
        st.characters(min_codepoint=33, max_codepoint=0x2FF, exclude_characters='"'),
        min_size=1,
        max_size=20,
    )
    .map(str.strip)
    .filter(bool)
)


@given(st.lists(st.tuples(plain, plain, plain), min_size=1, max_size=6), st.sampled_from(";,\t"))
def test_what_a_csv_writer_writes_is_read_back(people, delimiter):
    out = io.StringIO()
    writer = csv.writer(out, delimiter=delimiter, quoting=csv.QUOTE_ALL)
    writer.writerow(["Name", "Email", "Department"])
    writer.writerows(people)
    sheet = read_people(out.getvalue().encode())
    assert [(r.name, r.email, r.department) for r in sheet.rows] == people


@given(st.binary(max_size=300))
def test_any_bytes_are_read_or_refused(data):
    try:
        read_people(data)
    except NotUnderstood as error:
        assert error.field == "file"

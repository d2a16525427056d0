"""Tables in and out: encodings, delimiters, line ends, spreadsheets; nothing that leaves is
calculated."""

import io
import zipfile

import openpyxl
import pytest
from hypothesis import given
from hypothesis import strategies as st

from sedge.core.errors import NotUnderstood
from sedge.core.imports.fields import plain_cell
from sedge.formats import sheets

ONE = 'Number;Label\n+441134960142;Straße\n\n0113 496 0143;"two\nlines"\n'
cells = st.text(st.characters(exclude_categories=("Cs", "Cc")), max_size=20).map(str.strip)


def read(path):
    head = sheets.head_of(path)
    return head, [row for _, row in sheets.rows_of(path, head)]


@pytest.mark.parametrize("encoding", ["utf-8", "utf-8-sig", "utf-16", "cp1252"])
@pytest.mark.parametrize("ends", ["\n", "\r\n", "\r"])
def test_any_usual_encoding_and_line_end_is_read(tmp_path, encoding, ends):
    (tmp_path / "x.csv").write_bytes(ONE.replace("\n", ends).encode(encoding))
    head, rows = read(tmp_path / "x.csv")
    assert head.header == ["Number", "Label"]
    assert rows == [["+441134960142", "Straße"], ["0113 496 0143", "two\nlines"]]


@pytest.mark.parametrize("delimiter", [",", ";", "\t", "|"])
def test_the_delimiter_is_found(tmp_path, delimiter):
    (tmp_path / "x.csv").write_text(f"a{delimiter}b\n1{delimiter}2\n")
    assert read(tmp_path / "x.csv")[1] == [["1", "2"]]


@pytest.mark.parametrize("data", [b"", b"  \n ", b"\x00\x01\x02PDF", b"\x89PNG\r\n\x1a\n\0\0"])
def test_what_is_no_table_is_refused(tmp_path, data):
    (tmp_path / "x.csv").write_bytes(data)
    with pytest.raises(NotUnderstood):
        sheets.head_of(tmp_path / "x.csv")


@given(st.lists(st.lists(cells, min_size=2, max_size=2), max_size=8))
def test_no_cell_that_leaves_begins_a_formula_and_all_come_back(rows):
    data = b"".join(sheets.to_csv(["first", "second"], rows)).decode("utf-8-sig")
    import csv

    back = list(csv.reader(io.StringIO(data, newline="")))[1:]
    assert all(not cell.startswith(("=", "+", "-", "@")) for row in back for cell in row)
    assert [[plain_cell(c) for c in row] for row in back] == [
        [plain_cell(c) for c in row] for row in rows
    ]


def test_a_spreadsheets_values_are_read_and_what_was_left_out_is_said(tmp_path):
    book = openpyxl.Workbook()
    sheet = book.active
    sheet.append(["Number", "Price", "Until"])
    sheet.append([441134960142, 0.8, "=A2+1"])
    sheet.merge_cells("A3:B3")
    book.create_sheet("more")
    book.save(tmp_path / "x.xlsx")
    notes = sheets.from_spreadsheet(tmp_path / "x.xlsx", tmp_path / "x.csv")
    assert [note.split(" ")[0] for note in notes] == ["Some", "Some", "Only"]
    assert read(tmp_path / "x.csv")[1] == [["441134960142", "0.8"]]


@pytest.mark.parametrize("data", [b"PK\x03\x04 nothing", b"PK\x05\x06" + b"\0" * 18])
def test_a_broken_spreadsheet_is_refused(tmp_path, data):
    (tmp_path / "x.xlsx").write_bytes(data)
    with pytest.raises(NotUnderstood):
        sheets.from_spreadsheet(tmp_path / "x.xlsx", tmp_path / "x.csv")


def test_a_spreadsheet_that_leaves_has_text_only():
    book = openpyxl.load_workbook(
        io.BytesIO(sheets.to_spreadsheet(["E.164", "Label"], [["+441134960142", "=1+1"]]))
    )
    [_, row] = list(book.active.iter_rows())
    assert [(cell.value, cell.data_type) for cell in row] == [("+441134960142", "s"), ("=1+1", "s")]


def test_reading_goes_on_from_a_row(tmp_path):
    (tmp_path / "x.csv").write_text("n\n" + "".join(f"{i}\n" for i in range(9)))
    head = sheets.head_of(tmp_path / "x.csv")
    assert list(sheets.rows_of(tmp_path / "x.csv", head, skip=7)) == [(9, ["7"]), (10, ["8"])]


def a_book(tmp_path, *, last="", inside=None):
    """A small spreadsheet, with a cell far away, or with another sheet's XML inside."""
    book = openpyxl.Workbook()
    book.active.append(["Number"])
    book.active.append(["+441134960142"])
    if last:
        book.active[last] = "x"
    file = tmp_path / "x.xlsx"
    book.save(file)
    if inside is not None:
        with zipfile.ZipFile(file) as old:
            parts = {name: old.read(name) for name in old.namelist()}
        parts["xl/worksheets/sheet1.xml"] = inside
        with zipfile.ZipFile(file, "w", zipfile.ZIP_DEFLATED) as new:
            for name, content in parts.items():
                new.writestr(name, content)
    return file


SHEET = b'<worksheet xmlns="http://schemas.openxmlformats.org/spreadsheetml/2006/main"><sheetData>'
FAR = "XFD1048576"


def test_a_cell_in_the_farthest_corner_costs_nothing(tmp_path):
    file = a_book(tmp_path, last=FAR)
    sheets.from_spreadsheet(file, tmp_path / "x.csv")
    plain = (tmp_path / "x.csv").read_text()
    assert plain.splitlines() == ["Number", "+441134960142"]  # nothing is padded up to there


@pytest.mark.parametrize("row", ['<row r="{}"/>', '<row r="{}"></row>'])
def test_a_million_empty_rows_are_refused_before_they_are_read(tmp_path, monkeypatch, row):
    rows = "".join(row.format(n) for n in range(1, 1_000_001)).encode()
    file = a_book(tmp_path, inside=SHEET + rows + b"</sheetData></worksheet>")
    monkeypatch.setattr(sheets.subprocess, "run", lambda *_, **__: pytest.fail("they were read"))
    with pytest.raises(NotUnderstood, match="empty rows"):
        sheets.from_spreadsheet(file, tmp_path / "x.csv")


def test_what_takes_too_long_is_stopped_and_said(tmp_path, monkeypatch):
    monkeypatch.setattr(sheets, "MOST_SECONDS", 0.01)
    with pytest.raises(NotUnderstood, match="to read"):
        sheets.from_spreadsheet(a_book(tmp_path), tmp_path / "x.csv")


@pytest.mark.parametrize("most", [20_000_000, 40_000_000, 80_000_000, 120_000_000])
def test_what_needs_too_much_memory_is_stopped_and_said(tmp_path, monkeypatch, most):
    monkeypatch.setattr(sheets, "MOST_MEMORY", most)
    cell = b'<row r="2"><c r="A2" t="inlineStr"><is><t>%s</t></is></c></row>' % (b"x" * 60_000_000)
    inside = SHEET + cell + b"</sheetData></worksheet>"
    with pytest.raises(NotUnderstood, match="can't be read"):
        sheets.from_spreadsheet(a_book(tmp_path, inside=inside), tmp_path / "x.csv")

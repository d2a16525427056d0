"""Lists of arrivals in a watched folder: taken in as drafts, or put aside with the reason."""

import os
import time

import pytest

from sedge.core.workorders.life import OrderState
from sedge.services.supply import arrival_files
from sedge.services.today import today
from sedge.services.workorders import workorders
from tests.services.test_forms import LETTER, written


@pytest.fixture
def folder(installation, context, tmp_path):
    installation.settings = installation.settings.model_copy(
        update={"arrivals_folder": tmp_path / "in"}
    )
    made = tmp_path / "in" / context.who.organisation
    made.mkdir(parents=True)
    return made


def put(folder, name, text, *, age=60):
    file = folder / name
    file.write_bytes(text if isinstance(text, bytes) else text.encode())
    os.utime(file, (time.time() - age, time.time() - age))
    return file


def drafts(context):
    return [w for w in workorders.list_orders(context) if w.state is OrderState.DRAFT]


def test_a_file_named_by_its_order_becomes_a_draft_and_lies_aside(context, folder):
    order = written(context)
    put(folder, f"{order.reference.lower()}.CSV", LETTER)
    before = len(drafts(context))
    assert arrival_files.take_in(context.as_system()) == 1
    [made] = [w for w in drafts(context) if w.created_by == "Sedge"]
    assert made.title.startswith(f"Arrived for {order.reference}")
    assert len(drafts(context)) == before + 1
    assert [f.name for f in (folder / "taken").iterdir()] == [f"{order.reference.lower()}.CSV"]
    assert arrival_files.take_in(context.as_system()) == 0
    assert arrival_files.refused(context) == []


@pytest.mark.parametrize(
    ("name", "text", "why"),
    [
        ("nobody-ordered.csv", LETTER, "No paper order has the reference"),
        ("{}.csv", "no number here\nnor here", "is not one whole number"),
        ("{}.csv", "", "Type the numbers that have arrived"),
        ("{}.csv", b"\xff\xfe\x00rubbish;1\n2", "is not one whole number"),
        ("{}.csv", "0117 496 0900\n" * 200_000, "larger than 2 MB"),
        ("{}.csv", '"' + "x" * 200_000, "no list of numbers"),
    ],
)
def test_what_cannot_be_taken_in_is_put_aside_and_today_says_why(context, folder, name, text, why):
    file = put(folder, name.format(written(context).reference), text)
    assert arrival_files.take_in(context.as_system()) == 0
    [aside] = arrival_files.refused(context)
    assert why in aside.why
    assert (folder / "refused" / file.name).exists()
    [line] = [x for x in today.todo(context) if file.name in x.what]
    assert why in line.why
    put(folder, file.name, text)
    arrival_files.take_in(context.as_system())
    assert len(arrival_files.refused(context)) == 2


def test_files_that_are_being_written_or_lead_elsewhere_are_left_alone(context, folder, tmp_path):
    order = written(context)
    put(folder, f"{order.reference}.csv", LETTER, age=0)
    put(folder, "notes.pdf", "x")
    (folder / "link.csv").symlink_to(put(tmp_path, "elsewhere.csv", LETTER))
    assert arrival_files.take_in(context.as_system()) == 0
    assert sorted(f.name for f in folder.iterdir()) == sorted(
        [f"{order.reference}.csv", "notes.pdf", "link.csv"]
    )


def test_without_a_folder_nothing_is_looked_for(context):
    assert arrival_files.take_in(context) == 0
    assert arrival_files.refused(context) == []

"""The mandate in each country's language, with every number and name; the dates of ports as others
read them."""

import subprocess
from datetime import UTC, date, datetime, timedelta
from zoneinfo import ZoneInfo

import pytest
import vobject

from sedge.core.numbers.ranges import NumberSet
from sedge.formats.porting.mandate import MandateFacts, mandate, ranges
from sedge.formats.porting.port_calendar import PortDate, write
from tests.asserting import every

BILL = (
    ("name", "Übersee-Museum Köln e. V."),
    ("address", "3 Rue de l'Écluse, 75010 Paris"),
    ("account", "OQ-1184"),
    ("pin", "4471"),
)
AT = datetime(2026, 12, 18, 10, tzinfo=ZoneInfo("Europe/London"))


def facts(country, numbers, **more):
    return MandateFacts(
        country,
        "The Lanternfield Museums Trust",
        "Old Quay Communications",
        "Fellgate Voice",
        "port 3",
        date(2026, 11, 26),
        BILL,
        numbers,
        **more,
    )


def text_of(content, tmp_path):
    file = tmp_path / "mandate.pdf"
    file.write_bytes(content)
    run = subprocess.run(
        ["pdftotext", "-layout", file, "-"], capture_output=True, text=True, check=True
    )  # noqa: S607
    return run.stdout, run.stdout.count("\f")


@pytest.mark.parametrize(
    ("country", "title", "account"),
    [
        ("GB", "Letter of authority", "Account number"),
        ("US", "Letter of authorization", "Account number"),
        ("CA", "Letter of authorization", "Account number"),
        ("DE", "Auftrag zur Mitnahme von Rufnummern", "Kundennummer"),
        ("FR", "Mandat de portage de numéros", "Numéro de client"),
    ],
)
def test_the_mandate_speaks_the_countrys_language_and_keeps_every_word_of_the_account(
    tmp_path, country, title, account
):
    text, _ = text_of(mandate(facts(country, ("+441174960800",), staying=20)), tmp_path)
    assert title in text
    assert account in text
    assert every(value in text for _, value in BILL)
    assert "20 " in text
    assert "0117 496 0800" in text


def test_toll_free_numbers_change_their_responsible_organisation(tmp_path):
    text, _ = text_of(mandate(facts("US", ("+18005550199",), toll_free=True)), tmp_path)
    assert "Authority to change the responsible organization of" in text
    british, _ = text_of(mandate(facts("GB", ("+448081570100",), toll_free=True)), tmp_path)
    assert "Letter of authority" in british, "there is no such thing there"


def test_ten_thousand_numbers_stand_as_ranges_on_few_pages(tmp_path):
    numbers = tuple(f"+1617555{n:04d}" for n in range(10_000) if n % 500 != 499)
    started = datetime.now(tz=UTC)
    text, pages = text_of(mandate(facts("US", numbers)), tmp_path)
    assert datetime.now(tz=UTC) - started < timedelta(seconds=6)
    assert pages <= 2
    assert every(line in text for line in ranges(numbers, "to"))
    assert len(ranges(numbers, "to")) == 20
    assert len(NumberSet.of(numbers)) == 9980
    assert "Numbers: 9,980" in text


def test_where_each_number_has_a_code_each_stands_with_it(tmp_path):
    numbers = ("+33199001234", "+33199001235")
    text, _ = text_of(
        mandate(facts("FR", numbers, codes=((numbers[0], "01P1A2B3C4D5"),))), tmp_path
    )
    assert "RIO 01P1A2B3C4D5" in text
    assert text.count("RIO") == 2


def test_the_calendar_keeps_an_events_name_so_that_a_new_date_moves_it():
    dates = [
        PortDate(
            "port-3-switch",
            "switch",
            f"Switch port 3, round {i}",
            AT + timedelta(days=i),
            AT + timedelta(days=i, hours=6),
            "why\nso",
            i,
        )
        for i in (1, 2)
    ]
    first, second = (vobject.readOne(write([d], AT, "Ports").decode()).vevent for d in dates)
    assert first.uid.value == second.uid.value
    assert (int(first.sequence.value), int(second.sequence.value)) == (1, 2)
    assert second.dtstart.value == AT + timedelta(days=2)
    assert (first.description.value, first.categories.value) == ("why\nso", ["SWITCH"])

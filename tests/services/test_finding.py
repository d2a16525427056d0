"""Finding: what was typed one way or another, with a slip of the keys, by a town, by the end of a
number."""

import pytest

from sedge.core.changes import changed
from sedge.core.errors import NotOneNumber
from sedge.core.numbers.life import State
from sedge.core.records import Number, Sbc, Subject
from sedge.core.trunks.tasks import RetireSbc, SetSbc
from sedge.services.numbers import bulk_actions, estate, numbers
from sedge.services.workorders import order_running
from sedge.store.repositories.numbers import Filter
from tests.asserting import every
from tests.conftest import until_quiet


def titles(context, text):
    return {
        heading: [row[0] for row in rows] for heading, rows in numbers.find(context, text).groups
    }


@pytest.mark.parametrize(
    "text",
    [
        "Tel.: 0113 4960142 (mobile)",
        "0113-496-O142",
        "0113 496 0142 ext 3",
        "+44 (0)113 496 0142",
        "Tel.: +44 (0)113 496-0142 ext",
        "Call me on 0113 496 0142, thanks",
        "phone 0113.496.0142 after nine",
    ],
)
def test_one_number_is_found_however_it_is_written(context, text):
    assert titles(context, text) == {"Numbers": ["0113 496 0142"]}


def test_a_number_among_words_that_is_not_ours_is_not_made_one_of_ours(context):
    assert titles(context, "Call me on 0131 496 0999, thanks") == {}


def test_an_extension_that_was_not_looked_for_is_said(context):
    assert (
        numbers.find(context, "0113 496 0142 ext 3").note
        == "Extension 3 was left out: it is no part of the number."
    )
    assert numbers.find(context, "ext 9999").problem == "Nobody has extension 9999."
    assert titles(context, "ext 107")["People"] == ["Saoirse Farrow, extension 107"]


def test_a_range_with_two_whole_numbers_and_a_second_ending_are_understood(context):
    wanted = Filter(search=numbers.meant(context, "+441134960100-+441134960104"))
    assert estate.counts_of(context, wanted).total == 5
    (row,) = numbers.find(context, "01134960142 / 143").groups[0][1]
    assert row[0] == "2 numbers"
    assert list(bulk_actions.named(context, row[3])) == [441134960142, 441134960143]


def test_a_town_finds_its_area_and_its_numbers(context):
    found = titles(context, "Leeds")
    assert found["Areas"] == ["Leeds"]
    assert every(shown.startswith("0113") for shown in found["Numbers"])
    assert estate.counts_of(context, Filter(search=numbers.meant(context, "Leeds"))).total > 100


@pytest.mark.parametrize(
    ("text", "name"),
    [
        ("okafr", "Ifeoma Okafor"),
        ("Whitlok", "Sunniva Whitlock"),
        ("wharf huose", "Wharf House"),
        ("Farow", "Saoirse Farrow"),
    ],
)
def test_one_slip_of_the_keys_is_forgiven_and_said(context, text, name):
    found = numbers.find(context, text)
    assert name in [row[0] for _, rows in found.groups for row in rows]
    assert found.note == f"No name here is spelt “{text}”. These nearly are:"


def test_nothing_is_guessed_where_the_word_is_spelt_right_or_too_far_off(context):
    assert numbers.find(context, "okafor").note == ""
    assert numbers.find(context, "okxxr").groups == []


def test_the_very_name_comes_before_those_that_only_hold_it(context):
    assert titles(context, "Saoirse Farrow")["People"][0] == "Saoirse Farrow"
    people = titles(context, "amara")["People"]
    assert people == sorted(people) and all(name.startswith("Amara") for name in people)


def test_the_end_of_a_number_is_enough_where_only_one_ends_so(context):
    assert numbers.the_number(context, "496 0103") == "+441134960103"
    with pytest.raises(NotOneNumber, match="0113 is an area code, and 0113 496 0113 ends so"):
        numbers.the_number(context, "0113")
    with pytest.raises(NotOneNumber, match="None of your numbers ends in 98765"):
        numbers.the_number(context, "98765")
    with context.writing() as writing:
        one = writing.records.the(Number, "+441134960103")
        writing.save(
            [
                changed(
                    Subject.NUMBER,
                    None,
                    one.copy_with(
                        e164="+441174960103",
                        id="another",
                        version=0,
                        assignment=None,
                        state=State.AVAILABLE,
                    ),
                    "number.added",
                )
            ]
        )
    with pytest.raises(
        NotOneNumber, match="0113 496 0103, 0117 496 0103 end in 0103. Type more of the number"
    ) as several:
        numbers.the_number(context, "0103")
    assert several.value.field == "number"


def test_what_is_found_says_what_it_is(context):
    kinds = {row[2] for _, rows in numbers.find(context, "Leeds").groups for row in rows}
    assert {Subject.AREA, Subject.NUMBER} <= kinds


def test_trunks_and_sbcs_are_found_by_name_and_by_host(context):
    assert titles(context, "leeds a")["Trunks"][0] == "Leeds A"
    with context.reading() as reading:
        edge = reading.records.the(Sbc, "edge-one")
    assert edge.name in titles(context, "edge")["SBCs"]
    assert titles(context, edge.host)["SBCs"] == [edge.name]


def test_an_sbc_that_was_retired_is_found_no_more(context):
    new = SetSbc(id="sbc-spare", name="Spare border", site="wharf-house", host="spare.example.net")
    order_running.run_now(context, "a spare one", [new])
    until_quiet(context.installation)
    assert titles(context, "spare border")["SBCs"] == ["Spare border"]
    assert titles(context, "spare.example.net")["SBCs"] == ["Spare border"]
    order_running.run_now(context, "not needed", [RetireSbc(sbc="sbc-spare")])
    until_quiet(context.installation)
    assert "SBCs" not in titles(context, "spare border")

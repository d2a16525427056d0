"""Rows of files: what a header means, what a row says, why one can't be imported."""

from datetime import timedelta

import pytest

from sedge.core.facts import money
from sedge.core.imports.directory import Directory
from sedge.core.imports.fields import fingerprint, recognised
from sedge.core.imports.rows import Fault, RowContext, by_names, reader
from sedge.core.imports.takeover import put_together
from sedge.core.imports.takeover_records import Ask, Decisions, Known, Row
from sedge.core.imports.tasks import AdoptNumber
from sedge.core.numbers.life import State
from sedge.core.records import (
    ORGANISATION,
    Account,
    Carrier,
    Defaults,
    Person,
    Product,
    ServiceLine,
    Site,
    Spot,
    Trunk,
)
from tests.conftest import NOW, EstateBuilder

HEADER = ["Telephone", "Status", "Location", "Used by", "Provider", "Purpose", "Price"]


@pytest.fixture
def builder():
    made = EstateBuilder()
    made.person("Ifeoma Okafor", extension="142")
    made.person("Bo Reed", spot=None)
    made.line("Bookings")
    return made


def context(builder, **more):
    estate = builder.build()
    return RowContext(
        home="GB",
        now=NOW,
        sites=by_names(estate.all(Site), "code"),
        accounts=by_names(estate.all(Account)),
        carriers=by_names(estate.all(Carrier)),
        trunks=by_names(estate.all(Trunk)),
        spots={s.id: s for s in estate.all(Spot)},
        holders=Directory.of(estate.all(Person), estate.all(ServiceLine)),
        **more,
    )


def read_one(builder, *cells, header=HEADER, **more):
    return reader(recognised(header), context(builder, **more))(cells)


def test_headers_in_other_words_and_languages_are_known():
    assert recognised(HEADER) == {
        "number": 0,
        "state": 1,
        "site": 2,
        "holder": 3,
        "carrier": 4,
        "label": 5,
        "price": 6,
    }
    assert recognised(["Rufnummer", "Standort", "Inhaber", "Durchwahl"]) == {
        "number": 0,
        "site": 1,
        "holder": 2,
        "extension": 3,
    }
    assert recognised(["E.164", "known as Assets", "nonsense"]) == {"number": 0, "known:assets": 1}
    assert fingerprint(["Phone number"]) == fingerprint(["phone_NUMBER"]) != fingerprint(["Phone"])


def test_a_row_is_read_as_it_stands(builder):
    found = read_one(
        builder,
        "(0113) 496-0400",
        "in use",
        "whf",
        "Okafor, Ifeoma",
        "Fellgate Voice",
        "second desk",
        "0,80",
    )
    assert (found.number, found.state, found.site, found.account, found.price) == (
        441134960400,
        State.ASSIGNED,
        "leeds",
        "fellgate-main",
        "0.80",
    )
    assert (found.holder.id, found.label, found.spot) == (
        "ifeoma-okafor",
        "second desk",
        "WHF-001-K",
    )
    assert not found.is_plain


def test_reservations_and_rests_get_an_end(builder):
    assert read_one(
        builder, "0113 496 0401", "reserved", "WHF", "", "Fellgate Voice", "", "1"
    ).until == NOW + timedelta(days=180)
    header = ["number", "state", "site", "until"]
    assert (
        read_one(builder, "0113 496 0401", "aging", "WHF", "2027-01-31", header=header)
        .until.date()
        .isoformat()
        == "2027-01-31"
    )


@pytest.mark.parametrize(
    ("cells", "why"),
    [
        (("", "free", "WHF", "", "", "", ""), "the number is missing"),
        (("0113 496 99", "free", "WHF", "", "", "", ""), "no such number in service"),
        (("0113 496 0400", "broken", "WHF", "", "", "", ""), "“broken” is no state"),
        (("0113 496 0400", "free", "Moon Base", "", "", "", ""), "no site is called “Moon Base”"),
        (("0113 496 0400", "free", "", "", "", "", ""), "no site is named"),
        (("0113 496 0400", "in use", "WHF", "", "", "", ""), "doesn't say by whom"),
        (
            ("0113 496 0400", "in use", "WHF", "Nobody Known", "", "", ""),
            "nobody here is called “Nobody Known”",
        ),
        (("0113 496 0400", "free", "WHF", "Ifeoma Okafor", "", "", ""), "yet has the holder"),
        (
            ("0113 496 0400", "free", "WHF", "", "Moonline", "", ""),
            "no carrier is called “Moonline”",
        ),
        (("0113 496 0400", "free", "WHF", "", "", "", "dear"), "“dear” is no price"),
        (("0113 496 0400", "free", "WHF", "", "", "x" * 81, ""), "at most 80 fit"),
    ],
)
def test_a_row_that_cant_be_brought_in_says_why(builder, cells, why):
    with pytest.raises(Fault, match=why):
        read_one(builder, *cells)


def test_short_rows_and_missing_columns_take_what_stands_for_them(builder):
    found = read_one(
        builder,
        "441134960400",
        header=["number", "site"],
        default_site="leeds",
        default_account="fellgate main",
        default_price="0.70",
    )
    assert (found.state, found.site, found.account, found.price, found.is_plain) == (
        State.AVAILABLE,
        "leeds",
        "fellgate-main",
        "0.70",
        True,
    )


def test_a_number_is_found_by_what_another_system_calls_it(builder):
    found = read_one(
        builder,
        "",
        "A-17",
        header=["number", "known as assets"],
        default_site="leeds",
        ids={"A-17": 441134960142},
    )
    assert (found.number, found.known_as) == (441134960142, (("assets", "A-17"),))


def known(builder, taken=()):
    estate = builder.build()
    every = {kind: tuple(estate.all(kind)) for kind in (Site, Account, Product, Spot, Trunk)}
    holders = Directory.of(estate.all(Person), estate.all(ServiceLine))
    return Known(
        "GB",
        (),
        every[Site],
        every[Account],
        every[Product],
        (),
        every[Spot],
        every[Trunk],
        holders,
        frozenset(taken),
    )


def together(builder, *rows, decisions=None, taken=()):
    said = [
        Row(file, line, dict(pair.split("=", 1) for pair in text.split("|")))
        for line, (file, text) in enumerate(rows, start=2)
    ]
    return put_together(said, known(builder, taken), decisions or Decisions())


def test_rows_of_several_files_are_put_together_by_mail_name_and_extension(builder):
    sheet = together(
        builder,
        (0, "number=0113 496 0500|state=live|site=WHF"),
        (1, "holder=Reed, Ada|email=ada@old.example|extension=500|site=Wharf House"),
        (2, "holder=Ada Reed|number=0113-496-0500|spot=WHF-001-K"),
        (3, "extension=500|label=desk"),
    )
    assert sheet.questions == []
    [number], [person] = sheet.numbers, sheet.people
    assert (number.number, number.state, number.who is person, number.site) == (
        441134960500,
        State.ASSIGNED,
        True,
        "leeds",
    )
    assert (person.name, person.email, person.extension, person.spot, person.ref) == (
        "Ada Reed",
        "ada@old.example",
        "500",
        "WHF-001-K",
        None,
    )


def test_what_fits_nothing_is_asked_once_for_all_rows_that_say_so(builder):
    rows = [(0, f"number=0113 496 05{n:02d}|site=Wharf Hse") for n in range(3)]
    [question] = together(builder, *rows).questions
    assert (question.ask, question.word, len(question.rows), question.choices[0][0]) == (
        Ask.SITE,
        "wharf hse",
        3,
        "leeds",
    )
    settled = together(builder, *rows, decisions=Decisions({"site": {"wharf hse": "leeds"}}))
    assert settled.questions == []
    assert len(settled.numbers) == 3


@pytest.mark.parametrize(
    ("rows", "ask"),
    [
        ([(0, "number=0113 49|site=WHF")], Ask.NUMBER),
        ([(0, "number=0113 496 0500|state=live|site=WHF")], Ask.WHO),
        ([(0, "number=0113 496 0500|holder=Ifeoma Okafar|site=WHF")], Ask.WHO),
        ([(0, "holder=Cy Vale|site=WHF|number=0113 496 0500")], Ask.MAIL),
        ([(0, "holder=Ifeoma Okafor|email=other@old.example|site=WHF")], Ask.WHO),
        (
            [
                (0, "number=0113 496 0500|holder=Ifeoma Okafor|site=WHF"),
                (1, "number=0113 496 0500|holder=Bo Reed|site=WHF"),
            ],
            Ask.TWICE,
        ),
        ([(0, "number=0113 496 0500|site=WHF|state=odd")], Ask.STATE),
        ([(0, "holder=Ifeoma Okafor|licence=Everything|site=WHF")], Ask.LICENCE),
        ([(0, "holder=Ifeoma Okafor|spot=the attic|site=WHF")], Ask.SPOT),
    ],
)
def test_each_doubt_is_a_question_and_brings_nothing_in(builder, rows, ask):
    sheet = together(builder, *rows)
    assert [q.ask for q in sheet.questions] == [ask]
    assert sheet.numbers == []


def test_a_row_is_settled_by_what_somebody_says_instead(builder):
    row = (0, "number=0113 49|site=WHF")
    assert (
        together(builder, row, decisions=Decisions(rows={(0, 2): {"number": "0113 496 0500"}}))
        .numbers[0]
        .number
        == 441134960500
    )
    left = together(builder, row, decisions=Decisions(rows={(0, 2): {"leave": "yes"}}))
    assert (left.questions, left.numbers, left.left_out) == ([], [], [(0, 2)])


def test_numbers_that_are_here_already_are_passed_over_and_counted(builder):
    sheet = together(builder, (0, "number=0113 496 0500|site=WHF"), taken=(441134960500,))
    assert (sheet.numbers, len(sheet.here_already)) == ([], 1)


def test_a_number_found_at_rest_rests_as_long_as_one_that_is_taken_back(builder):
    header = ["Number", "State", "Site", "Carrier"]
    freephone = ("+44 808 157 0001", "aging", "WHF", "Brackwater Telecom")
    geographic = ("0113 496 0401", "aging", "WHF", "Brackwater Telecom")
    reserved = ("0113 496 0402", "reserved", "WHF", "Brackwater Telecom")

    def days(cells, **more):
        return (read_one(builder, *cells, header=header, **more).until - NOW).days

    assert (days(freephone), days(geographic), days(reserved)) == (120, 90, 180)
    own = Defaults(id=ORGANISATION, rests={"GB": 60, "GB toll-free": 200})
    assert (days(freephone, defaults=own), days(geographic, defaults=own)) == (200, 60)


def test_rows_of_one_plan_are_not_read_as_those_of_another(builder):
    """The same words in two rows mean another rest for a freephone number."""
    read = reader(recognised(["Number", "State", "Site"]), context(builder))
    rests = [read((n, "aging", "WHF")).until for n in ("0113 496 0401", "+44 808 157 0001")]
    assert [(until - NOW).days for until in rests] == [90, 120]


def test_a_number_brought_in_at_rest_comes_out_of_it(builder):
    """One that comes in without a day would rest for ever."""
    estate = builder.build()
    account, site = next(iter(estate.all(Account))), next(iter(estate.all(Site)))
    task = AdoptNumber(
        number="+448081570001",
        account=account.id,
        site=site.id,
        state="aging",
        monthly=money(1, "GBP"),
    )
    number = task.apply(estate)[0].after
    assert (number.state_until - estate.now).days == 120

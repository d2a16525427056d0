"""Numbers brought in by thousands are, to the last field, what they would be one by one; and what
is derived is right."""

import shutil
from datetime import date, timedelta

import pytest
from hypothesis import given
from hypothesis import strategies as st
from sqlalchemy import select, text

from sedge.core.changes import changed
from sedge.core.facts import to_canonical_json
from sedge.core.imports.rows import Incoming, alike
from sedge.core.ledger.chain import first_broken
from sedge.core.numbers.life import State
from sedge.core.records import Capacity, HolderKind, HolderRef, Number, Subject
from sedge.store import bulk_import, saving
from sedge.store.database import Database
from sedge.store.projections import number_projections, spot_counts
from sedge.store.repositories import ledger, maps, number_counts, past
from sedge.store.repositories import numbers as store
from sedge.store.repositories.numbers import Filter
from sedge.store.repositories.records import Records
from sedge.store.schema import chain, tables
from sedge.store.stamp import Stamp
from tests.conftest import NOW, EstateBuilder

STAMP = Stamp(NOW, "Rowan", "from a file", "wo-1")
ADA = HolderRef(kind=HolderKind.PERSON, id="ada")
PLAIN = Incoming(
    0,
    State.AVAILABLE,
    "leeds",
    "fellgate-main",
    "fellgate",
    Capacity.ANY,
    "0.80",
    "GBP",
    "geographic",
)
DERIVED = ("tally", "facet", "movement", "number_tag", "known_as", "placed")
ROWS = st.builds(
    lambda state, site, label, tags, known, held: PLAIN._replace(
        state=State.ASSIGNED if held else state,
        site=site,
        label=label,
        tags=tags,
        known_as=known,
        holder=ADA if held else None,
        trunk="leeds-a" if held else None,
        spot="WHF-001-K" if held else None,
        until=None,
    ),
    st.sampled_from([State.AVAILABLE, State.RESERVED, State.ADMINISTRATIVE, State.AGING]),
    st.sampled_from(["leeds", "york"]),
    st.sampled_from(["", "fax", 'a "quoted" + label']),
    st.sampled_from([(), ("fax", "lift")]),
    st.sampled_from([(), (("assets", "A-1"),)]),
    st.booleans(),
)


@pytest.fixture(scope="module")
def blank(tmp_path_factory):
    file = tmp_path_factory.mktemp("blank") / "estate.sqlite"
    made = Database(file, "estate", durable=False)
    made.migrate()
    builder = EstateBuilder()
    builder.person("Ada")
    with made.writing() as connection:
        from sedge.core.records import SUBJECT_OF

        saving.save(
            connection,
            [
                changed(SUBJECT_OF[type(r)], None, r, "record.restored")
                for r in builder.records.values()
            ],
            STAMP,
        )
    made.close()
    return file


@pytest.fixture
def database(blank, tmp_path):
    shutil.copy(blank, tmp_path / "estate.sqlite")
    made = Database(tmp_path / "estate.sqlite", "estate", durable=False)
    yield made
    made.close()


def bring(database, rows, stamp=STAMP, batch="file-1"):
    with database.writing() as connection:
        return bulk_import.bring_in(
            connection, alike(enumerate(rows)), stamp, batch=batch, names={ADA: "Ada"}, mains=set()
        )


def content(connection, table):
    columns = [
        c.name for c in tables.estate_metadata.tables[table].c if c.name not in {"id", "version"}
    ]
    return sorted(map(repr, connection.execute(text(f"SELECT {', '.join(columns)} FROM {table}"))))


@given(rows=st.lists(ROWS, min_size=1, max_size=12))
def test_by_thousands_and_one_by_one_give_the_same(blank, rows):
    """Rows, spans, counts, tags, ids and the finder: equal to what `saving` makes of the same
    numbers."""
    import tempfile
    from pathlib import Path

    from sedge.store.projections import finder

    numbered = [row._replace(number=441134960300 + i) for i, row in enumerate(rows)]
    with tempfile.TemporaryDirectory() as folder:
        contents = []
        for name in ("many", "single"):
            file = shutil.copy(blank, Path(folder) / f"{name}.sqlite")
            made = Database(Path(file), "estate", durable=False)
            with made.writing() as connection:
                if name == "many":
                    bulk_import.bring_in(
                        connection,
                        alike(enumerate(numbered)),
                        STAMP,
                        batch="f",
                        names={ADA: "Ada"},
                        mains=set(),
                    )
                else:
                    mains: set = set()
                    records = [
                        bulk_import._number(row, "f", NOW, mains)[0].copy_with(version=0)
                        for row in numbered
                    ]
                    saving.save(
                        connection,
                        [changed(Subject.NUMBER, None, n, "number.adopted") for n in records],
                        STAMP,
                    )
            with made.reading() as connection:
                held = {name: content(connection, name) for name in ("life", "span", *DERIVED)}
                found = sorted(
                    connection.exec_driver_sql(
                        "SELECT rowid, words, subject, ref, title FROM finder"
                    ).all()
                )
                digits = (
                    finder.numbers_with(connection, ["4960"]),
                    finder.numbers_with(connection, ["02"], ending=True),
                )
                contents.append(
                    (held, [(r, " ".join(w.split()), *x) for r, w, *x in found], digits)
                )
            made.close()
    assert contents[0] == contents[1]


def test_what_is_derived_can_be_made_anew_and_is_the_same(database):
    bring(
        database,
        [
            PLAIN._replace(number=441134960300 + n, tags=("fax",) if n % 3 else ())
            for n in range(40)
        ],
    )
    with database.writing() as connection:
        ada_gets = Records(connection).the(Number, "+441134960300")
        later = Stamp(NOW + timedelta(days=3), "Rowan")
        saving.save(
            connection,
            [
                changed(
                    Subject.NUMBER,
                    ada_gets,
                    ada_gets.copy_with(state=State.RESERVED, label="kept"),
                    "number.reserved",
                )
            ],
            later,
        )
        before = {name: content(connection, name) for name in (*DERIVED, "life")}
        number_projections.rebuild(connection)
        spot_counts.put_placed(connection)
        assert {name: content(connection, name) for name in (*DERIVED, "life")} == before


def test_the_ledger_tells_of_each_number_and_the_chain_holds(database):
    bring(database, [PLAIN._replace(number=441134960300 + n) for n in range(7)])
    with database.reading() as connection:
        entries = ledger.entries(connection, subject=Subject.NUMBER, key="+441134960303").entries
        then = ledger.as_it_stood(connection, Subject.NUMBER, "+441134960303", NOW)
        now = Records(connection).the(Number, "+441134960303")
        assert [e.action for e in entries] == ["number.adopted"]
        assert to_canonical_json(then) == to_canonical_json(now)
        assert (
            ledger.as_it_stood(connection, Subject.NUMBER, "+441134960303", NOW - timedelta(days=1))
            is None
        )
        assert ledger.as_it_stood(connection, Subject.NUMBER, "+441134960399", NOW) is None
        assert (
            first_broken(
                ledger._chain(connection),
                connection.execute(select(chain.ledger_head.c.hash)).scalar(),
            )
            is None
        )


def test_a_number_that_comes_back_has_two_lives(database):
    bring(database, [PLAIN._replace(number=441134960300)])
    with database.writing() as connection:
        number = Records(connection).the(Number, "+441134960300")
        gone = Stamp(NOW + timedelta(days=10), "Rowan")
        saving.save(
            connection,
            [
                changed(
                    Subject.NUMBER,
                    number,
                    number.copy_with(state=State.RELEASED),
                    "number.released",
                )
            ],
            gone,
        )
    bring(
        database,
        [PLAIN._replace(number=441134960300, label="again")],
        Stamp(NOW + timedelta(days=20), "Rowan"),
        batch="file-2",
    )
    with database.reading() as connection:
        assert [s.state for s in store.spans(connection, "+441134960300")] == [
            "available",
            "released",
            "available",
        ]
        assert Records(connection).the(Number, "+441134960300").label == "again"
        assert past.page(connection, Filter(), NOW + timedelta(days=15))[0] == []
        day = (NOW + timedelta(days=15)).date()
        assert past.count_by_state(connection, day) == {}
        assert past.count_by_state(connection, day + timedelta(days=9))[State.AVAILABLE] == 1


SORTS = (
    "number",
    "-number",
    "holder",
    "-holder",
    "label",
    "-label",
    "until",
    "-until",
    "changed",
    "-changed",
    "price",
    "-price",
)


@pytest.fixture
def mixed(database):
    rows = [
        PLAIN._replace(
            number=441134960300 + n,
            label=("", "fax", "lift")[n % 3],
            price=("0.80", "1.20")[n % 2],
            site=("leeds", "york")[n % 2],
            state=State.RESERVED if n % 5 == 0 else State.AVAILABLE,
            until=NOW + timedelta(days=n % 7 + 1) if n % 5 == 0 else None,
        )
        for n in range(60)
    ]
    bring(database, rows)
    return database


@pytest.mark.parametrize("sort", SORTS)
@pytest.mark.parametrize("few", [False, True])
def test_pages_in_any_order_give_every_number_once(mixed, sort, few):
    with mixed.reading() as connection:
        found, after, pages = [], "", 0
        while after is not None:
            page = store.page(connection, Filter(), sort=sort, after=after, limit=7, few=few)
            found += page.numbers
            after, pages = page.next, pages + 1
    assert len(found) == 60 == len({n.e164 for n in found})
    assert pages == 9
    key = {
        "label": lambda n: n.label,
        "price": lambda n: n.monthly.amount,
        "number": lambda n: n.e164,
    }.get(sort.lstrip("-"))
    if key:
        values = [key(n) for n in found if key(n) != ""]
        assert values == sorted(values, reverse=sort.startswith("-"))


@pytest.mark.parametrize(
    "wanted",
    [
        Filter(),
        Filter(site="leeds"),
        Filter(state="reserved"),
        Filter(site="york", state="available"),
        Filter(kind="mobile"),
    ],
)
def test_counts_are_those_of_the_numbers_listed(mixed, wanted):
    with mixed.reading() as connection:
        counts = number_counts.counts(connection, wanted)
        assert counts.total == len(store.page(connection, wanted, limit=999).numbers)
        for state, n in counts.values["state"].items():
            one = Filter(site=wanted.site, kind=wanted.kind, state=state)
            assert n == len(store.page(connection, one, limit=999).numbers)


@pytest.mark.parametrize("by_area", [False, True])
def test_block_maps_page_by_page_have_every_cell_once(mixed, by_area):
    with mixed.reading() as connection:
        cells, after = [], None
        while after != "":
            page = maps.maps(connection, Filter(), by_area=by_area, after=after or "", limit=1)
            cells += [c.number for m in page.maps for c in m.cells]
            after = page.next
    assert sorted(cells) == list(range(441134960300, 441134960360))


def test_many_hundreds_of_a_site_are_drawn_as_density_and_zoomed_into(database):
    bring(database, [PLAIN._replace(number=441134960000 + n) for n in range(0, 1000, 7)])
    with database.reading() as connection:
        [large] = maps.maps(connection, Filter()).maps
        assert isinstance(large, maps.Large)
        assert sum(sum(c.values()) for c in large.hundreds.values()) == 143
        zoomed = maps.maps(connection, Filter(), within=(441134960300, 441134960399)).maps
        assert [type(m) for m in zoomed] == [maps.Hundred]
        then = maps.maps(connection, Filter(), at=NOW + timedelta(hours=1), limit=99).maps
        assert sum(len(m.cells) for m in then) == 143
        assert maps.maps(connection, Filter(), at=NOW - timedelta(hours=1)).maps == []


def test_days_are_counted_from_what_moved(mixed):
    with mixed.reading() as connection:
        assert past.count_by_state(connection, date(2020, 1, 1)) == {}
        assert past.count_by_state(connection, NOW.date()) == {
            State.AVAILABLE: 48,
            State.RESERVED: 12,
        }
        assert past.count_by_state(connection, NOW.date(), "york")[State.AVAILABLE] == 24

"""What is saved, and everything derived from it: versions, tallies, spans, the finder, the ledger
and its chain."""

import contextlib
import shutil
from collections import Counter
from datetime import timedelta

import pytest
from hypothesis import given
from hypothesis import strategies as st
from sqlalchemy import select

from sedge.core.changes import changed
from sedge.core.errors import ChangedMeanwhile, NotAllowedNow
from sedge.core.estate import Change
from sedge.core.ledger.chain import first_broken
from sedge.core.numbers.life import State
from sedge.core.records import SUBJECT_OF, HolderKind, HolderRef, Number, PathVersion, Role, Subject
from sedge.core.workorders import tasks as t
from sedge.store import loading as estate_store
from sedge.store import saving
from sedge.store.database import Database
from sedge.store.projections import finder
from sedge.store.repositories import ledger
from sedge.store.repositories.numbers import spans
from sedge.store.repositories.records import Records
from sedge.store.schema import chain, projected, tables
from sedge.store.stamp import Stamp
from tests.conftest import NOW, EstateBuilder

NUMBERS = tuple(range(142, 147))


@pytest.fixture(scope="module")
def blank(tmp_path_factory):
    """A migrated, empty estate to copy."""
    file = tmp_path_factory.mktemp("blank") / "estate.sqlite"
    made = Database(file, "estate", durable=False)
    made.migrate()
    made.close()
    return file


@pytest.fixture
def database(blank, tmp_path):
    file = tmp_path / "estate.sqlite"
    shutil.copy(blank, file)
    made = Database(file, "estate", durable=False)
    yield made
    made.close()


def stamp(minutes=0, actor="Rowan Achterberg"):
    return Stamp(NOW + timedelta(minutes=minutes), actor, "for a test")


def fill(database, builder):
    """The builder's estate, saved record by record as new."""
    words = {
        Subject.ADDRESS: "address",
        Subject.PRODUCT: "product",
        Subject.ACCOUNT: "account",
        Subject.SERVICE_LINE: "service-line",
    }
    changes = []
    for record in builder.records.values():
        subject = SUBJECT_OF[type(record)]
        action = {"call path": "path.published", "number": "number.adopted"}.get(
            subject, f"{words.get(subject, subject)}.added"
        )
        changes.append(
            Change(
                subject=subject,
                id=getattr(record, "e164", None) or record.id,
                action=action,
                after=record,
            )
        )
    with database.writing() as connection:
        return saving.save(connection, changes, stamp())


@pytest.fixture
def filled(database):
    builder = EstateBuilder()
    builder.person()
    builder.person("Piet Lindqvist")
    for n in NUMBERS:
        builder.number(n, carrier="fellgate", capacity="any")
    fill(database, builder)
    return database


def number(database, n=142):
    with database.reading() as connection:
        return Records(connection).the(Number, f"+44113496{n:04d}")


def save(database, *changes, minutes=1, actor="Rowan Achterberg"):
    with database.writing() as connection:
        return saving.save(connection, changes, stamp(minutes, actor))


def labelled(n, label):
    return changed(Subject.NUMBER, n, n.copy_with(label=label), "number.labelled")


# ── versions ──


def test_each_saving_counts_the_version_up(filled):
    first = number(filled)
    save(filled, labelled(first, "one"))
    save(filled, labelled(number(filled), "two"))
    assert (number(filled).version, number(filled).label) == (first.version + 2, "two")


def test_a_change_planned_on_an_old_version_names_who_was_faster(filled):
    old = number(filled)
    save(filled, labelled(old, "mine"), actor="Leila Rahimi")
    with pytest.raises(ChangedMeanwhile) as raised:
        save(filled, labelled(old, "yours"))
    assert "Leila Rahimi was faster" in raised.value.message
    assert number(filled).label == "mine"


def test_two_changes_of_one_record_in_one_saving_build_on_each_other(filled):
    n = number(filled)
    saved = save(filled, labelled(n, "first"), labelled(n.copy_with(label="first"), "second"))
    assert [c.after.version for c in saved] == [n.version + 1, n.version + 2]
    assert number(filled).label == "second"


def test_when_one_change_fails_nothing_of_the_saving_is_kept(filled):
    good, stale = number(filled, 142), number(filled, 143)
    save(filled, labelled(stale, "moved"))
    with pytest.raises(ChangedMeanwhile):
        save(filled, labelled(good, "half done"), labelled(stale, "late"))
    assert number(filled, 142).label == ""


# ── what the schema itself holds ──


def test_a_number_has_one_open_life(filled):
    n = number(filled)
    with pytest.raises(ChangedMeanwhile) as raised:
        save(
            filled,
            Change(
                subject=Subject.NUMBER,
                id=n.e164,
                action="number.adopted",
                after=n.copy_with(id="another-life", version=0),
            ),
        )
    assert raised.value.reason == "exists"


def test_a_number_may_come_back_after_its_life_has_ended(filled):
    n = number(filled)
    save(
        filled,
        changed(
            Subject.NUMBER,
            n,
            n.copy_with(state=State.RELEASED, state_before=n.state),
            "number.released",
        ),
    )
    save(
        filled,
        Change(
            subject=Subject.NUMBER,
            id=n.e164,
            action="number.adopted",
            after=n.copy_with(id="second-life", version=0),
        ),
    )
    assert number(filled).id == "second-life"


def test_a_holder_has_one_main_number(filled):
    with filled.writing() as connection:
        records = Records(connection)
        ref = HolderRef(kind=HolderKind.PERSON, id="ifeoma-okafor")
        world = estate_store.load(
            records, t.AssignNumber(number="+441134960142", holder=ref).needs(), NOW
        )
        saving.save(
            connection, t.AssignNumber(number="+441134960142", holder=ref).apply(world), stamp(1)
        )
        world = estate_store.load(
            records, t.AssignNumber(number="+441134960143", holder=ref).needs(), NOW
        )
        with pytest.raises(NotAllowedNow) as raised:
            saving.save(
                connection,
                t.AssignNumber(number="+441134960143", holder=ref).apply(world),
                stamp(2),
            )
    assert raised.value.reason == "role-taken"


def test_a_path_keeps_every_version_and_whom_it_names(database):
    from sedge.core.callpaths.steps import Path, Ring

    body = Path(first="ring", steps={"ring": Ring(people=("ifeoma", "piet"))}).model_dump(
        mode="json"
    )
    first = PathVersion(id="desk", name="Desk", body=body, in_force_from=NOW)
    (saved,) = save(
        database, Change(subject=Subject.PATH, id="desk", action="path.published", after=first)
    )
    later = saved.after.copy_with(
        number=2, body={**body, "steps": {"ring": {**body["steps"]["ring"], "people": ["piet"]}}}
    )
    save(database, changed(Subject.PATH, saved.after, later, "path.published"), minutes=2)
    with database.reading() as connection:
        versions = (
            connection.execute(
                select(tables.path_version.c.number).order_by(tables.path_version.c.number)
            )
            .scalars()
            .all()
        )
        named = connection.execute(select(tables.path_names.c.subject_id)).scalars().all()
    assert versions == [1, 2]
    assert named == ["piet"]


# ── the finder follows ──


def test_what_is_saved_can_be_found_at_once_and_under_its_new_name_only(filled):
    save(filled, labelled(number(filled), "Lantern line"))
    save(filled, labelled(number(filled), "Harbour line"))
    with filled.reading() as connection:
        assert [h.ref for h in finder.match_all_words(connection, "harbour")] == ["+441134960142"]
        assert finder.match_all_words(connection, "lantern") == []
        assert finder.numbers_with(connection, ["0142"], ending=True) == [441134960142]


@pytest.mark.parametrize("text", ['"', 'a"b', "'; --", "* OR *", "(((", "NEAR(", "—–…"])
def test_odd_search_texts_find_nothing_and_break_nothing(filled, text):
    with filled.reading() as connection:
        finder.match_all_words(connection, text + " " + text * 3)
        finder.numbers_with(connection, [text * 3])


# ── the ledger ──


def test_each_change_is_one_entry_with_its_whole_snapshot(filled):
    save(filled, labelled(number(filled), "one"), labelled(number(filled, 143), "two"), minutes=5)
    with filled.reading() as connection:
        entries = ledger.entries(connection, subject=Subject.NUMBER, limit=2).entries
    assert [(e.subject_id, e.action, e.actor, e.reason) for e in entries] == [
        ("+441134960143", "number.labelled", "Rowan Achterberg", "for a test"),
        ("+441134960142", "number.labelled", "Rowan Achterberg", "for a test"),
    ]
    assert ledger.snapshot(Subject.NUMBER, entries[1].after).label == "one"


def test_the_chain_holds_and_notices_a_changed_row(filled):
    with filled.reading() as connection:
        count, broken = ledger.verify(connection)
    assert broken is None
    assert count > 20
    with filled.writing() as connection:
        connection.execute(
            chain.ledger.update().where(chain.ledger.c.sequence == 7).values(actor="Somebody else")
        )
    with filled.reading() as connection:
        assert ledger.verify(connection) == (count, 7)


def test_a_ledger_cut_off_at_its_end_is_noticed_by_its_head(filled):
    with filled.writing() as connection:
        last = connection.execute(
            select(chain.ledger.c.sequence).order_by(chain.ledger.c.sequence.desc()).limit(1)
        ).scalar()
        connection.execute(chain.ledger.delete().where(chain.ledger.c.sequence == last))
    with filled.reading() as connection:
        assert ledger.verify(connection)[1] == -1


def test_an_empty_ledger_holds():
    assert first_broken([], "0" * 64) is None


def test_a_record_as_it_stood(filled):
    save(filled, labelled(number(filled), "noon"), minutes=10)
    save(filled, labelled(number(filled), "evening"), minutes=20)
    with filled.reading() as connection:
        for minutes, label in ((0, ""), (10, "noon"), (15, "noon"), (20, "evening")):
            assert (
                ledger.as_it_stood(
                    connection, Subject.NUMBER, "+441134960142", NOW + timedelta(minutes=minutes)
                ).label
                == label
            )
        assert (
            ledger.as_it_stood(
                connection, Subject.NUMBER, "+441134960142", NOW - timedelta(minutes=1)
            )
            is None
        )


def test_the_change_counter_moves_with_every_write_and_with_a_touch(filled):
    with filled.reading() as connection:
        before = ledger.change_counter(connection)
    save(filled, labelled(number(filled), "x"))
    with filled.writing() as connection:
        saving.touch(connection)
    with filled.reading() as connection:
        assert ledger.change_counter(connection) == before + 2


# ── whatever happens, what is derived agrees with what is stored ──

steps = st.one_of(
    st.builds(
        lambda n, who: ("assign", n, who),
        st.sampled_from(NUMBERS),
        st.sampled_from(["ifeoma-okafor", "piet-lindqvist"]),
    ),
    st.builds(
        lambda n, rest: ("unassign", n, rest), st.sampled_from(NUMBERS), st.sampled_from([0, 30])
    ),
    st.builds(lambda n: ("reserve", n, None), st.sampled_from(NUMBERS)),
    st.builds(lambda n: ("unreserve", n, None), st.sampled_from(NUMBERS)),
    st.builds(lambda n: ("end_rest", n, None), st.sampled_from(NUMBERS)),
    st.builds(lambda n: ("set_aside", n, None), st.sampled_from(NUMBERS)),
    st.builds(lambda n: ("return", n, None), st.sampled_from(NUMBERS)),
)


def task_of(kind, n, value):
    e164 = f"+44113496{n:04d}"
    match kind:
        case "assign":
            return t.AssignNumber(
                number=e164, holder=HolderRef(kind=HolderKind.PERSON, id=value), role=Role.EXTRA
            )
        case "unassign":
            return t.UnassignNumber(number=e164, rest=value)
        case "reserve":
            return t.ReserveNumber(number=e164, reason="soon")
        case "unreserve":
            return t.UnreserveNumber(number=e164)
        case "end_rest":
            return t.EndRest(number=e164, reason="needed")
        case "set_aside":
            return t.SetAside(number=e164, reason="tests")
        case _:
            return t.ReturnNumber(number=e164)


class RolledBack(Exception):
    """Leaves the shared database as it was for the next example."""


@pytest.fixture(scope="module")
def shared(tmp_path_factory):
    database = Database(tmp_path_factory.mktemp("any") / "estate.sqlite", "estate", durable=False)
    database.migrate()
    builder = EstateBuilder()
    builder.person()
    builder.person("Piet Lindqvist")
    for n in NUMBERS:
        builder.number(n, carrier="fellgate", capacity="any")
    fill(database, builder)
    yield database
    database.close()


@given(st.lists(steps, min_size=1, max_size=25))
def test_tallies_spans_and_rows_agree_after_any_work(shared, done):
    with contextlib.suppress(RolledBack), shared.writing() as connection:
        for minute, one in enumerate(done, start=1):
            task = task_of(*one)
            world = estate_store.load(Records(connection), task.needs(), NOW)
            with contextlib.suppress(
                NotAllowedNow
            ):  # what the life of a number does not allow changes nothing
                saving.save(connection, task.apply(world), stamp(minute))
        agrees(connection)
        raise RolledBack


def agrees(connection):
    stored = Records(connection).many(Number, [f"+44113496{n:04d}" for n in NUMBERS])
    tallies = Counter({row.state: row.count for row in connection.execute(select(projected.tally))})
    assert tallies == Counter(n.state.value for n in stored)
    for n in stored:
        life = spans(connection, n.e164)
        assert [s.until for s in life[:-1]] == [s.since for s in life[1:]]
        assert (life[-1].until, life[-1].state) == (None, n.state.value)
        assert life[-1].holder_id == (n.holder.id if n.holder else None)
    assert ledger.verify(connection)[1] is None


def test_grants_and_seats_are_written_down_by_the_names_of_product_and_holder(
    installation, context
):
    from sedge.services.workorders import order_running, workorders
    from tests.conftest import until_quiet

    holder = HolderRef(kind=HolderKind.PERSON, id="person-ifeoma-haddad")
    order = workorders.draft(
        context, "A seat", [t.GrantLicence(holder=holder, product="staff-seat")]
    )
    order_running.run(context, order.id)
    until_quiet(installation)
    with context.reading() as reading:
        rows = reading.connection.execute(
            select(chain.ledger.c.action, chain.ledger.c.title)
            .order_by(chain.ledger.c.sequence.desc())
            .limit(4)
        )
        told = {row.action: row.title for row in rows}
    assert told["grant.given"] == "Staff seat, Ifeoma Haddad"
    assert told["subscription.used"] == "Staff seat"

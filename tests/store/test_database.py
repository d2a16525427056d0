"""The database as it is opened: readers can't write, writers wait for each other, a rolled-back
change leaves nothing."""

import threading
import time

import pytest
from sqlalchemy import text
from sqlalchemy.dialects import postgresql
from sqlalchemy.exc import OperationalError

from sedge.store.database import Database


@pytest.fixture
def database(tmp_path):
    made = Database(tmp_path / "some.sqlite", "installation", durable=False)
    made.migrate()
    yield made
    made.close()


def settings(database):
    with database.writing() as connection:
        return {
            row.name: row.value
            for row in connection.execute(text("SELECT name, value FROM setting"))
        }


def put(connection, name, value):
    connection.execute(
        text("INSERT INTO setting (name, value) VALUES (:n, :v)"), {"n": name, "v": value}
    )


def test_pragmas_are_set_on_every_connection(database):
    for opened in (database.reading, database.writing):
        with opened() as connection:
            assert connection.exec_driver_sql("PRAGMA foreign_keys").scalar() == 1
            assert connection.exec_driver_sql("PRAGMA journal_mode").scalar() == "wal"
            assert connection.exec_driver_sql("PRAGMA busy_timeout").scalar() == 10_000


def test_a_reader_cannot_write(database):
    with pytest.raises(OperationalError, match="readonly"), database.reading() as connection:
        put(connection, "a", "b")


def test_an_error_takes_the_whole_transaction_back_tables_included(database):
    with pytest.raises(RuntimeError), database.writing() as connection:
        connection.exec_driver_sql("CREATE TABLE never (x)")
        put(connection, "half", "done")
        raise RuntimeError
    with database.reading() as connection:
        assert (
            connection.exec_driver_sql(
                "SELECT name FROM sqlite_master WHERE name = 'never'"
            ).first()
            is None
        )
    assert "half" not in settings(database)


def test_a_reader_keeps_its_view_while_somebody_writes(database):
    with database.reading() as reader:
        before = reader.execute(text("SELECT count(*) FROM setting")).scalar()
        with database.writing() as writer:
            put(writer, "new", "value")
        assert reader.execute(text("SELECT count(*) FROM setting")).scalar() == before
    assert settings(database)["new"] == "value"


def test_writers_wait_for_each_other_and_none_is_lost(database):
    with database.writing() as connection:
        put(connection, "count", "0")

    def count_up():
        for _ in range(20):
            with database.writing() as connection:
                now = int(
                    connection.execute(
                        text("SELECT value FROM setting WHERE name = 'count'")
                    ).scalar()
                )
                time.sleep(0.0005)
                connection.execute(
                    text("UPDATE setting SET value = :v WHERE name = 'count'"), {"v": str(now + 1)}
                )

    writers = [threading.Thread(target=count_up) for _ in range(8)]
    for writer in writers:
        writer.start()
    for writer in writers:
        writer.join()
    assert settings(database)["count"] == "160"


def test_without_the_write_transaction_the_same_counting_loses_some(database):
    """The twin that shows the race: read in one transaction, write in another."""
    with database.writing() as connection:
        put(connection, "count", "0")
    together = threading.Barrier(2)

    def count_up():
        with database.reading() as connection:
            now = int(
                connection.execute(text("SELECT value FROM setting WHERE name = 'count'")).scalar()
            )
        together.wait()
        with database.writing() as connection:
            connection.execute(
                text("UPDATE setting SET value = :v WHERE name = 'count'"), {"v": str(now + 1)}
            )

    writers = [threading.Thread(target=count_up) for _ in range(2)]
    for writer in writers:
        writer.start()
    for writer in writers:
        writer.join()
    assert settings(database)["count"] == "1"


def test_migrating_twice_is_migrating_once(database):
    with database.writing() as connection:
        put(connection, "kept", "yes")
    database.migrate()
    assert settings(database)["kept"] == "yes"


def test_every_query_of_the_pages_compiles_for_postgresql_too(client, installation):
    """All that is asked while the pages are shown and work is done; the finder's own file is the
    one exception."""
    from sqlalchemy import event

    from tests.web.test_pages import PAGES

    faults, seen = [], set()

    def compiled(_connection, statement, *_rest):
        if isinstance(statement, str):
            return
        try:
            seen.add(str(statement.compile(dialect=postgresql.dialect())))
        except Exception as error:  # every fault is told, whatever it is
            faults.append(f"{statement}: {error!r}")

    databases = [*installation.estates.values(), installation.shared]
    for database in databases:
        for engine in (database._reader, database._writer):
            event.listen(engine, "before_execute", compiled)
    client.post("/sign-in", data={"who": "rowan"})
    for page in PAGES:
        assert client.get(page).status_code == 200, page
    made = client.post(
        "/work-orders/new/assign",
        data={
            "number": "0113 496-0311",
            "holder": "person:person-ifeoma-haddad",
            "spot": "WHF-003-G",
        },
    )
    client.post(made.headers["location"] + "/remedies")
    client.post(made.headers["location"] + "/run")
    from tests.conftest import until_quiet

    until_quiet(installation)
    assert faults == []
    assert len(seen) > 60

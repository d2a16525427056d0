"""What is loaded for a task holds together: nothing that is known refers to something that is
there and was not loaded."""

import pytest
from sqlalchemy import select

from sedge.core.load_spec import LoadSpec
from sedge.core.records import RECORD_TYPES, HolderKind, HolderRef, Number, Person
from sedge.core.references import references
from sedge.store.loading import load
from sedge.store.schema import tables


def missing(reading, estate):
    """What loaded records refer to and is in the database, but not loaded."""
    wanted = {
        (kind, key)
        for record_type in set(RECORD_TYPES.values())
        for record in estate.all(record_type)
        for kind, key in references(record)
        if estate.get(kind, key) is None
    }
    return {(kind.__name__, key) for kind, key in wanted if reading.records.find(kind, key)}


@pytest.mark.parametrize("kind", [HolderKind.PERSON, HolderKind.SERVICE_LINE, HolderKind.SITE])
def test_what_a_holder_drags_in_is_whole(context, kind):
    table = {
        HolderKind.PERSON: tables.person,
        HolderKind.SERVICE_LINE: tables.service_line,
        HolderKind.SITE: tables.site,
    }[kind]
    with context.reading() as reading:
        keys = [key for (key,) in reading.connection.execute(select(table.c.id).limit(15))]
        assert keys
        for key in keys:
            wanted = LoadSpec(holders={HolderRef(kind=kind, id=key)})
            assert missing(reading, load(reading.records, wanted, context.now())) == set()


def test_what_a_number_drags_in_is_whole_with_its_holder_and_all_the_holder_has(context):
    with context.reading() as reading:
        query = select(tables.life.c.number).where(tables.life.c.holder_kind == "person").limit(20)
        numbers = [f"+{n}" for (n,) in reading.connection.execute(query)]
        assert numbers
        for e164 in numbers:
            estate = load(reading.records, LoadSpec(numbers={e164}), context.now())
            holder = estate.number(e164).holder
            assert missing(reading, estate) == set()
            held = {n.e164 for n in reading.records.held_by(Number, [holder])}
            assert {n.e164 for n in estate.numbers_of(holder)} == held
            assert estate.get(Person, holder.id)


def test_many_numbers_of_one_path_are_all_known(context):
    with context.reading() as reading:
        (path,) = reading.connection.execute(
            select(tables.life.c.path).where(tables.life.c.path.is_not(None)).limit(1)
        ).one()
        estate = load(reading.records, LoadSpec(path_users={path}), context.now())
        followers = reading.records.where(Number, tables.life.c.path == path)
        assert {n.e164 for n in followers} <= {n.e164 for n in estate.all(Number)}


def test_what_a_remedy_could_name_is_there_only_where_it_is_asked_for(context):
    with context.reading() as reading:
        site = next(iter(reading.records.all(RECORD_TYPES["site"]))).id
        plain = load(reading.records, LoadSpec(sites={site}), context.now())
        ample = load(reading.records, LoadSpec(sites={site}, choices=True), context.now())
        free = [n for n in ample.all(Number) if n.state == "available"]
        assert free and len(list(ample.all(Number))) > len(list(plain.all(Number)))

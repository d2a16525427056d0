"""Fraud risks of an organisation as it stands."""

from sedge.core.outbound.fraud_risks import Risk, risks
from sedge.core.records import Person, ServiceLine, Site, Trunk
from sedge.services.context import Desk
from sedge.services.trunks.connection_tests import secret_name
from sedge.store import secrets
from sedge.store.schema import tables

MOST_PEOPLE = 20_000


def view_risks(desk: Desk) -> list[Risk]:
    with desk.reading() as reading:
        records = reading.records
        trunks = records.all(Trunk)
        kept = frozenset(
            t.id
            for t in trunks
            if t.settings
            and secrets.read(reading.connection, desk.house.keyring, secret_name(t.id))
        )
        return risks(
            trunks,
            records.all(Site),
            records.all(ServiceLine),
            records.where(Person, tables.person.c.departed.is_(False), limit=MOST_PEOPLE),
            kept,
        )

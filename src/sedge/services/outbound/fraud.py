"""Fraud risks of an organisation as it stands."""

from sedge.core.enums import Right
from sedge.core.outbound.fraud_risks import Risk, risks
from sedge.core.records import Person, ServiceLine, Site, Trunk
from sedge.services.context import Context
from sedge.services.trunks.connection_tests import secret_name
from sedge.store import secrets
from sedge.store.schema import tables


def view_risks(context: Context) -> list[Risk]:
    with context.reading() as reading:
        records = reading.records
        trunks = records.all(Trunk)
        names = {secret_name(t.id): t.id for t in trunks if t.settings}
        kept = secrets.kept(reading.connection, names)
        with_premium = (
            tables.person.c.departed.is_(False),
            tables.person.c.body.contains(f'"{Right.PREMIUM}"'),
        )
        return risks(
            trunks,
            records.all(Site),
            records.all(ServiceLine),
            records.where(Person, *with_premium, order_by=tables.person.c.name),
            frozenset(names[name] for name in kept),
        )

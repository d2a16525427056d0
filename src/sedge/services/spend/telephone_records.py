"""The telephone system's own call records, fetched from it."""

from datetime import timedelta

from sedge.core.access.roles import May
from sedge.core.errors import OutsideTrouble
from sedge.core.spend.step_use import Passed, way_as_text
from sedge.services.context import Context
from sedge.services.periodic import periodic
from sedge.services.spend import call_records
from sedge.services.spend.call_records import Taken
from sedge.store.repositories.spend import settings as spend_settings

SOURCE = "Telephone system, fetched"
NAME = "telephone records"
AFTER = "telephone records after"
AT_NIGHT = timedelta(hours=1, minutes=30)


@periodic(NAME)
def fetch_nightly(context: Context) -> int:
    """Once a night, and an hour later again where the telephone system was silent."""

    def do() -> tuple[int, bool]:
        try:
            return fetch(context.as_system()).fresh, True
        except OutsideTrouble:
            return 0, False

    return context.installation.nightly(context.who.organisation, NAME, AT_NIGHT, do)


def fetch(context: Context) -> Taken:
    """What came since the last time; calls of other organisations on the same system are left out.
    Raises OutsideTrouble."""
    context.require(May.KEEP_BOOKS)
    with context.reading() as reading:
        after = spend_settings.read(reading.connection, AFTER) or 0
    found = context.outside.telephony.call_records(after)
    rows = [
        {
            "key": str(record["no"]),
            "started": record["started"],
            "answered": record["answered"],
            "ended": record["ended"],
            "from": record["from"],
            "to": record["to"],
            "direction": record["direction"],
            "trunk": record["trunk"],
            "cause": record["cause"],
            "steps": way_as_text(Passed(**passed) for passed in record.get("steps", ())),
        }
        for record in found
    ]
    taken = call_records.take(context, SOURCE, rows)
    if found:
        with context.writing() as writing:
            spend_settings.keep(writing.connection, AFTER, found[-1]["no"])
            writing.touch()
    return Taken(taken.fresh, taken.same, taken.corrected, ())

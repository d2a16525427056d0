"""The dates of ports as a calendar (iCalendar, RFC 5545): when an answer is due, when numbers are
switched, until when they may go back."""

from dataclasses import dataclass
from datetime import UTC, datetime

KINDS = {"answer due": "ANSWER DUE", "switch": "SWITCH", "earliest": "EARLIEST"}


@dataclass(frozen=True)
class PortDate:
    """Moments are written in UTC: every calendar shows them in its own time. `uid` stays the same
    for the same event of the same port, so that a changed date moves it in the calendars that read
    this."""

    uid: str
    kind: str
    summary: str
    starts: datetime
    ends: datetime
    text: str = ""
    sequence: int = 0


def write(dates: list[PortDate], made: datetime, name: str) -> bytes:
    from icalendar import Calendar, Event

    calendar = Calendar()
    calendar.add("prodid", "-//Sedge//Ports//EN")
    calendar.add("version", "2.0")
    calendar.add("name", name)
    for at in dates:
        event = Event()
        event.add("uid", f"{at.uid}@sedge")
        event.add("dtstamp", made)
        event.add("sequence", at.sequence)
        event.add("summary", at.summary)
        event.add("dtstart", at.starts.astimezone(UTC))
        event.add("dtend", at.ends.astimezone(UTC))
        event.add("categories", [KINDS[at.kind]])
        if at.text:
            event.add("description", at.text)
        calendar.add_component(event)
    return calendar.to_ical()

"""What the JSON interface answers: the ledger, mail, the clock."""

import json
from typing import Any

from pydantic import ConfigDict
from typing_extensions import TypedDict

from sedge.api.answers import moment
from sedge.core.ledger.chain import Entry
from sedge.core.ledger.sentences import sentence


class EntryOut(TypedDict):
    sequence: int
    at: str
    actor: str
    action: str
    sentence: str
    subject: str
    id: str
    title: str
    reason: str
    work_order: str | None
    after: Any


class ClockOut(TypedDict):
    now: str


class FaultOut(TypedDict):
    service: str
    fault: str
    count: int


class FaultsOut(TypedDict):
    """What is ordered to go wrong."""

    faults: list[FaultOut]


class MailOut(TypedDict):
    """A message that the stand-in has received."""

    __pydantic_config__ = ConfigDict(extra="allow")  # type: ignore[misc]

    to: str
    subject: str
    text: str


def entry_out(e: Entry) -> EntryOut:
    return {
        "sequence": e.sequence,
        "at": moment(e.at),
        "actor": e.actor,
        "action": e.action,
        "sentence": sentence(e.action),
        "subject": e.subject,
        "id": e.subject_id,
        "title": e.title,
        "reason": e.reason,
        "work_order": e.work_order,
        "after": json.loads(e.after) if e.after else None,
    }

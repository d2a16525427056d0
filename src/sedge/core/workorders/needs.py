"""What has to be loaded before tasks can be judged or applied."""

from dataclasses import dataclass, field
from typing import Any

from sedge.core.callpaths.steps import groups_named, named_by, paths_named, people_named
from sedge.core.records import ORGANISATION, HolderKind, HolderRef, Subject
from sedge.core.workorders.tasks import (
    ActivatePort,
    AddPerson,
    ApprovePortOut,
    BackOutPort,
    ChangePerson,
    LabelNumbers,
    OrderNumbers,
    PublishPath,
    PutBack,
    RecordArrival,
    SendPaper,
    SetAnswering,
    SetCallerId,
    SetGroup,
    SetSpot,
    SubmitPort,
    UnassignNumber,
)


@dataclass
class Needs:
    """What has to be loaded before a task can be judged or applied. Everything a number or holder drags in follows."""

    numbers: set[str] = field(default_factory=set)
    holders: set[HolderRef] = field(default_factory=set)
    people: set[str] = field(default_factory=set)
    sites: set[str] = field(default_factory=set)
    spots: set[str] = field(default_factory=set)
    accounts: set[str] = field(default_factory=set)
    paths: set[str] = field(default_factory=set)
    path_users: set[str] = field(default_factory=set)
    orders: set[str] = field(default_factory=set)
    trunks: set[str] = field(default_factory=set)
    holds: set[str] = field(default_factory=set)
    emails: set[str] = field(default_factory=set)
    records: set[tuple[Subject, str]] = field(default_factory=set)
    groups: bool = False  # all groups, and the call paths that name the people and groups of the tasks
    extensions: set[tuple[str, str]] = field(default_factory=set)
    named: set[tuple[Subject, str]] = field(default_factory=set)
    group_ids: set[str] = field(default_factory=set)
    ports: set[str] = field(default_factory=set)  # with their numbers
    port_outs: set[str] = field(default_factory=set)  # with their numbers
    shown: set[str] = field(default_factory=set)  # numbers of which it is asked who else shows them
    rung_back: set[str] = field(default_factory=set)  # numbers of which it is asked who has no other to be rung back on
    documents: bool = False
    choices: bool = False  # also the first free numbers of the sites concerned, so that a remedy can name one

    def __or__(self, other: "Needs") -> "Needs":
        return Needs(**{name: getattr(self, name) | getattr(other, name) for name in self.__dataclass_fields__})


def needs(task: Any) -> Needs:
    """The records a task refers to by id."""
    found = Needs()
    if task.e164:
        found.numbers.add(task.e164)
    if (holder := getattr(task, "holder", None)) is not None:
        found.holders.add(holder)
    for attribute, collection in (
        ("site", found.sites), ("spot", found.spots), ("account", found.accounts), ("path", found.paths),
        ("order", found.orders), ("trunk", found.trunks), ("hold", found.holds),
    ):  # fmt: skip
        if value := getattr(task, attribute, None):
            collection.add(value)
    match task:
        case AddPerson():
            found.people.add(task.id)
            found.emails.add(task.email.lower())
            found.extensions |= {(task.site, task.extension)} if task.extension else set()
        case ChangePerson():
            _needs_of_a_change(task, found)
        case SetGroup():
            found.records.add((Subject.GROUP, task.group))
            found.people |= set(task.members)
            found.named.add((Subject.GROUP, task.group))
        case SetSpot(person=str(person)):
            found.holders.add(HolderRef.model_validate({"kind": "person", "id": person}))
        case PublishPath():
            found.path_users.add(task.path)
            body = task.body.model_dump(mode="json")
            found.people |= set(people_named(body))
            found.group_ids |= groups_named(body)
            found.paths |= paths_named(body)
            named = {pair for step in body["steps"].values() for pair in named_by(step)}
            found.records |= {pair for pair in named if pair[0] in {Subject.DEVICE, Subject.DOWNSTREAM}}
        case SetAnswering():
            found.people |= {key for key in (*task.answering.pickup, task.answering.cover) if key}
        case SetCallerId():
            found.numbers |= {task.caller_id} if task.caller_id else set()
            found.sites |= {task.holder.id} if task.holder and task.holder.kind is HolderKind.SITE else set()
            found.records.add((Subject.DEFAULTS, ORGANISATION))
        case SubmitPort() | ActivatePort() | BackOutPort():
            found.ports.add(task.port)
        case ApprovePortOut():
            found.port_outs.add(task.request)
        case UnassignNumber():
            found.shown.add(task.e164 or "")
            found.rung_back.add(task.e164 or "")
        case OrderNumbers():
            found.numbers |= {line.number for line in task.lines}
            found.documents = True
        case RecordArrival():
            found.numbers |= {line.number for line in task.lines}
        case SendPaper():
            found.documents = True
        case LabelNumbers():
            found.numbers |= set(task.numbers)
        case PutBack():
            for snapshot in task.snapshots:
                if snapshot.subject is Subject.NUMBER:
                    found.numbers.add(snapshot.id)
                    held = (side.get("assignment") for side in (snapshot.before, snapshot.after) if side)
                    found.holders.update(HolderRef.model_validate(a["holder"]) for a in held if a)
                else:
                    found.records.add((snapshot.subject, snapshot.id))
                if snapshot.subject is Subject.PATH:
                    found.paths.add(snapshot.id)
                    found.path_users.add(snapshot.id)
                    found.people |= set(people_named((snapshot.before or {}).get("body", {})))
        case _:
            pass
    return found


def _needs_of_a_change(task: ChangePerson, found: Needs) -> None:
    found.holders.add(HolderRef.model_validate({"kind": "person", "id": task.person}))
    found.people |= {task.manager} if task.manager else set()
    found.emails |= {task.email.lower()} if task.email else set()
    found.extensions |= {(task.site or "", task.extension)} if task.extension else set()
    if task.left:
        found.named.add((Subject.PERSON, task.person))
        found.groups = True

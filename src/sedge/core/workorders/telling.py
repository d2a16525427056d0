"""Tasks in words: for pages, mails and the ledger."""

from typing import Any

from sedge.core.carriers.reconciliation import MEANINGS, DriftKind, as_told
from sedge.core.estate import Estate
from sedge.core.facts import counted
from sedge.core.numbers.e164 import describe
from sedge.core.outbound.caller_id import in_words
from sedge.core.porting.outgoing_records import PortOut
from sedge.core.porting.records import Port
from sedge.core.records import (
    RECORD_TYPES,
    CallerId,
    Document,
    HolderKind,
    HolderRef,
    Order,
    PathVersion,
    Person,
    Product,
    Site,
    Spot,
    Subscription,
    Trunk,
)
from sedge.core.workorders import tasks as t


def tell(task: Any, estate: Estate) -> tuple[str, str]:
    """The task's verb with its object, and the rest of the sentence: (`Assign 0113 496 0142`, `to Ifeoma Okafor as …`)."""
    n = describe(task.e164).shown if task.e164 else "the number that arrives"
    match task:
        case t.GrantLicence():
            return f"Grant {_name(estate, Product, task.product)}", f"to {_holder(task.holder, estate)}"
        case t.RevokeLicence():
            return f"Take back {_name(estate, Product, task.product)}", f"from {_holder(task.holder, estate)}"
        case t.ExchangeLicence():
            return (
                f"Exchange {_name(estate, Product, task.product)}",
                f"for {_name(estate, Product, task.to)}, for {_holder(task.holder, estate)}",
            )
        case t.StartTrial():
            return f"Try {counted(task.seats, 'seat')}", f"of {_name(estate, Product, task.product)}"
        case t.CancelSeats():
            seats = estate.get(Subscription, task.subscription)
            return (
                f"Cancel {counted(task.seats, 'seat')}",
                f"of {_name(estate, Product, seats.product if seats else None)}",
            )
        case t.ChangePerson():
            return _changed_person(task, estate)
        case t.SetGroup(removed=True):
            return f"Take away the group {task.name}", ""
        case t.SetGroup():
            return f"Set the group {task.name}", f"to {counted(len(task.members), 'member')}"
        case t.PutBackLater():
            return f"Put back {estate.clock(task.at)}", f"what task {task.task + 1} changes"
        case t.BuySeats():
            return f"Buy {counted(task.seats, 'seat')}", f"of {_name(estate, Product, task.product)}"
        case t.AssignNumber():
            spot = f", at {_name(estate, Spot, task.spot)}" if task.spot else ""
            return f"Assign {n}", f"to {_holder(task.holder, estate)} as {_article(task.role.value)} number{spot}"
        case t.MoveNumber():
            return f"Move {n}", f"to {_name(estate, Site, task.site)}"
        case t.UnassignNumber():
            return f"Take {n} back", "and let it rest" if task.rest != 0 else "without a rest"
        case t.ReserveNumber():
            return f"Reserve {n}", f"for {_holder(task.holder, estate)}" if task.holder else (f"for {task.reason}" if task.reason else "")
        case t.SetSpot():
            whom = _name(estate, Person, task.person) if task.person else n
            return f"Set the spot of {whom}", f"to {_name(estate, Spot, task.spot)} ({task.spot})"
        case t.SetPath():
            return f"Set the call path of {n}", f"to {_name(estate, PathVersion, task.path)}"
        case t.PublishPath():
            return f"Publish {task.name}", ""
        case t.SetAnswering():
            return (
                f"Set the answering rules of {_holder(task.holder, estate)}",
                f"rung for {task.ring_seconds} s, then {task.answering.then}",
            )
        case t.SetFallback():
            to = f"to {describe(task.to).shown}" if task.to else "to nothing"
            return f"Set the fallback of {n}", to
        case t.SubmitPort() | t.ActivatePort() | t.BackOutPort():
            port = estate.get(Port, task.port)
            what = f"port {port.no}, {counted(len(port.numbers), 'number')}," if port else f"port {task.port}"
            if isinstance(task, t.SubmitPort):
                return f"Submit {what}", f"to {port.losing}" if port else ""
            if isinstance(task, t.BackOutPort):
                return f"Back out of {what}", f"to {port.losing}" if port else ""
            return f"Switch {what}", f"from {port.losing}" if port else ""
        case t.SetCallerId():
            whom = _holder(task.holder, estate) if task.holder else "the organisation"
            above = "the organisation" if task.holder and task.holder.kind is HolderKind.SITE else "the site" if task.holder else "nobody"
            return f"Set the caller ID of {whom}", "to " + in_words(CallerId(shows=task.shows, number=task.caller_id), above)
        case t.ListOnTrunk():
            return f"List {n}", f"on trunk {_name(estate, Trunk, task.trunk)}"
        case t.SetCallingRights():
            return f"Set the calling rights of {_holder(task.holder, estate)}", "to " + ", ".join(r.value for r in task.rights)
        case t.LabelNumbers():
            return f"Label {counted(len(task.numbers), 'number')}", _labelled(task)
        case t.AddPerson():
            return f"Add {task.name}", f"at {_name(estate, Site, task.site)}"
        case t.AdoptNumber():
            return f"Bring in {n}", f"{task.state}, held by {_holder(task.holder, estate)}" if task.holder else task.state
        case t.ConnectNumber():
            return f"Connect {n}", f"over {_name(estate, Trunk, task.trunk)}; it stays with its carrier"
        case t.FollowCarrier():
            return _settled(task, MEANINGS[DriftKind(task.drift)].follow, task.theirs)
        case t.TellCarrier():
            return _settled(task, MEANINGS[DriftKind(task.drift)].tell, task.ours)
        case t.ApprovePortOut():
            asked = estate.get(PortOut, task.request)
            return (
                (f"Approve port out {asked.no} of {counted(len(asked.numbers), 'number')}", f"to {asked.gaining}")
                if asked
                else ("Approve a port out", "")
            )
        case t.ImportNumbers():
            return "Bring in the numbers of a file", "as they are found"
        case t.OrderNumbers():
            return f"Order {counted(len(task.lines), 'number')}", f"under {task.reference}"
        case t.SetFeature():
            return f"Switch {task.feature} {'on' if task.on else 'off'}", f"for {n}"
        case t.EndRest():
            return f"End the rest of {n}", f"because: {task.reason}"
        case t.PlaceTestCall():
            return f"Place a test call {task.direction}", f"{'to' if task.direction == 'in' else 'from'} {n}"
        case t.PutBack():
            return "Put back", f"what “{task.of}” changed"
        case t.OrderWhenFree():
            wish = ", ".join(x for x in (task.area or task.country, task.starts, f"ending {task.pattern}" if task.pattern else "") if x)
            return f"Order {counted(task.quantity, 'number')} when free", f"under {task.reference}: {wish}"
        case t.RecordArrival():
            return (
                f"Take in {counted(len(task.lines), 'number')}",
                f"that came for order {_reference(estate, task.order)}",
            )
        case t.SendPaper():
            return f"Send {_name(estate, Document, task.document)}", f"to the carrier, for order {_reference(estate, task.order)}"
        case t.CancelOrder():
            return "Cancel", f"order {task.order}"
        case t.TellPlace():
            return "Tell where the phone is", f"that has {n}"
        case t.RegisterAddress():
            return "Register the address", f"of {n} with its carrier"
        case _:
            return _plain(task.kind, n)


def _settled(task: t.FollowCarrier | t.TellCarrier, what: str, value: str) -> tuple[str, str]:
    """A difference from a carrier's list and the way in which it is settled."""
    return f"{describe(task.number).shown}: {what[0].lower()}{what[1:]}", as_told(value)


def _changed_person(task: t.ChangePerson, estate: Estate) -> tuple[str, str]:
    whom = _name(estate, Person, task.person)
    if task.left:
        return f"Note that {whom}", "has left"
    said = {
        "name": "name", "email": "mail address", "department": "department", "job": "job", "extension": "extension",
        "known_elsewhere_as": "id in the directory",
    }  # fmt: skip
    parts = [f"{words} {getattr(task, name)}" for name, words in said.items() if getattr(task, name) is not None]
    if task.site is not None:
        parts.insert(0, f"site {_name(estate, Site, task.site)}")
    if task.manager is not None:
        parts.append(f"manager {_name(estate, Person, task.manager)}")
    return f"Change {whom}", ", ".join(parts)


def _plain(kind: str, n: str) -> tuple[str, str]:
    words = {
        "unreserve_number": (f"Take the reservation of {n} back", ""),
        "set_aside": (f"Set {n} aside", ""),
        "return_number": (f"Return {n}", "to the available ones"),
        "unlist_from_trunk": (f"Take {n} off its trunk's list", ""),
        "release_number": (f"Release {n}", "to its carrier, for good"),
    }
    return words.get(kind, (kind.replace("_", " ").capitalize(), n))


def tell_whole(task: Any, estate: Estate) -> str:
    return " ".join(part for part in tell(task, estate) if part)


def _holder(ref: HolderRef, estate: Estate) -> str:
    return _name(estate, RECORD_TYPES[ref.subject], ref.id)


def _name(estate: Estate, record_type: Any, key: str | None) -> str:
    found = estate.get(record_type, key)
    return (getattr(found, "name", "") or getattr(found, "title", "")) if found else (key or "")


def _reference(estate: Estate, order: str) -> str:
    found = estate.get(Order, order)
    return found.reference if found else order


def _article(role: str) -> str:
    return {"main": "the main", "extra": "an extra", "mailbox access": "the mailbox access"}.get(role, role)


def _labelled(task: t.LabelNumbers) -> str:
    parts = [
        f"as “{task.label}”" if task.label else "",
        f"cost centre {task.cost_centre}" if task.cost_centre else "",
        f"with {', '.join(task.add_tags)}" if task.add_tags else "",
        f"without {', '.join(task.drop_tags)}" if task.drop_tags else "",
    ]
    return ", ".join(part for part in parts if part)

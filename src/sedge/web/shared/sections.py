"""The second level of navigation: the sections of each place, in a row under the places."""

from collections.abc import Callable
from typing import NamedTuple


class Section(NamedTuple):
    """`also` are other addresses whose pages belong to it; `what` says in other words what one
    finds there, for the finder."""

    name: str
    href: str
    also: tuple[str, ...] = ()
    what: str = ""


SECTIONS: dict[str, tuple[Section, ...]] = {
    "numbers": (
        Section("Inventory", "/numbers", what="map list all numbers blocks"),
        Section(
            "Imports",
            "/numbers/files",
            also=("/numbers/take-over", "/numbers/paste"),
            what="import numbers csv xlsx spreadsheet bring in take over",
        ),
        Section(
            "Clean-up",
            "/numbers/tidy-up",
            what="tidy up unused idle release retire hand back",
        ),
        Section("Resting", "/numbers/resting", what="aging quarantine days of rest"),
        Section("Forecast", "/numbers/figures", what="capacity utilisation exhaustion demand"),
        Section("Past state", "/numbers/differences", what="history compare two days changes"),
        Section(
            "Ids elsewhere", "/numbers/known-elsewhere", what="other systems external ids ticket"
        ),
    ),
    "supply": (
        Section("Search", "/supply", what="buy order new numbers stock offers"),
        Section("Ports in", "/ports", what="port numbers from another carrier"),
        Section("Ports out", "/port-outs", what="numbers that leave"),
        Section("Documents", "/supply/papers", what="papers proof register extract"),
        Section("Paper orders", "/supply/forms/new", what="order form pdf letter"),
        Section("External numbers", "/supply/connect", what="numbers that stay elsewhere sip"),
        Section("When free", "/supply/when-free", what="wait for stock"),
        Section("Waiting people", "/supply/joiners", what="who has no number joiners"),
    ),
    "holders": (
        Section(
            "People",
            "/holders",
            also=("/holders/people", "/holders/import"),
            what="staff employees extensions",
        ),
        Section(
            "Service lines",
            "/holders/lines",
            also=("/holders/new/line",),
            what="reception alarm lift fax conference",
        ),
        Section(
            "Sites",
            "/holders/sites",
            also=("/holders/new/site",),
            what="buildings offices addresses",
        ),
        Section("Groups", "/holders/groups", what="teams hunt group"),
        Section("Directory", "/holders/directory", what="scim proposals joiners"),
        Section("Downstream systems", "/holders/systems", what="other pbx telephone systems"),
    ),
    "safety": (
        Section("Coverage", "/safety", what="emergency spots floors who help finds"),
        Section("Emergency tests", "/safety/tests", what="999 112 911 report test everything"),
        Section("Moves", "/safety/move", what="move people to another floor"),
        Section("Carrier registrations", "/safety/registered", what="registered addresses compare"),
        Section("Addresses", "/safety/address", what="check a civic address register match"),
        Section("Requirements", "/safety/rules", what="law countries what is asked"),
        Section("Files", "/safety/files", what="spots csv export import"),
    ),
    "paths": (
        Section("Paths", "/paths", what="menus queues hours routing"),
        Section("Impact analysis", "/paths/questions", what="what if trunk down who is away"),
        Section("Unanswered hours", "/paths/week", what="week nobody answers"),
        Section("Audio", "/paths/sounds", what="sounds greetings recordings announcements"),
        Section("Calls out", "/paths/out", what="follow a call out dialled rate trunk"),
        Section("Caller ID", "/holders/caller-ids", what="number shown withheld outbound"),
    ),
    "carriers": (
        Section(
            "Accounts", "/carriers", also=("/carriers/accounts",), what="balance top up trunks"
        ),
        Section("Reconcile", "/carriers/drift", what="drift compare lists bill"),
    ),
    "work-orders": (
        Section("Orders", "/work-orders", also=("/why-not",), what="changes drafts running done"),
        Section("Templates", "/work-orders/templates", what="joiner leaver season"),
        Section("Planner", "/work-orders/planner", what="give numbers to many people at once"),
        Section("Checks", "/checks", what="rules findings warnings"),
        Section("Email templates", "/letters", what="letters welcome mail texts"),
    ),
}


class Shown(NamedTuple):
    name: str
    href: str
    is_here: bool


def sections_of(place: str, path: str, opens: Callable[[str], bool]) -> list[Shown]:
    """The sections of a place that somebody may open, the one that a page belongs to marked: that
    whose address its own begins with, the longest first, else the place's first."""
    found = [s for s in SECTIONS.get(place, ()) if opens(s.href)]
    begins = [
        (len(address), section)
        for section in found
        for address in (section.href, *section.also)
        if path == address or path.startswith(f"{address}/")
    ]
    here = max(begins, default=(0, found[0] if found else None), key=lambda pair: pair[0])[1]
    return [Shown(s.name, s.href, s is here) for s in found] if len(found) > 1 else []

"""The second level of navigation: the sections of each place, in a row under the places."""

from collections import Counter
from collections.abc import Callable, Sequence
from typing import NamedTuple


class Section(NamedTuple):
    """`also` are other addresses whose pages belong to it; `what` says in other words what one
    finds there, for the finder."""

    name: str
    href: str
    also: tuple[str, ...] = ()
    what: str = ""


SECTIONS: dict[str, tuple[Section, ...]] = {
    "today": (
        Section("To do", "/", what="today start home tasks urgent"),
        Section("Activity", "/activity", what="history latest changes who did what"),
    ),
    "numbers": (
        Section("Inventory", "/numbers", what="map list all numbers blocks"),
        Section(
            "Imports",
            "/numbers/files",
            also=("/numbers/take-over", "/numbers/paste"),
            what="import numbers csv xlsx spreadsheet import take over",
        ),
        Section(
            "Clean-up",
            "/numbers/tidy-up",
            what="tidy up unused idle release retire hand back",
        ),
        Section("Quarantine", "/numbers/resting", what="aging quarantine days of rest"),
        Section("Forecast", "/numbers/figures", what="capacity utilisation exhaustion demand"),
        Section("Past state", "/numbers/differences", what="history compare two days changes"),
        Section(
            "External IDs", "/numbers/known-elsewhere", what="other systems external ids ticket"
        ),
    ),
    "supply": (
        Section("Search", "/supply", what="buy order new numbers stock offers"),
        Section("Ports in", "/ports", what="port numbers from another carrier"),
        Section("Ports out", "/port-outs", what="numbers that leave"),
        Section("Documents", "/supply/papers", what="papers documents proof register extract"),
        Section("Paper orders", "/supply/forms/new", what="order form pdf letter"),
        Section("External numbers", "/supply/connect", what="numbers that stay elsewhere sip"),
        Section("Waiting list", "/supply/when-free", what="wait for stock"),
        Section("Waiting people", "/supply/joiners", what="people without number joiners"),
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
        Section("Coverage", "/safety", what="emergency spots floors responders"),
        Section("Emergency tests", "/safety/tests", what="999 112 911 report test everything"),
        Section("Emergency reach", "/safety/reach", what="999 112 matrix trunks prefix holes"),
        Section("Move people", "/safety/move", what="move people to another floor"),
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
            "Accounts", "/carriers", also=("/carriers/accounts",), what="balance top up deposit"
        ),
        Section(
            "Trunks",
            "/carriers/trunks",
            also=("/carriers/connections", "/carriers/channels"),
            what="sip trunk host transport codecs connection test sheet",
        ),
        Section("SBCs", "/carriers/sbcs", what="session border controller edge certificate domain"),
        Section(
            "Dial plans", "/dial-plans", what="digit maps patterns prefix outside line strip digits"
        ),
        Section(
            "Outbound routes", "/outbound-routes", what="least cost trunk order destinations lcr"
        ),
        Section("Reconcile", "/carriers/drift", what="drift compare lists bill"),
    ),
    "spend": (
        Section("Overview", "/spend", what="cost money month site budget forecast charge-back"),
        Section(
            "Usage",
            "/spend/usage",
            also=("/spend/calls",),
            what="call records cdr minutes busy hour answered numbers nobody calls",
        ),
        Section("Invoices", "/spend/invoices", what="bill dispute credit ubl billed expected"),
        Section("Rates", "/spend/rates", what="rate deck price list per minute prefix"),
        Section("Right-sizing", "/spend/right-sizing", what="savings unused seats idle numbers"),
        Section("Unusual calls", "/spend/unusual", what="fraud alarm toll burst abroad night"),
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
    """`waiting` counts the lines of Today that lead there."""

    name: str
    href: str
    is_here: bool
    waiting: int


def sections_of(
    place: str, path: str, opens: Callable[[str], bool], waiting: Sequence[str] = ()
) -> list[Shown]:
    """The sections of a place that somebody may open, the one that a page belongs to marked."""
    found = [s for s in SECTIONS.get(place, ()) if opens(s.href)]
    here = section_of(found, path)
    counts = Counter(
        section_of(found, address.partition("?")[0], strict=True) for address in waiting
    )
    return [Shown(s.name, s.href, s is here, counts[s]) for s in found] if len(found) > 1 else []


def section_of(sections: Sequence[Section], path: str, *, strict: bool = False) -> Section | None:
    """The section whose address a page's own begins with, the longest first; else the first one,
    or none where it is to be `strict`."""
    begins = [
        (len(address), section)
        for section in sections
        for address in (section.href, *section.also)
        if path == address or path.startswith(f"{address}/")
    ]
    first = sections[0] if sections and not strict else None
    return max(begins, default=(0, first), key=lambda pair: pair[0])[1]


def way_to(
    place: str,
    path: str,
    opens: Callable[[str], bool],
    places: Sequence[tuple[str, str, str, object]],
) -> list[tuple[str, str]]:
    """What stands above a page that is no section's own: its place and its section, with their
    addresses (empty where the next one is the same). Nothing above a section's own page."""
    at = next(((name, href) for key, name, href, _ in places if key == place), None)
    if at is None or path == at[1]:
        return []
    section = section_of([s for s in SECTIONS.get(place, ()) if opens(s.href)], path)
    if section is None:
        return [at]
    if path == section.href:
        return []
    return [(at[0], "" if at[1] == section.href else at[1]), (section.name, section.href)]

"""Pages and actions as the finder finds them: by their names and by other words for what one does
there, one slip of the keys forgiven."""

from collections.abc import Callable
from typing import NamedTuple

from rapidfuzz.distance import OSA

from sedge.web.shared.sections import SECTIONS

MOST = 5
LEAST_FOR_A_SLIP = 4  # letters of a word in which one may be wrong


class Page(NamedTuple):
    title: str
    place: str
    href: str
    words: str = ""


PLACES = {
    "today": "Today",
    "numbers": "Numbers",
    "supply": "Supply",
    "holders": "Holders",
    "safety": "Safety",
    "paths": "Call paths",
    "carriers": "Carriers",
    "spend": "Spend",
    "work-orders": "Work orders",
}
ACTIONS = (
    Page("Licences", "", "/licences", "pools seats subscriptions"),
    Page("Ledger", "", "/ledger", "activity history audit log who changed"),
    Page("Verify the ledger", "Ledger", "/ledger/verify", "check chain proof"),
    Page("New person", "Holders", "/holders/new/person", "add employee staff starter"),
    Page("New service line", "Holders", "/holders/new/line", "add reception alarm lift"),
    Page("New site", "Holders", "/holders/new/site", "add building office"),
    Page("New group", "Holders", "/holders/groups/new", "add team"),
    Page("New carrier", "Carriers", "/carriers/new", "add carrier by hand contract contacts"),
    Page("Import call records", "Spend", "/spend/calls", "cdr csv calls retention"),
    Page("Monthly statement", "Spend", "/spend/statement", "charge-back cost centre pdf xlsx"),
    Page("Numbers without calls", "Spend", "/spend/usage/idle", "idle unused nobody calls"),
    Page(
        "Change several people",
        "Holders",
        "/holders/several",
        "bulk many licence rights phones batch",
    ),
    Page("People who have left", "Holders", "/holders/leavers", "gdpr erase personal data privacy"),
    Page("Import people", "Holders", "/holders/import", "import csv staff list"),
    Page("New downstream system", "Holders", "/holders/systems/new", "add other telephone system"),
    Page("Import numbers", "Numbers", "/numbers/files", "import csv xlsx"),
    Page("Take over spreadsheets", "Numbers", "/numbers/take-over", "import from files worksheet"),
    Page("Paste numbers", "Numbers", "/numbers/paste", "several list selection bulk"),
    Page("New port", "Supply", "/ports/new", "move numbers from another carrier port in"),
    Page("Calendar of ports", "Supply", "/ports/calendar", "dates foc days kept free"),
    Page("New call path", "Call paths", "/paths/new", "add menu queue draw routing"),
    Page("Import a call path", "Call paths", "/paths/bring-in", "cpl json import"),
    Page("New trunk", "Carriers", "/carriers/trunks/new", "add sip line"),
    Page("New licence product", "Licences", "/licences/new", "add seat type"),
    Page("Joiner", "Work orders", "/work-orders/templates/joiner", "onboard new employee starts"),
    Page("Leaver", "Work orders", "/work-orders/templates/leaver", "offboard employee leaves"),
    Page("Eligibility", "Work orders", "/why-not", "eligibility what is missing refused"),
    Page("Members", "", "/organisations/members", "who signs in invite users roles access"),
    Page("My account", "", "/account", "password second factor authenticator sessions passkey"),
    Page("API tokens", "", "/account/tokens", "program bearer scim key automation"),
    Page("Webhooks", "Ledger", "/ledger/webhooks", "events http callback automation integration"),
    Page("System", "", "/system", "backup disk health mail services version troubles"),
    Page("Organisations", "", "/organisations", "clients tenants switch"),
    Page("New organisation", "", "/organisations/new", "add client tenant"),
)


def all_pages() -> list[Page]:
    """Every section of every place, then what one does."""
    sections = [
        Page(section.name, PLACES[place], section.href, section.what)
        for place, row in SECTIONS.items()
        for section in row
    ]
    return [*sections, *ACTIONS]


def pages_found(text: str, opens: Callable[[str], bool]) -> list[Page]:
    """Pages that have every typed word, or words that begin so; best first: the very title, one
    that begins so, all words in the title, then in what one does there."""
    typed = text.casefold().split()
    if not typed or len("".join(typed)) < 2 or any(c.isdecimal() for c in text):
        return []
    ranked = [
        (rank, i, page)
        for i, page in enumerate(all_pages())
        if (rank := _rank(page, typed)) is not None and opens(page.href)
    ]
    return [page for _, _, page in sorted(ranked, key=lambda found: found[:2])[:MOST]]


def _rank(page: Page, typed: list[str]) -> int | None:
    title = page.title.casefold()
    asked = " ".join(typed)
    if title == asked:
        return 0
    if title.startswith(asked):
        return 1
    of_title = title.split()
    if all(_among(word, of_title) for word in typed):
        return 2
    every = [*of_title, *page.place.casefold().split(), *page.words.split()]
    if all(_among(word, every) for word in typed):
        return 3
    return 4 if all(_nearly_among(word, of_title) for word in typed) else None


def _among(word: str, words: list[str]) -> bool:
    return any(other.startswith(word) for other in words)


def _nearly_among(word: str, words: list[str]) -> bool:
    """With one letter wrong, missing, too many or swapped with its neighbour."""
    if _among(word, words):
        return True
    return len(word) >= LEAST_FOR_A_SLIP and any(
        OSA.distance(word, other, score_cutoff=1) <= 1 for other in words
    )

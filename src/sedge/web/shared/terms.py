"""Words that are Sedge's own or the trade's, explained once: on the help page, and beside the word
where it first appears."""

from markupsafe import Markup

TERMS = {
    "block": "the ten, hundred or thousand numbers that begin alike",
    "call path": "what happens to a call that comes in: menus, hours, who rings",
    "card": "what is selected, in full, at the side of a page",
    "holder": "a person, service line or site that has a number",
    "ledger": "every change with its author and reason, each entry sealed to the one before",
    "quarantine": "the days a number rests between two holders",
    "responders": "police, fire and ambulance crews",
    "run": "numbers that follow each other",
    "spot": "a place inside an address that responders can find: a floor, a wing, a room",
    "stand-in": "an outside service that is simulated in the demo",
    "work order": "tasks that are checked together before they run, and undone together",
}


def anchor(word: str) -> str:
    """The fragment of a word on the help page."""
    return word.replace(" ", "-")


def term(word: str, shown: str = "") -> Markup:
    """The word with its meaning on hover and on the help page. Raises KeyError for a word that is
    not explained."""
    return Markup('<a class="term" href="/help#{}" title="{}">{}</a>').format(
        anchor(word), TERMS[word], shown or word
    )

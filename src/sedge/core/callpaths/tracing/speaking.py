"""How long callers listen."""

from sedge.core.callpaths.steps import Announce, Menu


def seconds_to_say(text: str) -> int:
    """How long it takes to say a text: two words a second, three seconds at least."""
    return max(3, len(text.split()) // 2)


def seconds_announced(step: Announce) -> int:
    return max(2, sum(len(text.split()) // 2 for text in (step.text, *(s.text for s in step.also))))


def seconds_of_menu(step: Menu) -> int:
    return seconds_to_say(" ".join((step.greeting, *(s.text for s in step.also))))

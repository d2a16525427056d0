"""What a menu says, judged: every key spoken of, its name before it, long enough, in each language
it speaks."""

import re
from collections.abc import Iterator
from dataclasses import dataclass

from sedge.core.callpaths.steps import Announce, Mailbox, Menu, Path, Step
from sedge.core.numbers.plan import LANGUAGES

# How the keys are called, per language; the digit itself always counts.
KEY_WORDS = {
    "en": ("zero", "one", "two", "three", "four", "five", "six", "seven", "eight", "nine"),
    "de": ("null", "eins", "zwei", "drei", "vier", "fünf", "sechs", "sieben", "acht", "neun"),
    "fr": ("zéro", "un", "deux", "trois", "quatre", "cinq", "six", "sept", "huit", "neuf"),
}
SIGNS = {
    "*": {"en": ("star", "asterisk"), "de": ("stern", "sterntaste"), "fr": ("étoile",)},
    "#": {"en": ("hash", "pound", "square"), "de": ("raute", "rautetaste"), "fr": ("dièse",)},
}
FEWEST_WORDS = 4


@dataclass(frozen=True)
class Fault:
    """What is wrong with the words of a step, in a sentence that follows its title."""

    step: str
    kind: str
    text: str


def sayings(step: Menu | Announce | Mailbox) -> list[tuple[str, str]]:
    """All that a step says, as (language, text); the first is in its own language."""
    own = step.text if isinstance(step, Announce) else step.greeting
    return [(step.language, own), *((s.language, s.text) for s in step.also)]


def key_at(text: str, key: str, language: str) -> int:
    """Where a text speaks of a key; -1 where it doesn't."""
    names = [re.escape(key)] if key.isdigit() else []
    for code in (
        [language.split("-", maxsplit=1)[0]]
        if language.split("-", maxsplit=1)[0] in KEY_WORDS
        else list(KEY_WORDS)
    ):
        names += [KEY_WORDS[code][int(key)]] if key.isdigit() else SIGNS[key].get(code, ())
    if not key.isdigit() and key in text:
        return text.index(key)
    found = re.search(rf"(?<!\w)(?:{'|'.join(names)})(?!\w)", text, re.IGNORECASE)
    return found.start() if found else -1


def faults_of(path: Path) -> list[Fault]:
    """Everything that is wrong with what a path says."""
    return [fault for key, step in path.steps.items() for fault in _faults(key, step)]


def _faults(key: str, step: Step) -> Iterator[Fault]:
    if isinstance(step, Menu | Announce):
        for language, text in sayings(step):
            tongue = (
                f" in {LANGUAGES.get(language, language)}"
                if len(sayings(step)) > 1 and language
                else ""
            )
            if not text.strip() and not _is_recorded(step, language):
                yield Fault(key, "missing", f"says nothing{tongue}")
            elif text.strip() and len(text.split()) < FEWEST_WORDS:
                yield Fault(
                    key,
                    "short",
                    f"says only “{text}”{tongue}; callers are not ready to listen so soon",
                )
            if isinstance(step, Menu) and text.strip():
                yield from _menu_faults(key, step, language, text, tongue)
    if isinstance(step, Menu) and not step.keys:
        yield Fault(key, "missing", "has no key to press")


def _is_recorded(step: Menu | Announce, language: str) -> bool:
    """Whether callers hear a recorded sound where nothing is written."""
    return (
        bool(step.sound)
        if language == step.language
        else any(s.sound for s in step.also if s.language == language)
    )


def _menu_faults(key: str, menu: Menu, language: str, text: str, tongue: str) -> Iterator[Fault]:
    unspoken = [k for k in menu.keys if key_at(text, k, language) < 0]
    if unspoken:
        yield Fault(
            key,
            "unspoken",
            f"does not speak of key {' or '.join(unspoken)}{tongue}; callers won't know it",
        )
    for k, word in menu.keys.items():
        pressed, named = key_at(text, k, language), text.lower().find(word.lower()) if word else -1
        if 0 <= pressed < named and not _named_before(text, word, pressed):
            yield Fault(
                key,
                "order",
                f"says key {k} before “{word}”{tongue}; callers have to know what it is for before"
                " they can keep it",
            )


def _named_before(text: str, word: str, at: int) -> bool:
    return word.lower() in text[:at].lower()

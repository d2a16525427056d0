"""The texts of letters: Sedge's own or the organisation's, with a preview of real
letters."""

from typing import Any

from sedge.core.access.roles import May
from sedge.core.errors import ChangedMeanwhile, NotUnderstood
from sedge.core.numbers.plan import LANGUAGES
from sedge.core.records import Subject
from sedge.formats.letters import KINDS, Letter, LetterText, checked, own
from sedge.services import mail
from sedge.services.context import Context
from sedge.services.letter_texts import Kept, text_of
from sedge.store.repositories import workorders as store
from sedge.store.schema.holders import letter_text

SAMPLE: dict[str, dict[str, Any]] = {
    "holder": {
        "name": "Ifeoma Okafor",
        "organisation": "",
        "lost": [{"national": "0113 496 0199", "e164": "+441134960199"}],
        "places": ["2nd floor, room 2.14, Wharf House (WHF-006-0)"],
        "held": [
            {
                "national": "0113 496 0142",
                "e164": "+441134960142",
                "role": "main",
                "works_from": "today 09:20",
            }
        ],
        "signature": "Sedge",
    },
    "author": {
        "no": 12,
        "title": "Joiners of May",
        "outcome": "is done",
        "organisation": "",
        "lines": ["    done  Assign 0113 496 0142 to Ifeoma Okafor as the main number"],
        "people": [{"name": "Ifeoma Okafor", "numbers": ["0113 496 0142"]}],
        "signature": "Sedge",
    },
}


def view_letter(context: Context, kind: str, language: str) -> Kept:
    _known(kind, language)
    with context.reading() as reading:
        return text_of(reading, kind, language)


def _known(kind: str, language: str) -> None:
    if kind not in KINDS:
        raise NotUnderstood(f"Email templates are: {', '.join(KINDS)}.", field="kind")
    if language not in LANGUAGES:
        raise NotUnderstood(f"Languages are: {', '.join(LANGUAGES)}.", field="language")


def preview(context: Context, text: LetterText, order: str = "") -> Letter:
    """The letter as it would be: for the people of a work order, else for somebody made up. Raises
    NotUnderstood naming the part."""
    _known(text.kind, text.language)
    return checked(text, _facts(context, text.kind, order))


def _facts(context: Context, kind: str, order: str) -> dict[str, Any]:
    facts = {**SAMPLE[kind], "organisation": context.organisation.name}
    if not order:
        return facts
    with context.reading() as reading:
        found = store.get(reading.connection, order)
        real = mail.facts_for(reading, found, context.organisation.name)
    if kind == "author":
        return real.author
    return next(iter(real.holders.values()), facts)


def keep_letter(context: Context, text: LetterText, version: int) -> Kept:
    """Keep a text. Raises NotUnderstood where it can't be drawn, ChangedMeanwhile where somebody
    else has changed it since."""
    context.require(May.SET_RULES)
    _known(text.kind, text.language)
    checked(text, _facts(context, text.kind, ""))
    with context.writing() as writing:
        if text_of(writing, text.kind, text.language).version != version:
            raise ChangedMeanwhile(
                "Somebody else has changed this text meanwhile. Open it again.",
                subject="letter",
                id=text.kind,
            )
        writing.connection.execute(
            letter_text.delete().where(
                letter_text.c.kind == text.kind, letter_text.c.language == text.language
            )
        )
        row = {
            "kind": text.kind,
            "language": text.language,
            "subject": text.subject,
            "text": text.text,
            "html": text.html,
            "version": version + 1,
        }
        writing.connection.execute(letter_text.insert().values(**row))
        writing.record_event(
            "letter.changed",
            Subject.WORK_ORDER,
            f"{text.kind}-{text.language}",
            f"{KINDS[text.kind]}, {LANGUAGES[text.language]}",
        )
    return Kept(text, version + 1)


def back_to_own(context: Context, kind: str, language: str) -> Kept:
    """Sedge's own text again."""
    context.require(May.SET_RULES)
    _known(kind, language)
    with context.writing() as writing:
        writing.connection.execute(
            letter_text.delete().where(
                letter_text.c.kind == kind, letter_text.c.language == language
            )
        )
        writing.record_event(
            "letter.changed",
            Subject.WORK_ORDER,
            f"{kind}-{language}",
            f"{KINDS[kind]}, {LANGUAGES[language]}: Sedge's own again",
        )
    return Kept(own(kind, language), 0)

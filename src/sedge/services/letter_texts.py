"""The text a letter is drawn from: the organisation's own where it has one, else Sedge's."""

from dataclasses import dataclass

from sqlalchemy import select

from sedge.formats.letters import LetterText, own
from sedge.services.context import Reading
from sedge.store.schema.holders import letter_text


@dataclass(frozen=True)
class Kept:
    """A text with its version; 0 where it is Sedge's own."""

    text: LetterText
    version: int


def text_of(reading: Reading, kind: str, language: str) -> Kept:
    """The organisation's text, else Sedge's own."""
    row = reading.connection.execute(
        select(letter_text).where(letter_text.c.kind == kind, letter_text.c.language == language)
    ).first()
    return (
        Kept(LetterText(kind, language, row.subject, row.text, row.html), row.version)
        if row
        else Kept(own(kind, language), 0)
    )

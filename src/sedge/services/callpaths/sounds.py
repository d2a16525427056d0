"""Greetings as sounds: uploaded, or recorded in the browser; judged by their content, kept with
what they say in words."""

from dataclasses import dataclass
from datetime import datetime

from sqlalchemy import insert, select, update

from sedge.core.access.roles import May
from sedge.core.errors import NotAllowedNow, NotFound, NotUnderstood
from sedge.core.records import PathVersion, Subject
from sedge.formats.sounds import MOST_BYTES as MOST_BYTES  # noqa: PLC0414  doors look here
from sedge.formats.sounds import SoundFacts, look_into
from sedge.services.context import Context
from sedge.store.repositories import callpaths as store
from sedge.store.schema.callpaths import sound as table

NAME, TEXT = 120, 2000


@dataclass(frozen=True)
class Sound:
    id: str
    name: str
    language: str
    text: str
    media: str
    seconds: float
    level: float
    at: datetime
    actor: str


_FIELDS = [table.c[name] for name in Sound.__dataclass_fields__]


def list_sounds(context: Context) -> list[Sound]:
    with context.reading() as reading:
        rows = reading.connection.execute(
            select(*_FIELDS).where(table.c.removed == 0).order_by(table.c.name)
        )
        return [Sound(**row._mapping) for row in rows]


def one(context: Context, key: str) -> tuple[Sound, bytes]:
    """A sound with its bytes. Raises NotFound."""
    with context.reading() as reading:
        row = reading.connection.execute(
            select(*_FIELDS, table.c.data).where(table.c.id == key)
        ).first()
    if row is None:
        raise NotFound("There is no such sound here.", subject="sound", id=key)
    fields = dict(row._mapping)
    data = fields.pop("data")
    return Sound(**fields), data


def keep_sound(
    context: Context, name: str, language: str, text: str, data: bytes
) -> tuple[str, SoundFacts]:
    """Keep a sound. Gives its id and what it is. Raises NotUnderstood naming the field."""
    context.require(May.CHANGE_ESTATE)
    name, text = name.strip()[:NAME], text.strip()[:TEXT]
    if not name:
        raise NotUnderstood("Give the sound a name, so that one finds it again.", field="name")
    if not text:
        raise NotUnderstood(
            "Type what it says: for people who can't listen, and for the checks of what"
            " callers hear.",
            field="text",
        )
    facts = look_into(data)
    key = context.new_id("sound")
    with context.writing() as writing:
        writing.connection.execute(
            insert(table).values(
                id=key,
                name=name,
                language=language[:10],
                text=text,
                media=facts.media,
                seconds=facts.seconds,
                level=facts.level,
                at=context.now(),
                actor=context.actor,
                removed=0,
                data=data,
            )
        )
        writing.record_event("sound.kept", Subject.PATH, key, name)
    return key, facts


def remove(context: Context, key: str) -> None:
    """Take a sound off the shelf. Raises NotAllowedNow where a path plays it."""
    context.require(May.CHANGE_ESTATE)
    sound, _ = one(context, key)
    with context.writing() as writing:
        playing = [p.name for p in writing.records.all(PathVersion) if plays(p.body, key)]
        playing += [
            d.name
            for d in store.drafts(writing.connection)
            if plays(d.body.model_dump(mode="json"), key)
        ]
        if playing:
            raise NotAllowedNow(
                f"“{playing[0]}” plays it. Choose another sound there first.", reason="in-use"
            )
        writing.connection.execute(update(table).where(table.c.id == key).values(removed=1))
        writing.record_event("sound.removed", Subject.PATH, key, sound.name)


def plays(body: dict, key: str) -> bool:
    """Whether a stored path plays a sound."""
    return any(
        step.get("sound") == key or any(more.get("sound") == key for more in step.get("also", ()))
        for step in body.get("steps", {}).values()
    )

"""Views of the number list that somebody gave a name: filters, columns and order, kept for
everybody in the organisation."""

from dataclasses import dataclass
from datetime import datetime
from typing import Any

from sqlalchemy import delete, insert, select
from sqlalchemy.exc import IntegrityError

from sedge.core.access.roles import May, allowed
from sedge.core.errors import Forbidden, NotAllowedNow, NotFound, NotUnderstood
from sedge.services.context import Context
from sedge.store.schema import projected

MOST_VIEWS = 100


@dataclass(frozen=True)
class SavedView:
    """`query` is the query string that shows it."""

    id: str
    name: str
    query: str
    created_by: str
    created_at: datetime
    owner: str = ""


def list_views(context: Context) -> list[SavedView]:
    view = projected.saved_view
    with context.reading() as reading:
        return [
            SavedView(*row)
            for row in reading.connection.execute(select(*_columns()).order_by(view.c.name))
        ]


def _columns() -> list[Any]:
    view = projected.saved_view
    return [
        view.c.id,
        view.c.name,
        view.c.query,
        view.c.created_by,
        view.c.created_at,
        view.c.owner,
    ]


def save(context: Context, name: str, query: str) -> SavedView:
    """Keep a view under a name; the same name by the same person replaces theirs. Raises
    NotUnderstood, NotAllowedNow."""
    context.require(May.NOTE)
    name = name.strip()
    if not 1 <= len(name) <= 80:
        raise NotUnderstood("Give the view a name of up to 80 characters.", field="name")
    if len(query) > 4000:
        raise NotUnderstood("This view is too long to be kept. Choose fewer numbers.", field="name")
    view = projected.saved_view
    with context.writing() as writing:
        writing.connection.execute(
            delete(view).where(view.c.name == name, view.c.owner == context.who.sign_in)
        )
        if len(writing.connection.execute(select(view.c.id)).all()) >= MOST_VIEWS:
            raise NotAllowedNow(
                f"{MOST_VIEWS} views are kept already. Remove one first.", reason="many"
            )
        saved = SavedView(
            context.new_id("view"), name, query, context.actor, writing.now, context.who.sign_in
        )
        try:
            writing.connection.execute(insert(view).values(**vars(saved)))
        except IntegrityError as error:
            raise NotAllowedNow(
                f"Somebody else has a view called “{name}”. Choose another name.",
                field="name",
                reason="exists",
            ) from error
        writing.touch()
    return saved


def forget(context: Context, key: str) -> None:
    """Remove a view: one's own, or as an administrator anybody's. Raises NotFound, Forbidden."""
    context.require(May.NOTE)
    view = projected.saved_view
    with context.writing() as writing:
        kept = writing.connection.execute(
            select(view.c.owner, view.c.created_by).where(view.c.id == key)
        ).first()
        if kept is None:
            raise NotFound("That view is gone already.", subject="view", id=key)
        if kept.owner != context.who.sign_in and not allowed(context.who.role, May.SET_RULES):
            raise Forbidden(
                f"{kept.created_by} saved this view. Ask them, or an administrator, to remove it."
            )
        writing.connection.execute(delete(view).where(view.c.id == key))
        writing.touch()

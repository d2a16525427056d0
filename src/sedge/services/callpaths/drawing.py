"""Drawing call paths: one draft for each path, changed step by step by whoever is at
it, with undo and redo; then published by a work order.
"""

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

from pydantic import ValidationError

from sedge.core.access.roles import May
from sedge.core.callpaths import editing
from sedge.core.callpaths.editing import Clip, Place
from sedge.core.callpaths.rules import called_of
from sedge.core.callpaths.steps import Path, named_by
from sedge.core.callpaths.tracing.compare import (
    Consequence,
    Difference,
    all_new,
    consequences,
    difference,
)
from sedge.core.callpaths.tracing.trace import path_of
from sedge.core.callpaths.tracing.world import Called
from sedge.core.errors import ChangedMeanwhile, NotAllowedNow, NotFound, NotUnderstood
from sedge.core.estate import Estate
from sedge.core.load_spec import LoadSpec
from sedge.core.records import RECORD_TYPES, Number, PathVersion, Site
from sedge.core.workorders.checks import judge
from sedge.core.workorders.findings import Finding, Level
from sedge.core.workorders.tasks import PlaceTestCall, PublishPath
from sedge.services.callpaths import paths
from sedge.services.context import Context, Reading, Writing
from sedge.services.when import moment_of
from sedge.services.workorders import drafts, workorders
from sedge.store.repositories import callpaths as store
from sedge.store.repositories.callpaths import Draft

MOST_PROVEN = 10
MOST_COMPARED = 12
NAME = 80


@dataclass(frozen=True)
class Drawing:
    """A draft with what stands beside it: the estate it is judged in, findings, names of all it
    names, the clipboard, and what is published."""

    draft: Draft
    estate: Estate
    findings: list[Finding]
    names: dict[str, str]
    clip: Clip | None
    published: PathVersion | None
    called: Called

    @property
    def is_overtaken(self) -> bool:
        return self.published is not None and self.published.number != self.draft.based_on

    @property
    def stops(self) -> int:
        return sum(1 for f in self.findings if f.level is Level.STOP)


def task_of(draft: Draft) -> PublishPath:
    return PublishPath(path=draft.path, name=draft.name, body=draft.body, based_on=draft.based_on)


def open_draft(context: Context, path: str) -> Drawing:
    """The draft of a path, with its findings. Raises NotFound where nobody draws it."""
    with context.reading() as reading:
        draft = _the(reading, path)
        estate = reading.estate(task_of(draft).needs() | LoadSpec(sites={draft.site}))
        clip = store.clip_of(reading.connection, context.who.sign_in)
    task = task_of(draft)
    findings = [f for f in judge(task, estate) if not f.is_pass]
    return Drawing(
        draft,
        estate,
        findings,
        names_in(draft.body, estate),
        clip,
        estate.get(PathVersion, path),
        _called(draft, estate),
    )


def _called(draft: Draft, estate: Estate) -> Called:
    called = called_of(draft.path, estate)[0]
    return (
        called
        if called.e164
        else Called(f"a number of {estate.the(Site, draft.site).name}", draft.site)
    )


def names_in(path: Path, estate: Estate) -> dict[str, str]:
    """People, groups, devices, systems and other paths that a path names, by id."""
    found: dict[str, str] = {}
    for step in path.model_dump(mode="json")["steps"].values():
        for subject, key in named_by(step):
            record = estate.get(RECORD_TYPES[subject], key)
            found[key] = getattr(record, "name", key) if record else key
    return found


def _the(reading: Reading, path: str) -> Draft:
    draft = store.draft(reading.connection, path)
    if draft is None:
        raise NotFound(
            "Nobody is drawing this call path. Open it, and choose to change it.",
            subject="draft",
            id=path,
        )
    return draft


# ── beginning and ending ──


def place_of(site: Site) -> Place:
    return Place(timezone=site.timezone, holidays_of=site.country, language=site.language)


def begin(context: Context, path: str) -> Draft:
    """Begin to change a published path, or go on where somebody left off."""
    context.require(May.CHANGE_ESTATE)
    with context.writing() as writing:
        known = store.draft(writing.connection, path)
        published = writing.records.find(PathVersion, path)
        if known and paths.is_done(known, published):
            store.drop(writing.connection, path)
            known = None
        if known is None:
            published = writing.records.the(PathVersion, path)
            site = _site_of(writing, published)
            context.require_site(site)
            known = Draft(
                path,
                published.name,
                site,
                published.number,
                1,
                context.now(),
                context.actor,
                Path.model_validate(published.body),
            )
            store.begin(writing.connection, known)
            writing.touch()
        else:
            context.require_site(known.site)
    return known


def _site_of(reading: Reading, published: PathVersion) -> str:
    """The site whose numbers follow a path; the first site where none does."""
    estate = reading.estate(LoadSpec(path_users={published.id}, paths={published.id}))
    number = next((n for n in estate.all(Number) if n.path == published.id), None)
    if number:
        return number.site
    return next(iter(reading.records.all(Site))).id


def begin_new(context: Context, name: str, site: str, body: Path | None = None) -> Draft:
    """Begin a path that is not there yet, empty or from a pattern. Raises NotUnderstood for a name
    that is no name, or is taken."""
    context.require(May.CHANGE_ESTATE)
    context.who.scope.require(site or None)
    name = named(name)
    with context.writing() as writing:
        where = writing.records.the(Site, site)
        draft = Draft(
            paths.free_key(writing, name),
            name,
            site,
            0,
            1,
            context.now(),
            context.actor,
            body or editing.empty(place_of(where)),
        )
        store.begin(writing.connection, draft)
        writing.touch()
    return draft


def named(name: str) -> str:
    name = name.strip()
    if not 1 <= len(name) <= NAME:
        raise NotUnderstood(f"A call path needs a name of at most {NAME} characters.", field="name")
    return name


def discard(context: Context, path: str) -> None:
    """Throw a draft away; what is published stays."""
    context.require(May.CHANGE_ESTATE)
    with context.writing() as writing:
        context.require_site(_the(writing, path).site)
        store.drop(writing.connection, path)
        writing.touch()


# ── changing ──

Change = Callable[[Path, Place], tuple[Path, str]]


def change_drawing(context: Context, path: str, was: int, do: Change, *, name: str = "") -> str:
    """Change a draft as far as nobody else has since `was`. Gives the step that is then looked at.

    Raises ChangedMeanwhile with who was faster; whatever editing raises.
    """
    context.require(May.CHANGE_ESTATE)
    with context.writing() as writing:
        draft = _guarded(context, writing, path, was)
        site = writing.records.the(Site, draft.site)
        try:
            body, step = do(draft.body, place_of(site))
        except ValidationError as error:
            raise editing.as_refusal(error) from error
        _kept(
            store.keep_draft(
                writing.connection,
                draft,
                body=body,
                name=named(name) if name else draft.name,
                at=context.now(),
                actor=context.actor,
            )
        )
        writing.touch()
    return step


def _guarded(context: Context, writing: Writing, path: str, was: int) -> Draft:
    draft = _the(writing, path)
    context.require_site(draft.site)
    if draft.version != was:
        raise ChangedMeanwhile(
            f"{draft.actor} has changed this drawing meanwhile, so your last step was not made."
            " Here is how it is now.",
            by=draft.actor,
        )
    return draft


def _kept(done: bool | None) -> None:
    if done is None:
        raise NotAllowedNow("There is nothing more to undo or redo.", reason="nothing-left")
    if not done:
        raise ChangedMeanwhile(
            "Somebody else has changed this drawing in the same moment. Here is how it is now."
        )


def step_back(context: Context, path: str, was: int, *, forward: bool = False) -> None:
    """Undo the last change of a draft, or redo it."""
    context.require(May.CHANGE_ESTATE)
    with context.writing() as writing:
        draft = _guarded(context, writing, path, was)
        _kept(
            store.step_back(
                writing.connection, draft, forward=forward, at=context.now(), actor=context.actor
            )
        )
        writing.touch()


def copy(context: Context, path: str, key: str) -> None:
    """A branch onto one's own clipboard, from where it can be put into any path."""
    with context.writing() as writing:
        store.put_clip(
            writing.connection, context.who.sign_in, editing.copy(_the(writing, path).body, key)
        )


def cut(context: Context, path: str, was: int, key: str) -> None:
    context.require(May.CHANGE_ESTATE)
    with context.writing() as writing:
        draft = _guarded(context, writing, path, was)
        body, clip = editing.cut(draft.body, key)
        store.put_clip(writing.connection, context.who.sign_in, clip)
        _kept(
            store.keep_draft(
                writing.connection,
                draft,
                body=body,
                name=draft.name,
                at=context.now(),
                actor=context.actor,
            )
        )
        writing.touch()


def paste(context: Context, path: str, was: int, key: str, way_out: str) -> str:
    """The clipboard's branch on an exit. Raises NotAllowedNow where nothing is on the clipboard."""
    with context.reading() as reading:
        clip = store.clip_of(reading.connection, context.who.sign_in)
    if clip is None:
        raise NotAllowedNow("Nothing has been cut or copied yet.", reason="empty-clipboard")
    return change_drawing(
        context, path, was, lambda body, _place: editing.paste(body, key, way_out, clip)
    )


def take_over(context: Context, path: str, was: int, number: int) -> None:
    """Let a draft be an earlier version of its path, or the one that was published meanwhile; what
    was drawn can be taken back."""
    context.require(May.CHANGE_ESTATE)
    with context.writing() as writing:
        draft = _guarded(context, writing, path, was)
        version = _version(writing, path, number)
        newest = writing.records.the(PathVersion, path).number
        body = Path.model_validate(version.body)
        kept = store.keep_draft(
            writing.connection,
            draft,
            body=body,
            name=draft.name,
            at=context.now(),
            actor=context.actor,
            based_on=newest,
        )
        _kept(kept)
        writing.touch()


def go_on_from_here(context: Context, path: str, was: int) -> None:
    """Keep what is drawn although another version has been published since: it will replace that
    one."""
    context.require(May.CHANGE_ESTATE)
    with context.writing() as writing:
        draft = _guarded(context, writing, path, was)
        newest = writing.records.the(PathVersion, path).number
        _kept(
            store.keep_draft(
                writing.connection,
                draft,
                body=draft.body,
                name=draft.name,
                at=context.now(),
                actor=context.actor,
                based_on=newest,
            )
        )
        writing.touch()


def _version(reading: Reading, path: str, number: int) -> PathVersion:
    version = store.version(reading.connection, path, number)
    if version is None:
        raise NotFound(f"There is no version {number} of this call path.", id=path, number=number)
    return version


# ── comparing ──


@dataclass(frozen=True)
class Compared:
    """An old and a new version, what is otherwise, and what the callers of each number will
    notice."""

    name: str
    old: Path
    new: Path
    old_words: str
    new_words: str
    difference: Difference
    names: dict[str, str]
    consequences: list[tuple[Called, list[Consequence]]]
    users: int


def compare(
    context: Context, path: str, *, old: int | None = None, new: int | None = None
) -> Compared:
    """Two versions of a path, by default the draft against what is published. Raises NotFound."""
    with context.reading() as reading:
        draft = store.draft(reading.connection, path)
        published = reading.records.find(PathVersion, path)
        before = _version(reading, path, old) if old is not None else published
        after = _version(reading, path, new) if new is not None else None
        if after is None and draft is None:
            raise NotFound(
                "Nobody is drawing this call path, so there is nothing to compare.",
                subject="draft",
                id=path,
            )
        body = (
            Path.model_validate(after.body)
            if after
            else draft.body
            if draft
            else editing.empty(Place())
        )
        was = Path.model_validate(before.body) if before else None
        task = PublishPath(
            path=path,
            name=draft.name if draft else published.name if published else path,
            body=body,
        )
        wanted = task.needs()
        estate = reading.estate(wanted | (task.copy_with(body=was).needs() if was else LoadSpec()))
    names = names_in(body, estate) | (names_in(was, estate) if was else {})
    users = [n for n in estate.all(Number) if n.path == path]
    listed = [
        (Called.number(n), found)
        for n in users[:MOST_COMPARED]
        if (
            found := consequences(
                Called.number(n), was or path_of(n, estate), body, estate, {path: body}
            )
        )
    ]
    return Compared(
        task.name,
        was or body,
        body,
        f"version {before.number}" if before else "nothing",
        f"version {new}" if new is not None else "the drawing",
        difference(was, body, names) if was else all_new(body),
        names,
        listed,
        len(users),
    )


# ── publishing ──


def publish(
    context: Context,
    path: str,
    was: int,
    *,
    run_at: str = "",
    prove: bool = False,
    reason: str = "",
) -> workorders.WorkOrder:
    """A work order that publishes the draft, still to be checked and run: now, or at a moment
    (local, as typed). With `prove` a test call is placed to numbers that follow it, ten at most,
    once it is in force."""
    context.require(May.CHANGE_ESTATE)
    at = moment_of(context, run_at, "run_at")
    drawing = open_draft(context, path)
    if drawing.draft.version != was:
        raise ChangedMeanwhile(
            f"{drawing.draft.actor} has changed this drawing meanwhile. Open it again before it"
            " is published."
        )
    tasks: list[Any] = [task_of(drawing.draft)]
    if prove:
        users = [n.e164 for n in drawing.estate.all(Number) if n.path == path and n.holder][
            :MOST_PROVEN
        ]
        tasks += [PlaceTestCall(number=n, direction="in") for n in users]
    order = workorders.draft(context, f"Publish {drawing.draft.name}", tasks, reason=reason)
    return drafts.set_when(context, order.id, run_at=at) if at else order

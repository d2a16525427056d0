"""Drawing a call path: the picture one works on, the form of the chosen step beside it, and what
becomes of the drawing."""

from collections.abc import Callable
from typing import Annotated, Any
from urllib.parse import quote

from fastapi import Form, Request
from fastapi.responses import Response
from starlette.concurrency import run_in_threadpool

from sedge.core.access.roles import May
from sedge.core.callpaths import editing
from sedge.core.callpaths.editing import Place as Where
from sedge.core.callpaths.steps import Path
from sedge.core.errors import ChangedMeanwhile, NotFound, NotUnderstood
from sedge.services.callpaths import drawing, path_choices, paths
from sedge.services.context import Context
from sedge.services.holders import site_management
from sedge.web.callpaths import drawing_views as views
from sedge.web.callpaths import step_forms
from sedge.web.routing import Place, RequestContext
from sedge.web.shared.rendering import go, is_swap, render

place = Place()
Typed = Annotated[str, Form()]
Version = Annotated[int, Form()]


def shown(
    context: Context,
    key: str,
    step: str = "",
    way_out: str = "",
    *,
    said: str = "",
    outline: bool = False,
    along: bool = False,
) -> dict[str, Any]:
    """What the page of a drawing shows, with `step` chosen and perhaps one of its exits."""
    now = drawing.open_draft(context, key)
    chosen = step if step in now.draft.body.steps else ""
    choices = path_choices.choices(context, now.draft.site, now.draft.body.steps.get(chosen))
    return {
        "page": views.drawing_page(now, chosen, way_out, choices, outline=outline, along=along),
        "said": said,
    }


def redraw(
    request: Request,
    context: Context,
    key: str,
    step: str = "",
    way_out: str = "",
    *,
    said: str = "",
) -> Response:
    """After an action: the drawing anew, as a part for htmx, as a page without it."""
    if is_swap(request):
        address = f"/paths/{quote(key)}/draw" + (f"?step={quote(step)}" if step else "")
        return render(
            request,
            "_draw.html",
            headers={"HX-Replace-Url": address},
            **shown(context, key, step, way_out, said=said),
        )
    return go(request, f"/paths/{quote(key)}/draw?step={quote(step)}")


@place.page("/paths/draw", May.CHANGE_ESTATE)
def begin_page(request: Request, context: RequestContext, site: str = "") -> Response:
    sites = [(s.id, s.name) for s in site_management.plain_sites(context)]
    return render(request, "draw_new.html", sites=sites, site=site, patterns=path_choices.PATTERNS)


@place.action("/paths/draw", May.CHANGE_ESTATE)
def begin_new(
    request: Request,
    context: RequestContext,
    name: Typed = "",
    site: Typed = "",
    pattern: Typed = "",
) -> Response:
    """A new drawing: empty, or from a pattern."""
    body = path_choices.from_pattern(context, pattern, site) if pattern else None
    return go(request, f"/paths/{drawing.begin_new(context, name, site, body).path}/draw")


@place.action("/paths/{key}/draw", May.CHANGE_ESTATE)
def begin(request: Request, context: RequestContext, key: str) -> Response:
    return go(request, f"/paths/{drawing.begin(context, key).path}/draw")


@place.page("/paths/{key}/draw", May.CHANGE_ESTATE)
def page(
    request: Request,
    context: RequestContext,
    key: str,
    step: str = "",
    way_out: str = "",
    outline: str = "",
    along: str = "",
) -> Response:
    template = "_draw.html" if is_swap(request) else "draw.html"
    try:
        facts = shown(
            context, key, step[:40], way_out[:40], outline=bool(outline), along=bool(along)
        )
    except NotFound:  # an address that was kept since it was drawn
        if not paths.is_published(context, key):
            raise
        return go(request, f"/paths/{key}")
    return render(request, template, **facts)


# ── what one does with the picture ──


def _structure(
    request: Request, context: Context, key: str, version: int, do: drawing.Change, step: str = ""
) -> Response:
    """A change of the picture. Who was too slow sees how it is now; nothing they typed is lost by
    that."""
    try:
        return redraw(request, context, key, drawing.change_drawing(context, key, version, do))
    except ChangedMeanwhile as error:
        return redraw(request, context, key, step, said=error.message)


def _alone(do: Callable[[Path], Path], step: str = "") -> drawing.Change:
    return lambda body, _where: (do(body), step)


@place.action("/paths/{key}/draw/add", May.CHANGE_ESTATE)
def add(
    request: Request,
    context: RequestContext,
    key: str,
    version: Version,
    kind: Typed,
    step: Typed = "",
    way_out: Typed = "",
    along: Typed = "",
) -> Response:
    """A new step at an exit, or `along` a line for all exits that it is drawn for."""

    def do(body: Path, where: Where) -> tuple[Path, str]:
        return editing.add(body, step, way_out, kind, where, along=bool(along))

    return _structure(request, context, key, version, do, step)


@place.action("/paths/{key}/draw/lead", May.CHANGE_ESTATE)
def lead(
    request: Request,
    context: RequestContext,
    key: str,
    version: Version,
    step: Typed,
    way_out: Typed,
    to: Typed = "",
) -> Response:
    """Let an exit lead to another step."""
    return _structure(
        request,
        context,
        key,
        version,
        _alone(lambda body: editing.redirect(body, step, way_out, to), step),
        step,
    )


@place.action("/paths/{key}/draw/move", May.CHANGE_ESTATE)
def move(
    request: Request,
    context: RequestContext,
    key: str,
    version: Version,
    step: Typed,
    to: Typed,
    way_out: Typed,
) -> Response:
    """Hang a branch on another exit."""
    return _structure(
        request,
        context,
        key,
        version,
        _alone(lambda body: editing.move(body, step, to, way_out), step),
        step,
    )


@place.action("/paths/{key}/draw/insert", May.CHANGE_ESTATE)
def insert(
    request: Request,
    context: RequestContext,
    key: str,
    version: Version,
    step: Typed,
    to: Typed,
    way_out: Typed,
) -> Response:
    """One step onto a line: what led to it goes on without it."""
    do = _alone(lambda body: editing.insert(body, step, to, way_out), step)
    return _structure(request, context, key, version, do, step)


@place.action("/paths/{key}/draw/begin-with", May.CHANGE_ESTATE)
def begin_with(
    request: Request, context: RequestContext, key: str, version: Version, step: Typed
) -> Response:
    return _structure(
        request,
        context,
        key,
        version,
        _alone(lambda body: editing.begin_with(body, step), step),
        step,
    )


@place.action("/paths/{key}/draw/remove", May.CHANGE_ESTATE)
def remove(
    request: Request, context: RequestContext, key: str, version: Version, step: Typed
) -> Response:
    return _structure(
        request, context, key, version, _alone(lambda body: editing.remove(body, step)), step
    )


@place.action("/paths/{key}/draw/copy", May.CHANGE_ESTATE)
def copy(request: Request, context: RequestContext, key: str, step: Typed) -> Response:
    drawing.copy(context, key, step)
    return redraw(
        request,
        context,
        key,
        step,
        said=(
            "Copied with all that hangs on it. Choose an exit to put it on, in this path or"
            " another."
        ),
    )


@place.action("/paths/{key}/draw/cut", May.CHANGE_ESTATE)
def cut(
    request: Request, context: RequestContext, key: str, version: Version, step: Typed
) -> Response:
    drawing.cut(context, key, version, step)
    return redraw(
        request,
        context,
        key,
        said=(
            "Cut out with all that hangs on it. Choose an exit to put it on, in this path or"
            " another."
        ),
    )


@place.action("/paths/{key}/draw/paste", May.CHANGE_ESTATE)
def paste(
    request: Request,
    context: RequestContext,
    key: str,
    version: Version,
    step: Typed,
    way_out: Typed,
) -> Response:
    return redraw(request, context, key, drawing.paste(context, key, version, step, way_out))


@place.action("/paths/{key}/draw/undo", May.CHANGE_ESTATE)
def undo(
    request: Request, context: RequestContext, key: str, version: Version, step: Typed = ""
) -> Response:
    drawing.step_back(context, key, version)
    return redraw(request, context, key, step)


@place.action("/paths/{key}/draw/redo", May.CHANGE_ESTATE)
def redo(
    request: Request, context: RequestContext, key: str, version: Version, step: Typed = ""
) -> Response:
    drawing.step_back(context, key, version, forward=True)
    return redraw(request, context, key, step)


@place.action("/paths/{key}/draw/step", May.CHANGE_ESTATE)
async def save_step(request: Request, context: RequestContext, key: str) -> Response:
    """The form of a step: its fields, and where its exits lead."""
    form = await request.form()
    step, version = str(form.get("step", "")), str(form.get("version", ""))
    if not version.isdigit():
        raise NotUnderstood(
            "The form doesn't say what it changes. Open the drawing again.", field="version"
        )

    def saved() -> str:
        def do(body: Path, _where: Where) -> tuple[Path, str]:
            known = editing.the_step(body, step)
            fields = step_forms.read(known, form, home=context.organisation.home_country)
            changed = editing.change_step(body, step, fields)
            for way_out, to in step_forms.exits(form):
                if way_out in editing.exits_of(changed.steps[step]) and to != changed.steps[
                    step
                ].exits.get(way_out, ""):
                    changed = editing.redirect(changed, step, way_out, to)
            return changed, step

        return drawing.change_drawing(context, key, int(version), do)

    return redraw(request, context, key, await run_in_threadpool(saved), said="")


@place.action("/paths/{key}/draw/name", May.CHANGE_ESTATE)
def rename(
    request: Request, context: RequestContext, key: str, version: Version, name: Typed = ""
) -> Response:
    drawing.named(name)
    drawing.change_drawing(context, key, version, lambda body, _where: (body, ""), name=name)
    return redraw(request, context, key)


@place.action("/paths/{key}/draw/drop-test", May.CHANGE_ESTATE)
def drop_test(
    request: Request, context: RequestContext, key: str, version: Version, name: Typed
) -> Response:
    def do(body: Path, _where: Where) -> tuple[Path, str]:
        return body.copy_with(tests=tuple(case for case in body.tests if case.name != name)), ""

    return _structure(request, context, key, version, do)


# ── what becomes of it ──


@place.action("/paths/{key}/draw/discard", May.CHANGE_ESTATE)
def discard(request: Request, context: RequestContext, key: str) -> Response:
    drawing.discard(context, key)
    return go(request, f"/paths/{quote(key)}" if paths.is_published(context, key) else "/paths")


@place.action("/paths/{key}/draw/publish", May.CHANGE_ESTATE)
def publish(
    request: Request,
    context: RequestContext,
    key: str,
    version: Version,
    run_at: Typed = "",
    prove: Typed = "",
    reason: Typed = "",
) -> Response:
    order = drawing.publish(
        context, key, version, run_at=run_at, prove=bool(prove), reason=reason[:200]
    )
    return go(request, f"/work-orders/{order.no}")


@place.action("/paths/{key}/draw/go-on", May.CHANGE_ESTATE)
def continue_from_here(
    request: Request, context: RequestContext, key: str, version: Version
) -> Response:
    """Keep the drawing although another version was published since it began."""
    drawing.go_on_from_here(context, key, version)
    return redraw(request, context, key)


@place.action("/paths/{key}/draw/take-over", May.CHANGE_ESTATE)
def take_over(
    request: Request,
    context: RequestContext,
    key: str,
    number: Annotated[int, Form()],
    version: Annotated[int, Form()] = 0,
) -> Response:
    """Begin, or go on, from a version that was published."""
    draft = drawing.begin(context, key)
    drawing.take_over(context, key, version or draft.version, number)
    return go(request, f"/paths/{quote(key)}/draw")


@place.page("/paths/{key}/compare", May.LOOK)
def compare(
    request: Request,
    context: RequestContext,
    key: str,
    old: int | None = None,
    new: int | None = None,
) -> Response:
    compared = drawing.compare(context, key, old=old, new=new)
    return render(
        request, "compare.html", page=views.compare_page(compared, key), compared=compared, key=key
    )

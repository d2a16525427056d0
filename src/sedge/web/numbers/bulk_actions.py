"""Several numbers at once: pasted or picked, looked at, and turned into one work order."""

from typing import Annotated

from fastapi import Form, Request
from fastapi.responses import Response
from starlette.concurrency import run_in_threadpool

from sedge.core.access.roles import May
from sedge.core.errors import NotUnderstood
from sedge.core.numbers.ranges import NumberSet
from sedge.services.numbers import bulk_actions, estate
from sedge.services.numbers.columns import chosen as chosen_columns
from sedge.services.workorders import workorders
from sedge.store.repositories.numbers import Filter
from sedge.web.numbers import views
from sedge.web.numbers.query import Query
from sedge.web.routing import Place, RequestContext
from sedge.web.shared.rendering import go, render

place = Place()
ACTS = {
    "assign": "Assign numbers",
    "reserve": "Reserve numbers",
    "unreserve": "Cancel reservations",
    "set-aside": "Set numbers aside",
    "return": "Return to available",
    "label": "Edit labels and tags",
    "feature": "Switch features",
    "unassign": "Unassign numbers",
    "end-rest": "End quarantine",
    "retire": "Retire numbers",
    "release": "Release numbers",
}
SHOWN = 200


@place.page("/numbers/chosen", May.LOOK)
def show_selection(
    request: Request, context: RequestContext, pick: str = "", act: str = "", unread: str = ""
) -> Response:
    """What is in a selection, what can be done with it, and the form of one act."""
    if not pick:
        raise NotUnderstood(
            "No numbers are chosen. Pick some on the maps or in the list, or paste them.",
            field="pick",
        )
    choice = bulk_actions.view_choice(context, pick)
    listing = (
        estate.list_numbers(context, Filter(chosen=choice.here), limit=SHOWN)
        if choice.here
        else None
    )
    columns = chosen_columns("", context.who.role)
    query = Query(view="list", pick=pick)
    return render(
        request,
        "chosen.html",
        choice=choice,
        act=act if act in ACTS else "",
        acts=[(key, words, choice.how_many(key)) for key, words in ACTS.items()],
        act_words=ACTS.get(act, ""),
        heads=[c.title for c in columns],
        rows=[views.row_view(r, columns, query) for r in listing.rows] if listing else [],
        states=[(s.value, n) for s, n in choice.by_state.most_common()],
        unknown=views.numbers_in_words(choice.unknown),
        query=query,
        pick=pick,
        unread=unread[:600],
        features=_offered(context, choice) if act == "feature" else [],
        copied="\n".join(f"+{n}" for n in list(choice.numbers)[:5000]),
    )


def _offered(context: RequestContext, choice: bulk_actions.Choice) -> list[tuple[str, str]]:
    return [(name, name) for name in bulk_actions.features_of(context, choice)]


@place.action("/numbers/chosen", May.LOOK)
async def choose(request: Request, context: RequestContext) -> Response:
    """Keep a selection: `numbers` with commas between, and `n` for each row that was ticked."""
    form = await request.form()
    ticked = [str(n) for n in form.getlist("n")]
    written = ",".join([str(form.get("numbers", "")), *ticked]).strip(",")
    return await run_in_threadpool(_choose, request, context, written, str(form.get("act", "")))


def _choose(request: Request, context: RequestContext, written: str, act: str) -> Response:
    numbers = NumberSet.parse(written, most=bulk_actions.MOST_CHOSEN)
    if not numbers:
        raise NotUnderstood(
            "No numbers are picked. Tick some rows, or pick cells of a map.", field="numbers"
        )
    return go(request, views.chosen_link(bulk_actions.keep_choice(context, numbers), act))


@place.page("/numbers/paste", May.LOOK)
def paste_page(request: Request, text: str = "") -> Response:
    return render(request, "paste.html", text=text[:2000])


@place.action("/numbers/paste", May.LOOK)
def paste(request: Request, context: RequestContext, text: Annotated[str, Form()] = "") -> Response:
    found = bulk_actions.pasted(context, text)
    return go(
        request,
        views.chosen_link(bulk_actions.keep_choice(context, found.numbers), unread=found.unread),
    )


@place.action("/numbers/chosen/{act}", May.CHANGE_ESTATE)
async def begin(request: Request, context: RequestContext, act: str) -> Response:
    form = {key: str(value).strip() for key, value in (await request.form()).items()}
    return await run_in_threadpool(_begin, request, context, act, form)


def _begin(request: Request, context: RequestContext, act: str, form: dict[str, str]) -> Response:
    tasks, title = bulk_actions.plan(
        context, act, bulk_actions.view_choice(context, form.get("pick", "")), form
    )
    made = workorders.draft(context, title, tasks, reason=form.get("reason", ""), look=True)
    return go(request, f"/work-orders/{made.no}")

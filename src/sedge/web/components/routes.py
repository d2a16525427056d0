"""Every part of the interface side by side, in light and dark: present in the demo and in tests
only."""

from datetime import timedelta

from fastapi import Request
from fastapi.responses import Response

from sedge.core.access.roles import May
from sedge.core.callpaths.patterns import Choice, DeskForm, plan_desk
from sedge.core.callpaths.steps import Opening
from sedge.core.callpaths.tracing.trace import Happening
from sedge.core.errors import NotFound
from sedge.core.facts import money
from sedge.core.numbers.life import State
from sedge.services.numbers.numbers import Stretch
from sedge.web.routing import Place, RequestContext
from sedge.web.shared.drawings.blockmap import MapCell, block_map, legend_shape
from sedge.web.shared.drawings.pathmap import path_map
from sedge.web.shared.drawings.strip import strip
from sedge.web.shared.rendering import render

place = Place()
SHOWN = tuple(s for s in State if s not in {State.RELEASED, State.PORTED_OUT, State.CLOSED})


@place.page("/components", May.LOOK)
def components(request: Request, context: RequestContext) -> Response:
    if not context.installation.settings.demo:
        raise NotFound(
            "There is no such page. The address may be mistyped, or what was there is gone."
        )
    now, day = context.now(), timedelta(days=1)
    cells = [
        MapCell(441134960100 + i, SHOWN[i % len(SHOWN)], SHOWN[i % len(SHOWN)].value)
        for i in range(40)
    ]
    life = [
        Stretch(State.ON_ORDER, "", now - 200 * day, now - 199 * day),
        Stretch(State.AVAILABLE, "", now - 199 * day, now - 120 * day),
        Stretch(State.ASSIGNED, "Ifeoma Okafor", now - 120 * day, now - 30 * day),
        Stretch(State.AGING, "", now - 30 * day, None),
    ]
    hours = Opening(weekdays=(0, 1, 2, 3, 4), start="09:00", end="17:00")
    choices = (
        Choice(key="1", word="visits", people=("a",)),
        Choice(key="2", word="schools", people=("b",), way="in order"),
    )
    path = plan_desk(
        DeskForm(
            timezone="Europe/London",
            openings=(hours,),
            greeting="For visits press 1, for schools 2.",
            choices=choices,
            recipients=("a",),
        )
    )
    return render(
        request,
        "components.html",
        states=[(legend_shape(s), s.value) for s in SHOWN],
        map=block_map("+441134960100", cells, chosen=441134960104),
        strip=strip(life, now),
        path=path_map(
            path,
            {"a": "Ifeoma Okafor", "b": "Piet Lindqvist"},
            [("hours", "open"), ("menu", "1")],
            "choice-1",
            above=("0113 496 0200", "0131 496 0999"),
        ),
        price=money("12.40", "GBP"),
        story=[
            Happening(0, "hours", "Hours", "open."),
            Happening(7, "ring", "Ring", "no phone registered.", wrong=True),
        ],
        hold_ends=now + timedelta(minutes=14),
    )

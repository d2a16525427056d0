"""Finding what registers itself: routers in the modules of areas, and the order in which their
routes are tried."""

from collections.abc import Iterable
from types import ModuleType
from typing import Any, TypeVar

from fastapi import APIRouter
from starlette.routing import BaseRoute, Match, NoMatchFound, Route
from starlette.types import Receive, Scope, Send

from sedge import traces
from sedge.module_search import modules_of

Router = TypeVar("Router", bound=APIRouter)
CHOSEN = "sedge.route"  # where the index keeps the route it has chosen, in the scope of a request


def routers_in(package: ModuleType, kind: type[Router]) -> tuple[Router, ...]:
    """Every router of a kind that a module below the package defines, each once."""
    found = {
        id(value): value
        for module in modules_of(package)
        for value in vars(module).values()
        if isinstance(value, kind)
    }
    return tuple(found.values())


def in_order(routers: Iterable[APIRouter]) -> list[Route]:
    """The routes of all routers, plain segments before parameters, so that `/paths/week` is tried
    before `/paths/{key}`."""
    return sorted(
        (route for router in routers for route in router.routes if isinstance(route, Route)),
        key=_plain_first,
    )


def _plain_first(route: Route) -> tuple[object, ...]:
    return tuple((part.startswith("{"), ":path}" in part, part) for part in route.path.split("/"))


class RouteIndex(BaseRoute):
    """Stands before all routes of an application and tries only those that share the first plain
    segments of a path.

    Trying some 600 routes one by one took 5 ms of each request; of one place there are 90 at most.
    """

    def __init__(self, routes: Iterable[Route]) -> None:
        self.sections: dict[str, list[Route]] = {}
        for route in routes:
            self.sections.setdefault(_section(route.path), []).append(route)

    def matches(self, scope: Scope) -> tuple[Match, Scope]:
        partial: tuple[Match, Scope] = (Match.NONE, {})
        if scope["type"] != "http":
            return partial
        for route in self.sections.get(_section(scope["path"]), ()):
            match, child = route.matches(scope)
            if match is Match.FULL:
                return match, {**child, CHOSEN: route}
            if match is Match.PARTIAL and partial[0] is Match.NONE:
                partial = match, {**child, CHOSEN: route}
        return partial

    async def handle(self, scope: Scope, receive: Receive, send: Send) -> None:
        traces.name_request(scope["method"], scope[CHOSEN].path)
        await scope[CHOSEN].handle(scope, receive, send)

    def url_path_for(self, name: str, /, **path_params: Any) -> Any:
        raise NoMatchFound(name, path_params)  # the routes themselves are asked for their addresses


def _section(path: str) -> str:
    """The plain segments by which routes are sorted: the first, and after `/api/v1` the third
    too."""
    parts = path.split("/", 4)
    return "/".join(parts[1:4]) if parts[1:3] == ["api", "v1"] else parts[1]

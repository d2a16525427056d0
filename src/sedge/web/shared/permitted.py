"""What a role may not use or see is not on its pages, whatever a template forgot.

After a page is drawn for somebody who may not do everything, links to pages they may not open lose
their address, buttons that look like links and forms they may not send are left out, and amounts
are hidden from who may not see money. Assumes the markup of our own templates: attributes in double
quotes, no forms within forms, no links within links.
"""

import re
from collections.abc import Callable, Iterable
from functools import lru_cache
from html import unescape

from fastapi.routing import APIRoute
from starlette.routing import BaseRoute

from sedge.core.access.hiding import hide_amounts
from sedge.core.access.roles import AccessRole, May, allowed
from sedge.web.routing import Guard

LINK = re.compile(
    r'<a\b(?P<before>[^>]*?)\s+href="(?P<to>/[^"]*)"(?P<after>[^>]*)>(?P<words>.*?)</a>', re.DOTALL
)
FORM = re.compile(
    r'<form\b[^>]*?\bmethod="post" action="(?P<to>/[^"]*)"[^>]*>.*?</form>', re.DOTALL
)
BUTTON = re.compile(r'\bclass="act\b')
Routes = list[tuple[str, re.Pattern[str], May]]


class Permitted:
    """Pages as each role may see them; `routes` are those of all pages, in the order in which they
    are tried."""

    def __init__(self, routes: Iterable[BaseRoute]) -> None:
        self._routes: Routes = [
            (method, route.path_regex, guard.may)
            for route in routes
            if isinstance(route, APIRoute)
            for guard in (d.call for d in route.dependant.dependencies)
            if isinstance(guard, Guard)
            for method in route.methods or ()
        ]
        self._asks = lru_cache(maxsize=20_000)(self._look_up)

    def _look_up(self, method: str, path: str) -> May | None:
        return next(
            (may for m, regex, may in self._routes if m == method and regex.match(path)), None
        )

    def opens(self, role: AccessRole, to: str, method: str = "GET") -> bool:
        """Whether somebody in a role may open an address of ours. Anything that is no page is left
        to itself."""
        asks = self._asks(method, re.split(r"[?#]", unescape(to))[0])
        return asks is None or allowed(role, asks)

    def page(self, role: AccessRole, html: str) -> str:
        """The page without what the role may not use or see."""
        if role is AccessRole.ADMINISTRATOR:
            return html
        html = LINK.sub(lambda m: self._link(role, m), html)
        html = FORM.sub(lambda m: m[0] if self.opens(role, m["to"], "POST") else "", html)
        return html if allowed(role, May.SEE_MONEY) else hide_amounts(html)

    def _link(self, role: AccessRole, found: re.Match[str]) -> str:
        if self.opens(role, found["to"]):
            return found[0]
        if BUTTON.search(found["before"] + found["after"]):
            return ""
        return f"<a{found['before']}{found['after'].replace(' data-row', '')}>{found['words']}</a>"


def opener(permitted: Permitted, role: AccessRole | None) -> Callable[[str], bool]:
    """For templates: whether a link may be followed."""
    return lambda to: role is not None and permitted.opens(role, to)

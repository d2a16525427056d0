"""Every page of the demo as every role: no link and no button leads where the role may not go, and
prices are shown to nobody who may not see them."""

import re
from html import unescape
from html.parser import HTMLParser
from typing import get_args
from urllib.parse import urljoin, urlsplit

import pytest
from fastapi.routing import APIRoute

from sedge.app import PLACES
from sedge.core.access.roles import May, allowed
from sedge.core.workorders.findings import Leads
from sedge.demo.seed import MEMBERS
from sedge.services.ledger import ledger
from sedge.web.routing import Guard
from sedge.web.workorders.views import LEADS_TO

ROUTES = [
    (
        method,
        route.path,
        route.path_regex,
        next(d.call.may for d in route.dependant.dependencies if isinstance(d.call, Guard)),
    )
    for place in PLACES
    for route in place.routes
    if isinstance(route, APIRoute)
    for method in route.methods
]
OF_EACH = 2  # addresses looked at for each route
AMOUNT = re.compile(r"[£€$¥]\s?\d")


def route_of(method, path):
    return next(
        ((pattern, may) for m, pattern, regex, may in ROUTES if m == method and regex.match(path)),
        (None, None),
    )


class Page(HTMLParser):
    """The links and forms of a page, and what of it can be read."""

    def __init__(self, markup):
        super().__init__()
        self.links, self.forms, self.text, self._hidden = [], [], [], 0
        self.feed(markup)

    def handle_starttag(self, tag, attrs):
        found = dict(attrs)
        if tag == "a" and found.get("href"):
            self.links.append(found["href"])
        if tag == "form" and found.get("method") != "dialog":
            self.forms.append(((found.get("method") or "get").upper(), found.get("action") or ""))
        for name, method in (("hx-get", "GET"), ("hx-post", "POST")):
            if found.get(name):
                self.forms.append((method, found[name]))
        self._hidden += tag in {"script", "style"}

    def handle_endtag(self, tag):
        self._hidden -= tag in {"script", "style"}

    def handle_data(self, data):
        if not self._hidden:
            self.text.append(data)


def crawl(client):
    """(address, page) of everything that links lead to from Today, some addresses of each route."""
    seen, waiting, visited = {"/"}, ["/"], {}
    while waiting:
        address = waiting.pop(0)
        path = urlsplit(address).path
        pattern, _ = route_of("GET", path)
        if pattern is None or path.startswith("/static") or visited.get(pattern, 0) >= OF_EACH:
            continue
        visited[pattern] = visited.get(pattern, 0) + 1
        answer = client.get(address)
        if "text/html" not in answer.headers.get("content-type", ""):
            yield address, answer, None
            continue
        page = Page(answer.text)
        yield address, answer, page
        for link in page.links + [where for method, where in page.forms if method == "GET"]:
            there = urljoin(address, unescape(link)).partition("#")[0]
            if there.startswith("/") and there not in seen:
                seen.add(there)
                waiting.append(there)


@pytest.mark.parametrize(
    "member", [m for m in MEMBERS if m.sign_in != "leila"], ids=lambda m: m.role.value
)
def test_a_role_finds_only_what_it_may_use(shared, member):
    shared.cookies.clear()
    shared.post("/sign-in", data={"who": member.sign_in})
    wrong, pages = [], 0
    for address, answer, page in crawl(shared):
        pages += 1
        if answer.status_code not in {200, 303}:
            wrong.append((address, answer.status_code))
        if page is None:
            continue
        for method, action in page.forms:
            where = urlsplit(urljoin(address, action)).path
            pattern, may = route_of(method, where)
            assert pattern, (address, method, where)
            if not allowed(member.role, may):
                wrong.append((address, method, where, may.value))
        if not allowed(member.role, May.SEE_MONEY) and answer.status_code == 200:
            told = " ".join(" ".join(page.text).split())
            wrong += [
                (address, told[max(0, m.start() - 60) : m.end() + 20])
                for m in AMOUNT.finditer(told)
            ][:2]
    assert pages > 60
    assert not wrong, "\n".join(map(str, wrong))


@pytest.mark.parametrize("pattern", [*LEADS_TO.values(), *ledger.PAGES.values()])
def test_what_remedies_and_the_ledger_lead_to_is_a_page(pattern):
    there = urlsplit(pattern.format("some-id", id="some-id", n="441134960100")).path
    assert route_of("GET", there) != (None, None), there


def test_every_place_a_remedy_can_lead_to_has_its_page():
    assert set(LEADS_TO) == set(get_args(Leads))

"""From Today every page is reached by links one sees, in at most three clicks, and says where one
is."""

import re
from collections import defaultdict
from html import unescape
from urllib.parse import parse_qs, urljoin, urlsplit

import pytest

from sedge.app import ROUTES
from sedge.web.shared.rendering import PLACES, WEB
from sedge.web.shared.sections import SECTIONS

CLICKS = 3
SAME_KIND = 1  # addresses tried of each route: of hundreds of numbers one page is like the other
IN_THE_MENU = (
    "/organisations",
    "/components",
    "/help",
    "/account",
    "/system",
)  # belong to no place
LINK = re.compile(r"<a\b[^>]*?\bhref=\"([^\"#]+)[\"#]")
# reached by who has no account, or not at all where all is well
ELSEWHERE = {
    "sign_in.html": "before signing in",
    "welcome.html": "from an invitation",
    "confirm.html": "from a link that is mailed",
    "phone_link.html": "from a link that is mailed",
    "problem.html": "when something is wrong",
    "standins_panel.html": "another service's own page",
}
# and after somebody has chosen, uploaded, ordered or asked something
AFTER_A_FORM = {
    "trunk_secret.html": "a secret made anew is shown once",
    "invoice_columns.html": "an invoice uploaded whose columns nobody knows",
    "call_file.html": "a file of call records uploaded",
    "chosen.html": "numbers chosen in the list",
    "connection.html": "external numbers connected",
    "deposit.html": "an amount typed",
    "first_account.html": "a carrier with no account yet",
    "hold.html": "numbers held",
    "new_key.html": "a new key asked for",
    "number_file.html": "a file uploaded",
    "opened_accounts.html": "accounts opened",
    "plan_accounts.html": "accounts typed",
    "port_compared.html": "a bill uploaded",
    "safety_report.html": "an emergency test begun",
    "take_over.html": "files uploaded",
    "take_over_columns.html": "files uploaded",
    "door.html": "somebody who has forgotten a password, or proves again who they are",
    "door_code.html": "a password given, and a second factor asked for",
    "door_set_up.html": "an authenticator set up, asked for with the password",
    "first_run.html": "an installation without any organisation",
    "recovery_codes.html": "an authenticator set up",
    "template_kept.html": "a work order kept as a template",
}


def pages():
    """Every template that is a page of its own."""
    return {
        path.name
        for path in WEB.rglob("templates/*.html")
        if '{% extends "base.html" %}' in path.read_text()
    }


def route_of(path):
    return next(
        (
            r.path
            for r in ROUTES
            if "GET" in (getattr(r, "methods", None) or ()) and r.path_regex.match(path)
        ),
        None,
    )


@pytest.fixture(scope="module")
def crawled(reader):
    """Clicks to each template, and the page of each address."""
    clicks, drawn, tried = {}, {}, defaultdict(set)
    environment = reader.app.state.templates
    whole = environment.get_template

    def get_template(name, *args, **kwargs):
        seen.append(name)
        return whole(name, *args, **kwargs)

    environment.get_template = get_template
    try:
        ahead = [("/", 0)]
        for address, depth in ahead:
            seen: list[str] = []
            answer = reader.get(address, follow_redirects=True)
            assert answer.status_code == 200, address
            if not answer.headers["content-type"].startswith("text/html"):
                continue
            drawn[address] = answer.text
            for name in seen:
                clicks.setdefault(name, depth)
            if depth == CLICKS:
                continue
            for href in LINK.findall(answer.text):
                onward = urljoin(address, unescape(href))
                route = route_of(urlsplit(onward).path)
                kind = route, next(iter(parse_qs(urlsplit(onward).query)), None)
                if urlsplit(onward).netloc or route is None or len(tried[kind]) >= SAME_KIND:
                    continue
                if onward not in tried[kind]:
                    tried[kind].add(onward)
                    ahead.append((onward, depth + 1))
    finally:
        environment.get_template = whole
    return clicks, drawn


def test_every_page_is_reached_in_three_clicks(crawled):
    clicks, _ = crawled
    assert sorted(pages() - set(clicks) - set(ELSEWHERE) - set(AFTER_A_FORM)) == []


def test_every_page_marks_its_place_and_its_section(crawled):
    _, drawn = crawled
    rows = {key for key, *_ in PLACES if len(SECTIONS.get(key, ())) > 1}
    lost = []
    for address, page in drawn.items():
        if 'class="places"' not in page or address.startswith(IN_THE_MENU):
            continue
        place = re.search(r'href="([^"]+)" data-go="."\s+aria-current="page"', page)
        key = next((k for k, _, href, _ in PLACES if place and href == place[1]), None)
        if key is None or (key in rows and 'aria-current="true"' not in page):
            lost.append(address)
    assert lost == []

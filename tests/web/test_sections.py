"""Two levels of navigation: every page says where it is, every section and every page that the
finder knows opens, and nobody is led where they may not go."""

import re
from html import unescape

import pytest
from starlette.testclient import TestClient

from sedge.web.shared.page_finder import all_pages, pages_found
from sedge.web.shared.sections import SECTIONS, sections_of, way_to
from sedge.web.shared.terms import TERMS, anchor

SIGN_INS = {
    "administrator": "rowan",
    "site manager": "leila",
    "help desk": "declan",
    "finance": "marta",
    "safety officer": "gethin",
}


def everybody(_href):
    return True


def row_of(text):
    """The sections that a page shows, and which of them is marked."""
    found = re.search(r'<nav class="sections".*?</nav>', text, re.DOTALL)
    if not found:
        return [], []
    links = re.findall(r'<a href="([^"]+)"( aria-current="true")?>', found[0])
    return [href for href, _ in links], [href for href, is_here in links if is_here]


@pytest.mark.parametrize(
    ("place", "href"), [(place, s.href) for place, row in SECTIONS.items() for s in row]
)
def test_every_section_opens_and_is_marked_there_in_its_place(reader, place, href):
    answer = reader.get(href)
    assert answer.status_code == 200
    shown, here = row_of(answer.text)
    assert shown == [s.href for s in SECTIONS[place]]
    assert here == [href]


@pytest.mark.parametrize("page", all_pages(), ids=lambda p: p.href)
def test_every_page_the_finder_knows_opens(reader, page):
    assert reader.get(page.href).status_code == 200


@pytest.mark.parametrize(
    ("path", "here"),
    [
        ("/numbers/441134960142", "/numbers"),
        ("/numbers/take-over", "/numbers/files"),
        ("/numbers/files/a-file", "/numbers/files"),
        ("/numbersome", "/numbers"),
        ("/holders/people/ada", "/holders"),
        ("/holders/sites/leeds/set-up", "/holders/sites"),
        ("/holders/new/site", "/holders/sites"),
        ("/holders/new/line", "/holders/lines"),
        ("/holders/new/person", "/holders"),
    ],
)
def test_a_page_belongs_to_the_section_whose_address_it_continues(path, here):
    place = path.split("/")[1]
    row = sections_of("numbers" if place.startswith("number") else place, path, everybody)
    assert [s.href for s in row if s.is_here] == [here]


def test_a_place_of_which_one_section_may_be_opened_shows_no_row():
    assert sections_of("numbers", "/numbers", lambda href: href == "/numbers") == []
    assert sections_of("licences", "/", everybody) == []


@pytest.mark.parametrize("role", SIGN_INS)
def test_nobody_is_led_where_they_may_not_go(shared, role):
    # a client of its own: the shared one stays signed in as it is
    own = TestClient(shared.app, base_url=shared.base_url, follow_redirects=False)
    own.post("/sign-in", data={"who": SIGN_INS[role]})
    for href in ("/numbers", "/holders", "/safety", "/paths", "/work-orders"):
        shown, here = row_of(own.get(href).text)
        assert [own.get(section).status_code for section in shown] == [200] * len(shown)
        assert len(here) == (1 if shown else 0)


@pytest.mark.parametrize(
    ("typed", "first"),
    [
        ("ports in", "/ports"),
        ("port", "/ports"),
        ("new person", "/holders/new/person"),
        ("add employee", "/holders/new/person"),
        ("import numbers", "/numbers/files"),
        ("emergency test", "/safety/tests"),
        ("cpl", "/paths/bring-in"),
        ("relase", None),
        ("leavr", "/work-orders/templates/leaver"),
        ("garnet", None),
        ("999", None),
        ("x", None),
        ("", None),
    ],
)
def test_pages_are_found_by_name_by_what_one_does_there_and_with_a_slip(typed, first):
    found = pages_found(typed, everybody)
    assert (found[0].href if found else None) == first
    assert len(found) <= 5


def test_the_very_name_comes_first_and_what_may_not_be_opened_never():
    assert [p.title for p in pages_found("site", everybody)][:2] == ["Sites", "New site"]
    assert pages_found("new site", lambda href: not href.startswith("/holders/new")) == []


def test_the_finder_shows_pages_after_what_is_called_so(reader):
    text = reader.get("/find", params={"find": "reception"}).text
    assert re.findall(r"<h2[^>]*>([^<]+)</h2>", text)[-1] == "Pages"
    only = reader.get("/find/open", params={"find": "verify the ledger"}, follow_redirects=False)
    assert only.headers["location"] == "/ledger/verify"


@pytest.mark.parametrize(
    ("typed", "opened"),
    [
        ("okafor", "/holders/people/person-bram-okafor"),
        ("ifeoma okafor", "/holders/people/person-ifeoma-okafor"),
        ("canal", "/holders/sites/canal-museum"),
        ("licences", "/licences"),
        ("0113 496 0100", "/numbers?number=441134960100&find=0113+496+0100"),
        ("0113 496", "/numbers?find=0113+496"),
        ("schol visits", "/numbers?find=schol+visits"),  # a slip: somebody looks first
        ("garnet", "/numbers?find=garnet"),
    ],
)
def test_enter_opens_the_best_of_a_name_and_the_list_for_digits(reader, typed, opened):
    answer = reader.get("/find/open", params={"find": typed}, follow_redirects=False)
    assert answer.headers["location"] == opened
    chosen = re.findall(
        r'href="([^"]+)"[^>]*aria-selected="true"', reader.get("/find", params={"find": typed}).text
    )
    assert [unescape(c) for c in chosen] == ([] if opened.startswith("/numbers?find") else [opened])


def test_all_numbers_that_fit_stand_behind_the_first_of_them(reader):
    text = unescape(reader.get("/find", params={"find": "okafor"}).text)
    assert 'href="/numbers?find=okafor"' in text


def test_a_section_counts_the_lines_of_today_that_lead_into_it():
    waiting = [
        "/ports/abc",
        "/ports/def",
        "/port-outs/x",
        "/supply/papers?site=a",
        "/work-orders/7",
    ]
    row = {s.name: s.waiting for s in sections_of("supply", "/supply", everybody, waiting)}
    assert (row["Ports in"], row["Ports out"], row["Documents"]) == (2, 1, 1)
    assert row["Search"] == 0


PLACES = [("holders", "Holders", "/holders", None), ("ledger", "Ledger", "/ledger", None)]


@pytest.mark.parametrize(
    ("place", "path", "way"),
    [
        ("holders", "/holders", []),
        ("holders", "/holders/sites", []),
        ("holders", "/holders/people/x", [("Holders", ""), ("People", "/holders")]),
        ("holders", "/holders/sites/x", [("Holders", "/holders"), ("Sites", "/holders/sites")]),
        ("ledger", "/ledger/verify", [("Ledger", "/ledger")]),
        ("nowhere", "/components", []),
    ],
)
def test_a_page_below_a_section_says_where_it_is(place, path, way):
    assert way_to(place, path, everybody, PLACES) == way


def test_the_latest_changes_stand_by_day_and_lead_to_what_changed(reader):
    page = reader.get("/activity").text
    assert len(re.findall(r'<h2 class="minor">\d+ \w+ \d{4}</h2>', page)) > 1
    assert 'href="/ports/' in page


def test_files_of_pages_are_kept_for_good_under_an_address_that_changes_with_them(reader):
    style = re.search(r'href="(/static/[0-9a-f]{12}/built/sedge.css)"', reader.get("/").text)[1]
    assert "immutable" in reader.get(style).headers["cache-control"]
    plain = reader.get("/static/built/sedge.css")
    assert "immutable" not in plain.headers["cache-control"]
    assert plain.text == reader.get(style).text


def test_the_stream_of_changes_begins_with_the_counter_of_now(reader):
    answer = reader.get("/events")
    assert answer.headers["content-type"].startswith("text/event-stream")
    change_counter = reader.get("/changes?since=-1").json()["change_counter"]
    assert f"data: {change_counter}\n\n" in answer.text


def test_the_head_is_given_alone_to_a_page_whose_counts_are_old(reader):
    answer = reader.get("/head", params={"place": "safety", "at": "/safety/tests"})
    sections, here = row_of(answer.text)
    assert sections == [s.href for s in SECTIONS["safety"]]
    assert here == ["/safety/tests"]
    assert 'aria-current="page"' in answer.text
    assert "<main" not in answer.text


def test_help_explains_every_word_and_links_only_what_may_be_opened(client):
    client.post("/sign-in", data={"who": "declan"})  # sees no money
    page = client.get("/help").text
    for word in TERMS:
        assert f'<dt id="{anchor(word)}">{word}</dt>' in page
    assert 'href="/safety/tests"' in page
    assert 'href="/port-outs"' not in page

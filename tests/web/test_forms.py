"""Forms as a browser without JavaScript sends them: what each makes, and what it says beside which
field."""

import html
import json
import re

import pytest

from sedge.demo.seed import MEMBERS
from sedge.store.schema import mails
from tests.conftest import in_one_line, until_quiet

HTMX = {"HX-Request": "true"}


def sent(client, at, **data):
    """A form that must be taken; where it leads."""
    answer = client.post(at, data=data)
    assert answer.status_code == 303, answer.text
    return answer.headers["location"]


def refused(client, at, **data):
    """A form that must not be taken; the field and the sentence."""
    answer = client.post(at, data=data, headers=HTMX)
    assert 400 <= answer.status_code < 500, answer.text
    problem = json.loads(answer.headers["Sedge-Problem"])
    return problem["field"], problem["message"]


def text(client, path, **params):
    answer = client.get(path, params=params)
    assert answer.status_code == 200, answer.text
    return answer.text


def page_of(client, path):
    """The page without marks, its spaces made one."""
    return re.sub(r"\s+", " ", re.sub(r"<[^>]+>", " ", text(client, path)))


# ── call paths ──

DESK = {
    "site": "canal-museum",
    "name": "Canal, learning desk",
    "days1": ["0", "1", "2", "3", "4"],
    "from1": "09:30",
    "to1": "16:30",
    "closed1": "2026-12-24",
    "until1": "2027-01-02",
    "because1": "winter break",
    "greeting": "For schools, press 1. For everything else, press 2.",
    "word1": "schools",
    "way1": "queue",
    "word2": "anything else",
    "way2": "in order",
    "reason": "schools ask for it",
}


def people_of(client, site="canal-museum"):
    form = text(client, "/paths/new", site=site)
    return re.findall(r'<option value="(person-[^"]+)"', form.split('id="recipients"')[1])


def context(client, **changes):
    one, two, three = people_of(client)[:3]
    return {**DESK, "people1": [one, two], "people2": [three], "recipients": [one], **changes}


def test_a_call_path_is_made_from_a_form_checked_published_and_followed(rowan, installation):
    order = sent(rowan, "/paths/new", **context(rowan))
    assert "Publish Canal, learning desk" in page_of(rowan, order)
    rowan.post(order + "/run")
    until_quiet(installation)
    listed = text(rowan, "/paths")
    key = re.search(r'href="/paths/(canal-learning-desk[^"/]*)"', listed).group(1)
    path = page_of(rowan, f"/paths/{key}")
    for words in ("schools", "anything else", "09:30 to 16:30", "Mailbox"):
        assert words in path


def test_the_form_of_a_path_holds_what_was_published(rowan, installation):
    order = sent(rowan, "/paths/new", **context(rowan))
    rowan.post(order + "/run")
    until_quiet(installation)
    key = re.search(r'href="/paths/(canal-learning-desk[^"/]*)"', text(rowan, "/paths")).group(1)
    form = text(rowan, f"/paths/{key}/change")
    for value in (
        'value="09:30"',
        'value="16:30"',
        'value="2026-12-24"',
        'value="2027-01-02"',
        'value="winter break"',
        'value="schools"',
    ):
        assert value in form
    assert "For schools, press 1. For everything else, press 2." in form
    assert "has a shape of its own" not in form


def test_changing_a_path_makes_a_second_version_and_undo_the_first_again(rowan, installation):
    order = sent(rowan, "/paths/new", **context(rowan))
    rowan.post(order + "/run")
    until_quiet(installation)
    key = re.search(r'href="/paths/(canal-learning-desk[^"/]*)"', text(rowan, "/paths")).group(1)
    change = sent(rowan, f"/paths/{key}/change", **context(rowan, to1="18:00"))
    rowan.post(change + "/run")
    until_quiet(installation)
    assert "09:30 to 18:00" in page_of(rowan, f"/paths/{key}")
    rowan.post(change + "/undo")
    until_quiet(installation)
    assert "09:30 to 16:30" in page_of(rowan, f"/paths/{key}")


@pytest.mark.parametrize(
    ("changes", "field", "words"),
    [
        ({"name": " "}, "name", "name"),
        ({"greeting": ""}, "greeting", "Type what callers hear"),
        ({"recipients": []}, "recipients", "who reads the mailbox"),
        ({"people1": []}, "people1", "Nobody answers key 1"),
        ({"people1": [], "people2": [], "word1": "", "word2": ""}, "people1", "Say who answers"),
        ({"word2": ""}, "word2", "what key 2 stands for"),
        ({"from1": "9 o'clock"}, "from1", "09:00"),
        ({"from1": "18:00"}, "to1", "closes before it opens"),
        ({"days1": []}, "days1", "on which days"),
        ({"closed1": "24.12.2026"}, "closed1", "2026-12-24"),
        ({"until1": "2026-12-01"}, "until1", "ends before it begins"),
    ],
)
def test_a_path_form_names_what_is_missing(rowan, changes, field, words):
    told = refused(rowan, "/paths/new", **context(rowan, **changes))
    assert told[0] == field
    assert words in told[1]


def test_a_path_of_another_shape_says_that_the_form_replaces_it(rowan):
    shaped = [
        key for key in re.findall(r'<a data-row href="/paths/([a-z-]+)"><b>', text(rowan, "/paths"))
    ]
    notes = {key: "has a shape of its own" in text(rowan, f"/paths/{key}/change") for key in shaped}
    assert notes["canal-front-desk"] is False
    assert notes["school-visits"] is True
    assert set(shaped) >= {"canal-front-desk"}


def test_people_of_another_organisation_or_none_cannot_answer(rowan):
    order = sent(rowan, "/paths/new", **context(rowan, people2=["person-of-nowhere"]))
    stops = page_of(rowan, order)
    assert "stop" in stops
    assert rowan.post(order + "/run", headers=HTMX).status_code in {409, 422}


def test_public_holidays_are_offered_by_the_names_of_their_places(rowan):
    form = text(rowan, "/paths/new", site="wharf-house")
    assert '<option value="GB-SCT">Scotland</option>' in form
    made = sent(rowan, "/paths/new", **context(rowan, holidays="GB-SCT"))
    assert "Publish" in page_of(rowan, made)


# ── sites, spots, holders ──

SITE = {
    "name": "Saltgate Store",
    "code": "SGS",
    "country": "GB",
    "house_number": "9",
    "street": "Saltgate Lane",
    "city": "Leeds",
    "postcode": "LS2 7ZZ",
    "floors": "3",
    "area_m2": "900",
    "account": "brackwater-main",
    "security_desk": "duty@lanternfield.example",
}


def test_a_site_from_nothing_to_its_main_number(rowan, installation):
    site = sent(rowan, "/holders/sites", **{**SITE, "floors": "1", "area_m2": "90"}).removesuffix(
        "/set-up"
    )
    assert "needed before anybody here can be given a number" in page_of(rowan, f"{site}/set-up")
    assert "none: give the site one" in page_of(rowan, site)
    spot = sent(
        rowan, "/safety/spots", site=site.rsplit("/", 1)[1], floor="ground floor", room="office"
    )
    assert "SGS-" in text(rowan, spot)
    order = sent(
        rowan,
        "/work-orders/new/assign",
        number="0113 496 0311",
        holder=f"site:{site.rsplit('/', 1)[1]}",
        role="main",
    )
    rowan.post(order + "/remedies")
    rowan.post(order + "/run")
    until_quiet(installation)
    assert "0113 496 0311" in page_of(rowan, site)


@pytest.mark.parametrize(
    ("changes", "field"),
    [
        ({"name": ""}, "name"),
        ({"code": "toolong"}, "code"),
        ({"code": "WHF"}, "code"),
        ({"floors": "many"}, "floors"),
        ({"floors": "0"}, "floors"),
        ({"area_m2": "-4"}, "area_m2"),
        ({"country": "XX"}, "country"),
        ({"street": ""}, "street"),
        ({"account": "nobody"}, "account"),
    ],
)
def test_a_site_form_names_the_field(rowan, changes, field):
    assert refused(rowan, "/holders/sites", **{**SITE, **changes})[0] == field


@pytest.mark.parametrize(
    ("dialled", "words"),
    [
        ("999", "emergency"),
        ("9 999", "emergency"),
        ("0131 496 0500", "+441314960500"),
        ("9 0131 496 0500", "+441314960500"),
        ("00 353 20 910 0123", "+353209100123"),
        ("abc", "nothing"),
    ],
)
def test_dialled_digits_are_tried_in_the_sites_plan(rowan, dialled, words):
    page = re.sub(r"<[^>]+>", " ", text(rowan, "/holders/sites/wharf-house", dialled=dialled))
    assert words in re.sub(r"\s+", " ", page).lower()


def test_a_person_added_by_hand_has_a_page_that_says_what_is_missing(rowan):
    page = page_of(
        rowan,
        sent(
            rowan,
            "/holders/people",
            name="Ada Reed",
            email="ada.reed@lanternfield.example",
            site="wharf-house",
            extension="499",
        ),
    )
    assert "Missing a number, an emergency spot" in page
    assert "499" in page


@pytest.mark.parametrize(
    ("data", "field"),
    [
        ({"name": "", "email": "x@lanternfield.example", "site": "wharf-house"}, "name"),
        ({"name": "X", "email": "no mail", "site": "wharf-house"}, "email"),
        (
            {"name": "X", "email": "Ifeoma.HADDAD@lanternfield.example", "site": "wharf-house"},
            "email",
        ),
        ({"name": "X", "email": "x@lanternfield.example", "site": "nowhere"}, "site"),
        (
            {
                "name": "X",
                "email": "x@lanternfield.example",
                "site": "wharf-house",
                "extension": "x1",
            },
            "extension",
        ),
    ],
)
def test_a_person_form_names_the_field(rowan, data, field):
    assert refused(rowan, "/holders/people", **data)[0] == field


def test_a_line_added_by_hand_wants_a_number(rowan):
    page = page_of(
        rowan,
        sent(
            rowan,
            "/holders/lines",
            name="Group visits",
            kind="menu",
            site="wharf-house",
            spot="WHF-003-G",
        ),
    )
    assert "Missing a number." in page
    assert (
        refused(rowan, "/holders/lines", name="Group visits", kind="orchestra", site="wharf-house")[
            0
        ]
        == "kind"
    )


def test_a_person_who_moves_takes_their_numbers_along(rowan, installation):
    order = sent(rowan, "/safety/people/person-ifeoma-okafor/spot", spot="WHF-006-A")
    rowan.post(order + "/remedies")
    rowan.post(order + "/run")
    until_quiet(installation)
    assert "WHF-006-A" in page_of(rowan, "/safety?number=0113+496+0100")


# ── supply ──


def first_offer(client, **wish):
    page = text(client, "/supply", country="GB", area="Leeds", carrier="brackwater", **wish)
    return re.search(r'name="numbers" value="([^"]+)"', page).group(1)


def test_hold_with_features_quote_and_order(rowan, installation):
    held = sent(
        rowan,
        "/supply/holds",
        account="brackwater-main",
        numbers=first_offer(rowan, quantity="2", consecutive="1"),
    )
    plain = page_of(rowan, held)
    features = re.findall(r'name="feature"\s+value="([^"]+)"', text(rowan, held))
    assert "2 numbers held" in plain
    assert "texts" in features
    with_texts = rowan.get(held, params={"feature": ["texts"], "site": "canal-museum"}).text
    assert re.search(r'name="feature"[^>]*value="texts"[^>]* checked', with_texts) or re.search(
        r'checked[^>]*value="texts"', with_texts
    )
    assert "CNL-" in with_texts
    assert re.findall(r"£[\d.]+", page_of(rowan, held)) != re.findall(
        r"£[\d.]+", re.sub(r"<[^>]+>", " ", with_texts)
    )
    order = sent(
        rowan,
        "/supply/orders",
        hold=held.rsplit("/", 1)[1],
        reference="With texts",
        site="canal-museum",
        spot="CNL-003-U",
        feature="texts",
    )
    assert "of 2 delivered" in page_of(rowan, order)
    until_quiet(installation)
    from datetime import timedelta

    until_quiet(installation, timedelta(hours=6))
    assert "delivered" in page_of(rowan, order)
    number = re.search(r"/numbers\?number=(\d+)", text(rowan, order)).group(1)
    assert "texts" in page_of(rowan, f"/numbers/{number}")


def test_numbers_of_several_offers_are_held_together(rowan):
    offers = rowan.get(
        "/api/v1/supply/offers?country=GB&area=Leeds&quantity=2&carrier=brackwater"
    ).json()["items"]
    ticked = [" ".join(offer["numbers"]) for offer in (offers[0], offers[3], offers[0])]
    held = sent(rowan, "/supply/holds", account="brackwater-main", numbers=ticked)
    wanted = dict.fromkeys(n for offer in ticked for n in offer.split())
    assert len(wanted) in {3, 4}
    assert f"{len(wanted)} numbers held" in page_of(rowan, held)


def test_an_order_is_named_until_one_names_it_otherwise(rowan):
    held = sent(rowan, "/supply/holds", account="brackwater-main", numbers=first_offer(rowan))
    field = re.compile(r'name="reference"[^>]*value="([^"]*)"')
    assert field.search(text(rowan, held))[1] == "Wharf House, 1 number"
    assert field.search(text(rowan, held, reference="Shop"))[1] == "Shop"


def test_a_hold_let_go_is_over(rowan):
    held = sent(rowan, "/supply/holds", account="brackwater-main", numbers=first_offer(rowan))
    assert sent(rowan, held + "/end") == "/supply"
    answer = rowan.post(
        "/supply/orders",
        data={"hold": held.rsplit("/", 1)[1], "reference": "x", "site": "wharf-house"},
        headers=HTMX,
    )
    assert answer.status_code in {404, 409}


def test_a_hold_that_has_run_out_says_so_and_offers_the_search(rowan, installation):
    from datetime import timedelta

    held = sent(rowan, "/supply/holds", account="brackwater-main", numbers=first_offer(rowan))
    until_quiet(installation, timedelta(hours=2))
    field, words = refused(
        rowan, "/supply/orders", hold=held.rsplit("/", 1)[1], reference="Late", site="wharf-house"
    )
    assert "hold" in words.lower()
    assert field in {None, "hold"}


@pytest.mark.parametrize(
    ("wish", "words"),
    [
        ({"quantity": "0"}, "ask for 1 to 1,000 numbers"),
        ({"quantity": "a lot"}, "ask for 1 to 1,000 numbers"),
        ({"quantity": "100000"}, "ask for 1 to 1,000 numbers"),
        ({"pattern": "<script>"}, "pattern"),
        ({"starts": "0131", "quantity": "500"}, "nothing like that is in stock in leeds"),
    ],
)
def test_a_search_that_cannot_be_says_why_and_keeps_what_was_typed(rowan, wish, words):
    page = rowan.get(
        "/supply", params={"country": "GB", "area": "Leeds", "carrier": "brackwater", **wish}
    ).text
    assert words in page.lower()
    for value in wish.values():
        assert value in page or value.replace("<", "&lt;").replace(">", "&gt;") in page


def test_numbers_held_twice_are_one_hold(rowan):
    wanted = {"account": "brackwater-main", "numbers": first_offer(rowan)}
    assert sent(rowan, "/supply/holds", **wanted) == sent(rowan, "/supply/holds", **wanted)


def test_an_area_without_stock_says_where_there_is_some_and_a_town_is_enough(rowan):
    nothing = rowan.get(
        "/supply", params={"country": "US", "area": "646", "carrier": "maplecourt"}
    ).text
    assert "0 in stock" in nothing
    elsewhere = re.search(r'href="(/supply\?[^"]*area=212[^"]*)"', nothing)
    assert elsewhere, "where there is some is a link that searches there"
    there = rowan.get(
        elsewhere[1].replace("&amp;", "&").replace("/supply", "/supply/answers/maplecourt")
    ).text
    assert "+1 212-555-01" in there
    town = {"country": "US", "area": "new york", "carrier": "maplecourt"}
    assert "+1 212-555-01" in rowan.get("/supply/answers/maplecourt", params=town).text


def test_a_deposit_changes_the_balance_and_is_written_down(rowan):
    where = "/carriers/accounts/brackwater-main/deposit"
    shown = text(rowan, where, amount="60,00")
    assert "Deposit £60.00</button>" in shown
    assert "£700.00" in shown, "the balance after it is said before"
    button = dict(re.findall(r'name="(amount|key)" value="([^"]+)"', shown))
    for _ in range(3):
        assert sent(rowan, where, **button) == "/carriers/accounts/brackwater-main"
    assert "£700.00" in page_of(rowan, "/carriers"), "pressed three times it is paid once"
    for amount, words in (
        ("lots", "is no amount"),
        ("-5", "between £1.00 and"),
        ("1.250", "£1.25 or £1,250.00"),
        ("€5", "which is GBP"),
        ("5e3", "is no amount"),
    ):
        asked = text(rowan, where, amount=amount)
        assert words in asked
        assert f'value="{amount}"' in asked, "what was typed stands there still"
    assert "£700.00" in page_of(rowan, "/carriers")


# ── work orders ──


@pytest.mark.parametrize(
    ("kind", "data", "field"),
    [
        ("assign", {"number": "", "holder": "person:person-ifeoma-okafor"}, "number"),
        ("assign", {"number": "01134960160", "holder": ""}, "who"),
        (
            "assign",
            {"number": "0113 496 0100-0105", "holder": "person:person-ifeoma-okafor"},
            "number",
        ),
        ("assign", {"number": "0113 GULL", "holder": "person:person-ifeoma-okafor"}, "number"),
        ("set-spot", {"number": "01134960100", "spot": ""}, "spot"),
        ("set-path", {"number": "01134960100", "path": ""}, "path"),
        ("end-rest", {"number": "01134960128", "reason": ""}, "reason"),
        ("grant", {"holder": "", "product": "staff-seat"}, "who"),
    ],
)
def test_a_work_order_form_names_the_field(rowan, kind, data, field):
    assert refused(rowan, f"/work-orders/new/{kind}", **data)[0] == field


def test_a_failed_order_is_tried_again_and_a_running_one_stopped(rowan, installation):
    failed = next(no for no in range(1, 10) if "Try again" in text(rowan, f"/work-orders/{no}"))
    rowan.post(f"/work-orders/{failed}/retry")
    assert "Try again" not in text(rowan, f"/work-orders/{failed}")
    until_quiet(installation)
    rowan.post(f"/work-orders/{failed}/undo", headers=HTMX)
    order = sent(rowan, "/work-orders/new/reserve", **{"number": "0113 496 0161", "for": "a trial"})
    assert sent(rowan, order + "/discard") == "/work-orders"
    assert (
        "discarded" in page_of(rowan, order).lower() or "stopped" in page_of(rowan, order).lower()
    )


def test_registering_the_address_from_the_card(rowan, installation):
    safety = text(rowan, "/safety")
    number = re.search(r"/work-orders/new/register-address\?number=(\d+)", safety)
    number = number.group(1) if number else "441134960121"
    form = text(rowan, f"/work-orders/new/register-address?number={number}")
    assert "Register an emergency address" in form
    order = sent(rowan, "/work-orders/new/register-address", number=number)
    assert "Register" in page_of(rowan, order)


def test_a_number_is_retired_step_by_step(rowan, installation):
    page = page_of(rowan, "/numbers/441134960100/retire")
    assert "Ifeoma Okafor" in page
    order = sent(rowan, "/numbers/441134960100/retire", rest="7", then="release", reason="left")
    told = page_of(rowan, order)
    assert "Take 0113 496 0100 back" in told
    assert refused(rowan, "/numbers/441134960100/retire", rest="a while")[0] == "rest"


def test_facts_are_edited_on_the_card(rowan):
    assert sent(
        rowan,
        "/numbers/441134960100/facts",
        label="Registrar",
        note="rings late",
        tags="front, late",
        cost_centre="C7",
    )
    page = text(rowan, "/numbers/441134960100")
    for words in (
        'value="Registrar"',
        "rings late</textarea>",
        'value="front, late"',
        'value="C7"',
    ):
        assert words in page
    assert refused(rowan, "/numbers/441134960100/facts", label="x" * 300)[0] == "label"


# ── answers that are pages ──


@pytest.mark.parametrize(
    ("path", "status", "words"),
    [
        ("/numbers/01", 422, "That is not one number"),
        ("/numbers/441134960999", 404, "Not here"),
        ("/work-orders/999", 404, "Not here"),
        ("/paths/nowhere", 404, "Not here"),
        ("/holders/people/nobody", 404, "Not here"),
        ("/supply/orders/none", 404, "Not here"),
        ("/numbers/441134960100?at=yesterday", 422, "2026-03-12"),
        ("/no/such/page", 404, "There is no such page"),
    ],
)
def test_a_problem_page_says_what_and_leads_on(rowan, path, status, words):
    answer = rowan.get(path)
    assert answer.status_code == status
    assert words in answer.text
    assert "To Today" in answer.text
    back = rowan.get(path, headers={"referer": "http://127.0.0.1:8420/numbers"})
    assert "Back to where you were" in back.text


def test_whoever_may_not_is_told_what_they_may(client):
    client.post("/sign-in", data={"who": "noor"})
    answer = client.get("/supply")
    assert answer.status_code == 403
    assert "Not with your role" in answer.text


def test_the_components_page_is_for_the_demo_only(rowan, installation):
    assert "Components" in text(rowan, "/components")
    installation.settings.__dict__["demo"] = False
    try:
        assert rowan.get("/components").status_code == 404
    finally:
        installation.settings.__dict__["demo"] = True


# ── answers beside the field ──


@pytest.mark.parametrize(
    ("path", "data", "field", "words"),
    [
        (
            "/work-orders/new/assign",
            {"number": "+49 30 23125 000", "holder": "person:person-ifeoma-okafor"},
            "number",
            "is not in the estate",
        ),
        (
            "/work-orders/new/assign",
            {"number": "0113 496 0160", "holder": "person:person-ifeoma-okafor", "role": "king"},
            "role",
            "main",
        ),
        ("/licences/home-calling/seats", {"seats": "0"}, "seats", "from 1 to 10,000"),
        ("/licences/home-calling/seats", {"seats": "99999999"}, "seats", "from 1 to 10,000"),
        (
            "/supply/holds",
            {"account": "brackwater-main", "numbers": "+441134960300"},
            "numbers",
            "0113 496 0300 is in the estate already",
        ),
        ("/supply/holds", {"account": "brackwater-main"}, "numbers", "at least one number"),
        ("/supply/orders", {}, "hold", "this is missing"),
    ],
)
def test_whatever_is_sent_the_answer_names_its_field(rowan, path, data, field, words):
    told = refused(rowan, path, **data)
    assert told[0] == field
    assert words in told[1]


# ── the stand-ins' panel ──


def test_the_panel_steers_both_worlds_and_shows_what_came_of_it(rowan, installation):
    before = installation.clock.now()
    assert sent(rowan, "/standins/panel/clock", seconds="3600") == "/standins"
    assert (installation.clock.now() - before).total_seconds() >= 3600
    assert (
        sent(rowan, "/standins/panel/faults", service="fellgate", fault="error", count="2")
        == "/standins"
    )
    assert "fellgate: error, 2 times" in page_of(rowan, "/standins")
    sent(rowan, "/standins/panel/faults", service="fellgate", fault="error", count="0")
    assert "none ordered" in page_of(rowan, "/standins")
    sent(rowan, "/standins/panel/prices", carrier="brackwater", percent="10")
    assert installation.outside.control.state()["dearer"] == {"brackwater": 10.0}
    sent(rowan, "/standins/panel/trunks", trunk="leeds-a", up="")
    assert "Leeds A: down" in page_of(rowan, "/standins")
    assert "Leeds A is down" in page_of(rowan, "/")
    sent(rowan, "/standins/panel/trunks", trunk="leeds-a", up="1")
    assert "Leeds A: up" in page_of(rowan, "/standins")
    assert "brackwater-berlin 180.00" in page_of(rowan, "/standins")


def test_the_panel_refuses_what_cannot_be(rowan):
    assert refused(rowan, "/standins/panel/clock", seconds="5")[0] == "seconds"
    assert (
        refused(rowan, "/standins/panel/faults", service="fellgate", fault="error", count="many")[0]
        == "count"
    )
    assert refused(rowan, "/standins/panel/prices", carrier="nobody", percent="1")[0] == "carrier"
    assert refused(rowan, "/standins/panel/review", verdict="perhaps")[0] == "verdict"
    assert (
        refused(rowan, "/standins/panel/port-outs", numbers="0113 496 0142", account="nobody")[0]
        == "account"
    )
    assert (
        refused(rowan, "/standins/panel/port-outs", numbers="none", account="fellgate-main")[0]
        == "numbers"
    )
    assert (
        refused(
            rowan, "/standins/panel/drift", number="0113 496 0142", what="price", monthly="dear"
        )[0]
        == "monthly"
    )
    assert refused(rowan, "/standins/panel/drift", number="0113 496 0142", what="lost")[0] == "what"


def test_the_panel_takes_numbers_away_and_makes_lists_differ(rowan, installation):
    sent(
        rowan,
        "/standins/panel/port-outs",
        numbers="0113 496 0142",
        account="brackwater-main",
        pin="2208",
    )
    sent(
        rowan,
        "/standins/panel/port-outs",
        numbers="0113 496 0147",
        account="brackwater-main",
        unasked="1",
    )
    sent(rowan, "/standins/panel/clock", seconds="3600")
    assert "Pellucid Telephony" in page_of(rowan, "/port-outs")
    assert "gone without our word" in page_of(rowan, "/")
    sent(rowan, "/standins/panel/drift", number="0113 496 0140", what="price", monthly="0.95")
    sent(rowan, "/standins/panel/drift", number="0113 496 0141", what="dropped")
    sent(rowan, "/carriers/drift/compare")
    told = page_of(rowan, "/carriers/drift")
    assert "0113 496 0140" in told
    assert "0113 496 0141" in told
    sent(rowan, "/standins/panel/porting", silent="1")
    assert "leave what they are asked lying" in page_of(rowan, "/standins")
    sent(rowan, "/standins/panel/porting", silent="")
    assert "answer in their time" in page_of(rowan, "/standins")


def test_the_panel_looks_like_no_page_of_sedge(rowan):
    page = text(rowan, "/standins")
    assert re.search(r"/static/\w+/css/standins.css", page)
    assert "parts.css" not in page
    assert 'class="places"' not in page


def test_an_invitation_is_taken_up_at_the_door_and_bad_passwords_are_answered_beside_the_field(
    client, installation
):
    client.post("/sign-in", data={"who": "rowan"})
    sent = client.post(
        "/organisations/members",
        data={
            "name": "Petra Vogel",
            "email": "petra@lanternfield.example",
            "role": "site manager",
            "sites": ["wharf-house"],
        },
    )
    assert sent.status_code == 303
    assert "petra@lanternfield.example" in client.get("/organisations/members").text
    with installation.context(MEMBERS[0]).reading() as reading:
        text = (
            reading.connection.execute(
                mails.mail.select().where(mails.mail.c.recipient == "petra@lanternfield.example")
            )
            .one()
            .text
        )
    door = re.search(r"/welcome/\S+", text)[0]
    client.cookies.clear()
    assert "Choose a password" in client.get(door).text
    answer = client.post(door, data={"password": "short", "again": "short"})
    assert (answer.status_code, "at least 12 characters" in answer.text) == (422, True)
    assert (
        client.post(
            door, data={"password": "seven grey herons", "again": "seven grey herons"}
        ).headers["location"]
        == "/"
    )
    assert "Petra Vogel" in client.get("/").text
    assert client.get("/organisations/members").status_code == 403
    assert client.get(door).status_code == 404


def test_what_calls_show_becomes_a_draft_with_a_number_typed_any_way(client):
    client.post("/sign-in", data={"who": "rowan"})
    leads = sent(
        client,
        "/holders/caller-ids",
        site="wharf-house",
        shows="number",
        suits="",
        number="0113-496 0200",
    )
    assert "always 0113 496 0200" in text(client, leads)
    assert refused(client, "/holders/caller-ids", shows="louder")[0] == "shows"
    assert refused(client, "/holders/caller-ids", shows="number", number="0113 49")[0] == "number"
    assert (
        client.post("/holders/caller-ids", data={"site": "nowhere", "shows": "own"}).status_code
        == 404
    )


def test_a_note_is_kept_on_a_test_call(client, installation):
    client.post("/sign-in", data={"who": "rowan"})
    client.post("/numbers/441134960100/test-call", data={"direction": "in"})
    page = client.get("/numbers/441134960100/test-call").text
    key = re.search(r"test-call/([\w-]+)/note", page)[1]
    assert sent(client, f"/numbers/441134960100/test-call/{key}/note", note="rang late").endswith(
        "/test-call"
    )
    assert "rang late" in client.get("/numbers/441134960100/test-call").text


def test_a_test_call_pressed_twice_is_placed_once_and_stands_among_the_earlier_ones(
    client, installation
):
    client.post("/sign-in", data={"who": "rowan"})
    shown = client.get("/numbers/441134960121/test-call").text
    before, key = shown.count("/note"), re.search(r'name="key" value="([^"]+)"', shown)[1]
    for _ in range(2):
        part = client.post(
            "/numbers/441134960121/test-call",
            data={"direction": "in", "key": key},
            headers={"HX-Request": "true", "HX-Target": "test-call"},
        ).text
    assert "Heard:" in part
    assert part.count("/note") == min(before + 2, 20), "the form and its action, of one call more"
    assert re.search(r'name="key" value="([^"]+)"', part)[1] != key, "the next call is another"


def test_the_account_of_a_port_is_compared_with_the_bill(client, installation):
    client.post("/sign-in", data={"who": "rowan"})
    at = sent(
        client,
        "/ports/new",
        text="0117 496 0800-0803",
        account="fellgate-main",
        site="wharf-house",
        what="begin",
    )
    sent(client, f"{at}/change", name="Millwheel Gallery Ltd", account="OQ-1184")
    found = client.post(
        f"{at}/compare", data={"bill": "Millwheel Gallery Limited\nAccount OQ-1184"}
    )
    assert ("<ins>imi</ins>" in found.text, "Breadcrumb" in found.text) == (True, True)
    swapped = client.post(
        f"{at}/compare", data={"bill": "Millwheel Gallery Ltd, OQ-1184"}, headers=HTMX
    )
    assert "Every word is as on the bill." in swapped.text
    assert refused(client, f"{at}/compare", bill=" ")[0] == "bill"


def test_an_address_that_is_nearly_known_is_taken_by_a_click(rowan):
    asked = {
        "name": "Tarn Works",
        "country": "GB",
        "site_name": "Works",
        "code": "TRN",
        "street": "Saltgat Lane",
        "postcode": "LS2 7ZZ",
        "house_number": "12",
        "city": "Leeds",
    }
    page = html.unescape(
        rowan.post("/organisations/new", data=asked | {"token": "t1", "what": "look"}).text
    )
    fills = json.loads(re.search(r'data-fills="(\{.*?\})"', page)[1])
    assert "Saltgate Lane" in fills.values()
    page = rowan.post(
        "/organisations/new", data=asked | fills | {"token": "t1", "what": "look"}
    ).text
    assert "Create organisation" in page


@pytest.mark.parametrize(("carrier", "differ"), [("fellgate", False), ("brackwater", True)])
def test_what_all_offers_have_alike_is_said_once(rowan, carrier, differ):
    asked = {"country": "GB", "area": "Leeds", "quantity": 1}
    page = in_one_line(rowan.get(f"/supply/answers/{carrier}", params=asked).text)
    offers = page.count('class="offer"')
    assert offers > 5
    assert page.count("On request:") == 1
    assert page.count("a month.") == (offers if differ else 1)

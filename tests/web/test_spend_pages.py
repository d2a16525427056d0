"""Pages of spend: months, use, records, rates, invoices, savings, alarms, statements."""

import io
import re

import pytest

from sedge.web.spend.rate_chart import MOST_MARKS, shape_at
from tests.conftest import in_one_line

HTMX = {"HX-Request": "true"}


def upload(client, path, text, **form):
    files = {"file": ("x.csv", io.BytesIO(text.encode()), "text/csv")}
    return client.post(path, data=form, files=files, headers=HTMX)


def test_what_a_month_costs_is_drawn_and_told(reader):
    html = reader.get("/spend").text
    assert "expected by the end of the month" in html
    assert 'class="cost-bars"' in html
    assert "Wharf House" in html
    assert "Budgets a month" in html
    assert 'aria-label="Cost by month"' in html
    for by in ("cost_centre", "holder", "carrier", "account", "product", "kind", "number"):
        assert reader.get(f"/spend?by={by}").status_code == 200
    assert reader.get("/spend?by=moon").status_code == 422
    assert reader.get("/spend?month=soon").status_code == 422
    assert "Nothing was spent" in reader.get("/spend?month=2001-01").text


def test_use_by_hour_and_a_numbers_year(reader):
    assert 'class="hour-bars"' in reader.get("/spend/usage?by=hour").text
    year = reader.get("/spend/usage/numbers/441134960190").text
    assert 'class="year-map"' in year
    assert "Last calls" in year
    assert "0113 496 0103" in reader.get("/spend/usage/idle").text
    assert "No calls" in reader.get("/spend/usage/numbers/441514960400").text


def test_a_call_path_says_where_its_callers_go_and_give_up(reader):
    page = in_one_line(reader.get("/paths/canal-front-desk").text)
    assert "Calls by step" in page
    told = page.partition("Calls by step")[2].partition("A week of calls")[0]
    assert re.search(r"key 1, visits <span class=\"soft\">[\d,]+, \d+%", told)
    assert told.index("Opening hours") < told.index("Menu") < told.index("Mailbox: front desk")
    use = reader.get("/api/v1/paths/canal-front-desk/use").json()["steps"]
    assert sum(s["calls"] for s in use if s["step"] == "menu") == sum(
        e["calls"] for s in use if s["step"] == "menu" for e in s["exits"]
    )
    early = reader.get("/api/v1/paths/canal-front-desk/use?from=2020-01-01&to=2020-02-01").json()
    assert {s["calls"] for s in early["steps"]} == {0}
    assert reader.get("/api/v1/paths/nowhere/use").status_code == 404


def test_a_help_desk_sees_how_often_and_not_who(client):
    client.post("/sign-in", data={"who": "declan"})
    html = client.get("/spend/usage/numbers/441134960190").text
    assert 'class="year-map"' in html
    assert "Last calls" not in html
    assert client.get("/spend").status_code == 403


def test_records_come_in_by_a_form_and_their_columns_are_asked(rowan):
    text = "when,caller,callee,long\n2026-10-01T10:00:00Z,0113 496 0132,0151 496 0001,30\n"
    done = upload(rowan, "/spend/calls", text, source="Odd", zone="Europe/London")
    where = done.headers["HX-Redirect"]
    assert "Still missing: Started" in rowan.get(where).text
    clash = rowan.post(f"{where}/columns", data={"column-1": "from", "column-2": "from"})
    assert clash.status_code == 422
    form = {"column-0": "started", "column-1": "from", "column-2": "to", "column-3": "talk"}
    rowan.post(f"{where}/columns", data=form)
    html = rowan.get(where).text
    assert re.search(r"New</th><td[^>]*>1<", html)
    assert "x.csv" in rowan.get("/spend/calls").text
    wrong = upload(rowan, "/spend/calls", text, source="")
    assert (wrong.status_code, '"field": "source"' in wrong.headers["Sedge-Problem"]) == (422, True)
    kept = rowan.post("/spend/calls/settings", data={"keep_days": "90"}, headers=HTMX)
    assert kept.status_code == 204
    assert 'value="90"' in rowan.get("/spend/calls").text


def test_a_deck_is_loaded_by_a_form_searched_and_deleted(rowan):
    text = "prefix,destination,price\n44,UK,0.01\n447,UK mobile,0.04\n"
    done = upload(rowan, "/spend/rates", text, of="trunk:leeds-a", currency="GBP")
    where = done.headers["HX-Redirect"]
    html = rowan.get(f"{where}?find=mobile").text
    assert "+447" in html
    assert ">+44<" not in html
    wrong = upload(
        rowan, "/spend/rates", "prefix,price\n44,x\n", of="trunk:leeds-a", currency="GBP"
    )
    assert wrong.status_code == 422
    assert "Line 2" in wrong.headers["Sedge-Problem"]
    rowan.post(f"{where}/remove")
    assert rowan.get(where).status_code == 404


def test_an_invoice_is_checked_disputed_and_written_about(rowan):
    html = rowan.get("/spend/invoices").text
    where = re.search(r"/spend/invoices/invoice-\w+", html)[0]
    page = rowan.get(f"{where}?verdict=billed but not ours").text
    lines = re.findall(r'name="lines" value="(\d+)"', page)
    assert len(lines) == 2
    form = {"lines": lines, "state": "disputed", "why": ""}
    assert rowan.post(f"{where}/settle", data=form, headers=HTMX).status_code == 422
    rowan.post(f"{where}/settle", data=form | {"why": "never ours"})
    assert "never ours" in rowan.get(f"{where}?verdict=all").text
    letter = rowan.get(f"{where}/letter.pdf")
    assert letter.headers["content-type"] == "application/pdf"
    assert "to settle" in rowan.get("/").text


def test_columns_of_an_invoice_are_asked_once_for_a_carrier(rowan):
    text = "Leistung;Was;Summe brutto\n0113 496 0100;Fee;0,80\n"
    form = {"account": "fellgate-main", "reference": "Z1", "month": "2026-01"}
    asked = upload(rowan, "/spend/invoices", text, **form)
    where = asked.headers["HX-Redirect"]
    assert "Summe brutto, such as 0,80" in rowan.get(where).text
    assert "Invoice Z1 waits for its columns" in rowan.get("/spend/invoices").text
    lacking = rowan.post(where, data={"column-0": "number"}, headers=HTMX)
    assert (lacking.status_code, "Amount" in lacking.headers["Sedge-Problem"]) == (422, True)
    twice = {"column-0": "number", "column-2": "number"}
    assert rowan.post(where, data=twice, headers=HTMX).status_code == 422
    done = rowan.post(where, data={"column-0": "number", "column-2": "amount"}, headers=HTMX)
    assert "Z1" in rowan.get(done.headers["HX-Redirect"]).text
    assert rowan.get(where).status_code == 404
    next_one = upload(rowan, "/spend/invoices", text + "\n", **form | {"reference": "Z2"})
    assert "/columns/" not in next_one.headers["HX-Redirect"]
    other = upload(rowan, "/spend/invoices", "a;b\n1;2\n", **form | {"reference": "Z3"})
    where = other.headers["HX-Redirect"]
    rowan.post(f"{where}/discard")
    assert rowan.get(where).status_code == 404


def test_savings_become_a_work_order(rowan):
    page = rowan.get("/spend/right-sizing").text
    keys = re.findall(r'name="keys" value="(number [^"]+)"', page)
    done = rowan.post("/spend/right-sizing", data={"keys": keys[:2]}, follow_redirects=True)
    assert "Right-sizing: 2 savings" in done.text
    assert rowan.post("/spend/right-sizing", headers=HTMX).status_code == 422


def test_an_alarm_is_on_today_and_settled(rowan):
    assert "Unusual calls: burst of dear calls" in rowan.get("/").text
    page = rowan.get("/spend/unusual").text
    where = re.search(r"/spend/unusual/([\w-]+)/settle", page)[0]
    assert rowan.post(where, data={"why": ""}, headers=HTMX).status_code == 422
    rowan.post(where, data={"why": "a stolen password"})
    assert "a stolen password" in rowan.get("/spend/unusual").text
    assert "Unusual calls: burst of dear calls" not in rowan.get("/").text


def test_a_statement_is_closed_printed_and_exported(rowan):
    page = rowan.get("/spend/statement").text
    month = re.search(r'name="month" value="(\d{4}-\d\d)"', page)[1]
    assert "Not closed" in page
    rowan.post("/spend/statement/close", data={"month": month})
    assert "Closed: it does not change" in rowan.get(f"/spend/statement?month={month}").text
    again = rowan.post("/spend/statement/close", data={"month": month}, headers=HTMX)
    assert again.status_code == 409
    for form, begins in (("pdf", b"%PDF"), ("xlsx", b"PK")):
        answer = rowan.get(f"/spend/statement.{form}?month={month}")
        assert answer.content.startswith(begins)


@pytest.mark.parametrize(("amount", "status"), [("450", 204), ("dear", 422), ("0", 422)])
def test_a_budget_is_set_by_a_form(rowan, amount, status):
    form = {"site": "canal-museum", "amount": amount, "currency": "GBP"}
    assert rowan.post("/spend/budgets", data=form, headers=HTMX).status_code == status


def test_a_trunk_shows_its_calls_and_its_load(reader):
    html = reader.get("/carriers/trunks/leeds-a").text
    assert "Answered, last 7 days" in html
    assert "erlangs" in html
    assert "Measured load" in reader.get("/carriers/channels").text


def test_trunks_are_compared_by_last_months_calls(reader):
    html = reader.get("/spend/rates/compare").text
    assert "would have been saved by the cheapest way" in html
    assert html.count('class="rate-mark is-cheapest"') >= 2
    assert "Leeds A" in html


def test_a_route_over_the_cheapest_is_drafted_once(rowan, api):
    site = str(api.base_url).removesuffix("/api/v1/")
    draft = rowan.post(f"{site}/spend/rates/compare", follow_redirects=True)
    assert "Set the outbound routes" in draft.text
    api.post(f"work-orders/{int(str(draft.url).rpartition('/')[2])}/run", json={})
    api.post("standins/clock", json={"advance": "PT1M"})
    [route] = api.get("outbound-routes").json()["items"]
    listed = rowan.get(f"{site}/carriers/trunks").text
    every = set(re.findall(r'data-row href="/carriers/(?:trunks|connections)/([\w-]+)"', listed))
    assert set(route["trunks"]) == every  # nothing that called out before has lost its way
    again = rowan.post(f"{site}/spend/rates/compare", headers={"HX-Request": "true"})
    assert "already" in again.headers["Sedge-Problem"]


def test_a_month_is_told_in_one_currency_too(rowan):
    assert "EUR at 0.8" in rowan.get("/spend").text
    rowan.post("/spend/rates/exchange/currency", data={"currency": "eur"})
    assert rowan.get("/api/v1/exchange-rates").json() == {"chosen": "EUR", "rates": []}
    assert "no rate is known" in rowan.get("/spend").text
    rates = {"rates": "2024-01-31 GBP 1.25"}
    assert rowan.post("/spend/rates/exchange", data=rates, follow_redirects=True).status_code == 200
    html = rowan.get("/spend").text
    assert "GBP at 1.25 (31 January 2024)" in html
    assert "no rate is known" not in html
    told = rowan.get("/api/v1/spend").json()
    pounds = float(told["total"]["amount"])
    euros = float(next(o["total"]["amount"] for o in told["others"] if o["currency"] == "EUR"))
    assert abs(float(told["in_all"]["total"]["amount"]) - pounds * 1.25 - euros) < 0.011
    gone = {"currency": "GBP", "day": "2024-01-31"}
    assert rowan.post("/spend/rates/exchange/remove", data=gone).status_code < 400
    assert rowan.post("/spend/rates/exchange/remove", data=gone).status_code == 404
    for path, form in (("", {"rates": "EUR"}), ("/currency", {"currency": "moon"})):
        wrong = rowan.post(
            f"/spend/rates/exchange{path}", data=form, headers={"HX-Request": "true"}
        )
        assert wrong.status_code == 422


def test_numbers_of_an_invoice_are_given_up_by_a_work_order(rowan):
    listed = rowan.get("/spend/invoices").text
    where = re.search(r"/spend/invoices/invoice-\w+", listed)[0]
    lines = rowan.get(f"/api/v1{where.removeprefix('/spend')}/lines?limit=20").json()["items"]
    ours = next(x for x in lines if x["number"] == "+441134960100")
    draft = rowan.post(
        f"{where}/release", data={"lines": [str(ours["line"]), "99999"]}, follow_redirects=True
    )
    assert "Give up 1 billed number" in draft.text
    assert "Release 0113 496 0100" in draft.text
    none = rowan.post(f"{where}/release", data={"lines": ["99999"]}, headers={"HX-Request": "true"})
    assert (none.status_code, '"field": "lines"' in none.headers["Sedge-Problem"]) == (422, True)


def test_no_two_trunks_have_the_same_mark():
    marks = [shape_at(place, 7, 7) for place in range(MOST_MARKS)]
    assert MOST_MARKS >= 25
    assert len(set(marks)) == MOST_MARKS

"""The demo as `make demo` shows it: ten sites in four countries, three currencies, and what they
have lived through."""

from collections import Counter

import pytest
from sqlalchemy import func, select
from starlette.testclient import TestClient

from sedge.app import open_installation
from sedge.core.numbers.life import State
from sedge.core.numbers.plan import COUNTRIES
from sedge.core.records import Account, Number, Order, Person, ServiceLine, Site
from sedge.core.spend.months import last_months
from sedge.core.spend.right_sizing import Saving
from sedge.core.workorders import tasks as t
from sedge.demo.running import ready_data
from sedge.demo.seed import MEMBERS
from sedge.services.clock import Clock
from sedge.services.context import Context
from sedge.services.ledger import ledger
from sedge.services.spend import costs
from sedge.services.spend.savings import right_sizing
from sedge.services.today import today
from sedge.settings import Settings
from sedge.store.repositories.records import is_open
from sedge.store.schema import spend
from tests.asserting import every
from tests.conftest import BEGAN, MOMENT, serving, standins
from tests.services.test_spend import charged


@pytest.fixture(scope="module")
def installation(tmp_path_factory):
    folder = tmp_path_factory.mktemp("whole")
    settings = Settings(data=folder, demo=True, durable=False, runner=False, outside_seconds=20)
    ready_data(settings, clock=Clock(MOMENT - BEGAN, fixed=BEGAN))
    with standins(folder) as outside:
        opened = open_installation(settings, outside.url)
        opened.clock.set_fixed(BEGAN)
        yield opened
        opened.close()


@pytest.fixture(scope="module")
def context(installation):
    return Context(installation, MEMBERS[0])


@pytest.fixture(scope="module")
def pages(installation):
    with (
        serving(installation) as app,
        TestClient(app, base_url="http://127.0.0.1:8420", follow_redirects=True) as made,
    ):
        made.post("/sign-in", data={"who": "rowan"})
        yield made


def test_it_is_the_trust_that_is_described(context):
    with context.reading() as reading:
        sites = reading.records.all(Site)
        people = [p for p in reading.records.all(Person) if not p.left]
        lines = reading.records.all(ServiceLine)
        numbers = reading.records.where(Number, is_open())
        orders = [o for o in reading.records.all(Order) if o.form]
        calls = reading.connection.execute(
            select(func.count()).select_from(spend.call_record)
        ).scalar()
    assert len(sites) == 10
    assert Counter(s.country for s in sites) == {"GB": 6, "DE": 2, "CA": 1, "US": 1}
    assert 230 <= len(people) <= 270
    assert len({p.name for p in people}) == len(people)
    assert 35 <= len(lines) <= 45
    assert 600 <= len(numbers) <= 720
    assert {n.state for n in numbers} >= {
        State.ASSIGNED,
        State.AVAILABLE,
        State.RESERVED,
        State.AGING,
        State.ADMINISTRATIVE,
        State.PORTING_IN,
    }
    assert {n.monthly.currency for n in numbers} == {"GBP", "EUR", "USD"}
    assert [(o.site, o.form.quantity) for o in orders] == [("tide-museum", 30)]
    assert calls > 60_000


def test_the_ledger_holds(context):
    count, broken = ledger.verify(context)
    assert count > 2_000
    assert broken is None


def test_every_month_agrees_with_what_the_carriers_have_charged(context):
    found = charged(context)
    for month in last_months(context.now(), 17)[:-1]:
        told = {
            row.key: row.total - row.seat_fees
            for s in costs.statements(context, month, "account")
            for row in s.rows
            if row.key and row.total != row.seat_fees
        }
        assert told == {k: x for (k, when), x in found.items() if when == str(month) and x}


def test_every_prepaid_account_has_money_for_the_next_month(context):
    with context.reading() as reading:
        prepaid = [a for a in reading.records.all(Account) if a.prepaid]
    assert len(prepaid) >= 4
    assert every(a.balance.amount > 0 for a in prepaid)
    assert [line.what for line in today.todo(context) if "is not covered" in line.what] == []


def test_only_what_is_meant_to_be_wrong_is_urgent(context):
    urgent = [line.what for line in today.todo(context) if line.mark.value == "wrong"]
    assert 6 <= len(urgent) <= 9
    assert [what for what in urgent if "registered elsewhere" in what] == []


def test_a_seat_is_advised_to_be_given_up_once_and_is_then_no_longer_paid_for(context):
    """At the price of its holder's site; taking it back alone would save nothing."""
    advices = [
        a
        for a in right_sizing.view(context).advices
        if a.kind in {Saving.SEATS_IDLE, Saving.MINUTES}
    ]
    assert advices
    whose = Counter()
    for advice in advices:
        back, no_longer_paid = advice.tasks
        assert isinstance(back, t.RevokeLicence)
        assert isinstance(no_longer_paid, t.CancelSeats)
        whose[back.holder.id, back.product] += 1
    assert set(whose.values()) == {1}


@pytest.mark.parametrize("country", ["GB", "DE", "US", "CA"])
def test_a_site_of_each_country_says_its_own_emergency_numbers(context, pages, country):
    with context.reading() as reading:
        site = next(s for s in reading.records.all(Site) if s.country == country)
    page = pages.get(f"/holders/sites/{site.id}").text
    for number in COUNTRIES[country].emergency:
        assert number in page
    assert COUNTRIES[country].name in page


@pytest.mark.parametrize(
    "path",
    [
        "/",
        "/numbers",
        "/numbers?view=list",
        "/supply",
        "/holders",
        "/holders/sites",
        "/licences",
        "/safety",
        "/paths",
        "/carriers",
        "/spend",
        "/spend?by=holder",
        "/spend/usage",
        "/spend/right-sizing",
        "/work-orders",
        "/ledger",
        "/numbers/16175550145",
        "/numbers/493023125101",
        "/numbers/14165550100",
        "/numbers/18005550199",
    ],
)
def test_each_place_shows_all_of_it(pages, path):
    answer = pages.get(path)
    assert answer.status_code == 200
    assert "<h1" in answer.text

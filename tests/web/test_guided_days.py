"""The usual work on a day to come: a first day begins in the morning, a last one ends in the
evening."""

import json
import re
from datetime import UTC, timedelta

import pytest

from sedge.core.records import Person
from sedge.demo.seed import MEMBERS
from sedge.services.workorders import guided_workflows
from tests.conftest import in_one_line, until_quiet

LEAVER, HTMX = "/work-orders/templates/leaver", {"HX-Request": "true"}
WHO = "person-ifeoma-okafor"


@pytest.fixture
def rowan(client):
    client.post("/sign-in", data={"who": "rowan"})
    return client


def drafted(rowan, **form):
    return rowan.post(LEAVER, data={"person": WHO, **form}).headers["location"]


def at_six(context):
    """The next six in the morning of the home country, and the clock is there."""
    zone = context.installation.home_zone(context.who.organisation)
    now = context.now().astimezone(zone)
    six = now.replace(hour=6, minute=0, second=0, microsecond=0)
    six += timedelta(days=now > six)
    context.installation.clock.advance(six.astimezone(UTC) - now.astimezone(UTC))
    return six


def test_each_form_asks_for_its_day(rowan):
    for key, kind in guided_workflows.KINDS.items():
        page = in_one_line(rowan.get(f"/work-orders/templates/{key}").text)
        assert f"{kind.day} (empty: at once)" in page


def test_a_last_day_is_waited_for_until_its_evening(rowan, installation):
    context = installation.context(MEMBERS[0])
    day = (at_six(context) + timedelta(days=3)).date()
    order = drafted(rowan, starts=day.isoformat(), reason="a post elsewhere")
    told = in_one_line(rowan.get(order).text)
    assert re.search(r"Why: a post elsewhere\. It begins [^.]*20:00:00 GMT\. Nothing has", told)
    assert f"{day:%-d} {day:%B}" in in_one_line(rowan.get(order).text)
    rowan.post(f"{order}/run", data={"sure": "1"})

    def is_here():
        with context.reading() as reading:
            return not reading.records.the(Person, WHO).left

    until_quiet(installation, timedelta(days=3))  # the morning of that day
    assert is_here()
    until_quiet(installation, timedelta(hours=23))
    assert not is_here()


def test_today_is_now_where_its_hour_is_over(context):
    today = at_six(context).date().isoformat()
    assert guided_workflows.begins(context, "leaver", {"starts": today}).hour == 20
    context.installation.clock.advance(timedelta(hours=2))
    assert guided_workflows.begins(context, "joiner", {"starts": today}) is None
    assert guided_workflows.begins(context, "joiner", {}) is None


@pytest.mark.parametrize(
    ("day", "words"),
    [
        ("2020-01-01", "Last day: that is over"),
        ("soon", "Type the day as"),
        ("2400-01-01", "century"),
    ],
)
def test_a_day_that_cannot_be_is_named_beside_its_field(rowan, day, words):
    answer = rowan.post(LEAVER, data={"person": WHO, "starts": day}, headers=HTMX)
    assert answer.status_code == 422
    told = json.loads(answer.headers["Sedge-Problem"])
    assert told["field"] == "starts"
    assert re.search(words, told["message"])

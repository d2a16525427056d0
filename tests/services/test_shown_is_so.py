"""What is shown is so: small promises of many places, each of which was broken once."""

import io
from datetime import timedelta

import openpyxl
import pytest

from sedge.core.access.roles import AccessRole
from sedge.core.errors import NotAllowedNow, NotUnderstood
from sedge.core.records import CallerId, HolderKind, Number, Person
from sedge.core.workorders import tasks as t
from sedge.core.workorders.life import OrderState
from sedge.demo.seed import MEMBERS
from sedge.services.access import members
from sedge.services.callpaths import calls, drawing, paths
from sedge.services.holders import holders
from sedge.services.numbers import columns, number_export
from sedge.services.safety import safety
from sedge.services.supply import ordering
from sedge.services.workorders import (
    drafts,
    guided_workflows,
    order_running,
    order_views,
    workorders,
)
from sedge.store.repositories.numbers import Filter
from tests.conftest import until_quiet
from tests.services.test_supply_and_faults import held, ordered
from tests.services.test_work_orders import newcomer, ref

IFEOMA = "person-ifeoma-okafor"


@pytest.fixture
def desk(house):
    return house.desk(MEMBERS[0])


def test_a_work_order_is_called_after_the_number_that_a_remedy_put_in(desk):
    order = workorders.draft(
        desk,
        "0113 496 0100 for them",
        [t.AssignNumber(number="+441134960100", holder=ref(newcomer(desk)))],
    )
    taken = next(
        f
        for f in order_views.view_order(desk, order.id).report.stops
        if "is " in f.message and f.remedies
    )
    at = next(i for i, remedy in enumerate(taken.remedies) if remedy.replaces)
    drafts.choose_remedy(desk, order.id, taken.task, taken.rule, at)
    order = workorders.get(desk, order.id)
    assert "0113 496 0100" not in order.title
    with desk.reading() as reading:
        assert reading.records.the(Number, order.tasks[0].body.number).shown in order.title


def test_a_number_leaves_as_a_number_and_a_price_as_a_price(desk):
    shown = columns.chosen("e164,price", desk.who.role)
    text = b"".join(number_export.numbers(desk, "csv", Filter(site="wharf-house"), shown)).decode(
        "utf-8-sig"
    )
    assert "'" not in text
    assert "+4411349601" in text
    book = openpyxl.load_workbook(
        io.BytesIO(b"".join(number_export.numbers(desk, "xlsx", Filter(site="wharf-house"), shown)))
    )
    header, *rows = book.active.values
    assert {type(row[header.index("A month")]) for row in rows} <= {int, float}


def test_a_hold_that_was_ordered_leads_to_its_order(house, desk):
    hold = held(desk)
    _, work = ordered(desk, hold)
    until_quiet(house, timedelta(minutes=1))
    assert ordering.order_of_hold(desk, hold.id) == ordering.order_of(work)


def test_the_same_spot_is_not_added_twice_and_a_floor_alone_is_kept(desk):
    made = safety.add_spot(desk, site="wharf-house", floor="2nd floor", room="darkroom")
    with pytest.raises(NotAllowedNow, match=made.id):
        safety.add_spot(desk, site="wharf-house", floor="2nd floor", room="Darkroom ")
    assert safety.add_spot(desk, site="wharf-house", floor="2nd floor", room="").name == "2nd floor"


def test_ones_own_publication_is_no_conflict_and_the_drawing_is_no_longer_new(house, desk):
    made = drawing.begin_new(desk, "Night bell", "wharf-house")
    order_running.run(desk, drawing.publish(desk, made.path, made.version).id)
    until_quiet(house, timedelta(minutes=2))
    assert made.path not in {d.path for d in paths.drawings(desk)}
    again = drawing.begin(desk, made.path)
    order = drawing.publish(desk, made.path, again.version)
    assert not [
        f
        for f in order_views.view_order(desk, order.id).report.findings
        if f.rule == "path.published-since" and f.level != "pass"
    ]


def test_a_call_is_followed_through_a_drawing_that_was_never_published(desk):
    made = drawing.begin_new(desk, "Night bell", "wharf-house")
    assert calls.number_to_follow(desk, made.path).startswith("+44")


def test_who_has_left_has_nothing_left_that_rings_or_calls(house, desk):
    tasks, title = guided_workflows.plan(desk, "leaver", {"person": IFEOMA})
    order = order_running.run(desk, workorders.draft(desk, title, tasks).id)
    until_quiet(house, timedelta(minutes=5))
    assert workorders.get(desk, order.id).state is OrderState.DONE
    row = holders.one_holder(desk, HolderKind.PERSON, IFEOMA)
    assert (row.missing, row.devices, row.numbers) == ([], [], [])
    with desk.reading() as reading:
        person = reading.records.the(Person, IFEOMA)
    assert (person.left, person.rights, person.extension, person.caller_id) == (
        True,
        (),
        "",
        CallerId(),
    )


def test_a_site_manager_without_a_site_is_asked_for_one(desk):
    with pytest.raises(NotUnderstood) as caught:
        members.invite(
            desk,
            {
                "name": "Petra Vogel",
                "email": "p@lanternfield.example",
                "role": AccessRole.SITE_MANAGER,
            },
            "http://127.0.0.1/",
        )
    assert caught.value.field == "sites"

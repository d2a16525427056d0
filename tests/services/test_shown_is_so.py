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
def context(installation):
    return installation.context(MEMBERS[0])


def test_a_work_order_is_called_after_the_number_that_a_remedy_put_in(context):
    order = workorders.draft(
        context,
        "0113 496 0100 for them",
        [t.AssignNumber(number="+441134960100", holder=ref(newcomer(context)))],
    )
    taken = next(
        f
        for f in order_views.view_order(context, order.id).report.stops
        if "is " in f.message and f.remedies
    )
    at = next(i for i, remedy in enumerate(taken.remedies) if remedy.replaces)
    drafts.choose_remedy(context, order.id, taken.task, taken.rule, at)
    order = workorders.get(context, order.id)
    assert "0113 496 0100" not in order.title
    with context.reading() as reading:
        assert reading.records.the(Number, order.tasks[0].body.number).shown in order.title


def test_a_number_leaves_as_a_number_and_a_price_as_a_price(context):
    shown = columns.chosen("e164,price", context.who.role)
    text = b"".join(
        number_export.numbers(context, "csv", Filter(site="wharf-house"), shown)
    ).decode("utf-8-sig")
    assert "'" not in text
    assert "+4411349601" in text
    book = openpyxl.load_workbook(
        io.BytesIO(
            b"".join(number_export.numbers(context, "xlsx", Filter(site="wharf-house"), shown))
        )
    )
    header, *rows = book.active.values
    assert {type(row[header.index("A month")]) for row in rows} <= {int, float}


def test_a_hold_that_was_ordered_leads_to_its_order(installation, context):
    hold = held(context)
    _, work = ordered(context, hold)
    until_quiet(installation, timedelta(minutes=1))
    assert ordering.order_of_hold(context, hold.id) == ordering.order_of(work)


def test_the_same_spot_is_not_added_twice_and_a_floor_alone_is_kept(context):
    made = safety.add_spot(context, site="wharf-house", floor="2nd floor", room="darkroom")
    with pytest.raises(NotAllowedNow, match=made.id):
        safety.add_spot(context, site="wharf-house", floor="2nd floor", room="Darkroom ")
    assert (
        safety.add_spot(context, site="wharf-house", floor="2nd floor", room="").name == "2nd floor"
    )


def test_ones_own_publication_is_no_conflict_and_the_drawing_is_no_longer_new(
    installation, context
):
    made = drawing.begin_new(context, "Night bell", "wharf-house")
    order_running.run(context, drawing.publish(context, made.path, made.version).id)
    until_quiet(installation, timedelta(minutes=2))
    assert made.path not in {d.path for d in paths.drawings(context)}
    again = drawing.begin(context, made.path)
    order = drawing.publish(context, made.path, again.version)
    assert not [
        f
        for f in order_views.view_order(context, order.id).report.findings
        if f.rule == "path.published-since" and f.level != "pass"
    ]


def test_a_call_is_followed_through_a_drawing_that_was_never_published(context):
    made = drawing.begin_new(context, "Night bell", "wharf-house")
    assert calls.number_to_follow(context, made.path).startswith("+44")


def test_who_has_left_has_nothing_left_that_rings_or_calls(installation, context):
    tasks, title = guided_workflows.plan(context, "leaver", {"person": IFEOMA})
    order = order_running.run(context, workorders.draft(context, title, tasks).id)
    until_quiet(installation, timedelta(minutes=5))
    assert workorders.get(context, order.id).state is OrderState.DONE
    row = holders.one_holder(context, HolderKind.PERSON, IFEOMA)
    assert (row.missing, row.devices, row.numbers) == ([], [], [])
    with context.reading() as reading:
        person = reading.records.the(Person, IFEOMA)
    assert (person.left, person.rights, person.extension, person.caller_id) == (
        True,
        (),
        "",
        CallerId(),
    )


def test_a_site_manager_without_a_site_is_asked_for_one(context):
    with pytest.raises(NotUnderstood) as caught:
        members.invite(
            context,
            {
                "name": "Petra Vogel",
                "email": "p@lanternfield.example",
                "role": AccessRole.SITE_MANAGER,
            },
            "http://127.0.0.1/",
        )
    assert caught.value.field == "sites"

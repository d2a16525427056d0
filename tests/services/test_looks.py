"""Drafts that were only a look: they go by themselves unless somebody keeps them, and Today does
not nag about them."""

from datetime import timedelta

import pytest

from sedge.core.errors import NotAllowedNow
from sedge.core.records import HolderKind, HolderRef, Role
from sedge.core.workorders import tasks as t
from sedge.core.workorders.life import OrderState
from sedge.services.today import today
from sedge.services.workorders import draft_expiry, drafts, order_running, workorders

MAYA = HolderRef(kind=HolderKind.PERSON, id="person-saoirse-ashgrove")


def look(context, number="+441134960330", holder=MAYA, title="Give a number"):
    return workorders.draft(
        context, title, [t.AssignNumber(number=number, holder=holder, role=Role.EXTRA)], look=True
    )


def state(context, order):
    return workorders.get(context, order.id).state


def test_looking_at_the_same_thing_another_way_supersedes_the_first_look(context):
    first, second = look(context), look(context, number="+441134960331")
    gone = workorders.get(context, first.id)
    assert (gone.state, gone.superseded_by) == (OrderState.DISCARDED, second.no)
    assert state(context, second) is OrderState.DRAFT


def test_looks_at_other_things_and_of_other_people_stay(context, installation):
    from sedge.demo.seed import MEMBERS

    mine = look(context)
    look(
        context,
        number="+441134960331",
        holder=HolderRef(kind=HolderKind.PERSON, id="person-saoirse-farrow"),
    )
    other = next(
        m
        for m in MEMBERS
        if m.sign_in != MEMBERS[0].sign_in
        and m.organisation == MEMBERS[0].organisation
        and m.role == MEMBERS[0].role
    )
    look(installation.context(other), number="+441134960332")
    assert state(context, mine) is OrderState.DRAFT


@pytest.mark.parametrize(
    "touch",
    [
        lambda context, key: draft_expiry.keep_draft(context, key),
        lambda context, key: drafts.rename(context, key, "Maya's desk", ""),
        lambda context, key: drafts.comment(context, key, "please wait"),
        lambda context, key: drafts.set_when(
            context, key, run_at=context.now() + timedelta(days=9)
        ),
    ],
    ids=["kept", "renamed", "commented", "timed"],
)
def test_what_somebody_touched_stays(context, installation, touch):
    first = look(context)
    touch(context, first.id)
    look(context, number="+441134960331")
    installation.clock.advance(timedelta(days=4))
    draft_expiry.tidy(context.as_system())
    assert state(context, first) is OrderState.DRAFT


def test_remedies_alone_make_no_draft_that_stays(context):
    first = look(context)
    drafts.add_remedies(context, first.id)
    look(context, number="+441134960331")
    assert state(context, first) is OrderState.DISCARDED


def test_a_look_goes_after_three_days_and_the_ledger_says_why(context, installation):
    order = look(context)
    assert draft_expiry.goes_at(order) == order.created_at + timedelta(days=3)
    assert draft_expiry.tidy(context.as_system()) == 0
    installation.clock.advance(timedelta(days=3, minutes=1))
    assert draft_expiry.tidy(context.as_system()) == 1
    assert state(context, order) is OrderState.DISCARDED
    with pytest.raises(NotAllowedNow):
        order_running.run(context, order.id)


def test_today_tells_of_drafts_in_one_line_and_of_looks_not_at_all(context):
    def lines():
        return [line.what for line in today.todo(context) if "draft" in line.what]

    before = lines()
    look(context)
    assert lines() == before
    workorders.draft(
        context,
        "A second one",
        [t.AssignNumber(number="+441134960331", holder=MAYA, role=Role.EXTRA)],
    )
    assert lines() == ["2 work orders are drafts"]


def test_discarded_drafts_are_out_of_the_list_unless_asked_for(context):
    order = look(context)
    workorders.discard(context, order.id)
    assert order.no not in [x.no for x in workorders.list_orders(context)]
    assert order.no in [
        x.no for x in workorders.list_orders(context, states=(OrderState.DISCARDED,))
    ]

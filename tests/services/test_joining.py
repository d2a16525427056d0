"""From a need to an order: joiners without a number get theirs as it arrives, with all they lack,
by themselves."""

from concurrent.futures import ThreadPoolExecutor
from datetime import timedelta

import pytest

from sedge.core.changes import changed
from sedge.core.errors import NotAllowedNow, NotUnderstood
from sedge.core.holders.devices import DeviceKind
from sedge.core.numbers.life import State
from sedge.core.records import HolderKind, HolderRef, Number, Subject, Subscription
from sedge.core.supply.offers import Wish
from sedge.core.workorders import tasks as t
from sedge.core.workorders.life import OrderState
from sedge.services import people_lookup
from sedge.services.holders import holders, site_management
from sedge.services.holders.devices import devices
from sedge.services.imports import people_import
from sedge.services.supply import holds, ordering, provisioning, stock_search, supply
from sedge.services.workorders import order_views, workorders
from tests.asserting import every
from tests.conftest import until_quiet

LIST = (
    b"name,email,department,extension\nAda Marsh,ada.marsh@lanternfield.example,Learning,781\nBo"
    b" Reed,bo.reed@lanternfield.example,Learning,782\n"
)


def joiners(context):
    found = people_import.preview_people(context, LIST, "wharf-house")
    people_import.bring_in_people(context, LIST, found.digest, "wharf-house")
    return ["ada.marsh@lanternfield.example", "bo.reed@lanternfield.example"]


def hold(context, carrier="brackwater", count=3):
    found = stock_search.one(
        context, Wish("GB", area="Leeds", quantity=count, capacity="single"), carrier
    )
    return holds.hold(context, found.account.id, [n.e164 for n in found.offers[0].numbers])


def numbers_of(context, person):
    with context.reading() as reading:
        return reading.records.held_by(Number, [HolderRef(kind=HolderKind.PERSON, id=person.id)])


@pytest.mark.parametrize("carrier", ["brackwater", "fellgate"])
def test_a_joiner_list_is_ordered_for_and_given_numbers_by_itself(installation, context, carrier):
    mails = joiners(context)
    people = people_lookup.people_in(context, "\n".join(mails))
    need = provisioning.need_of(context, "wharf-house")
    assert {p.email for p in need.people} >= set(mails)
    assert need.area == "Leeds"
    wanted = ordering.Wanted(
        "Joiners",
        site="wharf-house",
        hold=hold(context, carrier).id,
        spot=_spot(context),
        people="\n".join(mails),
        reserve_for="the next ones",
    )
    key, order = ordering.place(context, wanted, agreed=ordering.plan(context, wanted).agreed)
    until_quiet(installation, timedelta(hours=1))
    done = order_views.view_order(context, order.id).order
    assert [x.error for x in done.tasks if x.error] == []
    assert done.state is OrderState.DONE
    held = [numbers_of(context, p) for p in people]
    assert [len(n) for n in held] == [1, 1]
    arrived = supply.numbers_of(context, key)
    assert [n.state for n in arrived].count(State.ASSIGNED) == 2
    assert [n.state_reason for n in arrived if n.state is State.RESERVED] == ["the next ones"]
    assert every(n.trunk for n in arrived if n.state is State.ASSIGNED)
    if carrier == "brackwater":
        assert holders.one_holder(context, HolderKind.PERSON, people[0].id).missing == [
            "a phone"
        ]  # help finds them by their number's spot


def test_a_phone_is_set_up_for_each_who_has_none(installation, context):
    mails = joiners(context)
    people = people_lookup.people_in(context, "\n".join(mails))
    devices.add(context, people[0].id, "desk phone", "has one")
    wanted = ordering.Wanted(
        "With phones",
        site="wharf-house",
        hold=hold(context).id,
        spot=_spot(context),
        people="\n".join(mails),
        phone=DeviceKind.DESK_PHONE,
    )
    planned = ordering.plan(context, wanted)
    assert [x.person for x in planned.bodies if isinstance(x, t.AddDevice)] == [people[1].id]
    ordering.place(context, wanted, agreed=planned.agreed)
    until_quiet(installation, timedelta(hours=1))
    assert [len(devices.of_person(context, p.id)) for p in people] == [1, 1]
    assert len(numbers_of(context, people[1])) == 1


def _spot(context):
    return site_management.spots_of(context, "wharf-house")[1].id


def test_the_greatest_need_comes_first_and_free_numbers_count(context):
    before, more = provisioning.needs(context)
    joiners(context)
    after = provisioning.need_of(context, "wharf-house")
    assert (
        len(after.people)
        == len(next((n.people for n in before if n.site.id == "wharf-house"), [])) + 2
    )
    assert after.short == max(0, len(after.people) - after.free)
    assert [len(n.people) for n in provisioning.needs(context)[0]] == sorted(
        (len(n.people) for n in provisioning.needs(context)[0]), reverse=True
    )
    assert not more
    assert provisioning.need_of(context, "spree-depot").people == []


def test_more_people_than_numbers_and_unknown_ones_are_refused_before_anything_is_bought(
    installation, context
):
    held = hold(context, count=1)
    mails = joiners(context)
    for people, words in (
        ("\n".join(mails), "2 people are named, and 1 number ordered"),
        ("Nobody Atall", "Nobody is called"),
        (f"{mails[0]}\n{mails[0]}", "there twice"),
    ):
        with pytest.raises(NotUnderstood, match=words) as error:
            ordering.order(
                context,
                reference="R",
                account="",
                site="wharf-house",
                hold_id=held.id,
                people=people,
            )
        assert error.value.field == "people"
    assert installation.outside.control.call("GET", "orders")["orders"] == []


@pytest.mark.parametrize(
    ("account", "e164", "site"),
    [
        ("fellgate-main", "+441174960777", "millwheel-gallery"),  # those around it are there
        ("brackwater-berlin", "+493023125777", "spree-depot"),  # it is in that town
        ("brackwater-berlin", "+492214710777", "harbour-loft"),  # it buys by the account
    ],
)
def test_an_order_is_for_the_site_that_is_likely(context, account, e164, site):
    assert site_management.likely_site(context, account, e164) == site


def test_nothing_is_bought_along_that_was_not_shown(installation, context):
    """Quoted the numbers alone, a licence for their holders would have come with them silently."""
    mails = joiners(context)
    fill_up(context)
    before = [(s.seats, s.used) for s in seats(context)]
    wanted = ordering.Wanted(
        "Joiners",
        site="wharf-house",
        hold=hold(context, "brackwater").id,
        spot=_spot(context),
        people=mails[0],
    )
    alone = ordering.plan(context, ordering.Wanted(hold=wanted.hold, site="wharf-house"))
    planned = ordering.plan(context, wanted)
    assert planned.buys_more
    assert not alone.buys_more
    assert "£" in planned.price
    assert planned.view.costs.monthly["GBP"].amount > alone.view.costs.monthly["GBP"].amount
    for agreed in ("", alone.agreed, "x"):
        with pytest.raises(NotAllowedNow, match="Nothing was bought") as refused:
            ordering.place(context, wanted, agreed=agreed)
        assert planned.price in refused.value.message
    assert [(s.seats, s.used) for s in seats(context)] == before
    assert supply.open_orders(context) == []


def fill_up(context):
    """No seat is left of any product."""

    def full(s):
        return changed(
            Subject.SUBSCRIPTION, s, s.copy_with(seats=s.used), "subscription.seats-cancelled"
        )

    with context.writing(reason="fewer seats") as writing:
        writing.save([full(s) for s in seats(context)])


def test_a_seat_that_is_there_costs_nothing_beside_the_number(context):
    mails = joiners(context)
    wanted = ordering.Wanted(
        "Joiners",
        site="wharf-house",
        hold=hold(context, "brackwater").id,
        spot=_spot(context),
        people=mails[0],
    )
    planned = ordering.plan(context, wanted)
    assert not planned.buys_more
    assert planned.view.costs.paid_already["GBP"].amount > 0


def seats(context):
    with context.reading() as reading:
        return sorted(reading.records.all(Subscription), key=lambda s: s.id)


def test_a_hold_is_ordered_once_however_often_it_is_pressed(installation, context):
    wanted = ordering.Wanted("Once", site="wharf-house", hold=hold(context, "fellgate").id)
    agreed = ordering.plan(context, wanted).agreed
    with ThreadPoolExecutor(4) as pool:
        keys = {
            key
            for key, _ in pool.map(
                lambda _: ordering.place(context, wanted, agreed=agreed), range(4)
            )
        }
    assert len(keys) == 1
    until_quiet(installation)
    assert ordering.order_of_hold(context, wanted.hold) == keys.pop()
    with pytest.raises(NotAllowedNow, match="hold has run out"):
        ordering.plan(context, wanted)


def test_the_same_numbers_in_two_open_orders_are_refused_at_once(context):
    found = hold(context, "fellgate")
    holds.end_hold(context, found.id)
    numbers = list(found.numbers)
    ordering.order(
        context, reference="first", account="fellgate-main", site="wharf-house", numbers=numbers
    )
    drafts_before = len(workorders.list_orders(context))
    with pytest.raises(NotAllowedNow, match="being ordered already"):
        ordering.order(
            context,
            reference="second",
            account="fellgate-main",
            site="wharf-house",
            numbers=numbers,
        )
    assert len(workorders.list_orders(context)) == drafts_before, "no draft is left behind"

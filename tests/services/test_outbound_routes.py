"""Outbound routes as somebody types them: read, put in their order, taken away, followed."""

import pytest

from sedge.core.changes import changed
from sedge.core.enums import Right, Subject
from sedge.core.errors import NotFound, NotUnderstood
from sedge.core.outbound.records import RouteHours, RouteLimits
from sedge.core.records import Site
from sedge.core.workorders.life import OrderState
from sedge.services.outbound import outbound_routes
from sedge.services.outbound.outbound_routes import RouteAsked, read_route
from sedge.services.workorders import order_running, order_views
from tests.conftest import until_quiet

ABROAD = {"name": " To  Germany ", "destinations": ["+49"], "trunks": ["leeds-a"]}


def asked(**changes):
    return RouteAsked.model_validate(ABROAD | changes)


def names(context):
    return [route.name for route in outbound_routes.view(context).routes]


def ran(context, order):
    order_running.run(context, order.id)
    until_quiet(context.installation)
    assert order_views.view_order(context, order.id).order.state is OrderState.DONE


@pytest.fixture
def three(context):
    """The routes there are, and three of our own behind them."""
    for name, digits in (("To Germany", "+49"), ("To France", "+33"), ("Premium", "premium")):
        route = read_route(context, asked(name=name, destinations=[digits]))
        ran(context, outbound_routes.with_route(context, None, route))
    return names(context)


def test_a_route_is_read_as_it_is_meant(context):
    whole = asked(
        trunks=["leeds-a", "", "brackwater-leeds", "leeds-a"],
        sites=["wharf-house"],
        shares=[60, 40],
        right=Right.INTERNATIONAL,
        hours=RouteHours(weekdays=(4, 0, 4), start=480, end=1080),
        limits=RouteLimits(minutes_a_day=60, told=" ana@example.com "),
    )
    route = read_route(context, whole)
    assert route.name == "To Germany"
    assert route.trunks == ("leeds-a", "brackwater-leeds"), "each once, in their order"
    assert route.shares == (60, 40)
    assert route.hours.weekdays == (0, 4)
    assert route.limits.told == "ana@example.com"


@pytest.mark.parametrize(
    ("changes", "field", "words"),
    [
        ({"name": "  "}, "name", "needs a name"),
        ({"name": "x" * 61}, "name", "at most 60"),
        ({"sites": ["nowhere"]}, "sites", "no such site"),
        ({"trunks": ["nothing"]}, "trunks", "no such trunk"),
        ({"destinations": ["+49", "moon"]}, "destinations", "moon"),
        ({"destinations": []}, "destinations", "."),
        ({"shares": [100], "cheapest": True}, "shares", "not both"),
        ({"shares": [60]}, "shares", "100 in all"),
        ({"shares": [60, 40]}, "shares", "100 in all"),
        (
            {"shares": [120, -20], "trunks": ["leeds-a", "brackwater-leeds"]},
            "shares",
            "each trunk its share",
        ),
        ({"hours": {"weekdays": [], "start": 0, "end": 60}}, "weekdays", "Choose the days"),
        ({"hours": {"weekdays": [1], "start": 60, "end": 60}}, "weekdays", "differs from"),
        ({"limits": {"told": "ana@example.com"}}, "minutes_a_day", "Type a limit too"),
        ({"limits": {"calls_a_day": 9, "told": "ana"}}, "told", "a mail address"),
    ],
)
def test_what_can_not_be_read_is_named(context, changes, field, words):
    with pytest.raises(NotUnderstood, match=words) as refused:
        read_route(context, asked(**changes))
    assert refused.value.field == field


def test_routes_keep_their_order_and_one_is_moved_up(context, three):
    place = outbound_routes.place_of(context, "to france")
    assert three[place] == "To France"
    ran(context, outbound_routes.moved_up(context, place))
    moved = names(context)
    assert moved.index("To France") == three.index("To Germany")
    assert sorted(moved) == sorted(three)
    order = outbound_routes.moved_up(context, 0)
    (task,) = order_views.view_order(context, order.id).order.tasks
    assert [route.name for route in task.body.routes] == moved, "the first stays where it is"


def test_a_route_is_changed_in_its_place_and_taken_away(context, three):
    place = outbound_routes.place_of(context, "To France")
    other = read_route(context, asked(name="To Paris", destinations=["+331"]))
    ran(context, outbound_routes.with_route(context, place, other))
    assert names(context)[place] == "To Paris"
    ran(context, outbound_routes.without(context, place))
    assert names(context) == [name for name in three if name != "To France"]


@pytest.mark.parametrize("place", [-1, 99])
def test_a_route_that_is_gone_is_said_to_be(context, place):
    route = read_route(context, asked())
    for change in (
        lambda: outbound_routes.with_route(context, place, route),
        lambda: outbound_routes.without(context, place),
        lambda: outbound_routes.moved_up(context, place),
    ):
        with pytest.raises(NotFound, match="no such route any more"):
            change()
    with pytest.raises(NotFound):
        outbound_routes.place_of(context, "Nothing like that")


def test_two_routes_of_one_name_are_refused(context, three):
    again = read_route(context, asked(name="TO GERMANY"))
    with pytest.raises(NotUnderstood, match="Two routes would be called") as refused:
        outbound_routes.with_route(context, None, again)
    assert refused.value.reason == "exists"


def test_a_call_is_followed_from_a_site(context, three):
    found = outbound_routes.followed(context, "wharf-house", "+49 30 12345678")
    assert (found.to, found.site) == ("+493012345678", "Wharf House")
    assert found.shown.startswith("+44113496")
    assert found.candidates
    with pytest.raises(NotFound):
        outbound_routes.followed(context, "nowhere", "+49 30 12345678")


def test_a_site_without_a_number_in_use_shows_nothing(context):
    with context.writing(reason="opens") as writing:
        site = writing.records.the(Site, "wharf-house")
        empty = site.copy_with(id="saltgate", name="Saltgate", code="SGS", address=None, spot=None)
        writing.save([changed(Subject.SITE, None, empty, "site.added")])
    with pytest.raises(NotUnderstood, match="No number of Saltgate is in use") as refused:
        outbound_routes.followed(context, "saltgate", "0113 496 0142")
    assert refused.value.field == "site"

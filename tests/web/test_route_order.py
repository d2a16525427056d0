"""Which routes are tried first: what is asked most is not searched among hundreds."""

from sedge.app import ROUTES, build_app
from sedge.discovery import RouteIndex


def test_the_health_check_and_the_index_come_before_all_pages():
    routes = build_app().router.routes
    index = next(i for i, route in enumerate(routes) if isinstance(route, RouteIndex))
    before = [getattr(route, "path", "") for route in routes[:index]]
    assert {"/healthz", "/callbacks/carrier", "/static"} <= set(before)
    assert routes[index + 1 :] == list(ROUTES)
    assert len(before) < 10

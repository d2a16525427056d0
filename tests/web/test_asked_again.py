"""Who they are is asked again before numbers go, and a session ends at the networks of its role."""

from datetime import timedelta

import pytest

from sedge.core.access.roles import AccessRole
from sedge.core.workorders import tasks as t
from sedge.core.workorders.tasks import KINDS
from sedge.services.access import access
from sedge.services.workorders import workorders
from tests.asserting import every

HTMX = {"HX-Request": "true"}


def later(installation, span):
    now = installation.clock.real()
    installation.clock.real = lambda: now + span


@pytest.fixture
def release(context):
    task = t.ReleaseNumber(number="+441134960190")
    return workorders.draft(context, "Release", [task])


def test_a_release_asks_for_the_password_and_then_goes_on(rowan, installation, release):
    installation.settings = installation.settings.model_copy(update={"demo": False})
    later(installation, access.SURE_FOR * 2 + timedelta(seconds=1))
    asked = rowan.post(f"/work-orders/{release.no}/run", headers=HTMX)
    assert (asked.status_code, asked.headers["HX-Redirect"][:6]) == (401, "/sure?")
    other = workorders.draft(
        installation.context(release_author(installation)), "Labels", [label()]
    )
    assert rowan.post(f"/work-orders/{other.no}/run", headers=HTMX).status_code != 401


def release_author(installation):
    from sedge.demo.members import MEMBERS

    return MEMBERS[0]


def label():
    return t.LabelNumbers(numbers=("+441134960190",), label="kept")


def test_what_no_undo_brings_back_of_numbers_asks_again():
    asked = {kind for kind, task in KINDS.items() if task.asks_again}
    assert asked == {"release_number", "approve_port_out"}
    assert every(KINDS[kind].for_good for kind in asked)


def test_a_session_counts_only_inside_the_networks_of_its_role(rowan, installation):
    assert rowan.get("/numbers").status_code == 200
    installation.settings = installation.settings.model_copy(
        update={"role_networks": {AccessRole.ADMINISTRATOR: ("192.0.2.0/24",)}}
    )
    gone = rowan.get("/numbers")
    assert (gone.status_code, gone.headers["location"][:9]) == (303, "/sign-in?")
    installation.settings = installation.settings.model_copy(update={"role_networks": {}})
    assert rowan.get("/numbers").status_code == 200

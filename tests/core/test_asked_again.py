"""What a change breaks in a call path that was in order when it was published is said by the
change's own checks."""

import pytest

from sedge.core import records as e
from sedge.core.callpaths.steps import EXITS, Forward, Mailbox, Path, Ring
from sedge.core.workorders import tasks as t
from sedge.core.workorders.checks import judge
from sedge.core.workorders.findings import Level
from tests.conftest import NOW

BOX = Mailbox(recipients=("amara",))
HOSTS = Ring(title="Hosts", groups=("hosts",), exits=dict.fromkeys(EXITS["ring"], "box"))


def published(estate, steps, first="ring"):
    body = Path(first=first, steps=steps).model_dump(mode="json")
    estate.put(e.PathVersion(id="desk", name="Front desk", number=1, body=body, in_force_from=NOW))


def said(estate, task, rule):
    found = next((f for f in judge(task, estate.build()) if f.rule == rule), None)
    return found and (found.level, found.message)


@pytest.fixture
def desks(estate):
    estate.person("Amara")
    estate.put(e.Group(id="hosts", name="Hosts", members=("amara",)))
    return estate


def test_the_last_member_of_a_group_that_rings_is_not_taken_out_unsaid(desks):
    published(desks, {"ring": HOSTS, "box": BOX})
    level, message = said(
        desks, t.SetGroup(group="hosts", name="Hosts", members=()), "group.paths-still-answer"
    )
    assert level is not Level.PASS
    assert message.startswith("Call path Front desk: ")
    assert (
        said(
            desks,
            t.SetGroup(group="hosts", name="Hosts", members=("amara",)),
            "group.paths-still-answer",
        )[0]
        is Level.PASS
    )


def test_a_right_that_a_forward_needs_is_not_taken_away_unsaid(desks):
    amara = e.HolderRef(kind=e.HolderKind.PERSON, id="amara")
    published(
        desks,
        {
            "ring": Forward(to="+442079460100", exits=dict.fromkeys(EXITS["forward"], "box")),
            "box": BOX,
        },
    )
    desks.given(142, amara, path="desk")
    level, message = said(
        desks, t.SetCallingRights(holder=amara, rights=()), "rights.forwards-still-go"
    )
    assert level is not Level.PASS
    assert message.startswith("Call path Front desk: ")


def test_a_path_that_forwards_is_no_good_on_the_number_of_somebody_without_the_right(desks):
    published(
        desks,
        {
            "ring": Forward(to="+442079460100", exits=dict.fromkeys(EXITS["forward"], "box")),
            "box": BOX,
        },
    )
    desks.given(142, desks.person("Piet Silent", rights=()))
    level, message = said(
        desks, t.SetPath(number="+441134960142", path="desk"), "path.on-this-number"
    )
    assert level is not Level.PASS
    assert message.startswith("Call path Front desk: ")
    desks.given(143, e.HolderRef(kind=e.HolderKind.PERSON, id="amara"))
    assert (
        said(desks, t.SetPath(number="+441134960143", path="desk"), "path.on-this-number")[0]
        is Level.PASS
    )


def test_what_was_wrong_before_is_not_said_again(desks):
    published(desks, {"ring": HOSTS.copy_with(people=("nobody",)), "box": BOX})
    assert (
        said(
            desks,
            t.SetGroup(group="hosts", name="Hosts", members=("amara",)),
            "group.paths-still-answer",
        )[0]
        is Level.PASS
    )

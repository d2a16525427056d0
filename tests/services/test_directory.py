"""The directory: pushed and pulled, proposed and taken, dismissed, never a silent change; what
nonsense is answered with."""

from dataclasses import replace
from datetime import timedelta

import pytest

from sedge.core.errors import NotAllowedNow, NotUnderstood
from sedge.core.holders.directory import ProposalKind
from sedge.core.records import Person
from sedge.core.workorders.life import OrderState
from sedge.formats import scim
from sedge.services.holders import directory_proposals
from sedge.services.today import today
from sedge.services.workorders import drafts, order_running, order_views, workorders
from sedge.store.schema import tables
from tests.conftest import until_quiet

SCIM = "/scim/v2"
USER = {
    "schemas": [scim.CORE_USER, scim.ENTERPRISE],
    "externalId": "x-1",
    "userName": "Odile.Marsh@lanternfield.example",
    "displayName": "Odile Marsh",
    "active": True,
    "emails": [{"value": "odile.marsh@lanternfield.example", "type": "work", "primary": True}],
    scim.ENTERPRISE: {"department": "Archive", "division": "Wharf House"},
}


@pytest.fixture
def door(client):
    client.headers |= {"Authorization": "Bearer demo", "Content-Type": "application/scim+json"}
    return client


def people(context):
    with context.reading() as reading:
        return {p.id: p for p in reading.records.where(Person, tables.person.c.departed.is_(False))}


def named(context, name, state="open"):
    return [
        o for o in directory_proposals.proposals(context, state=state) if o.proposal.name == name
    ]


def test_a_push_changes_nothing_and_proposes(context, door):
    before = people(context)
    made = door.post(f"{SCIM}/Users", json=USER)
    assert (made.status_code, made.headers["content-type"]) == (201, "application/scim+json")
    assert made.headers["location"].endswith(made.json()["id"])
    assert people(context) == before
    assert [o.proposal.kind for o in named(context, "Odile Marsh")] == [ProposalKind.JOINER]
    assert any("people join" in line.what for line in today.todo(context))
    assert door.post(f"{SCIM}/Users", json=USER).status_code == 409


def test_a_joiner_is_taken_runs_and_is_done_with(installation, context, door):
    key = door.post(f"{SCIM}/Users", json=USER).json()["id"]
    order = directory_proposals.take(context, [o.id for o in named(context, "Odile Marsh")])
    assert named(context, "Odile Marsh") == []
    assert [o.work_order for o in named(context, "Odile Marsh", "taken")] == [order.id]
    order_running.run(context, order.id)
    until_quiet(installation)
    assert people(context)[key].known_elsewhere_as == "x-1"
    assert [o.state for o in named(context, "Odile Marsh", "done")] == ["done"]
    door.put(f"{SCIM}/Users/{key}", json=USER)
    assert named(context, "Odile Marsh") == [], "what agrees is not proposed"


def test_a_work_order_that_comes_to_nothing_leaves_the_proposal_open(installation, context, door):
    door.post(f"{SCIM}/Users", json=USER)
    order = directory_proposals.take(context, [o.id for o in named(context, "Odile Marsh")])
    workorders.discard(context, order.id)
    until_quiet(installation)
    assert len(named(context, "Odile Marsh")) == 1


def test_what_is_dismissed_comes_again_only_when_something_else_is_said(context, door):
    key = door.post(f"{SCIM}/Users", json=USER).json()["id"]
    directory_proposals.dismiss(context, [o.id for o in named(context, "Odile Marsh")])
    door.put(f"{SCIM}/Users/{key}", json=USER)
    assert named(context, "Odile Marsh") == []
    door.patch(
        f"{SCIM}/Users/{key}",
        json={"Operations": [{"op": "replace", "path": "title", "value": "archivist"}]},
    )
    assert [o.proposal.said["job"] for o in named(context, "Odile Marsh")] == ["archivist"]
    with pytest.raises(NotUnderstood):
        directory_proposals.dismiss(context, [])


def test_a_leaver_gives_all_back_in_one_work_order(installation, context, door):
    holder = next(
        p
        for p in people(context).values()
        if p.email == "amara.kowalczyk@lanternfield.example" or p.known_elsewhere_as == "dir-102"
    )
    door.patch(
        f"{SCIM}/Users/{holder.id}",
        json={"Operations": [{"op": "Replace", "path": "active", "value": "False"}]},
    )
    found = named(context, holder.name)
    assert [o.proposal.kind for o in found] == [ProposalKind.LEAVER]
    order = directory_proposals.take(context, [found[0].id])
    assert {"unassign_number", "change_person"} <= {x.body.kind for x in order.tasks}
    view = order_views.view_order(context, order.id)
    if not view.runnable:
        assert any(f.rule == "person.not-alone-in-a-path" for f in view.report.stops)
        return
    order_running.run(context, order.id)
    until_quiet(installation, timedelta(minutes=5))
    assert order_views.view_order(context, order.id).order.state is OrderState.DONE
    assert holder.id not in people(context)


def test_a_site_that_sedge_does_not_know_must_be_chosen(installation, context):
    found = named(context, "Imke Sandvoort")[0]
    with pytest.raises(NotUnderstood, match="North Lodge") as raised:
        directory_proposals.take(context, [found.id])
    assert raised.value.field == f"site-{found.id}"
    order = directory_proposals.take(context, [found.id], sites={found.id: "canal-museum"})
    assert order.tasks[0].body.site == "canal-museum"


def test_whoever_the_directory_no_longer_has_seems_to_have_left(installation, context):
    leavers = [
        o for o in directory_proposals.proposals(context) if o.proposal.kind is ProposalKind.LEAVER
    ]
    assert len(leavers) == 1, "the demo's directory has lost one"
    directory_proposals.pull(context)
    assert (
        len(
            [
                o
                for o in directory_proposals.proposals(context)
                if o.proposal.kind is ProposalKind.LEAVER
            ]
        )
        == 1
    ), "asked again it says the same once"


def asked_in_half_an_hour(installation):
    """Whether the fault that was ordered has happened by then."""
    until_quiet(installation, timedelta(minutes=30))
    return not installation.outside.control.state()["faults"]


def test_the_directory_is_asked_at_night_and_a_silent_one_an_hour_later(installation, context):
    directory_proposals.dismiss(context, [o.id for o in directory_proposals.proposals(context)])
    installation.outside.control.in_directory({"kind": "joiner", "name": "Nerys Holt"})
    assert named(context, "Nerys Holt") == []
    control = installation.outside.control
    control.order_fault({"service": "directory", "fault": "error", "count": 1})
    halves = range(49)
    assert any(asked_in_half_an_hour(installation) for _ in halves), "within a day"
    assert named(context, "Nerys Holt") == [], "it did not answer"
    until_quiet(installation, timedelta(hours=2))
    assert [o.proposal.kind for o in named(context, "Nerys Holt")] == [ProposalKind.JOINER]


def test_groups_come_with_their_members_and_change_by_patch(context, door):
    ids = sorted(people(context))[:3]
    body = {
        "schemas": [scim.CORE_GROUP],
        "externalId": "g-9",
        "displayName": "Night duty",
        "members": [{"value": i} for i in ids[:2]],
    }
    key = door.post(f"{SCIM}/Groups", json=body).json()["id"]
    assert named(context, "Night duty")[0].proposal.changes["members"] == ids[:2]
    patch = {
        "Operations": [
            {"op": "remove", "path": f'members[value eq "{ids[0]}"]'},
            {"op": "add", "path": "members", "value": [{"value": ids[2]}]},
        ]
    }
    assert door.patch(f"{SCIM}/Groups/{key}", json=patch).status_code == 200
    assert named(context, "Night duty")[0].proposal.changes["members"] == ids[1:]
    order = directory_proposals.take(context, [named(context, "Night duty")[0].id])
    assert order_views.view_order(context, order.id).runnable
    assert door.delete(f"{SCIM}/Groups/{key}").status_code == 204


def test_filters_pages_and_what_the_server_can(context, door):
    door.post(f"{SCIM}/Users", json=USER)
    assert (
        door.get(
            f"{SCIM}/Users", params={"filter": 'userName eq "odile.MARSH@lanternfield.example"'}
        ).json()["totalResults"]
        == 1
    )
    assert (
        door.get(
            f"{SCIM}/Users", params={"filter": 'externalId eq "x-1" and active eq true'}
        ).json()["totalResults"]
        == 1
    )
    first = door.get(f"{SCIM}/Users", params={"count": 2}).json()
    second = door.get(f"{SCIM}/Users", params={"count": 2, "startIndex": 3}).json()
    assert first["totalResults"] == second["totalResults"] > 80
    assert not {r["id"] for r in first["Resources"]} & {r["id"] for r in second["Resources"]}
    assert door.get(f"{SCIM}/ServiceProviderConfig").json()["patch"]["supported"]
    assert {x["id"] for x in door.get(f"{SCIM}/ResourceTypes").json()["Resources"]} == {
        "User",
        "Group",
    }
    assert scim.CORE_USER in {x["id"] for x in door.get(f"{SCIM}/Schemas").json()["Resources"]}


@pytest.mark.parametrize(
    ("method", "path", "body", "status", "kind"),
    [
        ("POST", "/Users", b"{", 400, "invalidSyntax"),
        ("POST", "/Users", b"[]", 400, "invalidSyntax"),
        ("POST", "/Users", b"{}", 400, "invalidValue"),
        ("POST", "/Users", b'{"userName": {"a": 1}}', 400, "invalidValue"),
        ("POST", "/Users", b'{"userName": "no mail"}', 400, "invalidValue"),
        ("POST", "/Users", b"[" * 5000, 400, "invalidSyntax"),
        ("POST", "/Groups", b'{"displayName": ""}', 400, "invalidValue"),
        ("GET", "/Users?filter=userName%20xx", None, 400, "invalidFilter"),
        ("GET", "/Users?startIndex=x", None, 400, "invalidValue"),
        ("GET", "/Users/nobody", None, 404, None),
        ("PATCH", "/Users/nobody", b"{}", 404, None),
        ("DELETE", "/Groups/nothing", None, 404, None),
        ("PUT", "/Users/nobody", b"{}", 404, None),
    ],
)
def test_nonsense_is_answered_in_the_protocols_own_words(door, method, path, body, status, kind):
    answer = door.request(method, SCIM + path, content=body)
    told = answer.json()
    assert (answer.status_code, told.get("scimType"), told["status"]) == (status, kind, str(status))
    assert told["schemas"] == ["urn:ietf:params:scim:api:messages:2.0:Error"]
    assert told["detail"]


@pytest.mark.parametrize(
    "operation",
    [
        {"op": "fly"},
        {"op": "remove", "path": "nonsense"},
        {"op": "replace", "path": "id", "value": "x"},
        {"op": "replace", "path": "emails", "value": []},
    ],
)
def test_a_patch_that_makes_no_sense_changes_nothing(context, door, operation):
    key = door.post(f"{SCIM}/Users", json=USER).json()["id"]
    before = door.get(f"{SCIM}/Users/{key}").json()
    answer = door.patch(f"{SCIM}/Users/{key}", json={"Operations": [operation]})
    assert answer.status_code in {200, 400}
    if answer.status_code == 400:
        assert door.get(f"{SCIM}/Users/{key}").json() == before


def test_without_a_token_the_door_is_shut(client):
    assert client.get(f"{SCIM}/Users").status_code == 401


def test_a_mover_is_warned_of_the_spot_before_it_runs(context):
    mover = next(
        o for o in directory_proposals.proposals(context) if o.proposal.kind is ProposalKind.MOVER
    )
    order = directory_proposals.take(context, [mover.id])
    report = order_views.view_order(context, order.id).report
    assert any(f.rule == "person.spot-after-move" for f in (*report.stops, *report.warnings))
    drafts.comment(context, order.id, "asked her where she sits")


def test_another_organisation_hears_nothing_of_this_ones_people(installation, context):
    theirs = installation.context(replace(context.who, organisation="copperleaf"))
    until_quiet(installation, timedelta(days=2))
    assert directory_proposals.proposals(theirs) == []
    with pytest.raises(NotAllowedNow, match="No directory is connected"):
        directory_proposals.pull(theirs)

"""Groups, devices, downstream systems, service lines' members, what the directory proposes; the
bulk planner."""

from typing import Any

from fastapi import Request
from fastapi.responses import Response
from pydantic import BaseModel, ConfigDict, Field

from sedge.api.answers import Page
from sedge.api.holders.answers import (
    DeviceAddedOut,
    DeviceDetailOut,
    DeviceOut,
    DeviceSecretOut,
    DismissedOut,
    ErasedOut,
    ErasureRuleOut,
    GroupDetailOut,
    GroupOut,
    LeaverOut,
    LineChangedOut,
    PlanOut,
    ProposalOut,
    PulledOut,
    SetUpOut,
    SystemDetailOut,
    SystemOut,
    SystemsOut,
    service_line_out,
)
from sedge.api.routing import RequestContext, Resource, once
from sedge.api.workorders.answers import WorkOrderOut, work_order_out
from sedge.core.access.roles import May
from sedge.core.records import Device, Downstream, Group
from sedge.core.workorders.planner.problem import Wish
from sedge.services.holders import (
    directory_proposals,
    downstream,
    erasure,
    erasure_rule,
    groups,
    service_lines,
    site_setup,
)
from sedge.services.holders.devices import devices
from sedge.services.spend import order_costs
from sedge.services.workorders.planner import bulk_planner

resource = Resource(tags=["holders"])


class GroupAsked(BaseModel):
    """`members`: people by name, mail address or extension."""

    model_config = ConfigDict(extra="forbid")
    name: str = Field(max_length=80)
    members: list[str] = Field(default=[], max_length=2000)


class DeviceAsked(BaseModel):
    model_config = ConfigDict(extra="forbid")
    person: str
    kind: str
    name: str = Field(default="", max_length=80)


class SystemAsked(BaseModel):
    model_config = ConfigDict(extra="forbid")
    name: str
    site: str
    host: str
    port: int = 5061
    transport: str = "tls"
    number_format: str = "with plus"
    spot: str = ""


class LineChanged(BaseModel):
    model_config = ConfigDict(extra="forbid")
    name: str
    kind: str
    members: list[str] = Field(default=[], max_length=200)
    groups: list[str] = Field(default=[], max_length=50)
    spot: str = ""


class Picked(BaseModel):
    """Ids of proposals; `sites` says where a joiner shall be whose site the directory does not
    name."""

    model_config = ConfigDict(extra="forbid")
    proposals: list[str] = Field(max_length=500)
    sites: dict[str, str] = {}


class PlanAsked(BaseModel):
    """People by sites or named; numbers as text, else what is available at their sites; `pins` are
    pairs of person and number; `draft` writes the work order."""

    model_config = ConfigDict(extra="forbid")
    sites: list[str] = Field(default=[], max_length=400)
    department: str = ""
    people: list[str] = Field(default=[], max_length=5000)
    also_with_number: bool = False
    numbers: str = Field(default="", max_length=20_000)
    weights: dict[Wish, int] | None = None
    pins: dict[str, str] | None = None
    barred: list[tuple[str, str]] = Field(default=[], max_length=500)
    draft: bool = False
    prove: bool = False
    spot: str = ""


def _group(g: Group) -> GroupOut:
    return {
        "id": g.id,
        "name": g.name,
        "members": list(g.members),
        "known_elsewhere_as": g.known_elsewhere_as,
        "removed": g.removed,
    }


@resource.read("/groups")
def group_list(context: RequestContext) -> Page[GroupOut]:
    return {"items": [_group(g) for g in groups.list_groups(context)], "next": None}


@resource.creates("/groups", May.CHANGE_HOLDERS, WorkOrderOut)
def add_group(request: Request, context: RequestContext, asked: GroupAsked) -> Response:
    """Set up by a work order, which is the answer."""

    def make(identity: str | None) -> tuple[int, Any]:
        order = groups.set_group(context, asked.name, "\n".join(asked.members))
        return 201, work_order_out(order_costs.view_order(context, order.id))

    return once(request, context, asked.model_dump(), make)


@resource.read("/groups/{key}")
def group(context: RequestContext, key: str) -> GroupDetailOut:
    view = groups.view_group(context, key)
    return {
        **_group(view.group),
        "paths": [p.id for p in view.paths],
        "service_lines": [x.id for x in view.lines],
    }


@resource.write("/groups/{key}", May.CHANGE_HOLDERS, method="PATCH")
def change_group(context: RequestContext, key: str, asked: GroupAsked) -> WorkOrderOut:
    return work_order_out(
        order_costs.view_order(
            context, groups.set_group(context, asked.name, "\n".join(asked.members), key).id
        )
    )


@resource.write("/groups/{key}", May.CHANGE_HOLDERS, method="DELETE")
def remove_group(context: RequestContext, key: str) -> WorkOrderOut:
    """Refused where a call path rings it."""
    return work_order_out(order_costs.view_order(context, groups.take_away(context, key).id))


def _device(d: Device, why: str) -> DeviceOut:
    return {
        "id": d.id,
        "person": d.person,
        "kind": d.kind,
        "name": d.name,
        "user": d.user,
        "registered": d.registered,
        "why_not": why,
    }


@resource.write("/devices", May.CHANGE_HOLDERS)
def add_device(context: RequestContext, asked: DeviceAsked) -> DeviceAddedOut:
    """The answer has the secret, this once."""
    sheet = devices.add(context, asked.person, asked.kind, asked.name)
    return {
        **_device(sheet.device, sheet.silent),
        "secret": sheet.secret,
        "settings": {s.name: s.value for s in sheet.settings},
    }


@resource.read("/devices/{key}")
def device(context: RequestContext, key: str) -> DeviceDetailOut:
    sheet = devices.sheet(context, key)
    return {
        **_device(sheet.device, sheet.silent),
        "settings": {s.name: s.value for s in sheet.settings},
    }


@resource.write("/devices/{key}/secret", May.CHANGE_HOLDERS)
def new_secret(context: RequestContext, key: str) -> DeviceSecretOut:
    """Made anew; the answer has it, this once."""
    sheet = devices.new_secret(context, key)
    return {**_device(sheet.device, sheet.silent), "secret": sheet.secret}


@resource.write("/devices/{key}", May.CHANGE_HOLDERS, method="DELETE")
def remove_device(context: RequestContext, key: str) -> DeviceOut:
    return _device(devices.remove(context, key), "It has been taken away.")


def _system(s: Downstream) -> SystemOut:
    return {
        "id": s.id,
        "name": s.name,
        "site": s.site,
        "host": s.host,
        "port": s.port,
        "transport": s.transport,
        "number_format": s.number_format,
        "spot": s.spot,
    }


@resource.read("/downstream-systems")
def systems(context: RequestContext) -> Page[SystemsOut]:
    return {
        "items": [{**_system(s), "numbers": n} for s, _, n in downstream.list_systems(context)],
        "next": None,
    }


@resource.creates("/downstream-systems", May.CHANGE_HOLDERS, SystemOut)
def add_system(request: Request, context: RequestContext, asked: SystemAsked) -> Response:
    def make(identity: str | None) -> tuple[int, Any]:
        return 201, _system(
            downstream.keep_system(context, {k: str(v) for k, v in asked.model_dump().items()})
        )

    return once(request, context, asked.model_dump(), make)


@resource.read("/downstream-systems/{key}")
def system(context: RequestContext, key: str) -> SystemDetailOut:
    """With its numbers as ranges, and each as the system wants it written."""
    view = downstream.view_system(context, key)
    return {**_system(view.system), "ranges": view.ranges, "written": view.written}


@resource.write("/downstream-systems/{key}", May.CHANGE_HOLDERS, method="PATCH")
def change_system(context: RequestContext, key: str, asked: SystemAsked) -> SystemOut:
    return _system(
        downstream.keep_system(context, {k: str(v) for k, v in asked.model_dump().items()}, key)
    )


@resource.write("/service-lines/{key}", May.CHANGE_HOLDERS, method="PATCH")
def change_line(context: RequestContext, key: str, asked: LineChanged) -> LineChangedOut:
    line = service_lines.change_line(
        context,
        key,
        name=asked.name,
        kind=asked.kind,
        members="\n".join(asked.members),
        groups=asked.groups,
        spot=asked.spot,
    )
    return {**service_line_out(line), "members": list(line.members), "groups": list(line.groups)}


@resource.read("/sites/{key}/set-up")
def set_up(context: RequestContext, key: str) -> SetUpOut:
    """What the site has and lacks, in the order in which it is done."""
    found = site_setup.guide(context, key)
    return {
        "site": found.site.id,
        "steps": [
            {"key": s.key, "what": s.what, "level": s.state, "how": s.how} for s in found.steps
        ],
    }


@resource.read("/directory/proposals", May.DIRECTORY)
def proposals(context: RequestContext, state: str = "open") -> Page[ProposalOut]:
    items: list[ProposalOut] = [
        {
            "id": o.id,
            "state": o.state,
            "work_order": o.work_order,
            "kind": o.proposal.kind,
            "about": o.proposal.about,
            "name": o.proposal.name,
            "said": o.proposal.said,
            "differences": list(o.proposal.differences),
            "changes": o.proposal.changes,
            "problem": o.proposal.problem,
        }
        for o in directory_proposals.proposals(context, state=state)
    ]
    return {"items": items, "next": None}


@resource.write("/directory/proposals/take", May.DIRECTORY)
def take(context: RequestContext, asked: Picked) -> WorkOrderOut:
    """A draft with what they come to."""
    return work_order_out(
        order_costs.view_order(
            context, directory_proposals.take(context, asked.proposals, sites=asked.sites).id
        )
    )


@resource.write("/directory/proposals/dismiss", May.DIRECTORY)
def dismiss(context: RequestContext, asked: Picked) -> DismissedOut:
    return {"dismissed": directory_proposals.dismiss(context, asked.proposals)}


class ErasureAsked(BaseModel):
    model_config = ConfigDict(extra="forbid")
    reason: str = Field(max_length=200)


@resource.write("/people/{key}/erase", May.SET_RULES)
def erase(context: RequestContext, key: str, asked: ErasureAsked) -> ErasedOut:
    """Take the personal data of somebody who has left out of all that is kept; for good."""
    done = erasure.erase(context, key, asked.reason)
    return {"rows": done.rows, "entries": done.entries}


class ErasureRuleAsked(BaseModel):
    """`days` 0: never by itself."""

    model_config = ConfigDict(extra="forbid")
    days: int = Field(ge=0, le=100_000)


@resource.read("/leavers", May.SET_RULES)
def leavers(context: RequestContext) -> ErasureRuleOut:
    """People who have left and are still named, and when their personal data is erased by
    itself."""
    return _rule_out(erasure_rule.view(context))


@resource.write("/leavers", May.SET_RULES, method="PUT")
def set_erasure_rule(context: RequestContext, asked: ErasureRuleAsked) -> ErasureRuleOut:
    """Erase the personal data of people so many days after they have left, by itself."""
    return _rule_out(erasure_rule.set_days(context, asked.days))


def _rule_out(rule: erasure_rule.Rule) -> ErasureRuleOut:
    leavers: list[LeaverOut] = [
        {
            "person": leaver.person.id,
            "name": leaver.person.name,
            "since": leaver.since,
            "missing": leaver.missing,
            "on": leaver.on,
        }
        for leaver in rule.leavers
    ]
    return {"days": rule.days, "leavers": leavers}


@resource.write("/directory/pull", May.DIRECTORY)
def pull(context: RequestContext) -> PulledOut:
    """Ask the directory for everybody now."""
    return {"open": directory_proposals.pull(context)}


@resource.write("/planner", May.CHANGE_ESTATE)
def plan(context: RequestContext, asked: PlanAsked) -> PlanOut:
    """The best plan for the wishes: who gets what, each wish met or not and why; nothing is kept
    unless a draft is asked for."""
    planned = bulk_planner.plan(
        context,
        bulk_planner.Asked(
            sites=tuple(asked.sites),
            department=asked.department,
            people="\n".join(asked.people),
            also_with_number=asked.also_with_number,
            numbers=asked.numbers,
            weights=asked.weights,
            pins=asked.pins,
            barred=tuple(asked.barred),
        ),
    )
    order = (
        bulk_planner.draft(context, planned, prove=asked.prove, spot=asked.spot)
        if asked.draft
        else None
    )
    return {
        "given": list(planned.plan.given),
        "points": planned.plan.points,
        "windows": planned.plan.windows,
        "left_out": len(planned.plan.left_out),
        "work_order": order.id if order else None,
    }

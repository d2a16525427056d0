"""The organisations somebody acts for, a new one from a pattern; members; letters;
templates of work orders."""

from typing import Annotated

from fastapi import Query, Request
from pydantic import BaseModel, ConfigDict, Field

from sedge.api.access.answers import (
    InvitationOut,
    InvitedOut,
    LetterOut,
    LetterPreviewOut,
    MemberOut,
    MembersOut,
    OrganisationAddedCheckOut,
    OrganisationAddedOut,
    OrganisationOut,
    TemplateOut,
    TemplateSlotOut,
    TemplatesOut,
    TemplatesUsualOut,
    TemplateUsedOut,
)
from sedge.api.answers import Page, moment
from sedge.api.routing import RequestContext, Resource
from sedge.core.access.roles import May
from sedge.formats.letters import LetterText
from sedge.services import letters
from sedge.services.access import members, organisations
from sedge.services.workorders import guided_workflows, order_templates, workorders
from sedge.store.repositories.access.invitations import Invitation
from sedge.store.repositories.access.sign_ins import Member

resource = Resource(tags=["organisations"])


class NewOrganisation(BaseModel):
    """With a `token` of one's own the same request gives the same organisation, however often it is
    sent."""

    model_config = ConfigDict(extra="forbid")
    name: str = Field(max_length=120)
    country: str = Field(max_length=2)
    token: str = Field(default="", max_length=8)
    administrators: list[str] = Field(default=[], max_length=10)
    carriers: list[str] = Field(default=[], max_length=20)
    site_name: str = Field(default="", max_length=120)
    code: str = Field(default="", max_length=3)
    house_number: str = Field(default="", max_length=40)
    street: str = Field(default="", max_length=200)
    city: str = Field(default="", max_length=200)
    postcode: str = Field(default="", max_length=40)
    region: str = Field(default="", max_length=40)
    security_desk: str = Field(default="", max_length=200)
    accepted: bool = False

    def form(self) -> dict[str, str]:
        values = self.model_dump(exclude={"administrators", "accepted"})
        return {
            **values,
            "administrators": " ".join(self.administrators),
            "accepted": "1" if self.accepted else "",
        }


class Role(BaseModel):
    model_config = ConfigDict(extra="forbid")
    role: str
    sites: list[str] = Field(default=[], max_length=200)


class Invited(Role):
    name: str = Field(max_length=120)
    email: str = Field(max_length=200)


class Letter(BaseModel):
    model_config = ConfigDict(extra="forbid")
    subject: str = Field(max_length=2000)
    text: str = Field(max_length=20_000)
    html: str = Field(default="", max_length=40_000)
    version: int = Field(ge=0)


class Named(BaseModel):
    model_config = ConfigDict(extra="forbid")
    name: str = Field(max_length=80)


class Filled(BaseModel):
    """For a kept template `slots` by their place; for the usual work its fields by name."""

    model_config = ConfigDict(extra="forbid")
    slots: dict[int, str] = {}
    fields: dict[str, str] = {}
    reason: str = Field(default="", max_length=400)


# ── organisations ──


@resource.read("/organisations")
def mine(context: RequestContext) -> Page[OrganisationOut]:
    items: list[OrganisationOut] = [
        {
            "id": m.organisation.id,
            "name": m.organisation.name,
            "country": m.organisation.home_country,
            "role": m.role.value,
            "numbers": m.numbers,
            "people": m.people,
            "todo": m.todo,
            "running": m.running,
            "here": m.is_here,
        }
        for m in organisations.mine(context)
    ]
    return {"items": items, "next": None}


@resource.write("/organisations", May.SET_RULES, status_code=201)
def add(
    context: RequestContext, asked: NewOrganisation, *, dry_run: bool = False
) -> OrganisationAddedOut:
    """Everything is looked at first; with `dry_run` only that."""
    found = organisations.review(context, asked.form())
    checks: list[OrganisationAddedCheckOut] = [
        {"what": c.what, "ok": c.ok, "says": c.says} for c in found.checks
    ]
    if dry_run:
        return {"id": None, "runnable": found.runnable, "checks": checks}
    made = organisations.create(context, asked.form())
    return {"id": made.id, "runnable": True, "checks": checks}


# ── members ──


def _member(m: Member) -> MemberOut:
    return {
        "id": m.sign_in,
        "name": m.name,
        "email": m.email,
        "role": m.role.value,
        "sites": list(m.sites),
    }


def _invitation(x: Invitation) -> InvitationOut:
    return {
        "id": x.id,
        "name": x.name,
        "email": x.email,
        "role": x.role.value,
        "sites": list(x.sites),
        "by": x.invited_by,
        "until": moment(x.expires_at),
    }


@resource.read("/members", May.SET_RULES)
def who(context: RequestContext) -> MembersOut:
    here, invited = members.list_members(context)
    return {
        "items": [_member(m) for m in here],
        "invited": [_invitation(x) for x in invited],
        "next": None,
    }


@resource.write("/members", May.SET_RULES, status_code=201)
def invite(request: Request, context: RequestContext, asked: Invited) -> InvitedOut:
    """Writes to them; the letter has an address that lets them in once, within a week."""
    address = request.app.state.installation.settings.public_url or str(request.base_url)
    made = members.invite(context, asked.model_dump(), address)
    return {**_invitation(made.invitation), "link": made.link or None}


@resource.write("/members/{sign_in}", May.SET_RULES)
def change_member(context: RequestContext, sign_in: str, asked: Role) -> MembersOut:
    members.change_member(context, sign_in, asked.model_dump())
    return who(context)


@resource.write("/members/{sign_in}", May.SET_RULES, "DELETE")
def end(context: RequestContext, sign_in: str) -> MembersOut:
    members.end(context, sign_in)
    return who(context)


@resource.write("/invitations/{key}", May.SET_RULES, "DELETE")
def withdraw(context: RequestContext, key: str) -> MembersOut:
    members.withdraw(context, key)
    return who(context)


# ── letters ──


def _letter(kept: letters.Kept) -> LetterOut:
    t = kept.text
    return {
        "kind": t.kind,
        "language": t.language,
        "subject": t.subject,
        "text": t.text,
        "html": t.html,
        "version": kept.version,
    }


@resource.read("/letters/{kind}/{language}", May.SET_RULES)
def letter(context: RequestContext, kind: str, language: str) -> LetterOut:
    return _letter(letters.view_letter(context, kind, language))


@resource.read("/letters/{kind}/{language}/preview", May.SET_RULES)
def preview(
    context: RequestContext,
    kind: str,
    language: str,
    order: Annotated[str, Query(max_length=80)] = "",
) -> LetterPreviewOut:
    """As it would be with a real work order's facts."""
    shown = letters.preview(context, letters.view_letter(context, kind, language).text, order)
    return {"subject": shown.subject, "text": shown.text, "html": shown.html}


@resource.write("/letters/{kind}/{language}", May.SET_RULES, "PUT")
def keep_letter(context: RequestContext, kind: str, language: str, asked: Letter) -> LetterOut:
    return _letter(
        letters.keep_letter(
            context,
            LetterText(kind, language, asked.subject, asked.text, asked.html),
            asked.version,
        )
    )


# ── templates ──


@resource.read("/templates", May.CHANGE_ESTATE)
def templates(context: RequestContext) -> TemplatesOut:
    """The usual work with its fields, and what was kept from work orders with its slots."""
    usual: list[TemplatesUsualOut] = [
        {"id": k.key, "name": k.name, "what": k.what, "fields": list(k.fields)}
        for k in guided_workflows.KINDS.values()
    ]
    return {
        "usual": usual,
        "items": [_template(x) for x in order_templates.templates(context)],
        "next": None,
    }


def _template(x: order_templates.Template) -> TemplateOut:
    slots: list[TemplateSlotOut] = [
        {"slot": i, "subject": kind, "id": ref, "name": name}
        for i, (kind, ref, name) in enumerate(x.slots)
    ]
    return {"id": x.id, "name": x.name, "by": x.created_by, "tasks": x.tasks, "slots": slots}


@resource.write("/work-orders/{key}/template", May.CHANGE_ESTATE, status_code=201)
def keep_template(context: RequestContext, key: str, asked: Named) -> TemplateOut:
    return _template(order_templates.keep_as_template(context, key, asked.name))


@resource.write("/templates/{key}", May.CHANGE_ESTATE, status_code=201)
def use_template(context: RequestContext, key: str, asked: Filled) -> TemplateUsedOut:
    """A draft of it."""
    if key in guided_workflows.KINDS:
        tasks, title = guided_workflows.plan(context, key, asked.fields)
        order = workorders.draft(context, title, tasks, reason=asked.reason)
    else:
        order = order_templates.from_template(context, key, asked.slots)
    return {"id": order.id, "no": order.no, "title": order.title, "tasks": len(order.tasks)}


@resource.write("/templates/{key}", May.CHANGE_ESTATE, "DELETE")
def throw_away(context: RequestContext, key: str) -> TemplatesOut:
    order_templates.throw_away_template(context, key)
    return templates(context)

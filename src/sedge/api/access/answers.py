"""What the JSON interface answers: organisations, members, letters, templates."""

from typing_extensions import TypedDict

from sedge.api.answers import TaskOut


class OrganisationOut(TypedDict):
    id: str
    name: str
    country: str
    role: str
    numbers: int
    people: int
    todo: int
    running: int
    here: bool


class OrganisationAddedCheckOut(TypedDict):
    what: str
    ok: bool
    says: str


class OrganisationAddedOut(TypedDict):
    id: str | None
    runnable: bool
    checks: list[OrganisationAddedCheckOut]


class MemberOut(TypedDict):
    id: str
    name: str
    email: str
    role: str
    sites: list[str]


class InvitationOut(TypedDict):
    id: str
    name: str
    email: str
    role: str
    sites: list[str]
    by: str
    until: str


class InvitedOut(InvitationOut):
    """`link` takes the invitation up; told this once, and only where no mail can bring it."""

    link: str | None


class MembersOut(TypedDict):
    items: list[MemberOut]
    invited: list[InvitationOut]
    next: None


class LetterOut(TypedDict):
    kind: str
    language: str
    subject: str
    text: str
    html: str
    version: int


class LetterPreviewOut(TypedDict):
    subject: str
    text: str
    html: str


class TemplatesUsualOut(TypedDict):
    id: str
    name: str
    what: str
    fields: list[str]


class TemplateSlotOut(TypedDict):
    slot: int
    subject: str
    id: str
    name: str


class TemplateOut(TypedDict):
    id: str
    name: str
    by: str
    tasks: list[TaskOut]
    slots: list[TemplateSlotOut]


class TemplatesOut(TypedDict):
    usual: list[TemplatesUsualOut]
    items: list[TemplateOut]
    next: None


class TemplateUsedOut(TypedDict):
    id: str
    no: int
    title: str
    tasks: int

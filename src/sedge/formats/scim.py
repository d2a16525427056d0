"""SCIM 2.0 (RFC 7643, 7644): its users and groups as the directory's words, and back. Reading is
lenient where clients differ."""

from collections.abc import Iterable
from typing import Any

from pydantic import ValidationError

from sedge.core.errors import NotUnderstood
from sedge.core.holders.directory import Said, SaidGroup

MEDIA_TYPE = "application/scim+json"
ENTERPRISE = "urn:ietf:params:scim:schemas:extension:enterprise:2.0:User"
CORE_USER = "urn:ietf:params:scim:schemas:core:2.0:User"
CORE_GROUP = "urn:ietf:params:scim:schemas:core:2.0:Group"
SHORT = 7  # digits: what is longer is no extension


def schemas() -> list[dict[str, Any]]:
    """The schemas of what we speak of, as the standard has them (RFC 7643 §7)."""
    from scim2_models import EnterpriseUser, Group, User

    return [model.to_schema().model_dump() for model in (User, EnterpriseUser, Group)]


def user_said(raw: Any, key: str, before: dict[str, Any] | None = None) -> Said:
    """A user resource as the directory's word of somebody. Raises NotUnderstood naming the
    attribute."""
    from scim2_models import EnterpriseUser, User

    user = _read(User[EnterpriseUser], raw)
    name = user.display_name or _whole_name(user) or user.user_name
    email = _mail(user)
    if not user.user_name:
        raise NotUnderstood("A user needs a userName.", field="userName", reason="invalidValue")
    if not email or "@" not in email or " " in email or len(email) > 200:
        raise NotUnderstood(
            "A user needs a mail address, as userName or among emails.",
            field="emails",
            reason="invalidValue",
        )
    if not name or len(name) > 120:
        raise NotUnderstood(
            "A user needs a name of at most 120 characters.",
            field="displayName",
            reason="invalidValue",
        )
    enterprise = user[EnterpriseUser]
    return Said(
        id=key,
        external=(user.external_id or "")[:120],
        name=name.strip(),
        email=email,
        site=(_site(user, enterprise) or "")[:120],
        department=((enterprise.department if enterprise else None) or "")[:80],
        job=(user.title or "")[:80],
        extension=_extension(user),
        manager=(
            enterprise.manager.value
            if enterprise and enterprise.manager and enterprise.manager.value
            else ""
        )[:80],
        active=user.active is not False,
    )


def _read(model: Any, raw: Any) -> Any:
    if not isinstance(raw, dict):
        raise NotUnderstood("The body is a JSON object.", field="body", reason="invalidSyntax")
    try:
        return model.model_validate(raw)
    except ValidationError as error:
        raise _misread(error) from error


def _misread(error: ValidationError) -> NotUnderstood:
    first = error.errors()[0]
    where = ".".join(str(p) for p in first["loc"]) or "body"
    kind = str(first["type"]).removeprefix("scim_")
    reason = kind if kind.startswith(("invalid", "mutability", "noTarget")) else "invalidValue"
    return NotUnderstood(f"{where}: {first['msg']}.", field=where, reason=reason)


def _whole_name(user: Any) -> str:
    if not user.name:
        return ""
    return user.name.formatted or " ".join(
        x for x in (user.name.given_name, user.name.family_name) if x
    )


def _mail(user: Any) -> str:
    mails = [m for m in user.emails or [] if m.value]
    best = (
        next((m for m in mails if m.primary), None)
        or next((m for m in mails if m.type == "work"), None)
        or (mails[0] if mails else None)
    )
    return str(best.value) if best else (user.user_name or "")


def _site(user: Any, enterprise: Any) -> str | None:
    """The division, else the place of work."""
    if enterprise and enterprise.division:
        return enterprise.division
    work = next((a for a in user.addresses or [] if a.type in {"work", None}), None)
    return (work.locality or work.formatted) if work else None


def _extension(user: Any) -> str:
    numbers = [str(p.value or "") for p in user.phone_numbers or []]
    plain = [
        "".join(c for c in n if c.isdigit()) for n in (x.removeprefix("tel:") for x in numbers)
    ]
    return next((n for n in plain if 0 < len(n) <= SHORT), "")


def group_said(raw: Any, key: str) -> SaidGroup:
    """A group resource. Raises NotUnderstood naming the attribute."""
    from scim2_models import Group

    group = _read(Group, raw)
    name = (group.display_name or "").strip()
    if not 1 <= len(name) <= 80:
        raise NotUnderstood(
            "A group needs a displayName of at most 80 characters.",
            field="displayName",
            reason="invalidValue",
        )
    members = tuple(dict.fromkeys(m.value for m in group.members or [] if m.value))
    return SaidGroup(id=key, external=(group.external_id or "")[:120], name=name, members=members)


def patched(raw: dict[str, Any], operations: Any, *, group: bool) -> dict[str, Any]:
    """A resource after a PATCH (RFC 7644 §3.5.2). Raises NotUnderstood with the protocol's own word
    for what is wrong."""
    from scim2_models import EnterpriseUser, Group, PatchOp, SCIMException, User

    model: Any = Group if group else User[EnterpriseUser]
    resource = _read(model, raw)
    if not isinstance(operations, dict):
        raise NotUnderstood(
            "The body is a JSON object with Operations.", field="Operations", reason="invalidSyntax"
        )
    try:
        PatchOp[model].model_validate(operations).patch(resource)
    except ValidationError as error:
        raise _misread(error) from error
    except SCIMException as error:
        raise NotUnderstood(
            f"{error}.", field="Operations", reason=error.scim_type or "invalidValue"
        ) from error
    return resource.model_dump()


def matching(
    resources: Iterable[dict[str, object]], text: str, *, group: bool
) -> list[dict[str, object]]:
    """Those a filter expression fits (RFC 7644 §3.4.2.2). Raises NotUnderstood."""
    from scim2_models import EnterpriseUser, Group, SCIMException, ScimFilter, User

    model: object = Group if group else User[EnterpriseUser]
    try:
        asked = ScimFilter[model](text)
        return [r for r in resources if asked.match(model.model_validate(r))]
    except (SCIMException, ValidationError, ValueError, TypeError) as error:
        raise NotUnderstood(
            f'The filter can\'t be read: {error}. For example: userName eq "ifeoma@example.org".',
            field="filter",
            reason="invalidFilter",
        ) from error


def user_resource(said: Said) -> dict[str, object]:
    """Somebody as a user resource."""
    family = said.name.rpartition(" ")
    enterprise = {
        "department": said.department,
        "division": said.site,
        "manager": {"value": said.manager} if said.manager else None,
    }
    body = {
        "schemas": [CORE_USER, ENTERPRISE],
        "id": said.id,
        "externalId": said.external,
        "userName": said.email,
        "displayName": said.name,
        "name": {"formatted": said.name, "givenName": family[0], "familyName": family[2]},
        "title": said.job,
        "active": said.active,
        "emails": [{"value": said.email, "type": "work", "primary": True}],
        "phoneNumbers": [{"value": said.extension, "type": "work"}] if said.extension else None,
        ENTERPRISE: {k: v for k, v in enterprise.items() if v} or None,
    }
    return {k: v for k, v in body.items() if v not in (None, "")}


def group_resource(said: SaidGroup, names: dict[str, str]) -> dict[str, object]:
    body = {
        "schemas": [CORE_GROUP],
        "id": said.id,
        "externalId": said.external,
        "displayName": said.name,
        "members": [{"value": m, "display": names.get(m, m), "type": "User"} for m in said.members],
    }
    return {k: v for k, v in body.items() if v not in (None, "")}

"""The interface's own description (OpenAPI 3.1): what FastAPI makes of the routes, with the union
of task kinds added whole.

Tasks are read by hand, so that a number in them may be typed in any way; their shapes are described
from the same models.
"""

from typing import Any

from fastapi import FastAPI

from sedge.api.routing import COOKIE
from sedge.core.workorders.tasks import TASK

TASKS = "AnyTask"
# either is enough; what each may do hangs on the role of whoever it belongs to
SIGN_IN = {
    "token": {"type": "http", "scheme": "bearer"},
    "session": {
        "type": "apiKey",
        "in": "cookie",
        "name": COOKIE,
        "description": "of the pages; for reading, and for calls that come from Sedge's own pages",
    },
}


PROBLEM = {
    "title": "Problem",
    "description": "Why something was not done, and what to do about it (RFC 9457).",
    "type": "object",
    "required": ["type", "title", "status", "detail"],
    "properties": {
        "type": {"type": "string"},
        "title": {"type": "string"},
        "status": {"type": "integer"},
        "code": {"type": "string", "description": "the reason, for programs"},
        "detail": {"type": "string", "description": "a sentence for people"},
        "field": {"type": "string", "description": "what of the request is meant"},
    },
    "additionalProperties": True,
}
SCIM_ERROR = {
    "title": "ScimError",
    "description": "As RFC 7644 §3.12 has it.",
    "type": "object",
    "required": ["schemas", "status", "detail"],
    "properties": {
        "schemas": {"type": "array", "items": {"type": "string"}},
        "status": {"type": "string"},
        "detail": {"type": "string"},
        "scimType": {"type": "string"},
    },
}
REFUSED = {
    "4XX": "Not done; the answer says why.",
    "502": "Not done: a service outside does not answer, or not to be understood.",
    "503": "Not done: something that is needed is away. Try again later.",
}


def describe(app: FastAPI) -> dict[str, Any]:
    """The description, made once."""
    if app.openapi_schema is None:
        made = FastAPI.openapi(app)
        schemas = made.setdefault("components", {}).setdefault("schemas", {})
        tasks = TASK.json_schema(ref_template="#/components/schemas/{model}")
        schemas |= tasks.pop("$defs", {})
        schemas[TASKS] = tasks
        schemas |= {"Problem": PROBLEM, "ScimError": SCIM_ERROR}
        for unused in ("HTTPValidationError", "ValidationError"):
            schemas.pop(unused, None)
        for path, methods in made["paths"].items():
            for operation in methods.values():
                _tell_refusals(path, operation["responses"])
        made["components"]["securitySchemes"] = SIGN_IN
        made["security"] = [{name: []} for name in SIGN_IN]
        app.openapi_schema = made
    return app.openapi_schema


def _tell_refusals(path: str, responses: dict[str, Any]) -> None:
    """Every operation may be refused, in the form that its part of the interface has."""
    of_directory = path.startswith("/scim/")
    form = "ScimError" if of_directory else "Problem"
    media_type = "application/scim+json" if of_directory else "application/problem+json"
    content = {media_type: {"schema": {"$ref": f"#/components/schemas/{form}"}}}
    responses.pop("422", None)
    for status, words in REFUSED.items():
        responses[status] = {"description": words, "content": content}

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


def describe(app: FastAPI) -> dict[str, Any]:
    """The description, made once."""
    if app.openapi_schema is None:
        made = FastAPI.openapi(app)
        schemas = made.setdefault("components", {}).setdefault("schemas", {})
        tasks = TASK.json_schema(ref_template="#/components/schemas/{model}")
        schemas |= tasks.pop("$defs", {})
        schemas[TASKS] = tasks
        made["components"]["securitySchemes"] = SIGN_IN
        made["security"] = [{name: []} for name in SIGN_IN]
        app.openapi_schema = made
    return app.openapi_schema

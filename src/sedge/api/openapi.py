"""The interface's own description (OpenAPI 3.1): what FastAPI makes of the routes, with the union
of task kinds added whole.

Tasks are read by hand, so that a number in them may be typed in any way; their shapes are described
from the same models.
"""

from typing import Any

from fastapi import FastAPI

from sedge.core.workorders.tasks import TASK

TASKS = "AnyTask"


def describe(app: FastAPI) -> dict[str, Any]:
    """The description, made once."""
    if app.openapi_schema is None:
        made = FastAPI.openapi(app)
        schemas = made.setdefault("components", {}).setdefault("schemas", {})
        tasks = TASK.json_schema(ref_template="#/components/schemas/{model}")
        schemas |= tasks.pop("$defs", {})
        schemas[TASKS] = tasks
        app.openapi_schema = made
    return app.openapi_schema

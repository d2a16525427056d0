"""Holds answers of the JSON interface against what the interface says of itself: whatever a test
asks for is checked, so that no answer has a value more, less or other than declared."""

import json
from functools import cache
from typing import Any

from fastapi.routing import APIRoute
from pydantic import TypeAdapter
from starlette.routing import Match

WHOLE = "Bearer demo"  # who sees all; others are answered without amounts


@cache
def _reader(declared: Any) -> TypeAdapter[Any]:
    return TypeAdapter(declared)


def holding_to_declared() -> dict[str, list[Any]]:
    """Hooks for a test's client."""
    from sedge.app import ROUTES

    known = [
        route
        for route in ROUTES
        if isinstance(route, APIRoute) and route.response_model is not None
    ]

    def check(response: Any) -> None:
        request = response.request
        if request.headers.get("authorization") != WHOLE or not 200 <= response.status_code < 300:
            return
        if "json" not in response.headers.get("content-type", ""):
            return
        scope = {"type": "http", "method": request.method, "path": request.url.path}
        for route in known:
            if route.matches(scope)[0] is Match.FULL:
                response.read()
                assert differences(route.response_model, response.json()) == ""
                return

    return {"response": [check]}


def differences(declared: Any, answered: Any) -> str:
    """What an answer loses when it is read as what was declared, or why it can't be read."""
    reader = _reader(declared)
    read = reader.dump_python(reader.validate_python(answered), mode="json")
    return "" if _same(read, answered) else f"{json.dumps(answered)[:800]}\n≠\n{str(read)[:800]}"


def _same(one: Any, other: Any) -> bool:
    return json.dumps(one, sort_keys=True) == json.dumps(other, sort_keys=True)

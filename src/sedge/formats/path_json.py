"""Call paths as JSON, with its schema; what goes out comes in the same."""

import json

from pydantic import ValidationError

from sedge.core.callpaths.editing import as_refusal
from sedge.core.callpaths.steps import Path
from sedge.core.errors import NotUnderstood

FORMAT = "call path 1"
MOST_BYTES = 2_000_000


def write(name: str, path: Path) -> bytes:
    return json.dumps(
        {"format": FORMAT, "name": name, "path": path.model_dump(mode="json")},
        indent=2,
        ensure_ascii=False,
    ).encode()


def schema() -> dict[str, object]:
    """JSON Schema (draft 2020-12) of such a file."""
    body = Path.model_json_schema(ref_template="#/$defs/{model}")
    definitions = body.pop("$defs", {})
    return {
        "$schema": "https://json-schema.org/draft/2020-12/schema",
        "title": "A call path",
        "type": "object",
        "required": ["format", "path"],
        "properties": {
            "format": {"const": FORMAT},
            "name": {"type": "string", "maxLength": 80},
            "path": body,
        },
        "$defs": definitions,
    }


def read(data: bytes) -> tuple[str, Path]:
    """Name and path of a file. Raises NotUnderstood saying where it is wrong; a key of a menu or a
    step that comes twice is wrong too."""
    try:
        body = json.loads(data, object_pairs_hook=_each_once)
    except (ValueError, RecursionError) as error:
        raise NotUnderstood(
            f"This is no JSON that can be read: {error}.", field="file", reason="json"
        ) from error
    if not isinstance(body, dict) or body.get("format") != FORMAT:
        raise NotUnderstood(
            f"This is no call path: it doesn't say “format”: “{FORMAT}”.",
            field="file",
            reason="format",
        )
    try:
        return str(body.get("name", ""))[:80], Path.model_validate(body.get("path"))
    except ValidationError as error:
        raise as_refusal(error) from error


def _each_once(pairs: list[tuple[str, object]]) -> dict[str, object]:
    found: dict[str, object] = {}
    for key, value in pairs:
        if key in found:
            raise ValueError(f"“{key}” comes twice")
        found[key] = value
    return found

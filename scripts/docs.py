"""docs/reference.md, made from the code itself: settings, commands, states, checks, tasks, errors,
API, ledger.

`python -m scripts.docs` writes it, `--check` only says whether it is still true.
"""

import inspect
import re
import sys
from collections.abc import Iterable, Iterator
from pathlib import Path

from fastapi.routing import APIRoute

from scripts import carrier_interface

FILE = Path(__file__).parent.parent / "docs" / "reference.md"
HEAD = """# Reference

Made from the code by `python -m scripts.docs`; `make check` fails when it is no longer
true. What the words mean: [vocabulary.md](vocabulary.md).
"""


def reference() -> str:
    parts = [
        HEAD,
        *_settings(),
        *_commands(),
        *_roles(),
        *_life(),
        *_work_lives(),
        *_checks(),
        *_tasks(),
        *_errors(),
        *_api(),
        *_ledger(),
    ]
    return "\n".join(parts).rstrip() + "\n"


def table(heads: Iterable[str], rows: Iterable[Iterable[str]]) -> Iterator[str]:
    heads = list(heads)
    yield "| " + " | ".join(heads) + " |"
    yield "|" + " --- |" * len(heads)
    for row in rows:
        yield "| " + " | ".join(cell.replace("|", "\\|").replace("\n", " ") for cell in row) + " |"
    yield ""


def first_sentence(text: str | None) -> str:
    plain = " ".join((inspect.cleandoc(text or "")).split())
    return re.split(r"(?<=[.!?])\s+(?=[A-Z`“])", plain, maxsplit=1)[0]


def _settings() -> Iterator[str]:
    from sedge.settings import Settings

    yield "## Settings\n\nFrom the environment; an unknown or bad one refuses to start.\n"
    rows = [
        (f"`SEDGE_{name.upper()}`", f"`{field.default}`", str(field.description))
        for name, field in Settings.model_fields.items()
    ]
    yield from table(("setting", "default", "what for"), rows)


def _commands() -> Iterator[str]:
    from sedge.cli import main

    yield "## Commands\n"
    rows = []
    for command in main.registered_commands:
        call = command.callback
        if call is None:
            continue
        options = ", ".join(
            f"`--{name.replace('_', '-')}`" for name in inspect.signature(call).parameters
        )
        rows.append((f"`sedge {call.__name__}`", first_sentence(call.__doc__), options))
    yield from table(("command", "what it does", "options"), rows)


def _roles() -> Iterator[str]:
    from sedge.core.access.roles import AccessRole, permissions

    roles = list(AccessRole)
    yield (
        "## What each role may do\n\nEverybody may look. A site manager changes only what belongs"
        " to their own sites, and sees that and what belongs to the whole organisation.\n"
    )
    rows = [
        (may.value, *("yes" if may in permissions(r) else "" for r in roles))
        for may in permissions(AccessRole.ADMINISTRATOR)
    ]
    yield from table(("may", *(r.value for r in roles)), rows)


def _life() -> Iterator[str]:
    from sedge.core.numbers.life import LIFE

    yield (
        "## The life of a number\n\nAnything else is refused with the reason. *restore* happens"
        " inside an undo only.\n"
    )
    rows = [
        (
            str(state or "–"),
            str(event),
            (
                ", ".join(str(to) for to in targets)
                if len(targets) < 6
                else "the state of the earlier snapshot"
            ),
        )
        for state, events in LIFE.items()
        for event, targets in events.items()
    ]
    yield from table(("from", "event", "to"), rows)


def _work_lives() -> Iterator[str]:
    from sedge.core.workorders.life import ORDER_LIFE, TASK_LIFE

    for what, life in (("a work order", ORDER_LIFE), ("a task", TASK_LIFE)):
        yield f"## The life of {what}\n"
        rows = [
            (str(state), str(event), str(to))
            for state, events in life.items()
            for event, to in events.items()
        ]
        yield from table(("from", "event", "to"), rows)


def _checks() -> Iterator[str]:
    from sedge.core.workorders.rules.catalogue import RULES

    yield (
        "## Checks\n\nEach is applied to its kind of task, on the estate as it will be at that"
        " point.\n"
    )
    rows = [
        (
            f"`{name}`",
            f"`{kind.model_fields['kind'].default}`",
            first_sentence(rule.__doc__) or _words(rule.__name__),
        )
        for name, (kind, rule) in sorted(RULES.items())
    ]
    yield from table(("check", "task", "why"), rows)


def _words(name: str) -> str:
    return name.replace("_", " ").capitalize() + "."


def _tasks() -> Iterator[str]:
    from sedge.core.workorders.tasks import KINDS

    yield (
        '## Kinds of task\n\nOne closed union; a `number` may be `{"output_of": task, "index":'
        " n}`.\n"
    )
    rows = [
        (
            f"`{kind.model_fields['kind'].default}`",
            ", ".join(f"`{n}`" for n in kind.model_fields if n != "kind"),
            first_sentence(kind.__doc__) if "__doc__" in vars(kind) and kind.__doc__ else "",
        )
        for kind in KINDS.values()
    ]
    yield from table(("kind", "fields", "note"), rows)


def _errors() -> Iterator[str]:
    from sedge.core import errors
    from sedge.web.error_pages import HEADINGS, TYPES

    yield "## Errors\n\nProblem details (RFC 9457); `type` is `" + TYPES + "` and the code.\n"
    found = [
        e
        for e in vars(errors).values()
        if inspect.isclass(e) and issubclass(e, errors.SedgeError) and e is not errors.SedgeError
    ]
    rows = [(f"`{e.code}`", str(e.status), HEADINGS[e.code]) for e in found]
    yield from table(("code", "status", "title"), rows)


def _api() -> Iterator[str]:
    from sedge.api.routing import BASE
    from sedge.app import ROUTES

    yield "## JSON interface\n\nUnder `/api/v1`, described at `/api/v1/openapi.json`.\n"
    rows = [
        (
            f"`{method} {route.path.removeprefix(BASE)}`",
            first_sentence(route.endpoint.__doc__) or _words(route.endpoint.__name__),
        )
        for route in ROUTES
        if isinstance(route, APIRoute) and route.path.startswith(BASE)
        for method in sorted(route.methods or ())
    ]
    yield from table(("call", "what"), rows)


def _ledger() -> Iterator[str]:
    from sedge.core.ledger.sentences import SENTENCES

    yield "## What the ledger writes down\n"
    yield from table(
        ("action", "sentence"), [(f"`{action}`", words) for action, words in SENTENCES.items()]
    )


def main() -> int:
    files = {FILE: reference(), carrier_interface.FILE: carrier_interface.written()}
    if "--check" in sys.argv:
        other = [f.name for f, made in files.items() if not f.exists() or f.read_text() != made]
        told = "true" if not other else f"run `python -m scripts.docs` and commit {other}"
        print(f"reference: {told}")
        return 1 if other else 0
    for file, made in files.items():
        file.write_text(made)
    return 0


if __name__ == "__main__":
    sys.exit(main())

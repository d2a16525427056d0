"""The register of rules: each a function of a task and the estate as it will be at that point.

They are the catalogue behind every *why not*: the sentence says what is wrong, the remedies what to
do. A rule that does not concern a task says nothing (None).
"""

from collections.abc import Callable
from typing import Any

from sedge.core.estate import Estate
from sedge.core.workorders.findings import Finding

Rule = Callable[[Any, Estate], Finding | None]
REGISTERED: dict[str, tuple[type, Rule]] = {}


def rule(name: str, kind: type) -> Callable[[Rule], Rule]:
    """Register a function as a rule for tasks of a kind; its docstring says why."""

    def register(function: Rule) -> Rule:
        REGISTERED[name] = (kind, function)
        return function

    return register

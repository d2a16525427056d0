"""Every kind of task says all there is to say of it, and what one waits for another brings
about."""

import ast
from pathlib import Path
from typing import Literal

import pytest

import sedge
from sedge.core.workorders.task_base import NumberField, Task, Thing
from sedge.core.workorders.tasks import KINDS
from tests.asserting import every

CORE = Path(sedge.__file__).parent / "core"


def test_a_kind_that_leaves_a_question_open_cannot_be_defined():
    with pytest.raises(TypeError, match="Half does not say: apply, costs, describe, needs"):

        class Half(Task):
            kind: Literal["half"] = "half"
            takes = frozenset()
            number: NumberField


def test_all_kinds_are_in_the_union():
    defined = {kind for kind in Task.__subclasses__() if kind.__module__.startswith("sedge.")}
    assert defined == set(KINDS.values())
    assert len(KINDS) >= 48


def test_kinds_stand_in_their_areas():
    assert every(KINDS)
    for kind in KINDS.values():
        _, core, area, module = kind.__module__.split(".")
        assert (core, module) in {("core", "tasks"), ("core", "undo")}, kind
        assert (CORE / area).is_dir()


def test_what_is_for_good_has_no_reversal_and_the_other_way_round():
    for kind in KINDS.values():
        says_no = kind.reversal.__name__ == "not_at_all"
        assert says_no == bool(kind.for_good), kind


def _things_in(method: str) -> set[str]:
    """The members of Thing that the methods of that name mention, helpers of their modules
    included."""
    found: set[str] = set()
    for path in CORE.rglob("tasks.py"):
        tree = ast.parse(path.read_text())
        methods = [n for n in ast.walk(tree) if isinstance(n, ast.FunctionDef) and n.name == method]
        helpers = {n.name: n for n in tree.body if isinstance(n, ast.FunctionDef)}
        for body in methods:
            called = [n.id for n in ast.walk(body) if isinstance(n, ast.Name) and n.id in helpers]
            for tree_ in (body, *(helpers[name] for name in called)):
                found |= {
                    n.attr
                    for n in ast.walk(tree_)
                    if isinstance(n, ast.Attribute)
                    and isinstance(n.value, ast.Name)
                    and n.value.id == "Thing"
                }
    return found


def test_whatever_is_waited_for_is_brought_about_by_some_kind():
    provided = _things_in("provides")
    required = _things_in("requires") | {"NUMBER", "PERSON"}  # what_it_is_about
    assert required == provided == {thing.name for thing in Thing}


def test_a_kind_names_the_permissions_it_takes_itself():
    """Those of a kind it is derived from are not taken over in silence."""
    with pytest.raises(TypeError, match="Another does not say: takes"):

        class Another(KINDS["set_aside"]):
            kind: Literal["another"] = "another"

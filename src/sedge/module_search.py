"""Importing every module below a package, so that what registers itself there is known."""

import importlib
import pkgutil
from collections.abc import Iterator
from types import ModuleType


def modules_of(package: ModuleType, *, called: str = "") -> Iterator[ModuleType]:
    """Every module below a package, imported, in order of their names; only those `called` so."""
    found = pkgutil.walk_packages(package.__path__, f"{package.__name__}.")
    for name in sorted(module.name for module in found):
        if not called or name.rpartition(".")[2] == called:
            yield importlib.import_module(name)

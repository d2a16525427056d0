"""The part of the estate that tasks are judged and told by."""

from collections.abc import Sequence
from typing import Any

from sedge.core.estate import Estate
from sedge.core.workorders.needs import Needs, needs
from sedge.core.workorders.plan import resolve
from sedge.services.context import Reading


def load(reading: Reading, tasks: Sequence[Any]) -> Estate:
    wanted = Needs(choices=True)
    for task in tasks:
        wanted = wanted | needs(resolve(task, tasks))
    return reading.estate(wanted)

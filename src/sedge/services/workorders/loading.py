"""The part of the estate that tasks are judged and told by."""

from collections.abc import Sequence
from typing import Any

from sedge.core.estate import Estate
from sedge.core.load_spec import LoadSpec
from sedge.services.context import Reading


def load(reading: Reading, tasks: Sequence[Any]) -> Estate:
    wanted = LoadSpec(choices=True)
    for task in tasks:
        wanted = wanted | task.resolved(tasks).needs()
    return reading.estate(wanted)

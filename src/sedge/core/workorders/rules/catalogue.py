"""All rules there are, put together in one place, in the order in which they are applied.

Whoever wants to judge anything imports them from here.
"""

from sedge.core.callpaths import answering_rules as _answering_rules
from sedge.core.callpaths import asked_again as _paths_asked_again
from sedge.core.callpaths import rules as _path_rules
from sedge.core.carriers import reconciliation_rules as _reconciliation_rules
from sedge.core.holders import rules as _holder_rules
from sedge.core.imports import rules as _import_rules
from sedge.core.licences import rules as _licence_rules
from sedge.core.numbers import rules as _number_rules
from sedge.core.outbound import checks as _caller_id_rules
from sedge.core.outbound import route_rules as _route_rules
from sedge.core.outbound.dialling import dial_plan_rules as _dial_plan_rules
from sedge.core.porting import outgoing_rules as _port_out_rules
from sedge.core.porting import rules as _port_rules
from sedge.core.retiring import rules as _retiring_rules
from sedge.core.safety import rules as _safety_rules
from sedge.core.supply import external_numbers as _connection_rules
from sedge.core.supply import rules as _supply_rules
from sedge.core.trunks import rules as _trunk_rules
from sedge.core.trunks import sbc_rules as _sbc_rules
from sedge.core.workorders.rules.registry import REGISTERED, Rule

_AREAS = (
    _number_rules,
    _safety_rules,
    _trunk_rules,
    _sbc_rules,
    _licence_rules,
    _import_rules,
    _supply_rules,
    _connection_rules,
    _holder_rules,
    _path_rules,
    _answering_rules,
    _paths_asked_again,
    _caller_id_rules,
    _dial_plan_rules,
    _route_rules,
    _port_rules,
    _port_out_rules,
    _retiring_rules,
    _reconciliation_rules,
)  # the rules of each register themselves


def _in_order() -> dict[str, tuple[type, Rule]]:
    places = {module.__name__: place for place, module in enumerate(_AREAS)}
    names = sorted(REGISTERED, key=lambda name: places[REGISTERED[name][1].__module__])
    return {name: REGISTERED[name] for name in names}


RULES = _in_order()

"""All rules there are, put together in one place: whoever wants to judge anything imports them from here."""

from sedge.core.callpaths import asked_again as _paths_asked_again
from sedge.core.callpaths import rules as _path_rules
from sedge.core.carriers import reconciliation_rules as _drift_rules
from sedge.core.holders import rules as _holder_rules
from sedge.core.licences import rules as _licence_rules
from sedge.core.outbound import checks as _caller_id_checks
from sedge.core.porting import outgoing_rules as _port_out_rules
from sedge.core.porting import rules as _port_rules
from sedge.core.retiring import rules as _retiring_rules
from sedge.core.supply.external_numbers import RULES

_ = (
    _licence_rules, _holder_rules, _path_rules, _paths_asked_again, _caller_id_checks, _port_rules, _port_out_rules, _retiring_rules, _drift_rules,
)  # they register themselves  # fmt: skip

__all__ = ["RULES"]

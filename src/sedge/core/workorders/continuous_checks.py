"""The rules held against the estate as it stands: what would be refused or warned of if a number
were given, or a path published, today.

The same functions as in the checks of a work order; those about the giving itself (is it free, is
it leaving) have no sense here.
"""

from dataclasses import replace

from sedge.core.callpaths.steps import Path
from sedge.core.errors import SedgeError
from sedge.core.estate import Estate
from sedge.core.records import Grant, Number, PathVersion
from sedge.core.workorders import tasks as t
from sedge.core.workorders.findings import Finding, Level, stop
from sedge.core.workorders.rules.catalogue import RULES

OF_NUMBERS = (
    "assignment.capacity-suits-holder",
    "assignment.holder-may-call-here",
    "assignment.dispatchable-spot",
    "assignment.role-free",
    "assignment.holder-is-here",
    "assignment.country-served",
    "assignment.on-trunk-list",
    "assignment.calling-rights",
    "assignment.line-has-path",
    "assignment.address-registered",
)
OF_PATHS = (
    "path.people-are-here",
    "path.somebody-rings",
    "path.rota-goes-round",
    "path.greeting-names-keys",
    "path.mailbox-is-read",
    "path.greeting-said-well",
    "path.steps-are-reached",
    "path.every-call-ends",
    "path.nobody-is-hung-up-on",
    "path.forwards-go-through",
    "path.hours-make-sense",
    "path.recording-is-announced",
    "path.other-paths-lead-on",
    "path.test-cases-pass",
)
OF_GRANTS = ("licence.prerequisites", "licence.fits-holder")
NIGHTLY = (*OF_NUMBERS, *OF_PATHS, *OF_GRANTS)


def of_number(number: Number, estate: Estate) -> list[Finding]:
    """What is wrong with a number in use, by the rules of giving it."""
    if number.assignment is None:
        return []
    held = number.assignment
    return _judged(
        OF_NUMBERS,
        t.AssignNumber(number=number.e164, holder=held.holder, role=held.role, spot=number.spot),
        estate,
    )


def of_path(path: PathVersion, estate: Estate) -> list[Finding]:
    """What is wrong with a published call path."""
    try:
        task = t.PublishPath(path=path.id, name=path.name, body=Path.model_validate(path.body))
    except ValueError as error:
        return [replace(stop(f"The call path can't be read: {error}"), rule="path.people-are-here")]
    return _judged(OF_PATHS, task, estate)


def of_grant(grant: Grant, estate: Estate) -> list[Finding]:
    """What is wrong with a licence somebody has: what it needs may have been taken away, or never
    been there."""
    return _judged(OF_GRANTS, t.GrantLicence(holder=grant.holder, product=grant.product), estate)


def _judged(names: tuple[str, ...], task: object, estate: Estate) -> list[Finding]:
    found: list[Finding] = []
    for name in names:
        try:
            finding = RULES[name][1](task, estate)
        except SedgeError as error:
            finding = stop(error.message)
        if finding is None or finding.is_pass:
            continue
        if finding.level is Level.WARN and name in estate.raised:
            finding = replace(finding, level=Level.STOP)
        found.append(replace(finding, rule=name))
    return found

"""Rules about a site's own dial rules: emergency numbers stay reachable at once, and each rule does
what it says."""

from sedge.core.enums import Reached
from sedge.core.errors import NotUnderstood
from sedge.core.estate import Estate
from sedge.core.outbound.dialling.plan_findings import PlanFindings, check_rules, examine
from sedge.core.records import Site
from sedge.core.workorders import tasks as t
from sedge.core.workorders.findings import Finding, passed, stop, warn
from sedge.core.workorders.rules.registry import rule

MOST_NAMED = 3


def _found(task: t.SetDialPlan, estate: Estate) -> PlanFindings | None:
    """None where a rule can't be read, of which another check speaks."""
    site = estate.the(Site, task.site).copy_with(dial_rules=task.rules)
    key = f"{task.rules!r}"

    def look() -> PlanFindings | None:
        try:
            return examine(site)
        except NotUnderstood:
            return None

    return estate.once(f"dial plan of {site.id}", key, look)


@rule("dial-plan.readable", t.SetDialPlan)
def readable(task: t.SetDialPlan, estate: Estate) -> Finding:
    """A pattern that no phone understands takes nothing, or everything."""
    try:
        check_rules(task.rules)
        examine(estate.the(Site, task.site).copy_with(dial_rules=task.rules))
    except NotUnderstood as wrong:
        return stop(f"A rule can't be read. {wrong}")
    return passed("Every pattern is a digit map")


@rule("dial-plan.emergency-at-once", t.SetDialPlan)
def emergency_at_once(task: t.SetDialPlan, estate: Estate) -> Finding | None:
    """Emergency digits that another rule takes or goes on from make a phone wait, or call somebody
    else."""
    found = _found(task, estate)
    if found is None:
        return None
    own = [e for e in found.endangered if found.rules[e.rule].own]
    if not own:
        return passed("No rule takes or delays an emergency number")
    said = [
        f"“{found.rules[e.rule].name}” "
        + (
            f"goes on after {e.digits} (as in {e.example}), so a phone would wait"
            if e.delays
            else f"takes {e.digits}, an emergency number"
        )
        for e in own
    ]
    more = f"; and {len(said) - MOST_NAMED} more" if len(said) > MOST_NAMED else ""
    return stop("; ".join(said[:MOST_NAMED]) + more + ". Leave those digits out of the pattern.")


@rule("dial-plan.strips-what-is-there", t.SetDialPlan)
def strips_what_is_there(task: t.SetDialPlan, estate: Estate) -> Finding | None:
    """More keys can't be taken off than were dialled."""
    found = _found(task, estate)
    if found is None:
        return None
    names = [found.rules[i].name for i in found.overdrawn]
    if names:
        return stop(f"“{names[0]}” strips more keys than its pattern takes at least.")
    return passed("No rule strips more than was dialled")


@rule("dial-plan.every-rule-reached", t.SetDialPlan)
def every_rule_reached(task: t.SetDialPlan, estate: Estate) -> Finding | None:
    """A rule behind others that take all of its keys does nothing."""
    found = _found(task, estate)
    if found is None:
        return None
    for i, before in found.hidden.items():
        rule_, first = found.rules[i], found.rules[before[0]]
        if rule_.own:
            return warn(f"“{rule_.name}” is never reached: “{first.name}” takes the same keys.")
        if rule_.kind is not Reached.EMERGENCY:
            return warn(f"“{first.name}” takes all keys of {rule_.name}; nobody could dial one.")
    return passed("Every rule is reached")

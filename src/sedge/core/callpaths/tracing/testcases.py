"""Test cases of a call path: calls that are followed again before it is published, and must end as
they did."""

from dataclasses import dataclass
from datetime import UTC, datetime

from pydantic import ValidationError

from sedge.core.callpaths.openings import zone
from sedge.core.callpaths.steps import Path, TestCase
from sedge.core.callpaths.tracing.trace import trace_path
from sedge.core.callpaths.tracing.world import Called, Trace, World
from sedge.core.estate import Estate


@dataclass(frozen=True)
class Verdict:
    """How a test case went; `differs` says in words what is otherwise, '' where it ended as it
    must."""

    case: TestCase
    differs: str
    trace: Trace | None = None


def case_of(name: str, at: datetime, timezone: str, world: World, trace: Trace) -> TestCase:
    """A followed call as a test case."""
    local = at.astimezone(zone(timezone))
    kept = world.model_dump(mode="json", exclude_defaults=True)
    ending = trace.ending
    return TestCase(
        name=name,
        at=f"{local:%Y-%m-%dT%H:%M}",
        timezone=timezone,
        world=kept,
        ends=ending.kind.value,
        step=ending.step,
        who=ending.who,
    )


def moment_of(case: TestCase) -> datetime:
    return datetime.fromisoformat(case.at).replace(tzinfo=zone(case.timezone)).astimezone(UTC)


def run_cases(
    called: Called, path: Path, estate: Estate, draft: dict[str, Path] | None = None
) -> list[Verdict]:
    """Every test case of a path, followed now."""
    return [_run(case, called, path, estate, draft) for case in path.tests]


def _run(
    case: TestCase, called: Called, path: Path, estate: Estate, draft: dict[str, Path] | None
) -> Verdict:
    try:
        world = World.model_validate(case.world)
        at = moment_of(case)
    except (ValidationError, ValueError, KeyError) as error:
        return Verdict(case, f"can't be followed: {error}")
    trace = trace_path(called, path, at, world, estate, draft=draft)
    return Verdict(case, _difference(case, trace, path), trace)


def _difference(case: TestCase, trace: Trace, path: Path) -> str:
    ending = trace.ending
    if ending.kind.value != case.ends:
        return f"has to end {case.ends}, and ends {ending.kind}: {ending.reason}"
    if case.who and ending.who != case.who:
        return f"has to end with {case.who}, and ends with {ending.who or 'nobody'}"
    if case.step and ending.step != case.step:
        was = (
            path.steps[case.step].title
            if case.step in path.steps
            else f"“{case.step}”, which is gone"
        )
        return (
            f"has to end at {was}, and ends at"
            f" {path.steps[ending.step].title if ending.step in path.steps else ending.step}"
        )
    return ""

"""What publishing and setting call paths, answering rules and fallbacks ask for: every way a call
could go wrong, found before it does."""

import re

from sedge.core.callpaths.answering import agents_of, rung_by
from sedge.core.callpaths.greetings import Fault, faults_of
from sedge.core.callpaths.openings import holidays_of, minute_of, overlapping
from sedge.core.callpaths.steps import (
    Closure,
    Connecting,
    End,
    Forward,
    Hours,
    Mailbox,
    OtherPath,
    Path,
    Queue,
    Ring,
    SipAddress,
    named_by,
    paths_named,
    people_named,
)
from sedge.core.callpaths.tracing.endings import Endings, endings_of, graph_of
from sedge.core.callpaths.tracing.testcases import run_cases
from sedge.core.callpaths.tracing.world import Called, EndingKind
from sedge.core.estate import Estate
from sedge.core.facts import counted, to_canonical_json
from sedge.core.outbound.forwarding import judge_forward, problem_with
from sedge.core.records import RECORD_TYPES, Number, PathVersion, Person, Site, Subject
from sedge.core.workorders import tasks as t
from sedge.core.workorders.findings import Finding, Level, add_before, elsewhere, passed, stop
from sedge.core.workorders.rules.registry import rule

SIP_ADDRESS = re.compile(
    r"sips?:[\w.!~*'()+\-%]+@[A-Za-z0-9.\-]+(:\d{1,5})?(;[\w\-]+(=[\w.\-]+)?)*"
)  # RFC 3261 §19.1, the parts in use
MOST_NUMBERS = 200  # numbers that follow a path and are each looked at
MOST_OFFERED = 8  # other paths that they could follow


def called_of(path: str, estate: Estate) -> list[Called]:
    """What a path's calls are followed for: the numbers that follow it, or the path on its own."""
    users = [Called.number(n) for n in estate.all(Number) if n.path == path][:MOST_NUMBERS]
    site = next((s.id for s in estate.all(Site)), "")
    return users or [Called("any number", site)]


def _endings(task: t.PublishPath, estate: Estate) -> Endings:
    def work_out() -> Endings:
        return endings_of(
            called_of(task.path, estate)[0], task.body, estate, draft={task.path: task.body}
        )

    return estate.once("endings", to_canonical_json(task.body), work_out)


def _at(level: Level, body: Path, found: dict[str, str], more: str = "") -> Finding:
    """A finding of the first of several steps, with how many more there are."""
    key, words = next(iter(found.items()))
    others = f" So it is at {len(found) - 1} more." if len(found) > 1 else ""
    return Finding(level, f"“{body.steps[key].title}” {words}.{more}{others}", steps=tuple(found))


@rule("path.not-overtaken", t.PublishPath)
def path_not_overtaken(task: t.PublishPath, estate: Estate) -> Finding | None:
    """What somebody else has published meanwhile must not be lost by publishing what was drawn
    before it."""
    if task.based_on is None:
        return None
    published = estate.get(PathVersion, task.path)
    number = published.number if published else 0
    if number != task.based_on:
        return stop(
            f"Version {number} of {task.name} has been published since this was drawn from version"
            f" {task.based_on}. Compare the two, and take over what is to stay.",
            elsewhere("Compare versions", "drawing", task.path),
        )
    return passed("Nothing has been published since it was drawn")


@rule("path.still-needed", t.RetirePath)
def path_still_needed(task: t.RetirePath, estate: Estate) -> Finding:
    """Calls that come to a path which is gone reach nobody."""
    path = estate.the(PathVersion, task.path)
    if path.retired:
        return stop(f"{path.name} is retired already.")
    if followers := [n for n in estate.all(Number) if n.path == path.id]:
        more = f" and {len(followers) - 1:,} more" if len(followers) > 1 else ""
        others = [p for p in estate.all(PathVersion) if p.id != path.id]
        follow = [
            add_before(
                f"Let them follow “{p.name}”",
                *(t.SetPath(number=n.e164, path=p.id) for n in followers),
                automatic=False,
            )
            for p in sorted(others, key=lambda p: p.name)[:MOST_OFFERED]
            if len(followers) <= MOST_NUMBERS
        ]
        return stop(
            f"Calls to {followers[0].shown}{more} follow {path.name}. Set another call path for"
            " them first.",
            *(follow or [elsewhere(f"Open {path.name}", "path", path.id)]),
        )
    if leading := [p for p in estate.all(PathVersion) if _leads_to(p, path)]:
        return stop(
            f"Calls of {leading[0].name} go on in {path.name}. Lead them elsewhere first.",
            elsewhere(f"Open {leading[0].name}", "path", leading[0].id),
        )
    return passed("No number follows it, and no other path leads to it")


def _leads_to(other: PathVersion, path: PathVersion) -> bool:
    return other.id != path.id and not other.retired and path.id in paths_named(other.body)


@rule("path.people-are-here", t.PublishPath)
def path_people_are_here(task: t.PublishPath, estate: Estate) -> Finding:
    """Somebody who has left, or was never here, answers nothing."""
    body = task.body.model_dump(mode="json")
    gone: dict[str, list[str]] = {}
    for key, step in body["steps"].items():
        for subject, ref in named_by(step):
            if subject is not Subject.NUMBER and (name := _gone(subject, ref, estate, task.path)):
                gone.setdefault(name, []).append(key)
    if gone:
        steps = tuple(key for keys in gone.values() for key in keys)
        return Finding(
            Level.STOP,
            f"{', '.join(list(gone)[:3])} can't answer: not, or no longer, in the directory. Choose"
            " somebody else.",
            steps=steps,
        )
    named = dict.fromkeys(people_named(body))
    return passed(
        f"Everybody the path names is in the directory, {len(named)} in all"
        if named
        else "The path names nobody; it rings the holder"
    )


def _gone(subject: Subject, key: str, estate: Estate, own: str) -> str:
    if subject is Subject.PATH and key == own:
        return ""
    record = estate.get(RECORD_TYPES[subject], key)
    if record is None:
        return f"{'' if subject is Subject.PERSON else f'{subject} '}“{key}”"
    is_gone = getattr(record, "left", False) or getattr(record, "removed", False)
    is_gone = is_gone or getattr(record, "retired", False)
    return record.name if is_gone else ""  # type: ignore[attr-defined]


@rule("path.rota-goes-round", t.PublishPath)
def rota_goes_round(task: t.PublishPath, estate: Estate) -> Finding | None:
    """A rota of one person is no rota, and a swap with somebody whom the step doesn't ring does
    nothing."""
    with_rota = {
        key: step for key, step in task.body.steps.items() if isinstance(step, Ring) and step.rota
    }
    if not with_rota:
        return None
    called = called_of(task.path, estate)[0]
    for key, step in with_rota.items():
        rung = [r.key for r in rung_by(called, step, estate.now, estate)]
        lost = (
            next((s for s in step.rota.swaps if s.person not in rung), None) if step.rota else None
        )
        if lost:
            person = estate.get(Person, lost.person)
            words = (
                f"“{step.title}”: {person.name if person else lost.person} swaps a duty and is not"
                " rung there."
            )
            return Finding(Level.STOP, words, steps=(key,))
        if len(rung) < 2:
            return Finding(
                Level.WARN,
                f"“{step.title}” rings by rota and has only one to ring: nobody takes turns.",
                steps=(key,),
            )
    return passed("The rota goes round")


@rule("path.somebody-rings", t.PublishPath)
def path_somebody_rings(task: t.PublishPath, estate: Estate) -> Finding:
    """A step whose people have no registered phone is a dead end in opening hours."""
    called = called_of(task.path, estate)[0]
    silent: dict[str, str] = {}
    for key, step in task.body.steps.items():
        if not isinstance(step, Ring | Queue):
            continue
        rung = (
            rung_by(called, step, estate.now, estate)
            if isinstance(step, Ring)
            else agents_of(called, step, estate.now, estate)
        )
        named = (
            step.people
            or step.groups
            or (isinstance(step, Ring) and (step.devices or step.mobiles or step.systems))
        )
        if (named or isinstance(step, Queue)) and not any(r.phones for r in rung):
            silent[key] = step.title
    if silent:
        name = next(iter(silent.values()))
        more = f" The same at {len(silent) - 1} more." if len(silent) > 1 else ""
        words = (
            f"At “{name}” nothing would ring now: none of its people has a phone that is"
            f" registered.{more}"
        )
        return Finding(Level.WARN, words, steps=tuple(silent))
    return passed("At every step somebody's phone would ring")


@rule("path.greeting-names-keys", t.PublishPath)
def path_greeting_names_keys(task: t.PublishPath, estate: Estate) -> Finding | None:
    """A key that the greeting doesn't speak of is never pressed."""
    return _greeting(task.body, {"unspoken"}, "The greeting speaks of every key")


@rule("path.greeting-said-well", t.PublishPath)
def path_greeting_said_well(task: t.PublishPath, estate: Estate) -> Finding | None:
    """Callers listen for what they want and then for its key; and they have to be told something,
    for long enough to hear it."""
    return _greeting(
        task.body,
        {"missing", "short", "order"},
        "What is said is long enough and names each thing before its key",
    )


def _greeting(body: Path, kinds: set[str], good: str) -> Finding | None:
    faults: list[Fault] = faults_of(body)
    found = [f for f in faults if f.kind in kinds]
    if found:
        first = found[0]
        more = f" {len(found) - 1} more like it." if len(found) > 1 else ""
        return Finding(
            Level.WARN,
            f"“{body.steps[first.step].title}” {first.text}.{more}",
            steps=tuple(f.step for f in found),
        )
    return (
        passed(good)
        if any(step.kind in {"menu", "announce"} for step in body.steps.values())
        else None
    )


@rule("path.mailbox-is-read", t.PublishPath)
def path_mailbox_is_read(task: t.PublishPath, estate: Estate) -> Finding | None:
    """A message that nobody reads is a caller lost."""
    boxes = {key: step for key, step in task.body.steps.items() if isinstance(step, Mailbox)}
    unread = tuple(key for key, box in boxes.items() if not box.recipients and not box.groups)
    if unread:
        words = (
            "A mailbox has no recipients of its own; where the holder is not a person, nobody"
            " reads it."
        )
        return Finding(Level.WARN, words, steps=unread)
    return passed("Every mailbox is read by somebody") if boxes else None


@rule("path.steps-are-reached", t.PublishPath)
def path_steps_are_reached(task: t.PublishPath, estate: Estate) -> Finding:
    """A step that no call comes to was meant for something; the way to it is missing."""
    found = _endings(task, estate)
    unreached = {key: "is reached by no call" for key in task.body.steps if key in found.unreached}
    if unreached:
        return _at(Level.WARN, task.body, unreached)
    return passed(
        f"Every step is reached, {len(task.body.steps)} in all; calls end in"
        f" {counted(len(found.ways), 'way')}"
    )


@rule("path.every-call-ends", t.PublishPath)
def path_every_call_ends(task: t.PublishPath, estate: Estate) -> Finding:
    """A circle without a way out keeps a caller for good, whatever they or anybody do."""
    found = _endings(task, estate)
    stuck = {
        key.split(":")[-1]: "is on a circle that no call leaves" for key in sorted(found.stuck)
    }
    own = {key: words for key, words in stuck.items() if key in task.body.steps}
    if own:
        return _at(Level.STOP, task.body, own)
    circle = next((way for way in found.ways if way.exit == "circle"), None)
    if circle and circle.step in task.body.steps:
        return Finding(
            Level.WARN,
            f"A caller can go round in a circle by “{task.body.steps[circle.step].title}” for as"
            " long as they do the same again.",
            steps=(circle.step,),
        )
    return passed("No call goes round in a circle")


@rule("path.nobody-is-hung-up-on", t.PublishPath)
def path_nobody_is_hung_up_on(task: t.PublishPath, estate: Estate) -> Finding:
    """In opening hours a caller is told something, or can leave word; the line going dead is
    neither."""
    found = _endings(task, estate)
    body = task.body
    cut = {
        way.step: f"hangs up on callers in opening hours: {way.exit}, and no way on is drawn for it"
        for way in found.ways
        if way.kind is EndingKind.ENDED
        and way.exit
        and way.exit != "circle"
        and way.in_hours
        and way.step in body.steps
    }
    blunt = {
        way.step: "hangs up on callers in opening hours"
        for way in found.ways
        if way.in_hours and way.step in body.steps and isinstance(body.steps[way.step], End)
    }
    if cut or blunt:
        return _at(Level.WARN, body, {**cut, **blunt})
    return passed("Nobody is hung up on in opening hours")


@rule("path.forwards-go-through", t.PublishPath)
def path_forwards_go_through(task: t.PublishPath, estate: Estate) -> Finding | None:
    """A forward is a call out: it needs a number in service that may be called, the holder's right
    to call out, and a trunk."""
    forwards = {key: step for key, step in task.body.steps.items() if isinstance(step, Forward)}
    mobiles = {
        (key, m)
        for key, step in task.body.steps.items()
        if isinstance(step, Ring)
        for m in step.mobiles
    }
    wrong = {
        key: f"can't forward. {problem}"
        for key, step in forwards.items()
        if (problem := problem_with(step.to))
    }
    wrong |= {
        key: f"can't ring a mobile. {problem}"
        for key, mobile in sorted(mobiles)
        if (problem := problem_with(mobile))
    }
    if wrong:
        return _at(Level.STOP, task.body, {key: words.rstrip(".") for key, words in wrong.items()})
    for called in called_of(task.path, estate):
        number = estate.get(Number, called.e164)
        if number is None or number.holder is None:
            continue
        for key, step in forwards.items():
            judged = judge_forward(step.to, number, called.holder, called.site, estate)
            if not judged.allowed:
                return Finding(
                    Level.WARN,
                    f"“{step.title}” won't be put through for {called.name}: {judged.reason}.",
                    steps=(key,),
                )
    return passed("Every forward goes through") if forwards else None


@rule("path.sip-address-readable", t.PublishPath)
def path_sip_address_readable(task: t.PublishPath, estate: Estate) -> Finding | None:
    """A SIP address has a user and a host (RFC 3261 §19.1)."""
    steps = {key: step for key, step in task.body.steps.items() if isinstance(step, SipAddress)}
    wrong = {
        key: (
            f"has “{step.address or 'nothing'}” for a SIP address; it looks like"
            " sip:desk@example.org"
        )
        for key, step in steps.items()
        if not SIP_ADDRESS.fullmatch(step.address)
    }
    if wrong:
        return _at(Level.STOP, task.body, wrong)
    return passed("Every SIP address can be read") if steps else None


@rule("path.hours-make-sense", t.PublishPath)
def path_hours_make_sense(task: t.PublishPath, estate: Estate) -> Finding | None:
    """Hours that overlap, that never open, or that keep the holidays of a place nobody knows are a
    slip of the hand."""
    steps = {key: step for key, step in task.body.steps.items() if isinstance(step, Hours)}
    wrong = {key: problem for key, step in steps.items() if (problem := _wrong_hours(step))}
    if wrong:
        return _at(Level.STOP, task.body, wrong)
    odd = {key: problem for key, step in steps.items() if (problem := _odd_hours(step, estate))}
    if odd:
        return _at(Level.WARN, task.body, odd)
    return passed("The hours make sense") if steps else None


def _wrong_hours(step: Hours) -> str:
    if step.holidays_of and not holidays_of(step.holidays_of, 2026):
        return f"keeps the public holidays of “{step.holidays_of}”, which are not known"
    backwards = next((c for c in step.closures if c.last < c.first and not c.yearly), None)
    return f"is closed for {backwards.name} until a day before it begins" if backwards else ""


def _odd_hours(step: Hours, estate: Estate) -> str:
    if not any(o.weekdays for o in step.openings):
        return "is never open"
    same = next(
        (o for o in step.openings if minute_of(o.start) == minute_of(o.end) % (24 * 60)), None
    )
    if same:
        return f"is open from {same.start} to {same.end}, which is the whole day and night"
    if pair := overlapping(step.openings):
        return (
            f"has hours that overlap: {pair[0].start} to {pair[0].end} and {pair[1].start} to"
            f" {pair[1].end}"
        )
    past = next(
        (
            c
            for c in step.closures
            if not c.yearly and c.last < estate.now.date() and _all_past(step, estate)
        ),
        None,
    )
    if past:
        return f"has only closures that are over, the last of them {past.name}"
    leap = next((c for c in step.closures if c.yearly and _is_leap_day(c)), None)
    return "is closed every year on 29 February, which comes every fourth year only" if leap else ""


def _all_past(step: Hours, estate: Estate) -> bool:
    return all(not c.yearly and c.last < estate.now.date() for c in step.closures)


def _is_leap_day(closure: Closure) -> bool:
    return (
        (closure.first.month, closure.first.day)
        == (2, 29)
        == (closure.last.month, closure.last.day)
    )


@rule("path.recording-is-announced", t.PublishPath)
def path_recording_is_announced(task: t.PublishPath, estate: Estate) -> Finding | None:
    """Whoever is recorded has to be told before (in most countries by law)."""
    steps = {
        key: step
        for key, step in task.body.steps.items()
        if isinstance(step, Connecting) and step.recording
    }
    silent = {
        key: "records calls and tells nobody; say what both hear before"
        for key, step in steps.items()
        if step.recording and not step.recording.announcement.strip()
    }
    if silent:
        return _at(Level.STOP, task.body, silent)
    return passed("Everybody who is recorded is told before") if steps else None


@rule("path.other-paths-lead-on", t.PublishPath)
def path_other_paths_lead_on(task: t.PublishPath, estate: Estate) -> Finding | None:
    """A path that comes back to itself through others is easily a circle, and always hard to
    understand."""
    steps = {key: step for key, step in task.body.steps.items() if isinstance(step, OtherPath)}
    if not steps:
        return None
    missing = {
        key: "goes on in a path that is not chosen yet"
        for key, step in steps.items()
        if not step.path
    }
    if missing:
        return _at(Level.STOP, task.body, missing)
    nodes, _first = graph_of(task.body, estate, {task.path: task.body})
    back = [
        key
        for key, node in nodes.items()
        if isinstance(node.step, OtherPath) and node.step.path == task.path
    ]
    if back:
        own = {key: "comes back to this path" for key in back if key in steps} or {
            next(iter(steps)): "comes back to this path through another"
        }
        return _at(Level.WARN, task.body, own)
    return passed("The other paths lead on")


@rule("path.test-cases-pass", t.PublishPath)
def path_test_cases_pass(task: t.PublishPath, estate: Estate) -> Finding | None:
    """A call that was kept as a test case has to end as it did, or somebody has to say that it
    needn't any more."""
    if not task.body.tests:
        return None
    verdicts = run_cases(called_of(task.path, estate)[0], task.body, estate, {task.path: task.body})
    failed = [v for v in verdicts if v.differs]
    if failed:
        more = f" {len(failed) - 1} more of {len(verdicts)} fail." if len(failed) > 1 else ""
        return stop(
            f"Test case “{failed[0].case.name}” {failed[0].differs}.{more} Mend the path, or take"
            " the test case out."
        )
    return passed(f"Every test case ends as it has to, {len(verdicts)} in all")

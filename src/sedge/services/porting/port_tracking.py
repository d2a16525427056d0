"""What losing carriers say of the ports they have: asked after, kept as events; when something is
promised next."""

from datetime import datetime, timedelta

from sedge.core.errors import OutsideTrouble
from sedge.core.estate import Change
from sedge.core.load_spec import LoadSpec
from sedge.core.porting.records import Port, PortState
from sedge.core.porting.reducers import answered
from sedge.core.records import Account
from sedge.outside.porting import PortAnswer
from sedge.services.context import Context, Reading, Writing
from sedge.services.periodic import periodic, tells_when_due
from sedge.services.porting.ports import open_ports

ASK_EVERY = timedelta(minutes=10)


@periodic("ports")
def follow_ports(context: Context) -> int:
    """Ask after every port that a losing carrier has, every ten minutes; what it says becomes
    events. A silent carrier is asked again."""
    installation, done = context.installation, 0
    with context.reading() as reading:
        waiting = [
            p
            for p in open_ports(reading)
            if p.placed_as
            and p.state in {PortState.SUBMITTED, PortState.QUERIED, PortState.ACCEPTED}
        ]
        carriers = {
            a.id: a.carrier for a in reading.records.many(Account, {p.account for p in waiting})
        }
    for port in waiting:
        key = (context.who.organisation, f"port {port.id}")
        if installation.next_at.get(key, context.now()) > context.now():
            continue
        installation.next_at[key] = min(_soon(port, context.now()), context.now() + ASK_EVERY)
        try:
            told = context.outside.ports.state(carriers[port.account], port.placed_as or "")
        except OutsideTrouble:
            continue
        done += hear(context, port.id, told)
    return done


def hear(context: Context, key: str, told: PortAnswer) -> bool:
    """Keep what a losing carrier says of a port; whether that was news."""
    with context.writing(reason="what the losing carrier says") as writing:
        changes = _told(writing, key, told)
        if changes:
            writing.save(changes)
    return bool(changes)


def _soon(port: Port, now: datetime) -> datetime:
    """The moment at which something is promised, so that it is asked for just then."""
    promised = port.foc if port.state is PortState.ACCEPTED else port.answer_due
    return promised if promised and promised > now else now + ASK_EVERY


def _told(writing: Writing, key: str, told: PortAnswer) -> list[Change]:
    port = writing.records.the(Port, key)
    estate = writing.estate(LoadSpec(ports={key}))
    found = answered(
        port,
        estate,
        state=told.state,
        code=told.code,
        text=told.text,
        foc=told.foc,
        refused=told.refused,
    )
    if found and told.answer_due != port.answer_due:
        first = found[0]
        found[0] = first.model_copy(
            update={"after": first.after.copy_with(answer_due=told.answer_due)}
        )
    return found


@tells_when_due
def next_due(reading: Reading) -> datetime | None:
    """The next moment at which a losing carrier has promised something."""
    moments = [
        m
        for p in open_ports(reading)
        if (m := p.foc if p.state is PortState.ACCEPTED else p.answer_due) and m > reading.now
    ]
    return min(moments, default=None)

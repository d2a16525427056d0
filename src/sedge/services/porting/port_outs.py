"""Ports out: what other carriers ask ours for, answered in time; numbers that went
without a word; what is to be cleaned up."""

from dataclasses import dataclass
from datetime import date, datetime, timedelta
from typing import Any

from sqlalchemy import func, select

from sedge.core.access.roles import May
from sedge.core.changes import changed
from sedge.core.errors import NotAllowedNow, NotUnderstood, OutsideRefused, OutsideTrouble
from sedge.core.estate import Change
from sedge.core.facts import counted
from sedge.core.load_spec import LoadSpec
from sedge.core.numbers.life import ENDED
from sedge.core.porting.outgoing import REFUSALS, Doubt, bound_beyond, doubts, gone, refused, stays
from sedge.core.porting.outgoing_records import PortOut, PortOutState
from sedge.core.porting.records import AccountDetails, Said
from sedge.core.records import Account, Carrier, Number, Subject
from sedge.core.retiring.dependencies import Dependence, dependences, settling
from sedge.core.workorders import tasks as t
from sedge.core.workorders.life import OrderState
from sedge.outside.carrier import PortOutAsked
from sedge.services.context import Context, Reading, Writing
from sedge.services.periodic import periodic, tells_when_due
from sedge.services.retiring.usage_index import around
from sedge.services.workorders import workorders
from sedge.store import secrets
from sedge.store.repositories import workorders as workorder_store
from sedge.store.repositories.workorders import WorkOrder
from sedge.store.schema import tables

ASK_EVERY = timedelta(minutes=10)
LISTED = 200
MOST_LATELY = 20
MOST_PIN = 40


@dataclass(frozen=True)
class PortOutView:
    """`doubts` are what it gets wrong of us; `depends` what hangs on its numbers that somebody has,
    each with its number; `knows_pin`: we have one to compare with."""

    request: PortOut
    account: Account
    carrier: Carrier
    doubts: list[Doubt]
    numbers: list[Number]
    holders: dict[str, str]
    depends: list[tuple[Number, Dependence]]
    knows_pin: bool
    order: WorkOrder | None

    @property
    def unasked(self) -> bool:
        """Whether the numbers went without anybody asking us, wherever they are by now."""
        return self.request.state in {
            PortOutState.UNASKED,
            PortOutState.CLAIMED,
            PortOutState.RETURNED,
        }

    @property
    def paid_until(self) -> date | None:
        """The last day of a minimum term that goes beyond the numbers' own time here; None where
        nothing is paid for after they went."""
        gone = self.request.goes_at.date() if self.request.goes_at else self.request.asked_at.date()
        return max(
            (n.bound_until for n in bound_beyond(self.numbers, gone) if n.bound_until), default=None
        )

    @property
    def advice(self) -> str:
        """The code to refuse it with; '' where nothing speaks against it but that we may not want
        it."""
        return self.doubts[0].code if self.doubts else ""


def list_port_outs(context: Context) -> list[tuple[PortOut, str]]:
    """Newest first, each with our account's name."""
    with context.reading() as reading:
        found = reading.records.where(PortOut, order_by=tables.port_out.c.no.desc(), limit=LISTED)
        names = {a.id: a.name for a in reading.records.many(Account, {p.account for p in found})}
    return [(p, names.get(p.account, p.account)) for p in found]


def waiting(reading: Reading | Writing) -> list[PortOut]:
    """What is to be answered, is on its way, or needs somebody; the soonest first."""
    table = tables.port_out
    return reading.records.where(PortOut, table.c.open.is_(True), order_by=table.c.due)


def to_clean_up(context: Context, reading: Reading) -> list[PortOut]:
    """Those whose numbers have gone, and whose draft of cleaning up nobody has run."""
    table = tables.port_out
    lately = reading.records.where(
        PortOut,
        table.c.state == PortOutState.GONE.value,
        order_by=table.c.no.desc(),
        limit=MOST_LATELY,
    )
    orders = {
        p.id: workorder_store.find(reading.connection, f"wo-{p.clean_up}")
        for p in lately
        if p.clean_up
    }
    return [p for p in lately if (order := orders.get(p.id)) and order.state is OrderState.DRAFT]


def view_port_out(context: Context, key: str) -> PortOutView:
    """Raises NotFound."""
    with context.reading() as reading:
        request = reading.records.the(PortOut, key)
        account = reading.records.the(Account, request.account)
        estate = reading.estate(LoadSpec(port_outs={key}))
        pin = _pin_of(context, reading, account.id)
        numbers = {n: estate.get(Number, n) for n in request.numbers}
        asked = request.state in {PortOutState.ASKED, PortOutState.APPROVED, PortOutState.UNASKED}
        found = (
            doubts(request, account, pin, context.organisation.name, numbers)
            if request.state is PortOutState.ASKED
            else []
        )
        mine = [n for n in numbers.values() if n]
        about = around(reading, mine if asked else [])
        hanging = [
            (n, d)
            for n in mine
            if n.in_use and asked
            for d in dependences(n, estate, about[n.e164])
        ]
        names = reading.records.names((n.holder.subject, n.holder.id) for n in mine if n.holder)
        carrier = reading.records.the(Carrier, account.carrier)
    holders = {
        n.e164: names.get((n.holder.subject, n.holder.id), "") if n.holder else n.state.value
        for n in mine
    }
    order = workorders.find(context, request.clean_up) if request.clean_up else None
    return PortOutView(
        request, account, carrier, found, mine, holders, hanging, pin is not None, order
    )


def _pin_name(account: str) -> str:
    return f"port pin of {account}"


def _pin_of(context: Context, reading: Reading, account: str) -> str | None:
    try:
        return (
            secrets.read(reading.connection, context.installation.keyring, _pin_name(account))
            or None
        )
    except NotAllowedNow:
        return None


def keep_pin(context: Context, account: str, pin: str) -> None:
    """What others must know before our numbers may leave this account; sealed. Raises
    NotUnderstood."""
    context.require(May.PORT)
    if not 3 <= len(pin.strip()) <= MOST_PIN:
        raise NotUnderstood(f"Three to {MOST_PIN} characters, as the carrier has it.", field="pin")
    with context.writing(reason="the PIN that others must know") as writing:
        known = writing.records.the(Account, account)
        secrets.keep_secret(
            writing.connection,
            context.installation.keyring,
            _pin_name(account),
            pin.strip(),
            writing.stamp,
        )
        writing.save([changed(Subject.ACCOUNT, known, known, "account.pin-kept")])


def approval(context: Context, key: str) -> WorkOrder:
    """A draft that lets the numbers go; its checks say what would be lost. Raises NotAllowedNow
    where what they say of us is wrong."""
    context.require(May.PORT)
    view = view_port_out(context, key)
    if view.doubts:
        raise NotAllowedNow(
            f"{view.doubts[0].says} Refuse it with that, or find out who asks.", reason="doubts"
        )
    request = view.request
    title = (
        f"Approve port out {request.no}: {counted(len(request.numbers), 'number')} to"
        f" {request.gaining}"
    )
    return workorders.draft(context, title, [t.ApprovePortOut(request=key, vouched=context.actor)])


def refuse(context: Context, key: str, code: str) -> PortOut:
    """Answered with one of the trade's codes. Raises NotUnderstood, NotAllowedNow once it is
    answered, OutsideSilent."""
    context.require(May.PORT)
    if code not in REFUSALS:
        raise NotUnderstood(f"Choose why: {', '.join(REFUSALS)}.", field="code")
    view = view_port_out(context, key)
    if view.request.state is not PortOutState.ASKED:
        raise NotAllowedNow(
            f"Port out {view.request.no} is {view.request.state} already.", reason="port-out"
        )
    try:
        context.at_carrier(view.account).refuse_port_out(view.request.theirs, code)
    except OutsideRefused as error:
        hear(context, view.account)
        raise NotAllowedNow(
            f"{view.carrier.name} takes no answer any more:"
            f" {error.facts.get('why', error.reason)}.",
            reason="over",
        ) from error
    with context.writing() as writing:
        request = writing.records.the(PortOut, key)
        if request.state is PortOutState.REFUSED:
            return request
        return writing.save([refused(request, code, writing.now, context.actor)])[0].after


def claim(context: Context, key: str) -> PortOut:
    """Numbers that went without our word are fetched back. Raises NotAllowedNow, OutsideSilent."""
    context.require(May.PORT)
    with context.reading() as reading:
        request = reading.records.the(PortOut, key)
        account = reading.records.the(Account, request.account)
    if request.state is not PortOutState.UNASKED:
        raise NotAllowedNow(
            f"Port out {request.no} is {request.state}; there is nothing to claim back.",
            reason="port-out",
        )
    told = context.at_carrier(account).claim_back(request.theirs)
    with context.writing(reason="nobody of ours has asked for it") as writing:
        now = writing.records.the(PortOut, key)
        said = (
            *now.said,
            Said(at=writing.now, by=context.actor, what="noted", text="claimed back"),
        )
        after = now.copy_with(state=PortOutState(told.state), goes_at=told.returns_at, said=said)
        return writing.save([changed(Subject.PORT_OUT, now, after, "port-out.claimed-back")])[
            0
        ].after


def let_go(context: Context, key: str) -> WorkOrder | None:
    """Numbers that went without our word may stay away: their lives here end, and what depended on
    them is cleaned up. Gives that draft; None where nothing did."""
    context.require(May.PORT)
    with context.reading() as reading:
        request = reading.records.the(PortOut, key)
    if request.state not in {PortOutState.UNASKED, PortOutState.CLAIMED}:
        raise NotAllowedNow(f"Port out {request.no} is {request.state}.", reason="port-out")
    return _gone(context, request, context.now())


# ── what carriers say ──


@periodic("port outs")
def follow_requests(context: Context) -> int:
    """Ask every carrier after requests for our numbers, every ten minutes. A silent one is asked
    again."""
    installation, done = context.installation, 0
    key = (context.who.organisation, "port outs")
    if installation.next_at.get(key, context.now()) > context.now():
        return 0
    with context.reading() as reading:
        accounts = [
            a for a in reading.records.all(Account) if a.carrier in context.outside.carriers
        ]
        moments = [p.goes_at for p in waiting(reading) if p.goes_at and p.goes_at > context.now()]
    installation.next_at[key] = min([*moments, context.now() + ASK_EVERY])
    for account in accounts:
        try:
            done += hear(context, account)
        except OutsideTrouble:
            continue
    return done


@tells_when_due
def next_due(reading: Reading) -> datetime | None:
    """The next moment at which numbers are to go, or come back."""
    return min(
        (p.goes_at for p in waiting(reading) if p.goes_at and p.goes_at > reading.now), default=None
    )


def hear(context: Context, account: Account) -> int:
    """What a carrier says of requests for the account's numbers becomes ours; how many were news.
    Raises OutsideTrouble."""
    told = context.at_carrier(account).port_outs()
    news = 0
    for asked in told:
        with context.reading() as reading:
            table = tables.port_out
            known = next(
                iter(
                    reading.records.where(
                        PortOut, table.c.account == account.id, table.c.theirs == asked.id
                    )
                ),
                None,
            )
        news += _news(context, account, asked, known)
    return news


def _news(context: Context, account: Account, asked: PortOutAsked, known: PortOut | None) -> bool:
    if known is None:
        if asked.state in {"withdrawn", "refused", "returned"}:
            return False
        _begin(context, account, asked)
        return True
    if known.state.value == asked.state or not known.is_open:
        return False
    match asked.state:
        case "gone" if known.state in {PortOutState.ASKED, PortOutState.APPROVED}:
            _gone(context, known, asked.goes_at or context.now())
        case "withdrawn" if known.state in {PortOutState.ASKED, PortOutState.APPROVED}:
            _keep(
                context,
                known,
                lambda request, w: stays(
                    request, w.estate(LoadSpec(port_outs={request.id})), w.now
                ),
            )
        case "returned" if known.state is PortOutState.CLAIMED:
            _keep(context, known, _returned)
        case "refused" if known.state is PortOutState.ASKED:
            _keep(
                context,
                known,
                lambda request, w: [
                    refused(request, asked.code or "not-authorised", w.now, "the carrier")
                ],
            )
        case _:
            return False
    return True


def _begin(context: Context, account: Account, asked: PortOutAsked) -> None:
    with context.writing(reason="another carrier asks for them") as writing:
        last = writing.connection.execute(select(func.max(tables.port_out.c.no))).scalar() or 0
        state = (
            PortOutState.UNASKED if asked.state in {"gone unasked", "gone"} else PortOutState.ASKED
        )
        request = PortOut(
            id=context.new_id("portout"),
            no=last + 1,
            account=account.id,
            carrier=account.carrier,
            gaining=asked.gaining,
            numbers=asked.numbers,
            state=state,
            given=AccountDetails(
                name=asked.given.get("name", ""),
                account=asked.given.get("account", ""),
                pin=asked.given.get("pin", ""),
            ),
            asked_at=asked.asked_at,
            answer_due=asked.answer_due,
            theirs=asked.id,
        )
        writing.save(
            [changed(Subject.PORT_OUT, None, request, f"port-out.{state.value.replace(' ', '-')}")]
        )


def _returned(request: PortOut, writing: Writing) -> list[Change]:
    said = (
        *request.said,
        Said(at=writing.now, by=request.carrier, what="noted", text="the numbers are back"),
    )
    return [
        changed(
            Subject.PORT_OUT,
            request,
            request.copy_with(state=PortOutState.RETURNED, said=said),
            "port-out.returned",
        )
    ]


def _keep(context: Context, known: PortOut, changes: Any) -> None:
    with context.writing(reason="what the carrier says") as writing:
        writing.save(changes(writing.records.the(PortOut, known.id), writing))


def _gone(context: Context, request: PortOut, at: datetime) -> WorkOrder | None:
    """The lives of the numbers end; a draft cleans up after them, made from what depended on them a
    moment before."""
    with context.reading() as reading:
        estate = reading.estate(LoadSpec(port_outs={request.id}))
        mine = [
            n
            for e164 in request.numbers
            if (n := estate.get(Number, e164)) and n.state not in ENDED
        ]
        about = around(reading, mine)
        found = [(n, d) for n in mine for d in dependences(n, estate, about[n.e164])]
    going = set(request.numbers)
    tasks = [x for x in settling(d for _, d in found) if getattr(x, "number", None) not in going]
    identity, order = f"{request.id}-clean-up", None
    if (
        tasks
    ):  # written first: whatever dies after it, the next look finds it under the same identity
        title = f"Clean up after port out {request.no}: {counted(len(request.numbers), 'number')}"
        order = workorders.draft(
            context, title, tasks, reason=f"gone to {request.gaining}", identity=identity
        )
    with context.writing(reason=f"gone to {request.gaining}") as writing:
        now = writing.records.the(PortOut, request.id)
        changes = gone(now, writing.estate(LoadSpec(port_outs={request.id})), at)
        first = changes[0].model_copy(
            update={"after": changes[0].after.copy_with(clean_up=identity if order else "nothing")}
        )
        writing.save([first, *changes[1:]])
    for number in request.numbers:
        context.outside.telephony.remove_number(number)
    return order

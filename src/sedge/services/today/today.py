"""Today: what needs doing, and nothing else. Each line leads to where it is done."""

from collections.abc import Iterator, Sequence
from dataclasses import replace
from datetime import timedelta
from typing import Any

from sqlalchemy import case, exists, func, select, text

from sedge.core.access.roles import AccessRole, May, allowed
from sedge.core.facts import counted, in_words
from sedge.core.numbers.card_facts import Mark
from sedge.core.numbers.e164 import describe, in_national
from sedge.core.porting.outgoing_records import PortOutState
from sedge.core.porting.records import PortState
from sedge.core.records import Number, Trunk
from sedge.core.trunks.records import Sbc
from sedge.services.carriers import carrier_book, reconciliation
from sedge.services.context import Context, Reading
from sedge.services.numbers import capacity_forecast
from sedge.services.operating import system_lines
from sedge.services.outbound import emergency_reach
from sedge.services.porting import port_outs, ports
from sedge.services.safety import safety
from sedge.services.spend import today_lines
from sedge.services.today.today_items import (
    arrival_lines,
    check_lines,
    directory_lines,
    licence_lines,
    money_lines,
    paper_lines,
    phone_lines,
    review_lines,
    test_call_lines,
    work_order_lines,
)
from sedge.services.todo import MOST_COUNTED, Kind, Todo, how_many
from sedge.services.trunks import number_lists
from sedge.store.repositories import trunk_answers, workorders
from sedge.store.repositories.records import is_open
from sedge.store.schema import projected, tables

MOST_SHOWN, LAPSES_SOON_DAYS, IDLE_FROM = 200, 7, 20


def todo(context: Context) -> list[Todo]:
    """What this member's role can do something about, most serious first. Where help would go
    wrong, everybody is told."""
    return _of_role(_for_all_roles(context), context)


def waiting(context: Context) -> list[Todo]:
    """The same as `todo`, remembered until something changes."""
    found = context.installation.while_unchanged(
        context, _name(context), lambda: _for_all_roles(context), current=True
    )
    return _of_role(found, context)


def waiting_lately(context: Context) -> tuple[list[Todo], bool]:
    """The same for the head of every page, which counts it and waits for nothing: where something
    has just changed, what waited before that, and False."""
    found, is_current = context.installation.lately(
        context, _name(context), lambda: _for_all_roles(context)
    )
    return _of_role(found, context), is_current


Asked = list[tuple[May, Todo]]  # lines, and what a role must be allowed to be told of each


def _of_role(found: Asked, context: Context) -> list[Todo]:
    return [line for asked, line in found if allowed(context.who.role, asked)]


def _name(context: Context) -> str:
    return "waiting" if context.who.scope.is_whole else f"waiting for a {context.who.role}"


def _for_all_roles(context: Context) -> Asked:
    """Gathered once for all roles that see the whole organisation; a role that is kept to sites
    stays what it is, for that is what keeps it there."""
    if context.who.scope.is_whole:
        context = replace(context, who=replace(context.who, role=AccessRole.ADMINISTRATOR))
    with context.reading() as reading:
        groups = (
            (Kind.EMERGENCY, May.LOOK, _emergency(reading)),
            (Kind.PORTS, May.SEE_MONEY, _gone_unasked(reading)),
            (Kind.EMERGENCY, May.CHANGE_SAFETY, _nowhere(reading)),
            (Kind.NUMBERS, May.CHANGE_ESTATE, _unlisted(reading)),
            (Kind.CARRIERS, May.LOOK, _trunks(reading)),
            (Kind.CARRIERS, May.LOOK, _sbcs(reading)),
            (Kind.CARRIERS, May.TRUNKS, _lists(context)),
            (Kind.EMERGENCY, May.LOOK, _unreached(context)),
            (Kind.SYSTEM, May.SET_RULES, system_lines.lines(context)),
            (Kind.NUMBERS, May.CHANGE_ESTATE, _odd_numbers(reading)),
            (Kind.NUMBERS, May.CHANGE_ESTATE, _lapsing(reading)),
            (Kind.NUMBERS, May.SEE_MONEY, _unused(context)),
            (Kind.WORK_ORDERS, May.CHANGE_ESTATE, work_order_lines(reading)),
            (Kind.CHECKS, May.CHANGE_ESTATE, check_lines(context)),
            (Kind.PEOPLE, May.CHANGE_ESTATE, directory_lines(context)),
            (Kind.CARRIERS, May.SEE_MONEY, money_lines(context)),
            (Kind.SUPPLY, May.SEE_MONEY, paper_lines(context)),
            (Kind.SUPPLY, May.BUY, arrival_lines(context)),
            (Kind.PORTS, May.SEE_MONEY, _ports(reading)),
            (Kind.PORTS, May.SEE_MONEY, _port_outs(context, reading)),
            (Kind.CARRIERS, May.SEE_MONEY, _drift(reading)),
            (Kind.LICENCES, May.SEE_MONEY, licence_lines(context)),
            (Kind.PEOPLE, May.LOOK, phone_lines(reading)),
            (Kind.EMERGENCY, May.CHANGE_SAFETY, review_lines(reading)),
            (Kind.CALLS, May.PLACE_TEST_CALL, test_call_lines(context)),
            (Kind.SUPPLY, May.SEE_MONEY, _running_out(context)),
            (Kind.CARRIERS, May.PAY, _contracts(reading)),
            (Kind.SPEND, May.SEE_MONEY, today_lines.alarms(context)),
            (Kind.SPEND, May.SEE_MONEY, today_lines.passed_budgets(context)),
            (Kind.SPEND, May.KEEP_BOOKS, today_lines.open_invoice_lines(context)),
        )
        lines = [
            (asked, replace(line, kind=kind))
            for kind, asked, found in groups
            if allowed(context.who.role, asked)
            for line in found
        ]
    order = [Mark.WRONG, Mark.WAITING, Mark.NONE, Mark.GOOD]
    return sorted(lines, key=lambda pair: order.index(pair[1].mark))


def _contracts(reading: Reading) -> Iterator[Todo]:
    """Contracts that go on unless somebody gives notice soon."""
    for carrier, last in carrier_book.contracts_to_decide(reading):
        what = f"Contract with {carrier.name}: last day for notice {last:%-d %B %Y}"
        why = f"It ends on {carrier.contract_ends:%-d %B %Y}, else it goes on."
        yield Todo(Mark.WAITING, what, why, f"/carriers#{carrier.id}", "View carrier")


def _wanting(reading: Reading, column: Any) -> tuple[int, str]:
    """How many numbers in use want something (counted up to a thousand), and the first of them as
    people write it."""
    life = tables.life
    query = (
        select(life.c.number)
        .where(text("attention = 1"), column.is_(None), is_open())
        .order_by(life.c.number)
    )
    numbers = list(reading.connection.execute(query.limit(MOST_COUNTED + 1)).scalars())
    return len(numbers), describe(f"+{numbers[0]}").shown if numbers else ""


def _ports(reading: Reading) -> Iterator[Todo]:
    """Ports that wait for us: what the losing carrier disputes, a day that has come, numbers that
    nobody has proven yet."""
    asks = {
        PortState.REJECTED: (Mark.WRONG, "was rejected", "Fix"),
        PortState.QUERIED: (Mark.WRONG, "is asked about", "Answer"),
        PortState.DUE: (Mark.WRONG, "can be switched now", "Switch port"),
        PortState.ACTIVATED: (Mark.WAITING, "is switched, not tested", "Test numbers"),
    }
    for port in ports.open_ports(reading):
        if port.is_silent(reading.now):
            words = f"{port.losing} should have answered. Nothing of ours is missing."
            yield Todo(
                Mark.WAITING,
                f"Port {port.no} is not answered",
                words,
                f"/ports/{port.id}",
                "Send reminder",
            )
        if port.state not in asks:
            continue
        mark, what, act = asks[port.state]
        said = (
            in_national(port.said[-1].text) if port.said and port.said[-1].by == port.losing else ""
        )
        numbers = f"{how_many(len(port.numbers), 'number')} from {port.losing}."
        yield Todo(
            mark, f"Port {port.no} {what}", f"{numbers} {said}".strip(), f"/ports/{port.id}", act
        )


def _gone_unasked(reading: Reading) -> Iterator[Todo]:
    """Numbers that another carrier has without our word: an alarm, since strangers answer them."""
    for request in port_outs.waiting(reading):
        if request.state is PortOutState.UNASKED:
            words = (
                f"{_first_of(request.numbers)}: {request.gaining} has them, and callers reach"
                " strangers."
            )
            what = f"{how_many(len(request.numbers), 'number')} gone without our word"
            yield Todo(Mark.WRONG, what, words, f"/port-outs/{request.id}", "Claim them back")


def _first_of(numbers: Sequence[str]) -> str:
    more = f" and {how_many(len(numbers) - 1, 'other')}" if len(numbers) > 1 else ""
    return f"{describe(numbers[0]).shown}{more}"


def _port_outs(context: Context, reading: Reading) -> Iterator[Todo]:
    """Who asks for our numbers, with the time left to answer; what is to be cleaned up after those
    that have gone."""
    for request in port_outs.waiting(reading):
        if request.state is PortOutState.ASKED:
            hours = int((request.answer_due - reading.now).total_seconds() // 3600)
            left = f"{how_many(hours, 'hour')} left" if hours > 0 else "The time to answer is over"
            what = f"{request.gaining} asks for {how_many(len(request.numbers), 'number')}"
            yield Todo(
                Mark.WRONG,
                what,
                f"{_first_of(request.numbers)}. {left}.",
                f"/port-outs/{request.id}",
                "Answer",
            )
    for request in port_outs.to_clean_up(context, reading):
        numbers = how_many(len(request.numbers), "number")
        yield Todo(
            Mark.WAITING,
            f"Clean up after port out {request.no}",
            f"{numbers} went to {request.gaining}; seats and more stand idle.",
            f"/port-outs/{request.id}",
            "Clean up",
        )


def _drift(reading: Reading) -> Iterator[Todo]:
    """Numbers that a carrier and the estate have differently, where calls may be lost or something
    unknown is paid for."""
    if count := reconciliation.grave_count(reading):
        yield Todo(
            Mark.WRONG,
            f"{how_many(count, 'number')} otherwise at the carrier than here",
            "Calls may not arrive, or something is paid for that nobody knows of.",
            "/carriers/drift",
            "View differences",
        )


def _emergency(reading: Reading) -> Iterator[Todo]:
    without, first = _wanting(reading, tables.life.c.spot)
    if without:
        yield Todo(
            Mark.WRONG,
            f"{how_many(without, 'number')} in use without an emergency spot",
            f"An emergency call from {first} would not say where to go.",
            "/numbers?attention=1",
            "Set the spots",
        )
    unregistered = safety.not_registered(reading)
    if unregistered:
        yield Todo(
            Mark.WRONG,
            f"{how_many(len(unregistered), 'number')} registered elsewhere than where"
            f" responders must go",
            f"For {unregistered[0].shown} the carrier would show the operator another place, or"
            " none.",
            "/safety",
            "Fix",
        )


def _nowhere(reading: Reading) -> Iterator[Todo]:
    """People whom nothing leads help to: those with a number are told of by it."""
    person, life = tables.person, tables.life
    has = exists().where(life.c.holder_kind == "person", life.c.holder_id == person.c.id, is_open())
    query = (
        select(person.c.name)
        .where(person.c.departed.is_(False), person.c.spot.is_(None), ~has)
        .order_by(person.c.name)
    )
    names = list(reading.connection.execute(query.limit(MOST_COUNTED + 1)).scalars())
    if names:
        yield Todo(
            Mark.WAITING,
            f"{how_many(len(names), 'person')} without an emergency spot",
            f"{names[0]} can't be given a number until somebody says where responders would"
            f" find them.",
            "/safety",
            "Choose spots",
        )


def _unlisted(reading: Reading) -> Iterator[Todo]:
    unlisted, first = _wanting(reading, tables.life.c.trunk)
    if unlisted:
        yield Todo(
            Mark.WRONG,
            f"{how_many(unlisted, 'number')} in use on no trunk's list",
            f"Calls to {first} don't arrive.",
            "/numbers?attention=1",
            "Complete the list",
        )


def _odd_numbers(reading: Reading) -> Iterator[Todo]:
    """States without sense: reserved or resting without an end, in use by somebody who has left."""
    life, person = tables.life, tables.person
    endless = reading.records.where(
        Number,
        life.c.state.in_(["reserved", "aging"]),
        life.c.state_until.is_(None),
        limit=MOST_SHOWN,
    )
    if endless:
        first = endless[0]
        yield Todo(
            Mark.WAITING,
            f"{how_many(len(endless), 'number')} reserved or aging without an end",
            f"{first.shown} is {first.state} for good, as it looks.",
            f"/numbers/{first.e164[1:]}",
            "View number",
        )
    departed = select(person.c.id).where(person.c.departed.is_(True))
    gone = (
        select(life.c.number, life.c.holder_name.label("name"))
        .where(
            life.c.holder_kind == "person",
            life.c.holder_id.in_(departed),
            life.c.state == "assigned",
        )
        .limit(MOST_SHOWN)
    )
    left = reading.connection.execute(gone).all()
    if left:
        numbers = ",".join(str(row.number) for row in left)
        yield Todo(
            Mark.WRONG,
            f"{how_many(len(left), 'number')} held by people who have left",
            f"{describe(f'+{left[0].number}').shown} still rings {left[0].name}.",
            f"/numbers/chosen?pick={numbers}&act=unassign",
            "Unassign numbers",
        )


def _lapsing(reading: Reading) -> Iterator[Todo]:
    """Reservations that end within a week: whoever waits for the number would lose it."""
    life = tables.life
    soon = reading.now + timedelta(days=LAPSES_SOON_DAYS)
    found = reading.records.where(
        Number,
        func.lower(life.c.state)
        == "reserved",  # as found by its end: there are many reserved, and few that lapse
        life.c.state_until.is_not(None),
        life.c.state_until <= soon,
        order_by=life.c.state_until,
        limit=MOST_SHOWN,
    )
    if found:
        first = found[0]
        until = f"{first.state_until:%-d %B}" if first.state_until else ""
        yield Todo(
            Mark.WAITING,
            f"{how_many(len(found), 'reservation')} about to lapse",
            f"{first.shown}, {first.state_reason or 'reserved'}, until {until}.",
            "/numbers?view=list&state=reserved&sort=until&show=number,state,until,label,site",
            "View reservations",
        )


def _unused(context: Context) -> list[Todo]:
    """Counted every ten minutes: it looks at every hundred."""

    def look() -> list[Todo]:
        with context.reading() as reading:
            return list(_idle(reading))

    return context.installation.for_a_while(context, "unused blocks", look)


def _idle(reading: Reading) -> Iterator[Todo]:
    """Whole hundreds that nobody uses and that are paid every month."""
    tally = projected.tally
    used = func.sum(case((tally.c.state.in_(["available"]), 0), else_=tally.c.count))
    query = (
        select(tally.c.hundred, tally.c.site, func.sum(tally.c.count).label("numbers"))
        .group_by(tally.c.hundred, tally.c.site)
        .having(used == 0, func.sum(tally.c.count) >= IDLE_FROM)
        .limit(MOST_SHOWN)
    )
    idle = reading.connection.execute(query).all()
    if idle:
        total = sum(int(row.numbers) for row in idle)
        life, first = tables.life, idle[0]
        at = (
            life.c.number.between(first.hundred * 100, first.hundred * 100 + 99),
            life.c.site == first.site,
            is_open(),
        )
        one = reading.records.where(Number, *at, order_by=life.c.number, limit=1)[0]
        yield Todo(
            Mark.NONE,
            f"{how_many(total, 'number')} in {how_many(len(idle), 'block')} that nobody uses",
            f"{one.shown[:-2]}xx costs {in_words(one.monthly.times(int(first.numbers)))} a month.",
            f"/numbers?view=list&find=%2B{first.hundred}xx",
            "View numbers",
        )


def _running_out(context: Context) -> Iterator[Todo]:
    """Where numbers should be ordered now, with what would be ordered."""
    for one in capacity_forecast.worth_ordering(context)[:5]:
        months = one.exhaustion.months or 0
        yield Todo(
            Mark.WAITING,
            f"{one.site.name} runs out of numbers in {max(0, round(months * 4.35))} weeks",
            f"{one.advice.available} are left for {one.capacity} use; {one.advice.order} should be"
            " ordered now.",
            f"/numbers/figures?site={one.site.id}",
            "View forecast",
        )


def _unreached(context: Context) -> Iterator[Todo]:
    """Sites from which no emergency call gets out."""
    for site, hole in emergency_reach.holes(context):
        yield Todo(
            Mark.WRONG,
            f"{site.name} can't reach the emergency services",
            hole,
            "/safety/reach",
            "View reach",
        )


def _sbcs(reading: Reading) -> Iterator[Todo]:
    for sbc in reading.records.all(Sbc):
        broken = next((link for link in sbc.links if link.ok is False), None)
        if broken and not sbc.retired:
            yield Todo(
                Mark.WRONG,
                f"SBC {sbc.name}: {broken.what} fails",
                f"{broken.evidence} {broken.cure}".strip(),
                f"/carriers/sbcs/{sbc.id}",
                "View test",
            )


def _trunks(reading: Reading) -> Iterator[Todo]:
    silent = {standing.trunk: standing for standing in trunk_answers.silent(reading.connection)}
    for trunk in reading.records.all(Trunk):
        if trunk.carries and (standing := silent.get(trunk.id)):
            yield Todo(
                Mark.WRONG,
                f"{trunk.name} does not answer",
                f"{counted(standing.missed, 'request')} in a row. {standing.said}",
                f"/carriers/trunks/{trunk.id}",
                "View trunk",
            )
        if not trunk.up:
            yield Todo(
                Mark.WRONG,
                f"{trunk.name} is down",
                "Calls in and out over it fail.",
                f"/carriers/trunks/{trunk.id}",
                "View trunk",
            )
        if broken := next((link for link in trunk.links if link.ok is False), None):
            yield Todo(
                Mark.WRONG,
                f"{trunk.name}: {broken.what} fails",
                f"{broken.evidence} {broken.cure}".strip(),
                f"/carriers/trunks/{trunk.id}",
                "View test",
            )


def _lists(context: Context) -> Iterator[Todo]:
    """Numbers that a trunk lists and its other side does not, or the other way round."""
    for trunk, at, found in number_lists.differing(context):
        missing, extra = len(found.missing), len(found.extra)
        said = [f"{how_many(missing, 'number')} missing there"] if missing else []
        said += [f"{how_many(extra, 'number')} on theirs alone"] if extra else []
        why = "Calls to them do not reach us." if missing else "Callers of these reach nobody here."
        yield Todo(
            Mark.WRONG if missing else Mark.WAITING,
            f"{trunk.name}: the other side's list differs",
            f"{', '.join(said)}, as of {at:%-d %B}. {why}",
            f"/carriers/trunks/{trunk.id}/list",
            "Compare lists",
        )


def glance(context: Context) -> dict[str, int]:
    """Figures for the head of the page: running work orders; numbers in the estate."""
    with context.reading() as reading:
        total = (
            reading.connection.execute(
                select(func.coalesce(func.sum(projected.tally.c.count), 0))
            ).scalar()
            or 0
        )
        return {"running": workorders.running_count(reading.connection), "numbers": total}

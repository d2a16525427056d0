"""Which ports numbers need: by carrier, type and country; begun as drafts."""

from dataclasses import dataclass

from sqlalchemy import func, select

from sedge.core.access.roles import May
from sedge.core.changes import changed
from sedge.core.errors import NotAllowedNow, NotUnderstood
from sedge.core.numbers.e164 import describe
from sedge.core.numbers.pasted import numbers_in
from sedge.core.numbers.plan import the_country
from sedge.core.numbers.ranges import NumberSet
from sedge.core.porting.dates import (
    usual_subdivision,
)
from sedge.core.porting.planning import PortPlan, plan
from sedge.core.porting.records import AccountDetails, Port, PortLine
from sedge.core.records import Account, Carrier, Number, Site, Subject
from sedge.services.context import Context, Reading, Writing
from sedge.services.porting import change_freezes
from sedge.services.porting.ports import MOST_NUMBERS, open_ports
from sedge.store.schema import tables


@dataclass(frozen=True)
class Planned:
    """What pasted numbers come to: ports by losing carrier, what can't be read, and what is only to
    be connected where it is."""

    plan: PortPlan
    numbers: NumberSet
    unread: tuple[str, ...]
    account: str
    site: str


def plan_ports(context: Context, text: str, *, account: str, site: str) -> Planned:
    """Read, looked up and grouped; nothing is kept. Raises NotUnderstood naming the field,
    OutsideSilent."""
    with context.reading() as reading:
        ours_at = reading.records.the(Site, site)
        gaining = reading.records.the(Account, account)
        carrier = reading.records.the(Carrier, gaining.carrier)
        free = change_freezes.blackouts(reading, site)
    pasted = numbers_in(text, ours_at.country)
    numbers = [f"+{n}" for n in pasted.numbers]
    if not numbers:
        raise NotUnderstood(
            "No number could be read. Paste them in any form, ranges with a dash.", field="text"
        )
    if len(numbers) > MOST_NUMBERS:
        raise NotUnderstood(
            f"At most {MOST_NUMBERS:,} numbers at a time; these are {len(numbers):,}.", field="text"
        )
    served = context.outside.numbering.served(numbers)
    with context.reading() as reading:
        ours = _ours(reading, numbers)

    def serves(e164: str) -> str:
        country = describe(e164).country
        return (
            ""
            if country in carrier.countries
            else f"{carrier.name} does not serve {the_country(country)}."
        )

    found = plan(
        numbers,
        served,
        context.outside.numbering.on_account,
        ours=ours,
        serves=serves,
        submitted=context.now(),
        subdivisions={ours_at.country: usual_subdivision(ours_at.country, ours_at.timezone)},
        blackouts=free,
    )
    return Planned(found, pasted.numbers, tuple(pasted.unread), account, site)


def _ours(reading: Reading, numbers: list[str]) -> dict[str, str]:
    known = reading.records.many(Number, numbers)
    held = [n for n in known if n.state not in {"released", "ported out", "closed"}]
    names = reading.records.names((n.holder.subject, n.holder.id) for n in held if n.holder)
    return {
        n.e164: (
            f"{names.get((n.holder.subject, n.holder.id), 'somebody')} has it"
            if n.holder
            else f"it is {n.state.value}"
        )
        for n in held
    }


def begin(context: Context, text: str, *, account: str, site: str) -> list[Port]:
    """A draft for each port of the plan that has a number that can move. Raises as `plan_ports`,
    NotAllowedNow where none can."""
    context.require(May.PORT)
    planned = plan_ports(context, text, account=account, site=site)
    wanted = [p for p in planned.plan.ports if p.eligible]
    if not wanted:
        raise NotAllowedNow(
            "None of these numbers can move. The plan says why for each.", reason="none-can-move"
        )
    with context.writing() as writing:
        last = last_no(writing)
        pending = {line.e164 for p in open_ports(writing) for line in p.lines}
        where = writing.records.the(Site, site)
        made = [
            Port(
                id=context.new_id("port"),
                no=last + i,
                losing=p.losing,
                country=p.country,
                subdivision=usual_subdivision(p.country, where.timezone),
                account=account,
                site=site,
                details=AccountDetails(account=p.account),
                left_behind=tuple(s.e164 for s in p.left_behind),
                toll_free=p.changes_responsible,
                lines=tuple(
                    PortLine(e164=line.e164, hangs=line.hangs, used_for=line.used_for)
                    for line in p.eligible
                    if line.e164 not in pending
                ),
            )
            for i, p in enumerate(wanted, start=1)
        ]
        made = [p for p in made if p.lines]
        if not made:
            raise NotAllowedNow(
                "All of these numbers are in a port already.", reason="pending", field="text"
            )
        return [
            c.after
            for c in writing.save([changed(Subject.PORT, None, p, "port.drafted") for p in made])
        ]


def last_no(writing: Writing) -> int:
    return writing.connection.execute(select(func.max(tables.port.c.no))).scalar() or 0

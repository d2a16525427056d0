"""The months since the demo organisation began: joiners, leavers, orders, work orders done, failed
and still to come.

Everything is lived in the order of its days, through the same reducer and the same saving as real
work. Orders and work orders of the past are written down as done; the carrier's stand-in knows only
what is ordered from now on.
"""

from collections.abc import Callable, Sequence
from dataclasses import replace
from datetime import timedelta
from typing import TYPE_CHECKING, Any

from sedge.core.callpaths.tracing.proof import fingerprint
from sedge.core.changes import changed
from sedge.core.estate import Change
from sedge.core.facts import Money
from sedge.core.records import (
    Account,
    Capacity,
    Device,
    HolderKind,
    HolderRef,
    Number,
    Order,
    Person,
    Proof,
    Role,
    Subject,
)
from sedge.core.safety.spots import spot_code
from sedge.core.supply.records import LineState
from sedge.core.supply.reducers import charge, settle_lines
from sedge.core.supply.tasks import OrderedLine
from sedge.core.workorders import tasks as t
from sedge.core.workorders.life import TaskEvent, TaskState, next_task_state
from sedge.core.workorders.task_base import Task
from sedge.demo.bills import months_of_bills
from sedge.demo.sites.further_lives import Happening, live_further
from sedge.services import mail
from sedge.services.apply_now import apply_at_once
from sedge.services.context import Writing
from sedge.services.workorders import order_running, runner, workorders
from sedge.services.workorders.outcomes import Done, Failed, Outcome
from sedge.store.repositories.workorders import StoredTask, WorkOrder
from sedge.store.schema import tables

if TYPE_CHECKING:
    from sedge.demo.seed import Seeding

STAFF, HOME = "staff-seat", "home-calling"
WHARF = "wharf-house"
# day, reference, numbers, capacity, set-up and monthly of each, seconds until it came: the stand-in
# takes minutes where a real carrier takes hours
BEGAN = 541  # days ago
ORDERS = (
    (300, "Travelling staff", range(300, 310), Capacity.SINGLE, "2.50", "0.65", 96),
    (210, "Front desk, many callers", range(314, 320), Capacity.MANY, "6.00", "1.20", 74),
    (121, "Travelling staff, second lot", range(310, 314), Capacity.SINGLE, "2.50", "0.65", 118),
)
# day, number, index of the person who gets it after a rest of 60 days
CHANGES = ((420, 121, 56), (400, 104, 57), (300, 118, 58), (240, 121, 59))
CLOSED_TEAM, ORPHANED = (135, 136, 137, 138, 139, 140), 128


def live_the_months(seeding: "Seeding", people: list[Person]) -> None:
    """Everything from the first assignments to today, in the order of its days."""
    months = Months(seeding, people)
    happenings = [
        *months_of_bills(seeding.context, seeding.now, BEGAN),
        *months.joiners(),
        *months.orders(),
        *months.leavers(),
        *months.reservations(),
        *months.seats(),
        *months.proofs(),
        *months.work_orders(),
        *months.last_days(),
        *(live_further(seeding.context) if seeding.whole else ()),
    ]
    for days_ago, happen in sorted(happenings, key=lambda h: -h[0]):
        seeding.at(days_ago)
        happen()


def send_old_mail(seeding: "Seeding") -> None:
    """The mails of the past reach the mail service, so that none of them waits for the first
    day."""
    while mail.send_waiting(seeding.context.as_system()):
        pass


class Months:
    def __init__(self, seeding: "Seeding", people: list[Person]) -> None:
        self.seeding, self.people = seeding, people
        self.context, self.now = seeding.context, seeding.now

    def do(self, *tasks: Task, reason: str = "") -> Callable[[], object]:
        return lambda: apply_at_once(self.context, tasks, reason=reason)

    def person(self, index: int) -> HolderRef:
        return HolderRef(kind=HolderKind.PERSON, id=self.people[index].id)

    def give(self, n: int, index: int, role: Role = Role.MAIN) -> t.AssignNumber:
        return t.AssignNumber(number=_e164(n), holder=self.person(index), role=role)

    # ── people and numbers ──

    def joiners(self) -> list[Happening]:
        """One to three a month, each on the next free number."""
        happenings: list[Happening] = []
        index = 30
        for month in range(16, 1, -1):
            batch = [
                self.give(130 + i - 30, i) for i in range(index, min(56, index + 1 + month % 3))
            ]
            index += len(batch)
            if batch:
                happenings.append((month * 30.4, self.do(*batch, reason="joined this month")))
        return happenings

    def leavers(self) -> list[Happening]:
        """Numbers that rested and found another holder (one of them three in all), and a team that
        closed."""
        happenings: list[Happening] = []
        for days_ago, n, index in CHANGES:
            happenings += [
                (days_ago, self.do(t.UnassignNumber(number=_e164(n), rest=60), reason="left")),
                (days_ago - 60, self.do(t.EndRest(number=_e164(n), reason="rest over"))),
                (days_ago - 61, self.do(self.give(n, index), reason="joined")),
            ]
        team = [t.UnassignNumber(number=_e164(n)) for n in CLOSED_TEAM]
        return [*happenings, (32, self.do(*team, reason="the project team closed"))]

    def reservations(self) -> list[Happening]:
        until = self.now + timedelta(days=60)
        second_lines = [
            t.ReserveNumber(number=_e164(n), reason="school visits, second line", until=until)
            for n in range(205, 209)
        ]
        aside = [
            t.SetAside(number=_e164(199), reason="readback line for tests"),
            t.SetAside(number=_e164(299), reason="test line"),
        ]
        return [(40, self.do(*second_lines, reason="asked for by Learning")), (39, self.do(*aside))]

    # ── what was bought ──

    def orders(self) -> list[Happening]:
        return [happening for row in ORDERS for happening in self._order(*row)]

    def _order(
        self,
        day: float,
        reference: str,
        numbers: range,
        capacity: Capacity,
        setup: str,
        monthly: str,
        seconds: float,
    ) -> tuple[Happening, Happening]:
        lines = tuple(
            OrderedLine(
                number=_e164(n),
                capacity=capacity,
                setup=self.seeding.gbp(setup),
                monthly=self.seeding.gbp(monthly),
            )
            for n in numbers
        )
        task = t.OrderNumbers(
            reference=reference,
            account="brackwater-main",
            site=WHARF,
            spot=spot_code("WHF", 1),
            lines=lines,
        )
        title = f"Order {reference}: {len(lines)} numbers"
        placed: list[WorkOrder] = []

        def place() -> None:
            order = self._begin(title, [task], "more numbers needed")
            with self.context.writing(work_order=order.id) as writing:
                writing.save(task.apply(writing.estate(task.needs()), order.tasks[0].id))
                record = writing.records.the(Order, f"{order.tasks[0].id}-order")
                expected = {
                    "expected_from": writing.now,
                    "expected_by": writing.now + timedelta(seconds=seconds),
                }
                sent = changed(
                    Subject.ORDER,
                    record,
                    record.copy_with(
                        placed_as=f"past-{day:.0f}", placed_at=writing.now, **expected
                    ),
                    "order.placed",
                )
                cost = Money(
                    amount=sum((x.setup.amount for x in lines), start=lines[0].setup.amount * 0),
                    currency="GBP",
                )
                writing.save([sent, charge(writing.records.the(Account, "brackwater-main"), cost)])
            placed.append(order)

        def arrive() -> None:
            def settled(writing: Writing) -> list[Change]:
                record = writing.records.the(Order, f"{placed[0].tasks[0].id}-order")
                estate = writing.estate(t.CancelOrder(order=record.id).needs())
                listed = settle_lines(
                    record, {x.e164: (LineState.DELIVERED, None, "") for x in record.lines}, estate
                )
                return [*listed, *_on_trunk(listed)]

            self._end(placed[0], lambda _stored: Done(settled))

        return (day, place), (day - seconds / 86400, arrive)

    def seats(self) -> list[Happening]:
        """Thirteen people have both seats, so that two of Home calling are left."""
        holders = [self.person(i) for i in range(13)]
        grants = [
            t.GrantLicence(holder=holder, product=product)
            for holder in holders
            for product in (STAFF, HOME)
        ]
        bundled = [self.give(300 + i, i, Role.EXTRA) for i in range(9)]
        return [
            (20, self.do(*grants, reason="may also call through Brackwater")),
            (19.9, self.do(*bundled, reason="second numbers for travelling staff")),
            (
                19.8,
                self.do(
                    *[t.RegisterAddress(number=_e164(300 + i)) for i in range(9)],
                    reason="addresses sent to the carrier",
                ),
            ),
        ]

    # ── proofs, and what has gone wrong since ──

    def proofs(self) -> list[Happening]:
        """Test calls of the last weeks. The queue's first agent lost a phone since, which makes one
        of them stale."""
        called = (
            (200, "in", "“For visits, press 1.”; desk phone 162 answers after 6 s"),
            (100, "in", "desk phone 100 answers after 6 s"),
            (100, "out", "“You are calling from 4 4 1 1 3 4 9 6 0 1 0 0.”"),
            (190, "in", "desk phone 102 answers after 6 s"),
        )
        return [(9 - i / 100, lambda row=row: self._prove(*row)) for i, row in enumerate(called)]

    def _prove(self, n: int, direction: str, heard: str) -> None:
        with self.context.reading() as reading:
            estate = reading.look_at(Subject.NUMBER, _e164(n))
        way = fingerprint(estate.the(Number, _e164(n)), estate, direction)
        proof = Proof(
            id=self.context.new_id("proof"),
            e164=_e164(n),
            direction=direction,
            at=self.context.now(),
            ok=True,
            heard=heard,
            way=way,
        )
        with self.context.writing(reason="tested after the works") as writing:
            writing.save([changed(Subject.PROOF, None, proof, "proof.made")])

    def last_days(self) -> list[Happening]:
        return [
            (6, self.do(t.UnlistFromTrunk(number=_e164(214)), reason="tidying up")),
            (5.9, self.do(self.give(230, 80), reason="joined")),
            (4, lambda: self._lose_phone(62)),
        ]

    def _lose_phone(self, index: int) -> None:
        with self.context.as_system().writing(reason="telephone system compared") as writing:
            found = writing.records.where(Device, tables.device.c.person == self.people[index].id)
            gone = [
                changed(
                    Subject.DEVICE,
                    d,
                    d.copy_with(registered=False, seen_at=writing.now),
                    "device.seen",
                )
                for d in found
            ]
            writing.save(gone)

    # ── work orders ──

    def work_orders(self) -> list[Happening]:
        joiner, mover = (
            self.give(231, 74),
            t.SetSpot(person=self.people[20].id, spot=spot_code("WHF", 6)),
        )
        back = t.UnassignNumber(number=_e164(ORPHANED))
        return [
            (
                27,
                lambda: self._done(
                    "A number for the new shop lead", [joiner], "joined the museum shop"
                ),
            ),
            (
                15,
                lambda: self._done(
                    "The registrar moves to the second floor", [mover], "moved desk"
                ),
            ),
            (
                12,
                lambda: self._done(
                    "Take a leaver's number back", [back], "left at the month's end"
                ),
            ),
            (2, self._fails),
            (1, self._is_planned),
            (0.2, self._is_begun),
        ]

    def _done(self, title: str, tasks: Sequence[Task], reason: str) -> None:
        def as_reduced(stored: StoredTask) -> Outcome:
            return Done(
                lambda writing: stored.body.apply(writing.estate(stored.body.needs()), stored.id)
            )

        self._end(self._begin(title, tasks, reason), as_reduced)

    def _fails(self) -> None:
        """The test call found what nobody had looked at: the phone no longer registers."""
        give = self.give(233, 82)
        order = self._begin(
            "A number for the learning producer",
            [give, t.PlaceTestCall(number=_e164(233))],
            "asked for by Learning",
        )

        def outcome(stored: StoredTask) -> Outcome:
            if isinstance(stored.body, t.PlaceTestCall):
                phone = f"{self.people[82].name}'s phone is not registered"
                return Failed(
                    f"The test call in did not confirm it: {phone}, so nothing rang. Have it signed"
                    " in again, then try again."
                )
            return Done(
                lambda writing: stored.body.apply(writing.estate(stored.body.needs()), stored.id)
            )

        self._end(order, outcome)

    def _is_planned(self) -> None:
        """On the next working morning; it runs by itself."""
        morning = (self.now + timedelta(days=1)).replace(hour=8, minute=0, second=0, microsecond=0)
        while morning.weekday() > 4:
            morning += timedelta(days=1)
        tasks = [
            t.AssignNumber(number=_e164(234 + i), holder=self.person(75 + i)) for i in range(3)
        ]
        order = workorders.draft(
            self.context,
            "Three people start in the school rooms",
            tasks,
            reason="new season",
            run_at=morning,
        )
        order_running.run(self.context, order.id)

    def _is_begun(self) -> None:
        """A draft that needs remedies: the licences the bundled carrier asks for."""
        workorders.draft(
            self.context,
            "A second number for the loans officer",
            [self.give(310, 22, Role.EXTRA)],
            reason="travels to lenders",
        )

    def _begin(self, title: str, tasks: Sequence[Any], reason: str) -> WorkOrder:
        order = workorders.draft(self.context, title, tasks, reason=reason)
        with self.context.writing(reason=reason, work_order=order.id) as writing:
            return order_running.start(writing, order)

    def _end(self, order: WorkOrder, outcome: Callable[[StoredTask], Outcome]) -> None:
        """Each task in its order, as the runner would keep it."""
        for stored in order.tasks:
            ready = (
                stored
                if stored.state is TaskState.WAITING
                else replace(stored, state=next_task_state(stored.state, TaskEvent.READY))
            )
            runner.keep_outcome(self.context, runner.begun(ready), order, outcome(stored))


def _on_trunk(changes: Sequence[Change]) -> list[Change]:
    """Delivered numbers go onto their carrier's trunk, as the first thing done with them."""
    delivered = [c.after for c in changes if isinstance(c.after, Number)]
    return [
        changed(Subject.NUMBER, n, n.copy_with(trunk="brackwater-leeds"), "trunk.listed")
        for n in delivered
    ]


def _e164(n: int) -> str:
    return f"+44113496{n:04d}"

"""How the Trust's further sites came to it and what has happened there since, day by day."""

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from datetime import timedelta

from sedge.core.facts import Money, money
from sedge.core.records import Capacity, HolderKind, HolderRef, Role, ServiceLine
from sedge.core.safety.spots import spot_code
from sedge.core.workorders import tasks as t
from sedge.core.workorders.task_base import Task
from sedge.demo.licences import HOME, RECEPTION, STAFF
from sedge.demo.sites.further_sites import DEPOT, NORTH, PRINT_ROOM, TAKEN, TIDE, Taken
from sedge.demo.sites.home_sites import WHARF
from sedge.demo.sites.site_facts import line_id, person_id, set_up_site, staff_site
from sedge.services.apply_now import add_records, apply_at_once
from sedge.services.context import Context
from sedge.services.supply import paper_orders

Happening = tuple[float, Callable[[], object]]
AT_FIRST, APART_DAYS = 0.8, 37  # of the people; between two who join later
MOVED_DAYS_AGO, NATIONAL_DAYS_AGO, TIDE_DAYS_AGO, ORDERED_DAYS_AGO = (190, 96), 280, 24, 5


def live_further(context: Context) -> list[Happening]:
    """Everything at the further sites, as happenings by how many days ago."""
    found = [h for taken in TAKEN for h in _Life(context, taken).happenings()]
    return [
        (480, lambda: add_records(context, [NORTH], reason="agreement signed")),
        *found,
        (TIDE_DAYS_AGO, lambda: set_up_site(context, TIDE, context.now())),
        (NATIONAL_DAYS_AGO, lambda: _open_national_lines(context)),
        (ORDERED_DAYS_AGO, lambda: _order_for_the_tide(context)),
    ]


@dataclass(frozen=True)
class _Life:
    """A site's numbers, from the front: its main number, then its service lines, then its
    people."""

    context: Context
    taken: Taken

    def happenings(self) -> Iterator[Happening]:
        taken, site = self.taken, self.taken.site
        yield taken.days_ago, self._take_over
        people = [HolderRef(kind=HolderKind.PERSON, id=person_id(n)) for n, _, _ in site.people]
        at_first = round(len(people) * AT_FIRST)
        day = taken.days_ago - 2
        yield day, lambda: self._move_in(people[:at_first])
        for i, person in enumerate(people[at_first:]):
            after = day - APART_DAYS * (1 + i // 2)
            if after > 3:
                yield after - i / 10, lambda p=person: self._give_seat_and_number([p], "joined")
        for i, days_ago in enumerate(MOVED_DAYS_AGO):
            yield days_ago - i, self._rests(self._people_numbers()[1 + 3 * i])
        yield 30, self._keep_some

    def _take_over(self) -> None:
        taken = self.taken
        if taken.site is DEPOT:
            staff_site(self.context, taken.site, self.context.now())
        else:
            set_up_site(self.context, taken.site, self.context.now())
        trunk = taken.site.trunk[0] if taken.site.trunk else "brackwater-berlin"
        self._do(
            [
                t.AdoptNumber(
                    number=number,
                    account=taken.account,
                    site=taken.site.id,
                    capacity=taken.capacity(i),
                    monthly=taken.fee(i),
                    trunk=trunk,
                )
                for i, number in enumerate(taken.numbers)
            ],
            "taken over with the site",
        )

    def _move_in(self, people: Sequence[HolderRef]) -> None:
        """Main number, service lines and the first people."""
        site, numbers = self.taken.site, self._line_numbers()
        lines = [
            HolderRef(kind=HolderKind.SERVICE_LINE, id=line_id(name)) for name, _, _ in site.lines
        ]
        if self._is_bundled:
            self._do([t.GrantLicence(holder=x, product=RECEPTION) for x in lines], "permits")
        holders = [HolderRef(kind=HolderKind.SITE, id=site.id), *lines]
        given = dict(zip(numbers, holders, strict=False))
        self._do(
            [t.AssignNumber(number=n, holder=holder) for n, holder in given.items()],
            "main number and service lines",
        )
        self._do(
            [t.SetPath(number=n, path=f"{site.id}-front") for n in given], "answered at the front"
        )
        self._register(list(given))
        self._give_seat_and_number(people, "first people moved in")

    def _give_seat_and_number(self, people: Sequence[HolderRef], reason: str) -> None:
        if self._is_bundled:
            seats: list[Task] = [
                t.BuySeats(product=product, seats=len(people)) for product in (STAFF, HOME)
            ]
            seats += [
                t.GrantLicence(holder=p, product=product)
                for p in people
                for product in (STAFF, HOME)
            ]
            self._do(seats, "seats for new people")
        ids = [person_id(name) for name, _, _ in self.taken.site.people]
        numbers = self._people_numbers()
        given = {numbers[ids.index(p.id)]: p for p in people}
        self._do([t.AssignNumber(number=n, holder=p) for n, p in given.items()], reason)
        self._register(list(given))

    def _rests(self, number: str) -> Callable[[], object]:
        return lambda: self._do([t.UnassignNumber(number=number)], "left")

    def _keep_some(self) -> None:
        """A few numbers kept for what is planned, and one for tests."""
        *kept, test = self.taken.numbers[-14:-10]
        until = self.context.now() + timedelta(days=75)
        self._do(
            [t.ReserveNumber(number=n, reason="next season", until=until) for n in kept],
            "asked for by the site",
        )
        self._do([t.SetAside(number=test, reason="test line")])

    def _register(self, numbers: Sequence[str]) -> None:
        if self.taken.account != NORTH.id:
            self._do([t.RegisterAddress(number=n) for n in numbers], "addresses registered")

    @property
    def _is_bundled(self) -> bool:
        return self.taken.monthly_of_many is not None

    def _line_numbers(self) -> list[str]:
        """The main number first; where the carrier sells some for many callers, those."""
        numbers = self.taken.numbers
        many = [n for i, n in enumerate(numbers) if self.taken.capacity(i) is Capacity.MANY]
        return many or numbers

    def _people_numbers(self) -> list[str]:
        numbers = self.taken.numbers
        return numbers if self._is_bundled else numbers[1 + len(self.taken.site.lines) :]

    def _do(self, tasks: Sequence[Task], reason: str = "") -> None:
        apply_at_once(self.context, tasks, reason=reason)


@dataclass(frozen=True)
class National:
    """A number for a whole country, and whose it is from its first day."""

    line: str
    number: str
    site: str
    account: str
    trunk: str
    path: str
    monthly: Money
    role: Role = Role.MAIN


def _british(line: str, number: str, monthly: str, role: Role = Role.MAIN) -> National:
    fee = money(monthly, "GBP")
    return National(line, number, WHARF, "fellgate-main", "leeds-a", "wharf-front-desk", fee, role)


NATIONAL = (
    _british("Booking line", "+448081570100", "2.00"),
    _british("Members' line", "+443069990100", "1.00"),
    _british("Press line", "+443069990110", "1.00", Role.EXTRA),
    _british("Recorded events line", "+443069990120", "1.00", Role.EXTRA),
    National(
        "Study room bookings",
        "+18005550199",
        PRINT_ROOM.id,
        "maplecourt-main",
        "maplecourt-boston",
        f"{PRINT_ROOM.id}-front",
        money("4.50", "USD"),
        Role.EXTRA,
    ),
)


def _open_national_lines(context: Context) -> None:
    """Lines that callers of a whole country know."""
    members = ServiceLine(
        id=line_id("Members' line"),
        name="Members' line",
        kind="queue",
        site=WHARF,
        spot=spot_code("WHF", 1),
    )
    add_records(context, [members], reason="service line set up")
    apply_at_once(
        context,
        [
            t.AdoptNumber(
                number=x.number,
                account=x.account,
                site=x.site,
                monthly=x.monthly,
                trunk=x.trunk,
            )
            for x in NATIONAL
        ],
        reason="one number for the whole country",
    )
    holders = [HolderRef(kind=HolderKind.SERVICE_LINE, id=line_id(x.line)) for x in NATIONAL]
    apply_at_once(
        context,
        [
            t.AssignNumber(number=x.number, holder=holder, role=x.role)
            for x, holder in zip(NATIONAL, holders, strict=True)
        ],
        reason="opened",
    )
    apply_at_once(
        context,
        [
            *(t.SetPath(number=x.number, path=x.path) for x in NATIONAL),
            *(t.RegisterAddress(number=x.number) for x in NATIONAL if x.site == PRINT_ROOM.id),
        ],
        reason="who answers",
    )


def _order_for_the_tide(context: Context) -> None:
    """Thirty numbers on the carrier's form, sent and not yet answered."""
    order = paper_orders.write(
        context,
        {
            "account": "old-quay-main",
            "site": TIDE.id,
            "reference": "Opening of the Tide Museum",
            "area": "Cardiff",
            "quantity": "30",
            "in_a_row": "on",
            "note": "Numbers from 029 2018 0600 on, if you still have them.",
        },
    )
    paper_orders.mark_sent(context, order.id, on="", how="by post")

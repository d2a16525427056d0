"""The demo's past: a program that lives eighteen months of the trust through the services.

All data is made up; numbers come only from the ranges reserved for fiction. Dates are relative to
the moment of seeding, so that the estate always looks lived in.
"""

from datetime import timedelta
from decimal import Decimal

from sedge.core.callpaths.steps import Hours, Mailbox, Menu, Opening, Path, Queue, Ring
from sedge.core.facts import Money
from sedge.core.load_spec import LoadSpec
from sedge.core.numbers.life import State
from sedge.core.records import (
    Answering,
    Capacity,
    CivicElements,
    Device,
    HolderKind,
    HolderRef,
    Number,
    PathVersion,
    Person,
    Right,
    Role,
    ServiceLine,
    Site,
    Spot,
    Trunk,
)
from sedge.core.safety.spots import spot_code
from sedge.core.workorders import tasks as t
from sedge.demo.agreements import accounts, carriers
from sedge.demo.bills import keep_books, load_rates
from sedge.demo.call_paths import draw_more
from sedge.demo.clients import set_up_clients
from sedge.demo.directory import fill_directory, put_together_groups
from sedge.demo.licences import products, subscriptions
from sedge.demo.members import MEMBERS, PASSWORD, TRUST
from sedge.demo.papers import put_papers_on_file
from sedge.demo.past import live_the_months, send_old_mail
from sedge.demo.people import DemoPerson, demo_people
from sedge.demo.sites.home_sites import CANAL, WHARF, set_up_home_sites
from sedge.demo.sites.more_sites import ask_for_the_gallery, set_up_sites, stir_the_outside
from sedge.demo.traffic.trunk_week import live_the_week
from sedge.services.access.passwords import hash_password
from sedge.services.apply_now import add_records, apply_at_once
from sedge.services.context import Context, Installation
from sedge.services.safety import safety
from sedge.services.telephony_sync import (
    device_wish,
    dial_plan_of,
    plain_body,
    routing_of,
    rules_of,
    way_of,
)
from sedge.services.workorders.outcomes import register_with_carrier
from sedge.store import secrets
from sedge.store.repositories.access import sign_ins
from sedge.store.repositories.records import is_open
from sedge.store.schema import tables

DAY = timedelta(days=1)


def seed(installation: Installation, *, whole: bool = True) -> None:
    """Live the past, then leave the clock where it belongs. Not `whole`: at the Trust's first four
    sites only, which is enough for most tests."""
    Seeding(installation, whole=whole).live()


class Seeding:
    def __init__(self, installation: Installation, *, whole: bool) -> None:
        self.installation, self.whole = installation, whole
        self.now = installation.clock.now()
        installation.add_organisation(TRUST)
        self.context = Context(installation, MEMBERS[0])

    def at(self, days_ago: float) -> None:
        """Go on to that day. The past is lived in order: the ledger and the spans know no way
        back."""
        moment = self.now - DAY * days_ago
        if moment < self.installation.clock.now() < self.now:
            raise ValueError(f"{days_ago} days ago is before what has been lived already")
        self.installation.clock.set_fixed(moment - self.installation.clock.offset)

    def live(self) -> None:
        self.at(545)
        self.sign_ins()
        self.agreements()
        set_up_home_sites(self)
        self.licences()
        self.at(540)
        people = self.people()
        lines = self.service_lines()
        self.paths(people, lines)
        self.numbers()
        self.first_assignments(people, lines)
        set_up_sites(self.context, self.now)
        load_rates(self.context)
        live_the_months(self, people)
        self.installation.clock.set_fixed(self.now - self.installation.clock.offset)
        put_papers_on_file(self.context)
        put_together_groups(self.context, people)
        draw_more(self.context, people)
        ask_for_the_gallery(self.context)
        self.tell_telephony()
        stir_the_outside(self.context)
        fill_directory(self.context)
        keep_books(self.context, whole=self.whole)
        send_old_mail(self)
        live_the_week(self.context)
        set_up_clients(self.installation)

    def tell_telephony(self) -> None:
        """The telephone system learns what it would have been told along the way."""
        with self.context.reading() as reading:
            numbers = reading.records.where(Number, tables.life.c.state == State.ASSIGNED.value)
            estate = reading.estate(LoadSpec(numbers={n.e164 for n in numbers}))
            devices = {d.id: device_wish(d) for d in reading.records.all(Device)}
            plans = {site.id: dial_plan_of(site) for site in reading.records.all(Site)}
        people = {
            p.id: rules_of(p, estate) for p in estate.all(Person) if p.answering != Answering()
        }
        paths = {p.id: plain_body(p.body, estate) for p in estate.all(PathVersion)}
        self.installation.outside.telephony.set_up(
            devices, {n.e164: routing_of(n, estate) for n in numbers}, paths, people, plans
        )
        for trunk in estate.all(Trunk):
            if trunk.settings is not None:
                self.installation.outside.telephony.put_trunk(trunk.id, way_of(trunk, estate))
        if self.installation.outside.control:
            self.installation.outside.control.put_in_service(
                [
                    {
                        "number": n.e164,
                        "carrier": n.carrier,
                        "account": n.account,
                        "monthly": str(n.monthly.amount),
                    }
                    for n in self.paid_for()
                ]
            )
        for number in numbers:
            if number.registered_spot:
                register_with_carrier(self.context, number, estate)

    def paid_for(self) -> list[Number]:
        """Every number that costs something at a carrier."""
        with self.context.reading() as reading:
            return [
                n
                for n in reading.records.where(Number, is_open())
                if n.carrier in self.installation.outside.carriers
                and n.state not in {State.ON_ORDER, State.PORTING_IN}
            ]

    def sign_ins(self) -> None:
        hashed = hash_password(PASSWORD)
        with self.installation.shared.writing() as connection:
            for member in MEMBERS:
                sign_ins.add_sign_in(connection, member, hashed)

    def agreements(self) -> None:
        add_records(self.context, [*carriers(), *accounts()], reason="agreements signed")
        with self.context.writing() as writing:
            for account in (a for a in accounts() if a.carrier != "old-quay"):
                secrets.keep_secret(
                    writing.connection,
                    self.installation.keyring,
                    f"key of {account.id}",
                    f"key-of-{account.id}",
                    writing.stamp,
                )

    def point_of(self, elements: CivicElements) -> tuple[float, float] | None:
        """Where the register says the address lies."""
        return safety.match_address(self.context, elements.model_dump()).candidates[0].point

    def spots(self, site: str, code: str, places: list[tuple[str, str]]) -> list[Spot]:
        address = f"{site}-address"
        whole = Spot(
            id=spot_code(code, 0),
            address=address,
            site=site,
            name="whole address",
            whole=True,
            confirmed_at=self.now - 400 * DAY,
        )
        rows = [
            Spot(
                id=spot_code(code, i),
                address=address,
                site=site,
                name=f"{floor}, {room}",
                floor=floor,
                room=room,
                confirmed_at=self.now - DAY * (400 if i == 7 else 30 * i),
            )
            for i, (floor, room) in enumerate(places, start=1)
        ]
        return [whole, *rows]

    def licences(self) -> None:
        add_records(self.context, [*products(), *subscriptions(self.now)], reason="seats bought")

    def gbp(self, amount: str) -> Money:
        return Money(amount=Decimal(amount), currency="GBP")

    def people(self) -> list[Person]:
        rows = demo_people(86)
        wharf = [spot_code("WHF", i) for i in range(1, 9)]
        canal = [spot_code("CNL", i) for i in range(1, 4)]
        people = [
            Person(
                id=self.person_id(row),
                name=row.name,
                email=row.email,
                site=WHARF if i < 62 else CANAL,
                department=row.department,
                job=row.job,
                extension=row.extension,
                known_elsewhere_as=f"dir-{row.extension}",
                spot=None if i in {60, 61} else (wharf[i % 8] if i < 62 else canal[i % 3]),
                rights=(
                    (Right.INTERNAL, Right.EMERGENCY, Right.NATIONAL, Right.MOBILE)
                    if i % 9
                    else tuple(Right)[:5]
                ),
            )
            for i, row in enumerate(rows)
        ]
        kinds = ("desk phone", "desk phone", "soft phone")
        devices = [
            Device(
                id=f"phone-{p.extension}",
                person=p.id,
                kind=kinds[i % 3],
                name=f"{kinds[i % 3]} {p.extension}",
                registered=i not in {24, 82},
                seen_at=self.now,
            )
            for i, p in enumerate(people)
        ]
        stored = add_records(self.context, people, reason="imported from the directory")
        add_records(self.context, devices, reason="phones handed out")
        return stored

    def person_id(self, row: DemoPerson) -> str:
        return "person-" + row.email.split("@")[0].replace(".", "-")

    def service_lines(self) -> dict[str, ServiceLine]:
        spot, canal_spot = spot_code("WHF", 1), spot_code("CNL", 1)
        lines = [
            ("Booking line", "menu", WHARF, spot),
            ("Press line", "queue", WHARF, spot),
            ("Front desk, Wharf House", "queue", WHARF, spot),
            ("Visits and tours", "menu", CANAL, canal_spot),
            ("Museum shop", "queue", CANAL, spot_code("CNL", 2)),
            ("School visits", "queue", CANAL, canal_spot),
            ("Lost property", "mailbox", CANAL, canal_spot),
            ("Recorded events line", "announcement", WHARF, spot),
            ("Security control room", "queue", WHARF, spot),
            ("Lift alarm, Wharf House", "alarm phone", WHARF, spot_code("WHF", 2)),
            ("Volunteers' mailbox", "mailbox", CANAL, canal_spot),
            ("Conference bridge", "conference bridge", WHARF, spot),
        ]
        records = [
            ServiceLine(
                id="line-"
                + "".join(c for c in name.lower().replace(" ", "-") if c.isalnum() or c == "-"),
                name=name,
                kind=kind,
                site=site,
                spot=at,
            )
            for name, kind, site, at in lines
        ]
        return {
            line.name: line
            for line in add_records(self.context, records, reason="service lines set up")
        }

    def paths(self, people: list[Person], lines: dict[str, ServiceLine]) -> None:
        hours = Hours(
            timezone="Europe/London",
            openings=(Opening(weekdays=(1, 2, 3, 4, 5, 6), start="10:00", end="17:00"),),
            holidays_of="GB-ENG",
            title="Opening hours",
            exits={"open": "menu", "closed": "mailbox", "holiday": "mailbox"},
        )
        desk_people = tuple(p.id for p in people[62:65])
        menu = Path(
            first="hours",
            steps={
                "hours": hours,
                "menu": Menu(
                    title="Menu",
                    greeting="For visits, press 1. For school groups, press 2.",
                    keys={"1": "visits", "2": "school groups"},
                    exits={
                        "1": "visits",
                        "2": "schools",
                        "no input": "visits",
                        "wrong input": "visits",
                    },
                ),
                "visits": Queue(
                    title="Queue: visits",
                    people=desk_people,
                    exits={
                        "full": "mailbox",
                        "waited too long": "mailbox",
                        "nobody signed in": "mailbox",
                    },
                ),
                "schools": Ring(
                    title="Ring: learning",
                    people=(people[66].id, people[67].id),
                    order="in order",
                    exits={
                        "no answer": "mailbox",
                        "busy": "mailbox",
                        "nobody reachable": "mailbox",
                    },
                ),
                "mailbox": Mailbox(title="Mailbox: front desk", recipients=desk_people),
            },
        )
        context = Path(
            first="ring",
            steps={
                "ring": Ring(
                    title="Ring: front desk",
                    people=tuple(p.id for p in people[2:5]),
                    exits=dict.fromkeys(("no answer", "busy", "nobody reachable"), "mailbox"),
                ),
                "mailbox": Mailbox(recipients=tuple(p.id for p in people[2:4])),
            },
        )
        duty = Path(
            first="ring",
            steps={
                "ring": Ring(
                    title="Ring: duty phones",
                    people=(people[63].id, people[65].id),
                    exits=dict.fromkeys(("no answer", "busy", "nobody reachable"), "mailbox"),
                ),
                "mailbox": Mailbox(recipients=desk_people[:2]),
            },
        )
        add_records(
            self.context,
            [
                PathVersion(
                    id="canal-front-desk",
                    name="Canal Museum front desk",
                    body=menu.model_dump(mode="json"),
                    in_force_from=self.now - 300 * DAY,
                ),
                PathVersion(
                    id="canal-duty",
                    name="Canal Museum duty phones",
                    body=duty.model_dump(mode="json"),
                    in_force_from=self.now - 300 * DAY,
                ),
                PathVersion(
                    id="wharf-front-desk",
                    name="Wharf House front desk",
                    body=context.model_dump(mode="json"),
                    in_force_from=self.now - 300 * DAY,
                ),
            ],
            reason="paths published",
        )

    def numbers(self) -> None:
        fellgate = [
            self.adopt(
                f"+44113496{n:04d}",
                "fellgate-main",
                WHARF if n < 200 else CANAL,
                Capacity.ANY,
                "0.80",
                "leeds-a",
            )
            for n in range(100, 300)
        ]
        apply_at_once(self.context, fellgate, reason="taken over with the agreement")

    def adopt(
        self, e164: str, account: str, site: str, capacity: Capacity, monthly: str, trunk: str
    ) -> t.AdoptNumber:
        return t.AdoptNumber(
            number=e164,
            account=account,
            site=site,
            capacity=capacity,
            monthly=self.gbp(monthly),
            trunk=trunk,
        )

    def first_assignments(self, people: list[Person], lines: dict[str, ServiceLine]) -> None:
        self.at(520)
        give = [self.give(f"+44113496{100 + i:04d}", p) for i, p in enumerate(people[:30])]
        give += [
            self.give(f"+44113496{200 + i:04d}", p) for i, p in enumerate(people[62:74], start=10)
        ]
        apply_at_once(self.context, give, reason="first people moved in")
        canal = {
            "Visits and tours": 200,
            "Museum shop": 201,
            "School visits": 202,
            "Lost property": 203,
            "Volunteers' mailbox": 204,
        }
        wharf = {
            "Front desk, Wharf House": 190,
            "Press line": 191,
            "Recorded events line": 195,
            "Security control room": 196,
            "Lift alarm, Wharf House": 198,
        }
        apply_at_once(
            self.context,
            [self.give(f"+44113496{n:04d}", lines[name]) for name, n in {**canal, **wharf}.items()],
            reason="service lines opened",
        )
        mains = [(192, WHARF, "wharf-front-desk"), (209, CANAL, "canal-duty")]
        apply_at_once(
            self.context,
            [
                t.AssignNumber(
                    number=f"+44113496{n:04d}", holder=HolderRef(kind=HolderKind.SITE, id=site)
                )
                for n, site, _ in mains
            ]
            + [t.SetPath(number=f"+44113496{n:04d}", path=path) for n, _, path in mains],
            reason="main numbers, which an emergency call can be rung back on",
        )
        paths = [t.SetPath(number="+441134960200", path="canal-front-desk")]
        paths += [
            t.SetPath(number=f"+44113496{n:04d}", path="canal-front-desk")
            for n in (201, 202, 203, 204)
        ]
        paths += [
            t.SetPath(number=f"+44113496{n:04d}", path="wharf-front-desk")
            for n in (190, 191, 195, 196, 198)
        ]
        apply_at_once(self.context, paths)
        labels = {
            "+441134960200": "Visits",
            "+441134960190": "Front desk",
            "+441134960191": "Press",
            "+441134960196": "Control room",
        }
        apply_at_once(
            self.context, [t.LabelNumbers(numbers=(n,), label=label) for n, label in labels.items()]
        )

    def give(self, e164: str, to: Person | ServiceLine, role: Role = Role.MAIN) -> t.AssignNumber:
        kind = HolderKind.PERSON if isinstance(to, Person) else HolderKind.SERVICE_LINE
        return t.AssignNumber(number=e164, holder=HolderRef(kind=kind, id=to.id), role=role)

"""The Trust's sites that are on the move: a gallery just taken over, whose numbers are with another
carrier, and a hall in Hamburg that closes."""

from datetime import date, datetime, timedelta

from sedge.core.changes import changed
from sedge.core.facts import money
from sedge.core.porting.records import KeptFree
from sedge.core.records import (
    Account,
    Capacity,
    CivicElements,
    HolderKind,
    HolderRef,
    Number,
    Subject,
    SupplyModel,
)
from sedge.core.workorders import tasks as t
from sedge.demo.licences import HOME, RECEPTION, STAFF
from sedge.demo.sites.site_facts import SiteFacts, line_id, on_the_ground, person_id, set_up_site
from sedge.services.apply_now import apply_at_once
from sedge.services.carriers import reconciliation
from sedge.services.context import Context
from sedge.services.porting import port_outs, port_planning, ports
from sedge.services.porting.port_tracking import hear

GALLERY, HALL = "millwheel-gallery", "harbour-loft"
ASKED_DAYS_AGO = 9
GALLERY_ACCOUNT = {
    "name": "Millwheel Gallery Limited",
    "address": "7 Millwheel Yard, Bristol, BS1 6ZZ",
    "account": "OQ-1184",
    "pin": "4471",
    "main_number": "0117 496 0840",
    "new_main_number": "0117 496 0800",
    "settle:+441174960845": "a mobile module takes over on the day",
    "settle:+441174960846": "the lift company rings back",
}


SITES = (
    SiteFacts(
        GALLERY,
        "Millwheel Gallery",
        "MWG",
        CivicElements(
            country="GB",
            region="Bristol",
            city="Bristol",
            street="Millwheel Yard",
            house_number="7",
            postcode="BS1 6ZZ",
        ),
        "Europe/London",
        "en",
        SupplyModel.OWN_TRUNK,
        "fellgate-main",
        ("fellgate-bristol", "Fellgate Bristol", "fellgate", 12),
        on_the_ground("reception", "gallery shop", "workshop", "framing room", "office"),
        (
            ("Rufus Tolliver", "Director", 5),
            ("Hattie Brandreth", "Curator", 5),
            ("Osei Kwarteng", "Registrar", 5),
            ("Maud Pellingham", "Bookkeeper", 5),
            ("Ivo Strand", "Technician", 3),
            ("Bea Lorrimer", "Technician", 3),
            ("Tam Okonedo", "Conservator", 3),
            ("Greta Fennimore", "Framer", 4),
            ("Silas Dunmore", "Framer", 4),
            ("Noor Abbasi", "Visitor services", 1),
            ("Wilf Hathersage", "Visitor services", 1),
            ("Cora Mbeki", "Visitor services", 1),
            ("Jonquil Quillfeather", "Learning", 5),
            ("Anselm Roy", "Learning", 5),
            ("Dilys Partington", "Shop", 2),
            ("Ravi Sundaresh", "Shop", 2),
            ("Edda Kristensen", "Events", 5),
            ("Percy Aldous", "Caretaker", 1),
        ),
        (
            ("Reception, Millwheel Gallery", "queue", 1),
            ("Gallery shop", "queue", 2),
            ("Workshop, Millwheel Gallery", "queue", 3),
        ),
        806,
        "9",
    ),
    SiteFacts(
        HALL,
        "Harbour Loft",
        "HBL",
        CivicElements(
            country="DE",
            region="Hamburg",
            city="Hamburg",
            street="Hafentreppe",
            house_number="5",
            postcode="20459",
        ),
        "Europe/Berlin",
        "de",
        SupplyModel.BUNDLED,
        "brackwater-berlin",
        ("brackwater-hamburg", "Brackwater Hamburg", "brackwater", 8),
        on_the_ground("foyer", "hall", "office"),
        (
            ("Jette Osterloh", "Head of the hall", 3),
            ("Malte Brinkhus", "Technician", 2),
            ("Femke Ahrens", "Bookings", 3),
            ("Lasse Timmermann", "Technician", 2),
            ("Wiebke Harms", "Front of house", 1),
            ("Enno Petersen", "Caretaker", 1),
        ),
        (("Bookings, Harbour Loft", "queue", 3), ("Foyer, Harbour Loft", "queue", 1)),
        701,
        "0",
    ),
)


def set_up_sites(context: Context, today: datetime) -> None:
    """Both sites with their people; `today` is the day that the demo's past leads up to."""
    for site in SITES:
        set_up_site(context, site, today)
    _fill_the_hall(context, today.date())


def ask_for_the_gallery(context: Context) -> None:
    """Days kept free for its winter opening, and its first port."""
    with context.writing(reason="the winter opening of the gallery") as writing:
        year = writing.now.year + (writing.now.month == 12)
        kept = KeptFree(
            id="winter-opening",
            first=date(year, 12, 14),
            last=date(year, 12, 16),
            why="winter opening",
            site=GALLERY,
        )
        writing.save([changed(Subject.KEPT_FREE, None, kept, "days.kept-free")])
    if context.outside.control:
        _ask_for_the_first_twenty(context)


def _fill_the_hall(context: Context, today: date) -> None:
    """Forty numbers, of which few are in use: the first twelve bought last year, the others this
    spring, each with a minimum term."""
    hall = SITES[1]
    numbers = [f"+494066969{n}" for n in range(700, 740)]
    apply_at_once(
        context,
        [
            t.AdoptNumber(
                number=n,
                account="brackwater-berlin",
                site=HALL,
                capacity=Capacity.MANY if i >= 30 else Capacity.SINGLE,
                monthly=money("1.35" if i >= 30 else "0.75", "EUR"),
                trunk="brackwater-hamburg",
            )
            for i, n in enumerate(numbers)
        ],
        reason="taken over with the hall",
    )
    with context.writing(reason="as the agreement says") as writing:
        found = sorted(writing.records.many(Number, numbers), key=lambda n: n.e164)
        writing.save(
            [
                changed(
                    Subject.NUMBER,
                    n,
                    n.copy_with(bound_until=today + timedelta(days=40 if i < 12 else 130)),
                    "number.term-noted",
                )
                for i, n in enumerate(found)
            ]
        )
    people = [HolderRef(kind=HolderKind.PERSON, id=person_id(name)) for name, _, _ in hall.people]
    lines = [HolderRef(kind=HolderKind.SERVICE_LINE, id=line_id(name)) for name, _, _ in hall.lines]
    seats = [
        t.GrantLicence(holder=p, product=product) for p in people for product in (STAFF, HOME)
    ] + [t.GrantLicence(holder=x, product=RECEPTION) for x in lines]
    apply_at_once(context, seats, reason="seats for the hall")
    site = HolderRef(kind=HolderKind.SITE, id=HALL)
    given = [
        *zip(numbers[1:], people, strict=False),
        (numbers[30], lines[0]),
        (numbers[31], lines[1]),
        (numbers[0], site),
    ]
    apply_at_once(
        context,
        [t.AssignNumber(number=n, holder=holder) for n, holder in given],
        reason="given out",
    )
    apply_at_once(
        context, [t.RegisterAddress(number=n) for n, _ in given], reason="addresses registered"
    )
    apply_at_once(
        context,
        [t.SetPath(number=n, path=f"{HALL}-front") for n in (numbers[0], numbers[30], numbers[31])],
        reason="who answers",
    )


def _ask_for_the_first_twenty(context: Context) -> None:
    """The gallery's first port: asked for some days ago, and its carrier wants to know about the
    alarm."""
    (port,) = port_planning.begin(
        context, "0117 496 0840-0859", account="fellgate-main", site=GALLERY
    )
    ports.change_port(context, port.id, GALLERY_ACCOUNT)
    ports.sign(context, port.id, "Rufus Tolliver")
    apply_at_once(
        context, [t.SubmitPort(port=port.id)], reason="the gallery's first twenty numbers"
    )
    with context.reading() as reading:
        port = reading.records.the(type(port), port.id)
    taken = context.outside.ports.submit(
        "fellgate", port.key, port, f"port {port.no}", "fellgate-main"
    )
    context.outside.control.backdate_port(taken.id, ASKED_DAYS_AGO)  # type: ignore[union-attr]
    begun = context.now() - timedelta(days=ASKED_DAYS_AGO)
    said = tuple(s.copy_with(at=begun) for s in port.said)
    with context.writing() as writing:
        writing.save(
            [
                changed(
                    Subject.PORT,
                    port,
                    port.copy_with(
                        placed_as=taken.id,
                        answer_due=taken.answer_due,
                        submitted_at=begun,
                        said=said,
                    ),
                    "port.taken",
                )
            ]
        )
    hear(context, port.id, context.outside.ports.state("fellgate", taken.id))


def stir_the_outside(context: Context) -> None:
    """Somebody asks for two numbers with another PIN than ours, and two carriers' lists are not
    what they should be."""
    control = context.outside.control
    if control is None:
        return
    for account, pin in (("fellgate-main", "7312"), ("brackwater-main", "2208")):
        port_outs.keep_pin(context, account, pin)
    asked = {
        "name": context.organisation.name,
        "account_number": "fellgate-main",
        "pin": "1234",
        "gaining": "Pellucid Telephony",
    }
    control.ask_for_numbers(
        {
            "carrier": "fellgate",
            "account": "fellgate-main",
            "numbers": ["+441134960150", "+441134960151"],
            **asked,
        }
    )
    control.let_drift(
        {
            "added": ["+441214960512"],
            "account": "brackwater-main",
            "prices": {"+441134960301": "1.45"},
        }
    )
    with context.reading() as reading:
        account = reading.records.the(Account, "fellgate-main")
    port_outs.hear(context.as_system(), account)
    reconciliation.compare_all(context)

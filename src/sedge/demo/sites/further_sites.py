"""The Trust's sites in other towns and countries, which the tests do without: an archive, an
observatory, a depot in Berlin, sites in Toronto and Boston, and a museum that is about to open."""

from dataclasses import dataclass
from decimal import Decimal

from sedge.core.facts import Money, money
from sedge.core.records import Account, Capacity, CivicElements, SupplyModel
from sedge.demo.sites.site_facts import SiteFacts, on_the_ground
from sedge.demo.sites.staff import staff_of


@dataclass(frozen=True)
class Taken:
    """When a site came to the Trust, and its numbers: `count` in a row that begin with `first`.
    The last tenth takes many calls at once where the carrier tells the two apart."""

    site: SiteFacts
    days_ago: int
    first: str
    count: int
    account: str
    monthly: Money
    monthly_of_many: Money | None = None

    @property
    def numbers(self) -> list[str]:
        lead, last = self.first[:-4], int(self.first[-4:])
        return [f"{lead}{last + i:04d}" for i in range(self.count)]

    def capacity(self, place: int) -> Capacity:
        if self.monthly_of_many is None:
            return Capacity.ANY
        return Capacity.MANY if place >= self.count * 9 // 10 else Capacity.SINGLE

    def fee(self, place: int) -> Money:
        many = self.monthly_of_many
        return many if many and self.capacity(place) is Capacity.MANY else self.monthly


def _pounds(amount: str) -> Money:
    return money(Decimal(amount), "GBP")


NORTH = Account(
    id="fellgate-north",
    carrier="fellgate",
    name="Fellgate Voice, the north",
    balance=_pounds("486.00"),
    low_mark=_pounds("60"),
    countries=("GB",),
    contact="marta.kowalczyk@lanternfield.example",
    alert_mail="marta.kowalczyk@lanternfield.example",
    theirs="fellgate-north",
)

ARCHIVE = SiteFacts(
    "mersey-archive",
    "Mersey Archive",
    "MRA",
    CivicElements(
        country="GB",
        region="Merseyside",
        city="Liverpool",
        street="Archive Quay",
        house_number="4",
        postcode="L3 0ZZ",
    ),
    "Europe/London",
    "en",
    SupplyModel.OWN_TRUNK,
    NORTH.id,
    ("fellgate-liverpool", "Fellgate Liverpool", "fellgate", 16),
    (
        ("ground floor", "welcome desk"),
        ("ground floor", "reading room"),
        ("1st floor", "map room"),
        ("1st floor", "office"),
        ("2nd floor", "strong room"),
        ("2nd floor", "digitisation studio"),
    ),
    staff_of("GB", 46, 6, ("Archivist", "Reading room assistant", "Cataloguer", "Digitiser")),
    (
        ("Reading room bookings", "menu", 2),
        ("Record enquiries", "queue", 4),
        ("Welcome desk, Mersey Archive", "queue", 1),
        ("Lift alarm, Mersey Archive", "alarm phone", 1),
        ("Strong room alarm", "alarm phone", 5),
        ("Copying orders", "mailbox", 6),
    ),
    401,
    "9",
    "GB-ENG",
    floors=3,
    area=3100,
)
OBSERVATORY = SiteFacts(
    "observatory-house",
    "Observatory House",
    "OBS",
    CivicElements(
        country="GB",
        region="City of Edinburgh",
        city="Edinburgh",
        street="Dome Hill",
        house_number="6",
        postcode="EH3 9ZZ",
    ),
    "Europe/London",
    "en",
    SupplyModel.OWN_TRUNK,
    NORTH.id,
    ("fellgate-edinburgh", "Fellgate Edinburgh", "fellgate", 8),
    (
        ("ground floor", "visitor centre"),
        ("ground floor", "planetarium"),
        ("1st floor", "office"),
        ("dome", "telescope floor"),
    ),
    staff_of(
        "GB", 22, 4, ("Astronomer", "Presenter", "Visitor host", "Instrument maker"), after=46
    ),
    (
        ("Evening openings", "announcement", 1),
        ("Visitor centre, Observatory House", "queue", 1),
        ("School visits, Observatory House", "queue", 3),
        ("Dome alarm", "alarm phone", 4),
    ),
    501,
    "9",
    "GB-SCT",
    floors=2,
    area=1400,
)
DEPOT = SiteFacts(
    "spree-depot",
    "Spree Depot",
    "SPR",
    CivicElements(
        country="DE",
        region="Berlin",
        city="Berlin",
        street="Speicherufer",
        house_number="8",
        postcode="10999",
    ),
    "Europe/Berlin",
    "de",
    SupplyModel.BUNDLED,
    "brackwater-berlin",
    None,
    (("ground floor", "gate"), ("ground floor", "stores"), ("1st floor", "conservation workshop")),
    staff_of("DE", 30, 3, ("Conservator", "Art handler", "Registrar", "Store keeper")),
    (
        ("Deliveries, Spree Depot", "queue", 1),
        ("Loans, Spree Depot", "queue", 3),
        ("Climate alarm, Spree Depot", "alarm phone", 2),
    ),
    100,
    "0",
    "DE-BE",
)
ANNEX = SiteFacts(
    "lakeside-annex",
    "Lakeside Annex",
    "LKA",
    CivicElements(
        country="CA",
        region="Ontario",
        city="Toronto",
        street="Laketide Avenue",
        house_number="240",
        postcode="M5V 0Z1",
    ),
    "America/Toronto",
    "en",
    SupplyModel.PARTNER,
    "maplecourt-main",
    ("maplecourt-toronto", "Maplecourt Toronto", "maplecourt", 8),
    on_the_ground("front desk", "crate hall", "office"),
    staff_of("US", 16, 3, ("Exhibition producer", "Preparator", "Visitor host", "Scheduler")),
    (("Touring bookings", "queue", 3), ("Front desk, Lakeside Annex", "queue", 1)),
    101,
    "9",
    "CA-ON",
)
PRINT_ROOM = SiteFacts(
    "print-room",
    "Print Room",
    "PRT",
    CivicElements(
        country="US",
        region="Massachusetts",
        city="Boston",
        street="Printers Row",
        house_number="61",
        postcode="02118",
    ),
    "America/New_York",
    "en",
    SupplyModel.PARTNER,
    "maplecourt-main",
    ("maplecourt-boston", "Maplecourt Boston", "maplecourt", 8),
    (
        ("9th floor", "study room"),
        ("9th floor", "print store"),
        ("9th floor", "office"),
    ),
    staff_of("US", 12, 3, ("Curator of prints", "Study room host", "Paper conservator"), after=16),
    (("Study room bookings", "queue", 1), ("Print store alarm", "alarm phone", 2)),
    141,
    "9",
    "US-MA",
    floors=12,
    area=800,
)
TIDE = SiteFacts(
    "tide-museum",
    "Tide Museum",
    "TDM",
    CivicElements(
        country="GB",
        region="Cardiff",
        city="Cardiff",
        street="Tide Parade",
        house_number="21",
        postcode="CF10 4ZZ",
    ),
    "Europe/London",
    "en",
    SupplyModel.OWN_TRUNK,
    "old-quay-main",
    None,
    on_the_ground("ticket desk", "site office"),
    staff_of("GB", 6, 2, ("Head of opening", "Site manager", "Exhibition builder"), after=68),
    (("Ticket desk, Tide Museum", "queue", 1),),
    601,
    "9",
    "GB-ENG",
)
TAKEN = (
    Taken(ARCHIVE, 470, "+441514960400", 100, NORTH.id, _pounds("0.80")),
    Taken(OBSERVATORY, 430, "+441314960500", 50, NORTH.id, _pounds("0.80")),
    Taken(
        DEPOT,
        400,
        "+493023125100",
        100,
        "brackwater-berlin",
        money("0.75", "EUR"),
        money("1.35", "EUR"),
    ),
    Taken(ANNEX, 330, "+14165550100", 40, "maplecourt-main", money("1.10", "USD")),
    Taken(PRINT_ROOM, 300, "+16175550140", 40, "maplecourt-main", money("1.25", "USD")),
)

"""The demo's agreements with carriers: who they are, what they offer at what price, and the
accounts with them."""

from decimal import Decimal

from sedge.core.facts import Money, money
from sedge.core.numbers.plan import Kind
from sedge.core.records import Account, Capacity, Carrier, HolderKind, SupplyModel
from sedge.core.supply.records import FeatureTerms

TEXTABLE = (Kind.GEOGRAPHIC, Kind.NATIONAL, Kind.MOBILE)
FEATURES = {
    "fellgate": {
        "texts": FeatureTerms(fee=Decimal("0.25"), works_after_minutes=2, kinds=TEXTABLE),
        "inbound name lookup": FeatureTerms(fee=Decimal("0.10"), works_after_minutes=2),
        "fax": FeatureTerms(fee=Decimal("0.50"), works_after_minutes=2, kinds=(Kind.GEOGRAPHIC,)),
    },
    "brackwater": {
        "emergency registration": FeatureTerms(fee=Decimal(0), works_after_minutes=2),
        "texts": FeatureTerms(fee=Decimal("0.40"), works_after_minutes=2, kinds=TEXTABLE),
        "fax": FeatureTerms(fee=Decimal("0.60"), works_after_minutes=2, kinds=(Kind.GEOGRAPHIC,)),
    },
    "maplecourt": {
        "texts": FeatureTerms(fee=Decimal("0.30"), works_after_minutes=2),
        "CNAM": FeatureTerms(fee=Decimal("0.20"), works_after_minutes=2, kinds=(Kind.GEOGRAPHIC,)),
        "emergency registration": FeatureTerms(fee=Decimal("0.35"), works_after_minutes=2),
    },
}

RATES = {
    "fellgate": {
        "44": "0.012",
        "447": "0.031",
        "44808": "0",
        "49": "0.024",
        "1": "0.018",
        "33": "0.024",
    },
    "brackwater": {"44": "0.014", "447": "0.034", "49": "0.019", "4915": "0.062", "1": "0.021"},
    "maplecourt": {"1": "0.009", "44": "0.022", "49": "0.026"},
}
CURRENCY = {"fellgate": "GBP", "brackwater": "GBP", "maplecourt": "USD"}


def rates_of(carrier: str) -> dict[str, Money]:
    """What a minute of a call out costs, by the leading digits of the number called."""
    return {prefix: money(amount, CURRENCY[carrier]) for prefix, amount in RATES[carrier].items()}


def carriers() -> list[Carrier]:
    any_, single, many = Capacity.ANY, Capacity.SINGLE, Capacity.MANY
    asks = {
        HolderKind.PERSON: ("staff-seat", "home-calling"),
        HolderKind.SERVICE_LINE: ("reception-permit",),
    }
    return [
        Carrier(
            id="fellgate",
            name="Fellgate Voice",
            supply_model=SupplyModel.OWN_TRUNK,
            countries=("GB", "FR"),
            capacities=(any_,),
            asks_of={},
            registers_addresses=False,
            features=FEATURES["fellgate"],
            rates=rates_of("fellgate"),
            contact="desk@fellgate.example",
            notice_days=7,
            terms=(
                "Prepaid. A month's price is taken on the 1st; service stops 14 days after a charge"
                " that is not covered."
            ),
        ),
        Carrier(
            id="brackwater",
            name="Brackwater Telecom",
            supply_model=SupplyModel.BUNDLED,
            countries=("GB", "DE"),
            capacities=(single, many),
            asks_of=asks,
            features=FEATURES["brackwater"],
            rates=rates_of("brackwater"),
            contact="orders@brackwater.example",
            notice_days=30,
            minimum_months=12,
            terms=(
                "Prepaid, one account for each currency. Documents for Germany are checked by a"
                " person on working days."
            ),
        ),
        Carrier(
            id="maplecourt",
            name="Maplecourt Networks",
            supply_model=SupplyModel.PARTNER,
            countries=("US", "CA"),
            capacities=(any_,),
            asks_of={},
            features=FEATURES["maplecourt"],
            rates=rates_of("maplecourt"),
            contact="accounts@maplecourt.example",
            notice_days=30,
            terms="On credit to 2,000 dollars, paid at the end of a month.",
        ),
        Carrier(
            id="old-quay",
            name="Old Quay Communications",
            supply_model=SupplyModel.OWN_TRUNK,
            countries=("GB",),
            capacities=(any_,),
            asks_of={},
            registers_addresses=False,
            contact="orders@oldquay.example",
            terms="Orders on their form only; billed each month. They answer by letter.",
        ),
    ]


def accounts() -> list[Account]:
    money_desk = "marta.kowalczyk@lanternfield.example"
    return [
        Account(
            id="maplecourt-main",
            carrier="maplecourt",
            name="Maplecourt Networks, on credit",
            balance=money("-84.20", "USD"),
            low_mark=money(-1800, "USD"),
            prepaid=False,
            countries=("US", "CA"),
            contact=money_desk,
            theirs="maplecourt-main",
        ),
        Account(
            id="fellgate-main",
            carrier="fellgate",
            name="Fellgate Voice, Leeds",
            balance=money("212.40", "GBP"),
            low_mark=money(50, "GBP"),
            countries=("GB", "FR"),
            contact=money_desk,
            alert_mail=money_desk,
            theirs="fellgate-main",
        ),
        Account(
            id="brackwater-main",
            carrier="brackwater",
            name="Brackwater Telecom, main account",
            balance=money("711.00", "GBP"),
            low_mark=money(100, "GBP"),
            countries=("GB",),
            contact=money_desk,
            alert_mail=money_desk,
            alert_phone="+447700900142",
            theirs="brackwater-main",
        ),
        Account(
            id="old-quay-main",
            carrier="old-quay",
            name="Old Quay Communications, Bristol",
            balance=money(0, "GBP"),
            low_mark=money(-500, "GBP"),
            prepaid=False,
            countries=("GB",),
            contact=money_desk,
            theirs="OQ-20418",
        ),
        Account(
            id="brackwater-berlin",
            carrier="brackwater",
            name="Brackwater Telecom, Berlin",
            balance=money("180.00", "EUR"),
            low_mark=money(40, "EUR"),
            countries=("DE",),
            contact=money_desk,
            alert_mail=money_desk,
            theirs="brackwater-berlin",
        ),
    ]

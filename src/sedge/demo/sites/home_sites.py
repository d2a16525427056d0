"""The sites of the demo's own trust."""

from typing import TYPE_CHECKING, Any

from sedge.core.enums import Transport
from sedge.core.records import (
    Address,
    CivicElements,
    Site,
    SupplyModel,
    Trunk,
    Verdict,
)
from sedge.core.trunks.records import NumberFormat, Sbc, SbcDomain, SignIn, TrunkSettings
from sedge.services.apply_now import add_records
from sedge.services.trunks.connection_tests import secret_name
from sedge.store import secrets

if TYPE_CHECKING:
    from sedge.demo.seed import Seeding

WHARF, CANAL, SPREE = "wharf-house", "canal-museum", "spree-depot"


def set_up_home_sites(seeding: "Seeding") -> None:
    """The sites of the trust with their addresses, spots and trunks."""
    wharf = CivicElements(
        country="GB",
        region="West Yorkshire",
        city="Leeds",
        street="Lanternfield Wharf",
        house_number="12",
        postcode="LS1 4ZZ",
    )
    canal = CivicElements(
        country="GB",
        region="West Yorkshire",
        city="Leeds",
        street="Towpath Row",
        house_number="3",
        postcode="LS1 5ZZ",
    )
    shared: dict[str, Any] = {
        "country": "GB",
        "timezone": "Europe/London",
        "language": "en",
        "outside_prefix": "9",
    }
    spots = [
        *seeding.spots(
            WHARF,
            "WHF",
            [
                ("ground floor", "reception"),
                ("ground floor", "post room"),
                ("1st floor", "room 1.04"),
                ("1st floor", "room 1.12"),
                ("2nd floor", "room 2.07"),
                ("2nd floor", "room 2.14"),
                ("3rd floor", "room 3.01"),
                ("3rd floor", "workshop"),
            ],
        ),
        *seeding.spots(
            CANAL,
            "CNL",
            [
                ("ground floor", "front desk"),
                ("ground floor", "shop"),
                ("1st floor", "school room"),
            ],
        ),
    ]
    spree = CivicElements(
        country="DE",
        region="Berlin",
        city="Berlin",
        street="Speicherufer",
        house_number="8",
        postcode="10999",
    )
    depot_spots = seeding.spots(
        SPREE,
        "SPR",
        [
            ("ground floor", "gate"),
            ("ground floor", "stores"),
            ("1st floor", "conservation workshop"),
        ],
    )
    add_records(
        seeding.context,
        [
            Address(
                id=f"{SPREE}-address",
                site=SPREE,
                elements=spree,
                verdict=Verdict.EXACT,
                point=seeding.point_of(spree),
                psap="Leitstelle Berlin",
                floors=2,
                area_m2=2400,
            ),
            *depot_spots,
            Site(
                id=SPREE,
                name="Spree Depot",
                code="SPR",
                country="DE",
                timezone="Europe/Berlin",
                language="de",
                outside_prefix="0",
                supply_model=SupplyModel.BUNDLED,
                account="brackwater-berlin",
                address=f"{SPREE}-address",
                spot=depot_spots[1].id,
                security_desk="estates@lanternfield.example",
            ),
            Trunk(
                id="brackwater-berlin",
                name="Brackwater Berlin",
                site=SPREE,
                carrier="brackwater",
                channels=10,
            ),
            Address(
                id=f"{WHARF}-address",
                site=WHARF,
                elements=wharf,
                verdict=Verdict.EXACT,
                point=seeding.point_of(wharf),
                psap="Leeds operator assistance",
                floors=4,
                area_m2=5200,
            ),
            Address(
                id=f"{CANAL}-address",
                site=CANAL,
                elements=canal,
                verdict=Verdict.EXACT,
                point=seeding.point_of(canal),
                psap="Leeds operator assistance",
                floors=2,
                area_m2=1900,
            ),
            *spots,
            Site(
                id=WHARF,
                name="Wharf House",
                code="WHF",
                supply_model=SupplyModel.BUNDLED,
                account="brackwater-main",
                address=f"{WHARF}-address",
                spot=spots[1].id,
                security_desk="estates@lanternfield.example",
                **shared,
            ),
            Site(
                id=CANAL,
                name="Canal Museum",
                code="CNL",
                supply_model=SupplyModel.OWN_TRUNK,
                account="fellgate-main",
                address=f"{CANAL}-address",
                spot=spots[-3].id,
                security_desk="estates@lanternfield.example",
                **shared,
            ),
            *_edges(),
            Trunk(
                id="leeds-a",
                name="Leeds A",
                site=WHARF,
                sbc="edge-one",
                carrier="fellgate",
                channels=30,
                host="fellgate.example",
                settings=TrunkSettings(user="lanternfield"),
            ),
            Trunk(
                id="brackwater-leeds",
                name="Brackwater Leeds",
                site=WHARF,
                carrier="brackwater",
                channels=20,
                host="brackwater.example",
                settings=TrunkSettings(
                    transport=Transport.UDP,
                    sign_in=SignIn.ADDRESS,
                    addresses=("192.0.2.0/26",),
                    codecs=("PCMA", "PCMU"),
                    sends=NumberFormat.NO_PLUS,
                ),
            ),
        ],
        reason="sites set up",
    )
    _keep_trunk_secrets(seeding)


def _edges() -> list[Sbc]:
    """Where the trust's own trunks end: one, and another that stands in for it."""
    edge = Sbc(
        id="edge-one",
        name="Edge one",
        site=WHARF,
        host="voice.lanternfield.example",
        addresses=("127.0.0.1",),
        domains=(
            SbcDomain(
                name="voice.lanternfield.example",
                proof="sedge-owner=lanternfield",
                proof_at="_sip-owner.voice.lanternfield.example",
            ),
        ),
        group="Leeds edge",
    )
    spare = edge.copy_with(
        id="edge-two",
        name="Edge two",
        host="spare.lanternfield.example",
        domains=(),
        order=2,
    )
    return [edge, spare]


def _keep_trunk_secrets(seeding: "Seeding") -> None:
    """As the carrier's letter has them."""
    with seeding.context.writing() as writing:
        secrets.keep_secret(
            writing.connection,
            seeding.installation.keyring,
            secret_name("leeds-a"),
            "tern-over-salt-marsh-88",
            writing.stamp,
        )

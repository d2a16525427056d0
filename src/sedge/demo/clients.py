"""Two small client organisations that are run by the same administrator: cafés in the museums, and
a volunteers' society."""

from dataclasses import dataclass

from sedge.core.access.roles import AccessRole
from sedge.core.facts import money
from sedge.core.records import (
    Account,
    Address,
    Capacity,
    CivicElements,
    HolderKind,
    HolderRef,
    Person,
    Right,
    Site,
    Spot,
    SupplyModel,
    Trunk,
    Verdict,
)
from sedge.core.safety.spots import spot_code
from sedge.core.workorders import tasks as t
from sedge.demo.agreements import carriers
from sedge.demo.licences import products
from sedge.services.apply_now import add_records, apply_at_once
from sedge.services.context import Installation
from sedge.store.repositories.access import sign_ins
from sedge.store.repositories.access.sign_ins import Member, Organisation

RIGHTS = (Right.INTERNAL, Right.EMERGENCY, Right.NATIONAL, Right.MOBILE)


@dataclass(frozen=True)
class Client:
    """`lead` and `count` are its numbers, in a row; `places` the rooms of its one address."""

    organisation: Organisation
    site: str
    code: str
    street: str
    house_number: str
    city: str
    region: str
    postcode: str
    psap: str
    places: tuple[str, ...]
    people: tuple[str, ...]
    lead: str
    count: int


CLIENTS = (
    Client(
        Organisation("copperleaf", "Copperleaf Cafés", "GB"),
        "Copperleaf kitchen",
        "CPL",
        "Mill Goit Street",
        "7",
        "Leeds",
        "West Yorkshire",
        "LS3 1ZZ",
        "Leeds operator assistance",
        ("kitchen", "office", "bakery", "store"),
        ("Sefa Larkin", "Dorrit Vance", "Moss Abara", "Ottilie Kemp", "Jarek Whitlow"),
        "+44115496",
        22,
    ),
    Client(
        Organisation("observatory-friends", "Friends of the Observatory", "GB"),
        "Dome lodge",
        "FOB",
        "Dome Hill",
        "2",
        "Edinburgh",
        "Midlothian",
        "EH3 9ZZ",
        "Edinburgh operator assistance",
        ("lodge", "library"),
        ("Perpetua Shaw", "Quentin Bello"),
        "+44191498",
        6,
    ),
)


def set_up_clients(installation: Installation) -> None:
    """Each with a few people, numbers and a spot for everybody; the Trust's first administrator
    acts for both."""
    with installation.shared.reading() as connection:
        rowan = sign_ins.member(connection, "rowan")
    if rowan is None:
        return
    for client in CLIENTS:
        installation.add_organisation(client.organisation)
        member = Member(
            rowan.sign_in, rowan.name, rowan.email, client.organisation.id, AccessRole.ADMINISTRATOR
        )
        with installation.shared.writing() as connection:
            sign_ins.add_membership(connection, member)
        _fill(installation, member, client)


def _fill(installation: Installation, member: Member, client: Client) -> None:
    context, key = installation.context(member), client.code.lower()
    elements = CivicElements(
        country="GB",
        region=client.region,
        city=client.city,
        street=client.street,
        house_number=client.house_number,
        postcode=client.postcode,
    )
    spots = [
        Spot(
            id=spot_code(client.code, 0),
            address=f"{key}-address",
            site=key,
            name="whole address",
            whole=True,
            confirmed_at=context.now(),
        )
    ]
    spots += [
        Spot(
            id=spot_code(client.code, i),
            address=f"{key}-address",
            site=key,
            name=f"ground floor, {room}",
            floor="ground floor",
            room=room,
            confirmed_at=context.now(),
        )
        for i, room in enumerate(client.places, start=1)
    ]
    people = [
        Person(
            id="person-" + name.lower().replace(" ", "-"),
            name=name,
            email=f"{name.lower().replace(' ', '.')}@{client.organisation.id}.example",
            site=key,
            extension=str(200 + i),
            spot=spots[1 + i % len(client.places)].id,
            rights=RIGHTS,
        )
        for i, name in enumerate(client.people)
    ]
    add_records(
        context,
        [
            *carriers(),
            *products(),
            Account(
                id=f"{key}-fellgate",
                carrier="fellgate",
                name=f"{client.organisation.name} at Fellgate",
                balance=money(60, "GBP"),
                low_mark=money(20, "GBP"),
                theirs=f"{key}-fellgate",
            ),
            Address(
                id=f"{key}-address",
                site=key,
                elements=elements,
                verdict=Verdict.EXACT,
                psap=client.psap,
                floors=1,
                area_m2=400,
            ),
            *spots,
            Site(
                id=key,
                name=client.site,
                code=client.code,
                country="GB",
                timezone="Europe/London",
                language="en",
                supply_model=SupplyModel.OWN_TRUNK,
                account=f"{key}-fellgate",
                address=f"{key}-address",
                spot=spots[1].id,
                outside_prefix="9",
                security_desk=people[0].email,
            ),
            Trunk(
                id=f"{key}-trunk",
                name=f"{client.site} trunk",
                site=key,
                carrier="fellgate",
                channels=4,
            ),
            *people,
        ],
        reason="set up",
    )
    numbers = [f"{client.lead}{100 + i:04d}" for i in range(client.count)]
    apply_at_once(
        context,
        [
            t.AdoptNumber(
                number=n,
                account=f"{key}-fellgate",
                site=key,
                capacity=Capacity.ANY,
                monthly=money("0.80", "GBP"),
                trunk=f"{key}-trunk",
            )
            for n in numbers
        ],
        reason="taken over with the agreement",
    )
    holders = [
        HolderRef(kind=HolderKind.SITE, id=key),
        *(HolderRef(kind=HolderKind.PERSON, id=p.id) for p in people[:-1]),
    ]
    apply_at_once(
        context,
        [
            t.AssignNumber(number=n, holder=holder)
            for n, holder in zip(numbers, holders, strict=False)
        ],
        reason="given out",
    )

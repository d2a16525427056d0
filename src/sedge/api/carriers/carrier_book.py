"""Carriers added by hand."""

from typing_extensions import TypedDict

from sedge.api.routing import RequestContext, Resource
from sedge.core.access.roles import May
from sedge.core.records import Carrier
from sedge.services.carriers import carrier_book
from sedge.services.carriers.carrier_book import CarrierAsked

resource = Resource(tags=["carriers"])


class CarrierContactOut(TypedDict):
    name: str
    role: str
    mail: str
    phone: str


class CarrierAgreedOut(TypedDict):
    id: str
    name: str
    countries: list[str]
    supply_model: str
    contact: str
    contacts: list[CarrierContactOut]
    support_hours: str
    portal: str
    contract_ends: str | None
    contract_notice_days: int


@resource.write("/carriers", May.PAY, status_code=201)
def add_carrier(context: RequestContext, asked: CarrierAsked) -> CarrierAgreedOut:
    """One that is not reached over the wire: its orders go on paper, its lists come as files."""
    return _out(carrier_book.add(context, asked))


@resource.write("/carriers/{carrier}", May.PAY, method="PATCH")
def change_carrier(context: RequestContext, carrier: str, asked: CarrierAsked) -> CarrierAgreedOut:
    """What is named of the agreement; the rest stays."""
    known = carrier_book.as_typed(carrier_book.one(context, carrier))
    named = asked.model_dump(exclude_unset=True)
    return _out(
        carrier_book.change_carrier(context, carrier, CarrierAsked.model_validate(known | named))
    )


def _out(carrier: Carrier) -> CarrierAgreedOut:
    return {
        "id": carrier.id,
        "name": carrier.name,
        "countries": list(carrier.countries),
        "supply_model": carrier.supply_model.value,
        "contact": carrier.contact,
        "contacts": [
            {"name": c.name, "role": c.role, "mail": c.mail, "phone": c.phone}
            for c in carrier.contacts
        ],
        "support_hours": carrier.support_hours,
        "portal": carrier.portal,
        "contract_ends": carrier.contract_ends.isoformat() if carrier.contract_ends else None,
        "contract_notice_days": carrier.contract_notice_days,
    }

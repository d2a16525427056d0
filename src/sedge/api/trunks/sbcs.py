"""Session border controllers: how each is set up, its test, and who stands in."""

from typing_extensions import TypedDict

from sedge.api.answers import Page
from sedge.api.routing import RequestContext, Resource
from sedge.api.trunks.trunks import LinkOut, TrunkDraftOut, links_out
from sedge.core.access.roles import May
from sedge.services.trunks import sbcs
from sedge.services.trunks.sbcs import SbcAsked, SbcView

resource = Resource(tags=["trunks"])


class SbcDomainOut(TypedDict):
    name: str
    proof: str
    proof_at: str


class SbcOut(TypedDict):
    """`group_turn` are the ids of those that stand in for each other, in their turn; `trunks` the
    ids of those that end at it."""

    id: str
    name: str
    site: str
    host: str
    port: int | None
    transport: str
    addresses: list[str]
    domains: list[SbcDomainOut]
    group: str
    order: int
    weight: int
    retired: bool
    trunks: list[str]
    group_turn: list[str]
    tested_at: str | None
    links: list[LinkOut]


@resource.read("/sbcs")
def list_sbcs(context: RequestContext) -> Page[SbcOut]:
    return {"items": [_out(seen) for seen in sbcs.list_sbcs(context)], "next": None}


@resource.read("/sbcs/{key}")
def one_sbc(context: RequestContext, key: str) -> SbcOut:
    return _out(sbcs.view_sbc(context, key))


@resource.write("/sbcs", May.TRUNKS, status_code=201)
def add_sbc(context: RequestContext, asked: SbcAsked) -> TrunkDraftOut:
    """As a draft of a work order; running it adds the SBC."""
    made = sbcs.draft(context, None, asked)
    return {"work_order": made.id, "no": made.no}


@resource.write("/sbcs/{key}", May.TRUNKS, method="PUT")
def change_sbc(context: RequestContext, key: str, asked: SbcAsked) -> TrunkDraftOut:
    """All of it, as a draft of a work order."""
    made = sbcs.draft(context, key, asked)
    return {"work_order": made.id, "no": made.no}


@resource.write("/sbcs/{key}/retire", May.TRUNKS)
def retire_sbc(context: RequestContext, key: str) -> TrunkDraftOut:
    """As a draft of a work order, which says what ends at it."""
    made = sbcs.retire(context, key)
    return {"work_order": made.id, "no": made.no}


@resource.write("/sbcs/{key}/test", May.PLACE_TEST_CALL)
def test_sbc(context: RequestContext, key: str) -> SbcOut:
    """Every link tried now, in the protocols themselves."""
    sbcs.run_test(context, key)
    return one_sbc(context, key)


def _out(seen: SbcView) -> SbcOut:
    sbc = seen.sbc
    return {
        "id": sbc.id,
        "name": sbc.name,
        "site": sbc.site,
        "host": sbc.host,
        "port": sbc.port,
        "transport": sbc.transport.value,
        "addresses": list(sbc.addresses),
        "domains": [
            {"name": d.name, "proof": d.proof, "proof_at": d.proof_at} for d in sbc.domains
        ],
        "group": sbc.group,
        "order": sbc.order,
        "weight": sbc.weight,
        "retired": sbc.retired,
        "trunks": [x.id for x in seen.trunks],
        "group_turn": [x.id for x in seen.group],
        "tested_at": sbc.tested_at.isoformat() if sbc.tested_at else None,
        "links": links_out(sbc.links),
    }

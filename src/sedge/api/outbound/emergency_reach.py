"""The emergency matrix: site, emergency number and kind of holder with the trunk or the hole."""

from typing_extensions import TypedDict

from sedge.api.answers import Page
from sedge.api.routing import RequestContext, Resource
from sedge.services.outbound import emergency_reach

resource = Resource(tags=["outbound"])


class EmergencyWayOut(TypedDict):
    trunk: str
    name: str
    why_not: str | None


class EmergencyCellOut(TypedDict):
    site: str
    digits: str
    holder: str
    without_prefix: bool
    with_prefix: bool | None
    trunk: str | None
    spare: int
    hole: str | None
    ways: list[EmergencyWayOut]


@resource.read("/emergency-matrix")
def emergency_matrix(context: RequestContext) -> Page[EmergencyCellOut]:
    items: list[EmergencyCellOut] = [
        {
            "site": cell.site,
            "digits": cell.digits,
            "holder": cell.holder.value,
            "without_prefix": cell.plain,
            "with_prefix": cell.prefixed,
            "trunk": cell.first.trunk if cell.first and not cell.hole else None,
            "spare": cell.spare,
            "hole": cell.hole or None,
            "ways": [
                {"trunk": w.trunk, "name": w.name, "why_not": w.why_not or None} for w in cell.ways
            ],
        }
        for cell in emergency_reach.cells(context)
    ]
    return {"items": items, "next": None}

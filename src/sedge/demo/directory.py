"""The demo's groups, downstream system and directory: what it has that Sedge does not know yet, so
that something is proposed."""

from sedge.core.enums import HolderKind
from sedge.core.errors import OutsideTrouble
from sedge.core.holders.directory import Said
from sedge.core.records import Downstream, Group, HolderRef, Person, Site
from sedge.core.safety.spots import spot_code
from sedge.core.workorders import tasks as t
from sedge.demo.licences import GUIDE
from sedge.formats import scim
from sedge.services.apply_now import add_records, apply_at_once
from sedge.services.context import Context
from sedge.services.holders import directory_proposals

JOINERS = (
    ("Tamsin Quennell", "Learning", "Wharf House"),
    ("Bastian Overy", "Collections", "Wharf House"),
    ("Imke Sandvoort", "Visitor services", "North Lodge"),
)


def put_together_groups(context: Context, people: list[Person]) -> None:
    """Who answers together; and an alarm server that will get numbers of its own."""
    front, duty, learning = people[2:5], [people[63], people[65]], people[66:70]
    add_records(
        context,
        [
            Group(id="front-desk-team", name="Front desk team", members=tuple(p.id for p in front)),
            Group(
                id="duty-managers",
                name="Duty managers",
                members=tuple(p.id for p in duty),
                known_elsewhere_as="grp-duty",
            ),
            Group(id="learning-team", name="Learning team", members=tuple(p.id for p in learning)),
            Downstream(
                id="alarm-server",
                name="Alarm server, Wharf House",
                site="wharf-house",
                host="alarms.wharf.lanternfield.example",
                spot=spot_code("WHF", 2),
            ),
        ],
        reason="set up",
    )
    guides = [p for p in people[70:82] if not p.left][:5]
    apply_at_once(
        context,
        [
            t.GrantLicence(holder=HolderRef(kind=HolderKind.PERSON, id=p.id), product=GUIDE)
            for p in guides
        ],
        reason="guides of the season",
    )  # type: ignore[arg-type]


def fill_directory(context: Context) -> None:
    """Everybody as Sedge has them, but for those who join, one who has moved, one who has left and
    one with another department; then it is asked."""
    control = context.outside.control
    if control is None:
        return
    with context.reading() as reading:
        sites = {s.id: s.name for s in reading.records.all(Site)}
        people = [p for p in reading.records.all(Person) if not p.left and p.known_elsewhere_as]
    said = [_said(p, sites) for p in people]
    said = _changed(said)
    users = [_resource(x) for x in said]
    for i, (name, department, site) in enumerate(JOINERS):
        mail = name.lower().replace(" ", ".") + "@lanternfield.example"
        users.append(
            _resource(
                Said(
                    id="",
                    external=f"dir-new-{i}",
                    name=name,
                    email=mail,
                    department=department,
                    site=site,
                )
            )
        )
    duty = [{"value": x.external} for x in said if x.external in {"dir-163", "dir-165"}]
    group = {
        "schemas": [scim.CORE_GROUP],
        "externalId": "grp-duty",
        "displayName": "Duty managers",
        "members": duty,
    }
    try:
        control.fill_directory(users, [group] if duty else [])
        directory_proposals.pull(context.as_system())
    except OutsideTrouble:  # a demo without its stand-ins at hand asks at night
        return


def _said(person: Person, sites: dict[str, str]) -> Said:
    return Said(
        id=person.id,
        external=person.known_elsewhere_as,
        name=person.name,
        email=person.email,
        site=sites[person.site],
        department=person.department,
        job=person.job,
        extension=person.extension,
    )


def _changed(said: list[Said]) -> list[Said]:
    out = list(said)
    if len(out) > 50:
        out[40] = out[40].copy_with(site="Canal Museum")
        out[45] = out[45].copy_with(department="Special projects")
        del out[20]
    return out


def _resource(said: Said) -> dict[str, object]:
    return {k: v for k, v in scim.user_resource(said).items() if k != "id"}

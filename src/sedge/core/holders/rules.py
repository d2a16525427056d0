"""What changing people and groups, and temporary changes, ask for."""

from sedge.core.callpaths.steps import answered_by, groups_named, people_named, with_people
from sedge.core.enums import HolderKind
from sedge.core.estate import Estate
from sedge.core.facts import counted
from sedge.core.holding import HolderRef
from sedge.core.records import Group, PathVersion, Person, Product, Site, Spot
from sedge.core.workorders import tasks as t
from sedge.core.workorders.findings import Finding, add_before, elsewhere, passed, stop, warn
from sedge.core.workorders.rules.registry import rule
from sedge.core.workorders.tasks import KINDS


def ref_of(person: str) -> HolderRef:
    return HolderRef(kind=HolderKind.PERSON, id=person)


@rule("person.address-free", t.ChangePerson)
def address_free(task: t.ChangePerson, estate: Estate) -> Finding | None:
    """Mail addresses tell people apart."""
    if not task.email:
        return None
    other = next(
        (
            p
            for p in estate.all(Person)
            if p.email.lower() == task.email.lower() and p.id != task.person and not p.left
        ),
        None,
    )
    if other:
        return stop(
            f"{other.name} has the mail address {task.email} already. Look which of the two is"
            " right."
        )
    return passed("Nobody else has the mail address")


@rule("person.extension-free", t.ChangePerson)
def extension_free(task: t.ChangePerson, estate: Estate) -> Finding | None:
    """Two people with one extension are both called, or neither."""
    person = estate.the(Person, task.person)
    return (
        _extension(task.extension or "", task.site or person.site, person.id, estate)
        if task.extension
        else None
    )


@rule("person.new-extension-free", t.AddPerson)
def new_extension_free(task: t.AddPerson, estate: Estate) -> Finding | None:
    """Two people with one extension are both called, or neither."""
    return _extension(task.extension, task.site, task.id, estate) if task.extension else None


def _extension(extension: str, site: str, person: str, estate: Estate) -> Finding:
    same = [
        p
        for p in estate.all(Person)
        if p.extension == extension and p.site == site and p.id != person and not p.left
    ]
    if same:
        return warn(
            f"{same[0].name} has extension {extension} at {estate.the(Site, site).name} already;"
            " calls to it would ring either."
        )
    return passed(f"Extension {extension} is free at {estate.the(Site, site).name}")


@rule("person.manager-is-here", t.ChangePerson)
def manager_is_here(task: t.ChangePerson, estate: Estate) -> Finding | None:
    """Whoever is asked about somebody must be here to answer."""
    if not task.manager:
        return None
    manager = estate.get(Person, task.manager)
    if manager is None or manager.left:
        return warn("The manager is not, or no longer, in the directory.")
    return passed(f"{manager.name} is here")


@rule("person.holds-nothing", t.ChangePerson)
def holds_nothing(task: t.ChangePerson, estate: Estate) -> Finding | None:
    """Who leaves takes no number along: it would ring an empty desk, and cost money."""
    if not task.left:
        return None
    person, ref = estate.the(Person, task.person), ref_of(task.person)
    numbers, grants = estate.numbers_of(ref), estate.grants_of(ref)
    if not numbers and not grants:
        return passed(f"{person.name} holds nothing any more")
    products = {p.id: p for p in estate.all(Product)}
    back = [t.UnassignNumber(number=n.e164, holder=ref) for n in numbers]
    seats = sorted(grants, key=lambda g: -len(products[g.product].prerequisites))
    names = [n.shown for n in numbers] + [products[g.product].name for g in seats]
    tasks = (*back, *(t.RevokeLicence(holder=ref, product=g.product) for g in seats))
    return stop(
        f"{person.name} still has {', '.join(names[:4])}{' and more' if len(names) > 4 else ''}.",
        add_before("Take all of it back first", *tasks),
    )


@rule("person.not-alone-in-a-path", t.ChangePerson)
def not_alone_in_a_path(task: t.ChangePerson, estate: Estate) -> Finding | None:
    """A step that only somebody who leaves answers is a dead end from then on."""
    if not task.left:
        return None
    person = estate.the(Person, task.person)
    groups = {
        g.id: tuple(m for m in g.members if m != person.id)
        for g in estate.all(Group)
        if not g.removed
    }
    naming = [
        p
        for p in estate.all(PathVersion)
        if person.id in people_named(p.body)
        or any(person.id in g.members for g in estate.all(Group) if g.id in groups_named(p.body))
    ]
    for path in naming:
        before = with_people(
            path.body, {g.id: g.members for g in estate.all(Group) if not g.removed}
        )
        after = with_people(path.body, groups)
        for key, step in before["steps"].items():
            if person.id in answered_by(step) and not any(
                _is_here(p, estate) for p in answered_by(after["steps"][key]) if p != person.id
            ):
                return stop(
                    f"At “{step.get('title') or step['kind']}” of the call path {path.name} nobody"
                    f" but {person.name} answers. Put somebody else there first.",
                    elsewhere(f"Open {path.name}", "path", path.id),
                )
    if naming:
        return warn(
            f"{person.name} is named in {', '.join(p.name for p in naming[:3])}; others answer"
            " there.",
            elsewhere(f"Open {naming[0].name}", "path", naming[0].id),
        )
    return passed(f"No call path needs {person.name}")


def _is_here(key: str, estate: Estate) -> bool:
    person = estate.get(Person, key)
    return person is not None and not person.left


@rule("person.spot-after-move", t.ChangePerson)
def spot_after_move(task: t.ChangePerson, estate: Estate) -> Finding | None:
    """Who moves to another site has no spot there: a call for help would send help to where they
    were."""
    person = estate.the(Person, task.person)
    if not task.site or task.left:
        return None
    site = estate.the(Site, task.site)
    spot = estate.get(Spot, person.spot)
    if spot and spot.site == site.id:
        return passed(f"{person.name}'s spot is at {site.name}")
    choices = [s for s in estate.all(Spot) if s.site == site.id and not s.removed and not s.whole]
    remedies = [
        add_before(f"{s.name} ({s.id})", t.SetSpot(person=person.id, spot=s.id), automatic=False)
        for s in choices[:12]
    ]
    held = estate.numbers_of(ref_of(person.id))
    words = f"{person.name} moves to {site.name} and has no spot there. Choose where they will be."
    other = remedies or [elsewhere(f"Add a spot of {site.name}", "spots", site.id)]
    return (
        stop(f"{words} {held[0].shown} would still send responders to where they were.", *other)
        if held
        else warn(words, *other)
    )


@rule("person.numbers-after-move", t.ChangePerson)
def numbers_after_move(task: t.ChangePerson, estate: Estate) -> Finding | None:
    """Numbers belong to a site: those of who moves away go along on purpose, or are taken back."""
    if not task.site or task.left:
        return None
    person, site = estate.the(Person, task.person), estate.the(Site, task.site)
    behind = [n for n in estate.numbers_of(ref_of(person.id)) if n.site != site.id]
    if not behind:
        return passed(f"No number of {person.name} stays behind")
    of = estate.the(Site, behind[0].site).name
    names = ", ".join(n.shown for n in behind[:3])
    moves = tuple(t.MoveNumber(number=n.e164, site=site.id) for n in behind)
    return warn(
        f"{person.name} moves to {site.name}, and {names} would still be counted, dial and make"
        f" emergency calls as {of} does.",
        add_before(f"Move the numbers to {site.name} too", *moves),
    )


@rule("group.members-are-here", t.SetGroup)
def members_are_here(task: t.SetGroup, estate: Estate) -> Finding:
    """Somebody who has left answers nothing."""
    if task.removed:
        return passed("Nobody is asked to answer any more")
    gone = [key for key in task.members if not _is_here(key, estate)]
    if gone:
        names = ", ".join(
            p.name if (p := estate.get(Person, key)) else f"“{key}”" for key in gone[:3]
        )
        return stop(
            f"{names} can't be in {task.name}: not, or no longer, in the directory. Take them out."
        )
    if not task.members:
        return warn(f"{task.name} has no members; nobody would answer.")
    return passed(f"{counted(len(task.members), 'member')} in the directory")


@rule("group.not-needed", t.SetGroup)
def group_not_needed(task: t.SetGroup, estate: Estate) -> Finding | None:
    """A group that a call path rings is not taken away under it."""
    if not task.removed:
        return None
    naming = [p for p in estate.all(PathVersion) if task.group in groups_named(p.body)]
    if naming:
        return stop(
            f"{naming[0].name} rings {task.name}. Put somebody else there first.",
            elsewhere(f"Open {naming[0].name}", "path", naming[0].id),
        )
    return passed(f"No call path names {task.name}")


@rule("temporary.ends-later", t.PutBackLater)
def ends_later(task: t.PutBackLater, estate: Estate) -> Finding:
    """A put-back whose moment has passed would undo at once what was just done."""
    if task.at <= estate.now:
        return stop(
            f"The moment to put it back, {estate.clock(task.at)}, has passed. Choose a later one."
        )
    return passed(f"Put back {estate.clock(task.at)}")


@rule("temporary.can-be-put-back", t.PutBackLater)
def can_be_put_back(task: t.PutBackLater, _estate: Estate) -> Finding:
    """What is for good can't be temporary."""
    if task.of_kind == "activate_port":
        return stop(
            "A port is no temporary thing; back out of it while the losing carrier takes its"
            " numbers back. Take this task out."
        )
    kind = KINDS.get(task.of_kind)
    if kind and kind.for_good:
        return stop(
            f"{kind.for_good.capitalize()} can't be put back, so it can't be temporary. Take this"
            " task out."
        )
    return passed("What it changes can be put back")


@rule("device.somebody-is-here", t.AddDevice)
def somebody_is_here(task: t.AddDevice, estate: Estate) -> Finding:
    """A phone is for somebody who is still here."""
    person = estate.the(Person, task.person)
    if person.left:
        return stop(f"{person.name} has left, so nobody would use the phone.")
    return passed(f"{person.name} is here")


@rule("device.sign-in-reaches-them", t.AddDevice)
def sign_in_reaches_them(task: t.AddDevice, estate: Estate) -> Finding:
    """A phone signs in with a secret, which somebody has to type into it."""
    person = estate.the(Person, task.person)
    if not person.email:
        return warn(
            f"{person.name} has no mail address to send the sign-in to. Make a new secret on the"
            " phone's page when it is set up, and hand it over."
        )
    return passed(f"{person.email} gets a link that shows the sign-in once")

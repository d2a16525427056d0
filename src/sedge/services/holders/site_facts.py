"""What may be changed of a site: its name, who is told of calls for help, its address, how large
the building is."""

from sedge.core.access.roles import May
from sedge.core.changes import changed
from sedge.core.errors import NotUnderstood
from sedge.core.records import Address, CivicElements, Site, Spot, Subject
from sedge.core.safety.countries import FORMS
from sedge.core.safety.spots import floor_problem
from sedge.services.context import Context
from sedge.services.holders.holders import MOST_AREA, MOST_FLOORS, mail_told
from sedge.services.safety import address_change_notices, safety
from sedge.store.schema import tables


def facts_of_site(context: Context, key: str) -> tuple[Site, Address | None]:
    """Raises NotFound."""
    with context.reading() as reading:
        site = reading.records.the(Site, key)
        return site, reading.records.find(Address, site.address)


def change_site(context: Context, key: str, form: dict[str, str]) -> Site:
    """Changed as a whole. An address is the register's; a correction of it must be `accepted`. When
    it changes, everybody who sends it along is told. Raises NotUnderstood naming the field,
    OutsideSilent."""
    context.require(May.CHANGE_SAFETY)
    site, address = facts_of_site(context, key)
    name, told = form.get("name", "").strip(), mail_told(form.get("security_desk", ""))
    if not 1 <= len(name) <= 120:
        raise NotUnderstood("A site needs a name of at most 120 characters.", field="name")
    after = _address(context, address, form) if address else None
    with context.writing() as writing:
        now = writing.records.the(Site, key)
        saved = now.copy_with(name=name, security_desk=told)
        changes = [changed(Subject.SITE, now, saved, "site.changed")] if saved != now else []
        spots = [s for s in writing.records.where(Spot, tables.spot.c.site == key) if not s.removed]
        if after and (
            wrong := next((w for s in spots if (w := floor_problem(s.floor, after))), "")
        ):
            raise NotUnderstood(f"A spot is on a floor there would not be. {wrong}", field="floors")
        moved = bool(after and address and after.elements != address.elements)
        if after and after != address:
            changes.append(
                changed(Subject.ADDRESS, address, after, "address.changed")
            )  # as it was read, so that of two one is refused
        codes = [s.id for s in spots]
        if moved or told != site.security_desk:
            changes += address_change_notices.out_of_date(writing, codes)
        if changes:
            writing.save(changes)
    if moved or told != site.security_desk:
        address_change_notices.draft_notices(context, name)
    return saved


def _address(context: Context, address: Address, form: dict[str, str]) -> Address:
    floors, area = _whole(form, "floors", 1, MOST_FLOORS), _whole(form, "area_m2", 0, MOST_AREA)
    country = address.elements.country
    typed = {f.name: form.get(f.name, "").strip()[:200] for f in FORMS[country]}
    sized = address.copy_with(floors=floors, area_m2=area, detail=bool(form.get("detail")))
    if all(getattr(address.elements, name) == value for name, value in typed.items()):
        return sized
    checked = safety.checked_address(
        context, CivicElements(country=country, **typed), accepted=bool(form.get("accepted"))
    )
    return sized.copy_with(
        elements=checked.elements,
        verdict=checked.verdict,
        accepted=bool(form.get("accepted")),
        psap=checked.psap,
        point=checked.point,
    )


def _whole(form: dict[str, str], name: str, least: int, most: int) -> int:
    text = form.get(name, "").strip() or str(least)
    if not (text.isascii() and text.isdigit() and least <= int(text) <= most):
        raise NotUnderstood(f"Type a whole number from {least} to {most:,}.", field=name)
    return int(text)

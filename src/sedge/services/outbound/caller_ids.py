"""What calls out show: the organisation's default, each site's, and the people who differ."""

from dataclasses import dataclass

from sedge.core.outbound.caller_id import in_words, own_number, presented
from sedge.core.records import (
    ORGANISATION,
    CallerId,
    Defaults,
    HolderKind,
    HolderRef,
    Number,
    Person,
    ServiceLine,
    Site,
    Subject,
)
from sedge.services.context import Context, Reading
from sedge.store.schema import tables

MOST_PEOPLE = 200


@dataclass(frozen=True)
class Line:
    """Whose calls, what is chosen for them, and that in words; `holder` None for the whole
    organisation."""

    holder: HolderRef | None
    name: str
    said: CallerId
    words: str


@dataclass(frozen=True)
class View:
    """`people` are those who differ from their site, at most `MOST_PEOPLE`."""

    whole: Line
    sites: list[Line]
    people: list[Line]


def view_rules(context: Context) -> View:
    with context.reading() as reading:
        whole = reading.records.find(Defaults, ORGANISATION) or Defaults(id=ORGANISATION)
        sites = reading.records.where(Site, order_by=tables.site.c.name)
        people = reading.records.where(
            Person,
            tables.person.c.shows.is_not(None),
            order_by=tables.person.c.name,
            limit=MOST_PEOPLE,
        )
    return View(
        Line(
            None,
            context.organisation.name,
            whole.caller_id,
            (
                in_words(whole.caller_id, "nobody")
                if whole.caller_id.shows
                else "the caller's own number"
            ),
        ),
        [
            Line(
                HolderRef(kind=HolderKind.SITE, id=s.id),
                s.name,
                s.caller_id,
                in_words(s.caller_id, "the organisation"),
            )
            for s in sites
        ],
        [
            Line(
                HolderRef(kind=HolderKind.PERSON, id=p.id),
                p.name,
                p.caller_id,
                in_words(p.caller_id, "the site"),
            )
            for p in people
        ],
    )


@dataclass(frozen=True)
class Chosen:
    """One of them to be changed: what it says now, numbers that suit, and for a person what their
    calls show."""

    line: Line
    suits: list[tuple[str, str]]
    now: str = ""


def view_number_shown(context: Context, *, site: str = "", person: str = "") -> Chosen:
    """A site's, a person's, or with neither the whole organisation's. Raises NotFound."""
    with context.reading() as reading:
        if person:
            someone = reading.records.the(Person, person)
            ref = HolderRef(kind=HolderKind.PERSON, id=person)
            estate = reading.look_at(Subject.PERSON, person)
            shown = presented(estate.the(Person, person), own_number(someone, estate), estate)
            now = "nothing: it is withheld" if shown.withheld else shown.number
            line = Line(
                ref, someone.name, someone.caller_id, in_words(someone.caller_id, "the site")
            )
            return Chosen(
                line, _suits(reading.records.where(ServiceLine), reading, someone.site), now
            )
        if site:
            place = reading.records.the(Site, site)
            line = Line(
                HolderRef(kind=HolderKind.SITE, id=site),
                place.name,
                place.caller_id,
                in_words(place.caller_id, "the organisation"),
            )
            return Chosen(line, _suits(reading.records.where(ServiceLine), reading, site))
        whole = reading.records.find(Defaults, ORGANISATION) or Defaults(id=ORGANISATION)
        line = Line(
            None, context.organisation.name, whole.caller_id, in_words(whole.caller_id, "nobody")
        )
        return Chosen(line, _suits(reading.records.where(ServiceLine), reading, ""))


def _suits(lines: list[ServiceLine], reading: Reading, site: str) -> list[tuple[str, str]]:
    """Numbers that are answered by more than one person: those of sites and service lines, the
    site's own first."""
    names = {(HolderKind.SERVICE_LINE, x.id): x.name for x in lines}
    names |= {(HolderKind.SITE, s.id): s.name for s in reading.records.all(Site)}
    refs = [HolderRef(kind=kind, id=key) for kind, key in names]
    held = reading.records.held_by(Number, refs)
    held.sort(key=lambda n: (n.site != site, n.e164))
    return [(n.e164, f"{n.shown} ({names[n.holder.kind, n.holder.id]})") for n in held if n.holder]

"""Which number the called party sees, who says so, and what goes along in the signalling (RFC 3323,
RFC 3325)."""

from dataclasses import dataclass

from sedge.core.estate import Estate
from sedge.core.numbers.e164 import describe
from sedge.core.records import (
    ORGANISATION,
    CallerId,
    Defaults,
    Downstream,
    HolderKind,
    HolderRef,
    Number,
    Person,
    Role,
    ServiceLine,
    Site,
    Trunk,
)
from sedge.core.trunks.records import Identity
from sedge.core.trunks.settings import as_written

Caller = Person | ServiceLine | Site


@dataclass(frozen=True)
class Presented:
    """`number` is shown (E.164; empty where nothing is, or `withheld`); `because` says who decided
    it; `route_by` is the number by which the trunk is chosen, since a carrier takes only numbers of
    its own."""

    number: str
    withheld: bool
    because: str
    route_by: Number | None


def ref_of(caller: Caller) -> HolderRef:
    """A caller as the holder of numbers."""
    kinds = {Person: HolderKind.PERSON, ServiceLine: HolderKind.SERVICE_LINE, Site: HolderKind.SITE}
    return HolderRef(kind=kinds[type(caller)], id=caller.id)


def site_of(caller: Caller | Downstream, estate: Estate) -> Site:
    return caller if isinstance(caller, Site) else estate.the(Site, caller.site)


def own_number(caller: Caller, estate: Estate) -> Number | None:
    """The number of somebody's own that their calls go out by: the main one, else the first."""
    held = [n for n in estate.numbers_of(ref_of(caller)) if n.in_use]
    return min(
        held,
        key=lambda n: (n.assignment is None or n.assignment.role is not Role.MAIN, n.e164),
        default=None,
    )


def presented(caller: Caller | Downstream, own: Number | None, estate: Estate) -> Presented:
    """What somebody shows on a call out. A person's own choice comes first, then the site's, then
    the organisation's; where none chose, it is their own number. Who shows their own and has none
    shows the first number that is set further up.
    """
    levels = _levels(caller, estate)
    at = next((i for i, (_, said) in enumerate(levels) if said.shows), None)
    who, said = levels[at] if at is not None else ("nobody", CallerId(shows="own"))
    default = next((said.number for _, said in levels[at or 0 :] if said.number), "")
    by_default = next((who for who, said in levels[at or 0 :] if said.number), "")
    if said.shows == "withheld":
        return Presented("", True, f"{who} withholds it", own or estate.get(Number, default))
    if said.shows == "number":
        return Presented(
            said.number,
            False,
            f"{who} shows {describe(said.number).shown}",
            estate.get(Number, said.number),
        )
    if own is not None:
        return Presented(own.e164, False, "their own number", own)
    because = (
        f"{caller.name} has none of their own; {by_default} shows {describe(default).shown}"
        if default
        else ""
    )
    return Presented(default, False, because, estate.get(Number, default))


def shown_in_words(person: Person, estate: Estate) -> str:
    """`0113 496 0100`, or why nothing is shown."""
    shown = presented(person, own_number(person, estate), estate)
    return (
        "nothing, it is withheld"
        if shown.withheld
        else describe(shown.number).shown
        if shown.number
        else "nothing: there is no number"
    )


def _levels(caller: Caller | Downstream, estate: Estate) -> list[tuple[str, CallerId]]:
    """Who may choose, the nearest first: a service line shows what its site says."""
    whole, site = estate.get(Defaults, ORGANISATION), site_of(caller, estate)
    return [
        *([(caller.name, caller.caller_id)] if isinstance(caller, Person) else []),
        (site.name, site.caller_id),
        ("the organisation", whole.caller_id if whole else CallerId()),
    ]


def in_words(said: CallerId, above: str) -> str:
    """`above` is who decides where nothing is chosen here."""
    number = describe(said.number).shown if said.number else ""
    match said.shows:
        case "number":
            return f"always {number}"
        case "withheld":
            return "nothing, it is withheld"
        case "own":
            return (
                f"the caller's own number{f', or {number} where there is none' if number else ''}"
            )
        case _:
            return f"as {above} says{f'; {number} for who has none' if number else ''}"


ANONYMOUS = '"Anonymous" <sip:anonymous@anonymous.invalid>'  # RFC 3323


def headers(
    shown: Presented, own: Number | None, trunk: Trunk | None = None
) -> list[tuple[str, str]]:
    """From, P-Asserted-Identity and Privacy as they leave: asserted is whose call it is, shown is
    what the other side displays. Over a trunk that is set up they are written as it is agreed with
    the other side; where nobody has said how, as telephone numbers (RFC 3966)."""
    asserted = own.e164 if own else (shown.route_by.e164 if shown.route_by else "")
    settings = trunk.settings if trunk else None

    def uri(e164: str) -> str:
        if trunk is None or settings is None:
            return f"<tel:{e164}>"
        return f"<sip:{as_written(e164, settings.sends, settings.last_digits)}@{trunk.host}>"

    sent = [("From", ANONYMOUS if shown.withheld else uri(shown.number))]
    if asserted and (settings is None or settings.identity_out is Identity.PAI):
        sent.append(("P-Asserted-Identity", uri(asserted)))
    return [*sent, ("Privacy", "id")] if shown.withheld else sent

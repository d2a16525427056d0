"""Calls that reach us from another telephone system of ours or over a trunk: what they become
here. A call over a trunk never goes out again; one that would come back to where it came from is
told before it goes round."""

from sedge.core.enums import HolderKind
from sedge.core.estate import Estate
from sedge.core.numbers.e164 import describe, read
from sedge.core.numbers.life import ENDED
from sedge.core.numbers.plan import COUNTRIES
from sedge.core.outbound.dialling.dialplan import Dialled, Reached, bare, right_for
from sedge.core.outbound.trace import OutboundTrace, go_out, reach_help
from sedge.core.records import Downstream, HolderRef, Number, Right, Site, Trunk
from sedge.core.trunks.records import KnownBy, NumberFormat
from sedge.core.trunks.settings import as_written


def trace_from_system(system: Downstream, digits: str, estate: Estate) -> OutboundTrace:
    """Follow a call that another telephone system hands to us. It dials by its own rules, so what
    arrives is a number; it may call what its site may."""
    site = estate.the(Site, system.site)
    own = _main_number(system, estate)
    keys = bare(digits)
    if keys in COUNTRIES[site.country].emergency:
        rule = "an emergency number"
        return reach_help(
            Dialled(Reached.EMERGENCY, keys, None, Right.EMERGENCY, rule), own, estate
        )
    dialled = _number_in(digits, site)
    if dialled.kind is Reached.NOTHING:
        return OutboundTrace(dialled, "rejected", dialled.reason)
    if (ours := estate.get(Number, dialled.result)) and ours.in_use:
        if ours.holder == HolderRef(kind=HolderKind.DOWNSTREAM, id=system.id):
            return OutboundTrace(
                dialled,
                "rejected",
                f"It would go round: {ours.shown} belongs to {system.name}, so the call would come"
                f" straight back to it. Set the number up there.",
            )
        return _to_ours(dialled, ours, estate)
    if dialled.right not in site.rights:
        return OutboundTrace(
            dialled,
            "rejected",
            f"{site.name} has no right to make {dialled.right} calls, and {system.name} calls by"
            " its site's rights.",
        )
    if own is None:
        return OutboundTrace(
            dialled,
            "rejected",
            f"{system.name} has no number to show, so no carrier takes the call.",
        )
    return go_out(dialled, own, system, estate)


def trace_from_trunk(trunk: Trunk, digits: str, estate: Estate) -> OutboundTrace:
    """Follow a call that comes in over a trunk: which of our numbers it is for. One for anybody
    else is refused, or strangers could call at our cost."""
    site = estate.the(Site, trunk.site)
    way = trunk.settings
    if way and way.expects is NumberFormat.LAST_DIGITS:
        listed = [n for n in estate.all(Number) if n.trunk == trunk.id]
        found = [n for n in listed if n.e164.endswith(bare(digits))]
        if len(found) == 1:
            dialled = _as_it_is(found[0].e164, site, f"the one on its list that ends {digits}")
        else:
            said = f"{len(found)} numbers of its list end {digits}." if found else "No number fits."
            dialled = Dialled(Reached.NOTHING, bare(digits), None, Right.INTERNAL, said)
    else:
        dialled = _number_in(digits, site)
    if dialled.kind is Reached.NOTHING:
        return OutboundTrace(dialled, "rejected", dialled.reason)
    ours = estate.get(Number, dialled.result)
    if ours is None or ours.state in ENDED:
        return OutboundTrace(
            dialled,
            "rejected",
            "It is not one of our numbers. What comes in over a trunk never goes out again, or"
            " strangers could call at our cost.",
        )
    if not trunk.carries:
        return OutboundTrace(dialled, "rejected", f"{trunk.name} {trunk.why_not}.")
    if not ours.in_use:
        return OutboundTrace(
            dialled, "rejected", f"{ours.shown} is {ours.state}: nobody has it, so nothing rings."
        )
    if way and way.known_by is KnownBy.NUMBER_LIST and ours.trunk != trunk.id:
        said = f"{ours.shown} is not on the list of {trunk.name}, by which its calls are known."
        return OutboundTrace(dialled, "rejected", said)
    elsewhere = estate.get(Trunk, ours.trunk) if ours.trunk != trunk.id else None
    note = ""
    if ours.trunk is None:
        note = " It is on no trunk's list."
    elif elsewhere:
        note = f" It is on the list of {elsewhere.name}: its carrier should send it there."
    written = as_written(ours.e164, way.expects, way.last_digits) if way else ""
    return _to_ours(dialled, ours, estate, note=note, written=written)


def _to_ours(
    dialled: Dialled, number: Number, estate: Estate, *, note: str = "", written: str = ""
) -> OutboundTrace:
    """Inside: to whoever has the number."""
    holder = number.holder
    name = getattr(estate.holder(holder), "name", "") if holder else ""
    if holder and holder.kind is HolderKind.DOWNSTREAM:
        said = f"on to {name}, whose number it is"
    else:
        said = f"{number.shown}, held by {name}"
    return OutboundTrace(dialled, "internal", f"{said}.{note}", sent=written, leads_to=number.e164)


def _main_number(system: Downstream, estate: Estate) -> Number | None:
    """By which its calls go out: the first of its numbers."""
    ref = HolderRef(kind=HolderKind.DOWNSTREAM, id=system.id)
    held = [n for n in estate.numbers_of(ref) if n.in_use]
    return min(held, key=lambda n: n.e164, default=None)


def _number_in(digits: str, site: Site) -> Dialled:
    """The number that is meant, written in any way."""
    reading = read(digits, site.country)
    if reading.problem or not reading.candidates:
        sentence = reading.problem.sentence if reading.problem else "It is not a number in service."
        return Dialled(Reached.NOTHING, bare(digits), None, Right.INTERNAL, sentence)
    return _as_it_is(reading.candidates[0].e164, site, "as it arrives")


def _as_it_is(e164: str, site: Site, reason: str) -> Dialled:
    country = describe(e164).country
    right = right_for(e164, site) if country else Right.INTERNATIONAL
    return Dialled(Reached.NUMBER, e164, None, right, reason)

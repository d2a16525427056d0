"""What a call for help from a number does: reachable without a prefix, callback, spot, PSAP, who is
told.

Required of US multi-line systems (47 CFR 9.16: direct dialling, notification; 9.3: dispatchable
location); Sedge asks the same everywhere. Any broken link is a stop. No call is ever placed to a
real PSAP.
"""

from dataclasses import dataclass, field

from sedge.core.callpaths.tracing.trace import EndingKind, World, trace_inbound
from sedge.core.estate import Estate
from sedge.core.numbers.plan import COUNTRIES, Kind
from sedge.core.outbound.dialling.dialplan import Dialled, Reached, dial
from sedge.core.records import Address, Carrier, HolderKind, HolderRef, Number, Role, Site, Trunk
from sedge.core.safety.effective_spot import effective_spot, place_words, problem_with

AS_USUAL = World()


@dataclass(frozen=True)
class EmergencyAnswer:
    """`broken` lists every link that does not hold, each a sentence; empty: help comes. `cautions`
    should be put right soon. `place_unsure`: the spot itself is not good enough to send help to."""

    dialled: str
    reachable: bool
    with_prefix: bool
    trunk: str
    callback: str
    spot: str
    spot_words: str
    psap: str
    told: str
    broken: list[str] = field(default_factory=list)
    cautions: list[str] = field(default_factory=list)
    place_unsure: bool = False


def emergency_test(number: Number, dialled: str, estate: Estate) -> EmergencyAnswer:
    """Follow emergency digits dialled on the phone that has `number`."""
    if not number.in_use:
        return _no_phone(number, dialled)
    site = estate.the(Site, number.site)
    country = COUNTRIES[site.country]
    broken: list[str] = []
    plain = dialled_at(site, dialled, estate)
    reachable = plain.kind is Reached.EMERGENCY and plain.result in country.emergency
    prefixed = (
        bool(site.outside_prefix)
        and dialled_at(site, site.outside_prefix + plain.result, estate).kind is Reached.EMERGENCY
    )
    if not reachable:
        broken.append(
            f"{dialled} is not an emergency number of {country.name}"
            f" ({', '.join(country.emergency)})."
        )
    if site.outside_prefix and not prefixed:
        broken.append(
            f"{site.outside_prefix} {dialled} does not reach the emergency services; people"
            f" dial the prefix by habit."
        )
    trunk = _trunk(number, site, estate)
    if trunk is None:
        broken.append(f"No trunk that is up takes emergency calls from {site.name}.")
    callback = callback_number(number, estate)
    if callback is None:
        broken.append(
            "The operator could not ring back: neither this number, nor another of its holder, nor"
            " the site's main number rings somebody now."
        )
    spot, words, psap, unsure = _spot(number, estate, broken)
    if "@" not in site.security_desk:
        broken.append(
            f"Nobody at {site.name} would be told that an emergency call was made. Name a security"
            " desk."
        )
    return EmergencyAnswer(
        dialled=dialled,
        reachable=reachable,
        with_prefix=prefixed,
        trunk=trunk.name if trunk else "",
        callback=callback.e164 if callback else "",
        spot=spot,
        spot_words=words,
        psap=psap,
        told=site.security_desk,
        broken=broken,
        cautions=[caution] if (caution := unregistered(number, estate)) else [],
        place_unsure=unsure,
    )


def dialled_at(site: Site, keys: str, estate: Estate) -> Dialled:
    """What keys become at a site, worked out once however many phones there are."""
    return estate.once(f"dialled at {site.id}", keys, lambda: dial(keys, site))


def _no_phone(number: Number, dialled: str) -> EmergencyAnswer:
    nobody = (
        f"{number.shown} is {number.state}: no phone has it, so nobody can make an"
        f" emergency call from it."
        " Give it to somebody first."
    )
    return EmergencyAnswer(dialled, False, False, "", "", "", "", "", "", [nobody])


def unregistered(number: Number, estate: Estate) -> str:
    """Why the operator would be shown another place than Sedge's spot; '' where the carrier has the
    same one, or keeps none."""
    carrier = estate.the(Carrier, number.carrier)
    if (
        not carrier.registers_addresses
        or number.spot is None
        or number.registered_spot == number.spot
    ):
        return ""
    has = f"still has {number.registered_spot}" if number.registered_spot else "has no address"
    return (
        f"{carrier.name} {has} for {number.shown}; the operator would be shown that. Register the"
        " address."
    )


def help_trunks(number: Number, site: Site, estate: Estate) -> list[Trunk]:
    """The trunks that take a call for help, in order: the number's own first, then any other of its
    site or its site's country. Only those that serve the site."""
    own = estate.get(Trunk, number.trunk)
    others = [x for x in help_trunks_of_site(site, estate) if x != own]
    first = [own] if own and own.emergency and own.serves_site(site.id) else []
    return first + others


def help_trunks_of_site(site: Site, estate: Estate) -> list[Trunk]:
    """The trunks of its country that serve a site and take calls for help, its own first."""
    return [
        x
        for x in sorted(estate.all(Trunk), key=lambda x: (x.site != site.id, x.id))
        if (home := estate.get(Site, x.site)) and home.country == site.country
        if x.emergency and x.serves_site(site.id)
    ]


def _trunk(number: Number, site: Site, estate: Estate) -> Trunk | None:
    return next((x for x in help_trunks(number, site, estate) if x.carries), None)


def callback_number(number: Number, estate: Estate) -> Number | None:
    """The number itself, else the holder's other ones, else the site's main: the first that the
    operator can ring back."""
    others = sorted(estate.numbers_of(number.holder), key=lambda n: n.e164) if number.holder else []
    of_site = estate.numbers_of(HolderRef(kind=HolderKind.SITE, id=number.site))
    mains = sorted(
        (n for n in of_site if n.assignment and n.assignment.role is Role.MAIN),
        key=lambda n: n.e164,
    )
    return next((n for n in (number, *others, *mains) if rings_people(n, estate)), None)


def rings_people(number: Number, estate: Estate) -> bool:
    """Whether an operator who calls this number now reaches somebody without choosing from a menu.
    Toll-free ones don't count: they can't be reached from everywhere."""
    return estate.once("rings people", number.e164, lambda: _rings(number, estate))


def _rings(number: Number, estate: Estate) -> bool:
    if not number.in_use or number.kind is Kind.TOLL_FREE:
        return False
    trace = trace_inbound(number.e164, estate.now, AS_USUAL, estate)
    return trace.ending.kind is EndingKind.ANSWERED and not trace.asked_to_choose


def _spot(number: Number, estate: Estate, broken: list[str]) -> tuple[str, str, str, bool]:
    """Id and words of the spot, the answering point, and whether the spot is not good enough."""
    spot = effective_spot(number, estate)
    if spot is None:
        broken.append(
            f"{number.shown} has no emergency spot: nobody would know where to send responders."
        )
        return "", "", "", True
    address = estate.the(Address, spot.address)
    problem = problem_with(spot, number, number.holder, estate, estate.now)
    if problem:
        broken.append(f"The spot {spot.id} is not right for {number.shown}: {problem}.")
    if not address.psap:
        broken.append("The register names no public safety answering point for this address.")
    words = f"{place_words(spot, estate)}; {address.elements.one_line}"
    return spot.id, words, address.psap, bool(problem)

"""Following one call out: what was dialled, what it became, why this trunk, what is shown."""

from dataclasses import dataclass, field

from sedge.core.estate import Estate
from sedge.core.facts import Money
from sedge.core.outbound.caller_id import Caller, headers, own_number, presented, site_of
from sedge.core.outbound.caller_name import CNAM, NORTH_AMERICA
from sedge.core.outbound.dialling.dialplan import Dialled, Reached, dial
from sedge.core.outbound.records import RouteLimits
from sedge.core.outbound.routes import choose_way, rate_over, refusal_of
from sedge.core.records import Downstream, Number, Trunk
from sedge.core.safety.emergency import EmergencyAnswer, emergency_test
from sedge.core.trunks.number_rules import as_sent
from sedge.core.trunks.trunks import Candidate


@dataclass(frozen=True)
class OutboundTrace:
    """`ending` is one of reached, internal, emergency, rejected; `reason` says why. `caller_name`
    is shown beside the caller ID where CNAM works: in North America, 15 characters at most.
    `caller_id` is empty where it is withheld; `headers` as they leave; `rate` is a minute's price.
    `route` is the outbound route, where one fits, with its `limits`; `sent` is the number as the
    trunk writes it, '' where nobody has said how. `leads_to` is the number of ours that is called.
    """

    dialled: Dialled
    ending: str
    reason: str
    trunk: str = ""
    caller_id: str = ""
    candidates: list[Candidate] = field(default_factory=list)
    emergency: EmergencyAnswer | None = None
    caller_name: str = ""
    shown_because: str = ""
    headers: list[tuple[str, str]] = field(default_factory=list)
    rate: Money | None = None
    route: str = ""
    sent: str = ""
    limits: RouteLimits | None = None
    leads_to: str = ""


def trace_outbound(caller: Caller, digits: str, estate: Estate) -> OutboundTrace:
    """Follow what is dialled at a person's phone, at one of a service line, or at a site."""
    site = site_of(caller, estate)
    dialled = dial(digits, site)
    number = own_number(caller, estate)
    if dialled.kind is Reached.EMERGENCY:
        return reach_help(dialled, number, estate)
    if dialled.kind in {Reached.NOTHING, Reached.REFUSED}:
        return OutboundTrace(dialled, "rejected", dialled.reason)
    if dialled.right not in caller.rights:
        return OutboundTrace(
            dialled, "rejected", f"{caller.name} has no right to make {dialled.right} calls."
        )
    if dialled.kind is Reached.SERVICE:
        named = dialled.rule.name if dialled.rule else ""
        return OutboundTrace(dialled, "internal", f"service code {dialled.result}: {named}")
    if dialled.kind is Reached.EXTENSION:
        return OutboundTrace(dialled, "internal", f"extension {dialled.result} inside {site.name}")
    return go_out(dialled, number, caller, estate)


def reach_help(dialled: Dialled, number: Number | None, estate: Estate) -> OutboundTrace:
    """An emergency call by the number that it shows."""
    if number is None:
        return OutboundTrace(
            dialled,
            "rejected",
            "This phone has no number, so the operator could not ring back and would not know the"
            " place.",
        )
    answer = emergency_test(number, dialled.result, estate)
    reason = answer.broken[0] if answer.broken else f"reaches {answer.psap} at once"
    return OutboundTrace(
        dialled,
        "rejected" if answer.broken else "emergency",
        reason,
        answer.trunk,
        answer.callback,
        [],
        answer,
    )


def go_out(
    dialled: Dialled, number: Number | None, caller: Caller | Downstream, estate: Estate
) -> OutboundTrace:
    """A call to the outside, by the caller ID, the routes and the trunks."""
    shown = presented(caller, number, estate)
    if shown.route_by is None:
        said = (
            f"{shown.number} is shown on its calls and is no longer ours"
            if shown.number
            else f"{caller.name} has no number to show"
        )
        return OutboundTrace(
            dialled,
            "rejected",
            f"{said}{'' if shown.number else ', and no default is set'}; no carrier takes the"
            " call.",
        )
    site = site_of(caller, estate)
    chosen, candidates, route = choose_way(dialled.result, shown.route_by, site, estate)
    named = route.name if route else ""
    refused = refusal_of(route, site.rights if isinstance(caller, Downstream) else caller.rights)
    if chosen is None or refused:
        if route and not route.trunks:
            refused = f"Route “{named}” refuses such calls."
        return OutboundTrace(
            dialled,
            "rejected",
            refused or "No trunk takes the call.",
            candidates=candidates,
            route=named,
        )
    return OutboundTrace(
        dialled,
        "reached",
        f"over {chosen.name}" + (f", by route “{named}”" if route else ""),
        chosen.name,
        shown.number,
        candidates,
        caller_name="" if shown.withheld else _cnam(shown.route_by, dialled.result, estate),
        shown_because=shown.because,
        headers=headers(shown, number, chosen),
        rate=rate_over(chosen, dialled.result, estate),
        route=named,
        sent=_sent(dialled.result, chosen),
        limits=route.limits if route else None,
    )


def _sent(to: str, trunk: Trunk) -> str:
    way = trunk.settings
    return as_sent(to, way) if way else ""


def _cnam(number: Number, to: str, estate: Estate) -> str:
    """The name that goes with the call: both ends in North America, the feature on and working, and
    a name told to the carrier."""
    works_from = number.features_from.get(CNAM)
    works = CNAM in number.features and not (works_from and works_from > estate.now)
    return number.caller_name if works and to.startswith(NORTH_AMERICA) else ""

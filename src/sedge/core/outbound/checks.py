"""Rules about what the called party sees: a number must be ours, be rung back, and be one that a
carrier of ours takes."""

from sedge.core.estate import Estate
from sedge.core.numbers.life import ENDED, State
from sedge.core.numbers.plan import Kind, the_country
from sedge.core.outbound.caller_name import CNAM
from sedge.core.records import (
    ORGANISATION,
    Carrier,
    Defaults,
    HolderKind,
    HolderRef,
    Number,
    Person,
    Right,
    Site,
    Trunk,
)
from sedge.core.workorders import tasks as t
from sedge.core.workorders.findings import Finding, add_before, passed, stop, warn
from sedge.core.workorders.rules.registry import rule

MOST_NAMED = 3


@rule("caller-id.number-given", t.SetCallerId)
def number_given(task: t.SetCallerId, _estate: Estate) -> Finding:
    """A choice without the number that it speaks of shows nothing."""
    if task.shows == "number" and not task.caller_id:
        return stop(
            "Always the same number is to be shown, and none is given. Choose one, or show"
            " everybody's own."
        )
    if task.shows == "withheld" and task.caller_id:
        return stop("A withheld call shows no number. Leave the number out, or show it.")
    return passed("The choice and the number go together")


@rule("caller-id.is-ours", t.SetCallerId)
def is_ours(task: t.SetCallerId, estate: Estate) -> Finding | None:
    """Only a number that one has the use of may be shown: carriers refuse others, and who sees it
    would ring a stranger back."""
    if not task.caller_id:
        return None
    number = estate.get(Number, task.caller_id)
    if number is None:
        return stop(
            f"{task.caller_id} is none of our numbers; no carrier would take a call that shows it."
        )
    if not number.in_use or number.holder is None:
        return stop(
            f"{number.shown} is {number.state}; callers who ring it back would reach nobody."
            f" Show one"
            " that is in use."
        )
    if number.kind is Kind.PREMIUM:
        return stop(f"{number.shown} is a premium number; callers who ring back would pay for it.")
    return passed(
        f"{number.shown} is ours, and {estate.holder(number.holder).name} answers who rings back"
    )


@rule("caller-id.goes-out", t.SetCallerId)
def goes_out(task: t.SetCallerId, estate: Estate) -> Finding | None:
    """Each carrier takes only calls that show a number of its own."""
    number = estate.get(Number, task.caller_id)
    if number is None:
        return None
    over = [x for x in estate.all(Trunk) if x.carrier == number.carrier]
    if not over:
        return stop(
            f"No trunk leads to {estate.the(Carrier, number.carrier).name}, so calls that show"
            f" {number.shown} would be refused."
        )
    if number.trunk is None:
        return warn(
            f"{number.shown} is on no trunk's list: calls that show it go out, but callers who ring"
            " back don't get through."
        )
    return passed(f"Calls that show it leave over {over[0].name}")


@rule("caller-id.same-country", t.SetCallerId)
def same_country(task: t.SetCallerId, estate: Estate) -> Finding | None:
    """A number of another country shown on calls inside this one is often dropped on the way as
    forged."""
    number = estate.get(Number, task.caller_id)
    if number is None or task.holder is None:
        return None
    site = estate.site_of(task.holder)
    if site.country != number.country:
        return warn(
            f"{number.shown} is a number of {the_country(number.country)}, and {site.name} is in"
            f" {the_country(site.country)}: many networks drop such calls."
        )
    return passed(f"{number.shown} and {site.name} are in the same country")


@rule("rights.of-whom-they-are", t.SetCallingRights)
def of_whom_they_are(task: t.SetCallingRights, estate: Estate) -> Finding:
    """A downstream system decides itself who may call where; without the right to call for help a
    phone is a danger."""
    if task.holder.kind is HolderKind.DOWNSTREAM:
        name = estate.holder(task.holder).name
        return stop(f"{name} says itself who may call where: set it there.")
    if Right.EMERGENCY not in task.rights:
        return warn("Emergency calls always go out, whatever the rights say.")
    abroad = [r for r in task.rights if r in {Right.INTERNATIONAL, Right.PREMIUM}]
    if abroad and task.holder.kind is not HolderKind.PERSON:
        return warn(
            f"{estate.holder(task.holder).name} rings for many: everybody there could make"
            f" {' and '.join(abroad)} calls."
        )
    return passed("The rights are those of somebody who can have them")


@rule("life.shown-by-nobody-else", t.UnassignNumber)
def shown_by_nobody_else(task: t.UnassignNumber, estate: Estate) -> Finding:
    """Others may show a number on their calls; once it is taken back, who rings back reaches
    nobody, later a stranger."""
    number = estate.number(task.e164 or "")
    ref = number.holder
    showing = [
        (HolderRef(kind=kind, id=r.id), r.name)
        for record_type, kind in ((Site, HolderKind.SITE), (Person, HolderKind.PERSON))
        for r in estate.all(record_type)
        if r.caller_id.number == number.e164 and (ref is None or (kind, r.id) != (ref.kind, ref.id))
    ]
    whole = estate.get(Defaults, ORGANISATION)
    for_all = whole is not None and whole.caller_id.number == number.e164
    if not showing and not for_all:
        return passed("Nobody else shows it on their calls")
    others = [name for _, name in showing] + (["the whole organisation"] if for_all else [])
    named = ", ".join(others[:MOST_NAMED]) + (
        f" and {len(others) - MOST_NAMED} more" if len(others) > MOST_NAMED else ""
    )
    tasks = [t.SetCallerId(holder=holder, shows="own") for holder, _ in showing] + (
        [t.SetCallerId(shows="own")] if for_all else []
    )
    remedy = add_before("Let each show their own number", *tasks, automatic=False)
    return stop(
        f"{named} {'show' if len(others) > 1 else 'shows'} {number.shown} on calls out; who rings"
        " back would reach nobody.",
        remedy,
    )


@rule("caller-name.carrier-shows-it", t.SetCallerName)
def carrier_shows_it(task: t.SetCallerName, estate: Estate) -> Finding:
    """A name is kept and shown where the carrier's CNAM is switched on for the number."""
    number = estate.number(task.e164 or "")
    carrier = estate.carrier_of(number)
    if number.state is State.ON_ORDER:
        return stop(f"{number.shown} is on order. Wait until it is delivered.")
    if number.state in ENDED or number.leaving_on:
        return stop(f"{number.shown} is on its way back; nothing is changed at it any more.")
    if CNAM in number.features:
        return passed(f"{carrier.name} shows it with calls within North America")
    if CNAM not in carrier.features_for(number.kind):
        return stop(
            f"{carrier.name} keeps no names for {number.shown}, so callees would see none. Names"
            " go with calls in North America, where the carrier offers CNAM."
        )
    switch = add_before("Switch CNAM on", t.SetFeature(number=number.e164, feature=CNAM))
    return stop(f"CNAM is off for {number.shown}, so {carrier.name} keeps no name for it.", switch)

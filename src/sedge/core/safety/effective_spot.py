"""The one answer to *where is help sent when somebody calls from this number*: checks, the card,
the emergency test, what a carrier is told, coverage and PIDF-LO all ask here, so that they cannot
disagree.

A spot is right for a number only where its holder works, or where the holder's own spot is. A spot
at another site than that, however good in itself, sends help to a building the caller is not in.
"""

from datetime import datetime

from sedge.core.estate import Estate
from sedge.core.numbers.plan import the_country
from sedge.core.records import Address, HolderRef, Number, Site, Spot
from sedge.core.safety.spots import spot_problem


def effective_spot(number: Number, estate: Estate) -> Spot | None:
    """The spot that goes with a call for help from a number; None where there is none."""
    return estate.get(Spot, number.spot)


def spot_when_given(
    number: Number, holder: HolderRef, chosen: str | None, estate: Estate
) -> Spot | None:
    """The spot a number will have once it is given to a holder: the one chosen, else the holder's
    own, else the number's, but that only where the holder works."""
    spot = estate.get(Spot, chosen) or estate.get(Spot, own_spot(holder, estate))
    if spot or chosen:
        return spot
    left = estate.get(Spot, number.spot)
    return left if left and left.site == estate.site_of(holder).id else None


def own_spot(holder: HolderRef, estate: Estate) -> str | None:
    """Where the holder itself is: a person, a line, a site's usual spot, a downstream system."""
    return getattr(estate.holder(holder), "spot", None)


def misplaced(spot: Spot, holder: HolderRef | None, site: str, estate: Estate) -> str:
    """Why a spot is in the wrong place for a holder (or for what belongs to `site`, without one);
    '' where it is right."""
    works_at = estate.site_of(holder) if holder else estate.the(Site, site)
    if spot.site == works_at.id or (holder and own_spot(holder, estate) == spot.id):
        return ""
    whose = (
        f"{estate.holder(holder).name} works at {works_at.name}"
        if holder
        else f"the number is {works_at.name}’s"
    )
    return f"{place_words(spot, estate)} is at another site: {whose}"


def problem_with(
    spot: Spot, number: Number, holder: HolderRef | None, estate: Estate, now: datetime
) -> str:
    """Why help sent to this spot would not find whoever calls from the number; '' where it would.
    One sentence part."""
    address = estate.the(Address, spot.address)
    if wrong := misplaced(spot, holder, number.site, estate):
        return wrong
    if weak := spot_problem(spot, address, now):
        return weak
    if address.elements.country != number.country:
        return (
            f"it is in {the_country(address.elements.country)}, the number in"
            f" {the_country(number.country)}"
        )
    return ""


def place_words(spot: Spot, estate: Estate) -> str:
    """`Canal Museum, 1st floor, school room`: always the site the spot is really at."""
    site = estate.get(Site, spot.site)
    place = (
        ", ".join(x for x in (spot.building, spot.floor, spot.wing, spot.room) if x) or spot.name
    )
    return f"{site.name}, {place}" if site else place

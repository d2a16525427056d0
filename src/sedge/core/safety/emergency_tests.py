"""The emergency test of many: every number in use, with every broken link named and what puts it
right."""

from dataclasses import dataclass

from sedge.core.estate import Estate
from sedge.core.numbers.plan import COUNTRIES
from sedge.core.outbound.dialling.dialplan import Reached
from sedge.core.records import Number, Site
from sedge.core.safety.emergency import EmergencyAnswer, dialled_at, emergency_test


@dataclass(frozen=True)
class Tested:
    """How a call for help from one number would go. `broken` and `cautions` are sentences; `remedy`
    names the place that puts the first of them right: spots, trunks, main number, security desk,
    address or register."""

    e164: str
    holder: str
    site: str
    spot: str
    psap: str
    callback: str
    trunk: str
    told: str
    broken: tuple[str, ...]
    cautions: tuple[str, ...]
    remedy: str

    @property
    def comes(self) -> bool:
        return not self.broken


def help_from(number: Number, estate: Estate) -> Tested:
    """Every emergency number of the country dialled on the phone that has `number`."""
    site = estate.the(Site, number.site)
    first, *others = COUNTRIES[site.country].emergency
    answer = emergency_test(number, first, estate)
    broken = [
        *answer.broken,
        *(
            _not_reached(digits, site)
            for digits in others
            if dialled_at(site, digits, estate).kind is not Reached.EMERGENCY
        ),
    ]
    holder = estate.holder(number.holder).name if number.holder else ""
    return Tested(
        number.e164,
        holder,
        site.name,
        answer.spot_words,
        answer.psap,
        answer.callback,
        answer.trunk,
        answer.told,
        tuple(broken),
        tuple(answer.cautions),
        remedy_of(answer) if broken or answer.cautions else "",
    )


def _not_reached(digits: str, site: Site) -> str:
    return f"{digits} is not reached from {site.name}, whose dial plan takes it for something else."


def remedy_of(answer: EmergencyAnswer) -> str:
    """Where the first broken link is put right."""
    if not answer.spot or answer.place_unsure:
        return "spots"
    if not answer.trunk:
        return "trunks"
    if not answer.callback:
        return "main number"
    if not answer.told:
        return "security desk"
    if not answer.psap:
        return "address"
    return "register" if answer.cautions else ""

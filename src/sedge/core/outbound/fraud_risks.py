"""Where somebody could make dear calls at our expense: open trunks, and rights that many share."""

import ipaddress
from collections.abc import Iterator, Sequence
from dataclasses import dataclass

from sedge.core.enums import Right, Transport
from sedge.core.records import Person, ServiceLine, Site, Trunk
from sedge.core.trunks.records import SignIn

DEAR = (Right.INTERNATIONAL, Right.PREMIUM)
WIDEST = {4: 1024, 6: 2**80}  # addresses that one trunk may reasonably allow
MOST_WITH_PREMIUM = 5


@dataclass(frozen=True)
class Risk:
    """`href` is where it is put right; a `grave` one is open to strangers."""

    what: str
    why: str
    href: str
    words: str
    grave: bool = False


def risks(
    trunks: Sequence[Trunk],
    sites: Sequence[Site],
    lines: Sequence[ServiceLine],
    people: Sequence[Person],
    secrets: frozenset[str],
) -> list[Risk]:
    """All of them, the grave ones first; `secrets` are the trunks that have one."""
    found = [*_of_trunks(trunks, secrets), *_of_holders(sites, lines), *_of_people(people)]
    return sorted(found, key=lambda risk: not risk.grave)


def _of_trunks(trunks: Sequence[Trunk], secrets: frozenset[str]) -> Iterator[Risk]:
    for trunk in trunks:
        settings, href = trunk.settings, f"/carriers/trunks/{trunk.id}/settings"
        if settings is None:
            continue
        wide = next((a for a in settings.addresses if _is_wide(a)), None)
        if wide:
            yield Risk(
                f"{trunk.name} takes calls from all of {wide}",
                "Everybody with an address in there can call at your expense.",
                href,
                "Narrow the addresses",
                grave=True,
            )
        if settings.sign_in is SignIn.REGISTER and trunk.id not in secrets:
            yield Risk(
                f"{trunk.name} has no secret",
                "A sign-in without a secret is anybody's.",
                f"/carriers/trunks/{trunk.id}",
                "Keep a secret",
                grave=True,
            )
        if settings.sign_in is SignIn.REGISTER and settings.transport is not Transport.TLS:
            yield Risk(
                f"{trunk.name} signs in over {settings.transport.upper()}",
                "What is not encrypted can be read and tried out on the way.",
                href,
                "Change the transport",
            )


def _is_wide(address: str) -> bool:
    network = ipaddress.ip_network(address)
    return network.num_addresses > WIDEST[network.version]


def _of_holders(sites: Sequence[Site], lines: Sequence[ServiceLine]) -> Iterator[Risk]:
    for place, holders in (("sites", sites), ("lines", lines)):
        for holder in holders:
            dear = [right.value for right in DEAR if right in holder.rights]
            if dear:
                yield Risk(
                    f"{holder.name} may make {' and '.join(dear)} calls",
                    "Everybody who reaches its phone or its call path shares that right.",
                    f"/holders/{place}/{holder.id}",
                    "Change the rights",
                )


def _of_people(people: Sequence[Person]) -> Iterator[Risk]:
    premium = [p for p in people if not p.left and Right.PREMIUM in p.rights]
    if len(premium) > MOST_WITH_PREMIUM:
        names = ", ".join(p.name for p in premium[:3])
        yield Risk(
            f"{len(premium)} people may call premium numbers",
            f"{names} and others. Few need it, and each such call costs several pounds.",
            f"/holders/people/{premium[0].id}",
            "View the first",
        )

"""Session border controllers: listed, set up by work orders, and tested link by link."""

import ipaddress
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta

import structlog
from pydantic import BaseModel, ConfigDict, Field

from sedge.core.access.roles import May
from sedge.core.changes import changed
from sedge.core.enums import Subject, Transport
from sedge.core.errors import NotAllowedNow, NotUnderstood, SedgeError
from sedge.core.records import Site, Trunk
from sedge.core.trunks.records import Sbc, SbcDomain, TestedLink, TrunkSettings, TrunkState
from sedge.core.trunks.sbcs import in_turn
from sedge.core.trunks.settings import read_addresses, read_host, read_port
from sedge.core.trunks.tasks import RetireSbc, SetSbc
from sedge.outside.sip import certificates
from sedge.outside.sip.apart import run_apart
from sedge.outside.sip.names import Target
from sedge.outside.sip.side import Side
from sedge.services.context import Context
from sedge.services.trunks.connection_tests import Test, reach
from sedge.services.workorders import workorders
from sedge.store.repositories.workorders import WorkOrder

log = structlog.get_logger("sedge.sbcs")
TESTED_AT = timedelta(hours=3, minutes=50)  # after midnight
MOST_DOMAINS = 20
LONGEST_PROOF = 255  # bytes of one string of a TXT record (RFC 1035)
WAIT = 4.0
ADDRESSES = "Addresses"


class DomainAsked(BaseModel):
    """`proof` is the TXT value that the other side asks for; `proof_at` is the name that has it,
    the domain itself where it is empty."""

    model_config = ConfigDict(extra="forbid")
    name: str = Field(max_length=500)
    proof: str = Field(default="", max_length=500)
    proof_at: str = Field(default="", max_length=500)


class SbcAsked(BaseModel):
    """An SBC as somebody types it; addresses with commas or line ends between."""

    model_config = ConfigDict(extra="forbid")
    name: str = Field(max_length=200)
    site: str = Field(max_length=80)
    host: str = Field(max_length=500)
    port: str = Field(default="", max_length=20)
    transport: Transport = Transport.TLS
    addresses: str = Field(default="", max_length=50_000)
    domains: list[DomainAsked] = Field(default_factory=list, max_length=200)
    group: str = Field(default="", max_length=200)
    order: int = Field(default=1, ge=1, le=100)
    weight: int = Field(default=50, ge=1, le=100)


@dataclass(frozen=True)
class SbcView:
    """`trunks` end at it; `group` has those that stand in for each other, in their turn."""

    sbc: Sbc
    site: str
    trunks: list[Trunk]
    group: list[Sbc]


def list_sbcs(context: Context) -> list[SbcView]:
    """Those in service, by name."""
    with context.reading() as reading:
        every = reading.records.all(Sbc)
        trunks = reading.records.all(Trunk)
        sites = {s.id: s.name for s in reading.records.many(Site, {x.site for x in every})}
    here = sorted((x for x in every if not x.retired), key=lambda x: x.name.lower())
    return [_view(x, sites.get(x.site, x.site), trunks, every) for x in here]


def view_sbc(context: Context, key: str) -> SbcView:
    """Raises NotFound."""
    with context.reading() as reading:
        sbc = reading.records.the(Sbc, key)
        every, trunks = reading.records.all(Sbc), reading.records.all(Trunk)
        site = reading.records.the(Site, sbc.site).name
    return _view(sbc, site, trunks, every)


def _view(sbc: Sbc, site: str, trunks: list[Trunk], every: list[Sbc]) -> SbcView:
    on_it = [x for x in trunks if x.sbc == sbc.id and x.state is not TrunkState.RETIRED]
    return SbcView(sbc, site, sorted(on_it, key=lambda x: x.name.lower()), in_turn(sbc, every))


def choices(context: Context) -> list[tuple[str, str]]:
    """For a form to choose from."""
    return [(seen.sbc.id, f"{seen.sbc.name}, {seen.site}") for seen in list_sbcs(context)]


def standing_in(context: Context, key: str) -> list[Sbc]:
    """The SBC and those that stand in for it, in their turn; none without one."""
    with context.reading() as reading:
        sbc = reading.records.find(Sbc, key) if key else None
        return in_turn(sbc, reading.records.all(Sbc)) if sbc else []


def draft(context: Context, key: str | None, asked: SbcAsked) -> WorkOrder:
    """A work order that adds an SBC, or changes the one `key` names. Raises NotFound, NotUnderstood
    naming the field."""
    context.require(May.TRUNKS)
    if key is not None:
        context.require_site(view_sbc(context, key).sbc.site)
    with context.reading() as reading:
        if reading.records.find(Site, asked.site) is None:
            raise NotUnderstood("Choose the site where it stands.", field="site")
    context.require_site(asked.site)
    name = " ".join(asked.name.split())
    if not 1 <= len(name) <= 80:
        raise NotUnderstood("An SBC needs a name of at most 80 characters.", field="name")
    group = " ".join(asked.group.split())
    if len(group) > 60:
        raise NotUnderstood("The name of a group has at most 60 characters.", field="group")
    task = SetSbc(
        id=key or context.new_id("sbc"),
        name=name,
        site=asked.site,
        host=read_host(asked.host),
        port=read_port(asked.port),
        transport=asked.transport,
        addresses=read_addresses(asked.addresses),
        domains=_read_domains(asked.domains),
        group=group,
        order=asked.order,
        weight=asked.weight,
    )
    return workorders.draft(context, f"Set up SBC {name}", [task], look=True)


def _read_domains(asked: list[DomainAsked]) -> tuple[SbcDomain, ...]:
    given = [d for d in asked if d.name.strip() or d.proof.strip()]
    if len(given) > MOST_DOMAINS:
        raise NotUnderstood(f"An SBC serves at most {MOST_DOMAINS} domains.", field="domain")
    found = []
    for domain in given:
        proof = domain.proof.strip().strip('"')
        if len(proof.encode()) > LONGEST_PROOF or not proof.isprintable():
            message = f"A TXT value has at most {LONGEST_PROOF} characters, in one line."
            raise NotUnderstood(message, field="proof")
        name = read_host(domain.name, "domain")
        at = read_host(domain.proof_at, "proof_at") if domain.proof_at.strip() else ""
        found.append(SbcDomain(name=name, proof=proof, proof_at=at))
    return tuple(found)


def retire(context: Context, key: str) -> WorkOrder:
    """A work order, so that what ends at it is seen. Raises NotFound."""
    context.require(May.TRUNKS)
    sbc = view_sbc(context, key).sbc
    return workorders.draft(context, f"Retire SBC {sbc.name}", [RetireSbc(sbc=key)], look=True)


def run_test(context: Context, key: str) -> Sbc:
    """Tests an SBC from outside, as the other side would, and keeps what was found.

    Raises NotFound, NotAllowedNow for one that is retired."""
    context.require(May.PLACE_TEST_CALL)
    sbc = view_sbc(context, key).sbc
    context.require_site(sbc.site)
    if sbc.retired:
        raise NotAllowedNow(f"{sbc.name} is retired.", reason="retired")
    side = context.outside.sip.side()
    links = _links(sbc, side)
    with context.writing(reason="connection test") as writing:
        now = writing.records.the(Sbc, key)
        after = now.copy_with(links=tuple(links), tested_at=writing.now)
        action = "session-border-controller.tested"
        return writing.save([changed(Subject.SBC, now, after, action)])[0].after


def _links(sbc: Sbc, side: Side) -> list[TestedLink]:
    settings = TrunkSettings(port=sbc.port, transport=sbc.transport)
    asked = Trunk(
        id=sbc.id,
        name=sbc.name,
        site=sbc.site,
        carrier="",
        channels=0,
        host=sbc.host,
        settings=settings,
    )
    test = Test(asked, settings, side, "", "", "", datetime.now(UTC))
    found = side.names.find(sbc.host, sbc.port, sbc.transport)
    run_apart(lambda: reach(test))
    if sbc.addresses and found.targets:
        _addresses(test, sbc, found.targets)
    for domain in sbc.domains:
        _domain(test, sbc, domain, found.targets)
    return test.links


def _addresses(test: Test, sbc: Sbc, targets: list[Target]) -> None:
    """Whether the DNS leads to the addresses that are written down, and to no others."""
    networks = [ipaddress.ip_network(a) for a in sbc.addresses]
    found = {target.address for target in targets}
    strange = sorted(
        a for a in found if not any(ipaddress.ip_address(a) in network for network in networks)
    )
    if strange:
        cure = "Mend the DNS, or write the address down here, so that others allow it."
        test.say(ADDRESSES, False, f"The DNS leads to {strange[0]}, which is not its own.", cure)
    else:
        test.say(ADDRESSES, True, f"The DNS leads to {', '.join(sorted(found))}")


def _domain(test: Test, sbc: Sbc, domain: SbcDomain, targets: list[Target]) -> None:
    """Whether the certificate speaks for a domain, and its proof is in the DNS."""
    if sbc.transport is Transport.TLS and targets:
        first = targets[0]
        shown = certificates.look(first.address, first.port, domain.name, test.side.roots, WAIT)
        what = f"Certificate for {domain.name}"
        if shown.problem:
            test.say(what, None, f"No TLS handshake: {shown.problem}.")
        elif shown.is_for(domain.name):
            test.say(what, True, f"It names {domain.name}")
        else:
            names = " and ".join(shown.names) or "nobody"
            cure = f"Have one made that names {domain.name} among its other names (SAN)."
            test.say(what, False, f"It is for {names}.", cure)
    if not domain.proof:
        return
    at, what = domain.proof_at or domain.name, f"Proof of {domain.name}"
    texts = test.side.names.texts(at)
    if domain.proof in texts:
        test.say(what, True, f"The TXT record at {at} has it")
    elif texts:
        cure = f"Add a TXT record at {at} with the value {domain.proof}; leave the others."
        test.say(what, False, f"The TXT records at {at} have other values.", cure)
    else:
        cure = f"Add a TXT record at {at} with the value {domain.proof}."
        test.say(what, False, f"There is no TXT record at {at}.", cure)


def test_nightly(context: Context) -> int:
    """Every SBC in service, once a night; how many were tested."""

    def test_all() -> tuple[int, bool]:
        done = [_tested(context.as_system(), seen.sbc.id) for seen in list_sbcs(context)]
        return sum(done), all(done)

    return context.installation.nightly(
        context.who.organisation, "tests of SBCs", TESTED_AT, test_all
    )


def _tested(context: Context, key: str) -> bool:
    try:
        run_test(context, key)
    except SedgeError as error:
        log.warning("test of an SBC", sbc=key, error=error.message)
        return False
    return True

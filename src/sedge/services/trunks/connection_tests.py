"""Testing a trunk link by link, in the protocol itself: name, port, certificate, OPTIONS, sign-in,
call. Each link has its evidence and, where it fails, what to change."""

import asyncio
import time
from collections.abc import Awaitable, Callable
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field
from datetime import UTC, datetime, timedelta

import structlog
from sqlalchemy import select

from sedge.core.access.roles import May
from sedge.core.changes import changed
from sedge.core.enums import Subject, Transport
from sedge.core.errors import NotAllowedNow, SedgeError
from sedge.core.facts import counted
from sedge.core.outbound.readback import readback_line
from sedge.core.records import Site, Trunk
from sedge.core.trunks.number_rules import as_sent
from sedge.core.trunks.records import Identity, SignIn, TestedLink, TrunkSettings
from sedge.core.trunks.settings import as_written
from sedge.outside.sip import certificates
from sedge.outside.sip.agent import Agent, Heard, NoAnswerError, Signer, codecs_in
from sedge.outside.sip.apart import run_apart
from sedge.outside.sip.digest import Challenge
from sedge.outside.sip.lines import open_line
from sedge.outside.sip.messages import BadMessageError
from sedge.outside.sip.names import Target, Whereabouts
from sedge.outside.sip.side import Side
from sedge.services.context import Context
from sedge.services.trunks.failures import NO_NAME, call_failed, distrusted, sign_in_failed
from sedge.store import secrets as secrets_store
from sedge.store.repositories.records import is_open
from sedge.store.schema import tables

log = structlog.get_logger("sedge.trunks")
TESTED_AT = timedelta(hours=3, minutes=40)  # after midnight
AT_ONCE = 8
WAIT = 4.0  # seconds for an answer
SOON = 21  # days: a certificate that ends by then is to be renewed
NAME, PORT, TLS, OPTIONS = "Name", "Port", "Certificate", "OPTIONS"
SEEN, SIGNED_IN, CALL, CODECS = "Our address", "Sign-in", "Test call", "Codecs"
LINKS = (NAME, PORT, TLS, OPTIONS, SEEN, SIGNED_IN, CALL, CODECS)


def secret_name(trunk: str) -> str:
    """Under which name a trunk's secret is sealed."""
    return f"trunk {trunk}"


@dataclass
class Test:
    """A test that is being run; `links` as far as it has come."""

    trunk: Trunk
    settings: TrunkSettings
    side: Side
    secret: str
    caller: str
    readback: str
    today: datetime
    links: list[TestedLink] = field(default_factory=list)

    def say(
        self, what: str, ok: bool | None, evidence: str, cure: str = "", begun: float = 0
    ) -> bool:
        ms = round((time.monotonic() - begun) * 1000) if begun else None
        self.links.append(TestedLink(what=what, ok=ok, evidence=evidence, cure=cure, ms=ms))
        return bool(ok)

    @property
    def domain(self) -> str:
        return self.trunk.host

    @property
    def tls_name(self) -> str:
        """Whose certificate is looked for: the next hop's (RFC 5922 §4), which an outbound proxy
        is."""
        return self.settings.outbound_proxy or self.trunk.host


def run(context: Context, key: str) -> Trunk:
    """Tests a trunk and keeps what was found. Raises NotFound; NotAllowedNow where nobody has said
    how it is set up; OutsideTrouble."""
    context.require(May.PLACE_TEST_CALL)
    life = tables.life
    listed = select(life.c.number).where(is_open(), tables.IN_USE, life.c.trunk == key).limit(1)
    with context.reading() as reading:
        trunk = reading.records.the(Trunk, key)
        site = reading.records.the(Site, trunk.site)
        secret = secrets_store.read(
            reading.connection, context.installation.keyring, secret_name(key)
        )
        number = reading.connection.execute(listed).scalar()
    context.require_site(trunk.site)
    if trunk.settings is None or not trunk.host:
        message = f"Nobody has said how {trunk.name} is set up. Set it up, then test it."
        raise NotAllowedNow(message, reason="not-set-up")
    test = Test(
        trunk,
        trunk.settings,
        context.outside.sip.side(),
        secret,
        f"+{number}" if number else "",
        readback_line(site.country),
        datetime.now(UTC),
    )
    run_apart(lambda: _all_links(test))
    said = {link.what for link in test.links}
    left = [TestedLink(what=w, ok=None, evidence="not come to") for w in LINKS if w not in said]
    links = (*test.links, *(x for x in left if _applies(x.what, trunk.settings)))
    with context.writing(reason="connection test") as writing:
        now = writing.records.the(Trunk, key)
        after = now.copy_with(links=links, tested_at=writing.now)
        return writing.save([changed(Subject.TRUNK, now, after, "trunk.tested")])[0].after


def test_nightly(context: Context) -> int:
    """Every trunk that is set up, once a night; how many were tested. A trunk that can't be tested
    keeps its last result."""

    def test_all() -> tuple[int, bool]:
        with context.reading() as reading:
            known = [x.id for x in reading.records.all(Trunk) if x.settings and x.host]
        with ThreadPoolExecutor(AT_ONCE) as several:
            done = list(several.map(lambda key: _tested(context.as_system(), key), known))
        return sum(done), all(done)

    return context.installation.nightly(
        context.who.organisation, "connection tests", TESTED_AT, test_all
    )


def _tested(context: Context, key: str) -> bool:
    try:
        run(context, key)
    except SedgeError as error:
        log.warning("connection test", trunk=key, error=error.message)
        return False
    return True


def _applies(what: str, settings: TrunkSettings) -> bool:
    match what:
        case "Certificate":
            return settings.transport is Transport.TLS
        case "Port":
            return settings.transport is not Transport.UDP
        case "Sign-in":
            return settings.sign_in is SignIn.REGISTER
    return True


async def reach(test: Test) -> bool:
    """As far as OPTIONS: name, port, certificate, an answer. Whether all of them hold."""
    for target in _name(test):
        if await _reachable(test, target, last=True):
            tls = certificates.tls_context(test.side.roots)
            try:
                async with open_line(
                    test.settings.transport, target.address, target.port, tls, test.tls_name
                ) as line:
                    return await _options(test, Agent(line, test.domain, "sedge", wait=WAIT))
            except OSError as wrong:
                return test.say(OPTIONS, False, f"The line broke: {wrong}.", "Try again.")
        return False
    return False


async def _all_links(test: Test) -> None:
    targets = _name(test)
    if not targets:
        return
    for i, target in enumerate(targets):
        last = i == len(targets) - 1
        if await _reachable(test, target, last=last):
            await _speak(test, target)
            return


def _name(test: Test) -> list[Target]:
    begun = time.monotonic()
    host = test.settings.outbound_proxy or test.trunk.host
    found = test.side.names.find(host, test.settings.port, test.settings.transport)
    if not found.targets:
        words, cure = NO_NAME[found.problem]
        test.say(NAME, False, words.format(about=found.about or host), cure, begun)
        return []
    test.say(NAME, True, _where(found), begun=begun)
    return found.targets


def _where(found: Whereabouts) -> str:
    first = found.targets[0]
    by = [r for r in found.records if r.kind in {"SRV", "CNAME"}]
    way = f" by {by[0].kind} {by[0].name}" if by else ""
    holds = f", held for {counted(found.records[0].ttl, 'second')}" if found.records else ""
    more = f", and {len(found.targets) - 1} more" if len(found.targets) > 1 else ""
    return f"{first.address}, port {first.port}{way}{more}{holds}"


async def _reachable(test: Test, target: Target, *, last: bool) -> bool:
    """Whether TCP and TLS get through; UDP is tried by speaking."""
    if test.settings.transport is Transport.UDP:
        return True
    begun, where = time.monotonic(), f"{target.address}, port {target.port}"
    try:
        async with asyncio.timeout(WAIT):
            _, writer = await asyncio.open_connection(target.address, target.port)
    except TimeoutError:
        evidence = f"{where} does not answer within {WAIT:.0f} seconds."
        cure = "A firewall swallows it: let this port out, and ask the carrier to let us in."
        return last and test.say(PORT, False, evidence, cure, begun)
    except OSError as wrong:
        evidence = f"{where} refuses: {wrong.strerror or wrong}."
        cure = "Nothing listens there. SIP usually listens at 5060, over TLS at 5061."
        return last and test.say(PORT, False, evidence, cure, begun)
    writer.close()
    await writer.wait_closed()
    test.say(PORT, True, f"{where} is open", begun=begun)
    return test.settings.transport is not Transport.TLS or await asyncio.to_thread(
        _certificate, test, target
    )


def _certificate(test: Test, target: Target) -> bool:
    begun = time.monotonic()
    shown = certificates.look(target.address, target.port, test.tls_name, test.side.roots, WAIT)
    if wrong := distrusted(shown, test.tls_name, test.today):
        return test.say(TLS, False, *wrong, begun)
    days = (shown.not_after - test.today).days if shown.not_after else 0
    good = f"{shown.protocol}, for {' and '.join(shown.names)}, {counted(days, 'day')} left"
    cure = "It ends soon: have it renewed." if days < SOON else ""
    return test.say(TLS, True, good, cure, begun)


async def _speak(test: Test, target: Target) -> None:
    tls = certificates.tls_context(test.side.roots)
    try:
        async with open_line(
            test.settings.transport, target.address, target.port, tls, test.tls_name
        ) as line:
            user = test.settings.user or "sedge"
            if not await _options(test, Agent(line, test.domain, user, wait=WAIT)):
                return
            if test.settings.sign_in is SignIn.REGISTER and not await _register(
                test, Agent(line, test.domain, user, wait=WAIT)
            ):
                return
            await _call(test, Agent(line, test.domain, user, wait=WAIT * 2))
    except OSError as wrong:
        test.say(OPTIONS, False, f"The line broke: {wrong}.", "Try again; then ask the carrier.")


async def _heard(test: Test, what: str, ask: Callable[[], Awaitable[list[Heard]]]) -> list[Heard]:
    """What was answered; empty where nothing useful was, which is said."""
    begun = time.monotonic()
    try:
        return await ask()
    except NoAnswerError as none:
        came = none.before[-1] if none.before else None
        if came is not None:
            evidence = f"It went as far as {came.status} {came.reason}, then nothing came."
            cure = "The other side does not finish: ask the carrier what it waits for."
        else:
            evidence = f"No answer within {WAIT:.0f} seconds."
            cure = (
                "The carrier drops what it does not know: ask whether it expects our address, and"
                " look at the firewall in both directions."
            )
        test.say(what, False, evidence, cure, begun)
    except BadMessageError as bad:
        cure = "Something on the way spoils messages: look for SIP helpers in routers."
        test.say(what, False, f"An answer can't be read: {bad}.", cure, begun)
    except ConnectionError as wrong:
        cure = "Nothing listens there, or it hangs up on us: compare port and transport."
        test.say(what, False, f"The line broke: {wrong}.", cure, begun)
    return []


async def _options(test: Test, agent: Agent) -> bool:
    begun = time.monotonic()

    async def ask() -> list[Heard]:
        return [await agent.options()]

    found = await _heard(test, OPTIONS, ask)
    if not found:
        return False
    heard = found[0]
    who = heard.answer.first("user-agent") or heard.answer.first("server")
    says = f"{heard.status} {heard.answer.reason}" + (f" from {who}" if who else "")
    if heard.status >= 500:
        retry = heard.answer.first("retry-after")
        cure = f"Try again in {retry} seconds." if retry else "Ask the carrier when it is back."
        return test.say(OPTIONS, False, f"It answers {says}.", cure, begun)
    allow = heard.answer.first("allow")
    test.say(OPTIONS, True, f"{says}{f'; allows {allow}' if allow else ''}", begun=begun)
    own = f"{agent.line.own[0]}:{agent.line.own[1]}"
    if heard.seen_as and heard.seen_as != own:
        evidence = f"The other side sees {heard.seen_as}, we are {own}: an address is translated."
        test.say(SEEN, True, evidence, "Name this address where the carrier asks which to trust.")
    else:
        test.say(SEEN, True, f"{heard.seen_as or own}, as the other side sees it")
    return True


async def _register(test: Test, agent: Agent) -> bool:
    begun = time.monotonic()
    user = test.settings.user
    if not test.secret:
        cure = "Give the trunk its secret."
        return test.say(SIGNED_IN, False, f"There is no secret for “{user}”.", cure)
    found = await _heard(test, SIGNED_IN, lambda: agent.register(Signer(user, test.secret)))
    if not found:
        return False
    last, realm = found[-1], _realm(found)
    if last.status == 200:
        as_ = f"“{user}” is signed in at {realm or test.domain}"
        good_for = f" for {seconds} seconds" if (seconds := last.answer.good_for) else ""
        return test.say(SIGNED_IN, True, as_ + good_for, begun=begun)
    evidence, cure = sign_in_failed(last, user, realm, test.domain)
    return test.say(SIGNED_IN, False, evidence, cure, begun)


def _realm(found: list[Heard]) -> str:
    return next((r for x in found if (r := Challenge(x.answer).realm)), "")


async def _call(test: Test, agent: Agent) -> None:
    begun, settings = time.monotonic(), test.settings
    if not test.caller:
        test.say(CALL, None, "No number in use is on its list, so there is no caller ID to show.")
        return
    number = as_sent(test.readback, settings)
    shown = as_written(test.caller, settings.sends, settings.last_digits)
    signer = Signer(settings.user, test.secret) if test.secret else None
    identity = (
        [(settings.identity_out.value.lower(), f"<sip:{shown}@{test.domain}>")]
        if settings.identity_out is not Identity.FROM
        else [("from", f"<sip:{shown}@{test.domain}>;tag={agent.tag}")]
    )
    found = await _heard(
        test,
        CALL,
        lambda: agent.call(number, signer, identity=identity, codecs=settings.codecs),
    )
    if not found:
        return
    last = found[-1]
    if last.status == 200:
        test.say(CALL, True, f"{number} answered, with {shown} as the caller ID", begun=begun)
        common = codecs_in(last.answer.body)
        test.say(CODECS, bool(common), f"{', '.join(common) or 'none'} in common")
        return
    evidence, cure = call_failed(last, number)
    test.say(CALL, False, evidence, cure, begun)

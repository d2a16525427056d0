"""Connecting numbers that stay with their carrier: the sign-in over there, and the work order that
brings the numbers in and proves them.

The password is sealed where all secrets lie, handed to the telephone system, and never shown again.
"""

import re
import secrets
from dataclasses import dataclass
from decimal import Decimal

from sqlalchemy import func, select

from sedge.core.access.roles import May
from sedge.core.changes import changed
from sedge.core.enums import Transport
from sedge.core.errors import NotAllowedNow, NotUnderstood
from sedge.core.facts import Money, counted
from sedge.core.numbers.pasted import numbers_in
from sedge.core.records import Account, Capacity, Carrier, Connection, Site, Subject, Trunk
from sedge.core.supply.external_numbers import USUAL_PORT, failure
from sedge.core.workorders import tasks as t
from sedge.services.carriers.payments import amount_in
from sedge.services.context import Context
from sedge.services.workorders import workorders
from sedge.store import secrets as secrets_store
from sedge.store.repositories.records import is_open
from sedge.store.repositories.workorders import WorkOrder
from sedge.store.schema import tables

MOST = 200
HOST = re.compile(
    r"(?=.{1,253}$)[A-Za-z0-9]([A-Za-z0-9-]{0,61}[A-Za-z0-9])?"
    r"(\.[A-Za-z0-9]([A-Za-z0-9-]{0,61}[A-Za-z0-9])?)*"
)


@dataclass(frozen=True)
class ConnectionView:
    """`problem` says why it is not signed in and what to change; '' where it is."""

    trunk: Trunk
    connection: Connection
    carrier: Carrier
    site: Site
    numbers: int
    problem: str


def places(context: Context) -> tuple[list[tuple[Account, Carrier]], list[Trunk]]:
    """Accounts with carriers where numbers can stay, and the connections there are."""
    with context.reading() as reading:
        carriers = {c.id: c for c in reading.records.all(Carrier)}
        accounts = [(a, carriers[a.carrier]) for a in reading.records.all(Account)]
        connections = [x for x in reading.records.all(Trunk) if x.connection]
    return (
        sorted(accounts, key=lambda pair: (pair[1].id in context.outside.carriers, pair[0].name)),
        connections,
    )


def connect(context: Context, form: dict[str, str]) -> WorkOrder:
    """Sign in over there (or use a connection there is) and draft the work order that brings the
    numbers in, each proven by a test call.

    Raises NotUnderstood naming the field, OutsideSilent.
    """
    context.require(May.BUY)
    numbers = _numbers_in(context, form.get("numbers", ""))
    with context.reading() as reading:
        account = reading.records.the(Account, form.get("account", ""))
        site = reading.records.the(Site, form.get("site", ""))
    capacity = Capacity(form["capacity"]) if form.get("capacity") in set(Capacity) else Capacity.ANY
    monthly = Money(
        amount=amount_in(
            context,
            form.get("monthly") or "0",
            account.balance.currency,
            "monthly",
            least=Decimal(0),
        ),
        currency=account.balance.currency,
    )
    trunk = (
        _known(context, form["trunk"], account)
        if form.get("trunk")
        else _added(context, form, account, site)
    )
    made = [
        t.ConnectNumber(
            number=n,
            trunk=trunk.id,
            account=account.id,
            site=site.id,
            capacity=capacity,
            monthly=monthly,
        )
        for n in numbers
    ]
    proofs = [t.PlaceTestCall(number=n, direction="in") for n in numbers]
    return workorders.draft(
        context, f"Connect {counted(len(numbers), 'number')} over {trunk.name}", [*made, *proofs]
    )


def _numbers_in(context: Context, text: str) -> list[str]:
    pasted = numbers_in(text, context.organisation.home_country)
    if pasted.unread:
        raise NotUnderstood(
            f"“{pasted.unread[0]}” is no whole number. Type it with its area, or as +44 …",
            field="numbers",
        )
    if not 1 <= len(pasted.numbers) <= MOST:
        raise NotUnderstood(
            f"Type or paste 1 to {MOST} numbers or ranges; these are {len(pasted.numbers):,}.",
            field="numbers",
        )
    return [f"+{n}" for n in pasted.numbers]


def _known(context: Context, key: str, account: Account) -> Trunk:
    with context.reading() as reading:
        trunk = reading.records.the(Trunk, key)
    if trunk.connection is None or trunk.carrier != account.carrier:
        raise NotUnderstood(
            f"{trunk.name} is no connection to the carrier of {account.name}.", field="trunk"
        )
    return trunk


def _added(context: Context, form: dict[str, str], account: Account, site: Site) -> Trunk:
    """A new connection, signed in if what was typed is right; if not, the draft says what to
    change."""
    name = form.get("name", "").strip()
    if not 1 <= len(name) <= 80:
        raise NotUnderstood("Give the connection a name of 1 to 80 characters.", field="name")
    channels = form.get("channels", "").strip() or "1"
    if not (channels.isascii() and channels.isdigit() and 1 <= int(channels) <= 10_000):
        raise NotUnderstood("Say how many calls at once it carries, 1 to 10,000.", field="channels")
    wanted, password = _settings_in(form), _password_in(form)
    with context.reading() as reading:
        if any(x.name.casefold() == name.casefold() for x in reading.records.all(Trunk)):
            raise NotUnderstood(
                f"There is a trunk named “{name}” already. Choose it above, or another name.",
                field="name",
            )
    key = f"connection-{secrets.token_hex(4)}"
    trunk = Trunk(
        id=key,
        name=name,
        site=site.id,
        carrier=account.carrier,
        channels=int(channels),
        emergency=bool(form.get("emergency")),
        up=False,
        connection=wanted,
    )
    with context.writing() as writing:
        writing.save([changed(Subject.TRUNK, None, trunk, "trunk.added")])
        secrets_store.keep_secret(
            writing.connection,
            context.installation.keyring,
            f"password of {key}",
            password,
            writing.stamp,
        )
    return _sign_in(context, key)


def _settings_in(form: dict[str, str]) -> Connection:
    host = form.get("host", "").strip().rstrip(".")
    if not HOST.fullmatch(host):
        raise NotUnderstood(
            "Type the host as sip.example.test, without sip: and without a port.", field="host"
        )
    transport = (
        Transport(form["transport"]) if form.get("transport") in set(Transport) else Transport.TLS
    )
    port = form.get("port", "").strip() or str(USUAL_PORT[transport])
    if not (port.isascii() and port.isdigit() and 1 <= int(port) <= 65_535):
        raise NotUnderstood("A port is a number from 1 to 65535.", field="port")
    user = form.get("user", "").strip()
    if not 1 <= len(user) <= 200 or not user.isprintable():
        raise NotUnderstood("Type the sign-in name the carrier gave you.", field="user")
    return Connection(host=host, port=int(port), transport=transport, user=user)


def _password_in(form: dict[str, str]) -> str:
    password = form.get("password", "").strip()
    if not 1 <= len(password) <= 200 or not password.isprintable():
        raise NotUnderstood("Type the password the carrier gave you.", field="password")
    return password


def _sign_in(context: Context, key: str) -> Trunk:
    """Tell the telephone system all it needs, and keep what came of it. Raises OutsideSilent."""
    with context.reading() as reading:
        trunk = reading.records.the(Trunk, key)
        password = secrets_store.read(
            reading.connection, context.installation.keyring, f"password of {key}"
        )
    connection = _of(trunk)
    wish = {
        "host": connection.host,
        "port": connection.port,
        "transport": connection.transport.value,
        "user": connection.user,
        "password": password,
    }
    return _seen(context, key, context.outside.telephony.connect(key, wish))


def _of(trunk: Trunk) -> Connection:
    if trunk.connection is None:
        raise NotAllowedNow(f"{trunk.name} is a trunk without a sign-in.", reason="no-connection")
    return trunk.connection


def _seen(context: Context, key: str, said: str) -> Trunk:
    with context.writing() as writing:
        now = writing.records.the(Trunk, key)
        after = now.copy_with(
            up=not said, seen_at=writing.now, connection=_of(now).copy_with(said=said)
        )
        return writing.save([changed(Subject.TRUNK, now, after, "trunk.seen")])[0].after


def view_connection(context: Context, key: str) -> ConnectionView:
    """One connection. Raises NotFound, NotAllowedNow for a trunk without a sign-in."""
    with context.reading() as reading:
        trunk = reading.records.the(Trunk, key)
        connection = _of(trunk)
        numbers = (
            reading.connection.execute(
                select(func.count()).where(tables.life.c.trunk == key, is_open())
            ).scalar()
            or 0
        )
        carrier, site = (
            reading.records.the(Carrier, trunk.carrier),
            reading.records.the(Site, trunk.site),
        )
    return ConnectionView(trunk, connection, carrier, site, numbers, failure(connection))


def test(context: Context, key: str) -> ConnectionView:
    """Sign in once more and say how it went."""
    context.require(May.PLACE_TEST_CALL)
    _sign_in(context, key)
    return view_connection(context, key)


def change_connection(context: Context, key: str, form: dict[str, str]) -> ConnectionView:
    """Other settings, and another password where one is typed; signed in with them at once. Raises
    NotUnderstood naming the field."""
    context.require(May.BUY)
    wanted = _settings_in(form)
    password = _password_in(form) if form.get("password", "").strip() else ""
    with context.writing() as writing:
        now = writing.records.the(Trunk, key)
        after = now.copy_with(
            connection=wanted.copy_with(said=_of(now).said), emergency=bool(form.get("emergency"))
        )
        if after != now:
            writing.save([changed(Subject.TRUNK, now, after, "trunk.connection-set")])
        if password:
            secrets_store.keep_secret(
                writing.connection,
                context.installation.keyring,
                f"password of {key}",
                password,
                writing.stamp,
            )
            writing.record_event("trunk.password-changed", Subject.TRUNK, key, now.name)
    return test(context, key)

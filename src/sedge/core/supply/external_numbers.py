"""Numbers elsewhere: they stay with their carrier and are reached over a connection, a trunk on
which our telephone system signs in.

Nothing is moved and nothing ported: who confuses the two pays two carriers, or loses the number.
"""

from sedge.core.enums import Transport
from sedge.core.estate import Estate
from sedge.core.numbers.e164 import describe
from sedge.core.numbers.life import ENDED
from sedge.core.numbers.plan import the_country
from sedge.core.records import Account, Carrier, Connection, Number, Site, Trunk
from sedge.core.workorders import tasks as t
from sedge.core.workorders.findings import Finding, elsewhere, passed, stop, warn
from sedge.core.workorders.rules.registry import rule

USUAL_PORT = {Transport.UDP: 5060, Transport.TCP: 5060, Transport.TLS: 5061}  # RFC 3261 §19.1.2

# What the telephone system says of a sign-in that failed, and what to change.
FAILURES = {
    "name": (
        "No such host: the name {host} is not known. Compare it with the carrier's letter, letter"
        " by letter."
    ),
    "port": (
        "Nothing answers at port {port} of {host}. Most carriers listen at 5060, and at 5061 for"
        " TLS; also look whether the firewall lets it out."
    ),
    "transport": (
        "{host} does not take {transport} at port {port}. Try another transport; for TLS the port"
        " is usually 5061."
    ),
    "certificate": (
        "The certificate of {host} is for another name. Use the host name that stands in the"
        " certificate, or ask the carrier."
    ),
    "user": (
        "{host} answers and does not know “{user}”. Compare the sign-in name with the carrier's"
        " letter; often it is the number itself."
    ),
    "password": (
        "{host} answers and refuses the password. Type it anew, or have the carrier make another."
    ),
    "down": "{host} does not answer at present. Nothing is to be changed here; ask the carrier.",
}


def failure(connection: Connection) -> str:
    """Why our telephone system can't sign in and what to change; '' where it is signed in."""
    words = (
        FAILURES.get(connection.said, "It can't sign in: {said}. Ask the carrier what that means.")
        if connection.said
        else ""
    )
    return words.format(**connection.model_dump())


@rule("connection.number-is-new", t.ConnectNumber)
def number_is_new(task: t.ConnectNumber, estate: Estate) -> Finding:
    """A number exists once, and must be of a country its carrier serves."""
    existing, number = estate.get(Number, task.number), describe(task.number)
    account, site = estate.the(Account, task.account), estate.the(Site, task.site)
    carrier = estate.the(Carrier, account.carrier)
    if existing and existing.state not in ENDED:
        return stop(f"{number.shown} is in the estate already, {existing.state}. Leave it out.")
    if number.country not in carrier.countries:
        return stop(
            f"{task.number} is not of a country that {carrier.name} serves. Is it of another"
            " carrier?"
        )
    if task.monthly.currency != account.balance.currency:
        return stop(
            f"{account.name} is kept in {account.balance.currency}; say what the number costs in"
            " that."
        )
    if number.country != site.country:
        return warn(
            f"{number.shown} is a number of {the_country(number.country)} and {site.name} is in"
            f" {the_country(site.country)}; responders could not be sent to it."
        )
    return passed(f"It stays with {carrier.name} and belongs to {site.name}")


@rule("connection.signed-in", t.ConnectNumber)
def signed_in(task: t.ConnectNumber, estate: Estate) -> Finding:
    """Calls arrive only as long as our telephone system is signed in over there."""
    trunk, account = estate.the(Trunk, task.trunk), estate.the(Account, task.account)
    look = elsewhere(f"Look after {trunk.name}", "connection", trunk.id)
    if trunk.connection is None:
        return stop(
            f"{trunk.name} is a trunk without a sign-in; numbers that stay elsewhere need a"
            " connection."
        )
    if trunk.carrier != account.carrier:
        return stop(
            f"{trunk.name} leads to another carrier than {account.name}. Choose one that leads"
            " there."
        )
    if why := failure(trunk.connection):
        return stop(f"Calls would not arrive over {trunk.name}. {why}", look)
    return (
        passed(f"Signed in at {trunk.connection.host} as {trunk.connection.user}")
        if trunk.up
        else warn(f"{trunk.name} is down.", look)
    )

"""Far ends: carriers where numbers stay that are only connected. The telephone system signs in
there as a telephone would (RFC 3261)."""

from dataclasses import dataclass

from pydantic import BaseModel, Field

from sedge.standins.carriers.carrier_profiles import Stretch
from sedge.standins.storage import Book


class Connection(BaseModel):
    host: str = Field(max_length=253)
    port: int = Field(ge=1, le=65535)
    transport: str = Field(max_length=10)
    user: str = Field(max_length=200)
    password: str = Field(max_length=500)


@dataclass(frozen=True)
class FarEnd:
    """`listens` maps transports to ports; `certificate` is the name in it; a call to a number of
    `numbers` goes to whoever is signed in as its user."""

    listens: dict[str, int]
    certificate: str
    users: dict[str, str]
    numbers: dict[str, tuple[Stretch, ...]]


GALLERY = Stretch("+44117496", 800, 859, "GB")
FAR_ENDS = {
    "sip.oldquay.example": FarEnd(
        listens={"udp": 5060, "tcp": 5060, "tls": 5061},
        certificate="sip.oldquay.example",
        users={"millwheel": "weir-and-lantern-59"},
        numbers={"millwheel": (GALLERY,)},
    ),
    # the same machines under an older name, which is not in the certificate
    "trunks.oldquay.example": FarEnd(
        listens={"udp": 5060, "tls": 5061},
        certificate="sip.oldquay.example",
        users={"millwheel": "weir-and-lantern-59"},
        numbers={"millwheel": (GALLERY,)},
    ),
}


def sign_in(book: Book, trunk: str) -> str:
    """'' where the trunk's connection is signed in now, else one word why not."""
    known = book.get("connection", trunk)
    if known is None:
        return "unknown"
    if book.get("trunk down", trunk):
        return "down"
    wanted = Connection.model_validate(known)
    far = FAR_ENDS.get(wanted.host.lower())
    if far is None:
        return "name"
    if far.listens.get(wanted.transport) != wanted.port:
        return "transport" if wanted.port in far.listens.values() else "port"
    if wanted.transport == "tls" and far.certificate != wanted.host.lower():
        return "certificate"
    if wanted.user not in far.users:
        return "user"
    return "" if far.users[wanted.user] == wanted.password else "password"


def lost_on_the_way(book: Book, trunk: str, connection: dict[str, str], number: str) -> str:
    """What a caller hears where the other carrier does not hand the call over; '' where it does."""
    if sign_in(book, trunk):
        return "engaged tone: nobody is signed in at the carrier"
    theirs = FAR_ENDS[connection["host"].lower()].numbers[connection["user"]]
    if not any(
        number.startswith(s.lead)
        and number[len(s.lead) :].isdigit()
        and s.first <= int(number[len(s.lead) :]) <= s.last
        for s in theirs
    ):
        return "“This number is not in use.” (said by the carrier; it is not one of this sign-in)"
    return ""


def letters() -> list[dict[str, str]]:
    """What the carriers have written to their customers, for whoever looks at the simulated
    world."""
    return [
        {
            "host": host,
            "listens": ", ".join(f"{transport} {port}" for transport, port in far.listens.items()),
            "user": user,
            "password": password,
            "numbers": ", ".join(
                f"{s.number(s.first)} to {s.number(s.last)}" for s in far.numbers[user]
            ),
        }
        for host, far in FAR_ENDS.items()
        for user, password in far.users.items()
    ]

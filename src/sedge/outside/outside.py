"""All services outside, in one place: handed to the desk; pointed at stand-ins in demo and tests,
at the settings' addresses in a real installation."""

from dataclasses import dataclass, field
from typing import TypeVar

import httpx

from sedge.core.errors import NotFound
from sedge.outside.carrier import Callback, CarrierService, HttpCarrier
from sedge.outside.desk_services import Control, NoMail, Register, StandinMail
from sedge.outside.directory import Directory
from sedge.outside.http import Service
from sedge.outside.porting import Numbering, Ports
from sedge.outside.sip.names import Names
from sedge.outside.sip.side import Side, Sides, of_this_machine
from sedge.outside.smtp import MailServer, SmtpMail
from sedge.outside.telephony import Telephony

S = TypeVar("S", bound=Service)


@dataclass(frozen=True)
class Outside:
    """`carriers` has the ones that can be reached over the wire; others take orders on paper."""

    telephony: Telephony
    register: Register
    mail: NoMail | SmtpMail
    directory: Directory
    numbering: Numbering
    ports: Ports
    carriers: dict[str, CarrierService] = field(default_factory=dict)
    control: Control | None = None
    sip: Sides = field(default_factory=of_this_machine)

    def carrier(self, carrier: str) -> CarrierService:
        if carrier not in self.carriers:
            raise NotFound(
                "This carrier can't be reached over the wire; its orders go on a form.",
                subject="carrier",
                id=carrier,
            )
        return self.carriers[carrier]

    def close(self) -> None:
        for service in (
            self.telephony,
            self.register,
            self.mail,
            self.directory,
            self.numbering,
            self.ports,
            self.control,
            self.sip,
            *self.carriers.values(),
        ):
            if service is not None:
                service.close()


CARRIERS = {
    "brackwater": "Brackwater Telecom",
    "fellgate": "Fellgate Voice",
    "maplecourt": "Maplecourt Networks",
}


def at_standins(url: str, *, callback: Callback | None = None, seconds: float = 5.0) -> Outside:
    """Every service at the stand-ins' address. `callback` is where carriers tell of arrivals,
    `seconds` how long an answer may take."""
    timeout = httpx.Timeout(seconds)
    control = Control("The stand-ins", f"{url}/control/")

    def sip_side() -> Side:
        found = control.call("GET", "sip")
        return Side(Names(("127.0.0.1", found["ports"]["dns"])), found["authority"])

    return Outside(
        telephony=Telephony("The telephone system", f"{url}/telephony/", timeout=timeout),
        register=Register("The address register", f"{url}/register/", timeout=timeout),
        mail=StandinMail(control, seconds),
        directory=Directory("The directory", f"{url}/directory/", timeout=timeout),
        numbering=Numbering("The numbering register", f"{url}/numbering/", timeout=timeout),
        ports=Ports("The gaining carrier", f"{url}/ports/", timeout=timeout),
        carriers={
            key: HttpCarrier(name, f"{url}/carrier/{key}/", callback=callback, timeout=timeout)
            for key, name in CARRIERS.items()
        },
        control=control,
        sip=Sides(sip_side),
    )


@dataclass(frozen=True)
class Addresses:
    """Where the services of a real installation are; an empty address is one it has not."""

    telephony: str = ""
    register: str = ""
    directory: str = ""
    numbering: str = ""
    ports: str = ""
    carriers: dict[str, str] = field(default_factory=dict)
    mail: MailServer | None = None


def at_addresses(
    where: Addresses, *, callback: Callback | None = None, seconds: float = 5.0
) -> Outside:
    """The services that an installation has; each of the others says that it is not there."""
    timeout = httpx.Timeout(seconds)

    def slashed(url: str) -> str:
        return f"{url.rstrip('/')}/" if url else ""

    def service(kind: type[S], name: str, url: str, instead: str) -> S:
        return kind(name, slashed(url), timeout=timeout, instead=instead)

    return Outside(
        telephony=service(
            Telephony,
            "The telephone system",
            where.telephony,
            "Set it up by hand, call the number and note what you heard.",
        ),
        register=service(
            Register, "The address register", where.register, "Check the address by hand."
        ),
        mail=(
            SmtpMail(where.mail)
            if where.mail
            else service(NoMail, "The mail server", "", "Letters are kept.")
        ),
        directory=service(
            Directory, "The directory", where.directory, "Import people from a file instead."
        ),
        numbering=service(
            Numbering,
            "The numbering register",
            where.numbering,
            "Ask the losing carrier and note its answer.",
        ),
        ports=service(
            Ports, "The porting interface", where.ports, "Send the port to the carrier on paper."
        ),
        carriers={
            key: HttpCarrier(
                CARRIERS.get(key, key), slashed(url), callback=callback, timeout=timeout
            )
            for key, url in where.carriers.items()
        },
    )

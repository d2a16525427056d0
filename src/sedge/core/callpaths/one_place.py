"""Call paths of one step: all calls of a number to one place."""

from dataclasses import dataclass

from sedge.core.callpaths.editing import Place
from sedge.core.callpaths.steps import (
    EXITS,
    Announce,
    Forward,
    Mailbox,
    Path,
    Ring,
    SipAddress,
    Step,
)
from sedge.core.errors import NotUnderstood

MORE_THAN_ONE = "More than one place is named. Fill in one of the fields."


@dataclass(frozen=True)
class OnePlace:
    """Where all calls go: one of a person's id, a group's id, an E.164 number outside, a SIP
    address, or words that are spoken before the call ends."""

    person: str = ""
    group: str = ""
    outside: str = ""
    sip: str = ""
    message: str = ""

    @property
    def chosen(self) -> list[str]:
        return [kind for kind, value in vars(self).items() if value]


def path_to(to: OnePlace, place: Place) -> Path:
    """The path; who is rung and does not answer has a mailbox. Raises NotUnderstood unless exactly
    one place is named."""
    if len(to.chosen) != 1:
        if to.chosen:
            raise NotUnderstood(MORE_THAN_ONE, field=to.chosen[-1])
        raise NotUnderstood("No place is named. Fill in one of the fields.", field="who")
    match to.chosen[0]:
        case "person" | "group":
            return _rung(to, place)
        case "outside":
            return _only("forward-1", Forward(to=to.outside))
        case "sip":
            return _only("sip-1", SipAddress(address=to.sip))
        case _:
            return _only("announce-1", Announce(text=to.message, language=place.language))


def _rung(to: OnePlace, place: Place) -> Path:
    people = (to.person,) if to.person else ()
    groups = (to.group,) if to.group else ()
    away = dict.fromkeys(EXITS["ring"], "mailbox-1")
    return Path(
        first="ring-1",
        steps={
            "ring-1": Ring(people=people, groups=groups, exits=away),
            "mailbox-1": Mailbox(recipients=people, groups=groups, language=place.language),
        },
    )


def _only(key: str, step: Step) -> Path:
    return Path(first=key, steps={key: step})

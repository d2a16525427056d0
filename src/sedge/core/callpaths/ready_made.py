"""Patterns to begin a call path with: what most need, to be filled with people and words; and
whole paths of one step, all calls to one place."""

from collections.abc import Callable
from dataclasses import dataclass
from datetime import date

from sedge.core.callpaths.editing import Place
from sedge.core.callpaths.steps import (
    EXITS,
    Announce,
    Closure,
    Exit,
    Forward,
    Hours,
    Mailbox,
    Menu,
    Opening,
    Path,
    Queue,
    Ring,
    Rota,
    Saying,
    SipAddress,
    Step,
)
from sedge.core.errors import NotUnderstood

WORKING = (Opening(weekdays=(0, 1, 2, 3, 4), start="09:00", end="17:00"),)
NIGHT = (Opening(weekdays=(0, 1, 2, 3, 4, 5, 6), start="18:00", end="08:00"),)
SECOND = {"en": "fr", "de": "en", "fr": "en"}
CHOOSE = {
    "en": "For English, press {}.",
    "de": "Für Deutsch drücken Sie die {}.",
    "fr": "Pour le français, tapez {}.",
}
CLOSED = {
    "en": "We are closed at present. Please leave a message after the tone.",
    "de": "Unser Büro ist zurzeit geschlossen. Bitte sprechen Sie nach dem Ton.",
    "fr": "Nos bureaux sont fermés en ce moment. Laissez un message après le signal.",
}
NAMES = {"en": "English", "de": "Deutsch", "fr": "français"}


@dataclass(frozen=True)
class ReadyMade:
    words: str
    build: Callable[[Place], Path]


def office_hours(place: Place) -> Path:
    away = dict.fromkeys(EXITS["ring"], "mailbox-1")
    return Path(
        first="hours-1",
        steps={
            "hours-1": Hours(
                title="Office hours",
                timezone=place.timezone,
                openings=WORKING,
                holidays_of=place.holidays_of,
                exits={"open": "ring-1", "closed": "mailbox-1", "holiday": "mailbox-1"},
            ),
            "ring-1": Ring(title="Front desk", exits=away),
            "mailbox-1": Mailbox(
                greeting=CLOSED.get(place.language, CLOSED["en"]), language=place.language
            ),
        },
    )


def bilingual_menu(place: Place) -> Path:
    """The caller chooses a language, and is answered in it; out of hours a mailbox speaks both."""
    own = place.language if place.language in CHOOSE else "en"
    other = SECOND[own]
    greeting = CHOOSE[own].format("1")
    steps: dict[str, Step] = {
        "hours-1": Hours(
            title="Office hours",
            timezone=place.timezone,
            openings=WORKING,
            holidays_of=place.holidays_of,
            exits={"open": "menu-1", "closed": "mailbox-1", "holiday": "mailbox-1"},
        ),
        "menu-1": Menu(
            title="Which language",
            greeting=greeting + " " + CHOOSE[other].format("2"),
            language=own,
            keys={"1": NAMES[own], "2": NAMES[other]},
            exits={
                "1": "queue-1",
                "2": "queue-2",
                Exit.NO_INPUT: "queue-1",
                Exit.WRONG_INPUT: "queue-1",
            },
        ),
        "queue-1": Queue(
            title=f"Queue: {NAMES[own]}",
            exits={
                "full": "queue-2",
                Exit.WAITED_TOO_LONG: "queue-2",
                Exit.NOBODY_SIGNED_IN: "queue-2",
            },
        ),
        "queue-2": Queue(
            title=f"Queue: {NAMES[other]}", exits=dict.fromkeys(EXITS["queue"], "mailbox-1")
        ),
        "mailbox-1": Mailbox(
            greeting=CLOSED[own], language=own, also=(Saying(language=other, text=CLOSED[other]),)
        ),
    }
    return Path(first="hours-1", steps=steps)


def overflow(place: Place) -> Path:
    """One's own desk first; who waits too long is answered at another site."""
    return Path(
        first="hours-1",
        steps={
            "hours-1": Hours(
                title="Office hours",
                timezone=place.timezone,
                openings=WORKING,
                holidays_of=place.holidays_of,
                exits={"open": "queue-1", "closed": "mailbox-1", "holiday": "mailbox-1"},
            ),
            "queue-1": Queue(
                title="Queue: here", longest_wait=60, exits=dict.fromkeys(EXITS["queue"], "queue-2")
            ),
            "queue-2": Queue(
                title="Queue: the other site", exits=dict.fromkeys(EXITS["queue"], "mailbox-1")
            ),
            "mailbox-1": Mailbox(
                greeting=CLOSED.get(place.language, CLOSED["en"]), language=place.language
            ),
        },
    )


def seasonal(place: Place) -> Path:
    """A line that is open in the season only: the rest of the year a closure that comes back every
    year says so."""
    winter = Closure(
        first=date(2026, 11, 1), last=date(2027, 3, 31), name="out of season", yearly=True
    )
    return Path(
        first="hours-1",
        steps={
            "hours-1": Hours(
                title="Season and hours",
                timezone=place.timezone,
                openings=(Opening(weekdays=(0, 1, 2, 3, 4, 5, 6), start="10:00", end="18:00"),),
                closures=(winter,),
                exits={"open": "ring-1", "closed": "announce-1"},
            ),
            "ring-1": Ring(title="Season's desk", exits=dict.fromkeys(EXITS["ring"], "mailbox-1")),
            "announce-1": Announce(
                title="Out of season",
                text="We are closed now and open again at Easter, every day from ten to six.",
                language="en",
                exits={"done": "mailbox-1"},
            ),
            "mailbox-1": Mailbox(language=place.language),
        },
    )


def night_duty(place: Place) -> Path:
    """At night whoever is on duty this week is rung, then the next after them; by day the desk."""
    rota = Rota(begins=date(2026, 1, 5), timezone=place.timezone)
    return Path(
        first="hours-1",
        steps={
            "hours-1": Hours(
                title="Night",
                timezone=place.timezone,
                openings=NIGHT,
                exits={"open": "ring-2", "closed": "ring-1"},
            ),
            "ring-1": Ring(title="Desk by day", exits=dict.fromkeys(EXITS["ring"], "ring-2")),
            "ring-2": Ring(
                title="On duty",
                order="by rota",
                rota=rota,
                seconds=20,
                exits=dict.fromkeys(EXITS["ring"], "mailbox-1"),
            ),
            "mailbox-1": Mailbox(language=place.language),
        },
    )


READY_MADE = {
    "office-hours": ReadyMade("Office hours: the desk by day, a mailbox otherwise", office_hours),
    "bilingual-menu": ReadyMade(
        "Two languages: a menu, a queue for each, overflow from one to the other", bilingual_menu
    ),
    "overflow": ReadyMade("Overflow: a queue here, then one at another site", overflow),
    "seasonal": ReadyMade("Seasonal line: open in the season, an announcement otherwise", seasonal),
    "night-duty": ReadyMade(
        "Night duty: who is on duty this week at night, the desk by day", night_duty
    ),
}


# ── all calls to one place ──

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

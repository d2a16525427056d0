"""The demo's richer call paths: school visits in two languages with overflow and a forward, night
duty in turn; people with rules of their own."""

from datetime import date

from sedge.core.callpaths.editing import Place
from sedge.core.callpaths.ready_made import bilingual_menu
from sedge.core.callpaths.steps import (
    Announce,
    Closure,
    Forward,
    Hours,
    Mailbox,
    Menu,
    Opening,
    OtherPath,
    Path,
    Queue,
    Ring,
    Saying,
    Shown,
    TestCase,
)
from sedge.core.records import Answering, HolderKind, HolderRef, Person
from sedge.core.workorders import tasks as t
from sedge.services.apply_now import apply_at_once
from sedge.services.callpaths import drawing
from sedge.services.context import Context

LEEDS = Place(timezone="Europe/London", holidays_of="GB-ENG", language="en")
LIVERPOOL = "+441514960400"


def school_visits(desk_people: list[Person], year: int) -> Path:
    agents = tuple(p.id for p in desk_people)
    greeting = (
        "Welcome to school visits. To book a visit, press 1. For a visit that is booked already,"
        " press 2."
    )
    german = (
        "Willkommen. Um einen Besuch zu buchen, drücken Sie die 1. Für einen gebuchten Besuch"
        " drücken Sie die 2."
    )
    weekdays = Opening(weekdays=(0, 1, 2, 3, 4), start="09:00", end="16:30")
    return Path(
        first="hours",
        steps={
            "hours": Hours(
                title="School hours",
                timezone="Europe/London",
                openings=(weekdays,),
                holidays_of="GB-ENG",
                closures=(
                    Closure(
                        first=date(year, 12, 21),
                        last=date(year + 1, 1, 3),
                        name="Christmas holidays",
                    ),
                ),
                exits={"open": "menu", "closed": "closed", "holiday": "closed"},
            ),
            "menu": Menu(
                greeting=greeting,
                language="en",
                also=(Saying(language="de", text=german),),
                keys={"1": "book", "2": "booked"},
                exits={
                    "1": "booking",
                    "2": "booked",
                    "no input": "booking",
                    "wrong input": "booking",
                },
            ),
            "booking": Queue(
                title="Queue: booking",
                people=agents[:3],
                longest_wait=120,
                order="longest idle",
                to_callee="A school that wants to book",
                exits={
                    "full": "overflow",
                    "waited too long": "overflow",
                    "nobody signed in": "overflow",
                },
            ),
            "overflow": OtherPath(title="On to the front desk", path="canal-front-desk"),
            "booked": Ring(
                title="Ring: learning",
                people=agents[2:],
                order="in turn",
                shown=Shown.LINE,
                exits={
                    "no answer": "liverpool",
                    "busy": "liverpool",
                    "nobody reachable": "liverpool",
                },
            ),
            "liverpool": Forward(
                title="Dock Street, Liverpool",
                to=LIVERPOOL,
                exits={"no answer": "mailbox", "busy": "mailbox", "not put through": "mailbox"},
            ),
            "closed": Announce(
                text="The learning team is here on school days from nine to half past four.",
                language="en",
                exits={"done": "mailbox"},
            ),
            "mailbox": Mailbox(title="Mailbox: learning", recipients=agents[2:]),
        },
        tests=(
            TestCase(
                name="A Sunday reaches the mailbox",
                at=f"{year + 1}-03-07T11:00",
                timezone="Europe/London",
                ends="mailbox",
                step="mailbox",
            ),
            TestCase(
                name="Booking is answered on a school day",
                at=f"{year + 1}-03-09T11:00",
                timezone="Europe/London",
                world={"presses": ["1"]},
                ends="answered",
                step="booking",
            ),
        ),
    )


def draw_more(context: Context, people: list[Person]) -> None:
    """Published, followed by a number, with a fallback; two people with answering rules."""
    learning = [people[i] for i in (62, 64, 66, 67)]
    year = context.now().year
    apply_at_once(
        context,
        [
            t.PublishPath(
                path="school-visits", name="School visits", body=school_visits(learning, year)
            ),
            t.SetPath(number="+441134960202", path="school-visits"),
            t.SetFallback(number="+441134960200", to=LIVERPOOL),
            t.SetCallerId(
                holder=HolderRef(kind=HolderKind.SITE, id="canal-museum"),
                shows="own",
                caller_id="+441134960200",
            ),
        ],
        reason="school visits get a line of their own",
    )
    drawing.begin_new(context, "Members' line", people[62].site, bilingual_menu(LEEDS))
    early = Answering(
        openings=(Opening(weekdays=(0, 1, 2, 3), start="08:00", end="16:00"),),
        pickup=(people[70].id,),
        then="colleague",
        cover=people[70].id,
    )
    roaming = Answering(mobile="+447700900142")
    rules = [(people[69], early), (people[71], roaming)]
    apply_at_once(
        context,
        [
            t.SetAnswering(
                holder=HolderRef(kind=HolderKind.PERSON, id=p.id), ring_seconds=20, answering=a
            )
            for p, a in rules
        ],
        reason="agreed with them",
    )

"""The demo's trunks over its last week: what each answered to OPTIONS, hour by hour."""

from random import Random

from sedge.core.records import Trunk
from sedge.core.trunks.answers import HOURS_SHOWN
from sedge.services.context import Context
from sedge.store.repositories import trunk_answers

BACK_THEN = range(61, 64)  # hours ago, when one carrier worked on its network
SEED = 2107


def live_the_week(context: Context) -> None:
    """Every trunk that is set up answered, but for one in the night of its carrier's works."""
    draw = Random(SEED)
    with context.reading() as reading:
        trunks = sorted(
            (x for x in reading.records.all(Trunk) if x.settings and x.host), key=lambda x: x.id
        )
    now = trunk_answers.hour_of(context.now())
    rows: list[dict[str, object]] = []
    for place, trunk in enumerate(trunks):
        asked = 3600 // (trunk.settings.options_every or 60) if trunk.settings else 60
        usual = draw.randint(7, 28)
        for back in range(HOURS_SHOWN - 1, 0, -1):
            answered = asked
            if not place and back in BACK_THEN:
                answered = draw.choice((0, asked // 3))
            slowest = usual + draw.randint(4, 60)
            rows.append(
                {
                    "trunk": trunk.id,
                    "hour": now - back,
                    "asked": asked,
                    "answered": answered,
                    "ms": answered * (usual + draw.randint(0, 3)),
                    "slowest": slowest if answered else 0,
                }
            )
    with context.installation.estates[context.who.organisation].writing() as connection:
        trunk_answers.add_hours(connection, rows)

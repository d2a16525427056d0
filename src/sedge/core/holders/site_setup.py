"""What a site needs before people work there: a list that knows what is missing and why it matters,
in the order in which it is done."""

from collections.abc import Sequence
from dataclasses import dataclass

from sedge.core.numbers.plan import LANGUAGES
from sedge.core.records import Address, Number, Role, Site, Spot, Trunk
from sedge.core.safety.spots import spot_problem
from sedge.core.workorders.findings import Level


@dataclass(frozen=True)
class Step:
    """One line of the list: `state` pass, warn (can wait) or stop (nobody can be given a number
    before); `leads_to` is where it is done."""

    key: str
    what: str
    state: Level
    how: str
    leads_to: str = ""

    @property
    def is_done(self) -> bool:
        return self.state is Level.PASS


@dataclass(frozen=True)
class Facts:
    """All that the list is worked out from. `people` and `free` are counts; `named` the outside
    trunks of the site's carrier."""

    site: Site
    address: Address | None
    spots: Sequence[Spot]
    held: Sequence[Number]
    trunks: Sequence[Trunk]
    people: int
    free: int
    holidays: str
    country: str
    emergency: Sequence[str]


def _all(words: Sequence[str]) -> str:
    *most, last = words
    return f"{', '.join(most)} and {last}" if most else last


def steps(facts: Facts, now: object) -> list[Step]:
    """Every step, done or not."""
    site = facts.site
    return [
        Step(
            "country",
            f"Country: {facts.country}",
            Level.PASS,
            f"Dial plan, {_all(facts.emergency)} for help,"
            f" {LANGUAGES.get(site.language, site.language)}, {site.timezone} and the public"
            f" holidays ({facts.holidays}) follow from it.",
        ),
        _address(facts),
        _spots(facts, now),
        _supply(facts),
        _numbers(facts),
        _main(facts),
        _role(
            facts,
            Role.MAILBOX_ACCESS,
            "mailbox",
            "Mailbox access number",
            "People ring it to hear their messages.",
            Level.WARN,
        ),
        _desk(facts),
        _people(facts),
    ]


def _address(facts: Facts) -> Step:
    address = facts.address
    if address is None:
        return Step(
            "address", "Civic address", Level.STOP, "None yet. Responders are sent there.", "change"
        )
    if not address.dispatchable:
        return Step(
            "address",
            "Civic address",
            Level.STOP,
            f"{address.elements.one_line} is {address.verdict} in the register. Correct it, or"
            " accept what the register has.",
            "change",
        )
    return Step("address", "Civic address", Level.PASS, address.elements.one_line, "change")


def _spots(facts: Facts, now: object) -> Step:
    at = facts.address
    good = [s for s in facts.spots if at and not spot_problem(s, at, now)]  # type: ignore[arg-type]
    if not good:
        return Step(
            "spots",
            "Emergency spots",
            Level.STOP,
            "None that responders can be sent to. Say floors and rooms; a code is made for each.",
            "spots",
        )
    return Step(
        "spots",
        "Emergency spots",
        Level.PASS,
        f"{len(good)} that responders can be sent to.",
        "spots",
    )


def _supply(facts: Facts) -> Step:
    if facts.site.account is None:
        return Step(
            "supply",
            "Supply model and account",
            Level.STOP,
            "Not chosen. It decides which licences people need, and who sends the bill.",
            "supply",
        )
    if not facts.trunks:
        return Step(
            "supply",
            "Supply model and account",
            Level.WARN,
            f"{facts.site.supply_model}; no trunk leads to its carrier yet, so calls would not"
            " arrive.",
            "carriers",
        )
    return Step(
        "supply",
        "Supply model and account",
        Level.PASS,
        f"{facts.site.supply_model}, over {facts.trunks[0].name}.",
        "supply",
    )


def _numbers(facts: Facts) -> Step:
    if not facts.free and not facts.held:
        return Step(
            "numbers",
            "Numbers",
            Level.WARN,
            "None here yet. Order some, move some here, or import existing ones.",
            "order",
        )
    return Step("numbers", "Numbers", Level.PASS, f"{facts.free} are free to give.", "order")


def _main(facts: Facts) -> Step:
    found = _with_role(facts, Role.MAIN)
    if found is None:
        return Step(
            "main",
            "Main number",
            Level.STOP,
            "None: a caller on a phone without a number could not be rung back.",
            "give-main",
        )
    if found.path is None:
        return Step(
            "main",
            "Main number",
            Level.WARN,
            f"{found.shown} has no call path; callers would hear nothing.",
            "path",
        )
    return Step("main", "Main number", Level.PASS, found.shown)


def _with_role(facts: Facts, role: Role) -> Number | None:
    return next((n for n in facts.held if n.assignment and n.assignment.role is role), None)


def _role(facts: Facts, role: Role, key: str, what: str, why: str, otherwise: Level) -> Step:
    found = _with_role(facts, role)
    return (
        Step(key, what, Level.PASS, found.shown)
        if found
        else Step(key, what, otherwise, f"None yet. {why}", f"give-{key}")
    )


def _desk(facts: Facts) -> Step:
    if not facts.site.security_desk:
        return Step(
            "desk",
            "Security desk",
            Level.STOP,
            "Nobody is told when somebody makes an emergency call.",
            "change",
        )
    return Step(
        "desk",
        "Security desk",
        Level.PASS,
        f"{facts.site.security_desk} is told of emergency calls.",
        "change",
    )


def _people(facts: Facts) -> Step:
    if not facts.people:
        return Step("people", "People", Level.WARN, "Nobody works here yet.", "people")
    return Step("people", "People", Level.PASS, f"{facts.people} work here.", "people")

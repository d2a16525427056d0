"""Who may do what: one table, read by every route, by the menu, by tasks and by the role tests."""

from enum import StrEnum


class AccessRole(StrEnum):
    ADMINISTRATOR = "administrator"
    SITE_MANAGER = "site manager"
    HELP_DESK = "help desk"
    FINANCE = "finance"
    SAFETY_OFFICER = "safety officer"
    OBSERVER = "observer"


class May(StrEnum):
    """What a route or a task asks for. `OPEN` routes need no sign-in."""

    OPEN = "open"
    LOOK = "look"
    SEE_MONEY = "see prices, balances and charges"
    SEE_LEDGER = "see the ledger"
    PLACE_TEST_CALL = "place test calls"
    NOTE = "write notes, comments and saved views"
    EDIT_FACTS = "edit labels, tags and cost centres"
    CHANGE_ESTATE = "plan and run work orders"
    CHANGE_HOLDERS = "change people and sites"
    CHANGE_SAFETY = "change addresses and spots"
    BUY = "order numbers and licence seats"
    PAY = "open carrier accounts and pay into them"
    PORT = "port numbers in and out"
    KEEP_BOOKS = "load call records, rates and invoices, and set budgets"
    RELEASE = "release numbers to their carrier"
    TRUNKS = "set up trunks"
    IMPORT = "import numbers and take over estates"
    ADD_SITE = "add sites"
    DIRECTORY = "connect the directory and take over its changes"
    SET_RULES = "set rules, licence products, email templates, members and organisations"
    STEER = "steer the simulation"


EVERYBODY = frozenset({May.OPEN, May.LOOK})
ALLOWED: dict[AccessRole, frozenset[May]] = {
    AccessRole.ADMINISTRATOR: frozenset(May),
    AccessRole.SITE_MANAGER: (
        EVERYBODY
        | {
            May.PLACE_TEST_CALL,
            May.NOTE,
            May.EDIT_FACTS,
            May.CHANGE_ESTATE,
            May.CHANGE_HOLDERS,
            May.CHANGE_SAFETY,
        }
    ),
    AccessRole.HELP_DESK: EVERYBODY | {May.PLACE_TEST_CALL, May.NOTE},
    AccessRole.FINANCE: (EVERYBODY | {May.SEE_MONEY, May.SEE_LEDGER, May.NOTE, May.KEEP_BOOKS}),
    AccessRole.SAFETY_OFFICER: (
        EVERYBODY | {May.CHANGE_SAFETY, May.PLACE_TEST_CALL, May.SEE_LEDGER, May.NOTE}
    ),
    AccessRole.OBSERVER: EVERYBODY | {May.SEE_LEDGER},
}
KEPT_TO_SITES = frozenset(
    {AccessRole.SITE_MANAGER}
)  # roles that reach as far as the sites they are given


def allowed(role: AccessRole | None, what: May) -> bool:
    """Whether somebody in `role` (None: not signed in) may pass a door that asks for `what`."""
    return what is May.OPEN if role is None else what in ALLOWED[role]


def permissions(role: AccessRole) -> list[May]:
    """What a role may do beyond looking, in the order of `May`: what the table of roles shows."""
    return [may for may in May if may in ALLOWED[role] and may not in EVERYBODY]

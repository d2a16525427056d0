"""Who may do what: one table, read by every door, by the menu and by the route × role test."""

from enum import StrEnum


class AccessRole(StrEnum):
    ADMINISTRATOR = "administrator"
    SITE_MANAGER = "site manager"
    HELP_DESK = "help desk"
    FINANCE = "finance"
    SAFETY_OFFICER = "safety officer"


class May(StrEnum):
    """What a door asks for. `OPEN` doors need no sign-in."""

    OPEN = "open"
    LOOK = "look"
    SEE_MONEY = "see money"
    SEE_LEDGER = "see the ledger"
    PLACE_TEST_CALL = "place test calls"
    EDIT_FACTS = "edit labels and notes"
    CHANGE_ESTATE = "plan and run work orders"
    CHANGE_HOLDERS = "change people and sites"
    CHANGE_SAFETY = "change addresses and spots"
    BUY = "hold and order numbers"
    SET_RULES = "set rules, licence products, letters and organisations"
    STEER = "steer the stand-ins"


EVERYBODY = {May.OPEN, May.LOOK}
ALLOWED: dict[AccessRole, set[May]] = {
    AccessRole.ADMINISTRATOR: set(May),
    AccessRole.SITE_MANAGER: EVERYBODY | {May.PLACE_TEST_CALL, May.EDIT_FACTS, May.CHANGE_ESTATE, May.CHANGE_HOLDERS, May.CHANGE_SAFETY},
    AccessRole.HELP_DESK: EVERYBODY | {May.PLACE_TEST_CALL, May.EDIT_FACTS},
    AccessRole.FINANCE: EVERYBODY | {May.SEE_MONEY, May.SEE_LEDGER},
    AccessRole.SAFETY_OFFICER: EVERYBODY | {May.CHANGE_SAFETY, May.PLACE_TEST_CALL, May.SEE_LEDGER},
}


def allowed(role: AccessRole | None, what: May) -> bool:
    """Whether somebody in `role` (None: not signed in) may pass a door that asks for `what`."""
    return what is May.OPEN if role is None else what in ALLOWED[role]

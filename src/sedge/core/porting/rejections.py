"""Why losing carriers refuse a port, by the trade's codes, and what puts each right."""

from dataclasses import dataclass


@dataclass(frozen=True)
class Rejection:
    """`field` is the one of the account details, or of the port, that is to be put right; '' where
    the matter lies elsewhere."""

    words: str
    remedy: str
    field: str = ""


REJECTIONS: dict[str, Rejection] = {
    "account-number": Rejection(
        "The account number is wrong.",
        "Copy it from the losing carrier's latest bill, with its letters and zeros.",
        "account",
    ),
    "name-mismatch": Rejection(
        "The name is not the account holder's.",
        "Write it word for word as on the bill, the legal form included.",
        "name",
    ),
    "address-mismatch": Rejection(
        "The address is not the account's.",
        "Write the billing address as on the bill, not where the phones are.",
        "address",
    ),
    "pin-wrong": Rejection(
        "The PIN is wrong.",
        "Ask the losing carrier for the transfer PIN; it is not the one of its portal.",
        "pin",
    ),
    "not-in-service": Rejection(
        "A number is not in service there.",
        "Take it out, or ask the carrier that serves it.",
        "lines",
    ),
    "pending-order": Rejection(
        "Something is on order for the account.",
        "Have the losing carrier finish or cancel it, then submit again.",
    ),
    "partial-needs-main": Rejection(
        "The main billing number moves and the account goes on.",
        "Name the number that becomes the account's main one.",
        "new_main_number",
    ),
    "code-wrong": Rejection(
        "A number's code is wrong.",
        "Ask for it from the line itself; it changes with the contract.",
        "lines",
    ),
    "contract-ended": Rejection(
        "The contract ended more than a month ago.",
        "The number can't be ported any more; take it out.",
        "lines",
    ),
}
UNKNOWN = Rejection(
    "The losing carrier refuses for a reason of its own.", "Read what it says, and ask it."
)


def rejection(code: str) -> Rejection:
    return REJECTIONS.get(code, UNKNOWN)

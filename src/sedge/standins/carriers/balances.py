"""What is on each account of the simulated carriers."""

from decimal import Decimal

from sedge.standins.carriers.carrier_profiles import MANNERS
from sedge.standins.storage import Book


def balance(book: Book, account: str) -> Decimal:
    """What is there now; what it was opened with where nothing has happened yet."""
    begun = MANNERS[account.rpartition("-")[0]].accounts.get(account, ("", Decimal(0)))[1]
    return Decimal(book.get("balance", account) or begun)


def pay(book: Book, account: str, amount: Decimal) -> None:
    """Take an amount off; a negative one is paid in."""
    book.put("balance", account, str(balance(book, account) - amount))

"""Names and marks of a take-over: what rows call people, rows that are answered together."""

from collections import Counter
from collections.abc import Iterable, Sequence

from sedge.core.imports.directory import plain_name
from sedge.core.imports.takeover_records import (
    Known,
    Row,
    Somebody,
)
from sedge.core.records import Account


class Groups:
    """Things that belong together because they share a key (union and find)."""

    def __init__(self) -> None:
        self.parent: dict[object, object] = {}

    def _root(self, thing: object) -> object:
        root = thing
        while self.parent.setdefault(root, root) != root:
            root = self.parent[root]
        while self.parent[thing] != root:
            self.parent[thing], thing = root, self.parent[thing]
        return root

    def join(self, one: object, other: object) -> None:
        self.parent[self._root(one)] = self._root(other)

    def of(self, rows: Sequence[Row]) -> list[list[Row]]:
        found: dict[object, list[Row]] = {}
        for row in rows:
            found.setdefault(self._root(row.key), []).append(row)
        return list(found.values())


def once(people: Iterable[Somebody]) -> list[Somebody]:
    return list({id(p): p for p in people}.values())


def turned(name: str) -> str:
    """*Okafor, Ifeoma* as *Ifeoma Okafor*."""
    if name.count(",") != 1:
        return " ".join(name.split())
    last, first = name.split(",")
    return " ".join(f"{first} {last}".split())


def name_from(email: str) -> str:
    return " ".join(
        part.capitalize()
        for part in email.partition("@")[0].replace(".", " ").replace("_", " ").split()
    )


def person_id(email: str, name: str) -> str:
    """The id somebody new will have: the same each time the files are read."""
    text = (email.partition("@")[0] or name).lower()
    plain = "".join(c if c.isalnum() and c.isascii() else "-" for c in text).strip("-")
    return f"person-{plain}"[:80]


def floorless(words: str) -> str:
    """A place's name for comparing: *1st Floor Rm 1.04* like *1st floor, room 1.04*."""
    plain = (
        words.lower()
        .replace(",", " ")
        .replace("rm ", "room ")
        .replace("rm.", "room ")
        .replace("flr", "floor")
        .replace("fl.", "floor")
    )
    plain = (
        plain.replace("first", "1st")
        .replace("second", "2nd")
        .replace("third", "3rd")
        .replace("gf", "ground floor")
    )
    return " ".join(plain.split())


def keys_of(row: Row, mails: dict[str, set[str]], held_by: Counter[str]) -> Iterable[object]:
    said = row.said
    yield row.key
    if said.get("who"):
        yield "who", said["who"] if said["who"] != "new" else row.key
    if said.get("email"):
        yield "email", said["email"].lower()
    if said.get("holder") and len(mails[plain_name(said["holder"])]) < 2:
        yield "name", plain_name(said["holder"])
    if (
        said.get("extension")
        and held_by[said["extension"]] == 1
        and (said.get("email") or not said.get("holder"))
    ):
        yield "extension", said["extension"]


def account_of(known: Known, carrier: str, site: str) -> Account | None:
    for account in known.accounts:
        if carrier and (
            carrier.lower() in {account.carrier.lower(), account.name.lower()}
            or account.name.lower().startswith(carrier.lower())
        ):
            return account
    own = next((s.account for s in known.sites if s.id == site), None)
    return next(
        (a for a in known.accounts if a.id == own),
        known.accounts[0] if known.accounts else None,
    )


def trunk_of(known: Known, carrier: str, site: str) -> str | None:
    """The carrier's trunk at the site, or its only one."""
    of = [t for t in known.trunks if t.carrier == carrier]
    here = [t for t in of if t.site == site]
    fitting = here or of
    return fitting[0].id if len(fitting) == 1 else None

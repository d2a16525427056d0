"""The newest entry of each organisation's ledger, kept elsewhere: against it a tail that was cut
off shows, which the chain alone can't see."""

import json
from collections.abc import Iterator
from dataclasses import dataclass
from datetime import UTC, datetime
from pathlib import Path

from sqlalchemy.exc import DatabaseError

from sedge.core.errors import CannotStart
from sedge.store.chain_files import ChainState, chain_of, hash_at
from sedge.store.database import Database
from sedge.store.folder import told_plainly
from sedge.store.repositories.access import sign_ins


@dataclass(frozen=True)
class Head:
    organisation: str
    sequence: int
    hash: str


def verify(
    data: Path, heads: Path | None = None, write_heads: Path | None = None
) -> tuple[list[str], bool]:
    """A sentence per organisation, and whether anything is wrong. Nothing in `data` is changed.
    Raises CannotStart for a folder that is none of Sedge's, or heads that can't be read."""
    if not (data / "installation.sqlite").exists():
        raise CannotStart(f"{data} is no folder of Sedge: it has no installation.sqlite.")
    earlier = _read(heads) if heads else {}
    lines, broken, newest = [], False, []
    for key, name in _organisations(data):
        file = data / f"estate-{key}.sqlite"
        said, wrong, state = _verified(file, earlier.pop(key, None))
        lines.append(f"{name}: {said}")
        broken = broken or wrong
        if state:
            newest.append(Head(key, state.entries, state.head))
    for key in earlier:
        lines.append(f"{key}: there is no such organisation any more")
        broken = True
    if write_heads and not broken:
        _write(write_heads, newest)
        lines.append(f"Heads written to {write_heads}. Keep it elsewhere.")
    return lines, broken


def _organisations(data: Path) -> Iterator[tuple[str, str]]:
    database = Database(data / "installation.sqlite", "installation")
    try:
        with told_plainly(data), database.reading() as connection:
            found = [(o.id, o.name) for o in sign_ins.organisations(connection)]
    finally:
        database.close()
    yield from found


def _verified(file: Path, earlier: Head | None) -> tuple[str, bool, ChainState | None]:
    if not file.exists():
        return f"{file.name} is missing", True, None
    try:
        state = chain_of(file)
        found = hash_at(file, earlier.sequence) if earlier else None
    except DatabaseError:
        return f"{file.name} can't be read: it is damaged", True, None
    if state.broken_at is not None:
        where = "at its end" if state.broken_at < 0 else f"at {state.broken_at}"
        return f"{state.entries} entries, the chain breaks {where}", True, state
    if earlier and found != earlier.hash:
        missing = "is missing: the end was cut off" if found is None else "is another one"
        return f"entry {earlier.sequence}, kept elsewhere, {missing}", True, state
    return f"{state.entries} entries, all hold", False, state


def _read(file: Path) -> dict[str, Head]:
    try:
        lines = [json.loads(line) for line in file.read_text().splitlines() if line.strip()]
        found = [Head(x["organisation"], int(x["sequence"]), str(x["hash"])) for x in lines]
    except (OSError, ValueError, KeyError, TypeError) as error:
        raise CannotStart(f"{file} can't be read as heads of ledgers: {error}.") from error
    return {head.organisation: head for head in found}


def _write(file: Path, heads: list[Head]) -> None:
    at = datetime.now(UTC).isoformat(timespec="seconds")
    with told_plainly(file):
        file.write_text("".join(json.dumps({**vars(head), "at": at}) + "\n" for head in heads))

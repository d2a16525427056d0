"""Arrivals by file: what a carrier's mail or program puts into a watched folder, by the reference
of the order, becomes the draft of a work order. What can't be taken in lies aside with the reason.

A folder for each organisation, by its id: `<reference>.csv`, and in it `taken` and `refused`.
"""

import re
import time
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path

import structlog

from sedge.core.errors import NotUnderstood, SedgeError
from sedge.core.records import Order
from sedge.services.context import Context
from sedge.services.supply import paper_orders

SUFFIXES = frozenset({".csv", ".txt", ".tsv"})
MOST_BYTES = 2_000_000
SETTLED_SECONDS = 5  # unchanged for so long, nobody is still writing it
TAKEN, REFUSED, WHY = "taken", "refused", ".why"
log = structlog.get_logger("sedge")


@dataclass(frozen=True)
class RefusedFile:
    """`where`: the folder in which it lies; whoever has dealt with it removes it there."""

    name: str
    why: str
    where: Path


def folder_of(context: Context) -> Path | None:
    """None where none is watched."""
    watched = context.installation.settings.arrivals_folder
    return watched / context.who.organisation if watched else None


def take_in(context: Context) -> int:
    """Draft a work order for each file that has come; how many. A process that dies between leaves
    a file that is taken in twice rather than never: the second draft is stopped by its checks."""
    folder, done = folder_of(context), 0
    if folder is None or not folder.is_dir():
        return 0
    for file in _settled(folder):
        try:
            made = _take(context, file)
        except SedgeError as error:
            _put_aside(file, error.message)
            log.warning("arrivals refused", path=file.name, error=error.message)
        else:
            _move(file, TAKEN)
            done += 1
            log.info("arrivals taken in", path=file.name, work_order=made)
    return done


def refused(context: Context) -> list[RefusedFile]:
    """Files that nobody has dealt with yet, the first by name first."""
    folder = folder_of(context)
    aside = sorted((folder / REFUSED).glob(f"*{WHY}")) if folder else []
    return [
        RefusedFile(file.name.removesuffix(WHY), file.read_text(), file.parent) for file in aside
    ]


def _settled(folder: Path) -> Iterator[Path]:
    for file in sorted(folder.iterdir()):
        is_list = file.suffix.lower() in SUFFIXES and file.is_file() and not file.is_symlink()
        if is_list and time.time() - file.stat().st_mtime >= SETTLED_SECONDS:
            yield file


def _take(context: Context, file: Path) -> int:
    """The number of the work order. Raises NotUnderstood."""
    if file.stat().st_size > MOST_BYTES:
        raise NotUnderstood("The file is larger than 2 MB.", field="file")
    order = _order_named(context, file.stem)
    return paper_orders.arrived(context, order.id, _text_of(file)).no


def _order_named(context: Context, name: str) -> Order:
    with context.reading() as reading:
        open_ones = [o for o in reading.records.all(Order) if o.form and not o.refused]
    fitting = [o for o in open_ones if _plain(o.reference) == _plain(name)]
    if len(fitting) != 1:
        told = "No paper order" if not fitting else "More than one paper order"
        raise NotUnderstood(
            f"{told} has the reference {name[:60]}. Name the file by the order's reference.",
            field="file",
        )
    return fitting[0]


def _plain(reference: str) -> str:
    return re.sub(r"[^a-z0-9]+", "-", reference.casefold()).strip("-")


def _text_of(file: Path) -> str:
    raw = file.read_bytes()
    try:
        return raw.decode("utf-8-sig")
    except UnicodeDecodeError:
        return raw.decode("cp1252", errors="replace")


def _put_aside(file: Path, why: str) -> None:
    moved = _move(file, REFUSED)
    moved.with_name(moved.name + WHY).write_text(why)


def _move(file: Path, to: str) -> Path:
    """Beside those of the same name that came before."""
    folder = file.parent / to
    folder.mkdir(exist_ok=True)
    at, n = folder / file.name, 1
    while at.exists():
        n += 1
        at = folder / f"{file.stem}-{n}{file.suffix}"
    return file.rename(at)

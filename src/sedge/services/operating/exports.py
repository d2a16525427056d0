"""An organisation whole, in open formats: a ZIP archive (ISO/IEC 21320-1) with every table as JSON
Lines, every document and sound as the file it is, and the database itself (SQLite), which another
installation takes in.

Secrets are sealed with the key of this installation and so left out; they are given anew over
there.
"""

import json
import shutil
import sqlite3
import zipfile
from contextlib import closing
from datetime import UTC, datetime
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import TypedDict

from sqlalchemy import LargeBinary, Table, select

from sedge.core.access.roles import AccessRole
from sedge.core.errors import CannotStart
from sedge.core.numbers.plan import COUNTRIES
from sedge.services.context import Installation
from sedge.store.chain_files import chain_of
from sedge.store.database import Database, copy_to, metadata_of
from sedge.store.folder import told_plainly
from sedge.store.repositories.access import sign_ins
from sedge.store.repositories.access.sign_ins import Member, Organisation

ABOUT, ESTATE = "organisation.json", "estate.sqlite"
LEFT_OUT = frozenset({"secret"})
MOST_BYTES = 1 << 36
README = """\
{name}, exported from Sedge on {day:%-d %B %Y}.

organisation.json   its name, home country and members
tables/*.jsonl      every table, one row a line (JSON Lines, UTF-8; moments in UTC)
files/TABLE/ROW     documents, plans and sounds; rows name them as {{"file": …}}
tables/ledger.jsonl every change there was, chained by SHA-256
estate.sqlite       all of it as a database (SQLite 3), which another Sedge takes in:
                    sedge take-in FILE

Secrets (keys of carriers, passwords of trunks) are not in here.
"""


class Known(TypedDict):
    """A member as an export tells of them."""

    name: str
    email: str
    role: str
    sites: list[str]


class About(TypedDict):
    """What an export says of its organisation."""

    id: str
    name: str
    home_country: str
    exported_at: str
    members: list[Known]


def export(data: Path, wanted: str, to: Path) -> int:
    """Write an organisation, by id or name, into a ZIP file; how many files are in it. Raises
    CannotStart."""
    organisation, members = _found(data, wanted)
    source = data / f"estate-{organisation.id}.sqlite"
    with told_plainly(to.parent), TemporaryDirectory(prefix=".sedge-", dir=to.parent) as scratch:
        copy, packed = Path(scratch) / ESTATE, Path(scratch) / "packed"
        copy_to(source, copy)
        with closing(sqlite3.connect(copy)) as connection:
            for name in LEFT_OUT:
                connection.execute(f"DELETE FROM {name}")  # noqa: S608  names of ours
            connection.commit()
            connection.execute("VACUUM")
        with zipfile.ZipFile(packed, "w", zipfile.ZIP_DEFLATED) as out:
            _write(out, organisation, members, copy)
            count = len(out.namelist())
        packed.chmod(0o600)
        packed.replace(to)
    return count


def _found(data: Path, wanted: str) -> tuple[Organisation, list[Member]]:
    if not (data / "installation.sqlite").exists():
        raise CannotStart(f"{data} is no folder of Sedge: it has no installation.sqlite.")
    with (
        closing(Database(data / "installation.sqlite", "installation")) as database,
        database.reading() as connection,
    ):
        known = sign_ins.organisations(connection)
        found = [o for o in known if wanted in {o.id, o.name}]
        if len(found) != 1:
            names = ", ".join(f"{o.name} ({o.id})" for o in known) or "none"
            raise CannotStart(f"There is no organisation {wanted}. There are: {names}.")
        return found[0], sign_ins.members_of(connection, found[0].id)


def _write(
    out: zipfile.ZipFile, organisation: Organisation, members: list[Member], copy: Path
) -> None:
    now = datetime.now(UTC)
    out.writestr("README.txt", README.format(name=organisation.name, day=now))
    about: About = {
        "id": organisation.id,
        "name": organisation.name,
        "home_country": organisation.home_country,
        "exported_at": now.isoformat(timespec="seconds"),
        "members": [
            {"name": m.name, "email": m.email, "role": m.role.value, "sites": list(m.sites)}
            for m in members
        ],
    }
    out.writestr(ABOUT, json.dumps(about, indent=1, ensure_ascii=False))
    with closing(Database(copy, "estate")) as database, database.reading() as connection:
        for table in metadata_of("estate").sorted_tables:
            if table.name in LEFT_OUT:
                continue
            files: list[tuple[str, bytes]] = []
            rows = connection.execute(select(table)).yield_per(1000)
            with out.open(f"tables/{table.name}.jsonl", "w", force_zip64=True) as lines:
                for number, row in enumerate(rows, start=1):
                    plain = _plain(table, dict(row._mapping), number, files)
                    lines.write(json.dumps(plain, ensure_ascii=False, default=str).encode() + b"\n")
            for name, content in files:
                out.writestr(name, content)
    out.write(copy, ESTATE)


def _plain(
    table: Table, row: dict[str, object], number: int, files: list[tuple[str, bytes]]
) -> dict[str, object]:
    """A row whose contents of files stand as files of their own."""
    for column in table.columns:
        value = row[column.name]
        if isinstance(column.type, LargeBinary) and isinstance(value, bytes):
            name = f"files/{table.name}/{number}-{column.name}"
            files.append((name, value))
            row[column.name] = {"file": name}
        elif isinstance(value, datetime):
            row[column.name] = value.isoformat()
    return row


def take_in(installation: Installation, file: Path) -> tuple[Organisation, list[str]]:
    """Another installation's organisation, with its members; and the mail addresses of those who
    are new here and choose a password by *Forgotten your password?*. Raises CannotStart."""
    with told_plainly(file), TemporaryDirectory(dir=installation.settings.data) as scratch:
        estate = Path(scratch) / ESTATE
        about = _unpacked(file, estate)
        organisation = Organisation(
            installation.identity("org"), str(about["name"])[:120], str(about["home_country"])
        )
        estate.chmod(0o600)
        shutil.move(estate, installation.settings.data / f"estate-{organisation.id}.sqlite")
    installation.open_estate(organisation)
    fresh: list[str] = []
    with installation.shared.writing() as connection:
        sign_ins.add_organisation(connection, organisation, installation.clock.real())
        for known in about["members"]:
            member = _member(installation, organisation, known)
            here = sign_ins.by_email(connection, member.email)
            if here is None:
                sign_ins.add_sign_in(connection, member, "")
                fresh.append(member.email)
            else:
                joined = Member(
                    here.id, here.name, here.email, organisation.id, member.role, member.sites
                )
                sign_ins.add_membership(connection, joined)
    return organisation, fresh


def _unpacked(file: Path, to: Path) -> About:
    """What an export says of its organisation; the database unpacked and looked at. Raises
    CannotStart."""
    try:
        with zipfile.ZipFile(file) as packed:
            if packed.getinfo(ESTATE).file_size > MOST_BYTES:
                raise CannotStart(f"The database in {file} is larger than any of Sedge's.")
            about = About(**json.loads(packed.read(ABOUT)))
            with packed.open(ESTATE) as source, to.open("wb") as out:
                shutil.copyfileobj(source, out)
        members = [AccessRole(m["role"]) for m in about["members"]]
    except (zipfile.BadZipFile, KeyError, ValueError, TypeError) as error:
        raise CannotStart(f"{file} is no export of Sedge: {error}.") from error
    if about.get("home_country") not in COUNTRIES or not members:
        raise CannotStart(f"{file} names no home country that Sedge knows, or nobody to sign in.")
    state = chain_of(to)
    if state.broken_at is not None:
        raise CannotStart(f"The ledger in {file} breaks at entry {state.broken_at}.")
    return about


def _member(installation: Installation, organisation: Organisation, known: Known) -> Member:
    return Member(
        installation.identity("sign-in"),
        str(known["name"])[:120],
        str(known["email"]).strip().lower()[:200],
        organisation.id,
        AccessRole(known["role"]),
        tuple(str(site) for site in known["sites"]),
    )

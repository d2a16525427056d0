"""Writes the demo's untidy files: what an organisation had before Sedge, 1,200 rows of it. Run
again, it writes the same.

Numbers in six writings, offices by nicknames, names turned round or mistyped, people without a mail
address, numbers in two hands. All of it is made up; numbers come from the range reserved for
fiction in Leeds.
"""

import csv
import io
import random
import sys
from pathlib import Path

from sedge.demo.people import FIRST, LAST

TO = Path(__file__).parent.parent / "src" / "sedge" / "demo" / "untidy"
OFFICES = ("Wharf House", "Wharf Hse", "WHF", "Canal Museum", "Canal Mus.", "wharf house")
TEAMS = ("Collections", "Visitor services", "Estates", "Learning", "Finance", "Shop")
PLACES = (
    "1st Floor, Rm 1.04",
    "1st floor, room 1.12",
    "Second floor, room 2.07",
    "ground floor, reception",
    "gf, post room",
    "3rd floor attic",
)


def written(n: int, how: int) -> str:
    tail = f"{n:04d}"
    forms = (
        f"0113 496 {tail}",
        f"0113496{tail}",
        f"+44 (0)113 496 {tail}",
        f"0113-496-{tail}",
        f"44113496{tail}",
        f"(0113) 496{tail}",
    )
    return forms[how % len(forms)]


def people(chance: random.Random) -> list[tuple[str, str, str]]:
    """Name, mail, extension: 380 of them, each name once."""
    names = [f"{first} {last}" for first in FIRST for last in LAST]
    chance.shuffle(names)
    return [
        (name, f"{name.lower().replace(' ', '.')}@oldtrust.example", str(500 + i))
        for i, name in enumerate(names[:380])
    ]


def numbers_file(chance: random.Random) -> list[list[str]]:
    rows = [["Telephone", "Status", "Office", "Provider", "Rental"]]
    for i in range(494):
        status = (
            "live"
            if i < 260
            else chance.choice(("spare", "spare", "spare", "on hold", "test line"))
        )
        rows.append([written(500 + i, i), status, chance.choice(OFFICES), "Fellgate", "0,80"])
    rows += [
        [text, "spare", "Wharf House", "Fellgate", "0,80"]
        for text in ("0113 496 05", "0113 49 60x", "tbc", "0113 496 0500", "0113 496 9501", "?")
    ]
    return rows


def people_file(chance: random.Random, all_: list[tuple[str, str, str]]) -> list[list[str]]:
    rows = [["Display name", "Mail", "Team", "Location", "Ext", "Licence"]]
    for i, (name, mail, extension) in enumerate(all_):
        first, last = name.split(" ", 1)
        shown = f"{last}, {first}" if i % 3 == 0 else name
        licence = (
            ("Staff seat + Home calling", "Staff seat", "", "Home calls")[i % 4] if i < 24 else ""
        )
        rows.append(
            [
                shown,
                "" if i % 63 == 5 else mail,
                chance.choice(TEAMS),
                chance.choice(OFFICES),
                extension,
                licence,
            ]
        )
    return rows


def phones_file(all_: list[tuple[str, str, str]]) -> list[list[str]]:
    rows = [["Who", "Direct dial", "Place"]]
    for i, (name, _mail, extension) in enumerate(all_[:256]):
        who = name
        if i % 40 == 7:
            who = name[:-1] + ("e" if name[-1] != "e" else "a")
        elif i % 3 == 1:
            first, last = name.split(" ", 1)
            who = f"{last}, {first}"
        rows.append([who, written(500 + i, i + 3), PLACES[i % len(PLACES)]])
        del extension
    rows += [[all_[i][0], written(500 + i + 1, i), ""] for i in (10, 60, 110, 160)]
    return rows


def extensions_file(all_: list[tuple[str, str, str]]) -> list[list[str]]:
    return [
        ["Ext", "Used for"],
        *(
            [extension, ("desk", "fax", "lift", "door")[i % 4]]
            for i, (_n, _m, extension) in enumerate(all_[:60])
        ),
    ]


def save(name: str, rows: list[list[str]], *, delimiter: str, encoding: str, ends: str) -> int:
    out = io.StringIO(newline="")
    csv.writer(out, delimiter=delimiter, lineterminator=ends).writerows(rows)
    (TO / name).write_bytes(out.getvalue().encode(encoding))
    return len(rows) - 1


def main() -> None:
    chance = random.Random(11)
    TO.mkdir(exist_ok=True)
    all_ = people(chance)
    total = save(
        "numbers at the carrier.csv",
        numbers_file(chance),
        delimiter=";",
        encoding="utf-8",
        ends="\r\n",
    )
    total += save(
        "staff list.csv", people_file(chance, all_), delimiter=",", encoding="cp1252", ends="\n"
    )
    total += save(
        "who has which phone.txt", phones_file(all_), delimiter="\t", encoding="utf-16", ends="\r\n"
    )
    total += save(
        "extensions.csv", extensions_file(all_), delimiter=",", encoding="utf-8-sig", ends="\r"
    )
    sys.stdout.write(f"{total:,} rows\n")


if __name__ == "__main__":
    main()

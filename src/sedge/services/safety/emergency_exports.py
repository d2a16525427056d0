"""Emergency data for other systems: PIDF-LO of spots and numbers, spots as CSV out and in."""

import csv
import io
from collections import Counter
from collections.abc import Sequence

from sedge.core.access.roles import May
from sedge.core.changes import changed
from sedge.core.errors import NotAllowedNow, NotUnderstood
from sedge.core.estate import Change
from sedge.core.numbers.plan import COUNTRIES
from sedge.core.records import Address, Number, Site, Spot, Subject
from sedge.core.safety.spots import floor_problem, needs_detail, spot_code
from sedge.formats.pidf_lo import Place, pidf_lo
from sedge.services.context import Context, Reading
from sedge.services.safety import address_change_notices
from sedge.services.safety import spots as places
from sedge.store.schema import tables

COLUMNS = (
    "code",
    "site",
    "name",
    "building",
    "floor",
    "wing",
    "room",
    "note",
    "country",
    "region",
    "city",
    "street",
    "house_number",
    "postcode",
    "latitude",
    "longitude",
    "confirmed_at",
)
MOST_ROWS = 10_000


def spot_pidf_lo(context: Context, code: str) -> bytes:
    """A spot as other systems take it. Raises NotFound."""
    with context.reading() as reading:
        spot = reading.records.the(Spot, code)
        address, site = (
            reading.records.the(Address, spot.address),
            reading.records.the(Site, spot.site),
        )
    return pidf_lo(
        _place(
            context, spot, address, site, f"pres:{code.lower()}@{context.organisation.id}.example"
        )
    )


def number_pidf_lo(context: Context, e164: str) -> bytes:
    """Where help goes for a number. Raises NotFound, NotAllowedNow where it has no spot."""
    with context.reading() as reading:
        number = reading.records.the(Number, e164)
        if not number.spot:
            raise NotAllowedNow(f"{number.shown} has no spot. Set one first.", reason="no-spot")
        spot = reading.records.the(Spot, number.spot)
        address, site = (
            reading.records.the(Address, spot.address),
            reading.records.the(Site, spot.site),
        )
    return pidf_lo(_place(context, spot, address, site, f"tel:{e164}"))


def _place(context: Context, spot: Spot, address: Address, site: Site, entity: str) -> Place:
    e = address.elements
    civic = {
        "country": e.country,
        "A1": e.region,
        "A3": e.city,
        "RD": e.street,
        "HNO": e.house_number,
        "PC": e.postcode,
        "LMK": e.landmark,
        "BLD": spot.building or e.building,
        "FLR": spot.floor,
        "ROOM": spot.room,
        "NAM": site.name,
        "LOC": ", ".join(x for x in (spot.wing, spot.note) if x),
        "ADDCODE": spot.id,
    }
    return Place(
        entity,
        spot.id,
        civic,
        COUNTRIES[e.country].language,
        spot.confirmed_at or context.now(),
        address.point,
    )


def spots_csv(context: Context) -> str:
    """Every spot in use with its civic address (RFC 4180, UTF-8)."""
    with context.reading() as reading:
        spots = reading.records.where(Spot, order_by=tables.spot.c.id)
        addresses = {a.id: a for a in reading.records.all(Address)}
    out = io.StringIO()
    writer: csv.DictWriter[str] = csv.DictWriter(out, list(COLUMNS), lineterminator="\r\n")
    writer.writeheader()
    for s in spots:
        if s.removed:
            continue
        address = addresses[s.address]
        point = address.point or ("", "")
        row = {
            "code": s.id,
            "site": s.site,
            **{n: getattr(s, n) for n in ("name", "building", "floor", "wing", "room", "note")},
        }
        row |= {
            n: getattr(address.elements, n)
            for n in ("country", "region", "city", "street", "house_number", "postcode")
        }
        writer.writerow(
            {
                **row,
                "latitude": point[0],
                "longitude": point[1],
                "confirmed_at": s.confirmed_at.isoformat() if s.confirmed_at else "",
            }
        )
    return out.getvalue()


def spots_in(context: Context, content: bytes, *, dry_run: bool = False) -> dict[str, object]:
    """Spots out of a CSV: with a known code their words are changed, without one they are added to
    the site named. All rows or none.

    Gives how many are new, changed, the same, and what is wrong by line. Raises NotUnderstood for
    what is no table.
    """
    context.require(May.CHANGE_SAFETY)
    try:
        rows = list(csv.DictReader(io.StringIO(content.decode("utf-8-sig"))))
    except (UnicodeDecodeError, csv.Error) as error:
        raise NotUnderstood(
            "This is no CSV in UTF-8. Save it as such and choose it again.", field="file"
        ) from error
    if not rows or "site" not in (rows[0] or {}):
        raise NotUnderstood(
            "The first line must name the columns; “site” and “floor”, “room” or “name” at least.",
            field="file",
        )
    if len(rows) > MOST_ROWS:
        raise NotUnderstood(
            f"At most {MOST_ROWS:,} spots at a time; these are {len(rows):,}.", field="file"
        )
    with context.reading() as reading:
        known = {s.id: s for s in reading.records.all(Spot)}
        sites = {s.id: s.id for s in reading.records.all(Site)} | {
            s.name.casefold(): s.id for s in reading.records.all(Site)
        }
    plan = [_row(i, row, known, sites) for i, row in enumerate(rows, start=2)]
    bad = [why for _, _, why in plan if why]
    counts = {
        what: sum(1 for w, _, why in plan if w == what and not why)
        for what in ("new", "changed", "same")
    }
    if dry_run and not bad:
        with context.reading() as reading:
            _changes(
                context, reading, [(what, row) for what, row, _ in plan]
            )  # only looking says what doing would
    if bad or dry_run:
        return {**counts, "bad": bad[:100], "done": False}
    with context.writing(reason="spots from a file") as writing:
        changes = _changes(context, writing, [(what, row) for what, row, _ in plan])
        moved = [c.id for c in changes if c.before is not None]
        writing.save([*changes, *address_change_notices.out_of_date(writing, moved)])
    if moved:
        address_change_notices.draft_notices(context, "what a file changed")
    return {**counts, "bad": [], "done": True}


def _changes(
    context: Context, writing: Reading, rows: Sequence[tuple[str, dict[str, str]]]
) -> list[Change]:
    """All changes of a file together, so that they land together or not at all. Raises
    NotUnderstood naming the row."""
    sites = {s.id: s for s in writing.records.all(Site)}
    addresses = {a.id: a for a in writing.records.all(Address)}
    known = {s.id: s for s in writing.records.all(Spot)}
    last: Counter[str] = Counter()
    for s in known.values():
        last[s.site] = max(last[s.site], int(s.id.split("-")[1]))
    changes: list[Change] = []
    for what, row in rows:
        words = {name: row[name] for name in places.LENGTHS}
        words["name"] = words["name"] or ", ".join(x for x in (row["floor"], row["room"]) if x)
        if what == "changed":
            spot = known[row["code"]]
            _detailed(addresses[spot.address], spot.whole, row)
            changes.append(
                changed(
                    Subject.SPOT,
                    spot,
                    spot.copy_with(**words, confirmed_at=writing.now, confirmed_by=context.actor),
                    "spot.changed",
                )
            )
        elif what == "new":
            site = sites[row["site"]]
            if site.address is None:
                raise NotUnderstood(
                    f"{site.name} has no civic address yet. Give it one first.", field="file"
                )
            _detailed(addresses[site.address], False, row)
            last[site.id] += 1
            code = spot_code(site.code, last[site.id])
            plain = Spot(
                id=code,
                address=site.address,
                site=site.id,
                name="",
                confirmed_at=writing.now,
                confirmed_by=context.actor,
            )
            fresh = plain.copy_with(**words)
            changes.append(changed(Subject.SPOT, None, fresh, "spot.added"))
    return changes


def _detailed(address: Address, whole: bool, row: dict[str, str]) -> None:
    missing = next((name for name in ("floor", "room") if not row[name]), "")
    if needs_detail(address) and not whole and missing:
        raise NotUnderstood(
            f"{row['code'] or row['name'] or row['room']}: say the {missing}, or help would"
            " search.",
            field="file",
        )
    if wrong := floor_problem(row["floor"], address):
        raise NotUnderstood(f"{row['code'] or row['name'] or row['room']}: {wrong}", field="file")


def _row(
    line: int, row: dict[str, str], known: dict[str, Spot], sites: dict[str, str]
) -> tuple[str, dict[str, str], str]:
    words = {
        name: (row.get(name) or "").strip()
        for name in ("code", "site", "name", "building", "floor", "wing", "room", "note")
    }
    words["site"] = sites.get(words["site"], sites.get(words["site"].casefold(), ""))
    if words["code"]:
        spot = known.get(words["code"])
        if spot is None:
            return "changed", words, f"line {line}: there is no spot {words['code']}"
        same = all(getattr(spot, n) == words[n] for n in places.LENGTHS)
        return ("same" if same else "changed"), words, ""
    if not words["site"]:
        return "new", words, f"line {line}: no site “{(row.get('site') or '')[:40]}” is here"
    if not (words["floor"] or words["room"] or words["name"]):
        return "new", words, f"line {line}: say floor, room or name"
    return "new", words, ""

"""What somebody who is kept to sites can read: views that stand in front of the tables, on
connections of their own.

A temporary view hides the table of its name, so every query of a scoped connection sees only those
sites, whatever function wrote it. Carriers, products, accounts, groups and call paths belong to the
whole organisation and are seen whole. The index of words (`store.finder`) can't be seen through a
view; its hits are checked against the views by who reads them.
"""

# a view takes no parameters; all that is put in are names of our own tables and quoted ids of sites
# ruff: noqa: S608
from collections.abc import Iterable

from sqlalchemy import MetaData

from sedge.core.enums import Subject

TOTALS = ("facet", "movement")  # with rows for all sites together, whose site is ''
BY_NUMBER = ("number_tag", "proof")
SUBJECTS = {
    Subject.PERSON.value: "person",
    Subject.SERVICE_LINE.value: "service_line",
    Subject.SITE.value: "site",
    Subject.SPOT.value: "spot",
    Subject.DEVICE.value: "device",
    Subject.ORDER.value: "supply_order",
    Subject.GRANT.value: "licence_grant",
    Subject.PROOF.value: "proof",
    Subject.TRUNK.value: "trunk",
    Subject.SBC.value: "sbc",
    Subject.ADDRESS.value: "address",
    Subject.DOWNSTREAM.value: "downstream",
}


def views(sites: Iterable[str], metadata: MetaData) -> list[str]:
    """The statements that put the views in front of an estate's tables, in order."""
    here = "(" + ", ".join("'" + site.replace("'", "''") + "'" for site in sorted(sites)) + ")"
    made = [_view("site", f"id IN {here}")]
    with_site = [t.name for t in metadata.sorted_tables if "site" in t.c and t.name not in TOTALS]
    made += [_view(name, f"site IN {here}") for name in with_site]
    for name in TOTALS:
        others = [c.name for c in metadata.tables[name].c if c.name not in {"site", "count", "net"}]
        amount = "count" if "count" in metadata.tables[name].c else "net"
        listed = ", ".join(others)
        made.append(
            f"CREATE TEMP VIEW {name} AS SELECT site, {listed}, {amount} FROM main.{name} WHERE"
            f" site IN {here} UNION ALL SELECT '', {listed}, sum({amount}) FROM main.{name} WHERE"
            f" site IN {here} GROUP BY {listed}"
        )
    made += [_view(name, "number IN (SELECT number FROM life)") for name in BY_NUMBER]
    made.append(_view("device", "person IN (SELECT id FROM person)"))
    made.append(
        _view(
            "licence_grant",
            _of("holder_kind", "holder_id", {"person": "person", "service_line": "service_line"}),
        )
    )
    made.append(_view("supply_order", f"json_extract(body, '$.site') IN {here}"))
    made.append(_view("order_touch", _of("subject", "ref", SUBJECTS)))
    about = "SELECT 1 FROM {0}.order_touch t WHERE t.work_order = main.work_order.id"
    made.append(
        _view(
            "work_order", f"EXISTS ({about.format('temp')}) OR NOT EXISTS ({about.format('main')})"
        )
    )
    made.append(
        _view(
            "ledger",
            _of("subject", "subject_id", {**SUBJECTS, Subject.WORK_ORDER.value: "work_order"}),
        )
    )
    made.append(_view("known_as", _of("subject", "ref", SUBJECTS)))
    return made


def _view(name: str, condition: str) -> str:
    return f"CREATE TEMP VIEW {name} AS SELECT * FROM main.{name} WHERE {condition}"


def _of(kind: str, key: str, tables: dict[str, str]) -> str:
    """Rows about a number, or about a record of one of the tables, that is seen; and about all that
    belongs to no site."""
    seen = [
        f"({kind} = '{name}' AND {key} IN (SELECT id FROM {table}))"
        for name, table in tables.items()
    ]
    listed = ", ".join(f"'{name}'" for name in (*tables, Subject.NUMBER.value))
    number = (
        f"({kind} = 'number' AND CAST(ltrim({key}, '+') AS INTEGER) IN (SELECT number FROM life))"
    )
    return " OR ".join([number, *seen, f"{kind} NOT IN ({listed})"])

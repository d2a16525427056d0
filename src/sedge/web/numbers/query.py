"""The address of the Numbers page: its filters, order, columns, day and selection, read once and
written back as links."""

from dataclasses import dataclass, fields, replace
from datetime import datetime, time
from typing import Annotated
from urllib.parse import urlencode
from zoneinfo import ZoneInfo

from fastapi import Depends, Request

from sedge.core.errors import NotUnderstood
from sedge.core.numbers.life import State
from sedge.core.numbers.plan import Kind
from sedge.core.records import Capacity, HolderKind
from sedge.services.context import Context
from sedge.services.numbers import bulk_actions
from sedge.services.numbers import numbers as number_service
from sedge.store.repositories.numbers import SORTS, Filter

PLAIN = {"view": "blocks", "sort": "number", "shape": "20"}
FRESH = ("after", "number")
HOLDER_KINDS = {"nobody": "nobody", **{k.value: k.value.replace("_", " ") for k in HolderKind}}


@dataclass(frozen=True)
class Query:
    """The filters of the page, as its address has them. `held` is the kind of holder, `at` a day,
    `pick` a selection."""

    find: str = ""
    view: str = "blocks"
    state: str = ""
    site: str = ""
    carrier: str = ""
    capacity: str = ""
    kind: str = ""
    held: str = ""
    tag: str = ""
    attention: str = ""
    sort: str = "number"
    show: str = ""
    group: str = ""
    shape: str = "20"
    within: str = ""
    at: str = ""
    pick: str = ""
    after: str = ""
    number: str = ""

    def link(self, **changes: object) -> str:
        """This page with other filters, from the first page, without the chosen number unless it is
        given."""
        return "/numbers" + self._asked(**{**dict.fromkeys(FRESH, ""), **changes})

    def _asked(self, **changes: object) -> str:
        query = replace(
            self, **{key: str(value) if value else "" for key, value in changes.items()}
        )
        kept = {k: v for k, v in vars(query).items() if v and PLAIN.get(k) != v}
        return "?" + urlencode(kept) if kept else ""

    @property
    def here(self) -> str:
        return self.link(after=self.after, number=self.number)

    @property
    def keep(self) -> str:
        """The query string in front of a chosen number."""
        asked = self._asked(number="")
        return asked[1:] + "&" if asked else ""

    @property
    def kept(self) -> str:
        """What a saved view remembers: everything but the place on it."""
        return self._asked(after="", number="")[1:]

    def kept_fields(self, *without: str) -> list[tuple[str, str]]:
        """What a form on the page sends along, but for some filters and the place on it."""
        left_out = {*without, *FRESH}
        return [
            (k, v) for k, v in vars(self).items() if v and k not in left_out and PLAIN.get(k) != v
        ]

    def export(self, form: str) -> str:
        return f"/exports/numbers.{form}" + self._asked(after="", number="")

    @property
    def is_list(self) -> bool:
        return self.view == "list" or bool(
            self.find or self.attention or self.held or self.tag or self.kind or self.pick
        )

    @property
    def narrowed(self) -> int:
        """How many filters are set."""
        names = (
            "find",
            "state",
            "site",
            "carrier",
            "capacity",
            "kind",
            "held",
            "tag",
            "attention",
            "pick",
            "within",
        )
        return sum(1 for name in names if getattr(self, name))

    @property
    def range(self) -> tuple[int, int] | None:
        """The numbers that `within`, their leading digits and an x for each free one, stands
        for."""
        lead = self.within.rstrip("x")
        free = len(self.within) - len(lead)
        return (int(lead + "0" * free), int(lead + "9" * free)) if lead else None

    def filter(self, context: Context) -> Filter:
        search = number_service.meant(context, self.find) if self.find else None
        return Filter(
            search,
            self.state,
            self.site,
            self.carrier,
            self.capacity,
            None,
            bool(self.attention),
            self.kind,
            self.held,
            self.tag,
            bulk_actions.named(context, self.pick) if self.pick else None,
        )


def query_of(request: Request) -> Query:
    """Read from the address; a value that no longer means anything is left out, so an old link
    still opens."""
    known = {f.name for f in fields(Query)}
    given = {
        key: value.strip()[:200]
        for key, value in request.query_params.items()
        if key in known and value.strip()
    }
    if len(pick := request.query_params.get("pick", "")) <= 4000:
        given |= {"pick": pick} if pick else {}
    allowed = {
        "view": {"list", "blocks"},
        "state": set(State),
        "capacity": set(Capacity),
        "kind": set(Kind),
        "held": set(HOLDER_KINDS),
        "sort": {*SORTS, *(f"-{name}" for name in SORTS)},
        "group": {"area"},
        "shape": {"10", "20"},
        "attention": {"1"},
    }
    for key, values in allowed.items():
        if key in given and given[key] not in values:
            del given[key]
    given["number"] = "".join(c for c in given.get("number", "") if c.isdecimal() and c.isascii())[
        :15
    ]
    within = given.get("within", "")
    lead = within.rstrip("x")
    if not (
        lead.isascii()
        and lead.isdecimal()
        and 6 <= len(within) <= 15
        and len(within) - len(lead) <= 4
    ):
        given["within"] = ""
    given["site"], given["carrier"] = given.get("site", "")[:80], given.get("carrier", "")[:80]
    return Query(**given)


ThePage = Annotated[Query, Depends(query_of)]


def end_of_day(context: Context, day: str, field: str = "at") -> datetime | None:
    """The last moment of a day at home; None for '' . Raises NotUnderstood."""
    if not day:
        return None
    try:
        zone: ZoneInfo = context.installation.home_zone(context.who.organisation)
        return datetime.combine(datetime.fromisoformat(day).date(), time.max, zone)
    except (ValueError, OverflowError) as error:
        raise NotUnderstood("Type the day as 2026-03-12.", field=field) from error

"""Paperwork: what carriers want to see before they sell, what is on file, and until when that is
good.

The requirements are a table by country, kind of number and carrier, so that another carrier's is a
row and no code.
"""

from collections.abc import Iterable
from dataclasses import dataclass
from datetime import date, timedelta

from sedge.core.numbers.plan import Kind
from sedge.core.records import Document


@dataclass(frozen=True)
class Paper:
    """A kind of paper. `of_site`: it speaks of one site, and is no use for another. `most_days`:
    how old it may be."""

    name: str
    shows: str
    of_site: bool = False
    most_days: int | None = None


PAPERS = {
    p.name: p
    for p in (
        Paper(
            "proof of local address",
            "that we have premises in the numbers' area: a lease, or a bill of water or power",
            of_site=True,
            most_days=180,
        ),
        Paper(
            "register extract",
            "who we are and who may sign, from the register of companies or associations",
            most_days=365,
        ),
        Paper("statement of use", "for what free-phone numbers will be used, signed"),
        Paper("bill of a losing carrier", "its latest, from which the account of a port is copied"),
        Paper("letter about a port", "what goes with an answer to a losing carrier"),
    )
}


@dataclass(frozen=True)
class Requirement:
    """`kinds`: of number; none named: of any."""

    country: str
    carrier: str
    papers: tuple[str, ...]
    kinds: tuple[Kind, ...] = ()


REQUIREMENTS = (
    Requirement(
        "DE", "brackwater", ("proof of local address", "register extract"), (Kind.GEOGRAPHIC,)
    ),
    Requirement("US", "maplecourt", ("statement of use",), (Kind.TOLL_FREE,)),
    Requirement("CA", "maplecourt", ("statement of use",), (Kind.TOLL_FREE,)),
)


@dataclass(frozen=True)
class Held:
    """A paper that is asked for: the document that serves, until when it does (None: without end),
    or why none does."""

    paper: Paper
    document: Document | None
    good_until: date | None
    problem: str


def asked(carrier: str, sold: Iterable[tuple[str, Kind]]) -> list[Paper]:
    """The papers a carrier asks for numbers of these countries and kinds."""
    names: dict[str, None] = {}
    for country, kind in dict.fromkeys(sold):
        for r in REQUIREMENTS:
            if (r.carrier, r.country) == (carrier, country) and (not r.kinds or kind in r.kinds):
                names |= dict.fromkeys(r.papers)
    return [PAPERS[name] for name in names]


def good_until(document: Document) -> date | None:
    """The last day on which a document serves: its own end, or the age at which carriers take it no
    longer."""
    most = PAPERS[document.paper].most_days if document.paper in PAPERS else None
    too_old = document.issued_on + timedelta(days=most) if most and document.issued_on else None
    ends = [day for day in (document.valid_until, too_old) if day]
    return min(ends, default=None)


def held(paper: Paper, documents: Iterable[Document], site: str, today: date) -> Held:
    """The document on file that serves longest, or what is wrong with those there are."""
    ours = [d for d in documents if d.paper == paper.name and not d.withdrawn]
    here = [d for d in ours if not paper.of_site or d.site == site]
    if not here:
        return Held(
            paper, None, None, "there is one, but of another site" if ours else "none is on file"
        )
    serving = [
        d
        for d in here
        if (good_until(d) or today) >= today and not (paper.most_days and d.issued_on is None)
    ]
    if serving:
        best = max(serving, key=lambda d: (good_until(d) or date.max, d.at))
        return Held(paper, best, good_until(best), "")
    ended = max((day for d in here if (day := good_until(d))), default=None)
    return Held(
        paper,
        None,
        None,
        (
            f"the one on file served until {ended:%-d %B %Y}"
            if ended
            else "nobody says from which day the one on file is"
        ),
    )

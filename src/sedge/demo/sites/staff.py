"""Made-up people for the Trust's further sites, by country; always the same ones."""

from collections.abc import Iterator
from itertools import islice

from sedge.demo.people import FIRST, LAST, demo_people

GERMAN_FIRST = (
    "Antje",
    "Bastian",
    "Carsten",
    "Dörte",
    "Eike",
    "Friederike",
    "Gesa",
    "Hauke",
    "Ilka",
    "Jannis",
    "Katrin",
    "Lutz",
    "Merle",
    "Nils",
    "Oda",
    "Paula",
)
GERMAN_LAST = (
    "Abendroth",
    "Birkholz",
    "Clausen",
    "Dornbusch",
    "Ebeling",
    "Fährmann",
    "Grünwald",
    "Holzapfel",
    "Irmisch",
    "Jessen",
    "Kranich",
    "Lindwurm",
    "Morgenstern",
)
AMERICAN_FIRST = (
    "Abigail",
    "Beau",
    "Clementine",
    "Darius",
    "Esme",
    "Felipe",
    "Georgia",
    "Holden",
    "Imani",
    "Jasper",
    "Keiko",
    "Lucille",
    "Mateo",
    "Nadia",
)
AMERICAN_LAST = (
    "Alderwood",
    "Beaucourt",
    "Castellan",
    "Delacroix",
    "Everhart",
    "Fontenot",
    "Greenleaf",
    "Hollister",
    "Ishikawa",
    "Juniper",
    "Kestrel",
)
POOLS = {  # first and last names, and by how much each goes on from one person to the next
    "GB": (FIRST, LAST, 11, 13),
    "DE": (GERMAN_FIRST, GERMAN_LAST, 1, 1),
    "US": (AMERICAN_FIRST, AMERICAN_LAST, 1, 1),
}
AT_HOME = {person.name for person in demo_people(86)}


def staff_of(
    country: str, count: int, rooms: int, jobs: tuple[str, ...], *, after: int = 0
) -> tuple[tuple[str, str, int], ...]:
    """So many made-up people: name, job and room (from 1). `after` that many of the country whom
    other sites have."""
    names = islice((n for n in _names(country) if n not in AT_HOME), after, after + count)
    return tuple((name, jobs[i % len(jobs)], 1 + i % rooms) for i, name in enumerate(names))


def _names(country: str) -> Iterator[str]:
    """Every pair of the country's names, once."""
    first, last, step, stride = POOLS[country]
    for turn in range(len(last)):
        for i in range(len(first)):
            yield f"{first[i * step % len(first)]} {last[(i * stride + turn) % len(last)]}"

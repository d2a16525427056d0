"""The address register: which stretches of streets might be meant by what somebody typed. It gives
candidates and judges nothing."""

import re
import unicodedata
from collections import defaultdict
from collections.abc import Iterable
from functools import cache

from fastapi import APIRouter
from pydantic import BaseModel, Field
from rapidfuzz import fuzz, process

from sedge.standins.storage import Book
from sedge.standins.streets import Stretch, stretches

NEAR_CITIES, NEAR_STREETS, LEAST = 3, 25, 55.0


class Typed(BaseModel):
    country: str = Field(max_length=2)
    city: str = Field(default="", max_length=200)
    street: str = Field(default="", max_length=200)
    postcode: str = Field(default="", max_length=40)


class Index:
    """Stretches by postcode, and by city and street; a million of them are looked through in some
    milliseconds."""

    def __init__(self, every: Iterable[Stretch]) -> None:
        self.by_postcode: dict[tuple[str, str], list[Stretch]] = defaultdict(list)
        self.streets: dict[tuple[str, str], dict[str, list[Stretch]]] = defaultdict(
            lambda: defaultdict(list)
        )
        self.cities: dict[str, list[str]] = defaultdict(list)
        for s in every:
            city = plain(s.city)
            if (s.country, city) not in self.streets:
                self.cities[s.country].append(city)
            self.by_postcode[s.country, compact(s.postcode)].append(s)
            self.streets[s.country, city][plain(s.street)].append(s)

    def candidates(self, typed: Typed) -> list[Stretch]:
        """Those of the same postcode, and those with a street like it in the city named or one that
        is written alike."""
        city, street = plain(typed.city), plain(typed.street)
        found = self._alike(
            street, self.by_postcode.get((typed.country, compact(typed.postcode)), [])
        )
        near = (
            [city]
            if (typed.country, city) in self.streets
            else [
                m[0] for m in process.extract(city, self.cities[typed.country], limit=NEAR_CITIES)
            ]
        )
        for name in near:
            streets = self.streets[typed.country, name]
            for match in process.extract(
                street, streets.keys(), scorer=fuzz.ratio, limit=NEAR_STREETS, score_cutoff=LEAST
            ):
                found += streets[match[0]]
        return list(dict.fromkeys(found))

    def _alike(self, street: str, here: list[Stretch]) -> list[Stretch]:
        """All of a postcode, or the most alike where it has many."""
        if len(here) <= NEAR_STREETS:
            return list(here)
        alike = process.extract(
            street, [plain(s.street) for s in here], scorer=fuzz.ratio, limit=NEAR_STREETS
        )
        return [here[position] for _, _, position in alike]


def plain(text: str) -> str:
    """Small letters and digits without marks, one space between words."""
    bare = unicodedata.normalize("NFKD", text.casefold().replace("ß", "ss"))
    return " ".join(re.findall(r"[a-z0-9]+", bare.encode("ascii", "ignore").decode()))


def compact(text: str) -> str:
    return plain(text).replace(" ", "")


@cache
def the_index() -> Index:
    return Index(stretches())


def register_routes(book: Book) -> APIRouter:
    routes = APIRouter(prefix="/register")

    @routes.post("/candidates")
    def candidates(typed: Typed) -> dict[str, object]:
        renamed = book.all("renamed street")
        return {
            "segments": [
                {**s.plain(), "street": renamed.get(s.street, s.street)}
                for s in the_index().candidates(typed)
            ]
        }

    return routes

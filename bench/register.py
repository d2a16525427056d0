"""Addresses against a register of a million street segments: how long one verdict takes, candidates
and judgement together."""

import random
import sys
import time
from typing import Any, cast

from sedge.core.records import CivicElements
from sedge.core.safety.addresses import Segment, match
from sedge.standins.register import Index, Typed
from sedge.standins.streets import ENGLISH, SORTS, Stretch

SEGMENTS, CITIES, TYPED = 1_000_000, 400, 2000
LETTERS = "ABDEFGHJLNPQRSTUWXYZ"  # of the inner half of a British postcode


def segments() -> list[Stretch]:
    """Four hundred towns with two and a half thousand streets each."""
    chance = random.Random(5139)
    stems = [f"{one}{other.lower()}" for one in ENGLISH for other in ("", *ENGLISH)]
    found = []
    for city in range(CITIES):
        for i in range(SEGMENTS // CITIES):
            name = f"{stems[(i * 7 + city) % len(stems)]} {SORTS['GB'][i % 10]}"
            place = (
                f"AB{city % 90 + 10}"
                f" {chance.randrange(10)}{chance.choice(LETTERS)}{chance.choice(LETTERS)}"
            )
            found.append(
                Stretch(
                    name,
                    1,
                    chance.randrange(20, 200),
                    "all",
                    f"{stems[city]}ton",
                    "Region",
                    place,
                    "GB",
                    "Answering point",
                    53.0,
                    -1.0,
                )
            )
    return found


def main() -> None:
    every = segments()
    begun = time.perf_counter()
    index = Index(every)
    sys.stdout.write(f"{len(every):,} segments indexed in {time.perf_counter() - begun:.1f} s\n")
    chance = random.Random(7)
    took = []
    for _ in range(TYPED):
        s = chance.choice(every)
        at = chance.randrange(1, len(s.street) - 1)
        street = s.street[:at] + s.street[at + 1 :] if chance.random() < 0.5 else s.street
        city = s.city if chance.random() < 0.8 else s.city[:-1]
        typed = CivicElements(
            country="GB", city=city, street=street, house_number="7", postcode=s.postcode
        )
        start = time.perf_counter()
        asked = index.candidates(
            Typed(country="GB", city=typed.city, street=typed.street, postcode=typed.postcode)
        )
        match(typed, [Segment(**cast(dict[str, Any], x.plain())) for x in asked])
        took.append(time.perf_counter() - start)
    took.sort()
    sys.stdout.write(
        f"a verdict among {len(every):,}: median {took[TYPED // 2] * 1000:.1f} ms, 95th percentile"
        f" {took[TYPED * 95 // 100] * 1000:.1f} ms\n"
    )


if __name__ == "__main__":
    main()

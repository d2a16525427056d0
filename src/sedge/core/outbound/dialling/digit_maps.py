"""Digit maps (RFC 3435 §2.1.5) as automata: what they take key by key, what two have in common.

`x` is any digit, `[1-9]` one of them, `.` repeats the position before it zero or more times, `|`
separates alternatives, `T` waits for a pause and ends an alternative. Digits are 0 to 9, `*`, `#`
and A to D; a leading `+` is allowed besides.

A map is a set of lines of positions. The states of all lines are the bits of one whole number, so
that a key moves all of them at once.
"""

from collections import deque
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from functools import lru_cache
from typing import NamedTuple

from sedge.core.errors import NotUnderstood

DIGITS = "0123456789"
KEYS = DIGITS + "*#+ABCD"
MOST_ALTERNATIVES = 100
LONGEST = 400
MOST_STATES = 50_000  # of a comparison; digit maps of dial plans take some dozens


class Position(NamedTuple):
    """`keys` in the order of KEYS; `repeats` zero or more times."""

    keys: frozenset[str]
    repeats: bool = False


Line = tuple[Position, ...]
Wrong = Callable[[int, str], NotUnderstood]


@dataclass(frozen=True)
class Automaton:
    """`start` and what follows are sets of states as bits; `moves` has for each key the states that
    a key leads on from and those that it leads back to."""

    start: int
    accepting: int
    moves: dict[str, tuple[int, int]]
    skips: int

    def step(self, states: int, key: str) -> int:
        """The states after one more key; 0 where nothing takes it."""
        onward, stays = self.moves.get(key, (0, 0))
        return self.closed((states & onward) << 1 | states & stays)

    def closed(self, states: int) -> int:
        """With the states behind positions that may be left out."""
        while (more := states | (states & self.skips) << 1) != states:
            states = more
        return states

    def after(self, keys: str) -> int:
        states = self.start
        for key in keys:
            states = self.step(states, key)
        return states

    def accepts(self, keys: str) -> bool:
        return bool(self.after(keys) & self.accepting)

    def wants_more(self, states: int) -> bool:
        """Whether another key could still be taken."""
        return any(self.step(states, key) for key in KEYS)


def parse(text: str, field: str = "pattern") -> tuple[Line, ...]:
    """The alternatives of a digit map. Raises NotUnderstood, naming the place."""
    text = "".join(text.split())
    if text.startswith("(") and text.endswith(")"):
        text = text[1:-1]
    if not text:
        raise NotUnderstood("A digit map needs at least one digit.", field=field, reason="empty")
    if len(text) > LONGEST:
        message = f"A digit map has at most {LONGEST} characters; this one has {len(text)}."
        raise NotUnderstood(message, field=field, reason="too-long")
    parts = text.split("|")
    if len(parts) > MOST_ALTERNATIVES:
        message = f"A digit map has at most {MOST_ALTERNATIVES} alternatives; split it into rules."
        raise NotUnderstood(message, field=field, reason="too-many")
    return tuple(_line(part, field) for part in parts)


def _line(part: str, field: str) -> Line:
    def wrong(at: int, why: str) -> NotUnderstood:
        return NotUnderstood(f"“{part}”, character {at + 1}: {why}", field=field, reason="pattern")

    if not part:
        message = "An alternative is empty: there is a | too many."
        raise NotUnderstood(message, field=field, reason="pattern")
    line: list[Position] = []
    at = 0
    while at < len(part):
        key = part[at].upper()
        if key == ".":
            if not line or line[-1].repeats:
                raise wrong(at, "“.” repeats the digit before it, and there is none.")
            line[-1] = line[-1]._replace(repeats=True)
        elif key == "T":
            if at + 1 < len(part):
                raise wrong(at, "“T” waits for a pause, so nothing can follow it.")
        else:
            keys, at = _position(part, at, wrong)
            line.append(Position(keys))
        at += 1
    if not line:
        raise wrong(0, "it takes no digit at all.")
    return tuple(line)


def _position(part: str, at: int, wrong: Wrong) -> tuple[frozenset[str], int]:
    """The keys of the position that begins at a character, and the last character of it."""
    key = part[at].upper()
    if key == "X":
        return frozenset(DIGITS), at
    if key == "[":
        end = part.find("]", at)
        if end < 0:
            raise wrong(at, "“[” is not closed by “]”.")
        return _range(part[at + 1 : end], at, wrong), end
    if key == "+" and at:
        raise wrong(at, "“+” stands in front only.")
    if key not in KEYS:
        raise wrong(at, f"“{part[at]}” is neither a digit nor x, [..], ., | or T.")
    return frozenset(key), at


def _range(inside: str, at: int, wrong: Wrong) -> frozenset[str]:
    keys: set[str] = set()
    i = 0
    while i < len(inside):
        key = inside[i].upper()
        if inside[i + 1 : i + 2] == "-" and i + 2 < len(inside):
            last = inside[i + 2]
            if key not in DIGITS or last not in DIGITS or last < key:
                raise wrong(at, f"“{inside[i : i + 3]}” is no range of digits.")
            keys.update(DIGITS[int(key) : int(last) + 1])
            i += 3
            continue
        if key not in KEYS or key == "+":
            raise wrong(at, f"“{inside[i]}” is no digit.")
        keys.add(key)
        i += 1
    if not keys:
        raise wrong(at, "“[]” holds no digit.")
    return frozenset(keys)


@lru_cache(4096)
def automaton(text: str) -> Automaton:
    """Raises NotUnderstood."""
    return union([parse(text)])


def union(maps: Sequence[tuple[Line, ...]]) -> Automaton:
    """One automaton that takes what any of the maps takes."""
    start = accepting = skips = 0
    onward = dict.fromkeys(KEYS, 0)
    stays = dict.fromkeys(KEYS, 0)
    at = 0
    for line in (line for lines in maps for line in lines):
        start |= 1 << at
        for position in line:
            for key in position.keys:
                (stays if position.repeats else onward)[key] |= 1 << at
            if position.repeats:
                skips |= 1 << at
            at += 1
        accepting |= 1 << at
        at += 1
    found = Automaton(start, accepting, {key: (onward[key], stays[key]) for key in KEYS}, skips)
    return Automaton(found.closed(start), accepting, found.moves, skips)


def matches(text: str, keys: str) -> bool:
    """Whether a digit map takes exactly these keys. Raises NotUnderstood."""
    return automaton(text).accepts(keys)


def in_common(one: str, other: str) -> str | None:
    """The shortest keys that both maps take, one at least; None where there are none. Raises
    NotUnderstood."""
    found = (
        example
        for mine in parse_once(one)
        for theirs in parse_once(other)
        if (example := _lines_in_common(mine, theirs)) is not None
    )
    return min(found, key=lambda keys: (len(keys), keys), default=None)


@lru_cache(4096)
def parse_once(text: str) -> tuple[Line, ...]:
    return parse(text)


def _lines_in_common(mine: Line, theirs: Line) -> str | None:
    """Breadth first over the pairs of positions of two lines."""
    ways: dict[tuple[int, int], str] = {(0, 0): ""}
    queue = deque(ways)
    while queue:
        i, j = queue.popleft()
        keys = ways[i, j]
        if i == len(mine) and j == len(theirs):
            return keys or _one_key(mine, theirs)
        for (ni, nj), key in _next_pairs(mine, theirs, i, j):
            if (ni, nj) not in ways:
                ways[ni, nj] = keys + key
                (queue.append if key else queue.appendleft)((ni, nj))
    return None


def _one_key(mine: Line, theirs: Line) -> str | None:
    """A single key that both take where each takes none, too, since all their positions repeat."""
    shared = {key for a in mine for b in theirs for key in a.keys & b.keys}
    return min(shared, key=KEYS.index, default=None)


def _next_pairs(mine: Line, theirs: Line, i: int, j: int) -> Iterator[tuple[tuple[int, int], str]]:
    if i < len(mine) and mine[i].repeats:
        yield (i + 1, j), ""
    if j < len(theirs) and theirs[j].repeats:
        yield (i, j + 1), ""
    if i == len(mine) or j == len(theirs):
        return
    if shared := mine[i].keys & theirs[j].keys:
        key = min(shared, key=KEYS.index)
        yield (i if mine[i].repeats else i + 1, j if theirs[j].repeats else j + 1), key


class Undecided(NotUnderstood):
    """A comparison that would take too many states."""


def left_over(one: str, others: Sequence[str]) -> str | None:
    """The shortest keys, one at least, that `one` takes and none of `others` does; None where they
    take all of them. Raises NotUnderstood; Undecided where that takes more than MOST_STATES."""
    mine = automaton(one)
    theirs = union([parse_once(text) for text in others])
    ways: dict[tuple[int, int], str] = {}
    queue = deque([(mine.start, theirs.start)])
    while queue:
        states, seen = queue.popleft()
        keys = ways.get((states, seen), "")
        if keys and states & mine.accepting and not seen & theirs.accepting:
            return keys
        for key in KEYS:
            if not (following := mine.step(states, key)):
                continue
            pair = (following, theirs.step(seen, key))
            if pair not in ways:
                ways[pair] = keys + key
                queue.append(pair)
        if len(ways) > MOST_STATES:
            raise Undecided("This digit map is too entangled with others to compare.")
    return None


def goes_on_from(text: str, keys: str) -> str | None:
    """The shortest longer keys that begin with `keys` and that a map takes; None where none do.

    A phone that waits for the longest match would wait after `keys`.
    """
    found = automaton(text)
    states = found.after(keys)
    ways = {states: keys}
    queue = deque([states] if states else [])
    while queue:
        states = queue.popleft()
        for key in KEYS:
            following = found.step(states, key)
            if following & found.accepting:
                return ways[states] + key
            if following and following not in ways:
                ways[following] = ways[states] + key
                queue.append(following)
    return None


def in_words(text: str) -> str:
    """`9, then 0, then a digit of 1 to 9, then 5 digits or more`; alternatives joined by *or*."""
    return "; or ".join(_line_in_words(line) for line in parse_once(text))


def _line_in_words(line: Line) -> str:
    words: list[str] = []
    i = 0
    while i < len(line):
        if len(line[i].keys) == 1 and not line[i].repeats:
            literal = ""
            while i < len(line) and len(line[i].keys) == 1 and not line[i].repeats:
                literal += min(line[i].keys)
                i += 1
            words.append(literal)
            continue
        least, more, keys = 0, False, line[i].keys
        while i < len(line) and line[i].keys == keys:
            least += not line[i].repeats
            more |= line[i].repeats
            i += 1
        words.append(_run_in_words(keys, least, more=more))
    return ", then ".join(words)


def _run_in_words(keys: frozenset[str], least: int, *, more: bool) -> str:
    if keys == frozenset(DIGITS):
        what = "1 digit" if least == 1 else f"{least} digits" if least else "any digits"
    else:
        of = _keys_in_words(keys)
        what = f"a digit of {of}" if least == 1 else f"{least} digits of {of}" if least else of
    return f"{what} or more" if more and least else f"{what}, or none" if more else what


def _keys_in_words(keys: frozenset[str]) -> str:
    """`1 to 9`, `2, 4 or 7`."""
    runs: list[list[str]] = []
    for key in sorted(keys, key=KEYS.index):
        if runs and key in DIGITS and DIGITS.find(key) == DIGITS.find(runs[-1][-1]) + 1:
            runs[-1].append(key)
        else:
            runs.append([key])
    parts = [
        r[0] if len(r) == 1 else f"{r[0]} to {r[-1]}" if len(r) > 2 else f"{r[0]} or {r[1]}"
        for r in runs
    ]
    return parts[0] if len(parts) == 1 else ", ".join(parts[:-1]) + f" or {parts[-1]}"

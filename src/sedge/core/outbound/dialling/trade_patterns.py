"""Patterns as other equipment writes them, converted to digit maps where that means the same, else
refused with the reason."""

from collections.abc import Callable
from enum import StrEnum
from itertools import product
from typing import NamedTuple

from sedge.core.errors import NotUnderstood
from sedge.core.outbound.dialling.digit_maps import DIGITS, KEYS, MOST_ALTERNATIVES, parse

MOST_REPEATED = 20


class Notation(StrEnum):
    """How a pattern is written."""

    DIGIT_MAP = "digit map"
    UNDERSCORE = "letters after an underscore"
    BAR = "prefix, bar, pattern"
    REGEX = "regular expression"


class Converted(NamedTuple):
    """`strip` keys of the front are not part of what is called."""

    pattern: str
    strip: int = 0


def notation_of(text: str) -> Notation:
    """How a pattern seems to be written. A bar alone tells nothing: it separates alternatives in a
    digit map."""
    text = text.strip()
    if text.startswith("_"):
        return Notation.UNDERSCORE
    if text.startswith("^") or text.endswith("$") or "\\d" in text or "{" in text:
        return Notation.REGEX
    return Notation.DIGIT_MAP


def convert(text: str, notation: Notation, field: str = "pattern") -> Converted:
    """A pattern as a digit map. Raises NotUnderstood with what has no equivalent."""
    text = text.strip()
    match notation:
        case Notation.DIGIT_MAP:
            found = Converted("".join(text.split()))
        case Notation.UNDERSCORE:
            found = Converted(_letters(text.removeprefix("_"), field, lower=False))
        case Notation.BAR:
            front, bar, rest = text.partition("|")
            if "|" in rest:
                raise _refused(text, "there is more than one bar", field)
            written = _letters(front + rest, field, lower=True) if bar else ""
            if not bar:
                return Converted(_checked(_letters(text, field, lower=True), field))
            found = Converted(written, len(_elements(front, field, lower=True)))
        case Notation.REGEX:
            found = Converted(_expression(text, field))
    return Converted(_checked(found.pattern, field), found.strip)


def _checked(pattern: str, field: str) -> str:
    parse(pattern, field)
    return pattern


def _refused(text: str, why: str, field: str) -> NotUnderstood:
    message = f"“{text}” can't be said as a digit map: {why}."
    return NotUnderstood(message, field=field, reason="not-equivalent")


def _letters(text: str, field: str, *, lower: bool) -> str:
    return "".join(_elements(text, field, lower=lower))


def _elements(text: str, field: str, *, lower: bool) -> list[str]:
    """X any digit, Z 1 to 9, N 2 to 9, [..] one of, `.` one digit or more, `!` none or more."""
    classes = {"X": "x", "Z": "[1-9]", "N": "[2-9]"}
    found: list[str] = []
    at = 0
    while at < len(text):
        key = text[at].upper() if lower else text[at]
        if key in classes:
            found.append(classes[key])
        elif key in ".!":
            if at + 1 < len(text):
                raise _refused(text, f"something follows “{key}”", field)
            found.append("xx." if key == "." else "x.")
        elif key == "[":
            end = text.find("]", at)
            if end < 0:
                raise _refused(text, "“[” is not closed by “]”", field)
            if text[at + 1 : at + 2] in {"^", "!"}:
                raise _refused(text, "it excludes digits; name those that are meant", field)
            found.append(text[at : end + 1])
            at = end
        elif key in KEYS:
            found.append(key)
        elif key not in " -":
            raise _refused(text, f"“{key}” has no meaning for digits", field)
        at += 1
    return found


# ── regular expressions, as far as they speak of digits ──


def _expression(text: str, field: str) -> str:
    inside = text
    if not (inside.startswith("^") and inside.endswith("$")):
        raise _refused(text, "without ^ and $ it takes numbers that merely contain it", field)
    reader = _Reader(inside[1:-1], lambda why: _refused(text, why, field))
    ways = reader.alternatives()
    if not reader.is_done:
        raise _refused(text, "a bracket is closed that was not opened", field)
    if any(not way for way in ways):
        raise _refused(text, "it takes an empty number", field)
    return "|".join(ways)


class _Reader:
    """Reads alternatives of sequences of digits, sets and groups, each with how often it comes."""

    def __init__(self, text: str, refused: Callable[[str], NotUnderstood]) -> None:
        self.text, self.at, self.refused = text, 0, refused

    @property
    def is_done(self) -> bool:
        return self.at >= len(self.text)

    def alternatives(self) -> tuple[str, ...]:
        ways: list[str] = list(self.sequence())
        while not self.is_done and self.text[self.at] == "|":
            self.at += 1
            ways += self.sequence()
        return self._kept(tuple(dict.fromkeys(ways)))

    def sequence(self) -> tuple[str, ...]:
        ways: tuple[str, ...] = ("",)
        while not self.is_done and self.text[self.at] not in "|)":
            piece = self.piece()
            ways = self._kept(tuple(a + b for a, b in product(ways, piece)))
        return ways

    def piece(self) -> tuple[str, ...]:
        once, is_group = self.atom()
        least, most = self.times()
        if most is None:
            if is_group and any(len(parse(way)[0]) != 1 for way in once if way):
                raise self.refused("a group of several digits is repeated without end")
            if len(once) != 1:
                raise self.refused("a choice is repeated without end")
            return (once[0] * least + once[0] + ".",)
        found: list[str] = []
        for count in range(least, most + 1):
            found += ["".join(parts) for parts in product(once, repeat=count)]
            self._kept(tuple(found))
        return tuple(found)

    def atom(self) -> tuple[tuple[str, ...], bool]:
        key = self.text[self.at]
        self.at += 1
        if key == "(":
            if self.text[self.at : self.at + 1] == "?":
                if self.text[self.at : self.at + 2] != "?:":
                    raise self.refused("it looks ahead or behind")
                self.at += 2
            ways = self.alternatives()
            if self.is_done:
                raise self.refused("a bracket is not closed")
            self.at += 1
            return ways, True
        if key == "\\":
            return (self.escaped(),), False
        if key == "[":
            return (self.one_of(),), False
        if key == ".":
            raise self.refused("“.” stands for any character; write \\d for a digit")
        if key in DIGITS + "*#" or key in "ABCD":
            if key in "*":
                raise self.refused("“*” repeats nothing; write \\* for the key")
            return (key,), False
        raise self.refused(f"“{key}” has no meaning for digits")

    def escaped(self) -> str:
        key = self.text[self.at : self.at + 1]
        self.at += 1
        if key == "d":
            return "x"
        if key and key in "+*#":
            return key
        raise self.refused(f"“\\{key}” has no meaning for digits")

    def one_of(self) -> str:
        end = self.text.find("]", self.at)
        if end < 0:
            raise self.refused("“[” is not closed by “]”")
        inside = self.text[self.at : end].replace("\\d", "0-9")
        if inside.startswith("^"):
            raise self.refused("it excludes digits; name those that are meant")
        self.at = end + 1
        return "x" if inside == "0-9" else f"[{inside}]"

    def times(self) -> tuple[int, int | None]:
        key = self.text[self.at : self.at + 1]
        if key and key in "+*?":
            self.at += 1
            self._greedy()
            return {"+": (1, None), "*": (0, None), "?": (0, 1)}[key]
        if key != "{":
            return 1, 1
        end = self.text.find("}", self.at)
        least, comma, most = self.text[self.at + 1 : max(end, 0)].partition(",")
        if end < 0 or not least.isdigit() or (most and not most.isdigit()):
            raise self.refused("“{” is not followed by how often")
        self.at = end + 1
        self._greedy()
        highest = int(least) if not comma else int(most) if most else None
        if max(int(least), highest or 0) > MOST_REPEATED or (highest or int(least)) < int(least):
            raise self.refused(f"something is repeated more than {MOST_REPEATED} times")
        return int(least), highest

    def _greedy(self) -> None:
        if self.text[self.at : self.at + 1] in {"?", "+"} and not self.is_done:
            raise self.refused("how greedy it is has no meaning here")

    def _kept(self, ways: tuple[str, ...]) -> tuple[str, ...]:
        if len(ways) > MOST_ALTERNATIVES:
            raise self.refused(f"it has more than {MOST_ALTERNATIVES} alternatives")
        return ways

"""What a take-over works with: rows, what is known, questions and their answers, the worksheet."""

from dataclasses import dataclass, field
from enum import StrEnum

from sedge.core.imports.directory import Directory
from sedge.core.numbers.life import State
from sedge.core.records import Account, HolderRef, PathVersion, Product, Site, Spot, Trunk

MOST_CHOICES = 12


@dataclass(frozen=True)
class Row:
    """One line of one file: what it says, by field."""

    file: int
    line: int
    said: dict[str, str]

    @property
    def key(self) -> tuple[int, int]:
        return self.file, self.line


@dataclass(frozen=True)
class Known:
    """The estate a take-over is matched against."""

    home: str
    also: tuple[str, ...]
    sites: tuple[Site, ...]
    accounts: tuple[Account, ...]
    products: tuple[Product, ...]
    paths: tuple[PathVersion, ...]
    spots: tuple[Spot, ...]
    trunks: tuple[Trunk, ...]
    holders: Directory
    taken: frozenset[int] = frozenset()


@dataclass
class Decisions:
    """`spellings` by field and word in small letters: what is meant, '' for nothing. `rows` by file
    and line: fields said otherwise."""

    spellings: dict[str, dict[str, str]] = field(default_factory=dict)
    rows: dict[tuple[int, int], dict[str, str]] = field(default_factory=dict)


class Ask(StrEnum):
    """What somebody has to settle: a word (for all rows that use it), or one row."""

    SITE = "site"
    STATE = "state"
    SPOT = "spot"
    PATH = "path"
    LICENCE = "licence"
    NUMBER = "number"
    WHO = "who"
    TWICE = "twice"
    MAIL = "mail"


WORDS = {Ask.SITE, Ask.STATE, Ask.SPOT, Ask.PATH, Ask.LICENCE}


@dataclass(frozen=True)
class Question:
    """`word` is what was written; `rows` where; `choices` are (value, words), the likeliest
    first."""

    ask: Ask
    word: str
    sentence: str
    rows: tuple[tuple[int, int], ...]
    choices: tuple[tuple[str, str], ...] = ()

    @property
    def is_word(self) -> bool:
        return self.ask in WORDS


@dataclass
class Somebody:
    """A holder the files speak of: found in the estate (`ref`), or new (`id` is the one they will
    have)."""

    ref: HolderRef | None
    id: str = ""
    name: str = ""
    email: str = ""
    site: str = ""
    department: str = ""
    extension: str = ""
    spot: str | None = None
    licences: set[str] = field(default_factory=set)
    rows: list[tuple[int, int]] = field(default_factory=list)


@dataclass
class Found:
    """A number as the files have it."""

    number: int
    state: State
    site: str
    account: str
    trunk: str | None
    who: Somebody | None
    label: str = ""
    spot: str | None = None
    path: str | None = None
    price: str = ""
    rows: list[tuple[int, int]] = field(default_factory=list)


@dataclass
class Worksheet:
    """What comes of the files with the decisions so far: numbers and people that are settled, and
    what is still asked."""

    numbers: list[Found] = field(default_factory=list)
    people: list[Somebody] = field(default_factory=list)
    questions: list[Question] = field(default_factory=list)
    here_already: list[tuple[tuple[int, int], int]] = field(default_factory=list)
    left_out: list[tuple[int, int]] = field(default_factory=list)
    rows: int = 0

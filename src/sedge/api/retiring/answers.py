"""What the JSON interface answers: what depends on a number, tidying up, closing a site."""

from typing_extensions import TypedDict

from sedge.api.answers import MoneyOut, TaskOut


class RestOut(TypedDict):
    country: str
    days: int
    toll_free: int
    own: bool


class TidyUpItemNumberOut(TypedDict):
    e164: str
    why: str
    holder: str
    since: str | None


class TidyUpItemOut(TypedDict):
    kind: str
    name: str
    total: int
    saves: list[MoneyOut]
    numbers: list[TidyUpItemNumberOut]


class TidyUpOut(TypedDict):
    days: int
    silent: bool
    saves: list[MoneyOut]
    items: list[TidyUpItemOut]
    next: None


class SiteClosureChoiceOut(TypedDict):
    then: str
    costs: list[MoneyOut]
    saves: list[MoneyOut]
    paid_until: str | None


class DependenceOut(TypedDict):
    what: str
    so: str
    grave: bool
    tasks: list[TaskOut]


class SiteClosureLostElsewhereOut(DependenceOut):
    number: str


class SiteClosureOut(TypedDict):
    site: str
    numbers: dict[str, int]
    people: int
    service_lines: int
    beyond: int
    last_term: str | None
    idle_seats: dict[str, int]
    choices: list[SiteClosureChoiceOut]
    lost_elsewhere: list[SiteClosureLostElsewhereOut]


class DependenciesChoiceOut(TypedDict):
    then: str
    gone_on: str | None
    paid_until: str | None
    costs: MoneyOut
    saves: MoneyOut
    why: list[str]


class DependenciesOut(TypedDict):
    number: str
    state: str
    depends: list[DependenceOut]
    choices: list[DependenciesChoiceOut]

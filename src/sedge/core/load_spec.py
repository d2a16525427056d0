"""What of an estate has to be loaded; what each record drags in follows by itself."""

from dataclasses import dataclass, field

from sedge.core.enums import Subject
from sedge.core.holding import HolderRef


@dataclass
class LoadSpec:
    """What has to be loaded before a task can be judged or applied. Everything a number or holder
    drags in follows."""

    numbers: set[str] = field(default_factory=set)
    holders: set[HolderRef] = field(default_factory=set)
    people: set[str] = field(default_factory=set)
    sites: set[str] = field(default_factory=set)
    spots: set[str] = field(default_factory=set)
    accounts: set[str] = field(default_factory=set)
    paths: set[str] = field(default_factory=set)
    path_users: set[str] = field(default_factory=set)
    orders: set[str] = field(default_factory=set)
    trunks: set[str] = field(default_factory=set)
    listed: set[str] = field(default_factory=set)  # trunks whose numbers are looked at
    every_site: bool = False
    holds: set[str] = field(default_factory=set)
    emails: set[str] = field(default_factory=set)
    records: set[tuple[Subject, str]] = field(default_factory=set)
    groups: bool = (
        False  # all groups, and the call paths that name the people and groups of the tasks
    )
    extensions: set[tuple[str, str]] = field(default_factory=set)
    named: set[tuple[Subject, str]] = field(default_factory=set)
    group_ids: set[str] = field(default_factory=set)
    ports: set[str] = field(default_factory=set)  # with their numbers
    port_outs: set[str] = field(default_factory=set)  # with their numbers
    shown: set[str] = field(default_factory=set)  # numbers of which it is asked who else shows them
    rung_back: set[str] = field(
        default_factory=set
    )  # numbers of which it is asked who has no other to be rung back on
    documents: bool = False
    choices: bool = (
        False  # also the first free numbers of the sites concerned, so that a remedy can name one
    )

    def __or__(self, other: "LoadSpec") -> "LoadSpec":
        return LoadSpec(
            **{
                name: getattr(self, name) | getattr(other, name)
                for name in self.__dataclass_fields__
            }
        )

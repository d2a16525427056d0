"""What a field that picks several out of many is given: value, name, and what tells those of one
name apart."""

from collections.abc import Iterable

from sedge.core.records import Group, Person

Option = tuple[str, str, str, str]  # and what else it is found by


def person_options(people: Iterable[Person], by: str = "id") -> list[Option]:
    """By id, or by mail address where the form reads what could be typed as well."""
    return [(getattr(person, by), person.name, _detail(person), person.email) for person in people]


def _detail(person: Person) -> str:
    return ", ".join(fact for fact in (person.extension, person.department) if fact)


def group_options(groups: Iterable[Group]) -> list[Option]:
    return [(group.id, group.name, f"group of {len(group.members)}", "") for group in groups]


def plain_options(pairs: Iterable[tuple[str, str]]) -> list[Option]:
    return [(value, words, "", "") for value, words in pairs]

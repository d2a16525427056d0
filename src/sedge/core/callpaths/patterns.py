"""A first form of a call path that people fill in rather than draw: hours, a menu of keys, who
answers each, a mailbox.

`plan_desk` makes a path of it, `read_desk` finds the form again in a path that has this shape.
"""

from sedge.core.callpaths.menu_keys import menu_keys
from sedge.core.callpaths.steps import (
    EXITS,
    Closure,
    Exit,
    Hours,
    Mailbox,
    Menu,
    Opening,
    Path,
    Queue,
    Ring,
    Step,
)
from sedge.core.errors import NotUnderstood
from sedge.core.facts import Fact

MOST_CHOICES = 4
ALL, IN_ORDER, QUEUED = "all at once", "in order", "queue"
WAYS = (QUEUED, ALL, IN_ORDER)
GROUP = "group:"


class Choice(Fact):
    """What a caller may choose: the key, the word spoken for it, the people behind it (ids, of
    groups with `group:` before) and how they are rung."""

    key: str
    word: str
    people: tuple[str, ...]
    way: str = QUEUED


class DeskForm(Fact):
    """A front desk: without choices nobody is asked to choose, without openings it is always
    open."""

    timezone: str
    openings: tuple[Opening, ...] = ()
    closures: tuple[Closure, ...] = ()
    holidays_of: str = ""
    greeting: str = ""
    choices: tuple[Choice, ...]
    recipients: tuple[str, ...]


def plan_desk(form: DeskForm) -> Path:
    """The path of a filled-in form. Raises NotUnderstood naming the field that is missing."""
    _complete(form)
    steps: dict[str, Step] = {}
    if form.openings:
        steps["hours"] = Hours(
            title="Opening hours",
            timezone=form.timezone,
            openings=form.openings,
            closures=form.closures,
            holidays_of=form.holidays_of,
            exits={"open": _after_hours(form), "closed": "mailbox", "holiday": "mailbox"},
        )
    if len(form.choices) > 1:
        exits = {choice.key: _step_of(choice) for choice in form.choices}
        default = _step_of(form.choices[0])
        steps["menu"] = Menu(
            greeting=form.greeting,
            keys={c.key: c.word for c in form.choices},
            exits={**exits, Exit.NO_INPUT: default, Exit.WRONG_INPUT: default},
        )
    steps |= {_step_of(choice): _answering(choice) for choice in form.choices}
    steps["mailbox"] = Mailbox(recipients=_people(form.recipients), groups=_groups(form.recipients))
    return Path(first=next(iter(steps)), steps=steps)


def read_desk(path: Path, timezone: str) -> DeskForm | None:
    """The form a path was made of; None where it has another shape, which only the picture can
    show."""
    hours, menu, mailbox = (
        path.steps.get("hours"),
        path.steps.get("menu"),
        path.steps.get("mailbox"),
    )
    rest = {
        key: step for key, step in path.steps.items() if key not in {"hours", "menu", "mailbox"}
    }
    if not isinstance(mailbox, Mailbox) or not all(
        isinstance(step, Ring | Queue) for step in rest.values()
    ):
        return None
    words = menu.keys if isinstance(menu, Menu) else {"1": ""}
    targets = (
        {key: menu.exits.get(key, "") for key in words}
        if isinstance(menu, Menu)
        else {"1": next(iter(rest), "")}
    )
    if set(targets.values()) != set(rest):
        return None
    choices = tuple(_choice(key, words[key], rest[target]) for key, target in targets.items())
    form = DeskForm(
        timezone=hours.timezone if isinstance(hours, Hours) else timezone,
        openings=hours.openings if isinstance(hours, Hours) else (),
        closures=hours.closures if isinstance(hours, Hours) else (),
        holidays_of=hours.holidays_of if isinstance(hours, Hours) else "",
        greeting=menu.greeting if isinstance(menu, Menu) else "",
        choices=choices,
        recipients=_named(mailbox.recipients, mailbox.groups),
    )
    return form if len(choices) <= MOST_CHOICES else None


def _complete(form: DeskForm) -> None:
    if not form.choices:
        raise NotUnderstood(
            "Say who answers: at least one choice with its people.", field="people1"
        )
    for i, choice in enumerate(form.choices, start=1):
        if not choice.people:
            raise NotUnderstood(
                f"Nobody answers key {choice.key}. Choose its people, or leave its word empty.",
                field=f"people{i}",
            )
        if len(form.choices) > 1 and not choice.word:
            raise NotUnderstood(
                f"Say what key {choice.key} stands for, so that callers know it.", field=f"word{i}"
            )
    menu_keys((c.key, c.word, f"word{i}") for i, c in enumerate(form.choices, start=1))
    if len(form.choices) > 1 and not form.greeting.strip():
        raise NotUnderstood("Type what callers hear; it names each key.", field="greeting")
    if not form.recipients:
        raise NotUnderstood(
            "Choose who reads the mailbox, or messages are lost.", field="recipients"
        )


def _after_hours(form: DeskForm) -> str:
    first, *others = form.choices
    return "menu" if others else _step_of(first)


def _step_of(choice: Choice) -> str:
    return f"choice-{choice.key}"


def _answering(choice: Choice) -> Step:
    title = choice.word.capitalize() if choice.word else "Front desk"
    if choice.way == QUEUED:
        return Queue(
            title=f"Queue: {title.lower()}",
            people=_people(choice.people),
            groups=_groups(choice.people),
            exits=_away("queue"),
        )
    return Ring(
        title=f"Ring: {title.lower()}",
        people=_people(choice.people),
        groups=_groups(choice.people),
        order="in order" if choice.way == IN_ORDER else "all",
        exits=_away("ring"),
    )


def _away(kind: str) -> dict[str, str]:
    """Whatever goes wrong, the caller can leave a message."""
    return dict.fromkeys(EXITS[kind], "mailbox")


def _choice(key: str, word: str, step: Step) -> Choice:
    if isinstance(step, Ring):
        return Choice(
            key=key,
            word=word,
            people=_named(step.people, step.groups),
            way=IN_ORDER if step.order == "in order" else ALL,
        )
    return Choice(
        key=key,
        word=word,
        people=_named(getattr(step, "people", ()), getattr(step, "groups", ())),
        way=QUEUED,
    )


def _people(chosen: tuple[str, ...]) -> tuple[str, ...]:
    return tuple(key for key in chosen if not key.startswith(GROUP))


def _groups(chosen: tuple[str, ...]) -> tuple[str, ...]:
    return tuple(key.removeprefix(GROUP) for key in chosen if key.startswith(GROUP))


def _named(people: tuple[str, ...], groups: tuple[str, ...]) -> tuple[str, ...]:
    return (*people, *(GROUP + key for key in groups))

"""What the pages of work orders show: ready facts for their templates."""

from collections import Counter
from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from datetime import datetime
from urllib.parse import quote

from sedge.core.facts import Money, counted
from sedge.core.records import HolderKind, HolderRef, Person
from sedge.core.workorders.course import Stop
from sedge.core.workorders.findings import Finding, Leads, Level, Remedy
from sedge.core.workorders.life import (
    OrderEvent,
    OrderState,
    TaskEvent,
    TaskState,
    allows,
    task_allows,
)
from sedge.core.workorders.tasks import PutBack, PutBackLater
from sedge.services.callpaths import paths
from sedge.services.context import Context
from sedge.services.holders import groups, holders, site_management
from sedge.services.ledger.ledger import page_of as page_of_record
from sedge.services.licences import licences
from sedge.services.numbers import numbers
from sedge.services.numbers.numbers import Card
from sedge.services.trunks import trunks
from sedge.services.workorders import draft_expiry
from sedge.services.workorders.order_views import OrderView, TaskView
from sedge.web.shared.rendering import money
from sedge.web.workorders.number_offers import PARAMETER, Offers, offers_for

TONES = {
    OrderState.DONE: "good",
    OrderState.FAILED: "wrong",
    OrderState.STOPPED: "wrong",
    OrderState.RUNNING: "waiting",
    OrderState.SCHEDULED: "waiting",
}


@dataclass(frozen=True)
class Note:
    """A finding under its task: how serious, what it says, and its remedies."""

    kind: str
    rule: str
    message: str
    remedies: list["RemedyButton"]

    @property
    def shared(self) -> int:
        """How many tasks one choice can count for; 0 where it is this one's alone."""
        others = max((r.others for r in self.remedies), default=0)
        asks = any(r.asks_reason for r in self.remedies)
        return others + 1 if others and not asks else 0


@dataclass(frozen=True)
class RemedyButton:
    """One way out: posted by its `position`, or a page to go to (`href`); some ask for a reason.
    `others` are the tasks beside this one that the same rule offers the same way out of."""

    position: int
    words: str
    asks_reason: bool
    href: str
    others: int = 0


@dataclass(frozen=True)
class TaskRow:
    no: int
    position: int
    verb: str
    rest: str
    classes: str
    is_done: bool
    remedy_for: int | None
    error: str
    notes: list[Note]
    when: str
    next_look: datetime | None
    works_from: datetime | None
    price: str
    holder: str = ""
    is_first: bool = False
    is_last: bool = False
    may_be_temporary: bool = False
    put_back_at: datetime | None = None
    may_skip: bool = False
    is_waiting: bool = False


@dataclass(frozen=True)
class CourseStop:
    """A moment of a work order, or what it waits for, and what works from then on."""

    at: datetime | None
    waits: str
    words: str
    others: int
    is_past: bool


@dataclass(frozen=True)
class OrderPage:
    """One work order and what may be done with it now."""

    view: OrderView
    rows: list[TaskRow]
    tone: str
    done: int
    counts: str
    is_draft: bool
    is_active: bool
    is_running: bool
    is_mendable: bool
    can_retry: bool
    can_undo: bool
    can_duplicate: bool
    is_scheduled: bool
    goes_at: datetime | None
    groups: list[tuple[str, list[TaskRow]]]
    course: list[CourseStop]


def order_page(view: OrderView, now: datetime, *, by_holder: bool = False) -> OrderPage:
    """`by_holder`: tasks stand under whom they concern, in the order in which those come first."""
    state, report = view.order.state, view.report
    is_draft = allows(state, OrderEvent.CHANGE)
    back = {
        task.stored.body.task: task.stored.body.at
        for task in view.tasks
        if isinstance(task.stored.body, PutBackLater)
    }
    can_go_on = allows(state, OrderEvent.LEAVE_OUT)
    offered = Counter(
        (f.rule, r.words) for x in view.tasks for f in x.findings for r in f.remedies if r.for_all
    )
    rows = [
        _row(
            task,
            now,
            len(view.tasks),
            back.get(task.stored.position),
            can_skip=can_go_on,
            offered=offered,
        )
        for task in view.tasks
    ]
    return OrderPage(
        view=view,
        rows=rows,
        groups=_groups(rows) if by_holder else [("", rows)],
        course=[_course_stop(stop, rows, now) for stop in view.course],
        can_duplicate=not view.order.undo_of
        and not any(isinstance(x.stored.body, PutBack) for x in view.tasks),
        is_scheduled=allows(state, OrderEvent.UNSCHEDULE),
        goes_at=draft_expiry.goes_at(view.order),
        tone=TONES.get(state, ""),
        done=sum(
            1
            for task in view.tasks
            if task.stored.state in {TaskState.DONE, TaskState.SKIPPED, TaskState.LEFT_OUT}
        ),
        counts=(
            _counts(len(report.stops), len(report.warnings), len(report.passes)) if report else ""
        ),
        is_draft=is_draft,
        is_active=view.order.active,
        is_running=state is OrderState.RUNNING,
        is_mendable=is_draft
        and report is not None
        and any(r.automatic for f in (*report.stops, *report.warnings) for r in f.remedies),
        can_retry=allows(state, OrderEvent.RETRY),
        can_undo=allows(state, OrderEvent.UNDO)
        and not view.order.undo_of
        and not view.undone_by
        and any(not x.body.for_good for x in view.order.tasks),
    )


def _course_stop(stop: Stop, rows: list[TaskRow], now: datetime) -> CourseStop:
    first = rows[stop.tasks[-1]]
    return CourseStop(
        at=stop.at,
        waits=stop.waits,
        words=f"{first.verb} {first.rest}".strip(),
        others=len(stop.tasks) - 1,
        is_past=stop.at is not None and stop.at <= now,
    )


def _groups(rows: list[TaskRow]) -> list[tuple[str, list[TaskRow]]]:
    found: dict[str, list[TaskRow]] = {}
    for row in rows:
        found.setdefault(row.holder or "Other tasks", []).append(row)
    return list(found.items())


def _counts(stops: int, warnings: int, passes: int) -> str:
    return f"{counted(stops, 'stop')}, {counted(warnings, 'warning')}, {passes} checks pass"


def _row(
    task: TaskView,
    now: datetime,
    count: int,
    put_back_at: datetime | None,
    *,
    can_skip: bool,
    offered: Mapping[tuple[str, str], int],
) -> TaskRow:
    stored = task.stored
    for_good = bool(stored.body.for_good)
    notes = list(_notes(task.findings, offered))
    waits = (
        stored.state is TaskState.WAITING and stored.next_try is not None and stored.next_try > now
    )
    return TaskRow(
        no=stored.position + 1,
        position=stored.position,
        verb=task.verb,
        rest=task.rest,
        classes=_classes(task, stopped=any(n.kind == "stop" for n in notes)),
        is_done=stored.state is TaskState.DONE,
        remedy_for=(
            stored.added_as_remedy_for + 1 if stored.added_as_remedy_for is not None else None
        ),
        error=stored.error,
        notes=notes,
        when=task.when,
        next_look=stored.next_try if waits else None,
        works_from=stored.works_from if stored.works_from and stored.works_from > now else None,
        price=_price(task.monthly, task.once),
        holder=task.holder,
        is_first=stored.position == 0,
        is_last=stored.position == count - 1,
        may_be_temporary=not for_good,
        put_back_at=put_back_at,
        may_skip=can_skip and task_allows(stored.state, TaskEvent.LEAVE_OUT),
        is_waiting=stored.state is TaskState.WAITING,
    )


def _price(monthly: Money | None, once: Money | None) -> str:
    """`£3.00 once, £10.15 a month`; '' for what costs nothing."""
    parts = [f"{money(once)} once"] if once and once.amount else []
    parts += [f"{money(monthly)} a month"] if monthly and monthly.amount else []
    return ", ".join(parts)


def _classes(task: TaskView, *, stopped: bool) -> str:
    marks = [f"is-{task.stored.state.value}"]
    if task.stored.added_as_remedy_for is not None:
        marks.append("is-remedy")
    if stopped:
        marks.append("is-stopped")
    return " ".join(marks)


def _notes(findings: list[Finding], offered: Mapping[tuple[str, str], int]) -> Iterator[Note]:
    for finding in findings:
        if finding.level is not Level.PASS:
            remedies = [
                RemedyButton(
                    i,
                    r.words,
                    any(x.kind == "end_rest" for x in r.tasks),
                    page_of(r),
                    offered.get((finding.rule, r.words), 1) - 1 if r.for_all else 0,
                )
                for i, r in enumerate(finding.remedies)
            ]
            yield Note(
                "stop" if finding.level is Level.STOP else "warn",
                finding.rule,
                finding.message,
                remedies,
            )


LEADS_TO: dict[Leads, str] = {
    "spots": "/safety?site={}",
    "trunk": "/carriers/trunks/new?site={}",
    "trunk down": "/paths/questions?ask=trunk&trunk={}",
    "deposit": "/carriers/accounts/{}",
    "papers": "/supply/papers?site={}",
    "supply": "/supply/for-site?site={}",
    "supply many": "/supply/for-site?site={}&capacity=many",
    "new path": "/paths/draw?site={}",
    "port": "/ports/{}",
    "port out": "/port-outs/{}",
    "site": "/holders/sites/{}",
    "port holders": "/ports/{}/holders",
    "drawing": "/paths/{}/compare",
    "connection": "/carriers/connections/{}",
    "path": "/paths/{}",
}


def page_of(remedy: Remedy) -> str:
    """The page a remedy leads to; '' for one that is tasks."""
    return (
        LEADS_TO[remedy.leads_to.what].format(quote(remedy.leads_to.id)) if remedy.leads_to else ""
    )


@dataclass(frozen=True)
class NewForm:
    """The form that begins a work order: what it asks, what is known already, and the choices it
    offers."""

    kind: str
    title: str
    number: str
    card: Card | None
    holder_name: str
    holder_value: str
    own_spot: str
    offers: Offers | None
    spots: list[tuple[str, str]]
    paths: list[tuple[str, str]]
    trunks: list[tuple[str, str]]
    products: list[tuple[str, str]]
    back: str

    @property
    def asks_number(self) -> bool:
        return self.kind != "grant"

    @property
    def asks_holder(self) -> bool:
        return self.kind in {"assign", "grant"}

    @property
    def offers_path(self) -> bool:
        return bool(self.paths) and not self.holder_value.startswith("person")


def new_form(
    context: Context,
    kind: str,
    title: str,
    *,
    number: str = "",
    person: str = "",
    line: str = "",
    site: str = "",
    phone: str = "",
) -> NewForm:
    """Raises NotOneNumber, NotFound."""
    card = numbers.card(context, numbers.the_number(context, number)) if number else None
    to = _holder(context, person, line, site)
    where = to.site if to else (card.number.site if card else "")
    carrier = card.number.carrier if card else ""
    offers = (
        offers_for(context, to.ref, to.name, to.site, phone) if to and kind == "assign" else None
    )
    return NewForm(
        kind=kind,
        title=title,
        number=card.number.shown if card else (offers.best if offers else ""),
        card=card,
        holder_name=to.name if to else "",
        holder_value=to.value if to else "",
        own_spot=f"their own ({to.spot})" if to and to.spot else "the holder's own",
        offers=offers,
        spots=site_management.good_spots(context, where) if where else [],
        paths=(
            [(p.id, p.name) for p in paths.list_paths(context)]
            if kind in {"set-path", "assign", "route-calls"}
            else []
        ),
        trunks=_trunks(context, carrier) if kind == "list-on-trunk" else [],
        products=(
            [(p.id, f"{p.name}, {money(p.monthly)} a month") for p in licences.products(context)]
            if kind == "grant"
            else []
        ),
        back=page_of_form(kind, card.number.e164 if card else "", to.ref if to else None),
    )


def page_of_form(kind: str, number: str, holder: HolderRef | None) -> str:
    """Where a form was opened, and where its work order shows: the holder's page where somebody
    gets something, else the number's."""
    if holder:
        return page_of_record(holder.subject, holder.id)
    return f"/numbers/{number.lstrip('+')}" if number else "/holders"


@dataclass(frozen=True)
class KnownHolder:
    """Whom the form was opened for; `value` is what it sends."""

    ref: HolderRef
    name: str
    site: str
    spot: str | None

    @property
    def value(self) -> str:
        return f"{self.ref.kind.value}:{self.ref.id}"


def offers_to(context: Context, holder: str) -> Offers | None:
    """What is free for a holder as a form names them, `person:ID`; None for nobody. Raises
    NotUnderstood, NotFound."""
    if not holder:
        return None
    ref = numbers.holder_ref(holder)
    known = _holder(context, **{PARAMETER[k]: ref.id if k is ref.kind else "" for k in PARAMETER})
    return offers_for(context, ref, known.name, known.site) if known else None


def _holder(context: Context, person: str, line: str, site: str) -> KnownHolder | None:
    if site:
        of = site_management.one_site(context, site).row.site
        return KnownHolder(HolderRef(kind=HolderKind.SITE, id=of.id), of.name, of.id, of.spot)
    if not person and not line:
        return None
    kind = HolderKind.PERSON if person else HolderKind.SERVICE_LINE
    found = holders.one_holder(context, kind, person or line).holder
    return KnownHolder(HolderRef(kind=kind, id=found.id), found.name, found.site, found.spot)


def _trunks(context: Context, carrier: str) -> list[tuple[str, str]]:
    """Trunks that lead to the number's carrier."""
    found = [x.trunk for of in trunks.carriers(context) for x in of.trunks]
    return [(x.id, x.name) for x in found if not carrier or x.carrier == carrier]


@dataclass(frozen=True)
class HolderChoice:
    value: str
    name: str
    detail: str


def holder_choices(context: Context, who: str) -> list[HolderChoice]:
    """People and service lines of that name, each with what it lacks; none before three letters."""
    words = who.lower().split()
    if len(who.strip()) < 3:
        return []
    people, _ = holders.people(context, find=who, limit=8)
    lines = [
        r for r in holders.service_lines(context) if all(w in r.holder.name.lower() for w in words)
    ][:5]
    sites = [
        s for s in site_management.plain_sites(context) if all(w in s.name.lower() for w in words)
    ][:3]
    return [
        *(_choice("person", r) for r in people),
        *(_choice("service_line", r) for r in lines),
        *(HolderChoice(f"site:{s.id}", s.name, "the site itself") for s in sites),
    ]


def callee_choices(context: Context, who: str) -> list[HolderChoice]:
    """People and groups whose names fit, for who is to be rung; none before three letters."""
    if len(who.strip()) < 3:
        return []
    words = who.lower().split()
    fitting = [g for g in groups.list_groups(context) if all(w in g.name.lower() for w in words)]
    return [
        *(c for c in holder_choices(context, who) if c.value.startswith("person:")),
        *(HolderChoice(f"group:{g.id}", g.name, f"group of {len(g.members)}") for g in fitting[:5]),
    ]


def _choice(kind: str, row: holders.HolderRow) -> HolderChoice:
    what = row.holder.job if isinstance(row.holder, Person) else row.holder.kind
    lacks = f"; lacks {', '.join(row.missing)}" if row.missing else ""
    return HolderChoice(
        f"{kind}:{row.holder.id}",
        row.holder.name,
        f"{', '.join(x for x in (what, row.site) if x)}{lacks}",
    )

"""Supply: search a carrier's stock, hold, quote, order, watch it arrive."""

from dataclasses import dataclass, replace
from dataclasses import field as dataclass_field
from datetime import timedelta
from typing import Annotated, Literal
from urllib.parse import urlencode

from fastapi import Depends, Form, Query, Request
from fastapi.responses import Response
from pydantic import BaseModel, Field
from starlette.concurrency import run_in_threadpool

from sedge.core.access.roles import May
from sedge.core.errors import NotAllowedNow, NotUnderstood, SedgeError
from sedge.core.facts import counted
from sedge.core.holders.devices import KINDS, DeviceKind
from sedge.core.numbers.plan import COUNTRIES
from sedge.core.supply.offers import Wish
from sedge.services.holders import site_management
from sedge.services.numbers.numbers import the_number
from sedge.services.supply import (
    documents,
    holds,
    ordering,
    paper_orders,
    provisioning,
    stock_search,
    supply,
)
from sedge.web.routing import Place, RequestContext
from sedge.web.shared.rendering import go, is_swap, render, target
from sedge.web.supply import views
from sedge.web.workorders.views import order_page as order_rows

place = Place()
FIELDS = {"starts", "pattern", "quantity", "endings"}


Text = Annotated[str, Field(max_length=200)]


class Search(BaseModel):
    """The search as it is typed."""

    country: Text = ""
    area: Text = ""
    kind: Text = ""
    capacity: Text = ""
    starts: Text = ""
    pattern: Text = ""
    quantity: Text = "1"
    consecutive: Text = ""
    endings: Text = ""
    carrier: Text = ""
    site: Text = ""
    joiners: Text = ""
    phone: Text = ""


def _asked(context: RequestContext, typed: Annotated[Search, Query()]) -> views.Asked:
    quantity = typed.quantity
    wish = Wish(
        typed.country.upper() or context.organisation.home_country,
        typed.area.strip(),
        typed.kind,
        typed.capacity,
        _leading(context, typed.starts, typed.country),
        typed.pattern.strip(),
        int(quantity) if quantity.isascii() and quantity.isdigit() else 0,
        bool(typed.consecutive),
        tuple(typed.endings.replace(",", " ").split()),
    )
    return views.Asked(wish, typed.model_dump())


AsAsked = Annotated[views.Asked, Depends(_asked)]


@place.page("/supply", May.SEE_MONEY)
def search(request: Request, context: RequestContext, asked: AsAsked) -> Response:
    """The form; once something is asked, a place for each carrier's answer, which each fetches for
    itself. With `carrier`, its answer."""
    sellers, problem, problems, answer = [], "", {}, None
    if asked.typed["country"]:
        try:
            sellers = stock_search.sellers(context, asked.wish, asked.typed["carrier"])
        except SedgeError as error:
            problem, problems = (
                ("", {error.field: error.message}) if error.field in FIELDS else (error.message, {})
            )
        if asked.typed["carrier"] and sellers:
            answer = views.answer_view(
                stock_search.ask(context, asked.wish, *sellers[0]),
                stock_search.accounts_for(context, asked.wish, sellers[0][1].id),
            )
    orders = [views.order_page(view, context.now()) for view in supply.orders(context, limit=12)]
    every = supply.buyable_accounts(context)
    return render(
        request,
        "_orders.html" if target(request) == "orders" else "supply.html",
        asked=asked,
        sellers=[(c.id, c.name) for _, c in sellers],
        answer=answer,
        beside=False,
        problem=problem,
        problems=problems,
        orders=orders,
        countries=[
            (code, COUNTRIES[code].name)
            for code in dict.fromkeys(code for _, of in every for code in of.countries)
        ],
        names=list(dict.fromkeys(of.name for _, of in every)),
        kinds=[(k, k) for k in ("geographic", "national", "toll-free", "mobile")],
    )


@place.page("/supply/answers/{seller}", May.SEE_MONEY)
def answer(request: Request, context: RequestContext, seller: str, asked: AsAsked) -> Response:
    """One carrier's answer, drawn into its place."""
    return render(
        request,
        "_answer.html",
        asked=asked,
        beside=len(stock_search.sellers(context, asked.wish)) > 1,
        answer=views.answer_view(
            stock_search.one(context, asked.wish, seller),
            stock_search.accounts_for(context, asked.wish, seller),
        ),
    )


def _leading(context: RequestContext, starts: str, country: str) -> str:
    """Leading digits as E.164: `0113` in the country searched, or `+44113`."""
    digits = "".join(ch for ch in starts if ch.isdigit())
    of = COUNTRIES.get((country or context.organisation.home_country).upper())
    if not digits or of is None:
        return starts.strip() and starts.strip()[:20]
    if starts.strip().startswith("+"):
        return "+" + digits
    return f"+{of.calling_code}{digits[len(of.trunk) :] if digits.startswith(of.trunk) else digits}"


@place.action("/supply/holds", May.BUY)
def hold(
    request: Request,
    context: RequestContext,
    account: Annotated[str, Form()],
    numbers: Annotated[list[str] | None, Form()] = None,
    site: Annotated[str, Form()] = "",
    joiners: Annotated[str, Form()] = "",
    phone: Annotated[str, Form()] = "",
) -> Response:
    """Hold the numbers of one offer or of several."""
    wanted = dict.fromkeys(number for offer in numbers or () for number in offer.split())
    held = holds.hold(context, account, [the_number(context, n, field="numbers") for n in wanted])
    asked = {"site": site, "joiners": joiners, "phone": phone}
    more = urlencode({k: v for k, v in asked.items() if v})
    return go(request, f"/supply/holds/{held.id}{'?' + more if more else ''}")


@place.page("/supply/for-site", May.SEE_MONEY)
def for_site(
    request: Request,
    context: RequestContext,
    site: str = "",
    joiners: Text = "",
    person: Text = "",
    phone: Text = "",
    capacity: Literal["", "single", "many"] = "",
) -> Response:
    """The search for what a site lacks, filled in; `joiners` 1 gives the numbers to those who have
    none, `person` one to a person, for whom a `phone` is set up too."""
    need = provisioning.need_of(context, site)
    asked = {
        "country": need.site.country,
        "area": need.area,
        "capacity": capacity or ("single" if person or need.people else ""),
        "quantity": "1" if person else str(max(1, need.short)),
        "site": need.site.id,
        "joiners": person or joiners,
        "phone": phone,
    }
    return go(request, "/supply?" + urlencode({k: v for k, v in asked.items() if v}))


@place.page("/supply/when-free", May.BUY)
def when_free_page(request: Request, context: RequestContext, asked: AsAsked) -> Response:
    """The form for ordering once such numbers are in stock."""
    seller = next(iter(stock_search.sellers(context, asked.wish, asked.typed["carrier"])))
    sites = [(s.id, s.name) for s in site_management.plain_sites(context)]
    site = asked.typed["site"] or next(
        (s.id for s in site_management.plain_sites(context) if s.account == seller[0].id),
        sites[0][0] if sites else "",
    )
    until = (context.now() + timedelta(days=30)).date().isoformat()
    spots = site_management.good_spots(context, site) if site else []
    return render(
        request,
        "when_free.html",
        asked=asked,
        account=seller[0],
        carrier=seller[1],
        sites=sites,
        site=site,
        spots=spots,
        until=until,
    )


@place.action("/supply/when-free", May.BUY)
async def when_free(request: Request, context: RequestContext) -> Response:
    form = {key: str(value).strip()[:200] for key, value in (await request.form()).items()}
    return await run_in_threadpool(_when_free, request, context, form)


def _when_free(request: Request, context: RequestContext, form: dict[str, str]) -> Response:
    return go(request, f"/work-orders/{supply.order_when_free(context, form).no}")


@place.page("/supply/joiners", May.SEE_MONEY)
def joiners(request: Request, context: RequestContext) -> Response:
    """Who has no number yet, by site, and what is left there for them."""
    needs, more = provisioning.needs(context)
    return render(request, "joiners.html", needs=needs, more=more)


@dataclass
class HoldForm:
    """What somebody has filled in beside held numbers, from the page's address while they choose,
    from the form when they order."""

    site: str = ""
    spot: str = ""
    feature: list[str] = dataclass_field(default_factory=list)
    reference: str = ""
    people: str = ""
    reserve_for: str = ""
    phone: str = ""

    def wanted(self, hold: str) -> ordering.Wanted:
        return ordering.Wanted(
            reference=self.reference,
            site=self.site,
            hold=hold,
            spot=self.spot or None,
            features=tuple(self.feature),
            people=self.people,
            reserve_for=self.reserve_for,
            phone=DeviceKind(self.phone) if self.phone in KINDS else None,
        )


@place.page("/supply/holds/{key}", May.SEE_MONEY)
def held_page(
    request: Request,
    context: RequestContext,
    key: str,
    site: Text = "",
    spot: Text = "",
    feature: Annotated[list[str] | None, Query()] = None,
    reference: Text = "",
    people: Annotated[str, Query(max_length=10_000)] = "",
    reserve_for: Text = "",
    joiners: Text = "",
    phone: Text = "",
    spots_of: Text = "",
) -> Response:
    """Held numbers with the order that is being put together, planned and priced as it is chosen.
    One that was ordered leads to its order."""
    if made := ordering.order_of_hold(context, key):
        return go(request, f"/supply/orders/{made}")
    form = HoldForm(site, spot, feature or [], reference, people, reserve_for, phone)
    return _held(request, context, key, form, joiners=joiners, spots_of=spots_of)


def _held(
    request: Request,
    context: RequestContext,
    key: str,
    form: HoldForm,
    *,
    joiners: str = "",
    problem: str = "",
    spots_of: str = "",
) -> Response:
    first = ordering.plan(context, ordering.Wanted(hold=key, site=form.site))
    form.site = first.site
    spots = site_management.good_spots(context, form.site)
    if form.spot not in {code for code, _ in spots}:
        form.spot = spots[0][0] if len(spots) == 1 and spots_of != form.site else ""
    if joiners and not form.people:
        form.people = "\n".join(_joiners(context, form.site, len(first.numbers), joiners))
    sites = {s.id: s.name for s in site_management.plain_sites(context)}
    swap = target(request) == "plan"
    if not (form.reference or swap or problem):  # a proposal, which one may write over
        count = counted(len(first.numbers), "number")
        form.reference = f"{sites[form.site]}, {count}" if form.site in sites else count
    planned, problems = first, {}
    try:
        planned = ordering.plan(context, form.wanted(key))
    except SedgeError as error:
        problems = {error.field or "": error.message}
    response = render(
        request,
        "_hold_plan.html" if swap else "hold.html",
        swap=swap,
        other_site=spots_of != form.site,
        planned=planned,
        form=form,
        problem=problem,
        problems=problems,
        page=order_rows(planned.view, context.now()),
        spots=spots,
        sites=list(sites.items()),
        phones=[(kind, kind) for kind in KINDS],
        features=list(first.numbers[0].features.items()),
        needed=documents.needed(
            context, first.carrier.id, first.hold.numbers if first.hold else (), form.site
        ),
    )
    response.headers["Cache-Control"] = "no-store"  # going back asks anew, and is led to the order
    return response


def _joiners(context: RequestContext, site: str, count: int, who: str) -> list[str]:
    """Mail addresses of people at the site who have no number, as many as there are numbers; of one
    person only where `who` is their id."""
    people = provisioning.need_of(context, site).people if site else []
    wanted = [p for p in people if p.id == who] if who != "1" else people
    return [p.email for p in wanted[:count]]


@place.action("/supply/holds/{key}/longer", May.BUY)
def hold_longer(request: Request, context: RequestContext, key: str) -> Response:
    holds.hold_longer(context, key)
    return go(request, f"/supply/holds/{key}")


@place.action("/supply/holds/{key}/end", May.BUY)
def end_hold(request: Request, context: RequestContext, key: str) -> Response:
    holds.end_hold(context, key)
    return go(request, "/supply")


@place.action("/supply/orders", May.BUY)
def order(
    request: Request,
    context: RequestContext,
    hold: Annotated[str, Form()],
    agreed: Annotated[str, Form()] = "",
    reference: Annotated[str, Form()] = "",
    site: Annotated[str, Form()] = "",
    spot: Annotated[str, Form()] = "",
    feature: Annotated[list[str] | None, Form()] = None,
    people: Annotated[str, Form(max_length=10_000)] = "",
    reserve_for: Annotated[str, Form(max_length=200)] = "",
    phone: Annotated[str, Form(max_length=40)] = "",
) -> Response:
    """Buy what was shown. Where that is another by now, or can't be run, the page comes back as it
    was filled in, and says why."""
    form = HoldForm(site, spot, feature or [], reference, people, reserve_for, phone)
    try:
        key, _ = ordering.place(context, form.wanted(hold), agreed=agreed)
    except (NotAllowedNow, NotUnderstood) as error:
        if is_swap(request) or error.reason == "hold-over":
            raise
        return _held(request, context, hold, form, problem=error.message)
    return go(request, f"/supply/orders/{key}")


@place.page("/supply/orders/{key}", May.SEE_MONEY)
def order_page(request: Request, context: RequestContext, key: str) -> Response:
    view = supply.order_view(context, key)
    going = bool(view.order.papers) and documents.being_sent(context, view.order.id)
    page = views.order_page(
        view,
        context.now(),
        documents.on_file(context) if view.order.papers else None,
        another_goes=going,
    )
    if view.order.form and context.outside.mail.is_connected:
        page = replace(page, mails_to=paper_orders.orders_to(context, key))
    return render(
        request,
        "_order.html" if target(request) == "order" else "order.html",
        page=page,
        today=context.now().date().isoformat(),
    )


@place.action("/supply/orders/{key}/cancel", May.BUY)
def cancel(request: Request, context: RequestContext, key: str) -> Response:
    supply.cancel(context, key)
    return go(request, f"/supply/orders/{key}")

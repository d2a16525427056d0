"""The application, assembled in one visible place."""

import gc
import logging
from collections.abc import AsyncIterator
from contextlib import asynccontextmanager
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path
from typing import Annotated, Any

import structlog
from fastapi import Depends, FastAPI, Request
from fastapi.responses import JSONResponse, Response
from starlette.middleware.gzip import GZipMiddleware
from starlette.staticfiles import StaticFiles

from sedge.api.access import organisations as api_organisations
from sedge.api.callpaths import calls as api_calls
from sedge.api.callpaths import paths as api_paths
from sedge.api.carriers import accounts as api_accounts
from sedge.api.carriers import reconciliation as api_drift
from sedge.api.holders import holders as api_holders
from sedge.api.holders import people as api_people
from sedge.api.holders import scim as api_scim
from sedge.api.imports import files as api_files
from sedge.api.ledger import ledger as api_ledger
from sedge.api.licences import licences as api_licences
from sedge.api.numbers import numbers as api_numbers
from sedge.api.openapi import describe
from sedge.api.porting import port_outs as api_port_outs
from sedge.api.porting import ports as api_ports
from sedge.api.retiring import retiring as api_retiring
from sedge.api.safety import safety as api_safety
from sedge.api.supply import connections as api_connections
from sedge.api.supply import documents as api_papers
from sedge.api.supply import supply as api_supply
from sedge.api.workorders import checks as api_checks
from sedge.api.workorders import workorders as api_workorders
from sedge.core.access.roles import May, allowed
from sedge.outside.callbacks import Listener, told_in
from sedge.outside.carrier import Callback
from sedge.outside.outside import at_standins
from sedge.services import background_jobs, simulation_clock, today
from sedge.services.clock import Clock
from sedge.services.context import House, desk_member_facts
from sedge.services.first_steps import FirstSteps, first_steps
from sedge.services.ledger import ledger
from sedge.services.workorders import runner
from sedge.settings import Settings
from sedge.store.database import Database
from sedge.store.repositories import installation as installation_store
from sedge.store.secrets import Keyring
from sedge.web import error_pages
from sedge.web.access.members import place as members_place
from sedge.web.access.organisations import place as organisations_place
from sedge.web.access.routes import place as sign_in_place
from sedge.web.callpaths.drawing import place as drawing_place
from sedge.web.callpaths.files import place as path_files_place
from sedge.web.callpaths.questions import place as path_questions_place
from sedge.web.callpaths.routes import place as paths_place
from sedge.web.carriers.reconciliation import place as drift_place
from sedge.web.carriers.routes import place as carriers_place
from sedge.web.components.routes import place as components_place
from sedge.web.headers import WithHeaders
from sedge.web.holders.answering import place as answering_place
from sedge.web.holders.people import place as people_place
from sedge.web.holders.routes import place as holders_place
from sedge.web.imports.files import place as files_place
from sedge.web.imports.take_over import place as take_over_place
from sedge.web.ledger.routes import place as ledger_place
from sedge.web.licences.routes import place as licences_place
from sedge.web.numbers.bulk_actions import place as choosing_place
from sedge.web.numbers.external_ids import place as elsewhere_place
from sedge.web.numbers.past import place as past_place
from sedge.web.numbers.routes import place as numbers_place
from sedge.web.outbound.caller_ids import place as caller_ids_place
from sedge.web.porting.outs import place as port_outs_place
from sedge.web.porting.views import place as ports_place
from sedge.web.retiring.views import place as retiring_place
from sedge.web.routing import who_asks
from sedge.web.safety.routes import place as safety_place
from sedge.web.safety.spots import place as safety_places_place
from sedge.web.shared.permitted import Permitted
from sedge.web.shared.rendering import environment
from sedge.web.standins.routes import place as standins_place
from sedge.web.supply.documents import place as papers_place
from sedge.web.supply.external_numbers import place as connecting_place
from sedge.web.supply.paper_orders import place as forms_place
from sedge.web.supply.routes import place as supply_place
from sedge.web.today.routes import place as today_place
from sedge.web.workorders.checks import place as checks_place
from sedge.web.workorders.editing import place as editing_place
from sedge.web.workorders.eligibility import place as why_not_place
from sedge.web.workorders.letters import place as letters_place
from sedge.web.workorders.planner import place as planner_place
from sedge.web.workorders.routes import place as workorders_place

STATIC = Path(__file__).parent / "web" / "static"


@dataclass(frozen=True)
class DeskFacts:
    """What the head of every page shows."""

    running: int
    todo: int
    pulse: int
    offset: int
    organisation: str
    several: bool
    holds: list[tuple[str, int, datetime]]
    first: FirstSteps | None


PLACES = (
    sign_in_place, members_place, organisations_place, today_place, path_questions_place, path_files_place, drawing_place, paths_place, choosing_place, past_place, files_place, elsewhere_place, take_over_place, retiring_place, numbers_place, papers_place, port_outs_place, ports_place, forms_place, connecting_place, supply_place, answering_place, caller_ids_place, people_place, holders_place, licences_place, safety_place, safety_places_place, drift_place, carriers_place, ledger_place,
    letters_place, planner_place, editing_place, checks_place, workorders_place, why_not_place, components_place, standins_place,
)  # fmt: skip
RESOURCES = (
    api_retiring.resource, api_numbers.resource, api_numbers.blocks, api_numbers.figures, api_numbers.views, api_files.resource, api_supply.resource, api_accounts.resource, api_connections.resource, api_papers.resource, api_checks.resource, api_workorders.resource, api_paths.resource, api_calls.resource, api_ports.resource, api_port_outs.resource, api_drift.resource, api_organisations.resource, api_holders.resource, api_people.resource, api_licences.resource, api_safety.resource,
    api_ledger.resource, api_ledger.standins,
)  # fmt: skip


def open_house(settings: Settings, standins_url: str, clock: Clock | None = None) -> House:
    """Everything one process needs, opened. `standins_url` is where the services outside are reached."""
    installation = Database(settings.data / "installation.sqlite", "installation", durable=settings.durable)
    installation.migrate()
    callback = Callback(
        f"http://{settings.host}:{settings.port}/callbacks/carrier", _callback_secret(installation, Keyring(settings.data / "secret.key"))
    )
    house = House(
        settings, clock or Clock(), installation, at_standins(standins_url, callback=callback, seconds=settings.outside_seconds)
    ).open()
    if clock is None:
        house.clock.advance(simulation_clock.stored_offset(house))
    return house


def settle_memory() -> None:
    """Before serving: what has been loaded stays for good, so the collector need not walk all of it again and again. While it did, every
    tenth page of a large organisation took 300 ms longer."""
    gc.collect()
    gc.freeze()
    gc.set_threshold(20_000, 20, 20)


def _callback_secret(database: Database, ring: Keyring) -> str:
    with database.writing() as connection:
        return installation_store.callback_secret(connection, ring)


async def _body(request: Request) -> bytes:
    return await request.body()


def create_app(house: House) -> FastAPI:
    """The application, serving a house."""
    return move_in(build_app(), house)


def move_in(app: FastAPI, house: House) -> FastAPI:
    """Serve this house from now on. Building an application reads hundreds of routes; one that is idle can be used again."""
    app.state.house = house
    app.state.listener = Listener(_callback_secret(house.installation, house.keyring))
    return app


def build_app() -> FastAPI:
    """All pages, interfaces and files, with no house to show yet."""

    @asynccontextmanager
    async def lifespan(app: FastAPI) -> AsyncIterator[None]:
        house: House = app.state.house
        scheduler = background_jobs.start_runner(house) if house.settings.runner else None
        yield
        if scheduler:
            scheduler.shutdown(wait=False)

    app = FastAPI(title="Sedge", version="0.1.0", docs_url=None, redoc_url=None, openapi_url="/api/v1/openapi.json", lifespan=lifespan)
    app.openapi = lambda: describe(app)  # type: ignore[method-assign]

    def now() -> datetime:
        return app.state.house.clock.now()

    app.state.templates = environment(now)
    app.state.permitted = Permitted(PLACES)
    app.state.desk_facts = _desk_facts
    error_pages.dress(app)
    app.add_middleware(GZipMiddleware, minimum_size=2000, compresslevel=5)
    app.add_middleware(WithHeaders)
    app.mount("/static", StaticFiles(directory=STATIC), name="static")
    for place in PLACES:
        app.include_router(place)

    for resource in RESOURCES:
        app.include_router(resource, prefix="/api/v1")
    app.include_router(api_ledger.standins)
    app.include_router(api_scim.resource)

    @app.post("/callbacks/carrier", include_in_schema=False)
    def told_by_carrier(request: Request, body: Annotated[bytes, Depends(_body)]) -> Response:
        """A hint only: we ask the carrier ourselves. So it can come twice, late, or out of order."""
        house: House = request.app.state.house
        request.app.state.listener.check(request.headers, body, house.clock.now())
        told = told_in(body)
        runner.look_again_at(house, told.carrier, told.order)
        return Response(status_code=204)

    @app.get("/healthz", include_in_schema=False)
    def healthz(request: Request) -> JSONResponse:
        return JSONResponse({"status": "ok", "organisations": len(request.app.state.house.estates)})

    _read_all_routes(app)
    return app


def _read_all_routes(app: FastAPI) -> None:
    """FastAPI reads a router's routes when the first request looks for one, and not safely from several threads; so all are read here."""
    scope = {"type": "http", "method": "GET", "path": "/no-such-page", "root_path": "", "headers": [], "query_string": b""}
    for route in app.router.routes:
        route.matches(scope)


def _desk_facts(request: Request) -> DeskFacts:
    member = who_asks(request)
    house: House = request.app.state.house
    if member is None:
        raise RuntimeError("facts of the head are for members only")
    desk = house.desk(member)
    pulse = getattr(request.state, "pulse", None)
    return DeskFacts(
        **desk_member_facts(desk, today.count(desk)),
        first=first_steps(desk) if allowed(member.role, May.SET_RULES) else None,
        pulse=ledger.pulse(desk) if pulse is None else pulse,
        offset=int(house.clock.offset.total_seconds()),
    )


def set_up_logging(*, as_json: bool) -> None:
    """Plain tracebacks: the pretty ones, with every local drawn in a table, held the whole process for half a minute."""
    renderer: Any = (
        structlog.processors.JSONRenderer()
        if as_json
        else structlog.dev.ConsoleRenderer(colors=False, exception_formatter=structlog.dev.plain_traceback)
    )
    structlog.configure(
        processors=[structlog.processors.add_log_level, structlog.processors.TimeStamper(fmt="iso"), renderer],
        wrapper_class=structlog.make_filtering_bound_logger(logging.INFO),
        cache_logger_on_first_use=True,
    )

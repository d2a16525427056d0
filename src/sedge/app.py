"""The application, assembled in one visible place."""

import gc
import logging
import sys
from collections.abc import AsyncIterator, Callable
from contextlib import asynccontextmanager
from dataclasses import dataclass
from datetime import datetime
from typing import Annotated

import structlog
from anyio import to_thread
from fastapi import Depends, FastAPI, Request
from fastapi.responses import Response
from starlette.middleware.gzip import GZipMiddleware
from starlette.staticfiles import StaticFiles

from sedge import __version__, api, web
from sedge.api.openapi import describe
from sedge.api.routing import Resource
from sedge.core.access.roles import May, allowed
from sedge.discovery import RouteIndex, in_order, routers_in
from sedge.outside.callbacks import Listener, told_in
from sedge.outside.carrier import Callback
from sedge.outside.outside import Outside, at_standins
from sedge.services import simulation_clock
from sedge.services.clock import Clock
from sedge.services.context import Installation, head_facts
from sedge.services.ledger import ledger
from sedge.services.operating import background_jobs
from sedge.services.process import Process
from sedge.services.today import today
from sedge.services.today.first_steps import FirstSteps, first_steps
from sedge.services.workorders import runner
from sedge.settings import Settings
from sedge.store.database import Database, OnlyRead
from sedge.store.repositories.access import sign_ins
from sedge.store.secrets import Keyring
from sedge.troubles import note_trouble
from sedge.web import error_pages, front_gate, watched
from sedge.web.headers import WithHeaders
from sedge.web.routing import Place, who_asks
from sedge.web.shared.assets import STATIC, asset_base
from sedge.web.shared.permitted import Permitted
from sedge.web.shared.rendering import environment


@dataclass(frozen=True)
class HeadFacts:
    """What the head of every page shows. `waiting` are the addresses to which the lines of Today
    lead; `is_behind`: something has changed since they were counted."""

    running: int
    todo: int
    waiting: list[str]
    is_behind: bool
    change_counter: int
    offset: int
    organisation: str
    several: bool
    holds: list[tuple[str, int, datetime]]
    first: FirstSteps | None


THREADS, SHORT_TURN = 4, 0.0005  # at work at once; seconds before another thread may go on
PLACES = routers_in(web, Place)
RESOURCES = routers_in(api, Resource)
ROUTES = in_order([*PLACES, *RESOURCES])


Services = Callable[[Callback], Outside]  # the services outside, told where carriers ring back


def open_installation(
    settings: Settings, services: str | Services, clock: Clock | None = None
) -> Installation:
    """Everything one process needs, opened. `services` are those outside: where the stand-ins are
    reached, or what makes real ones."""
    shared = Database(
        settings.data / "installation.sqlite", "installation", durable=settings.durable
    )
    shared.migrate()
    callback = Callback(
        f"{settings.address}/callbacks/carrier",
        _callback_secret(shared, Keyring(settings.data / "secret.key")),
    )
    outside = (
        at_standins(services, callback=callback, seconds=settings.outside_seconds)
        if isinstance(services, str)
        else services(callback)
    )
    installation = Installation(settings, clock or Clock(), shared, outside).open()
    if clock is None:
        installation.clock.set_offset(simulation_clock.stored_offset(installation))
    return installation


def open_reading(settings: Settings, services: str | Services) -> Installation:
    """The same for a process that only reads what another one writes."""
    callback = Callback("", "")  # orders are placed by the process that writes
    outside = (
        at_standins(services, seconds=settings.outside_seconds)
        if isinstance(services, str)
        else services(callback)
    )
    database = OnlyRead(settings.data / "installation.sqlite", "installation")
    installation = Installation(
        settings.model_copy(update={"runner": False}),
        Clock(),
        database,
        outside,
        process=Process(only_reads=True),
        kind_of_database=OnlyRead,
    )
    keep_up(installation)
    return installation


def keep_up(installation: Installation) -> None:
    """What the process that writes changed for all: organisations, the simulation's clock."""
    writes = installation.shared.writes
    if installation.kept_up_to == writes:
        return
    installation.open()
    installation.clock.set_offset(simulation_clock.stored_offset(installation))
    installation.kept_up_to = writes


def settle_threads() -> None:
    """Before serving: each row that SQLite hands over lets another thread go first, which keeps the
    interpreter for 5 ms where nothing is said. With 50 people at once that made pages take seconds;
    so few threads, and short turns."""
    to_thread.current_default_thread_limiter().total_tokens = THREADS
    sys.setswitchinterval(SHORT_TURN)


def freeze_startup_objects() -> None:
    """Before serving: what has been loaded stays for good, so the collector need not walk all of it
    again and again. While it did, every tenth page of a large organisation took 300 ms longer."""
    gc.collect()
    gc.freeze()
    gc.set_threshold(20_000, 20, 20)


def _callback_secret(database: Database, ring: Keyring) -> str:
    with database.writing() as connection:
        return sign_ins.callback_secret(connection, ring)


async def _body(request: Request) -> bytes:
    return await request.body()


def create_app(installation: Installation) -> FastAPI:
    """The application, serving an installation."""
    return attach_installation(build_app(), installation)


def attach_installation(app: FastAPI, installation: Installation) -> FastAPI:
    """Serve this installation from now on. Building an application reads hundreds of routes; one
    that is idle can be used again."""
    app.state.installation = installation
    if not installation.process.only_reads:
        app.state.listener = Listener(_callback_secret(installation.shared, installation.keyring))
    return app


def build_app() -> FastAPI:
    """All pages, interfaces and files, with no installation to show yet."""

    @asynccontextmanager
    async def lifespan(app: FastAPI) -> AsyncIterator[None]:
        installation: Installation = app.state.installation
        settle_threads()
        scheduler = (
            background_jobs.start_runner(installation) if installation.settings.runner else None
        )
        yield
        if scheduler:
            scheduler.shutdown(wait=False)

    app = FastAPI(
        title="Sedge",
        version=__version__,
        docs_url=None,
        redoc_url=None,
        openapi_url="/api/v1/openapi.json",
        lifespan=lifespan,
        max_body_size=front_gate.MOST_FILE,
        telemetry={
            "metrics": False,
            "logs": False,
            "operation_spans": False,
            "auto_configure": False,
        },
    )
    app.openapi = lambda: describe(app)  # type: ignore[method-assign]

    def now() -> datetime:
        return app.state.installation.clock.now()

    app.state.templates = environment(now)
    app.state.permitted = Permitted(ROUTES)
    app.state.head_facts = _head_facts
    error_pages.dress(app)
    app.add_middleware(GZipMiddleware, minimum_size=2000, compresslevel=5)
    app.add_middleware(WithHeaders)
    for address in (asset_base(), "/static"):
        app.mount(address, StaticFiles(directory=STATIC))

    @app.post("/callbacks/carrier", include_in_schema=False)
    def told_by_carrier(request: Request, body: Annotated[bytes, Depends(_body)]) -> Response:
        """A hint only: we ask the carrier ourselves. So it can come twice, late, or out of
        order."""
        installation: Installation = request.app.state.installation
        request.app.state.listener.check(request.headers, body, installation.clock.now())
        told = told_in(body)
        runner.look_again_at(installation, told.carrier, told.order)
        return Response(status_code=204)

    watched.add_to(app)

    # after those above, so that they are found without trying hundreds of others
    app.router.routes += [RouteIndex(ROUTES), *ROUTES]
    return app


def _head_facts(request: Request) -> HeadFacts:
    member = who_asks(request)
    installation: Installation = request.app.state.installation
    if member is None:
        raise RuntimeError("facts of the head are for members only")
    context = installation.context(member)
    change_counter = getattr(request.state, "change_counter", None)
    lines, is_current = today.waiting_lately(context)
    return HeadFacts(
        **head_facts(context)._asdict(),
        todo=len(lines),
        waiting=[line.href for line in lines],
        is_behind=not is_current,
        first=first_steps(context) if allowed(member.role, May.SET_RULES) else None,
        change_counter=ledger.change_counter(context) if change_counter is None else change_counter,
        offset=int(installation.clock.offset.total_seconds()),
    )


def set_up_logging(*, as_json: bool) -> None:
    """Plain tracebacks: the pretty ones, with every local drawn in a table, held the whole process
    for half a minute."""
    renderer: object = (
        structlog.processors.JSONRenderer()
        if as_json
        else structlog.dev.ConsoleRenderer(
            colors=False, exception_formatter=structlog.dev.plain_traceback
        )
    )
    structlog.configure(
        processors=[
            structlog.contextvars.merge_contextvars,
            structlog.processors.add_log_level,
            structlog.processors.TimeStamper(fmt="iso"),
            note_trouble,
            renderer,
        ],
        wrapper_class=structlog.make_filtering_bound_logger(logging.INFO),
        cache_logger_on_first_use=True,
    )

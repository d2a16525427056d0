"""What tests share: an estate builder for the core, a seeded installation with stand-ins, API
and pages."""

import fcntl
import gc
import os
import shutil
from collections.abc import Iterator
from contextlib import contextmanager
from datetime import UTC, datetime, timedelta
from decimal import Decimal
from pathlib import Path
from typing import Any

import pytest
from hypothesis import settings as hypothesis_settings

from sedge.core import records as e
from sedge.core.estate import Estate
from sedge.core.facts import Money
from sedge.core.licences.records import Entitlement
from sedge.core.numbers.life import State
from sedge.settings import Settings
from tests.declared import holding_to_declared

hypothesis_settings.register_profile("ci", max_examples=60, deadline=None, derandomize=True)
hypothesis_settings.register_profile("long", max_examples=2000, deadline=None)
hypothesis_settings.load_profile(os.environ.get("HYPOTHESIS_PROFILE", "ci"))

NOW = datetime(2026, 11, 24, 11, 20, tzinfo=UTC)  # a Tuesday
MOMENT = datetime.fromisoformat(os.environ.get("MOMENT", "2026-11-24T06:00:00+00:00"))
# both clocks stand still there, however slow the machine, and in every process of a run
BEGAN = datetime.fromisoformat(os.environ.setdefault("TESTS_BEGAN", datetime.now(UTC).isoformat()))


HEAVY = ("browser", "services", "api", "web")  # folders, those whose files take longest first


def pytest_collection_modifyitems(items: list[pytest.Item]) -> None:
    """What takes long begins first, so that at the end no process waits for the last file of
    another."""
    places = {folder: place for place, folder in enumerate(HEAVY)}
    items.sort(key=lambda item: places.get(item.path.parent.name, len(places)))


def pytest_collection_finish() -> None:
    """What was imported stays; looking through it for garbage again and again took an eighth of the
    time of all tests."""
    gc.collect()
    gc.freeze()
    gc.set_threshold(100_000, 20, 50)


class EstateBuilder:
    """Puts together the estate a core test needs: one site in Leeds, two carriers, three products;
    then what is asked for."""

    def __init__(self) -> None:
        person, line = (e.HolderKind.PERSON,), (e.HolderKind.SERVICE_LINE,)
        gbp = self.gbp
        elements = e.CivicElements(
            country="GB",
            city="Leeds",
            street="Lanternfield Wharf",
            house_number="12",
            postcode="LS1 4ZZ",
        )
        self.records: dict[str, Any] = {}
        self.put(
            e.Site(
                id="leeds",
                name="Wharf House",
                code="WHF",
                country="GB",
                timezone="Europe/London",
                language="en",
                supply_model=e.SupplyModel.BUNDLED,
                account="brackwater-main",
                address="leeds-address",
                spot="WHF-001-K",
                outside_prefix="9",
                security_desk="desk@example.test",
            ),
            e.Address(
                id="leeds-address",
                site="leeds",
                elements=elements,
                verdict=e.Verdict.EXACT,
                psap="Leeds operator assistance",
                floors=4,
            ),
            e.Spot(
                id="WHF-000-M",
                address="leeds-address",
                site="leeds",
                name="whole address",
                whole=True,
                confirmed_at=NOW,
            ),
            e.Spot(
                id="WHF-001-K",
                address="leeds-address",
                site="leeds",
                name="ground floor, reception",
                floor="ground floor",
                room="reception",
                confirmed_at=NOW,
            ),
            e.Carrier(
                id="brackwater",
                name="Brackwater Telecom",
                supply_model=e.SupplyModel.BUNDLED,
                countries=("GB",),
                capacities=(e.Capacity.SINGLE, e.Capacity.MANY),
                asks_of={
                    e.HolderKind.PERSON: ("staff", "home"),
                    e.HolderKind.SERVICE_LINE: ("permit",),
                },
            ),
            e.Carrier(
                id="fellgate",
                name="Fellgate Voice",
                supply_model=e.SupplyModel.OWN_TRUNK,
                countries=("GB",),
                capacities=(e.Capacity.ANY,),
                asks_of={},
            ),
            e.Account(
                id="brackwater-main",
                carrier="brackwater",
                name="Brackwater main",
                balance=gbp("100"),
                low_mark=gbp("20"),
            ),
            e.Account(
                id="fellgate-main",
                carrier="fellgate",
                name="Fellgate main",
                balance=gbp("100"),
                low_mark=gbp("20"),
            ),
            e.Product(
                id="staff",
                name="Staff seat",
                allows=(),
                for_holders=person,
                monthly=gbp("3.10"),
                propagation_minutes=10,
            ),
            e.Product(
                id="home",
                name="Home calling",
                allows=("calls",),
                needs_all=("staff",),
                for_holders=person,
                monthly=gbp("6.40"),
                propagation_minutes=15,
            ),
            e.Product(
                id="permit",
                name="Reception permit",
                allows=("calls",),
                for_holders=line,
                monthly=gbp("0"),
                propagation_minutes=5,
                free=True,
                entitlement=Entitlement(base=2, per=15, of="home"),
            ),
            e.Subscription(id="staff-sub", product="staff", seats=5),
            e.Subscription(id="home-sub", product="home", seats=5),
            e.Subscription(id="permit-sub", product="permit", seats=2),
            e.Trunk(
                id="brackwater-leeds",
                name="Brackwater Leeds",
                site="leeds",
                carrier="brackwater",
                channels=10,
            ),
            e.Trunk(id="leeds-a", name="Leeds A", site="leeds", carrier="fellgate", channels=10),
        )

    @staticmethod
    def gbp(amount: str) -> Money:
        return Money(amount=Decimal(amount), currency="GBP")

    def put(self, *records: Any) -> None:
        for record in records:
            key = record.e164 if isinstance(record, e.Number) else record.id
            self.records[f"{type(record).__name__}/{key}"] = record

    def person(
        self,
        name: str = "Ifeoma Okafor",
        *,
        spot: str | None = "WHF-001-K",
        registered: bool = True,
        **values: Any,
    ) -> e.HolderRef:
        key = name.lower().replace(" ", "-")
        self.put(
            e.Person(
                id=key, name=name, email=f"{key}@example.test", site="leeds", spot=spot, **values
            )
        )
        self.put(
            e.Device(
                id=f"phone-{key}",
                person=key,
                kind="desk phone",
                name=f"desk phone of {name.split(maxsplit=1)[0]}",
                registered=registered,
            )
        )
        return e.HolderRef(kind=e.HolderKind.PERSON, id=key)

    def line(self, name: str = "Bookings", kind: str = "menu") -> e.HolderRef:
        key = name.lower().replace(" ", "-")
        self.put(e.ServiceLine(id=key, name=name, kind=kind, site="leeds", spot="WHF-001-K"))
        return e.HolderRef(kind=e.HolderKind.SERVICE_LINE, id=key)

    def number(
        self,
        last: int,
        state: State = State.AVAILABLE,
        *,
        carrier: str = "brackwater",
        capacity: str = "single",
        **values: Any,
    ) -> str:
        e164 = f"+44113496{last:04d}"
        trunk = "brackwater-leeds" if carrier == "brackwater" else "leeds-a"
        number = e.Number(
            id=f"life-{last}",
            e164=e164,
            state=state,
            capacity=e.Capacity(capacity),
            account=f"{carrier}-main",
            carrier=carrier,
            site="leeds",
            monthly=self.gbp("0.65"),
            **{"trunk": trunk, **values},
        )
        self.put(number)
        return e164

    def given(
        self, last: int, holder: e.HolderRef, role: e.Role = e.Role.MAIN, **values: Any
    ) -> str:
        assignment = e.Assignment(holder=holder, role=role, since=NOW, works_from=NOW)
        return self.number(
            last, State.ASSIGNED, assignment=assignment, **{"spot": "WHF-001-K", **values}
        )

    def granted(self, holder: e.HolderRef, *products: str, works_from: datetime = NOW) -> None:
        for product in products:
            self.put(
                e.Grant(
                    id=f"grant-{holder.id}-{product}",
                    product=product,
                    subscription=f"{product}-sub",
                    holder=holder,
                    since=NOW,
                    works_from=works_from,
                )
            )
            subscription = self.records[f"Subscription/{product}-sub"]
            self.put(subscription.copy_with(used=subscription.used + 1))

    def build(self, now: datetime = NOW) -> Estate:
        return Estate(now, self.records.values())


@pytest.fixture(scope="session", autouse=True)
def _plain_logs() -> None:
    from sedge.app import set_up_logging

    set_up_logging(as_json=False)


@pytest.fixture
def estate() -> EstateBuilder:
    return EstateBuilder()


@pytest.fixture(scope="session")
def seeded(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """The demo's data, made once for all processes of a run; tests work on copies. In both worlds
    it is the same moment whenever the tests run, a Tuesday morning (carriers bill at night, and a
    test that moves the clock by some hours must not find a bill), unless `MOMENT` names another."""
    from sedge.demo.running import ready_data
    from sedge.services.clock import Clock

    base = tmp_path_factory.getbasetemp()
    folder = (base.parent if "PYTEST_XDIST_WORKER" in os.environ else base) / "seeded"
    with Path(f"{folder}.lock").open("w") as lock:
        fcntl.flock(lock, fcntl.LOCK_EX)
        if not folder.exists():
            half = folder.with_name("half-seeded")
            ready_data(
                Settings(data=half, demo=True, durable=False, runner=False),
                clock=Clock(MOMENT - BEGAN, fixed=BEGAN),
                whole=False,
            )
            half.rename(folder)
    return folder


_standing_by: list[Any] = []


@contextmanager
def standins(folder: Path) -> Iterator[Any]:
    """Stand-ins that remember what is in the folder: idle ones of an earlier test if there are any.
    Nothing ticks by itself."""
    from sedge.standins.app import StandinServer

    if _standing_by:
        server = _standing_by.pop()
        server.move_to(folder)
    else:
        server = StandinServer(folder).start(ticking=False)
        server.app.state.book.stands_at = BEGAN
    yield server
    _standing_by.append(server)


SILENT = "timeout"  # done, but nobody hears of it


@pytest.fixture(scope="session", autouse=True)
def _short_silence() -> None:
    """A stand-in that is to stay silent does so for half a second. The installation itself is
    patient, so that a busy machine is not taken for a silent service. A stream of changes ends at
    once for who has no browser."""
    from sedge.standins import app, mail_server
    from sedge.web.today import events

    app.LONGEST_SILENCE = mail_server.LONGEST_SILENCE = 0.5
    events.STREAM_SECONDS = 0.0


@pytest.fixture
def installation(seeded: Path, tmp_path: Path) -> Iterator[Any]:
    """An installation on a copy of the demo's data, with its own stand-ins over real HTTP; nothing
    runs unless ticked."""
    from sedge.app import open_installation

    folder = tmp_path / "data"
    shutil.copytree(seeded, folder)
    with standins(folder) as outside:
        opened = open_installation(
            Settings(data=folder, demo=True, durable=False, runner=False, outside_seconds=20),
            outside.url,
        )
        opened.clock.set_fixed(BEGAN)
        yield opened
        opened.close()


@pytest.fixture
def context(installation: Any) -> Any:
    from sedge.demo.seed import MEMBERS

    return installation.context(MEMBERS[0])


_idle: list[Any] = []


@contextmanager
def serving(installation: Any) -> Iterator[Any]:
    """An application for this installation: an idle one of an earlier test if there is one, since
    building one takes most of a second."""
    from sedge.app import attach_installation, build_app

    app = attach_installation(_idle.pop() if _idle else build_app(), installation)
    yield app
    _idle.append(app)


@pytest.fixture
def client(installation: Any) -> Iterator[Any]:
    """The application in-process, signed in as nobody."""
    from starlette.testclient import TestClient

    with (
        serving(installation) as app,
        TestClient(app, base_url="http://127.0.0.1:8420", follow_redirects=False) as opened,
    ):
        opened.event_hooks = holding_to_declared()
        yield opened


@pytest.fixture(scope="module")
def shared(seeded: Path, tmp_path_factory: pytest.TempPathFactory) -> Iterator[Any]:
    """The application on one installation for all tests of a module: for those that only look, or
    don't mind what others did."""
    from starlette.testclient import TestClient

    from sedge.app import open_installation

    folder = tmp_path_factory.mktemp("shared") / "data"
    shutil.copytree(seeded, folder)
    with standins(folder) as outside:
        opened = open_installation(
            Settings(data=folder, demo=True, durable=False, runner=False, outside_seconds=20),
            outside.url,
        )
        opened.clock.set_fixed(BEGAN)
        with (
            serving(opened) as app,
            TestClient(app, base_url="http://127.0.0.1:8420", follow_redirects=False) as made,
        ):
            made.event_hooks = holding_to_declared()
            yield made
        opened.close()


@pytest.fixture
def api(client: Any) -> Any:
    """The same with the demo's token, on the JSON interface."""
    client.headers["Authorization"] = "Bearer demo"
    client.base_url = client.base_url.join("/api/v1/")
    return client


@pytest.fixture
def collector() -> Iterator[Any]:
    """Takes traces, and answers as a service that is called."""
    from tests.collecting import Collector

    made = Collector()
    yield made
    made.stop()


def in_one_line(html: str) -> str:
    """A page's text without the breaks of its template."""
    return " ".join(html.split())


def until_quiet(installation: Any, span: timedelta = timedelta(0)) -> None:
    """Let everything that is due happen, moving the clocks forward by `span`."""
    from sedge.services import simulation_clock

    simulation_clock.advance(installation, span)

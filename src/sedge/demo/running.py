"""Starting the demo: seed once, then serve."""

import sys
import time
import warnings
from datetime import timedelta
from pathlib import Path

import uvicorn
from pydantic.warnings import UnsupportedFieldAttributeWarning

from sedge.app import create_app, open_house, set_up_logging, settle_memory
from sedge.services import simulation_clock
from sedge.services.clock import Clock
from sedge.settings import Settings
from sedge.standins.app import StandinServer

SEEDED = "seeded"
MADE_HERE = "made-by-sedge-demo"  # lies in a folder from before its first file is made
FILES = (
    "installation.sqlite*",
    "estate-*.sqlite*",
    "standins.sqlite*",
    "secret.key",
    SEEDED,
    MADE_HERE,
)


# FastAPI hides this one of its own from itself, in a way that doesn't hold while two applications
# are made at once.
warnings.filterwarnings("ignore", category=UnsupportedFieldAttributeWarning)


class NotOurs(Exception):
    """The folder holds something that the demo did not make; it touches none of it."""


def ready_data(settings: Settings, *, ahead: timedelta = timedelta(0)) -> None:
    """Seed the data folder where it hasn't been; a seeding that was cut short starts over. `ahead`:
    how far both worlds' clocks are put before real time, for tests that must not run into the
    night."""
    if (settings.data / SEEDED).exists():
        return
    clear(settings.data)
    settings.data.mkdir(parents=True, exist_ok=True)
    (settings.data / MADE_HERE).touch()
    standins = StandinServer(settings.data).start(ticking=False)
    make_data(settings, standins.url, ahead)
    standins.stop()


def make_data(settings: Settings, standins_url: str, ahead: timedelta = timedelta(0)) -> None:
    """Live the demo's past and mark the folder as seeded."""
    from sedge.demo.seed import seed

    started = time.perf_counter()
    house = open_house(settings.model_copy(update={"durable": False}), standins_url, Clock(ahead))
    if ahead:
        simulation_clock.control_of(house).advance(ahead.total_seconds())
        simulation_clock.keep_offset(house)
    seed(house)
    house.close()
    (settings.data / SEEDED).touch()
    _print(f"Demo data made in {time.perf_counter() - started:.1f} s.")


GRACE_SECONDS = 2  # open pages hold a stream that would never end


def run_demo(settings: Settings) -> None:
    set_up_logging(as_json=settings.log_json)
    ready_data(settings)
    standins = StandinServer(settings.data, settings.standins_port).start()
    house = open_house(settings, standins.url)
    app = create_app(house)
    settle_memory()
    _print(f"Sedge: http://{settings.host}:{settings.port}")
    uvicorn.run(
        app,
        host=settings.host,
        port=settings.port,
        log_level="warning",
        timeout_graceful_shutdown=GRACE_SECONDS,
    )
    house.close()
    standins.stop()


def clear(folder: Path) -> None:
    """Remove what the demo made in a folder, and nothing else. Raises NotOurs where it made nothing
    there and there is something."""
    if not folder.exists() or not any(folder.iterdir()):
        return
    if not (folder / MADE_HERE).exists() and not (folder / SEEDED).exists():
        raise NotOurs(
            f"{folder} holds files that the demo did not make. Nothing was touched. Choose another"
            " folder with --data."
        )
    for pattern in FILES:
        for file in folder.glob(pattern):
            file.unlink()


def _print(text: str) -> None:
    sys.stdout.write(text + "\n")
    sys.stdout.flush()

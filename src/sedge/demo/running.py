"""Starting the demo: seed once, then serve."""

import sys
import time
from datetime import timedelta
from pathlib import Path

import uvicorn

from sedge.app import create_app, open_house, set_up_logging, settle_memory
from sedge.desk import steering
from sedge.desk.clock import Clock
from sedge.settings import Settings
from sedge.standins.app import StandinServer

SEEDED = "seeded"


def ready_data(settings: Settings, *, ahead: timedelta = timedelta(0)) -> None:
    """Seed the data folder where it hasn't been; a seeding that was cut short starts over. `ahead`: how far both worlds' clocks are put
    before real time, for tests that must not run into the night."""
    if (settings.data / SEEDED).exists():
        return
    _clear(settings.data)
    standins = StandinServer(settings.data).start(ticking=False)
    make_data(settings, standins.url, ahead)
    standins.stop()


def make_data(settings: Settings, standins_url: str, ahead: timedelta = timedelta(0)) -> None:
    """Live the demo's past and mark the folder as seeded."""
    from sedge.demo.seed import seed

    started = time.perf_counter()
    house = open_house(settings.model_copy(update={"durable": False}), standins_url, Clock(ahead))
    if ahead:
        steering.control_of(house).advance(ahead.total_seconds())
        steering.keep_offset(house)
    seed(house)
    house.close()
    (settings.data / SEEDED).touch()
    _print(f"Demo data made in {time.perf_counter() - started:.1f} s.")


def run_demo(settings: Settings) -> None:
    set_up_logging(as_json=settings.log_json)
    ready_data(settings)
    standins = StandinServer(settings.data, settings.standins_port).start()
    house = open_house(settings, standins.url)
    app = create_app(house)
    settle_memory()
    _print(f"Sedge: http://{settings.host}:{settings.port}")
    uvicorn.run(app, host=settings.host, port=settings.port, log_level="warning")
    house.close()
    standins.stop()


def _clear(folder: Path) -> None:
    for file in folder.glob("*.sqlite*") if folder.exists() else ():
        file.unlink()


def _print(text: str) -> None:
    sys.stdout.write(text + "\n")
    sys.stdout.flush()

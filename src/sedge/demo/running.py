"""Starting the demo: seed once, then serve."""

import time
from pathlib import Path

from fastapi import FastAPI

from sedge.app import (
    attach_installation,
    build_app,
    freeze_startup_objects,
    open_installation,
    set_up_logging,
)
from sedge.core.errors import CannotStart
from sedge.readers import Reader, readers_beside
from sedge.services import simulation_clock
from sedge.services.clock import Clock
from sedge.serving import answer_by_reading, listen, say
from sedge.settings import Settings
from sedge.standins.app import StandinServer
from sedge.store.folder import LOCK, folder_in_use, told_plainly

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


class NotOurs(CannotStart):
    """The folder holds something that the demo did not make; it touches none of it."""


def ready_data(settings: Settings, *, clock: Clock | None = None, whole: bool = True) -> None:
    """Seed the data folder where it hasn't been; a seeding that was cut short starts over. `clock`:
    one that is before real time or behind it, for tests that must not depend on the day they run
    on; the stand-ins' clock is put as far off. `whole` as `seed` has it."""
    if (settings.data / SEEDED).exists():
        return
    clear(settings.data)
    settings.data.mkdir(parents=True, exist_ok=True)
    (settings.data / MADE_HERE).touch()
    standins = StandinServer(settings.data).start(ticking=False)
    make_data(settings, standins.url, clock or Clock(), whole=whole)
    standins.stop()


def make_data(settings: Settings, standins_url: str, clock: Clock, *, whole: bool) -> None:
    """Live the demo's past and mark the folder as seeded."""
    from sedge.demo.seed import seed

    started = time.perf_counter()
    installation = open_installation(
        settings.model_copy(update={"durable": False}), standins_url, clock
    )
    if clock.offset:
        simulation_clock.control_of(installation).advance(clock.offset.total_seconds())
        simulation_clock.keep_offset(installation)
    seed(installation, whole=whole)
    installation.close()
    (settings.data / SEEDED).touch()
    say(f"Demo data made in {time.perf_counter() - started:.1f} s.")


def run_demo(settings: Settings, *, fresh: bool = False) -> None:
    """Serve the demo; `fresh`: on data made anew. Raises CannotStart, NotOurs."""
    set_up_logging(as_json=settings.log_json)
    app = build_app()
    freeze_startup_objects()

    def answer(reader: Reader, app: FastAPI) -> None:
        answer_by_reading(settings, reader.outside, reader, app)

    with readers_beside(settings, app, answer) as readers, folder_in_use(settings.data):
        if fresh:
            clear(settings.data)
        ready_data(settings)
        with told_plainly(settings.data):
            standins = StandinServer(settings.data, settings.standins_port).start()
            installation = open_installation(settings, standins.url)
            simulation_clock.catch_up(installation)
        try:
            listen(attach_installation(app, installation), readers, standins.url)
        finally:
            installation.close()
            standins.stop()


def clear(folder: Path) -> None:
    """Remove what the demo made in a folder, and nothing else. Raises NotOurs where it made nothing
    there and there is something."""
    if not folder.exists() or all(file.name == LOCK for file in folder.iterdir()):
        return
    if not (folder / MADE_HERE).exists() and not (folder / SEEDED).exists():
        raise NotOurs(
            f"{folder} holds files that the demo did not make. Nothing was touched. Choose another"
            " folder with --data."
        )
    for pattern in FILES:
        for file in folder.glob(pattern):
            file.unlink()

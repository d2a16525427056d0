"""What runs beside the pages: the runner's ticks, and a look at the telephone system now and
then."""

import structlog
from apscheduler.schedulers.background import BackgroundScheduler

from sedge.core.errors import OutsideTrouble, SedgeError
from sedge.services.callpaths import calls
from sedge.services.context import Installation, system_member
from sedge.services.operating import nightly_backup
from sedge.services.supply import arrival_files
from sedge.services.trunks import connection_tests, sbcs, trunks, watching
from sedge.services.workorders import runner

log = structlog.get_logger("sedge.runner")
BACKUP_SECONDS = 600
LOOK_SECONDS = 15
TEST_SECONDS = 60
WATCH_SECONDS = 5
FOLDER_SECONDS = 15


def start_runner(installation: Installation) -> BackgroundScheduler:
    """One instance, coalesced: a long tick is followed by one, not by all it held up."""
    runner.recover(installation)
    scheduler = BackgroundScheduler(
        timezone="UTC",
        job_defaults={"coalesce": True, "max_instances": 1, "misfire_grace_time": 30},
    )
    scheduler.add_job(
        _tick,
        "interval",
        args=[installation],
        seconds=installation.settings.runner_seconds,
        id="runner",
    )
    scheduler.add_job(_look, "interval", args=[installation], seconds=LOOK_SECONDS, id="looking")
    scheduler.add_job(_test, "interval", args=[installation], seconds=TEST_SECONDS, id="testing")
    scheduler.add_job(_watch, "interval", args=[installation], seconds=WATCH_SECONDS, id="watching")
    if installation.settings.arrivals_folder:
        scheduler.add_job(
            _take_in, "interval", args=[installation], seconds=FOLDER_SECONDS, id="folder"
        )
    scheduler.add_job(
        _back_up, "interval", args=[installation], seconds=BACKUP_SECONDS, id="backup"
    )
    scheduler.start()
    return scheduler


def _tick(installation: Installation) -> None:
    try:
        seconds = installation.settings.runner_seconds
        runner.tick_when_due(installation, quiet_for=seconds * runner.LONGEST_QUIET)
    except SedgeError as error:
        log.warning("tick", error=error.message)


def _test(installation: Installation) -> None:
    """Trunks, each night, apart from the ticks: a silent one takes seconds."""
    for key in list(installation.estates):
        try:
            connection_tests.test_nightly(installation.context(system_member(key)))
            sbcs.test_nightly(installation.context(system_member(key)))
        except SedgeError as error:
            log.warning("testing", error=error.message)


def _watch(installation: Installation) -> None:
    """Trunks that are asked OPTIONS, each as often as its settings say."""
    for key in list(installation.estates):
        try:
            watching.watch(installation.context(system_member(key)))
        except SedgeError as error:
            log.warning("watching", error=error.message)


def _take_in(installation: Installation) -> None:
    """Lists of arrivals in the watched folder."""
    for key in list(installation.estates):
        try:
            arrival_files.take_in(installation.context(system_member(key)))
        except OSError as error:
            log.warning("arrivals", error=str(error), organisation=key)


def _back_up(installation: Installation) -> None:
    """Troubles are told in the log, on Today and on the page System."""
    nightly_backup.make_when_due(installation)


def _look(installation: Installation) -> None:
    """Devices and trunks, as the telephone system sees them."""
    for key in list(installation.estates):
        try:
            context = installation.context(system_member(key))
            if context.outside.telephony.is_connected:
                calls.refresh_devices(context)
                trunks.refresh(context)
        except OutsideTrouble as error:
            log.warning("looking", error=error.message)

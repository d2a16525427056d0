"""Figures of the process for whatever watches it (Prometheus)."""

import os
import time
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from datetime import UTC, datetime
from functools import partial

from prometheus_client import CollectorRegistry, Counter, Gauge, Histogram, generate_latest
from prometheus_client.multiprocess import MultiProcessCollector

from sedge import traces
from sedge.core.errors import OutsideRefused

REGISTRY = CollectorRegistry()
FAST = (0.005, 0.01, 0.025, 0.05, 0.1, 0.25, 0.5, 1, 2.5, 5, 10)
REQUESTS = Counter(
    "sedge_requests", "requests answered", ["method", "route", "status"], registry=REGISTRY
)
REQUEST_SECONDS = Histogram(
    "sedge_request_seconds", "how long answers took", ["route"], buckets=FAST, registry=REGISTRY
)
OUTSIDE = Counter(
    "sedge_outside_calls", "calls to services outside", ["service", "result"], registry=REGISTRY
)
OUTSIDE_SECONDS = Histogram(
    "sedge_outside_seconds", "how long they took", ["service"], buckets=FAST, registry=REGISTRY
)
SIGN_INS = Counter("sedge_sign_ins", "attempts to sign in", ["result"], registry=REGISTRY)
gauge = partial(Gauge, registry=REGISTRY, multiprocess_mode="mostrecent")
TASKS_OPEN = gauge("sedge_tasks_open", "tasks that are not done")
OLDEST_TASK = gauge("sedge_oldest_task_seconds", "how late the latest one is")
MAILS_WAITING = gauge("sedge_mails_waiting", "letters not yet sent")
MAILS_GIVEN_UP = gauge("sedge_mails_given_up", "letters nobody took")
DATABASE_BYTES = gauge("sedge_database_bytes", "size of the databases")
DISK_FREE = gauge("sedge_disk_free_bytes", "room left on their disk")
BACKUP_AGE = gauge("sedge_backup_age_seconds", "since the last good backup")
DAMAGED = gauge("sedge_organisations_damaged", "databases that can't be read")
ORGANISATIONS = gauge("sedge_organisations", "organisations served")
STARTED = time.time()
NO_ROUTE = "other"


@dataclass(frozen=True)
class Seen:
    """How the last call to a service went: when, and what was wrong ("" if nothing)."""

    at: datetime
    trouble: str


LAST_SEEN: dict[str, Seen] = {}


def answered(method: str, route: str, status: int, seconds: float) -> None:
    REQUESTS.labels(method, route, f"{status // 100}xx").inc()
    REQUEST_SECONDS.labels(route).observe(seconds)


@contextmanager
def calling(service: str) -> Iterator[None]:
    """Times and counts a call outside. A refusal is an answer; whatever else is raised counts as
    trouble."""
    started = time.perf_counter()
    try:
        with traces.span(f"ask {service}", goes_out=True):
            yield
    except OutsideRefused:
        OUTSIDE.labels(service, "refused").inc()
        LAST_SEEN[service] = Seen(datetime.now(UTC), "")
        raise
    except Exception as error:
        OUTSIDE.labels(service, type(error).__name__).inc()
        LAST_SEEN[service] = Seen(datetime.now(UTC), str(error)[:300])
        raise
    else:
        OUTSIDE.labels(service, "answered").inc()
        LAST_SEEN[service] = Seen(datetime.now(UTC), "")
    finally:
        OUTSIDE_SECONDS.labels(service).observe(time.perf_counter() - started)


def exposition() -> bytes:
    """Of all processes where there are several."""
    if "PROMETHEUS_MULTIPROC_DIR" not in os.environ:
        return generate_latest(REGISTRY)
    together = CollectorRegistry()
    MultiProcessCollector(together)
    return generate_latest(together)

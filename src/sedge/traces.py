"""Traces (OpenTelemetry), where the settings name a collector: a span for each request, task and
call outside, sent to it by OTLP over HTTP. Otherwise a span is nothing and costs nothing."""

from collections.abc import Callable, Iterator
from contextlib import contextmanager

from opentelemetry import propagate, trace
from opentelemetry.trace import SpanKind

from sedge import __version__
from sedge.core.errors import CannotStart

_tracer = trace.get_tracer("sedge", __version__)


def send_spans(collector: str) -> Callable[[], None]:
    """From now on spans of this process go to a collector (its address without `/v1/traces`), a
    batch every few seconds; nowhere where it is ''. Gives what sends the last ones and ends it.
    Raises CannotStart where the packages for it are missing."""
    if not collector:
        return lambda: None
    try:
        from opentelemetry.exporter.otlp.proto.http.trace_exporter import OTLPSpanExporter
        from opentelemetry.sdk.resources import Resource
        from opentelemetry.sdk.trace import TracerProvider
        from opentelemetry.sdk.trace.export import BatchSpanProcessor
    except ImportError:
        message = "The setting “traces” needs more packages: pip install 'sedge[traces]'."
        raise CannotStart(message) from None
    named = {"service.name": "sedge", "service.version": __version__}
    provider = TracerProvider(resource=Resource.create(named))
    exporter = OTLPSpanExporter(endpoint=f"{collector}/v1/traces")
    provider.add_span_processor(BatchSpanProcessor(exporter))
    trace.set_tracer_provider(provider)
    return provider.shutdown


@contextmanager
def span(name: str, *, goes_out: bool = False, **facts: str) -> Iterator[None]:
    """What happens inside is one span, within the one around it."""
    kind = SpanKind.CLIENT if goes_out else SpanKind.INTERNAL
    with _tracer.start_as_current_span(name, kind=kind, attributes=facts):
        yield


def name_request(method: str, route: str) -> None:
    """The span of the request under way is called after its route, `GET /numbers/{number}`."""
    current = trace.get_current_span()
    if current.is_recording():
        current.update_name(f"{method} {route}")
        current.set_attribute("http.route", route)


def passed_on() -> dict[str, str]:
    """Headers by which a service that is called can continue the trace (W3C Trace Context)."""
    headers: dict[str, str] = {}
    propagate.inject(headers)
    return headers

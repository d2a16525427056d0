"""What is asked by whatever watches Sedge: is it alive, can it do its work, and in figures, how
does it do."""

import secrets

from fastapi import FastAPI, Request
from fastapi.responses import JSONResponse, Response
from prometheus_client import CONTENT_TYPE_LATEST

from sedge import metrics
from sedge.core.errors import Forbidden
from sedge.services.context import Installation
from sedge.services.operating import health
from sedge.web.routing import is_local


def add_to(app: FastAPI) -> None:
    """Neither tells strangers anything but good or bad; figures are for who has the token, or sits
    at this machine."""

    @app.get("/healthz", include_in_schema=False)
    def healthz(request: Request) -> JSONResponse:
        """Whether restarting would help: the process answers and its database can be read."""
        return _told(health.problems(request.app.state.installation))

    @app.get("/readyz", include_in_schema=False)
    def readyz(request: Request) -> JSONResponse:
        """Whether it can do its work: also no organisation is out of order."""
        installation: Installation = request.app.state.installation
        return _told(health.problems(installation) + health.degraded(installation))

    @app.get("/metrics", include_in_schema=False)
    def figures(request: Request) -> Response:
        installation: Installation = request.app.state.installation
        if not _may_watch(request, installation.settings.metrics_token.get_secret_value()):
            raise Forbidden("Figures are for who has the token of the setting metrics_token.")
        health.refresh_gauges(installation)
        return Response(metrics.exposition(), media_type=CONTENT_TYPE_LATEST)


def _told(problems: list[str]) -> JSONResponse:
    return JSONResponse({"status": "out of order" if problems else "ok"}, 503 if problems else 200)


def _may_watch(request: Request, wanted: str) -> bool:
    if not wanted:
        return is_local(request)
    scheme, _, given = request.headers.get("authorization", "").partition(" ")
    return scheme.lower() == "bearer" and secrets.compare_digest(given.encode(), wanted.encode())

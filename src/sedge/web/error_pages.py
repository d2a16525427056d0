"""Dressing errors: for pages a sentence beside the field or a page of its own, for the API RFC 9457
problem details.

Nothing else turns an error into a status or a sentence. What was typed is never lost: htmx forms
stay as they are and get the sentence from the `Sedge-Problem` header, plain forms come back by the
browser's own back.
"""

import json
from collections.abc import Mapping
from typing import Any
from urllib.parse import quote, urlsplit

import structlog
from fastapi import FastAPI, Request
from fastapi.exceptions import RequestValidationError
from fastapi.responses import JSONResponse, RedirectResponse, Response
from sqlalchemy.exc import OperationalError
from starlette.exceptions import HTTPException

from sedge.core.errors import NotSignedIn, NotUnderstood, OutOfOrder, SedgeError
from sedge.store.disk_trouble import Trouble, trouble_of
from sedge.web.routing import NOT_SURE
from sedge.web.shared.rendering import is_swap, render

log = structlog.get_logger("sedge")
HEADINGS = {
    "not-found": "Not here",
    "not-understood": "That can't be used as it is",
    "not-one-number": "That is not one number",
    "forbidden": "Not with your role",
    "not-allowed-now": "Not now",
    "changed-meanwhile": "Somebody was faster",
    "not-runnable": "Not yet runnable",
    "key-reused": "That key was used before",
    "too-many": "Wait a little",
    "out-of-order": "Out of order",
    "outside-trouble": "The other side has trouble",
    "outside-silent": "The other side does not answer",
    "outside-refused": "The other side said no",
    "not-signed-in": "Sign in",
}
SCIM_TYPES = {
    "invalidFilter",
    "tooMany",
    "uniqueness",
    "mutability",
    "invalidSyntax",
    "invalidPath",
    "noTarget",
    "invalidValue",
    "invalidVers",
    "sensitive",
}
TYPES = "https://sedge.example/problems/"


def dress(app: FastAPI) -> None:
    app.add_exception_handler(SedgeError, _sedge)
    app.add_exception_handler(RequestValidationError, _validation)
    app.add_exception_handler(HTTPException, _http)
    app.add_exception_handler(OperationalError, _database)
    app.add_exception_handler(OverflowError, _too_large)
    app.add_exception_handler(Exception, _unexpected)


def is_api(request: Request) -> bool:
    path = request.url.path
    return path.startswith(("/api/", "/scim/", "/standins/")) and not path.startswith(
        "/standins/panel/"
    )


def is_scim(request: Request) -> bool:
    return request.url.path.startswith("/scim/")


def _sedge(request: Request, error: Exception) -> Response:
    if not isinstance(error, SedgeError):
        raise error
    if is_scim(request):
        status = {"uniqueness": 409}.get(
            error.reason or "", 400 if error.status == 422 else error.status
        )
        return scim_error(status, error.message, error.reason)
    if is_api(request):
        return problem_details(
            error.status,
            error.code,
            error.message,
            {**error.facts, "field": error.field, "reason": error.reason},
        )
    if isinstance(error, NotSignedIn) and error.field is None:
        return _to_sign_in(request, "/sure" if error.reason == NOT_SURE else "/sign-in")
    return _page(
        request, error.status, error.code, error.message, error.field, error.facts.get("choices")
    )


def _to_sign_in(request: Request, door: str) -> Response:
    """To the page that lets one in, and from there on to the page one wanted, or was on."""
    to = request.url.path if request.method == "GET" else _own_page_before(request)
    if is_swap(request):
        return Response(status_code=401, headers={"HX-Redirect": f"{door}?to={quote(to)}"})
    if request.headers.get("accept", "").startswith("application/json"):
        return Response(status_code=401)
    return RedirectResponse(f"{door}?to={quote(to)}", 303)


def _page(
    request: Request,
    status: int,
    code: str,
    message: str,
    field: str | None = None,
    choices: list[dict[str, Any]] | None = None,
) -> Response:
    """`choices` are what was perhaps meant: each with a `label` and the `fields` that it fills
    in."""
    if is_swap(request):
        beside = (
            field.rsplit(".", 1)[-1] if field and field.startswith("tasks.") else field
        )  # a form has one task, and its fields
        problem = json.dumps(
            {
                "message": message,
                "field": beside,
                "code": code,
                **({"choices": choices} if choices else {}),
            }
        )
        return Response(status_code=status, headers={"Sedge-Problem": problem})
    onward = _own_page_before(request)
    words = "Back to where you were" if onward != "/" else "To Today"
    heading = HEADINGS.get(code, "That did not work")
    return render(
        request,
        "problem.html",
        status=status,
        heading=heading,
        message=message,
        onward=onward,
        onward_words=words,
    )


def _own_page_before(request: Request) -> str:
    """The page of ours that led here; never another site's."""
    parts = urlsplit(request.headers.get("referer") or "")
    if parts.netloc != request.headers.get("host") or not parts.path.startswith("/"):
        return "/"
    return f"{parts.path}?{parts.query}" if parts.query else parts.path


def _validation(request: Request, error: Exception) -> Response:
    if not isinstance(error, RequestValidationError):
        raise error
    faults = [
        {"field": ".".join(str(p) for p in e["loc"][1:]) or str(e["loc"][0]), "problem": e["msg"]}
        for e in error.errors()
    ]
    first = faults[0] if faults else {"field": None, "problem": "it can't be read"}
    missing = bool(error.errors()) and error.errors()[0]["type"] == "missing"
    message = (
        f"{first['field'] or 'The request'}: {'this is missing' if missing else first['problem']}."
    )
    if is_scim(request):
        return scim_error(400, message, "invalidValue")
    if is_api(request):
        return problem_details(
            422, "not-understood", message, {"field": first["field"], "faults": faults[:20]}
        )
    return _page(request, 422, "not-understood", message, first["field"])


def _http(request: Request, error: Exception) -> Response:
    if not isinstance(error, HTTPException):
        raise error
    sentences = {
        404: "There is no such page. The address may be mistyped, or what was there is gone.",
        405: "This address does not take that.",
    }
    message = sentences.get(error.status_code, str(error.detail))
    code = {404: "not-found"}.get(error.status_code, "not-understood")
    if is_scim(request):
        answer = scim_error(error.status_code, message, None)
    elif is_api(request):
        answer = problem_details(error.status_code, code, message)
    else:
        answer = _page(request, error.status_code, code, message)
    answer.headers.update(error.headers or {})  # `Allow` with 405 (RFC 9110, 15.5.6)
    return answer


def _database(request: Request, error: Exception) -> Response:
    """The disk's and the lock's troubles; whatever else a database says is unexpected."""
    if isinstance(error, OperationalError) and (told := out_of_order(error)):
        log.warning("out of order", path=request.url.path, error=str(error.orig))
        return _sedge(request, told)
    raise error


def _too_large(request: Request, error: Exception) -> Response:
    """A whole number that no database column takes."""
    message = "A number in what you sent is too large."
    return _sedge(request, NotUnderstood(message, reason="too-large"))


def _unexpected(request: Request, error: Exception) -> Response:
    member = getattr(request.state, "member", None)
    whose = member.organisation if member else None
    log.error(
        "unexpected",
        path=request.url.path,
        organisation=whose,
        error=repr(error),
        exc_info=error,
    )
    message = (
        "Sedge could not do that; nothing was changed. It has been written to the log. Try again,"
        " or tell the administrator of Sedge."
    )
    if is_api(request):
        return problem_details(500, "sedge", message)
    return _page(request, 500, "sedge", message)


def out_of_order(error: OperationalError) -> OutOfOrder | None:
    """The disk's or the lock's trouble as what it is: nothing was changed, and later it may go."""
    match trouble_of(error):
        case Trouble.FULL:
            return OutOfOrder(
                "Sedge can't write: its disk is full or broken. Nothing was changed. Tell those who"
                " run it."
            )
        case Trouble.LOCKED:
            return OutOfOrder(
                "Another program holds Sedge's database. Nothing was changed. Try again in a"
                " minute."
            )
        case Trouble.READ_ONLY:
            return OutOfOrder(
                "Sedge may not write its database. Nothing was changed. Tell those who run it."
            )
        case _:
            return None


def scim_error(status: int, detail: str, reason: str | None) -> Response:
    """An error as SCIM tells it (RFC 7644 §3.12)."""
    body: dict[str, object] = {
        "schemas": ["urn:ietf:params:scim:api:messages:2.0:Error"],
        "status": str(status),
        "detail": detail,
    }
    if reason in SCIM_TYPES:
        body["scimType"] = reason
    return JSONResponse(body, status, media_type="application/scim+json")


def problem_details(
    status: int, code: str, message: str, facts: Mapping[str, object] | None = None
) -> Response:
    """RFC 9457 problem details. `facts` without a value are left out; none takes the place of the
    answer's own members."""
    body = {key: value for key, value in (facts or {}).items() if value is not None}
    body |= {
        "type": TYPES + code,
        "title": HEADINGS.get(code, "Error"),
        "status": status,
        "code": code,
        "detail": message,
    }
    written = json.dumps(body, default=str, ensure_ascii=True).encode()
    return Response(written, status, media_type="application/problem+json")

"""Every error of the API as problem details (RFC 9457)."""

from __future__ import annotations

from http import HTTPStatus
from typing import Any

from django.core.exceptions import PermissionDenied
from django.db import OperationalError
from django.http import Http404, HttpRequest, JsonResponse
from rest_framework import exceptions
from rest_framework.response import Response
from rest_framework.views import set_rollback

from hombi.hub.errors import Busy, HubError, Invalid, NotAllowed, NotFound, Refused
from hombi.service.api.mistakes import mistake

_STATUS: list[tuple[type[HubError], int]] = [
    (NotFound, 404),
    (NotAllowed, 403),
    (Refused, 409),
    (Invalid, 422),
    (Busy, 503),
]


def problem(status: int, detail: str, **more: Any) -> dict[str, Any]:
    """The members of a problem: `detail` says what is wrong and what to do."""
    return {
        "type": "about:blank",
        "title": HTTPStatus(status).phrase,
        "status": status,
        "detail": detail,
        **more,
    }


def problem_response(status: int, detail: str, **more: Any) -> Response:
    """A problem as a response."""
    return Response(
        problem(status, detail, **more), status=status, content_type="application/problem+json"
    )


def handle(error: Exception, context: dict[str, Any]) -> Response | None:
    """DRF's exception handler; None leaves an error that nobody foresaw to Django,
    which logs it and answers 500."""
    set_rollback()
    if isinstance(error, Busy) and isinstance(error.__cause__, OperationalError):
        error = error.__cause__  # what is stored together says it shorter, for the log
    if isinstance(error, HubError):
        status = next(code for kind, code in _STATUS if isinstance(error, kind))
        more: dict[str, Any] = {}
        if isinstance(error, Invalid) and error.mistakes:
            more["mistakes"] = [mistake(one) for one in error.mistakes]
        return problem_response(status, str(error), **more)
    if isinstance(error, OperationalError):  # a full disk, a locked file
        detail = (
            f"the database cannot be written now ({error}); `hombi doctor` says more. Try "
            f"again when it is well"
        )
        return problem_response(503, detail)
    if isinstance(error, Http404):
        error = exceptions.NotFound()
    elif isinstance(error, PermissionDenied):
        error = exceptions.PermissionDenied()
    if not isinstance(error, exceptions.APIException):
        return None
    if isinstance(error, exceptions.ValidationError):
        fields = _flat(error.detail)
        response = problem_response(
            400, "; ".join(f"{path}: {text}" if path else text for path, text in fields)
        )
    else:
        response = problem_response(error.status_code, str(error.detail))
    if header := getattr(error, "auth_header", None):
        response["WWW-Authenticate"] = header
    if wait := getattr(error, "wait", None):
        response["Retry-After"] = str(int(wait))
    return response


def unforeseen(request: HttpRequest) -> JsonResponse:
    """Django's answer to an error that nobody foresaw; the log has it."""
    return _plain(500, "something went wrong in the hub; its log says what")


def bad_request(request: HttpRequest, exception: Exception) -> JsonResponse:
    """Django's answer to a request that is none."""
    return _plain(400, f"the request cannot be read ({type(exception).__name__})")


def forbidden(request: HttpRequest, exception: Exception) -> JsonResponse:
    """Django's answer to what nobody may do."""
    return _plain(403, "this is not allowed")


def forged(request: HttpRequest, reason: str = "") -> JsonResponse:
    """Django's answer to a change that does not come from the console's own page."""
    return _plain(403, f"this change does not come from the console's page ({reason})")


def not_found(request: HttpRequest, exception: Exception) -> JsonResponse:
    """Django's answer to an address that is none."""
    return _plain(404, "there is nothing at this address")


def _plain(status: int, detail: str) -> JsonResponse:
    return JsonResponse(
        problem(status, detail), status=status, content_type="application/problem+json"
    )


def _flat(detail: Any, path: str = "") -> list[tuple[str, str]]:
    if isinstance(detail, dict):
        return [
            pair
            for key, value in detail.items()
            for pair in _flat(value, f"{path}.{key}".lstrip("."))
        ]
    if isinstance(detail, list):
        return [pair for value in detail for pair in _flat(value, path)]
    return [("" if path == "non_field_errors" else path, str(detail))]

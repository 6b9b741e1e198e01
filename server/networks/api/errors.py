"""One shape for every error: {"code", "message", "suggestion", "request"}, whatever goes wrong."""

from __future__ import annotations

import errno
import logging
import sys
from typing import Any

from django.core.exceptions import RequestDataTooBig, SuspiciousOperation, TooManyFilesSent
from django.db import Error as DatabaseError
from django.db import InterfaceError, OperationalError
from django.http import Http404, HttpRequest, HttpResponse, JsonResponse
from rest_framework import serializers
from rest_framework.exceptions import APIException, NotAuthenticated, Throttled, ValidationError
from rest_framework.response import Response
from rest_framework.views import exception_handler

from routrel.questions.errors import QuestionError
from server.config.requests import CURRENT
from server.networks.api.refusals import sentence_of
from server.networks.changes import ChangeRefused, UnknownChange
from server.networks.jobs import TooManyJobs
from server.networks.outages import DATABASE_AWAY, DISK_FULL
from server.networks.uploads import UploadRefused

__all__ = [
    "ErrorShape",
    "Fault",
    "bad_request",
    "fault",
    "forbidden",
    "handle",
    "not_found",
    "nothing_here",
]

log = logging.getLogger("routrel.api")

#: PostgreSQL's code for a full disk (class 53, insufficient resources).
_DISK_FULL = "53100"


class ErrorShape(serializers.Serializer):
    """What every error says."""

    code = serializers.CharField(help_text="stable: for programs")
    message = serializers.CharField(help_text="what is wrong, in words")
    suggestion = serializers.CharField(allow_blank=True, help_text="what to do, where we know")
    request = serializers.CharField(help_text="by which the server's log names the request")


class Fault(APIException):
    """An error that is known in all its parts."""

    def __init__(self, status: int, code: str, message: str, suggestion: str = "") -> None:
        super().__init__(message, code)
        self.status_code, self.code, self.suggestion = status, code, suggestion


def handle(error: Exception, context: dict[str, Any]) -> Response | None:
    """Map every expected exception to a status, a stable code and a sentence.

    None for the unexpected: it becomes an internal error, in the same shape.
    """
    if (known := _known(error)) is not None:
        status, code, message, suggestion = known
        return Response(_error(code, message, suggestion), status=status)
    response = exception_handler(error, context)
    if response is None or not isinstance(error, APIException):
        return response
    code, message, suggestion = _spoken(error)
    response.data = _error(code, message, suggestion)
    return response


def _known(error: Exception) -> tuple[int, str, str, str] | None:
    if isinstance(error, Fault):
        return error.status_code, error.code, str(error.detail), error.suggestion
    if isinstance(error, QuestionError):
        return 400, error.code, error.text, error.suggestion
    if isinstance(error, UploadRefused):
        return 400, error.code, str(error), ""
    if isinstance(error, ChangeRefused):
        return 409, "change_refused", str(error), ""
    if isinstance(error, UnknownChange):
        return 404, "not_found", str(error), ""
    if isinstance(error, TooManyJobs):
        return 429, error.code, str(error), ""
    if isinstance(error, Http404):
        return 404, "not_found", _words(error) or "there is nothing here", ""
    if isinstance(error, RequestDataTooBig | TooManyFilesSent):
        return 413, "too_large", "the request holds more than is taken at a time", ""
    if isinstance(error, SuspiciousOperation):
        return 400, "invalid", "the request cannot be read", ""
    if _disk_full(error):
        return DISK_FULL
    if isinstance(error, OperationalError | InterfaceError):
        return DATABASE_AWAY
    return None


def _spoken(error: APIException) -> tuple[str, str, str]:
    if isinstance(error, ValidationError):
        return "invalid", sentence_of(error.detail), ""
    suggestion = ""
    if isinstance(error, Throttled):
        suggestion = f"wait {int(getattr(error, 'wait', None) or 60)} seconds and try again"
    if isinstance(error, NotAuthenticated):
        return "not_authenticated", "you are not logged in", "log in and try again"
    code = error.get_codes()
    return code if isinstance(code, str) else "error", str(error.detail), suggestion


def _disk_full(error: Exception) -> bool:
    if isinstance(error, DatabaseError):
        return getattr(error.__cause__, "sqlstate", None) == _DISK_FULL
    return isinstance(error, OSError) and error.errno in (errno.ENOSPC, errno.EDQUOT)


def _words(error: Http404) -> str:
    """Django's own 404 of a wrong address says things that are of no use here."""
    text = error.args[0] if error.args else ""
    return text if isinstance(text, str) else ""


def _error(code: str, message: str, suggestion: str) -> dict[str, str]:
    return {"code": code, "message": message, "suggestion": suggestion, "request": CURRENT.get()}


# --- what goes wrong outside the API's views -----------------------------------------------------


def nothing_here(request: HttpRequest) -> HttpResponse:
    """An address below /api/ that is none."""
    return _plain(404, "not_found", f"there is no address {request.path[:200]} here")


def not_found(request: HttpRequest, exception: Exception) -> HttpResponse:
    """Django's 404."""
    return nothing_here(request)


def bad_request(request: HttpRequest, exception: Exception) -> HttpResponse:
    """Django's 400: the request is not one."""
    status, code, message, suggestion = _known(exception) or (
        400, "invalid", "the request cannot be read", "",
    )  # fmt: skip
    return _plain(status, code, message, suggestion)


def forbidden(request: HttpRequest, reason: str = "", exception: Any = None) -> HttpResponse:
    """Django's 403, of forms sent from elsewhere above all."""
    return _plain(
        403, "forbidden", "the request lacks its token, or came from another page",
        "load the page again",
    )  # fmt: skip


def fault(request: HttpRequest) -> HttpResponse:
    """Whatever nobody expected, while it is being handled; logged with the request's name."""
    error = sys.exc_info()[1]
    known = _known(error) if isinstance(error, Exception) else None
    if known is not None:
        status, code, message, suggestion = known
        return _plain(status, code, message, suggestion)
    log.error("fault at %s %s", request.method, request.path, exc_info=error)
    return _plain(
        500, "fault", "an internal error; the log has the details",
        "try again, or report it with the request's name",
    )  # fmt: skip


def _plain(status: int, code: str, message: str, suggestion: str = "") -> HttpResponse:
    return JsonResponse(_error(code, message, suggestion), status=status)

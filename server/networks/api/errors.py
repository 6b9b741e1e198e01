"""One shape for every error: {"code", "message", "suggestion"}."""

from __future__ import annotations

from typing import Any

from django.http import Http404
from rest_framework import status
from rest_framework.exceptions import APIException, Throttled, ValidationError
from rest_framework.response import Response
from rest_framework.views import exception_handler

from routrel.questions.errors import QuestionError
from server.networks.uploads import UploadRefused

__all__ = ["NetworkHasProblems", "NotADestination", "handle"]


class NetworkHasProblems(APIException):
    """A stored revision no longer reads without problems (the language grew stricter)."""

    status_code = status.HTTP_409_CONFLICT
    default_code = "revision_unreadable"
    default_detail = "this revision's files have problems; import them again to see which"


class NotADestination(QuestionError):
    """What should be an address or a prefix is neither."""

    code = "not_a_destination"

    def __init__(self, text: str) -> None:
        super().__init__(
            f"“{text}” is neither an address nor a prefix", "write 10.64.7.21 or 10.64.7.0/24"
        )


def handle(error: Exception, context: dict[str, Any]) -> Response | None:
    """Map every expected exception to a status, a stable code and a sentence."""
    if isinstance(error, QuestionError):
        return _response(400, error.code, error.text, error.suggestion)
    if isinstance(error, UploadRefused):
        return _response(400, error.code, str(error))
    if isinstance(error, Http404):
        return _response(404, "not_found", str(error) or "there is nothing here")
    response = exception_handler(error, context)
    if response is None or not isinstance(error, APIException):
        return response
    if isinstance(error, ValidationError):
        response.data = {
            "code": "invalid",
            "message": _first_sentence(error.detail),
            "suggestion": "",
        }
        return response
    suggestion = ""
    if isinstance(error, Throttled):
        suggestion = f"wait {int(error.wait or 60)} seconds and try again"
    code = error.get_codes()
    response.data = {
        "code": code if isinstance(code, str) else "error",
        "message": str(error.detail),
        "suggestion": suggestion,
    }
    return response


def _response(code: int, name: str, message: str, suggestion: str = "") -> Response:
    return Response({"code": name, "message": message, "suggestion": suggestion}, status=code)


def _first_sentence(detail: Any) -> str:
    if isinstance(detail, dict):
        field, inner = next(iter(detail.items()))
        text = _first_sentence(inner)
        return text if field == "non_field_errors" else f"{field}: {text}"
    if isinstance(detail, list):
        return _first_sentence(detail[0])
    return str(detail)

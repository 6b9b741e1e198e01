"""What every request gets: a name, a line in the log, and headers that keep answers private."""

from __future__ import annotations

import logging
import secrets
import time
from collections.abc import Callable
from contextvars import ContextVar

from django.http import HttpRequest, HttpResponse

__all__ = ["CURRENT", "NamedRequests", "RequestName"]

log = logging.getLogger("routrel.requests")

#: The name of the request that this thread works on.
CURRENT: ContextVar[str] = ContextVar("request", default="")


class NamedRequests:
    """Names each request; the answer and all that is logged meanwhile carry the name."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        name = secrets.token_hex(6)
        token = CURRENT.set(name)
        began = time.monotonic()
        try:
            response = self.get_response(request)
            response["X-Request-Id"] = name
            if request.path.startswith("/api/"):
                response["Cache-Control"] = "no-store"
                log.info(
                    "%s %s", request.method, request.path,
                    extra={"status": response.status_code,
                           "ms": round(1000 * (time.monotonic() - began))},
                )  # fmt: skip
            return response
        finally:
            CURRENT.reset(token)


class RequestName(logging.Filter):
    """Puts the name of the request at hand into what is logged."""

    def filter(self, record: logging.LogRecord) -> bool:
        record.request = CURRENT.get()
        return True

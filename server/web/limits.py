"""How much of a request is taken, known from its headers alone."""

from __future__ import annotations

import http.cookies
import json
import re
from typing import Any

from waitress.parser import HTTPRequestParser
from waitress.utilities import Error, RequestEntityTooLarge

from server.config.sessions import given_here

__all__ = ["BoundedRequest", "most_bytes"]

#: Bytes of a body: of somebody not logged in, of a question, and of an upload with its multipart form.
_STRANGERS = 64 * 1024
_QUESTIONS = 1024 * 1024
_UPLOADS = 288 * 1024 * 1024
#: Of all uploads that are being received at a time.
_ALL_UPLOADS = 1024 * 1024 * 1024

#: Longer bodies that are refused are not even read.
_DISCARDED = 512 * 1024 * 1024

_UPLOAD_PATH = re.compile(r"/api/networks/[^/]+/imports")


def most_bytes(method: str, path: str, session: str) -> int:
    """The longest body that is taken, from whom and for what."""
    if not given_here(session):
        return _STRANGERS
    if method == "POST" and _UPLOAD_PATH.fullmatch(path):
        return _UPLOADS
    return _QUESTIONS


class TooManyUploads(Error):
    """The disk is not to be filled by what is only being received."""

    code = 503
    reason = "Service Unavailable"


class DiskFull(Error):
    """What is received cannot be kept, not even for a moment."""

    code = 503
    reason = "Service Unavailable"


class _Limits:
    """The server's adjustments, with a limit of this request's own."""

    def __init__(self, adjustments: Any, max_request_body_size: int) -> None:
        self._adjustments = adjustments
        self.max_request_body_size = max_request_body_size

    def __getattr__(self, name: str) -> Any:
        return getattr(self._adjustments, name)


class BoundedRequest(HTTPRequestParser):
    """A request that is refused as soon as it is known to be too long.

    The body goes to one file on disk once it is longer than half a megabyte; nothing of the
    application runs before it is complete.
    """

    #: Bytes announced by uploads that are being received.
    receiving = 0
    adj: Any
    error: Any
    expect_continue: bool
    _counted = 0
    _discard = 0  #: bytes of a refused body that are still to come: who sends hears why then

    def parse_header(self, header_plus: bytes) -> None:
        super().parse_header(header_plus)
        most = most_bytes(self.command, self.path, _session(self.headers.get("COOKIE", "")))
        self.adj = _Limits(self.adj, most + 1)
        expected = most if self.chunked else min(self.content_length, most)
        if expected > _QUESTIONS:
            BoundedRequest.receiving += expected
            self._counted = expected

    def received(self, data: bytes) -> int:
        if self._discard:
            taken = min(len(data), self._discard)
            self._discard -= taken
            self.body_bytes_received += taken
            self.completed = not self._discard
            return taken
        try:
            taken = super().received(data)
        except OSError as error:  # what is received lies in a file
            self.error, self.completed = DiskFull(error.strerror or str(error)), True
            taken = len(data)
        if self._counted and not self.completed and BoundedRequest.receiving > _ALL_UPLOADS:
            self.error = TooManyUploads("many uploads are being received; try again in a minute")
            self.completed = True
        if self.completed:
            self.settle()
            if self.error is not None:
                self._refuse()
        return taken

    def _refuse(self) -> None:
        """Say so, after what was announced has come unless it is far too much or not yet sent."""
        too_large = isinstance(self.error, RequestEntityTooLarge)
        if too_large and not self.chunked and not self.expect_continue:
            self._discard = self.content_length if self.content_length <= _DISCARDED else 0
            self.completed = not self._discard
        self.expect_continue = False
        self.error = _Said(self.error)

    def settle(self) -> None:
        """It is complete, or will never be: its bytes are no longer awaited."""
        BoundedRequest.receiving -= self._counted
        self._counted = 0


def _session(cookies: str) -> str:
    try:
        found = http.cookies.SimpleCookie(cookies).get("sessionid")
    except http.cookies.CookieError:
        return ""
    return found.value if found is not None else ""


class _Said:
    """An error of the server's own in the shape of all errors."""

    def __init__(self, error: Any) -> None:
        self.code, self._reason = error.code, error.reason
        self._text = {
            RequestEntityTooLarge: (
                "too_large",
                "the request holds more than is taken at a time",
                "uploads: at most 256 MiB, and only when logged in",
            ),
            TooManyUploads: ("unavailable", str(error.body), "try again in a minute"),
            DiskFull: (
                "disk_full",
                f"the server cannot keep what it receives ({error.body})",
                "have its operator free some space, then try again",
            ),
        }.get(type(error), ("invalid", f"the request cannot be read ({error.body})", ""))

    def to_response(self, ident: str | None = None) -> tuple[str, list[tuple[str, str]], bytes]:
        code, message, suggestion = self._text
        body = {"code": code, "message": message, "suggestion": suggestion, "request": ""}
        headers = [("Content-Type", "application/json"), ("Cache-Control", "no-store")]
        return f"{self.code} {self._reason}", headers, json.dumps(body).encode()

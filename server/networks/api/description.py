"""The OpenAPI description tells what goes wrong too: each operation has the errors it can give."""

from __future__ import annotations

from typing import Any, Literal

from drf_spectacular.openapi import AutoSchema

from server.networks.api.errors import ErrorShape

__all__ = ["DescribedErrors"]

_WHY = {
    "400": "what is asked or sent is not as described, or cannot be asked of this network",
    "403": "not logged in, or the role does not reach, or the token against forgery is missing",
    "404": "there is nothing of this name, or nothing that whoever asks may know of",
    "409": "the revision's files no longer read without problems",
    "413": "more was sent than is taken",
    "415": "what was sent is not of the kind that is taken here",
    "429": "too much at a time or too soon; the suggestion says how long to wait",
    "500": "an internal error, logged under the request's name",
    "503": "the database or the computing service does not answer, or the disk is full",
}


class DescribedErrors(AutoSchema):
    """Adds the errors in the one shape they all have."""

    def _get_response_bodies(
        self, direction: Literal["request", "response"] = "response"
    ) -> dict[str, Any]:
        bodies: dict[str, Any] = super()._get_response_bodies(direction)
        for code in self._errors():
            described = self._get_response_for_code(  # type: ignore[no-untyped-call]
                ErrorShape, code, ["application/json"]
            )
            bodies.setdefault(code, {**described, "description": _WHY[code]})
        return bodies

    def _errors(self) -> list[str]:
        codes = {"403", "500", "503"}
        if self.path == "/api/schema":
            return []
        if "{" in self.path:
            codes.add("404")
        if self.method in ("POST", "PUT"):
            codes |= {"400", "413", "415", "429"}
        if self._lens():
            codes |= {"400", "409", "429"}
        return sorted(codes)

    def _lens(self) -> bool:
        return any(
            getattr(parameter, "name", "") == "revision"
            for parameter in self.get_override_parameters()
        )

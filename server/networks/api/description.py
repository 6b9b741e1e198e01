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
    "409": "it does not go with what is there by now, or the revision's files have problems",
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
        if self.method in ("POST", "PUT", "PATCH"):
            codes |= {"400", "404", "409", "413", "415", "429"}
        asked = self.get_override_parameters()
        if asked:
            codes.add("400")
        if self.method == "DELETE" and asked:
            codes.add("409")  # what is dropped may have been edited meanwhile
        if any(getattr(parameter, "name", "") == "revision" for parameter in asked):
            codes |= {"409", "429"}
        return sorted(codes)

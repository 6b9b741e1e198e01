"""Questions that cannot be asked: misuse, not an answer.

QuestionError
├── UnknownEndpoint   a source or destination that names nothing
├── HasFailed         a source that is off
├── FamilyMismatch    no address family in common
├── BadTraffic        a protocol or port that cannot be read
├── BadRoute          a route to try that cannot be read
└── UnknownName       a device, VRF or policy that does not exist
"""

from __future__ import annotations

__all__ = [
    "BadRoute",
    "BadTraffic",
    "FamilyMismatch",
    "HasFailed",
    "QuestionError",
    "TooManyClasses",
    "UnknownEndpoint",
    "UnknownName",
]


class QuestionError(Exception):
    """A question that cannot be asked. `suggestion` says what to do instead."""

    code = "bad_question"

    def __init__(self, text: str, suggestion: str = "") -> None:
        self.text = text
        self.suggestion = suggestion
        super().__init__(f"{text}; {suggestion}" if suggestion else text)


class UnknownEndpoint(QuestionError):
    """A source or destination names no device, interface, address or outside neighbour."""

    code = "unknown_endpoint"


class HasFailed(QuestionError):
    """A flow cannot start at a device that has failed."""

    code = "has_failed"


class FamilyMismatch(QuestionError):
    """Source and destination have no address family in common."""

    code = "family_mismatch"


class BadTraffic(QuestionError):
    """The protocol, port or ICMP type cannot be read."""

    code = "bad_traffic"


class BadRoute(QuestionError):
    """A route to try lacks its prefix, or has a key or value that makes no sense."""

    code = "bad_route"


class UnknownName(QuestionError):
    """A device, VRF or policy does not exist."""

    code = "unknown_name"


class TooManyClasses(QuestionError):
    """A question about prefixes that fall into more pieces than can be asked about."""

    code = "too_many_classes"

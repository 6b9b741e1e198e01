"""Questions that cannot be asked: misuse, not an answer.

QuestionError
├── UnknownEndpoint   a source or destination that names nothing
├── FamilyMismatch    no address family in common
├── BadTraffic        a protocol or port that cannot be read
└── UnknownName       a device or VRF that does not exist
"""

from __future__ import annotations

__all__ = ["BadTraffic", "FamilyMismatch", "QuestionError", "UnknownEndpoint", "UnknownName"]


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


class FamilyMismatch(QuestionError):
    """Source and destination have no address family in common."""

    code = "family_mismatch"


class BadTraffic(QuestionError):
    """The protocol, port or ICMP type cannot be read."""

    code = "bad_traffic"


class UnknownName(QuestionError):
    """A device or VRF does not exist."""

    code = "unknown_name"

"""What has failed, by the names that people write."""

from __future__ import annotations

from collections.abc import Iterable

from routrel.files.shapes import closest
from routrel.model.failures import Failure, FailureKind, Failures
from routrel.topology.failed import UnknownThing

__all__ = ["UnknownFailure", "named_failures", "unknown_failure"]

_FORMS = (
    "write interface:DEVICE:INTERFACE, link:NAME, direction:DEVICE:INTERFACE (that of the sender), "
    "device:NAME, site:NAME, session:DEVICE:ADDRESS, line:OUTSIDE or group:NAME"
)


class UnknownFailure(Exception):
    """What is said to have failed is not in the network. `suggestion` names what is."""

    def __init__(self, text: str, suggestion: str) -> None:
        self.text, self.suggestion = text, suggestion
        super().__init__(f"{text}; {suggestion}")


def named_failures(names: Iterable[str]) -> Failures:
    """Failures by their written form, KIND:NAME, each once and in one order.

    Whether they exist is seen when a network is looked at with them.

    Raises:
        UnknownFailure: a name says no kind of thing that can fail.
    """
    things = set()
    for text in names:
        kind, _, name = text.strip().partition(":")
        if kind not in list(FailureKind) or not name.strip():
            raise UnknownFailure(f"“{text}” does not say what has failed", _FORMS)
        things.add(Failure(FailureKind(kind), name.strip()))
    return Failures(tuple(sorted(things)))


def unknown_failure(error: UnknownThing) -> UnknownFailure:
    """The same in words, with the name that may have been meant."""
    names = sorted(error.known)
    hint = closest(error.failure.name, names)
    if not hint and names:
        some = ", ".join(names[:8])
        hint = f"there are: {some}" + (f" and {len(names) - 8} more" if len(names) > 8 else "")
    return UnknownFailure(f"{error.what} that could fail", hint or _FORMS)

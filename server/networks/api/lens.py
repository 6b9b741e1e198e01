"""The lens of a request: the revision, the changes and the failures that its address names."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any
from urllib.parse import urlencode

from drf_spectacular.utils import OpenApiParameter
from rest_framework.request import Request

from server.networks.access import revision_for
from server.networks.api.errors import Fault
from server.networks.changes import written_changes
from server.networks.models import Network, Revision

__all__ = ["LENS", "AskedLens", "lens_in", "written_in"]

#: Things that may fail in one lens, and letters of what one is called.
_MOST_FAILED = 32
_LONGEST_NAME = 400

LENS = [
    OpenApiParameter("revision", int, description="the lens's revision; left out: the newest"),
    OpenApiParameter(
        "change",
        str,
        many=True,
        description="changes made to the revision, by name, in order; what one stands on is made "
        "before it",
    ),
    OpenApiParameter(
        "fail",
        str,
        many=True,
        description="what has failed in the lens, each as KIND:NAME: interface:DEVICE:INTERFACE, "
        "link:NAME, direction:DEVICE:INTERFACE (that of the sender), device:NAME, site:NAME, "
        "session:DEVICE:ADDRESS, line:OUTSIDE or group:NAME",
    ),
    OpenApiParameter(
        "tables",
        str,
        many=True,
        description="what devices are taken to forward by: computed, observed (the tables that "
        "were read from them, those alone) or known (those, where there are any), of all or, as "
        "DEVICE=SOURCE, of one; left out: as each device's file says",
    ),
]


@dataclass(frozen=True)
class AskedLens:
    """A lens as it was asked for."""

    revision: Revision
    written: dict[str, Any]  #: as `server.networks.lenses` has it; empty: the revision as it is

    def __str__(self) -> str:
        """Its written form, as in an address."""
        changes = (("change", change["name"]) for change in self.written.get("changes", ()))
        failed = (("fail", name) for name in self.written.get("fail", ()))
        tables = (("tables", word) for word in self.written.get("tables", ()))
        return urlencode([("revision", str(self.revision.number)), *changes, *failed, *tables])


def lens_in(request: Request, slug: str) -> AskedLens:
    """The lens that a request's address names.

    Raises:
        Http404, UnknownChange: there is no such revision or change.
        Fault: there is too much in it.
    """
    revision = revision_for(request, slug)
    asked = request.query_params
    written = written_in(
        revision.network,
        asked.getlist("change"),
        asked.getlist("fail"),
        asked.getlist("tables"),
    )
    return AskedLens(revision, written)


def _few(words: Sequence[str], code: str, what: str, hint: str) -> list[str]:
    """Words in order, each once; far too many or too long ones are refused."""
    found = sorted(set(words))
    if len(found) > _MOST_FAILED or any(len(word) > _LONGEST_NAME for word in found):
        raise Fault(400, code, f"at most {_MOST_FAILED} {what}", hint)
    return found


def written_in(
    network: Network, changes: list[str], failed: list[str], tables: Sequence[str] = ()
) -> dict[str, Any]:
    """What is written of a lens beside its revision; raises as `lens_in` does."""
    names = _few(failed, "too_many_failures", "things can fail in a lens",
                 "let a site or a risk group fail instead")  # fmt: skip
    chosen = _few(tables, "too_many_tables", "choices of tables fit in a lens",
                  "choose for all devices, and for few apart")  # fmt: skip
    made = written_changes(network, changes)
    return {
        **({"changes": made} if made else {}),
        **({"fail": names} if names else {}),
        **({"tables": chosen} if chosen else {}),
    }

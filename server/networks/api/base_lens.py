"""A second lens that a request's address names, with which what the first shows is compared."""

from __future__ import annotations

from typing import Any

from rest_framework import serializers
from rest_framework.request import Request

from server.networks.api.lens import AskedLens, written_in
from server.networks.api.parsing import checked
from server.networks.api.refusals import Whole

__all__ = ["BaseShape", "base_in"]


class BaseShape(serializers.Serializer):
    """The lens that is compared with; left out, it is that of the revision as it is."""

    base_revision = Whole(1, 10**9, required=False)
    base_change = serializers.ListField(
        child=serializers.CharField(max_length=200), required=False, default=list, max_length=16
    )
    base_fail = serializers.ListField(
        child=serializers.CharField(max_length=400), required=False, default=list, max_length=32
    )


def base_in(request: Request, lens: AskedLens) -> dict[str, Any]:
    """The second lens: its revision's number and what is written of it.

    Raises:
        ValidationError, UnknownChange: there is no such revision or change.
        Fault: there is too much in it.
    """
    base = checked(BaseShape, request.query_params)
    network = lens.revision.network
    number = base.get("base_revision", lens.revision.number)
    if not network.revisions.filter(number=number).exists():
        raise serializers.ValidationError({"base_revision": f"there is no revision {number}"})
    written = written_in(network, base.get("base_change", []), base.get("base_fail", []))
    return {"revision": number, "lens": written}

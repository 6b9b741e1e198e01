"""Two lenses of a network side by side."""

from __future__ import annotations

from typing import Any

from django.http import HttpResponse
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.views import APIView

from routrel.answers.comparison import ComparisonData
from server.networks.access import revision_for
from server.networks.api.answers import LENS
from server.networks.api.asked import answered
from server.networks.api.parsing import checked
from server.networks.api.refusals import Whole
from server.networks.api.typed import described

__all__ = ["LensesView"]


class BaseShape(serializers.Serializer):
    """The lens that is compared with; left out, it is that of the revision as it is."""

    base_revision = Whole(1, 10**9, required=False)
    base_fail = serializers.ListField(
        child=serializers.CharField(max_length=400), required=False, default=list, max_length=32
    )


class LensesView(APIView):
    @extend_schema(
        operation_id="compare_lenses",
        parameters=[*LENS, BaseShape],
        responses={200: described(ComparisonData)},
    )
    def get(self, request: Request, slug: str) -> HttpResponse:
        """All that is not the same in this lens as in another, and what looks like a mistake."""
        given: dict[str, Any] = {"base_fail": request.query_params.getlist("base_fail")}
        if "base_revision" in request.query_params:
            given["base_revision"] = request.query_params["base_revision"]
        asked = checked(BaseShape, given)
        asked.setdefault("base_revision", revision_for(request, slug).number)
        return answered(request, slug, "compare-lenses", **asked)

"""Questions about routes: who holds which, why this one or none, and whole tables."""

from __future__ import annotations

from django.http import HttpResponse
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.views import APIView

from routrel.answers.agreement import AgreementData
from routrel.answers.holders import HoldersData
from routrel.answers.tables import TablePageData
from routrel.answers.why import WhyData
from server.networks.api.asked import answered
from server.networks.api.base_lens import BaseShape, base_in
from server.networks.api.lens import LENS, lens_in
from server.networks.api.parsing import checked
from server.networks.api.refusals import Whole
from server.networks.api.typed import described

__all__ = ["AgreementView", "HoldersView", "TableView", "WhyView"]


class DestinationShape(serializers.Serializer):
    q = serializers.CharField(max_length=200, help_text="an address or a prefix")


class HoldersView(APIView):
    @extend_schema(
        operation_id="holders",
        parameters=[*LENS, DestinationShape],
        responses={200: described(HoldersData)},
    )
    def get(self, request: Request, slug: str) -> HttpResponse:
        """Who holds which route to a destination, grouped by where its traffic leaves."""
        return answered(request, slug, "holders", **checked(DestinationShape, request.query_params))


class AgreementShape(serializers.Serializer):
    device = serializers.ListField(
        child=serializers.CharField(max_length=200),
        required=False,
        default=list,
        help_text="of these devices alone",
    )


class AgreementView(APIView):
    @extend_schema(
        operation_id="agreement",
        parameters=[*LENS, AgreementShape],
        responses={200: described(AgreementData)},
    )
    def get(self, request: Request, slug: str) -> HttpResponse:
        """Computed tables held against those that were read from devices.

        Tables that the lens takes as they were read are not compared; without `tables` in the
        address all are computed.
        """
        asked = checked(AgreementShape, request.query_params)
        return answered(
            request,
            slug,
            "agreement",
            lens_with={} if "tables" in request.query_params else {"tables": ["computed"]},
            devices=asked["device"],
        )


class WhyQuestionShape(DestinationShape):
    device = serializers.CharField(max_length=200)
    vrf = serializers.CharField(max_length=200, required=False, default="default")


class WhyView(APIView):
    @extend_schema(
        operation_id="why",
        parameters=[*LENS, WhyQuestionShape],
        responses={200: described(WhyData)},
    )
    def get(self, request: Request, slug: str) -> HttpResponse:
        """Every candidate of one table and where each lost, or why there is none."""
        return answered(request, slug, "why", **checked(WhyQuestionShape, request.query_params))


class TableQuestionShape(serializers.Serializer):
    """Which part of a table is wanted."""

    device = serializers.CharField(max_length=200)
    vrf = serializers.CharField(max_length=200, required=False, default="default")
    other = serializers.CharField(max_length=200, required=False, default=None)
    contains = serializers.CharField(max_length=200, required=False, allow_blank=True, default="")
    before = serializers.BooleanField(
        required=False, default=False, help_text="beside it the same table in the second lens"
    )
    differing = serializers.BooleanField(required=False, default=False)
    offset = serializers.IntegerField(min_value=0, required=False, default=0)
    limit = Whole(1, 1000, required=False, default=200)


class TableView(APIView):
    @extend_schema(
        operation_id="table",
        parameters=[*LENS, BaseShape, TableQuestionShape],
        responses={200: described(TablePageData)},
    )
    def get(self, request: Request, slug: str) -> HttpResponse:
        """A page of one device's table, filtered here; beside it another's, or its own before."""
        asked = checked(TableQuestionShape, request.query_params)
        if asked.pop("before"):
            asked["base"] = base_in(request, lens_in(request, slug))
        return answered(request, slug, "table", **asked)

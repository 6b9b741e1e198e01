"""Questions to a revision. Every answer depends on the lens alone, and is the engine's."""

from __future__ import annotations

from django.http import HttpResponse
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.views import APIView

from routrel.answers.find.catalogue import FoundData
from routrel.answers.flow_sets import FlowData
from routrel.answers.flows_over import FlowOverData
from routrel.answers.inventory import CaseData, ChartData, DeviceData, NameData
from server.networks.api.asked import answered
from server.networks.api.lens import LENS
from server.networks.api.parsing import checked
from server.networks.api.refusals import Whole
from server.networks.api.typed import described

__all__ = [
    "CaseListView",
    "ChartView",
    "DeviceView",
    "FindView",
    "FlowQuestionShape",
    "FlowView",
    "FlowsOverView",
    "NameListView",
]


class FlowQuestionShape(serializers.Serializer):
    """The question as the address of the page has it."""

    to = serializers.CharField(max_length=200)
    source_port = Whole(0, 65535, required=False)
    dscp = Whole(0, 63, required=False, default=0)
    may_fragment = serializers.BooleanField(required=False, default=False)
    size = Whole(20, 65535, "bytes", required=False)

    def get_fields(self) -> dict[str, serializers.Field]:
        """`from` and `as` are no Python identifiers."""
        return {
            "from": serializers.CharField(max_length=200),
            "as": serializers.CharField(
                max_length=60, required=False, allow_blank=True, default=""
            ),
            **super().get_fields(),
        }


class FlowView(APIView):
    @extend_schema(
        operation_id="flow",
        parameters=[*LENS, FlowQuestionShape],
        responses={200: described(FlowData)},
    )
    def get(self, request: Request, slug: str) -> HttpResponse:
        """Does this traffic arrive, both ways, and if not, what stops it?"""
        asked = checked(FlowQuestionShape, request.query_params)
        return answered(request, slug, "flow", **asked)


class CaseListView(APIView):
    @extend_schema(
        operation_id="cases", parameters=LENS, responses={200: described(list[CaseData])}
    )
    def get(self, request: Request, slug: str) -> HttpResponse:
        """The complaints kept with the network, without their known answers."""
        return answered(request, slug, "cases")


class FlowsOverShape(serializers.Serializer):
    ends = serializers.ListField(
        child=serializers.RegexField(r"^[^:]+:.+$", max_length=300),
        min_length=1,
        max_length=64,
        help_text="interfaces, each as device:interface",
    )


class FlowsOverView(APIView):
    @extend_schema(
        operation_id="flows_over",
        parameters=[*LENS, FlowsOverShape],
        responses={200: described(list[FlowOverData])},
    )
    def get(self, request: Request, slug: str) -> HttpResponse:
        """Which of the kept flows, of cases and saved questions, pass one of some interfaces."""
        asked = checked(FlowsOverShape, {"ends": request.query_params.getlist("ends")})
        return answered(request, slug, "flows-over", **asked)


class NameListView(APIView):
    @extend_schema(
        operation_id="names", parameters=LENS, responses={200: described(list[NameData])}
    )
    def get(self, request: Request, slug: str) -> HttpResponse:
        """The names that people have for addresses, from the network file and hosts files."""
        return answered(request, slug, "names")


class ChartView(APIView):
    @extend_schema(operation_id="chart", parameters=LENS, responses={200: described(ChartData)})
    def get(self, request: Request, slug: str) -> HttpResponse:
        """Sites, devices, links and outside neighbours."""
        return answered(request, slug, "chart")


class DeviceView(APIView):
    @extend_schema(operation_id="device", parameters=LENS, responses={200: described(DeviceData)})
    def get(self, request: Request, slug: str, device: str) -> HttpResponse:
        """One device with its interfaces."""
        return answered(request, slug, "device", device=device)


class FindQuestionShape(serializers.Serializer):
    q = serializers.CharField(max_length=200, required=False, allow_blank=True, default="")
    endpoints = serializers.BooleanField(
        required=False, default=False, help_text="only what a flow may start or end at"
    )


class FindView(APIView):
    @extend_schema(
        operation_id="find",
        parameters=[*LENS, FindQuestionShape],
        responses={200: described(list[FoundData])},
    )
    def get(self, request: Request, slug: str) -> HttpResponse:
        """Find anything by its words."""
        return answered(request, slug, "find", **checked(FindQuestionShape, request.query_params))

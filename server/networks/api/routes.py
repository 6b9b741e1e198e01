"""Questions about routes: who holds which, why this one or none, and whole tables."""

from __future__ import annotations

import ipaddress

from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from routrel.model.addresses import Address, Prefix
from routrel.questions.errors import UnknownName
from routrel.questions.holders import holders_data
from routrel.questions.routes import RouteQuestion, explain_route
from routrel.questions.tables import TableQuestion, table_data
from routrel.questions.what_it_would_take import what_it_would_take
from server.networks.access import revision_for
from server.networks.api.answers import LENS, state_of
from server.networks.api.errors import NotADestination
from server.networks.api.shapes import HoldersShape, TablePageShape, WhyShape, WouldTakeShape

__all__ = ["HoldersView", "TableView", "WhyView", "WouldTakeView"]

DESTINATION = OpenApiParameter("q", str, required=True, description="an address or a prefix")


def _destination(request: Request) -> Prefix | Address:
    """The prefix or address asked for; a prefix has a slash."""
    text = request.query_params.get("q", "").strip()
    try:
        return ipaddress.ip_network(text) if "/" in text else ipaddress.ip_address(text)
    except ValueError as error:
        raise NotADestination(text) from error


class HoldersView(APIView):
    @extend_schema(operation_id="holders", parameters=[*LENS, DESTINATION], responses=HoldersShape)
    def get(self, request: Request, slug: str) -> Response:
        """Who holds which route to a destination, grouped by where its traffic leaves."""
        state = state_of(revision_for(request, slug))
        return Response(holders_data(state, _destination(request)))


class WhyView(APIView):
    @extend_schema(
        operation_id="why",
        parameters=[
            *LENS,
            DESTINATION,
            OpenApiParameter("device", str, required=True),
            OpenApiParameter("vrf", str, description="left out: default"),
        ],
        responses=WhyShape,
    )
    def get(self, request: Request, slug: str) -> Response:
        """Every candidate of one table and where each lost, or why there is none."""
        state = state_of(revision_for(request, slug))
        asked = _destination(request)
        is_prefix = isinstance(asked, ipaddress.IPv4Network | ipaddress.IPv6Network)
        question = RouteQuestion(
            device=request.query_params.get("device", ""),
            vrf=request.query_params.get("vrf", "default"),
            prefix=asked if is_prefix else None,
            address=None if is_prefix else asked,
        )
        (answer,) = explain_route(state, question)
        return Response(answer)


class WouldTakeView(APIView):
    @extend_schema(
        operation_id="would_take",
        parameters=[
            *LENS,
            OpenApiParameter("q", str, required=True, description="a prefix, or an address of it"),
            OpenApiParameter("device", str, required=True),
            OpenApiParameter("vrf", str, description="left out: default"),
        ],
        responses=WouldTakeShape(many=True),
    )
    def get(self, request: Request, slug: str) -> Response:
        """For each candidate that lost: changes that were made, computed and seen to let it win."""
        state = state_of(revision_for(request, slug))
        asked = _destination(request)
        device = request.query_params.get("device", "")
        vrf = request.query_params.get("vrf", "default")
        if (device, vrf) not in state.rib.interning.table_numbers:
            raise UnknownName(f"there is no table {vrf} of a device “{device}”")
        return Response(what_it_would_take(state, device, vrf, asked))


class TableQuestionShape(serializers.Serializer):
    """Which part of a table is wanted."""

    device = serializers.CharField(max_length=200)
    vrf = serializers.CharField(max_length=200, required=False, default="default")
    other = serializers.CharField(max_length=200, required=False, default=None)
    contains = serializers.CharField(max_length=200, required=False, allow_blank=True, default="")
    differing = serializers.BooleanField(required=False, default=False)
    offset = serializers.IntegerField(min_value=0, required=False, default=0)
    limit = serializers.IntegerField(min_value=1, max_value=1000, required=False, default=200)


class TableView(APIView):
    @extend_schema(
        operation_id="table", parameters=[*LENS, TableQuestionShape], responses=TablePageShape
    )
    def get(self, request: Request, slug: str) -> Response:
        """A page of one device's table, or of two side by side, filtered here."""
        state = state_of(revision_for(request, slug))
        shape = TableQuestionShape(data=request.query_params)
        shape.is_valid(raise_exception=True)
        return Response(table_data(state, TableQuestion(**shape.validated_data)))

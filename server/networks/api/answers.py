"""Questions to a revision. Every answer depends on the lens alone, and is the engine's."""

from __future__ import annotations

from typing import Any

from django.http import Http404
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from routrel.control.converge import State
from routrel.questions.answers import answer_flow, finding_data, place_data
from routrel.questions.find import find
from routrel.questions.flow import FlowQuestion
from routrel.questions.inventory import chart_data, device_data
from server.networks.access import revision_for
from server.networks.api.errors import NetworkHasProblems
from server.networks.api.shapes import (
    CaseShape,
    ChartShape,
    DeviceShape,
    FileShape,
    FileTextShape,
    FindingShape,
    FlowShape,
    FoundShape,
)
from server.networks.models import Revision
from server.networks.remedies import stored_question
from server.networks.states import view_of

__all__ = [
    "LENS",
    "CaseListView",
    "ChartView",
    "DeviceView",
    "FileListView",
    "FileView",
    "FindView",
    "FindingListView",
    "FlowQuestionShape",
    "FlowView",
    "flow_question",
    "state_of",
]

LENS = [
    OpenApiParameter("revision", int, description="the lens's revision; left out: the newest"),
]


def state_of(revision: Revision) -> State:
    """The computed network of a revision; one with problems is refused."""
    state = view_of(revision).state
    if state is None:
        raise NetworkHasProblems
    return state


class FlowQuestionShape(serializers.Serializer):
    """The question as the address of the page has it."""

    to = serializers.CharField(max_length=200)
    source_port = serializers.IntegerField(min_value=0, max_value=65535, required=False)
    dscp = serializers.IntegerField(min_value=0, max_value=63, required=False, default=0)
    may_fragment = serializers.BooleanField(required=False, default=False)
    size = serializers.IntegerField(min_value=20, max_value=65535, required=False)

    def get_fields(self) -> dict[str, serializers.Field]:
        """`from` and `as` are no Python identifiers."""
        return {
            "from": serializers.CharField(max_length=200),
            "as": serializers.CharField(
                max_length=60, required=False, allow_blank=True, default=""
            ),
            **super().get_fields(),
        }


def flow_question(values: Any) -> FlowQuestion:
    """The question in a request's parameters or body."""
    shape = FlowQuestionShape(data=values)
    shape.is_valid(raise_exception=True)
    return stored_question(shape.validated_data)


class FlowView(APIView):
    @extend_schema(operation_id="flow", parameters=[*LENS, FlowQuestionShape], responses=FlowShape)
    def get(self, request: Request, slug: str) -> Response:
        """Does this traffic arrive, both ways, and if not, what stops it?"""
        state = state_of(revision_for(request, slug))
        return Response(answer_flow(state, flow_question(request.query_params)))


class CaseListView(APIView):
    @extend_schema(operation_id="cases", parameters=LENS, responses=CaseShape(many=True))
    def get(self, request: Request, slug: str) -> Response:
        """The complaints kept with the network, without their known answers."""
        state = state_of(revision_for(request, slug))
        return Response(
            [
                {
                    "name": case.name,
                    "title": case.title,
                    "story": case.story.strip(),
                    "question": {
                        "source": case.question.source,
                        "destination": case.question.destination,
                        "traffic": case.question.traffic,
                        "size": case.question.size,
                    }
                    if case.question
                    else None,
                    "route": {"at": case.route.at, "to": case.route.to} if case.route else None,
                }
                for case in state.network.cases
            ]
        )


class ChartView(APIView):
    @extend_schema(operation_id="chart", parameters=LENS, responses=ChartShape)
    def get(self, request: Request, slug: str) -> Response:
        """Sites, devices, links and outside neighbours."""
        return Response(chart_data(state_of(revision_for(request, slug))))


class DeviceView(APIView):
    @extend_schema(operation_id="device", parameters=LENS, responses=DeviceShape)
    def get(self, request: Request, slug: str, device: str) -> Response:
        """One device with its interfaces."""
        state = state_of(revision_for(request, slug))
        found = state.topology.devices.get(device)
        if found is None:
            raise Http404(f"there is no device {device} in this revision")
        return Response(device_data(state, found))


class FindingListView(APIView):
    @extend_schema(operation_id="findings", parameters=LENS, responses=FindingShape(many=True))
    def get(self, request: Request, slug: str) -> Response:
        """Everything suspicious, errors first."""
        view = view_of(revision_for(request, slug))
        return Response([finding_data(finding) for finding in view.findings])


class FindView(APIView):
    @extend_schema(
        operation_id="find",
        parameters=[
            *LENS,
            OpenApiParameter("q", str),
            OpenApiParameter("endpoints", bool, description="only what a flow may start or end at"),
        ],
        responses=FoundShape(many=True),
    )
    def get(self, request: Request, slug: str) -> Response:
        """Find anything by its words."""
        revision = revision_for(request, slug)
        endpoints_only = request.query_params.get("endpoints") == "true"
        found = find(
            state_of(revision),
            {} if endpoints_only else revision.texts(),
            request.query_params.get("q", "")[:200],
            endpoints_only=endpoints_only,
        )
        return Response(
            [
                {
                    "kind": item.kind,
                    "title": item.title,
                    "detail": item.detail,
                    "value": item.value,
                    "device": item.device,
                    **place_data(item.place),
                }
                for item in found
            ]
        )


class FileListView(APIView):
    @extend_schema(operation_id="files", parameters=LENS, responses=FileShape(many=True))
    def get(self, request: Request, slug: str) -> Response:
        """The revision's files by path."""
        files = revision_for(request, slug).files.all()
        return Response([{"path": f.path, "lines": len(f.text.splitlines())} for f in files])


class FileView(APIView):
    @extend_schema(operation_id="file", parameters=LENS, responses=FileTextShape)
    def get(self, request: Request, slug: str, path: str) -> Response:
        """The text of one file."""
        found = revision_for(request, slug).files.filter(path=path).first()
        if found is None:
            raise Http404(f"this revision has no file {path}")
        return Response({"path": found.path, "text": found.text})

"""Searches that take their time: for remedies, for what it would take, for what mends the model."""

from __future__ import annotations

from typing import Any

from drf_spectacular.utils import extend_schema
from rest_framework import serializers, status
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from routrel.answers.mending import MendingData
from routrel.answers.remedies import RemediesData
from routrel.answers.what_it_would_take import WouldTakeData
from server.networks.access import job_for
from server.networks.api.answers import FlowQuestionShape
from server.networks.api.jobs import JobShape
from server.networks.api.lens import LENS, lens_in
from server.networks.api.parsing import checked
from server.networks.api.running import begin
from server.networks.api.typed import answer_field
from server.networks.asking import destination
from server.networks.lenses import failures_in
from server.networks.models import Job, JobKind

__all__ = [
    "MendingListView",
    "MendingView",
    "RemedyListView",
    "RemedyView",
    "WouldTakeListView",
    "WouldTakeView",
]


def _started(request: Request, slug: str, kind: JobKind, asked: dict[str, Any], said: str) -> Job:
    """A search through the request's lens."""
    lens = lens_in(request, slug)
    failures_in(lens.written.get("fail", ()))  # what is none is told at once
    question = {**asked, "lens": lens.written}
    return begin(request, kind, lens.revision.network, lens.revision, question, said=said)


class RemedySearchShape(JobShape):
    """`done` counts the edits tried, `found` those that help."""

    answer = answer_field(RemediesData | None)


class RemedyListView(APIView):
    @extend_schema(
        operation_id="search_remedies",
        parameters=LENS,
        request=FlowQuestionShape,
        responses={202: RemedySearchShape},
    )
    def post(self, request: Request, slug: str) -> Response:
        """Search for edits that make a flow arrive both ways: a job.

        Where the same was asked of the same content before, that job is given again.
        """
        asked = checked(FlowQuestionShape, request.data)
        said = f"searched for remedies from {asked['from']} to {asked['to']}"
        job = _started(request, slug, Job.Kind.REMEDIES, asked, said)
        return Response(RemedySearchShape(job).data, status=status.HTTP_202_ACCEPTED)


class RemedyView(APIView):
    @extend_schema(operation_id="remedy_search", responses=RemedySearchShape)
    def get(self, request: Request, pk: int) -> Response:
        return Response(RemedySearchShape(job_for(request, pk, Job.Kind.REMEDIES)).data)


class WouldTakeQuestionShape(serializers.Serializer):
    q = serializers.CharField(max_length=200, help_text="a prefix, or an address of it")
    device = serializers.CharField(max_length=200)
    vrf = serializers.CharField(max_length=200, required=False, default="default")


class WouldTakeJobShape(JobShape):
    answer = answer_field(list[WouldTakeData] | None)


class WouldTakeListView(APIView):
    @extend_schema(
        operation_id="search_would_take",
        parameters=LENS,
        request=WouldTakeQuestionShape,
        responses={202: WouldTakeJobShape},
    )
    def post(self, request: Request, slug: str) -> Response:
        """For each candidate that lost: changes that were made, computed and seen to let it win.

        A job. Where the same was asked of the same content before, that job is given again.
        """
        asked = checked(WouldTakeQuestionShape, request.data)
        destination(asked["q"])  # what is none is told at once
        said = f"searched for what it would take for {asked['q']} at {asked['device']}"
        job = _started(request, slug, Job.Kind.WOULD_TAKE, asked, said)
        return Response(WouldTakeJobShape(job).data, status=status.HTTP_202_ACCEPTED)


class WouldTakeView(APIView):
    @extend_schema(operation_id="would_take", responses=WouldTakeJobShape)
    def get(self, request: Request, pk: int) -> Response:
        return Response(WouldTakeJobShape(job_for(request, pk, Job.Kind.WOULD_TAKE)).data)


class MendingJobShape(JobShape):
    """`done` counts the edits tried."""

    answer = answer_field(MendingData | None)


class MendingListView(APIView):
    @extend_schema(
        operation_id="search_mending",
        parameters=LENS,
        request=None,
        responses={202: MendingJobShape},
    )
    def post(self, request: Request, slug: str) -> Response:
        """Search for the smallest edits that make most entries be as they were read: a job.

        Where the same was asked of the same content before, that job is given again.
        """
        said = "searched for edits that make computed tables be what was read"
        job = _started(request, slug, Job.Kind.MEND, {}, said)
        return Response(MendingJobShape(job).data, status=status.HTTP_202_ACCEPTED)


class MendingView(APIView):
    @extend_schema(operation_id="mending", responses=MendingJobShape)
    def get(self, request: Request, pk: int) -> Response:
        return Response(MendingJobShape(job_for(request, pk, Job.Kind.MEND)).data)

"""Two lenses of a network side by side: a job."""

from __future__ import annotations

from drf_spectacular.utils import extend_schema
from rest_framework import status
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from routrel.answers.comparison import ComparisonData
from server.networks.access import job_for
from server.networks.api.base_lens import BaseShape, base_in
from server.networks.api.jobs import JobShape
from server.networks.api.lens import LENS, lens_in
from server.networks.api.running import begin
from server.networks.api.typed import answer_field
from server.networks.lenses import failures_in
from server.networks.models import Job
from server.networks.questions import saved_now

__all__ = ["ComparisonListView", "ComparisonView"]


class ComparisonJobShape(JobShape):
    answer = answer_field(ComparisonData | None)


class ComparisonListView(APIView):
    @extend_schema(
        operation_id="compare_lenses",
        parameters=[*LENS, BaseShape],
        request=None,
        responses={202: ComparisonJobShape},
    )
    def post(self, request: Request, slug: str) -> Response:
        """All that is not the same in this lens as in another, and likely mistakes: a job.

        Where the same was asked of the same content before, that job is given again.
        """
        lens = lens_in(request, slug)
        network = lens.revision.network
        base = base_in(request, lens)
        for one in (lens.written, base["lens"]):
            failures_in(one.get("fail", ()))  # what is none is told at once
        asked = {"lens": lens.written, "base": base, "saved": saved_now(network)}
        job = begin(
            request, Job.Kind.COMPARE, network, lens.revision, asked,
            said=f"compared with revision {base['revision']}",
        )  # fmt: skip
        return Response(ComparisonJobShape(job).data, status=status.HTTP_202_ACCEPTED)


class ComparisonView(APIView):
    @extend_schema(operation_id="comparison", responses=ComparisonJobShape)
    def get(self, request: Request, pk: int) -> Response:
        return Response(ComparisonJobShape(job_for(request, pk, Job.Kind.COMPARE)).data)

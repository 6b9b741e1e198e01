"""Jobs: what all kinds of them have in common, and how they are cancelled or forgotten."""

from __future__ import annotations

from drf_spectacular.utils import extend_schema
from rest_framework import serializers, status
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from server.networks.access import job_for, may_cancel, network_for
from server.networks.jobs import cancel_job
from server.networks.models import Job

__all__ = ["JobCancelView", "JobListView", "JobShape", "JobView"]

_LISTED = 100


class JobShape(serializers.Serializer):
    """How far a job is, and how it ended. Ask again every second or so while it goes on."""

    id = serializers.IntegerField()
    kind = serializers.ChoiceField(choices=Job.Kind.choices)
    network = serializers.CharField(source="network.slug")
    author = serializers.CharField(source="author.username")
    created = serializers.DateTimeField()
    started = serializers.DateTimeField(allow_null=True)
    ended = serializers.DateTimeField(allow_null=True)
    status = serializers.ChoiceField(choices=Job.Status.choices)
    step = serializers.CharField()
    done = serializers.IntegerField()
    total = serializers.IntegerField()
    found = serializers.IntegerField()
    message = serializers.CharField(allow_blank=True)


class JobListView(APIView):
    @extend_schema(operation_id="jobs_list", responses=JobShape(many=True))
    def get(self, request: Request, slug: str) -> Response:
        """The network's latest hundred jobs of all kinds, the newest first."""
        jobs = network_for(request, slug).jobs.select_related("network", "author")
        return Response(JobShape(jobs[:_LISTED], many=True).data)


class JobView(APIView):
    @extend_schema(operation_id="jobs_get", responses=JobShape)
    def get(self, request: Request, pk: int) -> Response:
        """A job of any kind, without its answer."""
        return Response(JobShape(job_for(request, pk)).data)

    @extend_schema(operation_id="jobs_drop", responses={204: None})
    def delete(self, request: Request, pk: int) -> Response:
        """Cancel a job unless it has ended, and forget it with what was uploaded for it."""
        job = job_for(request, pk)
        may_cancel(request, job)
        cancel_job(job.pk)
        Job.objects.filter(pk=job.pk).delete()
        return Response(status=status.HTTP_204_NO_CONTENT)


class JobCancelView(APIView):
    @extend_schema(operation_id="jobs_cancel", request=None, responses=JobShape)
    def post(self, request: Request, pk: int) -> Response:
        """End a job that has not ended. Nothing of it is kept; one that has ended stays so."""
        job = job_for(request, pk)
        may_cancel(request, job)
        return Response(JobShape(cancel_job(job.pk)).data)

"""Promises that might be made: found by a job, taken as any promise is made, or left."""

from __future__ import annotations

from drf_spectacular.utils import extend_schema
from rest_framework import serializers, status
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from routrel.answers.suggestions import SuggestionsData
from server.networks.access import job_for, network_for, user_id
from server.networks.api.jobs import JobShape
from server.networks.api.lens import LENS, lens_in
from server.networks.api.parsing import checked
from server.networks.api.running import begin
from server.networks.api.typed import answer_field
from server.networks.lenses import failures_in
from server.networks.models import Job, LeftSuggestion, Role
from server.networks.promises import promise_key
from server.networks.suggesting import still_open

__all__ = ["LeftSuggestionView", "SuggestionListView", "SuggestionView"]


class SuggestionShape(JobShape):
    """What was taken or left since is not in the answer."""

    answer = answer_field(SuggestionsData | None)


class SuggestionListView(APIView):
    @extend_schema(
        operation_id="suggest_promises",
        parameters=LENS,
        request=None,
        responses={202: SuggestionShape},
    )
    def post(self, request: Request, slug: str) -> Response:
        """What holds in a lens and is not promised yet: a job; each link is failed in it."""
        lens = lens_in(request, slug)
        network = lens.revision.network
        failures_in(lens.written.get("fail", ()))
        job = begin(
            request, Job.Kind.SUGGEST, network, lens.revision,
            {"lens": lens.written, **promise_key(network)}, said="looked what might be promised",
        )  # fmt: skip
        job.answer = still_open(network, job.answer)
        return Response(SuggestionShape(job).data, status=status.HTTP_202_ACCEPTED)


class SuggestionView(APIView):
    @extend_schema(operation_id="suggested_promises", responses=SuggestionShape)
    def get(self, request: Request, pk: int) -> Response:
        job = job_for(request, pk, Job.Kind.SUGGEST)
        job.answer = still_open(job.network, job.answer)
        return Response(SuggestionShape(job).data)


class LeftSuggestionShape(serializers.Serializer):
    sentence = serializers.CharField(max_length=1000)


class LeftSuggestionView(APIView):
    @extend_schema(
        operation_id="leave_suggestion", request=LeftSuggestionShape, responses={204: None}
    )
    def post(self, request: Request, slug: str) -> Response:
        """Suggest a sentence no more; takes an editor."""
        network = network_for(request, slug, Role.EDITOR)
        said = checked(LeftSuggestionShape, request.data)
        LeftSuggestion.objects.get_or_create(
            network=network, **said, defaults={"author_id": user_id(request)}
        )
        return Response(status=status.HTTP_204_NO_CONTENT)

    @extend_schema(operation_id="suggest_again", responses={204: None})
    def delete(self, request: Request, slug: str) -> Response:
        """Suggest all again that was left; takes an editor."""
        network_for(request, slug, Role.EDITOR).left_suggestions.all().delete()
        return Response(status=status.HTTP_204_NO_CONTENT)

"""Saved questions, and comparisons of flows."""

from __future__ import annotations

from typing import Any

from django.db import IntegrityError, transaction
from django.http import Http404, HttpResponse
from drf_spectacular.utils import OpenApiParameter, extend_schema, extend_schema_field
from rest_framework import serializers, status
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from routrel.answers.compare_flows import DifferenceData
from server.networks.access import job_for, network_for, revision_for, user_id
from server.networks.api.answers import FlowQuestionShape
from server.networks.api.asked import answer_to, answered
from server.networks.api.jobs import JobShape
from server.networks.api.lens import LENS, AskedLens
from server.networks.api.parsing import checked
from server.networks.api.running import begin
from server.networks.api.typed import described
from server.networks.models import Job, Role, SavedQuestion
from server.networks.questions import changes_since_good, keep_answer, moved_ways

__all__ = [
    "CompareView",
    "QuestionListView",
    "QuestionRunListView",
    "QuestionRunView",
    "QuestionView",
]

# --- comparing ------------------------------------------------------------------------------------


class CompareShape(FlowQuestionShape):
    other_from = serializers.CharField(max_length=200)
    other_to = serializers.CharField(max_length=200)
    other_as = serializers.CharField(max_length=60, required=False, allow_blank=True, default="")


class CompareView(APIView):
    @extend_schema(
        operation_id="compare_flows",
        parameters=[*LENS, CompareShape],
        responses={200: described(DifferenceData)},
    )
    def get(self, request: Request, slug: str) -> HttpResponse:
        """The first point where two flows differ, and the other one's answer."""
        return answered(request, slug, "compare", **checked(CompareShape, request.query_params))


# --- saved questions ------------------------------------------------------------------------------


class ShortAnswerShape(serializers.Serializer):
    works = serializers.BooleanField()
    sentence = serializers.CharField()
    verdict = serializers.CharField(allow_null=True)
    return_verdict = serializers.CharField(allow_null=True)


class MovedWayShape(serializers.Serializer):
    """A direction whose ways were others before the answer last changed."""

    direction = serializers.ChoiceField(["forward", "back"])
    gone = serializers.ListField(child=serializers.CharField())
    new = serializers.ListField(child=serializers.CharField())


class SavedQuestionShape(serializers.ModelSerializer):
    """A question with its last answer. `question` is what the flow question takes."""

    author = serializers.CharField(
        source="author.username", default=None, read_only=True, allow_null=True
    )
    question = FlowQuestionShape()
    answer = ShortAnswerShape(allow_null=True, read_only=True)
    revision = serializers.IntegerField(
        source="revision.number", default=None, read_only=True, allow_null=True
    )
    worked_in = serializers.IntegerField(
        source="good_revision.number", default=None, read_only=True, allow_null=True
    )
    since_then = serializers.SerializerMethodField()
    moved = serializers.SerializerMethodField()
    moved_from = serializers.IntegerField(
        source="former_revision.number", default=None, read_only=True, allow_null=True
    )

    class Meta:
        model = SavedQuestion
        fields = (
            "id", "name", "folder", "question", "author", "created", "answer", "revision", "ran",
            "changed", "worked_in", "since_then", "moved", "moved_from",
        )  # fmt: skip
        read_only_fields = ("id", "created", "ran", "changed")

    def get_since_then(self, saved: SavedQuestion) -> str:
        """What changed since a broken question last worked."""
        return changes_since_good(saved)

    @extend_schema_field(MovedWayShape(many=True))
    def get_moved(self, saved: SavedQuestion) -> list[dict[str, Any]]:
        """Old ways and new ones, where the answer changed; `moved_from` had the old ones."""
        return moved_ways(saved)


class QuestionListView(APIView):
    @extend_schema(operation_id="saved_questions", responses=SavedQuestionShape(many=True))
    def get(self, request: Request, slug: str) -> Response:
        """The network's saved questions, by folder and name."""
        questions = network_for(request, slug).questions.select_related(
            "author", "revision", "good_revision", "former_revision"
        )
        return Response(SavedQuestionShape(questions, many=True).data)

    @extend_schema(
        operation_id="save_question",
        parameters=LENS,
        request=SavedQuestionShape,
        responses={201: SavedQuestionShape},
    )
    def post(self, request: Request, slug: str) -> Response:
        """Save a question and run it; takes an editor."""
        network = network_for(request, slug, Role.EDITOR)
        asked = checked(SavedQuestionShape, request.data)
        revision = revision_for(request, slug)
        question = dict(asked["question"])
        answer = answer_to(request, AskedLens(revision, {}), "short", question)
        name, folder = asked["name"], asked.get("folder", "")
        try:
            with transaction.atomic():
                saved = SavedQuestion.objects.create(
                    network=network,
                    author_id=user_id(request),
                    name=name,
                    folder=folder,
                    question=question,
                )
        except IntegrityError as error:
            where = f" in {folder}" if folder else ""
            raise serializers.ValidationError(
                {"name": f"there is already a question “{name}”{where}; choose another name"}
            ) from error
        keep_answer(saved, revision, answer)
        return Response(SavedQuestionShape(saved).data, status=status.HTTP_201_CREATED)


class QuestionsAskedShape(serializers.Serializer):
    asked = serializers.IntegerField()
    broken = serializers.IntegerField()


class QuestionRunShape(JobShape):
    answer = QuestionsAskedShape(allow_null=True)


class QuestionRunListView(APIView):
    @extend_schema(
        operation_id="run_questions",
        parameters=[
            *LENS,
            OpenApiParameter("id", int, description="one question; left out: all of them"),
        ],
        request=None,
        responses={202: QuestionRunShape},
    )
    def post(self, request: Request, slug: str) -> Response:
        """Run all saved questions again, or one (`?id=`): a job; takes an editor."""
        network = network_for(request, slug, Role.EDITOR)
        revision = revision_for(request, slug)
        wanted = request.query_params.get("id", "")
        questions = network.questions.all()
        if wanted:
            number = int(wanted) if wanted.isascii() and wanted.isdecimal() else 0
            questions = questions.filter(pk=min(number, 2**62))
        numbers = list(questions.values_list("pk", flat=True))
        if wanted and not numbers:
            raise Http404("there is no such question")
        job = begin(
            request, Job.Kind.QUESTIONS, network, revision, {"questions": numbers},
            said=f"asked {len(numbers)} saved questions", total=len(numbers),
        )  # fmt: skip
        return Response(QuestionRunShape(job).data, status=status.HTTP_202_ACCEPTED)


class QuestionRunView(APIView):
    @extend_schema(operation_id="question_run", responses=QuestionRunShape)
    def get(self, request: Request, pk: int) -> Response:
        return Response(QuestionRunShape(job_for(request, pk, Job.Kind.QUESTIONS)).data)


class QuestionView(APIView):
    @extend_schema(operation_id="drop_question", responses={204: None})
    def delete(self, request: Request, slug: str, pk: int) -> Response:
        """Drop a saved question; takes an editor."""
        dropped, _ = network_for(request, slug, Role.EDITOR).questions.filter(pk=pk).delete()
        if not dropped:
            raise Http404("there is no such question")
        return Response(status=status.HTTP_204_NO_CONTENT)

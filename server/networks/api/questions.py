"""Saved questions, comparisons of flows, and searches for remedies."""

from __future__ import annotations

from django.db import transaction
from django.http import Http404
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework import serializers, status
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from routrel.questions.answers import flow_data
from routrel.questions.compare_flows import first_difference
from routrel.questions.flow import FlowQuestion, ask_flow
from server.networks.access import membership_for, network_for, revision_for
from server.networks.api.answers import LENS, FlowQuestionShape, flow_question, state_of
from server.networks.api.shapes import OneFlowShape, RemediesShape
from server.networks.models import RemedySearch, Role, SavedQuestion
from server.networks.questions import changes_since_good, run_question
from server.networks.tasks import search_remedies

__all__ = [
    "CompareView",
    "QuestionListView",
    "QuestionRunView",
    "QuestionView",
    "RemedySearchCancelView",
    "RemedySearchListView",
    "RemedySearchView",
]

# --- comparing ------------------------------------------------------------------------------------


class CompareShape(FlowQuestionShape):
    other_from = serializers.CharField(max_length=200)
    other_to = serializers.CharField(max_length=200)
    other_as = serializers.CharField(max_length=60, required=False, allow_blank=True, default="")


class DifferenceShape(serializers.Serializer):
    sentence = serializers.CharField()
    direction = serializers.CharField(allow_null=True)
    device = serializers.CharField(allow_null=True)
    hop = serializers.IntegerField(allow_null=True)
    other = OneFlowShape()


class CompareView(APIView):
    @extend_schema(
        operation_id="compare_flows", parameters=[*LENS, CompareShape], responses=DifferenceShape
    )
    def get(self, request: Request, slug: str) -> Response:
        """The first point where two flows differ, and the other one's answer."""
        state = state_of(revision_for(request, slug))
        shape = CompareShape(data=request.query_params)
        shape.is_valid(raise_exception=True)
        mine = flow_question(request.query_params)
        theirs = FlowQuestion(
            source=shape.validated_data["other_from"],
            destination=shape.validated_data["other_to"],
            traffic=shape.validated_data["other_as"],
            size=mine.size,
        )
        left, right = ask_flow(state, mine), ask_flow(state, theirs)
        names = ("this flow", "the other")
        found = first_difference(left, right, names)
        return Response(
            {
                "sentence": found.sentence,
                "direction": found.direction,
                "device": found.device,
                "hop": found.hop,
                "other": flow_data(state, right),
            }
        )


# --- remedies -------------------------------------------------------------------------------------


class RemedySearchShape(serializers.Serializer):
    id = serializers.IntegerField()
    status = serializers.ChoiceField(choices=RemedySearch.Status.choices)
    tried = serializers.IntegerField()
    found = serializers.IntegerField()
    message = serializers.CharField(allow_blank=True)
    answer = RemediesShape(allow_null=True)


class RemedySearchListView(APIView):
    @extend_schema(
        operation_id="search_remedies",
        parameters=LENS,
        request=FlowQuestionShape,
        responses={202: RemedySearchShape},
    )
    def post(self, request: Request, slug: str) -> Response:
        """Search for edits that make a flow arrive both ways; watch the search, or cancel it."""
        revision = revision_for(request, slug)
        shape = FlowQuestionShape(data=request.data)
        shape.is_valid(raise_exception=True)
        search = RemedySearch.objects.create(
            revision=revision, author_id=request.user.pk, question=shape.validated_data
        )
        search_remedies.defer(search_id=search.pk)
        return Response(RemedySearchShape(search).data, status=status.HTTP_202_ACCEPTED)


def _search_for(request: Request, pk: int) -> RemedySearch:
    search = RemedySearch.objects.select_related("revision__network").filter(pk=pk).first()
    if search is None:
        raise Http404("there is no such search")
    membership_for(request, search.revision.network.slug)
    return search


class RemedySearchView(APIView):
    @extend_schema(operation_id="remedy_search", responses=RemedySearchShape)
    def get(self, request: Request, pk: int) -> Response:
        return Response(RemedySearchShape(_search_for(request, pk)).data)


class RemedySearchCancelView(APIView):
    @extend_schema(operation_id="cancel_remedy_search", request=None, responses=RemedySearchShape)
    def post(self, request: Request, pk: int) -> Response:
        """Ask a search to stop; one that waits stops at once, an ended one stays ended."""
        _search_for(request, pk)
        with transaction.atomic():
            search = RemedySearch.objects.select_for_update().get(pk=pk)
            if not search.finished:
                search.cancel_requested = True
                if search.status == RemedySearch.Status.QUEUED:
                    search.status = RemedySearch.Status.CANCELLED
                search.save()
        return Response(RemedySearchShape(search).data)


# --- saved questions ------------------------------------------------------------------------------


class ShortAnswerShape(serializers.Serializer):
    works = serializers.BooleanField()
    sentence = serializers.CharField()
    verdict = serializers.CharField(allow_null=True)
    return_verdict = serializers.CharField(allow_null=True)


class SavedQuestionShape(serializers.ModelSerializer):
    """A question with its last answer. `question` is what the flow question takes."""

    author = serializers.CharField(source="author.username", default=None, read_only=True)
    question = FlowQuestionShape()
    answer = ShortAnswerShape(allow_null=True, read_only=True)
    revision = serializers.IntegerField(
        source="revision.number", default=None, read_only=True, allow_null=True
    )
    worked_in = serializers.IntegerField(
        source="good_revision.number", default=None, read_only=True, allow_null=True
    )
    since_then = serializers.SerializerMethodField()

    class Meta:
        model = SavedQuestion
        fields = (
            "id", "name", "folder", "question", "author", "created", "answer", "revision", "ran",
            "changed", "worked_in", "since_then",
        )  # fmt: skip
        read_only_fields = ("id", "created", "ran", "changed")

    def get_since_then(self, saved: SavedQuestion) -> str:
        """What changed since a broken question last worked."""
        return changes_since_good(saved)


class QuestionListView(APIView):
    @extend_schema(operation_id="saved_questions", responses=SavedQuestionShape(many=True))
    def get(self, request: Request, slug: str) -> Response:
        """The network's saved questions, by folder and name."""
        questions = network_for(request, slug).questions.select_related(
            "author", "revision", "good_revision"
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
        shape = SavedQuestionShape(data=request.data)
        shape.is_valid(raise_exception=True)
        name, folder = shape.validated_data["name"], shape.validated_data.get("folder", "")
        if network.questions.filter(name=name, folder=folder).exists():
            where = f" in {folder}" if folder else ""
            raise serializers.ValidationError(
                {"name": f"there is already a question “{name}”{where}; choose another name"}
            )
        saved = SavedQuestion.objects.create(
            network=network,
            author_id=request.user.pk,
            name=name,
            folder=folder,
            question=dict(shape.validated_data["question"]),
        )
        run_question(saved, revision_for(request, slug))
        return Response(SavedQuestionShape(saved).data, status=status.HTTP_201_CREATED)


class QuestionRunView(APIView):
    @extend_schema(
        operation_id="run_questions",
        parameters=[
            *LENS,
            OpenApiParameter("id", int, description="one question; left out: all of them"),
        ],
        request=None,
        responses=SavedQuestionShape(many=True),
    )
    def post(self, request: Request, slug: str) -> Response:
        """Run all saved questions again, or one (`?id=`); takes an editor."""
        network = network_for(request, slug, Role.EDITOR)
        revision = revision_for(request, slug)
        wanted = request.query_params.get("id", "")
        questions = network.questions.all()
        if wanted:
            questions = questions.filter(pk=int(wanted) if wanted.isdecimal() else 0)
        for saved in questions:
            run_question(saved, revision)
        return Response(SavedQuestionShape(network.questions.all(), many=True).data)


class QuestionView(APIView):
    @extend_schema(operation_id="drop_question", responses={204: None})
    def delete(self, request: Request, slug: str, pk: int) -> Response:
        """Drop a saved question; takes an editor."""
        dropped, _ = network_for(request, slug, Role.EDITOR).questions.filter(pk=pk).delete()
        if not dropped:
            raise Http404("there is no such question")
        return Response(status=status.HTTP_204_NO_CONTENT)

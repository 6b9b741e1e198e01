"""What an editor of changes asks of a lens's files: places, edits, problems, patches."""

from __future__ import annotations

from django.http import HttpResponse
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.views import APIView

from routrel.answers.changes import EditData
from routrel.answers.findings import FindingData
from routrel.answers.places import PlaceData
from routrel.model.changes import Operation
from server.networks.api.asked import answered
from server.networks.api.lens import LENS
from server.networks.api.parsing import checked
from server.networks.api.typed import described

__all__ = [
    "PatchView",
    "PlaceEditView",
    "PlaceView",
    "ProblemsView",
    "ProposalEditView",
    "TextEditView",
]

_MOST_CHANGES = 20
_LONGEST_TEXT = 4_000_000


class PlaceQuestionShape(serializers.Serializer):
    """A place of a device's configuration, or of another file."""

    device = serializers.CharField(max_length=200, required=False, allow_blank=True, default="")
    file = serializers.CharField(max_length=400, required=False, allow_blank=True, default="")
    at = serializers.ListField(
        child=serializers.CharField(max_length=400), required=False, default=list, max_length=24,
        help_text="the keys below it; an item of a list by its id, name, to or prefix, else as #3",
    )  # fmt: skip


class PlaceView(APIView):
    @extend_schema(
        operation_id="place",
        parameters=[*LENS, PlaceQuestionShape],
        responses={200: described(PlaceData)},
    )
    def get(self, request: Request, slug: str) -> HttpResponse:
        """What stands at a place, and what may, as the language has it: a form."""
        given = {**request.query_params.dict(), "at": request.query_params.getlist("at")}
        return answered(request, slug, "place", **checked(PlaceQuestionShape, given))


class ValueAtPlaceShape(PlaceQuestionShape):
    """What is to stand at a place; null: nothing. Of a list `add` puts it in, `move` moves it."""

    operation = serializers.ChoiceField(
        choices=[Operation.SET.value, Operation.ADD.value, Operation.MOVE.value], default="set"
    )
    value = serializers.CharField(
        max_length=20_000, allow_null=True, allow_blank=True, trim_whitespace=False, default=None
    )
    before = serializers.CharField(max_length=400, allow_null=True, default=None)


class PlacesShape(serializers.Serializer):
    places = ValueAtPlaceShape(many=True, allow_empty=False)


class PlaceEditView(APIView):
    @extend_schema(
        operation_id="edits_of_places",
        parameters=LENS,
        request=PlacesShape,
        responses={200: described(list[EditData])},
    )
    def post(self, request: Request, slug: str) -> HttpResponse:
        """The edits that let values stand at places, and remember what does. Nothing is kept."""
        asked = checked(PlacesShape, request.data)
        return answered(request, slug, "edits-of-places", **asked)


class ProposalShape(serializers.Serializer):
    """Changes of files, as answers propose them."""

    changes = serializers.ListField(
        child=serializers.DictField(), allow_empty=False, max_length=_MOST_CHANGES
    )


class ProposalEditView(APIView):
    @extend_schema(
        operation_id="edits_of_proposal",
        parameters=LENS,
        request=ProposalShape,
        responses={200: described(list[EditData])},
    )
    def post(self, request: Request, slug: str) -> HttpResponse:
        """The edits that do what an answer proposes. Nothing is kept."""
        asked = checked(ProposalShape, request.data)
        return answered(request, slug, "edits-of-proposal", proposal=asked["changes"])


class FileTextGivenShape(serializers.Serializer):
    """A file's whole text; null: there is no such file any more."""

    file = serializers.RegexField(
        r"^[^/\\\0.][^\\\0]*\.(ya?ml|hosts)$|^hosts$", max_length=400,
        error_messages={"invalid": "must end in .yaml or .hosts, and begin with no dot"},
    )  # fmt: skip
    text = serializers.CharField(
        max_length=_LONGEST_TEXT, allow_null=True, allow_blank=True, trim_whitespace=False
    )


class TextEditView(APIView):
    @extend_schema(
        operation_id="edits_of_text",
        parameters=LENS,
        request=FileTextGivenShape,
        responses={200: described(list[EditData])},
    )
    def post(self, request: Request, slug: str) -> HttpResponse:
        """The edits that give a file another text. Nothing is kept."""
        asked = checked(FileTextGivenShape, request.data)
        return answered(request, slug, "edits-of-text", **asked)


class ProblemsView(APIView):
    @extend_schema(
        operation_id="problems_of_text",
        parameters=LENS,
        request=FileTextGivenShape,
        responses={200: described(list[FindingData])},
    )
    def post(self, request: Request, slug: str) -> HttpResponse:
        """What would be wrong with the files if one had another text, that of this file first."""
        asked = checked(FileTextGivenShape, request.data)
        return answered(request, slug, "problems", file=asked["file"], text=asked["text"] or "")


class PatchTextShape(serializers.Serializer):
    """The same in the unified format, for `patch -p1`."""

    patch = serializers.CharField()


class PatchView(APIView):
    @extend_schema(
        operation_id="patch", parameters=LENS, request=ProposalShape, responses=PatchTextShape
    )
    def post(self, request: Request, slug: str) -> HttpResponse:
        """What an answer proposes, as a patch of the lens's files. Nothing is kept."""
        asked = checked(ProposalShape, request.data)
        return answered(request, slug, "patch", proposal=asked["changes"])

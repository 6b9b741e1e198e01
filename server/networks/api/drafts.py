"""Drafts: proposed edits that an editor keeps."""

from __future__ import annotations

from datetime import timedelta
from typing import Any

import msgspec
from django.http import Http404
from django.utils import timezone
from drf_spectacular.utils import extend_schema
from rest_framework import serializers, status
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from routrel.answers.base import LinesData, data
from routrel.files.patching import edited_lines
from routrel.files.unified import unified_patch
from routrel.lens.file_edits import DoesNotApply, FileEdit, edited
from server.networks.access import network_for, revision_for
from server.networks.api.answers import LENS
from server.networks.api.errors import Fault
from server.networks.models import Draft, Revision, Role

__all__ = ["DraftBackView", "DraftListView", "DraftView", "PatchView"]


#: How long a draft that was dropped can be taken back.
_TAKEN_BACK_WITHIN = timedelta(days=1)
#: Changes that one draft may hold.
_MOST_CHANGES = 20


class LinesShape(serializers.Serializer):
    """Lines of one file that change; `before` and `after` may be empty."""

    file = serializers.CharField()
    line = serializers.IntegerField()
    before = serializers.CharField(allow_blank=True)
    after = serializers.CharField(allow_blank=True)


class DraftShape(serializers.ModelSerializer):
    """One draft.

    `changes` are those of the answer that proposed it; `edits` the lines of its revision that they
    change. A draft of old, from before edits were kept as changes, has none of either.
    """

    author = serializers.CharField(
        source="author.username", default=None, read_only=True, allow_null=True
    )
    changes = serializers.ListField(
        child=serializers.DictField(), allow_empty=False, max_length=_MOST_CHANGES
    )
    edits = LinesShape(many=True, read_only=True)
    revision = serializers.IntegerField(source="revision.number", read_only=True)

    class Meta:
        model = Draft
        fields = ("id", "created", "author", "revision", "text", "purpose", "changes", "edits")
        read_only_fields = ("id", "created")


class DraftListView(APIView):
    @extend_schema(operation_id="drafts", responses=DraftShape(many=True))
    def get(self, request: Request, slug: str) -> Response:
        """The network's drafts, the newest first."""
        drafts = network_for(request, slug).drafts.filter(dropped=None)
        return Response(DraftShape(drafts.select_related("author", "revision"), many=True).data)

    @extend_schema(
        operation_id="keep_draft", parameters=LENS, request=DraftShape, responses={201: DraftShape}
    )
    def post(self, request: Request, slug: str) -> Response:
        """Keep a proposed edit; takes an editor."""
        network = network_for(request, slug, Role.EDITOR)
        shape = DraftShape(data=request.data)
        shape.is_valid(raise_exception=True)
        revision = revision_for(request, slug)
        edits = _edits(revision, shape.validated_data["changes"])
        draft = shape.save(network=network, revision=revision, author=request.user, edits=edits)
        return Response(DraftShape(draft).data, status=status.HTTP_201_CREATED)


class DraftView(APIView):
    @extend_schema(operation_id="drop_draft", responses={204: None})
    def delete(self, request: Request, slug: str, pk: int) -> Response:
        """Drop a draft; takes an editor. For a day it can be taken back."""
        drafts = network_for(request, slug, Role.EDITOR).drafts
        now = timezone.now()
        drafts.filter(dropped__lt=now - _TAKEN_BACK_WITHIN).delete()
        if not drafts.filter(pk=pk, dropped=None).update(dropped=now):
            raise Http404("there is no such draft")
        return Response(status=status.HTTP_204_NO_CONTENT)


class DraftBackView(APIView):
    @extend_schema(operation_id="take_draft_back", request=None, responses=DraftShape)
    def post(self, request: Request, slug: str, pk: int) -> Response:
        """Take back that a draft was dropped, within a day; takes an editor."""
        draft = network_for(request, slug, Role.EDITOR).drafts.filter(pk=pk).first()
        if draft is None:
            raise Http404("there is no such draft, or it was dropped more than a day ago")
        draft.dropped = None
        draft.save(update_fields=["dropped"])
        return Response(DraftShape(draft).data)


class PatchShape(serializers.Serializer):
    """Changes of a revision's files, as answers propose them."""

    changes = serializers.ListField(
        child=serializers.DictField(), allow_empty=False, max_length=_MOST_CHANGES
    )


class PatchTextShape(serializers.Serializer):
    """The same in the unified format, for `patch -p1`."""

    patch = serializers.CharField()


class PatchView(APIView):
    @extend_schema(
        operation_id="patch", parameters=LENS, request=PatchShape, responses=PatchTextShape
    )
    def post(self, request: Request, slug: str) -> Response:
        """Changes as a patch of the revision's files. Nothing is kept."""
        shape = PatchShape(data=request.data)
        shape.is_valid(raise_exception=True)
        before, after = _applied(revision_for(request, slug), shape.validated_data["changes"])
        return Response({"patch": unified_patch(before, after)})


def _edits(revision: Revision, given: list[dict[str, Any]]) -> Any:
    """The lines that changes of a revision's files make different, as they are stored."""
    before, after = _applied(revision, given)
    return [
        data(LinesData.of(patch))
        for file in sorted(after)
        for patch in edited_lines(file, before[file], after[file])
    ]


def _applied(
    revision: Revision, given: list[dict[str, Any]]
) -> tuple[dict[str, str], dict[str, str]]:
    """The files that changes are of, before and after them."""
    try:
        changes = msgspec.convert(given, list[FileEdit])
    except msgspec.ValidationError as error:
        raise Fault(status.HTTP_400_BAD_REQUEST, "invalid", f"changes: {error}") from error
    files = {change.file for change in changes}
    texts = dict(revision.files.filter(path__in=files).values_list("path", "text"))
    try:
        return texts, edited(texts, changes)
    except DoesNotApply as error:
        raise Fault(status.HTTP_400_BAD_REQUEST, "does_not_apply", str(error)) from error

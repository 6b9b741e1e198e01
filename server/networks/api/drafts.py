"""Drafts: proposed edits that an editor keeps."""

from __future__ import annotations

from django.http import Http404
from drf_spectacular.utils import extend_schema
from rest_framework import serializers, status
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from server.networks.access import network_for, revision_for
from server.networks.api.answers import LENS
from server.networks.models import Draft, Role

__all__ = ["DraftListView", "DraftView"]


class DraftShape(serializers.ModelSerializer):
    """One draft. `edit` is the proposed edit as `would-take` gave it."""

    author = serializers.CharField(
        source="author.username", default=None, read_only=True, allow_null=True
    )
    edit = serializers.DictField()
    revision = serializers.IntegerField(source="revision.number", read_only=True)

    class Meta:
        model = Draft
        fields = ("id", "created", "author", "revision", "text", "purpose", "edit")
        read_only_fields = ("id", "created")


class DraftListView(APIView):
    @extend_schema(operation_id="drafts", responses=DraftShape(many=True))
    def get(self, request: Request, slug: str) -> Response:
        """The network's drafts, the newest first."""
        drafts = network_for(request, slug).drafts.select_related("author", "revision")
        return Response(DraftShape(drafts, many=True).data)

    @extend_schema(
        operation_id="keep_draft", parameters=LENS, request=DraftShape, responses={201: DraftShape}
    )
    def post(self, request: Request, slug: str) -> Response:
        """Keep a proposed edit; takes an editor."""
        network = network_for(request, slug, Role.EDITOR)
        shape = DraftShape(data=request.data)
        shape.is_valid(raise_exception=True)
        draft = shape.save(
            network=network, revision=revision_for(request, slug), author=request.user
        )
        return Response(DraftShape(draft).data, status=status.HTTP_201_CREATED)


class DraftView(APIView):
    @extend_schema(operation_id="drop_draft", responses={204: None})
    def delete(self, request: Request, slug: str, pk: int) -> Response:
        """Drop a draft; takes an editor."""
        dropped, _ = network_for(request, slug, Role.EDITOR).drafts.filter(pk=pk).delete()
        if not dropped:
            raise Http404("there is no such draft")
        return Response(status=status.HTTP_204_NO_CONTENT)

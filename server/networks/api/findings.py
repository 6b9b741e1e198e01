"""Findings, since when they are there, and which of them are muted."""

from __future__ import annotations

from django.http import HttpResponse
from drf_spectacular.utils import extend_schema
from rest_framework import serializers, status
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from routrel.answers.findings import FindingData
from server.networks.access import network_for, revision_for, user_id
from server.networks.api.asked import answered
from server.networks.api.lens import LENS
from server.networks.api.parsing import checked
from server.networks.api.typed import described
from server.networks.findings import findings_since
from server.networks.models import MutedFinding, Role

__all__ = ["FindingListView", "FindingNotesView", "MutedFindingView"]


_LONGEST_KEY = 16  #: that of the model


class FindingListView(APIView):
    @extend_schema(
        operation_id="findings", parameters=LENS, responses={200: described(list[FindingData])}
    )
    def get(self, request: Request, slug: str) -> HttpResponse:
        """Everything suspicious, by cause, errors first."""
        return answered(request, slug, "findings")


class MutedFindingShape(serializers.ModelSerializer):
    """A finding that may be as it is, and why; `key` is that of the findings."""

    author = serializers.CharField(
        source="author.username", default=None, read_only=True, allow_null=True
    )

    class Meta:
        model = MutedFinding
        fields = ("key", "reason", "author", "created")
        read_only_fields = ("key", "created")


class FindingNotesShape(serializers.Serializer):
    """What is kept about the findings of a revision.

    `since` has by key the first of the revisions in a row that have the finding; what is there
    since `known_from` may have been there before.
    """

    muted = MutedFindingShape(many=True)
    since = serializers.DictField(child=serializers.IntegerField())
    known_from = serializers.IntegerField()


class FindingNotesView(APIView):
    @extend_schema(operation_id="finding_notes", parameters=LENS, responses=FindingNotesShape)
    def get(self, request: Request, slug: str) -> Response:
        """Since when findings are there, as far as anybody looked, and which are muted."""
        network = network_for(request, slug)
        since = findings_since(revision_for(request, slug))
        shown = {
            "muted": network.muted.select_related("author"),
            "since": since.numbers,
            "known_from": since.known_from,
        }
        return Response(FindingNotesShape(shown).data)


class MutedFindingView(APIView):
    @extend_schema(
        operation_id="mute_finding", request=MutedFindingShape, responses=MutedFindingShape
    )
    def put(self, request: Request, slug: str, key: str) -> Response:
        """Mute a finding, for a reason, in all revisions; takes an editor."""
        network = network_for(request, slug, Role.EDITOR)
        if len(key) > _LONGEST_KEY:
            raise serializers.ValidationError({"key": "no finding has such a key"})
        reason = checked(MutedFindingShape, request.data)["reason"]
        muted, _ = MutedFinding.objects.update_or_create(
            network=network, key=key, defaults={"reason": reason, "author_id": user_id(request)}
        )
        return Response(MutedFindingShape(muted).data)

    @extend_schema(operation_id="unmute_finding", responses={204: None})
    def delete(self, request: Request, slug: str, key: str) -> Response:
        """Let a finding be heard again; takes an editor."""
        network = network_for(request, slug, Role.EDITOR)
        MutedFinding.objects.filter(network=network, key=key).delete()
        return Response(status=status.HTTP_204_NO_CONTENT)

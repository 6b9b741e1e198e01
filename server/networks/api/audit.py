"""The audit trail of a network, filtered, also as a table with commas."""

from __future__ import annotations

import csv
import io

from django.db.models import Q, QuerySet
from django.http import HttpResponse
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from server.networks.access import network_for
from server.networks.api.parsing import checked
from server.networks.audit import ACTIONS
from server.networks.models import AuditEntry, Role

__all__ = ["AuditTableView", "AuditView"]

_LISTED = 500


class AuditShape(serializers.ModelSerializer):
    """One entry; `token` is empty unless one was shown."""

    class Meta:
        model = AuditEntry
        fields = ("id", "created", "who", "token", "address", "action", "text")


class AuditFilterShape(serializers.Serializer):
    who = serializers.CharField(max_length=150, required=False, allow_blank=True)
    action = serializers.ChoiceField(ACTIONS, required=False, allow_blank=True)
    text = serializers.CharField(
        max_length=100, required=False, allow_blank=True, help_text="part of what was done"
    )
    before = serializers.IntegerField(required=False, help_text="entries older than this id")


class AuditView(APIView):
    @extend_schema(
        operation_id="audit_trail",
        parameters=[AuditFilterShape],
        responses=AuditShape(many=True),
    )
    def get(self, request: Request, slug: str) -> Response:
        """Who did what, the latest first, five hundred at a time. Owners only."""
        return Response(AuditShape(_asked_for(request, slug)[:_LISTED], many=True).data)


class AuditTableView(APIView):
    @extend_schema(
        operation_id="audit_table",
        parameters=[AuditFilterShape],
        responses={(200, "text/csv"): str},
    )
    def get(self, request: Request, slug: str) -> HttpResponse:
        """All of it as a table with commas. Owners only."""
        out = io.StringIO()
        writer = csv.DictWriter(out, fieldnames=AuditShape.Meta.fields)
        writer.writeheader()
        writer.writerows(AuditShape(_asked_for(request, slug), many=True).data)
        return HttpResponse(out.getvalue(), content_type="text/csv; charset=utf-8")


def _asked_for(request: Request, slug: str) -> QuerySet[AuditEntry]:
    """The entries that a request wants, the latest first: of the network, and members' logins."""
    network = network_for(request, slug, Role.OWNER)
    asked = checked(AuditFilterShape, request.query_params, alone=True)
    members = network.memberships.values("user__username")
    logins = Q(network="", action="login", who__in=members)
    entries = AuditEntry.objects.filter(Q(network=network.slug) | logins)
    if asked.get("who"):
        entries = entries.filter(who=asked["who"])
    if asked.get("action"):
        entries = entries.filter(action=asked["action"])
    if asked.get("text"):
        entries = entries.filter(text__icontains=asked["text"])
    if "before" in asked:
        entries = entries.filter(pk__lt=min(asked["before"], 2**62))
    return entries

"""The audit trail of a network, filtered, also as a table with commas."""

from __future__ import annotations

import csv
import io

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

__all__ = ["AuditView"]

_LISTED = 500


class AuditShape(serializers.ModelSerializer):
    """One entry; `token` is empty unless one was shown."""

    class Meta:
        model = AuditEntry
        fields = ("id", "created", "who", "token", "address", "action", "text")


class AuditAskedShape(serializers.Serializer):
    who = serializers.CharField(max_length=150, required=False)
    action = serializers.ChoiceField(ACTIONS, required=False)
    text = serializers.CharField(max_length=100, required=False, help_text="part of what was done")
    before = serializers.IntegerField(required=False, help_text="entries older than this id")
    csv = serializers.ChoiceField(["1"], required=False)


class AuditView(APIView):
    @extend_schema(
        operation_id="audit_trail",
        parameters=[AuditAskedShape],
        responses=AuditShape(many=True),
    )
    def get(self, request: Request, slug: str) -> Response | HttpResponse:
        """Who did what, the latest first, five hundred at a time. Owners only."""
        network = network_for(request, slug, Role.OWNER)
        asked = checked(AuditAskedShape, request.query_params)
        entries = AuditEntry.objects.filter(network=network.slug)
        if "who" in asked:
            entries = entries.filter(who=asked["who"])
        if "action" in asked:
            entries = entries.filter(action=asked["action"])
        if "text" in asked:
            entries = entries.filter(text__icontains=asked["text"])
        if "before" in asked:
            entries = entries.filter(pk__lt=min(asked["before"], 2**62))
        told = AuditShape(entries if "csv" in asked else entries[:_LISTED], many=True).data
        if "csv" not in asked:
            return Response(told)
        out = io.StringIO()
        writer = csv.DictWriter(out, fieldnames=AuditShape.Meta.fields)
        writer.writeheader()
        writer.writerows(told)
        return HttpResponse(out.getvalue(), content_type="text/csv; charset=utf-8")

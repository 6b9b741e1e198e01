"""The files of a revision."""

from __future__ import annotations

from django.http import Http404, HttpResponseBase
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from server.networks.access import plain
from server.networks.api.asked import answered
from server.networks.api.lens import LENS, lens_in

__all__ = ["FileListView", "FileShape", "FileTextShape", "FileView"]


class FileShape(serializers.Serializer):
    path = serializers.CharField()
    lines = serializers.IntegerField()


class FileTextShape(serializers.Serializer):
    path = serializers.CharField()
    text = serializers.CharField()


class FileListView(APIView):
    @extend_schema(operation_id="files", parameters=LENS, responses=FileShape(many=True))
    def get(self, request: Request, slug: str) -> HttpResponseBase:
        """The lens's files by path."""
        lens = lens_in(request, slug)
        if "changes" in lens.written:
            return answered(request, slug, "files")
        files = lens.revision.files.all()
        return Response([{"path": f.path, "lines": len(f.text.splitlines())} for f in files])


class FileView(APIView):
    @extend_schema(operation_id="file", parameters=LENS, responses=FileTextShape)
    def get(self, request: Request, slug: str, path: str) -> HttpResponseBase:
        """The text of one file."""
        lens = lens_in(request, slug)
        if "changes" in lens.written:
            return answered(request, slug, "file", path=plain(path))
        found = lens.revision.files.filter(path=plain(path)).first()
        if found is None:
            raise Http404(f"this revision has no file {path}")
        return Response({"path": found.path, "text": found.text})

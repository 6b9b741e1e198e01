"""Importing files: start, watch, cancel, and read the files of a refused import."""

from __future__ import annotations

import json
import time
from collections.abc import Iterator

from django.db import transaction
from django.http import Http404, StreamingHttpResponse
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import extend_schema
from rest_framework import serializers, status
from rest_framework.negotiation import BaseContentNegotiation
from rest_framework.parsers import MultiPartParser
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from server.networks.access import import_for, network_for
from server.networks.api.shapes import FileTextShape, FindingShape
from server.networks.models import Import, ImportedFile, Role
from server.networks.tasks import import_files
from server.networks.uploads import UploadRefused, unpack

__all__ = [
    "ImportCancelView",
    "ImportEventsView",
    "ImportFileView",
    "ImportListView",
    "ImportView",
]

_POLL_S = 0.25
#: A stream ends after this long; the browser connects again by itself.
_STREAM_S = 55


class UploadShape(serializers.Serializer):
    files = serializers.ListField(child=serializers.FileField())
    paths = serializers.ListField(child=serializers.CharField(), required=False)


class ImportShape(serializers.Serializer):
    id = serializers.IntegerField()
    network = serializers.CharField(source="network.slug")
    created = serializers.DateTimeField()
    status = serializers.ChoiceField(choices=Import.Status.choices)
    step = serializers.CharField()
    done = serializers.IntegerField()
    total = serializers.IntegerField()
    message = serializers.CharField(allow_blank=True)
    problems = FindingShape(many=True)
    skipped = serializers.ListField(child=serializers.CharField())
    revision = serializers.IntegerField(source="revision.number", default=None, allow_null=True)


class ImportListView(APIView):
    parser_classes = (MultiPartParser,)

    @extend_schema(
        operation_id="imports_start",
        request={"multipart/form-data": UploadShape},
        responses={202: ImportShape},
    )
    def post(self, request: Request, slug: str) -> Response:
        """Take files, folders (`paths` beside `files`, in the same order) or zip archives."""
        network = network_for(request, slug, Role.EDITOR)
        uploads = request.FILES.getlist("files")
        paths = request.POST.getlist("paths") or [upload.name or "" for upload in uploads]
        if not uploads:
            raise UploadRefused("no file was sent; choose files, a folder or a zip archive")
        if len(paths) != len(uploads):
            raise UploadRefused(f"{len(uploads)} files came with {len(paths)} paths")
        unpacked = unpack(
            (path, upload.read()) for path, upload in zip(paths, uploads, strict=True)
        )
        with transaction.atomic():
            job = Import.objects.create(
                network=network,
                author_id=request.user.pk,
                total=len(unpacked.files),
                skipped=unpacked.skipped,
            )
            ImportedFile.objects.bulk_create(
                ImportedFile(job=job, path=path, content=content)
                for path, content in unpacked.files.items()
            )
        import_files.defer(import_id=job.pk)
        return Response(ImportShape(job).data, status=status.HTTP_202_ACCEPTED)


class ImportView(APIView):
    @extend_schema(operation_id="imports_get", responses=ImportShape)
    def get(self, request: Request, pk: int) -> Response:
        return Response(ImportShape(import_for(request, pk)).data)


class ImportCancelView(APIView):
    @extend_schema(operation_id="imports_cancel", request=None, responses=ImportShape)
    def post(self, request: Request, pk: int) -> Response:
        """Ask a running import to stop; one that waits stops at once, an ended one stays ended."""
        import_for(request, pk, Role.EDITOR)
        with transaction.atomic():
            job = Import.objects.select_for_update().get(pk=pk)
            if not job.finished:
                job.cancel_requested = True
                if job.status == Import.Status.QUEUED:
                    job.status, job.step = Import.Status.CANCELLED, "cancelled"
                    job.message = "Nothing was kept."
                job.save()
        return Response(ImportShape(job).data)


class ImportFileView(APIView):
    @extend_schema(operation_id="imports_file", responses=FileTextShape)
    def get(self, request: Request, pk: int, path: str) -> Response:
        """The text of an uploaded file, so that a problem can be read in place."""
        found = import_for(request, pk).files.filter(path=path).first()
        if found is None:
            raise Http404(f"the import has no file {path}")
        return Response({"path": path, "text": bytes(found.content).decode("utf-8", "replace")})


class _AnyType(BaseContentNegotiation):
    """An event source asks for text/event-stream, which no renderer here gives."""

    def select_parser(self, request, parsers):  # type: ignore[no-untyped-def]
        return parsers[0]

    def select_renderer(self, request, renderers, format_suffix=None):  # type: ignore[no-untyped-def]
        return renderers[0], renderers[0].media_type


class ImportEventsView(APIView):
    content_negotiation_class = _AnyType

    @extend_schema(
        operation_id="imports_events", responses={(200, "text/event-stream"): OpenApiTypes.STR}
    )
    def get(self, request: Request, pk: int) -> StreamingHttpResponse:
        """The import as server-sent events: one whenever it changes, until it has ended."""
        import_for(request, pk)
        return StreamingHttpResponse(
            _events(pk),
            content_type="text/event-stream",
            headers={"Cache-Control": "no-store", "X-Accel-Buffering": "no"},
        )


def _events(pk: int) -> Iterator[bytes]:
    last = ""
    until = time.monotonic() + _STREAM_S
    while time.monotonic() < until:
        job = Import.objects.select_related("network", "revision").filter(pk=pk).first()
        if job is None:
            return
        data = json.dumps(ImportShape(job).data)
        if data != last:
            last = data
            yield f"data: {data}\n\n".encode()
        if job.finished:
            return
        time.sleep(_POLL_S)

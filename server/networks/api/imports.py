"""Importing files: start, watch, and read the files of a refused import."""

from __future__ import annotations

from collections.abc import Callable

from django.http import Http404
from drf_spectacular.utils import extend_schema
from rest_framework import serializers, status
from rest_framework.parsers import MultiPartParser
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from routrel.answers.findings import FindingData
from server.networks.access import job_for, network_for, plain, user_id
from server.networks.api.files import FileTextShape
from server.networks.api.jobs import JobShape
from server.networks.api.typed import answer_field
from server.networks.audit import note
from server.networks.imports import make_room
from server.networks.jobs import start_job
from server.networks.models import Job, Role, UploadedFile
from server.networks.uploads import UploadRefused, unpack

__all__ = ["ImportFileView", "ImportListView", "ImportShape", "ImportView"]

_BATCH_FILES = 500
_BATCH_BYTES = 8 * 1024 * 1024


class UploadShape(serializers.Serializer):
    files = serializers.ListField(child=serializers.FileField())
    paths = serializers.ListField(child=serializers.CharField(), required=False)


class ImportMessageShape(serializers.Serializer):
    path = serializers.CharField()
    line = serializers.IntegerField(allow_null=True)
    text = serializers.CharField()


class ImportedFileShape(serializers.Serializer):
    """One file of an import: its format, whose it is, and what of it was not understood."""

    path = serializers.CharField()
    format = serializers.CharField(allow_null=True)
    device = serializers.CharField(allow_null=True)
    verdict = serializers.ChoiceField(["read", "partly", "refused"])
    messages = ImportMessageShape(many=True)


class ImportAnswerShape(serializers.Serializer):
    """What reading the files found; of very many problems the first thousand."""

    problems = answer_field(list[FindingData])
    problem_count = serializers.IntegerField()
    skipped = serializers.ListField(child=serializers.CharField())
    files = ImportedFileShape(many=True, required=False, default=list)


class ImportShape(JobShape):
    revision = serializers.IntegerField(source="revision.number", default=None, allow_null=True)
    answer = ImportAnswerShape(allow_null=True)


class ImportListView(APIView):
    parser_classes = (MultiPartParser,)
    is_import = True  #: a token for imports may

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
        unpacked = unpack(zip(paths, uploads, strict=True))
        make_room(network, user_id(request))

        job = start_job(
            Job.Kind.IMPORT,
            network,
            user_id(request),
            question={"skipped": unpacked.skipped},
            total=len(unpacked.files),
            files=lambda job: _store(job, unpacked.files),
        )
        note(request, "import", f"imported {len(unpacked.files)} files: job {job.pk}", network)
        return Response(ImportShape(job).data, status=status.HTTP_202_ACCEPTED)


def _store(job: Job, files: dict[str, Callable[[], bytes]]) -> None:
    """Keep uploaded files, a batch in memory at a time."""
    batch: list[UploadedFile] = []
    size = 0
    for path, read in files.items():
        batch.append(UploadedFile(job=job, path=path, content=read()))
        size += len(batch[-1].content)
        if len(batch) >= _BATCH_FILES or size >= _BATCH_BYTES:
            UploadedFile.objects.bulk_create(batch)
            batch, size = [], 0
    UploadedFile.objects.bulk_create(batch)


class ImportView(APIView):
    @extend_schema(operation_id="imports_get", responses=ImportShape)
    def get(self, request: Request, pk: int) -> Response:
        return Response(ImportShape(job_for(request, pk, Job.Kind.IMPORT)).data)


class ImportFileView(APIView):
    @extend_schema(operation_id="imports_file", responses=FileTextShape)
    def get(self, request: Request, pk: int, path: str) -> Response:
        """The text of an uploaded file, so that a problem can be read in place."""
        job = job_for(request, pk, Job.Kind.IMPORT)
        found = job.files.filter(path=plain(path)).first()
        if found is None:
            raise Http404("the import has no such file, or became a revision, which has it")
        return Response({"path": path, "text": bytes(found.content).decode("utf-8", "replace")})

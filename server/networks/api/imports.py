"""Importing files: start, watch, and read the files of a refused import."""

from __future__ import annotations

from collections.abc import Callable

from django.db import transaction
from django.http import Http404
from drf_spectacular.utils import extend_schema
from rest_framework import serializers, status
from rest_framework.parsers import MultiPartParser
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from routrel.answers.file_differences import FileDifferenceData
from routrel.answers.findings import FindingData
from routrel.formats.plain.lists import KINDS
from server.networks.access import job_for, network_for, plain, user_id
from server.networks.api.files import FileTextShape
from server.networks.api.jobs import JobShape
from server.networks.api.parsing import checked
from server.networks.api.typed import answer_field
from server.networks.audit import note
from server.networks.imports import make_room
from server.networks.jobs import start_job
from server.networks.models import Job, Network, Role, UploadedFile
from server.networks.uploads import UploadRefused, unpack

__all__ = [
    "ImportAgainView",
    "ImportFileView",
    "ImportListView",
    "ImportShape",
    "ImportView",
    "ListsView",
]

#: Lists that are remembered; the oldest goes first.
_MOST_LISTS = 100
_BATCH_FILES = 500
_BATCH_BYTES = 8 * 1024 * 1024


class UploadShape(serializers.Serializer):
    files = serializers.ListField(child=serializers.FileField())
    paths = serializers.ListField(child=serializers.CharField(), required=False)
    preview = serializers.BooleanField(
        required=False, help_text="read them and tell what differs; nothing is kept yet"
    )


class ImportMessageShape(serializers.Serializer):
    path = serializers.CharField()
    line = serializers.IntegerField(allow_null=True)
    text = serializers.CharField()


class ListColumnsShape(serializers.Serializer):
    """A list's columns, and what they are taken for: by column of the kind, its own."""

    header = serializers.ListField(child=serializers.CharField(allow_blank=True), max_length=200)
    kind = serializers.ChoiceField(sorted(KINDS), allow_null=True)
    taken = serializers.DictField(child=serializers.CharField())


class ImportedFileShape(serializers.Serializer):
    """One file of an import: its format, whose it is, and what of it was not understood."""

    path = serializers.CharField()
    format = serializers.CharField(allow_null=True)
    device = serializers.CharField(allow_null=True)
    verdict = serializers.ChoiceField(["read", "partly", "refused"])
    messages = ImportMessageShape(many=True)
    columns = ListColumnsShape(required=False)


class FilesDifferenceShape(serializers.Serializer):
    """How the files differ from those of a revision; null: of none."""

    revision = serializers.IntegerField(allow_null=True)
    sentence = serializers.CharField()
    files = answer_field(list[FileDifferenceData])
    same = serializers.IntegerField()


class ImportAnswerShape(serializers.Serializer):
    """What reading the files found; of very many problems the first thousand."""

    problems = answer_field(list[FindingData])
    problem_count = serializers.IntegerField()
    skipped = serializers.ListField(child=serializers.CharField())
    files = ImportedFileShape(many=True, required=False, default=list)
    difference = FilesDifferenceShape(required=False)


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
        preview = request.POST.get("preview", "").lower() in ("1", "true")
        unpacked = unpack(zip(paths, uploads, strict=True))
        make_room(network, user_id(request))

        job = start_job(
            Job.Kind.IMPORT,
            network,
            user_id(request),
            question={"skipped": unpacked.skipped, "preview": preview},
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


class ImportAgainQuestionShape(serializers.Serializer):
    preview = serializers.BooleanField(default=False)
    after = serializers.IntegerField(
        required=False, allow_null=True, help_text="the revision that the difference was told of"
    )


class ImportAgainView(APIView):
    is_import = True

    @extend_schema(
        operation_id="imports_again",
        request=ImportAgainQuestionShape,
        responses={202: ImportShape},
    )
    def post(self, request: Request, pk: int) -> Response:
        """Read an import's files once more: to keep what was looked at, or to look again."""
        before = job_for(request, pk, Job.Kind.IMPORT)
        network_for(request, before.network.slug, Role.EDITOR)
        asked = checked(ImportAgainQuestionShape, request.data)
        if not before.ended:
            raise UploadRefused("it is being read still; wait until it has ended")
        count = before.files.filter(is_made=False).count()
        if not count:
            raise UploadRefused("its files are not kept any more; send them again")
        question = {"skipped": before.question["skipped"], "preview": asked["preview"]}
        if "after" in asked:
            question["after"] = asked["after"] or 0
        job = start_job(
            Job.Kind.IMPORT,
            before.network,
            user_id(request),
            question=question,
            total=count,
            files=lambda job: _moved(before, job),
        )
        note(request, "import", f"read import {pk} again: job {job.pk}", before.network)
        return Response(ImportShape(job).data, status=status.HTTP_202_ACCEPTED)


def _moved(before: Job, job: Job) -> None:
    before.files.filter(is_made=True).delete()
    before.files.update(job=job)


class ListKindShape(serializers.Serializer):
    """A kind of list: its columns, and those without which it tells nothing."""

    name = serializers.CharField()
    columns = serializers.ListField(child=serializers.CharField())
    needed = serializers.ListField(child=serializers.CharField())


class ListsView(APIView):
    @extend_schema(operation_id="lists_kinds", responses=ListKindShape(many=True))
    def get(self, request: Request, slug: str) -> Response:
        """The kinds of lists that are read."""
        network_for(request, slug)
        kinds = [
            {"name": kind.name, "columns": kind.columns, "needed": kind.needed}
            for kind in KINDS.values()
        ]
        return Response(kinds)

    @extend_schema(
        operation_id="lists_remember", request=ListColumnsShape, responses=ListColumnsShape
    )
    def post(self, request: Request, slug: str) -> Response:
        """Remember what lists with these columns are taken for, in this network."""
        network = network_for(request, slug, Role.EDITOR)
        said = checked(ListColumnsShape, request.data)
        kind = KINDS.get(said["kind"] or "")
        if kind is None:
            raise UploadRefused("choose what the list is of")
        strangers = [name for name in said["taken"] if name not in kind.columns]
        own = [name for name in said["taken"].values() if name not in said["header"]]
        if strangers or own:
            raise UploadRefused(f"there is no column “{(strangers or own)[0]}”")
        missing = [name for name in kind.needed if name not in said["taken"]]
        if missing:
            raise UploadRefused(f"say which column is the {missing[0]}")
        with transaction.atomic():
            held = Network.objects.select_for_update().get(pk=network.pk)
            key = ",".join(said["header"])
            held.lists.pop(key, None)
            held.lists[key] = {"kind": kind.name, "taken": said["taken"]}
            while len(held.lists) > _MOST_LISTS:
                del held.lists[next(iter(held.lists))]
            held.save(update_fields=["lists"])
        note(request, "import", f"told what lists with {len(said['header'])} columns are", network)
        return Response(said)

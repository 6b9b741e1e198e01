"""Changes: made, edited by several people, undone, dropped, carried between files and accepted."""

from __future__ import annotations

from typing import Any

from django.http import HttpResponse
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiResponse, extend_schema
from rest_framework import serializers, status
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from routrel.answers.base import data
from routrel.answers.change_sheet import ChangeSheetData
from routrel.answers.changes import SeenChangeData, edit_data, edits_of
from routrel.answers.findings import FindingData
from routrel.files.reader import read_change
from routrel.files.writer import write_change
from routrel.model.changes import Change as EngineChange
from server.networks.access import job_for, network_for, user_id
from server.networks.api.asked import answered
from server.networks.api.errors import ErrorShape, Fault
from server.networks.api.jobs import JobShape
from server.networks.api.lens import LENS, lens_in
from server.networks.api.parsing import checked
from server.networks.api.refusals import Whole
from server.networks.api.running import begin
from server.networks.api.typed import answer_field, described
from server.networks.audit import note
from server.networks.changes import (
    MOST_EDITS,
    ChangeRefused,
    Outdated,
    drop_change,
    make_change,
    named_change,
    say,
    step_to,
    take_back,
    written_changes,
)
from server.networks.jobs import start_job
from server.networks.models import Change, Job, Role
from server.networks.questions import saved_now

__all__ = [
    "AcceptListView",
    "AcceptView",
    "ChangeBackView",
    "ChangeFileView",
    "ChangeImportView",
    "ChangeListView",
    "ChangeSeenView",
    "ChangeStepView",
    "ChangeView",
    "SheetListView",
    "SheetView",
]

_NAME = r"^[A-Za-z0-9](?:[A-Za-z0-9._-]*[A-Za-z0-9])?$"
_LONGEST_PURPOSE = 1000


class StepShape(serializers.Serializer):
    """What was done to a change, when and by whom."""

    number = serializers.IntegerField()
    text = serializers.CharField()
    author = serializers.CharField(
        source="author.username", default=None, allow_null=True, read_only=True
    )
    created = serializers.DateTimeField()


class ChangeShape(serializers.ModelSerializer):
    """A change, without its edits.

    `version` is another one after whatever was done to it. `below` is the change that is made
    before this one; `revision` the one on whose files it was written; `became` the one that it was
    accepted as.
    """

    author = serializers.CharField(
        source="author.username", default=None, allow_null=True, read_only=True
    )
    purpose = serializers.CharField(source="said.purpose", read_only=True)
    edits = serializers.SerializerMethodField()
    revision = serializers.IntegerField(
        source="written_on.number", default=None, allow_null=True, read_only=True
    )
    below = serializers.CharField(
        source="below.name", default=None, allow_null=True, read_only=True
    )
    became = serializers.IntegerField(
        source="became.number", default=None, allow_null=True, read_only=True
    )
    edited = serializers.DateTimeField(source="said.created", read_only=True)
    edited_by = serializers.CharField(
        source="said.author.username", default=None, allow_null=True, read_only=True
    )

    class Meta:
        model = Change
        fields = (
            "name", "purpose", "edits", "author", "created", "edited", "edited_by", "revision",
            "below", "became", "accepted", "version",
        )  # fmt: skip
        read_only_fields = fields

    def get_edits(self, change: Change) -> int:
        """How many edits it has."""
        return len(change.said.edits)


class ChangeStepsShape(ChangeShape):
    """The same with what was done to it; what is behind `step`, where it stands, can be redone."""

    step = serializers.IntegerField(read_only=True)
    steps = StepShape(many=True, read_only=True)

    class Meta(ChangeShape.Meta):
        fields = (*ChangeShape.Meta.fields, "step", "steps")  # type: ignore[assignment]
        read_only_fields = fields  # type: ignore[assignment]


class NewChangeShape(serializers.Serializer):
    """Without a name it is named after its purpose."""

    name = serializers.RegexField(_NAME, max_length=80, required=False)
    purpose = serializers.CharField(
        required=False, default="", max_length=_LONGEST_PURPOSE, allow_blank=True
    )
    edits = serializers.ListField(
        child=serializers.DictField(), required=False, default=list, max_length=MOST_EDITS
    )
    below = serializers.CharField(required=False, allow_null=True, default=None, max_length=80)


class ChangeSaysShape(serializers.Serializer):
    """What a change says from now on. `version` is the one that this was made of."""

    version = Whole(1, 10**9)
    purpose = serializers.CharField(max_length=_LONGEST_PURPOSE, allow_blank=True)
    edits = serializers.ListField(child=serializers.DictField(), max_length=MOST_EDITS)
    text = serializers.CharField(max_length=200, help_text="what was done, in a few words")


class VersionShape(serializers.Serializer):
    version = Whole(1, 10**9)


class ChangeListView(APIView):
    @extend_schema(operation_id="changes", responses=ChangeShape(many=True))
    def get(self, request: Request, slug: str) -> Response:
        """The network's changes, the newest first; dropped ones are left out."""
        changes = network_for(request, slug).changes.filter(dropped=None)
        found = changes.select_related("author", "written_on", "below", "became")
        return Response(ChangeShape(found, many=True).data)

    @extend_schema(
        operation_id="make_change",
        parameters=LENS,
        request=NewChangeShape,
        responses={201: ChangeStepsShape},
    )
    def post(self, request: Request, slug: str) -> Response:
        """A new change of the lens's revision; takes an editor."""
        network = network_for(request, slug, Role.EDITOR)
        asked = checked(NewChangeShape, request.data)
        below = named_change(network, asked["below"]) if asked["below"] else None
        change = make_change(
            network,
            user_id(request),
            lens_in(request, slug).revision,
            name=asked.get("name", ""),
            purpose=asked["purpose"],
            edits=_stored(asked["edits"]),
            below=below,
        )
        note(request, "change", f"made the change {change.name}", network)
        return Response(ChangeStepsShape(change).data, status=status.HTTP_201_CREATED)


class ChangeView(APIView):
    @extend_schema(operation_id="change", responses=ChangeStepsShape)
    def get(self, request: Request, slug: str, name: str) -> Response:
        """A change with what was done to it."""
        return Response(ChangeStepsShape(named_change(network_for(request, slug), name)).data)

    @extend_schema(
        operation_id="edit_change",
        parameters=LENS,
        request=ChangeSaysShape,
        responses=ChangeStepsShape,
    )
    def put(self, request: Request, slug: str, name: str) -> Response:
        """Let a change say something else; takes an editor.

        Where somebody else did so meanwhile it is refused (409, `edited_meanwhile`).
        """
        network = network_for(request, slug, Role.EDITOR)
        asked = checked(ChangeSaysShape, request.data)
        change = _at(
            lambda: say(
                named_change(network, name),
                asked["version"],
                user_id(request),
                purpose=asked["purpose"],
                edits=_stored(asked["edits"]),
                text=asked["text"],
                revision=lens_in(request, slug).revision,
            )
        )
        note(request, "change", f"edited the change {name}: {asked['text']}", network)
        return Response(ChangeStepsShape(change).data)

    @extend_schema(operation_id="drop_change", parameters=[VersionShape], responses={204: None})
    def delete(self, request: Request, slug: str, name: str) -> Response:
        """Drop a change; takes an editor. For a day it can be taken back."""
        network = network_for(request, slug, Role.EDITOR)
        version = checked(VersionShape, request.query_params)["version"]
        _at(lambda: drop_change(named_change(network, name), version))
        note(request, "change", f"dropped the change {name}", network)
        return Response(status=status.HTTP_204_NO_CONTENT)


class ChangeBackView(APIView):
    @extend_schema(operation_id="take_change_back", request=None, responses=ChangeStepsShape)
    def post(self, request: Request, slug: str, name: str) -> Response:
        """Take back that a change was dropped, within a day; takes an editor."""
        change = take_back(network_for(request, slug, Role.EDITOR), name)
        return Response(ChangeStepsShape(change).data)


class ChangeStepView(APIView):
    @extend_schema(operation_id="step_change", request=VersionShape, responses=ChangeStepsShape)
    def post(self, request: Request, slug: str, name: str, way: str) -> Response:
        """Undo or redo the last thing done to a change; takes an editor."""
        network = network_for(request, slug, Role.EDITOR)
        version = checked(VersionShape, request.data)["version"]
        onward = -1 if way == "undo" else 1
        change = _at(lambda: step_to(named_change(network, name), version, onward))
        return Response(ChangeStepsShape(change).data)


class ChangeSeenView(APIView):
    @extend_schema(
        operation_id="change_seen",
        parameters=LENS,
        responses={200: described(SeenChangeData)},
    )
    def get(self, request: Request, slug: str, name: str) -> HttpResponse:
        """What a change does to the lens's files, edit by edit, and where it does not fit them.

        The lens is what the change is made to: what it stands on is made first, it is not.
        """
        network = network_for(request, slug)
        *below, says = written_changes(network, [name])
        return answered(request, slug, "change", below=below, **says)


# --- change files --------------------------------------------------------------------------------


class ChangeTextShape(serializers.Serializer):
    text = serializers.CharField(max_length=4_000_000, trim_whitespace=False)


class ChangeImportView(APIView):
    @extend_schema(
        operation_id="import_change",
        parameters=LENS,
        request=ChangeTextShape,
        responses={201: ChangeStepsShape},
    )
    def post(self, request: Request, slug: str) -> Response:
        """A change from the text of a change file; takes an editor."""
        network = network_for(request, slug, Role.EDITOR)
        text = checked(ChangeTextShape, request.data)["text"]
        read, problems = read_change(text, "the change file")
        if read is None or problems:
            first = problems[0]
            more = f" ({len(problems) - 1} more problems)" if len(problems) > 1 else ""
            raise Fault(
                400, "change_unreadable", f"{first.place}: {first.text}{more}", first.suggestion
            )
        if len(read.edits) > MOST_EDITS:
            raise ChangeRefused(f"a change has at most {MOST_EDITS} edits")
        change = make_change(
            network,
            user_id(request),
            lens_in(request, slug).revision,
            like="" if "/" in read.name else read.name,
            purpose=read.purpose[:_LONGEST_PURPOSE],
            edits=[data(edit_data(edit)) for edit in read.edits],
            text=f"read from the change file of {read.name}",
        )
        return Response(ChangeStepsShape(change).data, status=status.HTTP_201_CREATED)


class ChangeFileView(APIView):
    @extend_schema(
        operation_id="change_file",
        responses={
            (200, "application/yaml"): OpenApiTypes.STR,
            409: OpenApiResponse(ErrorShape, "it has no edits yet"),
        },
    )
    def get(self, request: Request, slug: str, name: str) -> HttpResponse:
        """A change as a change file."""
        change = named_change(network_for(request, slug), name)
        said = change.said
        if not said.edits:
            raise ChangeRefused("it has no edits yet; a change file has at least one")
        text = write_change(
            EngineChange(name=change.name, purpose=said.purpose, edits=edits_of(said.edits))
        )
        return HttpResponse(
            text,
            content_type="application/yaml",
            headers={"Content-Disposition": f'attachment; filename="{change.name}.yaml"'},
        )


# --- jobs ----------------------------------------------------------------------------------------


class SheetAnswerShape(serializers.Serializer):
    sheet = answer_field(ChangeSheetData)
    markdown = serializers.CharField()


class SheetJobShape(JobShape):
    """`done` counts the networks computed between steps."""

    answer = SheetAnswerShape(allow_null=True)


class SheetListView(APIView):
    @extend_schema(
        operation_id="make_sheet", parameters=LENS, request=None, responses={202: SheetJobShape}
    )
    def post(self, request: Request, slug: str, name: str) -> Response:
        """The sheet of a change, made to the lens: a job."""
        network = network_for(request, slug)
        lens = lens_in(request, slug)
        above = written_changes(network, [name])
        known = [one for one in lens.written.get("changes", ()) if one not in above]
        if not above[-1]["edits"]:
            raise ChangeRefused("it has no edits yet")
        asked = {
            "lens": {**lens.written, "changes": [*known, *above]},
            "saved": saved_now(network),
        }
        job = begin(
            request, Job.Kind.SHEET, network, lens.revision, asked,
            said=f"made the sheet of {name}",
        )  # fmt: skip
        return Response(SheetJobShape(job).data, status=status.HTTP_202_ACCEPTED)


class SheetView(APIView):
    @extend_schema(operation_id="change_sheet", responses=SheetJobShape)
    def get(self, request: Request, pk: int) -> Response:
        return Response(SheetJobShape(job_for(request, pk, Job.Kind.SHEET)).data)


class AcceptShape(serializers.Serializer):
    """What is accepted: a version of the change, for a reason that the revision's note keeps."""

    version = Whole(1, 10**9)
    reason = serializers.CharField(max_length=1000, allow_blank=True, default="")


class AcceptedShape(serializers.Serializer):
    problems = serializers.ListField(child=answer_field(FindingData))
    revision = serializers.IntegerField(allow_null=True)


class AcceptJobShape(JobShape):
    answer = AcceptedShape(allow_null=True)


class AcceptListView(APIView):
    @extend_schema(
        operation_id="accept_change", request=AcceptShape, responses={202: AcceptJobShape}
    )
    def post(self, request: Request, slug: str, name: str) -> Response:
        """Make the newest revision's files, with a change made to them, the next one: a job.

        Takes an editor. What the change stands on is accepted first.
        """
        network = network_for(request, slug, Role.EDITOR)
        asked = checked(AcceptShape, request.data)
        change = named_change(network, name)
        newest = network.revisions.first()
        if change.became_id is not None or newest is None:
            raise ChangeRefused("it is accepted already")
        if change.version != asked["version"]:
            raise _edited_meanwhile(change)
        *below, says = written_changes(network, [name])
        if below:
            raise ChangeRefused(f"it stands on {below[-1]['name']}; accept that one first")
        job = start_job(
            Job.Kind.ACCEPT,
            network,
            user_id(request),
            revision=newest,
            question={
                "name": name,
                "version": asked["version"],
                "says": says,
                "reason": asked["reason"] or says["purpose"],
            },
        )
        note(request, "accept", f"accepted the change {name}: job {job.pk}", network)
        return Response(AcceptJobShape(job).data, status=status.HTTP_202_ACCEPTED)


class AcceptView(APIView):
    @extend_schema(operation_id="accepted_change", responses=AcceptJobShape)
    def get(self, request: Request, pk: int) -> Response:
        return Response(AcceptJobShape(job_for(request, pk, Job.Kind.ACCEPT)).data)


# --- common --------------------------------------------------------------------------------------


def _stored(edits: list[dict[str, Any]]) -> list[Any]:
    """Edits in their one written form.

    Raises:
        BadEdit: one is none.
    """
    return [data(edit_data(edit)) for edit in edits_of(edits)]


def _at(do: Any) -> Any:
    """Do something to a change, unless somebody else was quicker."""
    try:
        return do()
    except Outdated as error:
        raise _edited_meanwhile(error.change) from error


def _edited_meanwhile(change: Change) -> Fault:
    said = change.said
    who = said.author.get_username() if said.author else "somebody"
    what = "dropped it" if change.dropped else f"did this: {said.text}"
    return Fault(
        409, "edited_meanwhile", f"{who} {what}, after you read the change",
        "look at the change as it is now; what you wrote is kept here",
    )  # fmt: skip

"""Promises: those kept here, how all of them stand in a lens, and what uses what."""

from __future__ import annotations

import csv
import io
from typing import Any

import yaml
from django.db import IntegrityError, transaction
from django.http import Http404, HttpResponse
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework import serializers, status
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from routrel.answers.impact import ImpactData
from routrel.answers.promises import PromisesData
from routrel.answers.sweeps import SweepData
from routrel.files.promise_sentences import BadSentence, read_sentence
from routrel.files.reader import read_texts
from routrel.model.failures import FailureKind
from routrel.model.findings import Severity
from routrel.questions.sweep.breaking import MOST_IN_A_SET
from server.networks.access import job_for, network_for, plain, user_id
from server.networks.api.asked import answered
from server.networks.api.errors import Fault
from server.networks.api.jobs import JobShape
from server.networks.api.lens import LENS, lens_in
from server.networks.api.parsing import checked
from server.networks.api.refusals import Truth, Whole
from server.networks.api.running import begin
from server.networks.api.typed import answer_field, described
from server.networks.audit import note
from server.networks.lenses import failures_in
from server.networks.models import Job, Network, PromiseVerdict, Role, StoredPromise
from server.networks.promises import promise_key, stored_now

__all__ = [
    "ImpactView",
    "PromiseCheckListView",
    "PromiseCheckView",
    "PromiseFileView",
    "PromiseHistoryView",
    "PromiseListView",
    "PromiseView",
    "SweepListView",
    "SweepView",
]

#: Verdicts of one promise that are told at a time.
_LISTED = 500
_FIELDS = ("name", "sentence", "severity", "owner", "folder", "note")


class PromiseShape(serializers.ModelSerializer):
    """A promise that is kept here, whatever is imported."""

    name = serializers.RegexField(r"^[A-Za-z0-9](?:[A-Za-z0-9._/-]*[A-Za-z0-9])?$", max_length=80)
    sentence = serializers.CharField(max_length=1000)
    severity = serializers.ChoiceField([one.value for one in Severity], default="error")
    author = serializers.CharField(
        source="author.username", default=None, read_only=True, allow_null=True
    )

    class Meta:
        model = StoredPromise
        fields = (*_FIELDS, "author", "created")
        read_only_fields = ("created",)

    def validate_sentence(self, sentence: str) -> str:
        """A sentence that says something."""
        try:
            read_sentence(sentence)
        except BadSentence as error:
            raise Fault(400, "bad_promise", error.text, error.suggestion) from error
        return sentence


class PromiseListView(APIView):
    @extend_schema(operation_id="stored_promises", responses=PromiseShape(many=True))
    def get(self, request: Request, slug: str) -> Response:
        """The promises that are kept here; those of the network's files stand in these."""
        return Response(PromiseShape(network_for(request, slug).promises.all(), many=True).data)

    @extend_schema(operation_id="make_promise", request=PromiseShape, responses={201: PromiseShape})
    def post(self, request: Request, slug: str) -> Response:
        """Keep a promise; takes an editor."""
        network = network_for(request, slug, Role.EDITOR)
        said = checked(PromiseShape, request.data)
        try:
            with transaction.atomic():
                made = StoredPromise.objects.create(
                    network=network, author_id=user_id(request), **said
                )
        except IntegrityError as error:
            raise _taken(said["name"]) from error
        note(request, "promises", f"promised {made.name}: {made.sentence}", network)
        return Response(PromiseShape(made).data, status=status.HTTP_201_CREATED)


def _taken(name: str) -> Fault:
    return Fault(409, "name_taken", f"there is a promise {name} already", "give it another name")


class PromiseView(APIView):
    @extend_schema(operation_id="edit_promise", request=PromiseShape, responses=PromiseShape)
    def put(self, request: Request, slug: str, name: str) -> Response:
        """Say a promise that is kept here otherwise; takes an editor."""
        network = network_for(request, slug, Role.EDITOR)
        said = checked(PromiseShape, request.data)
        try:
            with transaction.atomic():
                count = network.promises.filter(name=plain(name)).update(**said)
        except IntegrityError as error:
            raise _taken(said["name"]) from error
        if not count:
            raise Http404(f"no promise {name} is kept here; one of the files is changed there")
        note(request, "promises", f"said {said['name']} anew: {said['sentence']}", network)
        return Response(PromiseShape(network.promises.get(name=said["name"])).data)

    @extend_schema(operation_id="drop_promise", responses={204: None})
    def delete(self, request: Request, slug: str, name: str) -> Response:
        """Keep a promise no more; takes an editor."""
        network = network_for(request, slug, Role.EDITOR)
        dropped, _ = network.promises.filter(name=plain(name)).delete()
        if not dropped:
            raise Http404(f"no promise {name} is kept here")
        note(request, "promises", f"dropped the promise {name}", network)
        return Response(status=status.HTTP_204_NO_CONTENT)


# --- files ------------------------------------------------------------------------------------


class PromiseTextShape(serializers.Serializer):
    #: Less than a request of JSON holds, so that it is this which is refused.
    text = serializers.CharField(max_length=500_000, trim_whitespace=False)


class PromiseFileView(APIView):
    @extend_schema(
        operation_id="promise_file",
        parameters=[
            OpenApiParameter("as", str, enum=["yaml", "csv"], description="yaml if left out")
        ],
        responses={(200, "text/plain"): str, (200, "text/csv"): str},
    )
    def get(self, request: Request, slug: str) -> HttpResponse:
        """The promises that are kept here as a file of promises, or as a table with commas."""
        network = network_for(request, slug)
        kind = request.query_params.get("as", "yaml")
        if kind not in ("yaml", "csv"):
            raise Fault(400, "bad_request", "as is neither yaml nor csv", "write as=csv")
        if kind == "csv":
            return HttpResponse(_as_csv(network), content_type="text/csv; charset=utf-8")
        return HttpResponse(_as_yaml(network), content_type="text/plain; charset=utf-8")

    @extend_schema(
        operation_id="import_promises",
        request=PromiseTextShape,
        responses={200: PromiseShape(many=True)},
    )
    def post(self, request: Request, slug: str) -> Response:
        """Keep the promises of a file; those of the same name are said anew. Takes an editor."""
        network = network_for(request, slug, Role.EDITOR)
        text = checked(PromiseTextShape, request.data)["text"]
        reading = read_texts({"promises.yaml": text})
        if reading.problems:
            first = reading.problems[0]
            raise Fault(
                400, "bad_promises", f"line {first.place.line}: {first.text}", first.suggestion
            )
        with transaction.atomic():
            for one in reading.promises:
                said = {
                    "sentence": one.sentence, "severity": one.severity.value,
                    "owner": one.owner, "folder": one.folder, "note": one.note,
                }  # fmt: skip
                StoredPromise.objects.update_or_create(
                    network=network,
                    name=one.name,
                    defaults=said,
                    create_defaults={**said, "author_id": user_id(request)},
                )
        note(request, "promises", f"imported {len(reading.promises)} promises", network)
        return Response(PromiseShape(network.promises.all(), many=True).data)


def _as_yaml(network: Network) -> str:
    promises = {
        name: {
            "promise": sentence,
            **({"severity": severity} if severity != "error" else {}),
            **{k: v for k, v in (("owner", owner), ("folder", folder), ("note", note)) if v},
        }
        for name, sentence, severity, owner, folder, note in stored_now(network)
    }
    said = {"routrel": 1, "promises": promises}
    return str(yaml.safe_dump(said, sort_keys=False, allow_unicode=True, width=100))


def _as_csv(network: Network) -> str:
    out = io.StringIO()
    writer = csv.writer(out)
    writer.writerow(_FIELDS)
    # What a spreadsheet would take for a formula is told as text.
    for row in stored_now(network):
        writer.writerow([f"'{one}" if one[:1] in "=+-@\t\r" and one else one for one in row])
    return out.getvalue()


# --- checking ---------------------------------------------------------------------------------


class PromiseCheckAskedShape(serializers.Serializer):
    failures = Truth(default=False, help_text="whether to try what is survived")


class PromiseCheckShape(JobShape):
    answer = answer_field(PromisesData | None)


class PromiseCheckListView(APIView):
    @extend_schema(
        operation_id="check_promises",
        parameters=LENS,
        request=PromiseCheckAskedShape,
        responses={202: PromiseCheckShape},
    )
    def post(self, request: Request, slug: str) -> Response:
        """How all promises stand in a lens: a job; an equal one that is done is given again."""
        lens = lens_in(request, slug)
        network = lens.revision.network
        failures_in(lens.written.get("fail", ()))
        asked = checked(PromiseCheckAskedShape, request.data)
        job = begin(
            request, Job.Kind.PROMISES, network, lens.revision,
            {"lens": lens.written, **asked, **promise_key(network)},
            said="checked the promises" + " under failures" * asked["failures"],
        )  # fmt: skip
        return Response(PromiseCheckShape(job).data, status=status.HTTP_202_ACCEPTED)


class PromiseCheckView(APIView):
    @extend_schema(operation_id="promise_check", responses=PromiseCheckShape)
    def get(self, request: Request, pk: int) -> Response:
        return Response(PromiseCheckShape(job_for(request, pk, Job.Kind.PROMISES)).data)


class VerdictShape(serializers.Serializer):
    """How a promise stood in a revision; `changes` and `failed` are of the lens, if any.

    `checked` is when that was found out, `created` when the revision was made.
    """

    revision = serializers.IntegerField(source="revision.number")
    created = serializers.DateTimeField(source="revision.created")
    checked = serializers.DateTimeField()
    changes = serializers.SerializerMethodField()
    failed = serializers.SerializerMethodField()
    name = serializers.CharField()
    sentence = serializers.CharField()
    kept = serializers.BooleanField()
    why = serializers.CharField()

    def get_changes(self, verdict: PromiseVerdict) -> list[str]:
        return [change["name"] for change in verdict.lens.get("changes", ())]

    def get_failed(self, verdict: PromiseVerdict) -> list[str]:
        return list(verdict.lens.get("fail", ()))


class PromiseHistoryView(APIView):
    @extend_schema(operation_id="promise_history", responses=VerdictShape(many=True))
    def get(self, request: Request, slug: str, name: str) -> Response:
        """How a promise stood in every revision in which it was checked, the newest first.

        Of each revision it is told first how it stood as it is, then through other lenses.
        """
        network = network_for(request, slug)
        found = (
            PromiseVerdict.objects.filter(revision__network=network, name=plain(name))
            .select_related("revision")
            .order_by("-revision__number", "lens_key")[:_LISTED]
        )
        return Response(VerdictShape(found, many=True).data)


# --- what uses what -----------------------------------------------------------------------------


class ImpactShape(serializers.Serializer):
    device = serializers.CharField(max_length=200, required=False)
    interface = serializers.CharField(max_length=200, required=False, help_text="of the device")
    link = serializers.CharField(max_length=200, required=False)
    network = serializers.CharField(max_length=200, required=False, help_text="an outside one")
    rule = serializers.CharField(
        max_length=300, required=False, help_text="as “gul-edge-1 filter guests rule 20”"
    )
    neighbour = serializers.CharField(
        max_length=60, required=False, help_text="the address of a BGP neighbour, of the device"
    )
    prefix = serializers.CharField(max_length=60, required=False)
    file = serializers.CharField(
        max_length=400, required=False, help_text="with a line: whatever stands there"
    )
    line = Whole(1, 10**7, required=False)

    def validate(self, attrs: Any) -> Any:
        """Something has to be named."""
        if not attrs:
            raise serializers.ValidationError(
                "name a device, link, network, rule, neighbour, prefix, or a file and a line"
            )
        if ("file" in attrs) != ("line" in attrs) or ("file" in attrs and len(attrs) > 2):
            raise serializers.ValidationError("name a file and a line of it, and nothing else")
        if "interface" in attrs and "device" not in attrs:
            raise serializers.ValidationError("name the device of the interface")
        return attrs


class ImpactView(APIView):
    @extend_schema(
        operation_id="impact",
        parameters=[*LENS, ImpactShape],
        responses={200: described(ImpactData)},
    )
    def get(self, request: Request, slug: str) -> HttpResponse:
        """The promises that use a device, an interface, a link, a network, a rule, a session or a
        prefix; or whatever stands at a line of a file."""
        network = network_for(request, slug)
        used = checked(ImpactShape, request.query_params)
        return answered(request, slug, "impact", used=used, stored=stored_now(network))


# --- sweeps -------------------------------------------------------------------------------------


class SweepAskedShape(serializers.Serializer):
    kinds = serializers.ListField(
        child=serializers.ChoiceField(
            [kind.value for kind in FailureKind if kind is not FailureKind.DIRECTION]
        ),
        min_length=1,
        max_length=7,
    )
    pairs = Truth(default=False, help_text="every two of them as well")
    promise = serializers.CharField(
        max_length=80, default="", allow_blank=True,
        help_text="of which all smallest sets that break it are searched for",
    )  # fmt: skip
    size = Whole(1, MOST_IN_A_SET, default=MOST_IN_A_SET, help_text="of these sets, at most")
    before = Truth(default=False, help_text="the same without the lens's changes as well")


class SweepShape(JobShape):
    answer = answer_field(SweepData | None)


class SweepListView(APIView):
    @extend_schema(
        operation_id="sweep_failures",
        parameters=LENS,
        request=SweepAskedShape,
        responses={202: SweepShape},
    )
    def post(self, request: Request, slug: str) -> Response:
        """What every failure of some kinds does to what is promised: a job. One that was stopped
        goes on where it was."""
        lens = lens_in(request, slug)
        network = lens.revision.network
        failures_in(lens.written.get("fail", ()))
        asked = checked(SweepAskedShape, request.data)
        asked["kinds"] = sorted(set(asked["kinds"]))
        if asked["before"] and not lens.written.get("changes"):
            raise Fault(
                400, "no_change", "there is no change to look before", "name one with change="
            )
        if not asked["promise"]:
            asked["size"] = 0  # which says nothing then: equal questions have equal answers
        kinds = ", ".join(asked["kinds"])
        job = begin(
            request, Job.Kind.SWEEP, network, lens.revision,
            {"lens": lens.written, **asked, **promise_key(network)},
            said=f"swept {'pairs of ' * asked['pairs']}{kinds}", action="sweep",
        )  # fmt: skip
        return Response(SweepShape(job).data, status=status.HTTP_202_ACCEPTED)


class SweepView(APIView):
    @extend_schema(operation_id="sweep", responses=SweepShape)
    def get(self, request: Request, pk: int) -> Response:
        return Response(SweepShape(job_for(request, pk, Job.Kind.SWEEP)).data)

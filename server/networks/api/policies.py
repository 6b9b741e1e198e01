"""Questions about BGP sessions and routing policies."""

from __future__ import annotations

from django.http import HttpResponse
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.views import APIView

from routrel.answers.bounce import BounceData
from routrel.answers.policies import PolicyData, PolicyTrialData
from routrel.answers.sessions import BgpSessionListData
from server.networks.api.asked import answered
from server.networks.api.lens import LENS
from server.networks.api.parsing import checked
from server.networks.api.typed import described

__all__ = ["BounceView", "PolicyListView", "PolicyTrialView", "SessionListView"]


class SessionListView(APIView):
    @extend_schema(
        operation_id="sessions", parameters=LENS, responses={200: described(BgpSessionListData)}
    )
    def get(self, request: Request, slug: str) -> HttpResponse:
        """Every BGP neighbour: whether its session is up, and if not, why."""
        return answered(request, slug, "sessions")


class BounceQuestionShape(serializers.Serializer):
    device = serializers.CharField(max_length=200)
    vrf = serializers.CharField(max_length=200, required=False, default="default")
    neighbour = serializers.CharField(max_length=200, help_text="its address")


class BounceView(APIView):
    @extend_schema(
        operation_id="bounce",
        parameters=[*LENS, BounceQuestionShape],
        responses={200: described(BounceData)},
    )
    def get(self, request: Request, slug: str) -> HttpResponse:
        """What moves while a session is down, and what is otherwise once it is back."""
        return answered(
            request, slug, "bounce", **checked(BounceQuestionShape, request.query_params)
        )


class PolicyListView(APIView):
    @extend_schema(
        operation_id="policies", parameters=LENS, responses={200: described(list[PolicyData])}
    )
    def get(self, request: Request, slug: str) -> HttpResponse:
        """Every routing policy, and where it is bound."""
        return answered(request, slug, "policies")


class PolicyQuestionShape(serializers.Serializer):
    device = serializers.CharField(max_length=200)
    policy = serializers.CharField(max_length=200)
    route = serializers.DictField(help_text="the route, in the words of the device files")


class PolicyTrialView(APIView):
    @extend_schema(
        operation_id="try_policy",
        parameters=LENS,
        request=PolicyQuestionShape,
        responses={200: described(PolicyTrialData)},
    )
    def post(self, request: Request, slug: str) -> HttpResponse:
        """One route through one policy, statement by statement. Nothing is changed by it."""
        return answered(request, slug, "try-policy", **checked(PolicyQuestionShape, request.data))

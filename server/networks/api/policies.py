"""Questions about BGP sessions and routing policies."""

from __future__ import annotations

from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from routrel.questions.bounce import bounce_data
from routrel.questions.policies import policies_data, read_route, try_policy
from routrel.questions.sessions import sessions_data
from server.networks.access import revision_for
from server.networks.api.answers import LENS, state_of
from server.networks.api.shapes import (
    BgpSessionListShape,
    BounceShape,
    PolicyShape,
    PolicyTrialShape,
)

__all__ = ["BounceView", "PolicyListView", "PolicyTrialView", "SessionListView"]


class SessionListView(APIView):
    @extend_schema(operation_id="sessions", parameters=LENS, responses=BgpSessionListShape)
    def get(self, request: Request, slug: str) -> Response:
        """Every BGP neighbour: whether its session is up, and if not, why."""
        return Response(sessions_data(state_of(revision_for(request, slug))))


class BounceView(APIView):
    @extend_schema(
        operation_id="bounce",
        parameters=[
            *LENS,
            OpenApiParameter("device", str, required=True),
            OpenApiParameter("vrf", str, description="left out: default"),
            OpenApiParameter("neighbour", str, required=True, description="its address"),
        ],
        responses=BounceShape,
    )
    def get(self, request: Request, slug: str) -> Response:
        """What moves while a session is down, and what is otherwise once it is back."""
        state = state_of(revision_for(request, slug))
        asked = request.query_params
        device, vrf = asked.get("device", ""), asked.get("vrf", "default")
        return Response(bounce_data(state, device, vrf, asked.get("neighbour", "")))


class PolicyListView(APIView):
    @extend_schema(operation_id="policies", parameters=LENS, responses=PolicyShape(many=True))
    def get(self, request: Request, slug: str) -> Response:
        """Every routing policy, and where it is bound."""
        return Response(policies_data(state_of(revision_for(request, slug)).network))


class PolicyQuestionShape(serializers.Serializer):
    device = serializers.CharField(max_length=200)
    policy = serializers.CharField(max_length=200)
    route = serializers.DictField(help_text="the route, in the words of the device files")


class PolicyTrialView(APIView):
    @extend_schema(
        operation_id="try_policy",
        parameters=LENS,
        request=PolicyQuestionShape,
        responses=PolicyTrialShape,
    )
    def post(self, request: Request, slug: str) -> Response:
        """One route through one policy, statement by statement. Nothing is changed by it."""
        state = state_of(revision_for(request, slug))
        shape = PolicyQuestionShape(data=request.data)
        shape.is_valid(raise_exception=True)
        asked = shape.validated_data
        route = read_route(dict(asked["route"]))
        return Response(try_policy(state.network, asked["device"], asked["policy"], route))

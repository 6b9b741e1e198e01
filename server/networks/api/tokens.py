"""Tokens: what programs show instead of a password."""

from __future__ import annotations

import secrets
from datetime import timedelta

from django.db import transaction
from django.http import Http404
from django.utils import timezone
from drf_spectacular.utils import extend_schema
from rest_framework import serializers, status
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from server.networks.access import memberships_of, session_only, user_id
from server.networks.api.parsing import checked
from server.networks.api.refusals import Whole
from server.networks.audit import note
from server.networks.authentication import hashed
from server.networks.models import ApiToken, Network, TokenScope

__all__ = ["TokenListView", "TokenView"]

_LONGEST_DAYS = 366


class TokenShape(serializers.ModelSerializer):
    """A token without what it says; that is shown once, when it is made."""

    networks: serializers.Field = serializers.SlugRelatedField(
        slug_field="slug", many=True, read_only=True
    )

    class Meta:
        model = ApiToken
        fields = (
            "id", "name", "scope", "networks", "created", "expires", "revoked", "last_used",
            "last_address",
        )  # fmt: skip


class TokenAskedShape(serializers.Serializer):
    name = serializers.CharField(max_length=80)
    scope = serializers.ChoiceField(TokenScope.choices)
    networks = serializers.ListField(
        child=serializers.SlugField(max_length=60), min_length=1, max_length=100
    )
    days = Whole(1, _LONGEST_DAYS, "days", default=90)


class MadeTokenShape(TokenShape):
    """A token that was just made, with what to show."""

    secret = serializers.CharField()

    class Meta:
        model = ApiToken
        fields = (*TokenShape.Meta.fields, "secret")


class TokenListView(APIView):
    @extend_schema(operation_id="tokens_list", responses=TokenShape(many=True))
    def get(self, request: Request) -> Response:
        """Your tokens, the newest first, those that have ended too."""
        session_only(request)
        tokens = ApiToken.objects.filter(user_id=user_id(request)).prefetch_related("networks")
        return Response(TokenShape(tokens, many=True).data)

    @extend_schema(
        operation_id="tokens_make", request=TokenAskedShape, responses={201: MadeTokenShape}
    )
    def post(self, request: Request) -> Response:
        """Make a token. What it says is in this answer and nowhere else."""
        session_only(request)
        asked = checked(TokenAskedShape, request.data)
        slugs = set(asked["networks"])
        mine = memberships_of(request).filter(network__slug__in=slugs).values("network")
        networks = list(Network.objects.filter(pk__in=mine))
        if len(networks) != len(slugs):
            missing = sorted(slugs - {network.slug for network in networks})
            raise Http404(f"you are no member of {', '.join(missing)}")
        secret = f"routrel_{secrets.token_urlsafe(32)}"
        with transaction.atomic():
            token = ApiToken.objects.create(
                user_id=user_id(request),
                name=asked["name"],
                scope=asked["scope"],
                hashed=hashed(secret),
                expires=timezone.now() + timedelta(days=asked["days"]),
            )
            token.networks.set(networks)
            for network in networks:
                note(request, "token", f"made the token {token.name} to {token.scope}", network)
        told = {**TokenShape(token).data, "secret": secret}
        return Response(told, status=status.HTTP_201_CREATED)


class TokenView(APIView):
    @extend_schema(operation_id="tokens_revoke", responses={204: None})
    def delete(self, request: Request, pk: int) -> Response:
        """End a token of yours now."""
        session_only(request)
        token = ApiToken.objects.filter(pk=min(pk, 2**62), user_id=user_id(request)).first()
        if token is None:
            raise Http404("there is no such token of yours")
        if token.revoked is None:
            ApiToken.objects.filter(pk=token.pk).update(revoked=timezone.now())
            for network in token.networks.all():
                note(request, "token", f"revoked the token {token.name}", network)
        return Response(status=status.HTTP_204_NO_CONTENT)

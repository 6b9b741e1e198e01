"""Where things stand on a network's chart: kept for everybody who looks at it."""

from __future__ import annotations

import math
from typing import Any

from django.db import transaction
from drf_spectacular.utils import extend_schema
from rest_framework import serializers, status
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from server.networks.access import network_for
from server.networks.api.parsing import checked
from server.networks.models import ChartPlaces, Network, Role

__all__ = ["ChartPlacesView"]

_MOST_PLACES = 20_000
_LONGEST_NAME = 300
_FARTHEST = 1e6


class ChartPlacesShape(serializers.Serializer):
    """By name of a node (`device NAME`, `outside NAME`, `hub ID`): x and y of its middle.

    Names that are given are kept, or let go where the place is null; the others stay as they are.
    """

    places = serializers.DictField(
        child=serializers.ListField(
            child=serializers.FloatField(), min_length=2, max_length=2, allow_null=True
        )
    )

    def validate_places(self, places: dict[str, list[float] | None]) -> dict[str, Any]:
        """Names and numbers within bounds."""
        if len(places) > _MOST_PLACES or any(len(name) > _LONGEST_NAME for name in places):
            raise serializers.ValidationError(f"at most {_MOST_PLACES} places, by short names")
        for name, place in places.items():
            if place and not all(math.isfinite(n) and abs(n) <= _FARTHEST for n in place):
                raise serializers.ValidationError(f"the place of {name} is out of the chart")
        return places


class ChartPlacesView(APIView):
    @extend_schema(operation_id="chart_places", responses=ChartPlacesShape)
    def get(self, request: Request, slug: str) -> Response:
        """Where devices stand on the network's chart, as far as that is kept."""
        network = network_for(request, slug)
        kept = ChartPlaces.objects.filter(network=network).first()
        return Response({"places": kept.places if kept else {}})

    @extend_schema(
        operation_id="keep_chart_places",
        request=ChartPlacesShape,
        responses=ChartPlacesShape,
    )
    def patch(self, request: Request, slug: str) -> Response:
        """Keep places; takes an editor. What two people move at once is kept of both."""
        network = network_for(request, slug, Role.EDITOR)
        said = checked(ChartPlacesShape, request.data)
        with transaction.atomic():
            Network.objects.select_for_update().get(pk=network.pk)
            kept, _ = ChartPlaces.objects.get_or_create(network=network)
            merged = {**kept.places, **said["places"]}
            kept.places = {name: place for name, place in merged.items() if place is not None}
            if len(kept.places) > _MOST_PLACES:
                raise serializers.ValidationError(f"at most {_MOST_PLACES} places are kept")
            kept.save(update_fields=["places"])
        return Response({"places": kept.places})

    @extend_schema(operation_id="drop_chart_places", responses={204: None})
    def delete(self, request: Request, slug: str) -> Response:
        """Let the chart be laid out anew; takes an editor."""
        network = network_for(request, slug, Role.EDITOR)
        ChartPlaces.objects.filter(network=network).delete()
        return Response(status=status.HTTP_204_NO_CONTENT)

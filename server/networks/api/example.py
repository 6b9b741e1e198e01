"""A small network to try an import with."""

from __future__ import annotations

from django.http import HttpResponse
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import extend_schema
from rest_framework.request import Request
from rest_framework.views import APIView

from server.networks.example import example_zip

__all__ = ["ExampleView"]


class ExampleView(APIView):
    @extend_schema(
        operation_id="example", responses={(200, "application/zip"): OpenApiTypes.BINARY}
    )
    def get(self, request: Request) -> HttpResponse:
        """The example of the language's description as an archive that can be imported."""
        return HttpResponse(
            example_zip(),
            content_type="application/zip",
            headers={"Content-Disposition": 'attachment; filename="example.zip"'},
        )

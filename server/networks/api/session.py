"""Logging in and out, and who is logged in."""

from __future__ import annotations

from django.contrib.auth import authenticate, login, logout
from django.utils.decorators import method_decorator
from django.views.decorators.csrf import csrf_protect, ensure_csrf_cookie
from drf_spectacular.utils import extend_schema
from rest_framework import serializers, status
from rest_framework.exceptions import AuthenticationFailed
from rest_framework.permissions import AllowAny
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.throttling import ScopedRateThrottle
from rest_framework.views import APIView

__all__ = ["SessionView"]


class LoginShape(serializers.Serializer):
    username = serializers.CharField()
    password = serializers.CharField(trim_whitespace=False, write_only=True)


class SessionShape(serializers.Serializer):
    username = serializers.CharField(allow_null=True)


class LoginThrottle(ScopedRateThrottle):
    """Counts attempts to log in alone, not questions who is logged in."""

    def allow_request(self, request: Request, view: APIView) -> bool:
        return request.method != "POST" or super().allow_request(request, view)


@method_decorator(ensure_csrf_cookie, name="dispatch")
@method_decorator(csrf_protect, name="post")
class SessionView(APIView):
    """The session of whoever asks."""

    permission_classes = (AllowAny,)
    throttle_classes = (LoginThrottle,)
    throttle_scope = "login"

    @extend_schema(operation_id="session_get", responses=SessionShape)
    def get(self, request: Request) -> Response:
        return Response({"username": request.user.username if request.user else None})

    @extend_schema(operation_id="session_login", request=LoginShape, responses=SessionShape)
    def post(self, request: Request) -> Response:
        """Log in. At most ten attempts a minute from one address."""
        shape = LoginShape(data=request.data)
        shape.is_valid(raise_exception=True)
        user = authenticate(request._request, **shape.validated_data)
        if user is None:
            raise AuthenticationFailed("name or password is wrong")
        login(request._request, user)
        return Response({"username": user.get_username()})

    @extend_schema(operation_id="session_logout", responses={204: None})
    def delete(self, request: Request) -> Response:
        logout(request._request)
        return Response(status=status.HTTP_204_NO_CONTENT)

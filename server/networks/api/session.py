"""Logging in and out, and who is logged in."""

from __future__ import annotations

from math import ceil

from django.contrib.auth import authenticate, login, logout
from django.utils.decorators import method_decorator
from django.views.decorators.csrf import csrf_protect, ensure_csrf_cookie
from drf_spectacular.utils import extend_schema
from rest_framework import serializers, status
from rest_framework.exceptions import AuthenticationFailed
from rest_framework.permissions import AllowAny
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.throttling import BaseThrottle
from rest_framework.views import APIView

from server.networks import logins
from server.networks.api.errors import Fault
from server.networks.api.parsing import checked
from server.networks.audit import note

__all__ = ["SessionView"]


class LoginShape(serializers.Serializer):
    username = serializers.CharField(max_length=150)
    password = serializers.CharField(trim_whitespace=False, write_only=True, max_length=1000)


class SessionShape(serializers.Serializer):
    username = serializers.CharField(allow_null=True)


@method_decorator(ensure_csrf_cookie, name="dispatch")
@method_decorator(csrf_protect, name="post")
class SessionView(APIView):
    """The session of whoever asks."""

    permission_classes = (AllowAny,)

    @extend_schema(operation_id="session_get", responses=SessionShape)
    def get(self, request: Request) -> Response:
        return Response({"username": request.user.username if request.user else None})

    @extend_schema(operation_id="session_login", request=LoginShape, responses=SessionShape)
    def post(self, request: Request) -> Response:
        """Log in. Whoever fails a few times waits before the next attempt, longer each time."""
        asked = checked(LoginShape, request.data)
        name = asked["username"]
        # How far addresses that a proxy states are believed is NUM_PROXIES' to say.
        address = BaseThrottle().get_ident(request)
        try:
            attempt = logins.begin(name, address, request.COOKIES.get(logins.COOKIE, ""))
        except logins.MustWait as error:
            seconds = ceil(error.seconds)
            raise Fault(
                429, "throttled", str(error), f"wait {seconds} seconds and try again"
            ) from error
        # For names that nobody has this takes as long: Django hashes the password all the same.
        user = authenticate(request._request, **asked)
        if user is None:
            raise AuthenticationFailed("name or password is wrong")
        attempt.succeeded()
        login(request._request, user)
        note(request, "login", "logged in", who=user.get_username())
        response = Response({"username": user.get_username()})
        response.set_cookie(
            logins.COOKIE, logins.known_browser(name), max_age=logins.COOKIE_S,
            path="/api/session", httponly=True, samesite="Lax",
        )  # fmt: skip
        return response

    @extend_schema(operation_id="session_logout", responses={204: None})
    def delete(self, request: Request) -> Response:
        logout(request._request)
        return Response(status=status.HTTP_204_NO_CONTENT)

"""Who asks, if a program shows a token."""

from __future__ import annotations

import hashlib
from datetime import timedelta

from django.contrib.auth.models import User
from django.utils import timezone
from drf_spectacular.extensions import OpenApiAuthenticationExtension
from rest_framework.authentication import BaseAuthentication, get_authorization_header
from rest_framework.exceptions import AuthenticationFailed
from rest_framework.request import Request
from rest_framework.throttling import BaseThrottle

from server.networks.models import ApiToken

__all__ = ["TokenAuthentication", "hashed"]

#: Seconds between two times that the last use is written down.
_USE_EVERY_S = 60


class TokenAuthentication(BaseAuthentication):
    """`Authorization: Bearer …`: whoever shows a token is its maker, within its scope."""

    def authenticate(self, request: Request) -> tuple[User, ApiToken] | None:
        kind, _, secret = get_authorization_header(request).partition(b" ")
        if kind.lower() != b"bearer":
            return None
        token = (
            ApiToken.objects.select_related("user")
            .filter(hashed=hashed(secret.decode("latin-1").strip()))
            .first()
        )
        now = timezone.now()
        if token is None or token.revoked or token.expires <= now or not token.user.is_active:
            raise AuthenticationFailed("the token is unknown, has expired or was revoked")
        address = BaseThrottle().get_ident(request) or ""
        is_old = token.last_used is None or token.last_used < now - timedelta(seconds=_USE_EVERY_S)
        if is_old or token.last_address != address:
            ApiToken.objects.filter(pk=token.pk).update(last_used=now, last_address=address)
        return token.user, token

    def authenticate_header(self, request: Request) -> None:
        """Nobody is asked for a password by the browser."""
        return


class TokenScheme(OpenApiAuthenticationExtension):  # type: ignore[no-untyped-call]
    """How the description names it."""

    target_class = "server.networks.authentication.TokenAuthentication"
    name = "token"

    def get_security_definition(self, auto_schema: object) -> dict[str, str]:
        return {"type": "http", "scheme": "bearer"}

    def get_security_requirement(self, auto_schema: object) -> list[dict[str, list[str]]]:
        """No operation takes a token alone: a session does wherever a token does."""
        return []


def hashed(secret: str) -> str:
    """What is kept of a token. It is random and long, so that nothing slower is needed."""
    return hashlib.sha256(secret.encode()).hexdigest()

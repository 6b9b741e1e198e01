"""The audit trail: who did what, when, from where."""

from __future__ import annotations

from rest_framework.request import Request
from rest_framework.throttling import BaseThrottle

from server.networks.models import ApiToken, AuditEntry, Network

__all__ = ["ACTIONS", "note"]

#: What an entry is about.
ACTIONS = (
    "login", "import", "change", "accept", "promises", "run", "sweep", "members", "token",
    "network",
)  # fmt: skip


def note(
    request: Request, action: str, text: str, network: Network | None = None, *, who: str = ""
) -> None:
    """Add to the trail; it stays, whatever becomes of what it is about.

    Args:
        action: One of `ACTIONS`.
        who: Of somebody who was not known yet when the request began.
    """
    if action not in ACTIONS:
        raise ValueError(f"{action} is no kind of entry")
    token = request.auth
    AuditEntry.objects.create(
        network=network.slug if network else "",
        who=who or request.user.get_username(),
        token=token.name if isinstance(token, ApiToken) else "",
        address=BaseThrottle().get_ident(request) or "",
        action=action,
        text=text[:400],
    )

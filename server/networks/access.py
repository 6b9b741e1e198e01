"""Who may do what: viewers read, editors import, owners manage members."""

from __future__ import annotations

from django.db.models import QuerySet
from django.http import Http404
from rest_framework.exceptions import NotAuthenticated, PermissionDenied
from rest_framework.request import Request

from server.networks.models import (
    ApiToken,
    Job,
    JobKind,
    Membership,
    Network,
    Revision,
    Role,
    TokenScope,
)

__all__ = [
    "job_for",
    "may_cancel",
    "membership_for",
    "memberships_of",
    "network_for",
    "plain",
    "revision_for",
    "session_only",
    "user_id",
]

_RANK = {Role.VIEWER: 0, Role.EDITOR: 1, Role.OWNER: 2}


def user_id(request: Request) -> int:
    """The number of whoever asks.

    Raises:
        NotAuthenticated: nobody is logged in.
    """
    number = request.user.pk if request.user else None
    if number is None:
        raise NotAuthenticated
    return number


def memberships_of(request: Request) -> QuerySet[Membership]:
    """The asking user's memberships; of whoever shows a token those of the token's networks."""
    memberships = Membership.objects.filter(user_id=user_id(request))
    if isinstance(request.auth, ApiToken):
        memberships = memberships.filter(network__in=request.auth.networks.all())
    return memberships


def session_only(request: Request) -> None:
    """What a token never reaches: tokens themselves, members, networks made or deleted.

    Raises:
        PermissionDenied: a token was shown.
    """
    if isinstance(request.auth, ApiToken):
        raise PermissionDenied("a token cannot do this; log in")


def _refuse_by_scope(request: Request, role: Role) -> None:
    """Refuse what the scope of a token does not reach.

    Raises:
        PermissionDenied: it does not.
    """
    token = request.auth
    if not isinstance(token, ApiToken) or role is Role.VIEWER:
        return
    is_import = bool(getattr(request.parser_context.get("view"), "is_import", False))
    allowed = token.scope == TokenScope.CHANGE or (token.scope == TokenScope.IMPORT and is_import)
    if role is Role.OWNER or not allowed:
        raise PermissionDenied(f"this token may {token.scope} alone; it cannot do this")


def membership_for(request: Request, slug: str, role: Role = Role.VIEWER) -> Membership:
    """The asking user's membership of a network.

    Raises:
        Http404: no such network, or the user is no member; both look the same from outside.
        PermissionDenied: the user's role does not reach.
    """
    memberships = memberships_of(request).select_related("network")
    membership = memberships.filter(network__slug=slug).first()
    if membership is None:
        raise Http404("there is no such network, or you are not a member of it")
    if _RANK[Role(membership.role)] < _RANK[role]:
        raise PermissionDenied(f"you are {membership.role} here; this takes the role {role.value}")
    _refuse_by_scope(request, role)
    return membership


def network_for(request: Request, slug: str, role: Role = Role.VIEWER) -> Network:
    """The network itself; raises as `membership_for`."""
    return membership_for(request, slug, role).network


def revision_for(request: Request, slug: str) -> Revision:
    """The revision the lens names (`?revision=`), else the newest.

    Raises:
        Http404: the network has no such revision, or none at all.
    """
    wanted = request.query_params.get("revision")
    reached = memberships_of(request).filter(network__slug=slug).values("network")
    revisions = Revision.objects.filter(network__in=reached).select_related("network")
    is_number = wanted is None or (wanted.isascii() and wanted.isdecimal() and len(wanted) < 10)
    if wanted is not None:
        revisions = revisions.filter(number=int(wanted)) if is_number else revisions.none()
    revision = revisions.first()
    if revision is not None:
        return revision
    network_for(request, slug)  # who may not know of the network hears no more than that
    if wanted is None:
        raise Http404("nothing is imported yet")
    if not is_number:
        raise Http404(f"“{wanted[:40]}” is not a revision number")
    raise Http404(f"there is no revision {wanted}")


def job_for(request: Request, pk: int, kind: JobKind | None = None) -> Job:
    """A job of a network the user is a member of; raises as `membership_for`.

    Args:
        kind: Only one of this kind will do.
    """
    jobs = Job.objects.select_related("network", "revision")
    job = jobs.filter(pk=pk, **({} if kind is None else {"kind": kind})).first()
    if job is None:
        raise Http404("there is no such job")
    membership_for(request, job.network.slug)
    return job


def may_cancel(request: Request, job: Job) -> None:
    """Whoever began a job may end it; so may owners, and of an import all editors.

    Raises:
        PermissionDenied: somebody else began it.
    """
    role = Role.EDITOR if job.kind == Job.Kind.IMPORT else Role.OWNER
    membership = membership_for(request, job.network.slug)
    mine = job.author_id == user_id(request)
    if not mine and _RANK[Role(membership.role)] < _RANK[role]:
        raise PermissionDenied("somebody else began this; it is theirs, or an owner's, to cancel")


def plain(text: str) -> str:
    """Words of an address as the database may be asked for them.

    Raises:
        Http404: nothing can be called so.
    """
    if "\x00" in text or not text.isprintable():
        raise Http404("there is nothing of this name")
    return text

"""Networks, their members and their revisions."""

from __future__ import annotations

from contextlib import suppress

from django.contrib.auth import get_user_model
from django.db import IntegrityError, transaction
from django.http import Http404
from django.utils.text import slugify
from drf_spectacular.utils import extend_schema, extend_schema_view
from rest_framework import serializers, status
from rest_framework.exceptions import ValidationError
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from server.networks.access import (
    membership_for,
    memberships_of,
    network_for,
    session_only,
    user_id,
)
from server.networks.api.parsing import checked
from server.networks.audit import note
from server.networks.changes import ChangeRefused
from server.networks.imports import add_revision
from server.networks.models import Membership, Network, Revision, Role
from server.networks.promises import check_after_going_back

__all__ = [
    "MemberListView",
    "NetworkListView",
    "NetworkView",
    "RevisionBackView",
    "RevisionListView",
    "RevisionView",
]


class RevisionShape(serializers.ModelSerializer):
    """A revision. `change` is the change that was accepted as it."""

    author = serializers.CharField(
        source="author.username", default=None, allow_null=True, read_only=True
    )
    files = serializers.IntegerField(source="files.count", read_only=True)
    change = serializers.CharField(
        source="change.name", default=None, allow_null=True, read_only=True
    )

    class Meta:
        model = Revision
        fields = ("number", "created", "author", "name", "note", "change", "content_hash", "files")
        read_only_fields = fields


class NetworkShape(serializers.Serializer):
    slug = serializers.CharField(read_only=True)
    title = serializers.CharField(max_length=120)
    role = serializers.ChoiceField(choices=Role.choices, read_only=True)
    newest_revision = RevisionShape(read_only=True, allow_null=True)


class MemberShape(serializers.Serializer):
    username = serializers.CharField()
    role = serializers.ChoiceField(choices=Role.choices, allow_null=True)


def _network_data(membership: Membership) -> dict[str, object]:
    newest = membership.network.revisions.select_related("author").first()
    return {
        "slug": membership.network.slug,
        "title": membership.network.title,
        "role": membership.role,
        "newest_revision": RevisionShape(newest).data if newest else None,
    }


class NetworkListView(APIView):
    @extend_schema(operation_id="networks_list", responses=NetworkShape(many=True))
    def get(self, request: Request) -> Response:
        """The networks the user is a member of, by title."""
        memberships = memberships_of(request).select_related("network")
        return Response([_network_data(m) for m in memberships.order_by("network__title")])

    @extend_schema(
        operation_id="networks_create", request=NetworkShape, responses={201: NetworkShape}
    )
    def post(self, request: Request) -> Response:
        """A new, empty network; its maker owns it."""
        session_only(request)
        title = checked(NetworkShape, request.data)["title"].strip()
        with transaction.atomic():
            network = _create(title)
            membership = Membership.objects.create(
                network=network, user_id=user_id(request), role=Role.OWNER
            )
        note(request, "network", f"made the network {title}", network)
        return Response(_network_data(membership), status=status.HTTP_201_CREATED)


def _create(title: str) -> Network:
    """A network under the first slug that is free; others may take one at the same moment."""
    base = slugify(title)[:50].strip("-_") or "network"
    number = 1
    while True:
        slug = base if number == 1 else f"{base}-{number}"
        number += 1
        if Network.objects.filter(slug=slug).exists():
            continue
        with suppress(IntegrityError), transaction.atomic():
            return Network.objects.create(title=title, slug=slug)


class NetworkView(APIView):
    @extend_schema(operation_id="networks_get", responses=NetworkShape)
    def get(self, request: Request, slug: str) -> Response:
        return Response(_network_data(membership_for(request, slug)))

    @extend_schema(operation_id="networks_delete", responses={204: None})
    def delete(self, request: Request, slug: str) -> Response:
        """Delete a network with all that belongs to it, for good. Owners only."""
        network = network_for(request, slug, Role.OWNER)
        note(request, "network", f"deleted the network {network.title}", network)
        network.delete()
        return Response(status=status.HTTP_204_NO_CONTENT)


class RevisionListView(APIView):
    @extend_schema(operation_id="revisions_list", responses=RevisionShape(many=True))
    def get(self, request: Request, slug: str) -> Response:
        """All revisions, newest first."""
        revisions = network_for(request, slug).revisions.select_related("author", "change")
        return Response(RevisionShape(revisions, many=True).data)


class RevisionWordsShape(serializers.Serializer):
    """What people call a revision, and what they note about it."""

    name = serializers.CharField(max_length=80, allow_blank=True)
    note = serializers.CharField(max_length=1000, allow_blank=True)


class RevisionReasonShape(serializers.Serializer):
    reason = serializers.CharField(max_length=900, allow_blank=True, default="")


class RevisionBackView(APIView):
    @extend_schema(
        operation_id="revisions_back",
        request=RevisionReasonShape,
        responses={201: RevisionShape},
    )
    def post(self, request: Request, slug: str, number: int) -> Response:
        """Go back to a revision: the next one is equal to it. Takes an editor."""
        network = network_for(request, slug, Role.EDITOR)
        reason = checked(RevisionReasonShape, request.data)["reason"]
        old = _revision(network, number)
        newest = network.revisions.first()
        if newest is not None and newest.content_hash == old.content_hash:
            raise ChangeRefused(f"revision {newest.number}, the newest, is equal to it")
        author = get_user_model().objects.get(pk=user_id(request))
        made = add_revision(
            network,
            old.texts(),
            author=author,
            note=f"back to revision {old.number}" + (f": {reason}" if reason else ""),
            finding_keys=old.finding_keys,
        )
        note(request, "import", f"went back to revision {old.number}: {made.number}", network)
        check_after_going_back(made, old, user_id(request))
        return Response(RevisionShape(made).data, status=status.HTTP_201_CREATED)


class RevisionView(APIView):
    @extend_schema(
        operation_id="revisions_describe", request=RevisionWordsShape, responses=RevisionShape
    )
    def put(self, request: Request, slug: str, number: int) -> Response:
        """Name a revision and note something about it; takes an editor."""
        network = network_for(request, slug, Role.EDITOR)
        words = checked(RevisionWordsShape, request.data)
        revision = _revision(network, number)
        revision.name, revision.note = words["name"], words["note"]
        revision.save(update_fields=["name", "note"])
        return Response(RevisionShape(revision).data)

    @extend_schema(operation_id="revisions_delete", responses={204: None})
    def delete(self, request: Request, slug: str, number: int) -> Response:
        """Delete a revision with its files and searches, for good. Owners only.

        Its number is not given again; saved questions stay, and tell no more when they worked.
        """
        network = network_for(request, slug, Role.OWNER)
        _, dropped = network.revisions.filter(number=min(number, 2**31 - 1)).delete()
        if not dropped:
            raise Http404(f"there is no revision {number}")
        note(request, "import", f"deleted revision {number}", network)
        return Response(status=status.HTTP_204_NO_CONTENT)


def _revision(network: Network, number: int) -> Revision:
    found = network.revisions.filter(number=min(number, 2**31 - 1)).first()
    if found is None:
        raise Http404(f"there is no revision {number}")
    return found


@extend_schema_view(
    get=extend_schema(operation_id="members_list", responses=MemberShape(many=True)),
    put=extend_schema(
        operation_id="members_set", request=MemberShape, responses=MemberShape(many=True)
    ),
)
class MemberListView(APIView):
    """Who may do what in a network."""

    def get(self, request: Request, slug: str) -> Response:
        return Response(_members(network_for(request, slug)))

    def put(self, request: Request, slug: str) -> Response:
        """Give a user a role; a role of null takes the membership away. Owners only."""
        network = network_for(request, slug, Role.OWNER)
        asked = checked(MemberShape, request.data)
        name, role = asked["username"], asked["role"]
        user = get_user_model().objects.filter(username=name).first()
        if user is None:
            raise ValidationError({"username": f"there is no user {name}"})
        with transaction.atomic():
            # One change at a time: two owners who demote each other must not both succeed.
            Network.objects.select_for_update().get(pk=network.pk)
            network_for(request, slug, Role.OWNER)  # still so
            if role is None:
                network.memberships.filter(user=user).delete()
            else:
                network.memberships.update_or_create(user=user, defaults={"role": role})
            if not network.memberships.filter(role=Role.OWNER).exists():
                raise ValidationError({"role": "a network needs at least one owner"})
        said = f"made {name} {role}" if role else f"took {name} out"
        note(request, "members", said, network)
        return Response(_members(network))


def _members(network: Network) -> list[dict[str, str]]:
    memberships = network.memberships.select_related("user").order_by("user__username")
    return [{"username": m.user.get_username(), "role": m.role} for m in memberships]

"""What becomes of a path on its way from one router to the next: export, then import.

Each half returns the path as it leaves it, or why nothing comes of it. In bulk only the path
counts; the words are for those who ask.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

from routrel.model.addresses import Address, Prefix
from routrel.model.bgp import DEFAULT_LOCAL_PREFERENCE, NextHopRule, PrivateAs
from routrel.model.communities import (
    BLACKHOLE,
    GRACEFUL_SHUTDOWN,
    NO_ADVERTISE,
    NO_EXPORT,
    NO_EXPORT_SUBCONFED,
)
from routrel.model.place import NOWHERE, Place
from routrel.model.policy import NEXT_HOP_DISCARD, NEXT_HOP_SELF, Origin, RouteType
from routrel.policy.as_paths import (
    AsPath,
    SegmentKind,
    numbers_in,
    prepended,
    without_confederation,
    without_leading_private,
    without_private,
)
from routrel.policy.evaluate import PolicyRoute, Trial, evaluate_chain
from routrel.protocols.bgp.paths import Path, PathSource
from routrel.protocols.bgp.sessions import DirectedPeer
from routrel.protocols.bgp.speakers import Speaker

__all__ = [
    "Passage",
    "Stopped",
    "Transfers",
    "bgp_policy_route",
    "goes_back",
    "names_receiver",
    "with_policy",
]

_ORIGINS = list(Origin)


@dataclass(frozen=True, slots=True)
class Stopped:
    """Why a path does not pass."""

    kind: str  #: stable identifier
    text: str
    place: Place = NOWHERE


@dataclass(frozen=True, slots=True)
class Passage:
    """A path on one half of its way. `trial` is what policies did with it, if there are any."""

    path: Path | None
    stopped: Stopped | None = None
    trial: Trial | None = None


class Transfers:
    """Both halves of every peer.

    Args:
        speakers: All speakers, by their index.
    """

    def __init__(self, speakers: Sequence[Speaker]) -> None:
        self.speakers = speakers

    def announced(
        self, peer: DirectedPeer, came_by: DirectedPeer | None, path: Path, prefix: Prefix
    ) -> Passage:
        """What a router sends of a path to one neighbour.

        Args:
            came_by: The peer by which the router has the path; None for its own.
        Source:
            RFC 4271 5.1 and 9.2; RFC 4456 8 and 10; RFC 5065 4; RFC 1997; RFC 8212; RFC 8326.
        """
        speaker = self.speakers[peer.sender]
        if speaker.outside is not None:
            return self._announced_outside(speaker, peer, path, prefix)
        stopped = self._withheld(speaker, peer, came_by, path)
        if stopped is not None:
            return Passage(None, stopped)
        settings, relation = peer.sender_settings, peer.relation
        next_hop = _next_hop(peer, path, prefix)
        if next_hop is None:
            text = f"{speaker.name} has no IPv{prefix.version} address to name as next hop there"
            return Passage(None, Stopped("no_own_address", text, settings.place))
        sent = replace(path, next_hop=next_hop, weight=0, own=None, gateway=None, discard=False)
        if relation is PathSource.EXTERNAL and path.source is not PathSource.OWN:
            # 5.1.4: what one AS said about its entrances is not for another.
            sent = replace(sent, med=None)
        trial = None
        if settings.export_policies and speaker.device is not None:
            route = bgp_policy_route(sent, prefix, path.source, peer.receiver_address)
            trial = evaluate_chain(speaker.device, settings.export_policies, route)
            if trial.route is None:
                return Passage(None, _rejected(speaker, trial, "export"), trial)
            sent = with_policy(sent, trial.route, _own_address(peer, prefix))
        elif (
            relation is PathSource.EXTERNAL
            and speaker.instance
            and speaker.instance.require_policies
        ):
            text = f"{speaker.name} has no export policy for this external neighbour (RFC 8212)"
            return Passage(None, Stopped("no_policy", text, settings.place))
        communities = sent.communities
        if settings.graceful_shutdown:
            communities |= {GRACEFUL_SHUTDOWN}
        if settings.send_communities is False:
            communities = frozenset()
        originator, cluster_list = path.originator, path.cluster_list
        if relation is not PathSource.INTERNAL:
            originator, cluster_list = None, ()
        elif path.source is PathSource.INTERNAL and came_by is not None:
            originator = originator or self.speakers[came_by.sender].router_id
            cluster_list = (speaker.cluster_id, *cluster_list)
        return Passage(
            replace(
                sent,
                communities=communities,
                as_path=_extended_path(speaker, peer, sent.as_path),
                originator=originator,
                cluster_list=cluster_list,
                age_s=None,
            ),
            None,
            trial,
        )

    def _announced_outside(
        self, speaker: Speaker, peer: DirectedPeer, path: Path, prefix: Prefix
    ) -> Passage:
        """An outside network passes nothing on: it announces what its file says."""
        if path.only_from and peer.sender_address not in path.only_from:
            text = f"{speaker.name} does not announce it from {peer.sender_address}"
            return Passage(None, Stopped("not_announced", text, speaker.place))
        own = _own_address(peer, prefix)
        if path.source is not PathSource.OWN or own is None:
            text = f"{speaker.name} has no IPv{prefix.version} address there"
            return Passage(None, Stopped("no_own_address", text, speaker.place))
        as_path = prepended(path.as_path, speaker.autonomous_system)
        return Passage(replace(path, as_path=as_path, next_hop=own, own=None, only_from=()))

    def _withheld(
        self, speaker: Speaker, peer: DirectedPeer, came_by: DirectedPeer | None, path: Path
    ) -> Stopped | None:
        """Rules by which a router keeps a path from a neighbour, whatever its policies say."""
        relation, communities = peer.relation, path.communities
        settings = peer.sender_settings
        if came_by is not None and goes_back(peer, came_by):
            return Stopped("came_from_there", f"{speaker.name} has it from this neighbour")
        if NO_ADVERTISE in communities:
            return Stopped("no_advertise", f"it carries {NO_ADVERTISE}", speaker.place)
        if NO_EXPORT in communities and relation is PathSource.EXTERNAL:
            return Stopped("no_export", f"it carries {NO_EXPORT}", speaker.place)
        if NO_EXPORT_SUBCONFED in communities and relation is not PathSource.INTERNAL:
            return Stopped("no_export", f"it carries {NO_EXPORT_SUBCONFED}", speaker.place)
        if path.source is not PathSource.INTERNAL or relation is not PathSource.INTERNAL:
            return None
        from_client = bool(came_by and came_by.receiver_settings.reflector_client)
        to_client = bool(settings.reflector_client)
        if not from_client and not to_client:
            return Stopped(
                "internal_to_internal",
                f"{speaker.name} has it from an internal neighbour and reflects it to none but its "
                "clients",
                settings.place,
            )
        reflects = speaker.instance is None or speaker.instance.reflect_between_clients
        if from_client and to_client and not reflects:
            text = f"{speaker.name} does not reflect between its clients"
            return Stopped("client_to_client", text, speaker.place)
        return None

    def heard(
        self, peer: DirectedPeer, sent: Path, prefix: Prefix, *, itself: bool = True
    ) -> Passage:
        """What a router takes of what a neighbour sent it.

        Args:
            itself: Whether to look if the path names the router itself; see `names_receiver`.
        Source:
            RFC 4271 5.1.5, 6.3, 9.1.2; RFC 4456 8; RFC 5065 4; RFC 7705 3.3; RFC 7999; RFC 8326.
        """
        receiver = self.speakers[peer.receiver]
        settings, relation = peer.receiver_settings, peer.relation
        stopped = _refused(receiver, peer, sent, prefix)
        if stopped is None and itself:
            stopped = names_receiver(receiver, peer, sent)
        if stopped is not None:
            return Passage(None, stopped)
        instance = receiver.instance
        if instance is None:
            return Passage(
                replace(
                    sent,
                    source=relation,
                    local_preference=DEFAULT_LOCAL_PREFERENCE,
                )
            )
        local_as = settings.local_as
        as_path = sent.as_path
        if local_as and local_as.prepend_import:
            as_path = prepended(as_path, local_as.number)
        external = relation is PathSource.EXTERNAL
        path = replace(
            sent,
            source=relation,
            as_path=as_path,
            local_preference=instance.local_preference if external else sent.local_preference,
            weight=settings.weight or 0,
            age_s=settings.age_s if sent.age_s is None else sent.age_s,
        )
        trial = None
        if settings.import_policies and receiver.device is not None:
            route = bgp_policy_route(path, prefix, relation, peer.sender_address)
            trial = evaluate_chain(receiver.device, settings.import_policies, route)
            if trial.route is None:
                return Passage(None, _rejected(receiver, trial, "import"), trial)
            path = with_policy(path, trial.route, peer.receiver_address)
            path = replace(path, discard=trial.route.next_hop == NEXT_HOP_DISCARD)
        elif external and instance.require_policies:
            text = f"{receiver.name} has no import policy for this external neighbour (RFC 8212)"
            return Passage(None, Stopped("no_policy", text, settings.place))
        if settings.graceful_shutdown:
            path = replace(path, communities=path.communities | {GRACEFUL_SHUTDOWN})
        honours = settings.honour_graceful_shutdown is not False and external
        if GRACEFUL_SHUTDOWN in path.communities and (honours or settings.graceful_shutdown):
            path = replace(path, local_preference=0)
        if settings.accept_blackhole and BLACKHOLE in path.communities:
            kept = path.communities
            # RFC 7999 3.2: it must not spread beyond the AS that agreed to it.
            if NO_ADVERTISE not in kept:
                kept |= {NO_EXPORT}
            path = replace(path, discard=True, communities=kept)
        return Passage(path, None, trial)


def goes_back(peer: DirectedPeer, came_by: DirectedPeer) -> bool:
    """Whether a peer leads to where a path came from."""
    return (came_by.sender, came_by.sender_address) == (peer.receiver, peer.receiver_address)


def names_receiver(receiver: Speaker, peer: DirectedPeer, sent: Path) -> Stopped | None:
    """Why a router does not take a path that names the router itself (RFC 4456 8, RFC 4271 6.3)."""
    settings = peer.receiver_settings
    if receiver.outside is not None:
        return None
    if sent.originator is not None and sent.originator == receiver.router_id:
        return Stopped("own_originator", "it names the device itself as originator", settings.place)
    if receiver.cluster_id in sent.cluster_list:
        text = f"its own cluster {receiver.cluster_id} stands in the cluster list"
        return Stopped("cluster_loop", text, settings.place)
    if sent.next_hop == peer.receiver_address or sent.next_hop in receiver.addresses:
        return Stopped("own_next_hop", "it names the device itself as next hop", settings.place)
    return None


def bgp_policy_route(
    path: Path, prefix: Prefix, learned: PathSource, neighbour: Address | None
) -> PolicyRoute:
    """A path as policies see it."""
    kind = RouteType.EXTERNAL if learned is PathSource.EXTERNAL else RouteType.INTERNAL
    return PolicyRoute(
        prefix=prefix,
        protocol="bgp",
        route_types=frozenset({kind}),
        metric=path.med or 0,
        next_hops=() if path.next_hop is None else (path.next_hop,),
        neighbour=neighbour,
        as_path=path.as_path,
        origin=_ORIGINS[path.origin],
        med=path.med,
        local_preference=path.local_preference,
        weight=path.weight,
        communities=path.communities,
    )


def with_policy(path: Path, route: PolicyRoute, own: Address | None) -> Path:
    """A path with what policies set on it.

    Args:
        own: The address that "self" stands for; None where the path is the router's own already.
    """
    next_hop = path.next_hop
    if route.next_hop == NEXT_HOP_SELF:
        next_hop = own
    elif route.next_hop is not None and not isinstance(route.next_hop, str):
        next_hop = route.next_hop
    preference = route.local_preference
    return replace(
        path,
        next_hop=next_hop,
        as_path=route.as_path,
        origin=route.origin.number if route.origin else path.origin,
        med=route.metric if route.metric_set else route.med,
        local_preference=path.local_preference if preference is None else preference,
        weight=path.weight if route.weight is None else route.weight,
        communities=route.communities,
    )


# --- export --------------------------------------------------------------------------------------


def _own_address(peer: DirectedPeer, prefix: Prefix) -> Address | None:
    """The address a sender names as itself for a prefix of one family."""
    return next((a for a in peer.own_addresses if a.version == prefix.version), None)


def _next_hop(peer: DirectedPeer, path: Path, prefix: Prefix) -> Address | None:
    """The next hop a router names to a neighbour (RFC 4271 5.1.3, RFC 4456 10)."""
    own = _own_address(peer, prefix)
    rule = peer.sender_settings.next_hop
    known = path.gateway if path.source is PathSource.OWN else path.next_hop
    if path.source is PathSource.OWN and path.next_hop is not None:
        known = path.next_hop  # a policy at its origin set it
    usable = (
        known is not None
        and known.version == prefix.version
        and not known.is_link_local
        and known != peer.receiver_address
    )
    if rule is NextHopRule.SELF_ALWAYS or not usable:
        return own
    if peer.relation is PathSource.EXTERNAL:
        if rule is NextHopRule.UNCHANGED:
            return known
        # A next hop on the subnet the two share may stay: it is as near to the neighbour.
        shared = peer.shares_subnet
        near = shared is not None and known in shared.network
        return known if near and rule is not NextHopRule.SELF else own
    if rule is NextHopRule.SELF and path.source is not PathSource.INTERNAL:
        return own
    return known


def _extended_path(speaker: Speaker, peer: DirectedPeer, path: AsPath) -> AsPath:
    """The AS path with the sender's own number in front (RFC 4271 5.1.2, RFC 5065 4.1)."""
    if peer.relation is PathSource.INTERNAL:
        return path
    if peer.relation is PathSource.CONFEDERATION:
        kind = SegmentKind.CONFED_SEQUENCE
        return prepended(path, speaker.autonomous_system, kind=kind)
    path = without_confederation(path)
    own = speaker.public_as
    settings = peer.sender_settings
    if settings.private_as is PrivateAs.REMOVE_LEADING:
        path = without_leading_private(path)
    elif settings.private_as is not None:
        path = without_private(path, own if settings.private_as is PrivateAs.REPLACE else None)
    local_as = settings.local_as
    if local_as is None:
        return prepended(path, own)
    return prepended(path, local_as.number, *(() if local_as.replace else (own,)))


# --- import --------------------------------------------------------------------------------------


def _refused(receiver: Speaker, peer: DirectedPeer, sent: Path, prefix: Prefix) -> Stopped | None:
    """Why a router does not take a path at all, before its policies see it."""
    settings = peer.receiver_settings
    if receiver.outside is not None:
        if receiver.autonomous_system in numbers_in(sent.as_path, confederation=False):
            text = f"its AS {receiver.autonomous_system} stands in the path"
            return Stopped("as_loop", text, receiver.place)
        accepted = receiver.outside.accepts
        if accepted is not None and not any(held.holds(prefix) for held in accepted):
            return Stopped(
                "not_accepted", f"{receiver.name} does not accept {prefix}", receiver.place
            )
        return None
    outer = list(numbers_in(sent.as_path, confederation=False))
    inner = list(numbers_in(sent.as_path, confederation=True))
    own = {receiver.public_as: outer.count(receiver.public_as)}
    own[receiver.autonomous_system] = inner.count(receiver.autonomous_system) + (
        outer.count(receiver.autonomous_system)
    )
    for number, count in own.items():
        if count > (settings.allow_own_as or 0):
            return Stopped("as_loop", f"its own AS {number} stands in the path", settings.place)
    return None


def _rejected(speaker: Speaker, trial: Trial, direction: str) -> Stopped:
    by = "by its default" if trial.by_default else f"by statement {trial.steps[-1].statement}"
    text = f"{direction} policy {trial.policy} of {speaker.name} rejects it {by}"
    return Stopped("policy", text, trial.place)

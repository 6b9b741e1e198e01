"""What peers carry, looked up: a path passes once for all peers that treat it alike.

The clients of a reflector mostly differ in nothing but their address. Such peers are of one
kind, and a path that passes one of them passes all. What depends on the receiver itself is looked
at apart: whether the path came from it, or names it.

While paths spread they are held as codes: a path's number together with the position of the peer
it came by.
"""

from __future__ import annotations

from collections.abc import Hashable, Sequence
from dataclasses import dataclass

from routrel.model.addresses import Prefix
from routrel.model.bgp import NeighbourSettings
from routrel.protocols.bgp.paths import PathNumbers, PathSource
from routrel.protocols.bgp.sessions import DirectedPeer
from routrel.protocols.bgp.speakers import Speaker
from routrel.protocols.bgp.transfer import Transfers, goes_back, names_receiver

__all__ = ["Carrier", "Codes", "Key", "Numbering", "PolicySignature"]

#: Kind, path, IP version, what is left of export and import policies, and how it came.
Key = tuple[int, int, int, int, int, bool, int]


class Numbering(dict[Hashable, int]):
    """Gives every new content the next number."""

    def __missing__(self, key: Hashable) -> int:
        number = self[key] = len(self)
        return number


@dataclass(frozen=True, slots=True)
class Codes:
    """Path numbers and positions of peers as one number; own paths have no peer."""

    base: int  #: one more than there are peers

    def code(self, path: int, place: int) -> int:
        """The code of a path that came by the peer at a position; -1: its own."""
        return path * self.base + place + 1

    def path(self, code: int) -> int:
        return code // self.base

    def place(self, code: int) -> int:
        """The position of the peer; -1 for an own path."""
        return code % self.base - 1


@dataclass(frozen=True, slots=True)
class PolicySignature:
    """What tells one class of prefixes from another on its way over peers."""

    prefix: Prefix
    treatments: tuple[int, ...]  #: by chain of policies, with -1 behind the last for none
    kept_back: tuple[bool, ...]  #: by speaker: whether it announces nothing of the class
    not_active: tuple[bool, ...]  #: by speaker: whether it announces no more than its own
    closed: frozenset[int] = frozenset()  #: the peers that conditions keep it from


class Carrier:
    """All peers of a round with what they make of paths.

    Args:
        chains: By peer: the positions of its export and import policies among all; -1: none.
        passed: What is known already, and is added to: the paths sent and taken; -1: nothing.
    """

    def __init__(
        self,
        speakers: Sequence[Speaker],
        peers: Sequence[DirectedPeer],
        chains: Sequence[tuple[int, int]],
        paths: PathNumbers,
        numbers: Numbering,
        passed: dict[Key, tuple[int, int]],
    ) -> None:
        self.speakers, self.peers, self.chains = speakers, peers, chains
        self.paths, self.passed = paths, passed
        self.codes = Codes(len(peers) + 1)
        self.transfers = Transfers(speakers)
        self.kinds = [numbers[self._kind(peer, place)] for place, peer in enumerate(peers)]

    def _kind(self, peer: DirectedPeer, place: int) -> Hashable:
        """All that decides what a peer makes of a path, apart from who its receiver is."""
        sender, receiver = self.speakers[peer.sender], self.speakers[peer.receiver]
        out, into = peer.sender_settings, peer.receiver_settings
        exports, imports = self.chains[place]
        there: Hashable = None
        if receiver.outside is not None:
            there = (receiver.name, receiver.outside.accepts)
        elif receiver.instance is not None:
            instance = receiver.instance
            there = (instance.local_preference, instance.require_policies)
        return (
            *(peer.relation, peer.sender_address, peer.own_addresses),
            *(peer.shares_subnet, sender.name, sender.table, sender.router_id),
            *(sender.autonomous_system, sender.public_as, sender.cluster_id),
            sender.instance.reflect_between_clients if sender.instance else None,
            sender.instance.require_policies if sender.instance else None,
            _sending(out),
            *(receiver.autonomous_system, receiver.public_as, there, _receiving(into)),
            # Policies may look at who is at the other end.
            (exports < 0, imports < 0, peer.receiver_address)
            if exports >= 0 or imports >= 0
            else None,
        )

    def passes(self, signature: PolicySignature, place: int, code: int) -> int:
        """The code of what a receiver takes of what its neighbour chose; -1: nothing."""
        sent, taken = self.told(signature, place, code)
        if taken < 0:
            return -1
        peer = self.peers[place]
        if names_receiver(self.speakers[peer.receiver], peer, self.paths[sent]):
            return -1
        return self.codes.code(taken, place)

    def told(self, signature: PolicySignature, place: int, code: int) -> tuple[int, int]:
        """The paths sent and taken of what a neighbour chose; -1 for nothing.

        That a path names its receiver is not looked at.
        """
        number, came = self.codes.path(code), self.codes.place(code)
        peer = self.peers[place]
        came_by = self.peers[came] if came >= 0 else None
        if came_by is not None and goes_back(peer, came_by):
            return -1, -1
        path = self.paths[number]
        known = path.gateway if path.source is PathSource.OWN else path.next_hop
        if known == peer.receiver_address and known is not None:
            return self._carried(signature, place, number, came_by)
        key = self.key(signature, place, number, came_by)
        found = self.passed.get(key)
        if found is None:
            found = self._carried(signature, place, number, came_by)
            if not self.by_prefix(place):
                self.passed[key] = found
        return found

    def key(
        self, signature: PolicySignature, place: int, number: int, came_by: DirectedPeer | None
    ) -> Key:
        """What decides what becomes of a path."""
        exports, imports = self.chains[place]
        client, sender = self.origin(number, came_by)
        return (
            self.kinds[place],
            number,
            signature.prefix.version,
            signature.treatments[exports],
            signature.treatments[imports],
            client,
            sender,
        )

    def origin(self, number: int, came_by: DirectedPeer | None) -> tuple[bool, int]:
        """What a reflector looks at of how it has a path: from a client, and from whom."""
        path = self.paths[number]
        if came_by is None or path.source is not PathSource.INTERNAL:
            return False, 0
        sender = 0 if path.originator else int(self.speakers[came_by.sender].router_id)
        return bool(came_by.receiver_settings.reflector_client), sender

    def by_prefix(self, place: int) -> bool:
        """Whether what a receiver takes depends on the prefix beyond its policies."""
        receiver = self.speakers[self.peers[place].receiver]
        return receiver.outside is not None and receiver.outside.accepts is not None

    def _carried(
        self, signature: PolicySignature, place: int, number: int, came_by: DirectedPeer | None
    ) -> tuple[int, int]:
        """The paths sent and taken; -1 for nothing. That it names the receiver is not looked at."""
        peer = self.peers[place]
        sent = self.transfers.announced(peer, came_by, self.paths[number], signature.prefix).path
        if sent is None:
            return -1, -1
        taken = self.transfers.heard(peer, sent, signature.prefix, itself=False).path
        return self.paths.add(sent), -1 if taken is None else self.paths.add(taken)


def _sending(settings: NeighbourSettings) -> Hashable:
    """The settings of the sender's side that change what is sent."""
    return (
        settings.next_hop, settings.private_as, settings.local_as, settings.graceful_shutdown,
        settings.send_communities, settings.reflector_client,
    )  # fmt: skip


def _receiving(settings: NeighbourSettings) -> Hashable:
    """The settings of the receiver's side that change what is taken."""
    return (
        settings.local_as, settings.weight, settings.allow_own_as, settings.graceful_shutdown,
        settings.honour_graceful_shutdown, settings.accept_blackhole, settings.age_s,
    )  # fmt: skip

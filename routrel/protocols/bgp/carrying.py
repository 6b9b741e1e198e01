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
from ipaddress import IPv4Address

from routrel.model.addresses import Prefix
from routrel.model.bgp import NeighbourSettings
from routrel.protocols.bgp.paths import NO_ADDRESS, PathFacts, PathNumbers
from routrel.protocols.bgp.sessions import DirectedPeer
from routrel.protocols.bgp.speakers import Speaker
from routrel.protocols.bgp.transfer import Transfers

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


@dataclass(frozen=True, slots=True)
class PeerFacts:
    """What is asked of a peer for each path; addresses as `PathNumbers` numbers them."""

    sender_end: int  #: the sender with its address; equal to what leads back there
    receiver_end: int  #: the receiver with its address
    receiver_address: int
    receiver_addresses: frozenset[int]  #: every address of the receiver in its table
    receiver_id: int
    cluster_id: IPv4Address  #: of the receiver
    sender_id: int  #: the router id
    from_client: bool  #: the receiver reflects for the sender
    takes_all: bool  #: it does not look whether a path names it: an outside network
    by_prefix: bool  #: what it takes depends on the prefix beyond its policies


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
        ends = Numbering()
        self._peer_facts = [self._facts(peer, ends) for peer in peers]

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

    def _facts(self, peer: DirectedPeer, ends: Numbering) -> PeerFacts:
        sender, receiver = self.speakers[peer.sender], self.speakers[peer.receiver]
        number = self.paths.address
        receiver_address = number(peer.receiver_address)
        return PeerFacts(
            sender_end=ends[peer.sender, peer.sender_address],
            receiver_end=ends[peer.receiver, peer.receiver_address],
            receiver_address=receiver_address,
            receiver_addresses=frozenset((receiver_address, *map(number, receiver.addresses))),
            receiver_id=number(receiver.router_id),
            cluster_id=receiver.cluster_id,
            sender_id=int(sender.router_id),
            from_client=bool(peer.receiver_settings.reflector_client),
            takes_all=receiver.outside is not None,
            by_prefix=receiver.outside is not None and receiver.outside.accepts is not None,
        )

    def passes(self, signature: PolicySignature, place: int, code: int) -> int:
        """The code of what a receiver takes of what its neighbour chose; -1: nothing."""
        sent, taken = self.told(signature, place, code)
        if taken < 0 or self._names_receiver(self._peer_facts[place], self.paths.facts[sent]):
            return -1
        return taken * self.codes.base + place + 1

    def told(self, signature: PolicySignature, place: int, code: int) -> tuple[int, int]:
        """The paths sent and taken of what a neighbour chose; -1 for nothing.

        That a path names its receiver is not looked at.
        """
        number, came = divmod(code, self.codes.base)
        peer = self._peer_facts[place]
        came_by = self._peer_facts[came - 1] if came else None
        if came_by is not None and came_by.sender_end == peer.receiver_end:
            return -1, -1
        path = self.paths.facts[number]
        if path.towards == peer.receiver_address:
            return self._carried(signature, place, code)
        client, sender = False, 0
        if came_by is not None and path.internal:
            # What a reflector looks at: whether it is from a client, and who brought it in.
            client = came_by.from_client
            sender = came_by.sender_id if path.originator == NO_ADDRESS else 0
        exports, imports = self.chains[place]
        treatments, version = signature.treatments, signature.prefix.version
        key = (
            self.kinds[place], number, version, treatments[exports], treatments[imports],
            client, sender,
        )  # fmt: skip
        found = self.passed.get(key)
        if found is None:
            found = self._carried(signature, place, code)
            if not peer.by_prefix:
                self.passed[key] = found
        return found

    @staticmethod
    def _names_receiver(peer: PeerFacts, sent: PathFacts) -> bool:
        """As `names_receiver`, without words."""
        if peer.takes_all:
            return False
        return (
            sent.next_hop in peer.receiver_addresses
            or (sent.originator != NO_ADDRESS and sent.originator == peer.receiver_id)
            or peer.cluster_id in sent.cluster_list
        )

    def _carried(self, signature: PolicySignature, place: int, code: int) -> tuple[int, int]:
        """As `told`, worked out."""
        number, came = self.codes.path(code), self.codes.place(code)
        peer, came_by = self.peers[place], self.peers[came] if came >= 0 else None
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

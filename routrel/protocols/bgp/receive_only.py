"""Routers that pass nothing on, decided for all classes of prefixes at once.

Most routers of a large AS only listen to reflectors. Nobody's choice depends on theirs, so they
choose last, and all classes together: each rung is a comparison of arrays [path heard, class].
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import partial
from typing import Any

import numpy as np
from numpy.typing import NDArray

from routrel.model.bgp import MedGrouping, MissingMed
from routrel.model.policy import NEXT_HOP_DISCARD
from routrel.policy.as_paths import neighbouring_as, path_length
from routrel.protocols.bgp.carrying import PolicySignature
from routrel.protocols.bgp.paths import PathNumbers, PathSource
from routrel.protocols.bgp.round import Round
from routrel.protocols.bgp.sessions import DirectedPeer
from routrel.protocols.bgp.speakers import Speaker
from routrel.protocols.bgp.spread import Numbers
from routrel.protocols.shared.recent import Parts, digest_of
from routrel.rib.candidates import (
    DISCARD,
    ROW,
    Interning,
    PathType,
    Protocol,
    RouteKind,
    Rows,
    limited,
)

__all__ = ["ReceiveOnlyTables", "is_receive_only"]

Ints = NDArray[np.int64]
_NOTHING = -1
_WORST_MED = 2**32 - 1


def is_receive_only(
    speaker: Speaker, out: Sequence[DirectedPeer], into: Sequence[DirectedPeer]
) -> bool:
    """Whether a device passes nothing on that it hears, and chooses in the plain way.

    Args:
        out: Its peers as sender.
        into: Its peers as receiver.
    """
    instance = speaker.instance
    if instance is None or speaker.vrf is None or instance.aggregates:
        return False
    plain = (
        instance.multipath.internal == 1
        and instance.decision.med_grouping is MedGrouping.INDEPENDENT
        and not instance.announce_active_only
    )
    quiet = all(
        peer.relation is PathSource.INTERNAL
        and not peer.sender_settings.reflector_client
        and peer.sender_settings.default_route is None
        for peer in out
    )
    return (
        plain
        and quiet
        and all(
            peer.relation is PathSource.INTERNAL
            and not peer.receiver_settings.accept_blackhole
            and peer.sender_settings.add_paths in (None, 1)
            and not _may_discard(speaker, peer)
            for peer in into
        )
    )


def _may_discard(speaker: Speaker, peer: DirectedPeer) -> bool:
    """Whether an import policy there may drop what matches a route."""
    if not peer.receiver_settings.import_policies or speaker.device is None:
        return False
    return any(
        statement.actions.next_hop == NEXT_HOP_DISCARD
        for policy in speaker.device.policies
        for statement in policy.statements
    )


@dataclass(slots=True)
class _Attributes:
    """What the decision looks at of paths, by path number."""

    weight: Ints
    preference: Ints
    length: Ints
    origin: Ints
    med: Ints  #: -1: none
    group: Ints  #: the neighbouring AS; 0: none
    next_hop: Ints  #: number of the address; -1: none
    originator: Ints  #: -1: none
    clusters: Ints  #: how many


@dataclass(slots=True)
class _Ways:
    """Where next hops lead from one speaker, by their numbers in `_Attributes`."""

    cost: Ints  #: interior; -1: not usable
    drops: NDArray[np.bool_]
    sets: Ints  #: numbers of sets of next hops


class ReceiveOnlyTables:
    """The rows of receive-only speakers.

    Args:
        parts: Holds the rows of speakers as they were made; more is added.
    """

    def __init__(self, interning: Interning, made: Round, parts: Parts) -> None:
        self.interning, self.speakers, self.parts = interning, made.speakers, parts
        self.carrier, self.resolver, self.ids = made.carrier, made.resolver, made.ids
        self.receive_only, self.into = made.receive_only, made.into

    def rows(
        self,
        signatures: Sequence[PolicySignature],
        chosen: Sequence[Sequence[Numbers]],
        members: Ints,
        of: Ints,
    ) -> dict[int, Rows]:
        """The rows of all receive-only speakers for all prefixes, by number of the table.

        Args:
            signatures: The classes.
            chosen: By class and speaker: what it announces on.
            members: All prefixes of the classes, rising.
            of: The class of each of them.
        """
        if not signatures or not self.receive_only:
            return {}
        heard = self._heard(signatures, chosen)
        different = {id(found): found for found in heard.values()}
        numbers = sorted({n for found in different.values() for n in np.unique(found).tolist()})
        if not numbers or numbers[-1] < 0:
            return {}
        known = self._attributes([n for n in numbers if n >= 0])
        told = {found: digest_of(each) for found, each in different.items()}
        common = digest_of(members, of, np.array(numbers))
        blocks = {}
        for index in self.receive_only:
            table, places = self.speakers[index].table, self.into[index]
            if table is None or not places:
                continue
            ways, arrays = self._ways(index), [heard[place] for place in places]
            make = partial(self._receive_only_rows, index, arrays, known, ways, members, of)
            # The numbers of peers tell all that a speaker is, and the paths' all that they are.
            made_of = (
                *(common, digest_of(ways.cost, ways.drops, ways.sets)),
                *(self.ids[place] for place in places),
                *(told[id(each)] for each in arrays),
            )
            number = self.interning.table_numbers[table]
            blocks[number] = self.parts.of(("receive only", index, number), made_of, make)
        return blocks

    def _ways(self, index: int) -> _Ways:
        """Where all next hops lead from a speaker."""
        vrf = self.speakers[index].vrf
        if vrf is None:
            raise ValueError(f"{self.speakers[index].name} has no table")
        found = [self.resolver.of(index, address) for address in self._addresses]
        sets = [
            one.next_hops[:1]
            if one.next_hops[:1] == (DISCARD,)
            else limited(one.next_hops, vrf.maximum_paths)
            for one in found
        ]
        return _Ways(
            cost=np.array([-1 if one.problem else one.cost for one in found], dtype=np.int64),
            drops=np.array([one[:1] == (DISCARD,) for one in sets], dtype=bool),
            sets=np.array([self.interning.next_hops.add(one) for one in sets], dtype=np.int64),
        )

    def _heard(
        self, signatures: Sequence[PolicySignature], chosen: Sequence[Sequence[Numbers]]
    ) -> dict[int, Ints]:
        """By peer into a receive-only speaker: the number of the path taken, by class; -1: nothing.

        Leaves of one sender that treat paths alike share the array, unless a path names one.
        """
        carrier, paths = self.carrier, self.carrier.paths
        shared: dict[tuple[int, int, int, int], Ints] = {}
        found: dict[int, Ints] = {}
        named = {
            address
            for n in {code for each in chosen for codes in each for code in codes}
            for address in _names(paths, carrier.codes.path(n))
        }
        closed = frozenset[int]().union(*(signature.closed for signature in signatures))
        for index in self.receive_only:
            for place in self.into[index]:
                peer = carrier.peers[place]
                speaker = self.speakers[index]
                special = {peer.receiver_address, speaker.router_id, speaker.cluster_id} & named
                special |= speaker.addresses & named
                key = (
                    peer.sender,
                    carrier.kinds[place],
                    *carrier.chains[place],
                )
                alike = not special and place not in closed
                if alike and key in shared:
                    found[place] = shared[key]
                    continue
                taken = np.full(len(signatures), _NOTHING, dtype=np.int64)
                for number, signature in enumerate(signatures):
                    codes = chosen[number][peer.sender]
                    own = bool(codes) and carrier.codes.place(codes[0]) < 0
                    if signature.kept_back[peer.sender] or place in signature.closed:
                        continue
                    if signature.not_active[peer.sender] and not own:
                        continue
                    if codes and signature.prefix.version in peer.versions:
                        code = carrier.passes(signature, place, codes[0])
                        taken[number] = carrier.codes.path(code) if code >= 0 else _NOTHING
                found[place] = taken
                if alike:
                    shared[key] = taken
        return found

    def _attributes(self, numbers: Sequence[int]) -> _Attributes:
        size = max(numbers, default=0) + 1
        columns = {name: np.zeros(size, dtype=np.int64) for name in _Attributes.__slots__}
        addresses: dict[Any, int] = {}
        for number in numbers:
            path = self.carrier.paths[number]
            columns["weight"][number] = -path.weight
            columns["preference"][number] = -path.local_preference
            columns["length"][number] = path_length(path.as_path)
            columns["origin"][number] = path.origin
            columns["med"][number] = -1 if path.med is None else path.med
            columns["group"][number] = neighbouring_as(path.as_path) or 0
            columns["next_hop"][number] = addresses.setdefault(path.next_hop, len(addresses))
            columns["originator"][number] = int(path.originator) if path.originator else -1
            columns["clusters"][number] = len(path.cluster_list)
        self._addresses = list(addresses)
        return _Attributes(**columns)

    def _receive_only_rows(
        self,
        index: int,
        arrays: Sequence[Ints],
        known: _Attributes,
        ways: _Ways,
        members: Ints,
        of: Ints,
    ) -> Rows:
        """The rows of one such speaker.

        Args:
            arrays: By peer that it hears: path numbers by class.
        """
        instance, heard, cost = self.speakers[index].instance, np.stack(arrays), ways.cost
        if instance is None:
            raise ValueError(f"{self.speakers[index].name} speaks no BGP")
        at = np.maximum(heard, 0)
        alive = (heard >= 0) & (cost[known.next_hop[at]] >= 0)
        options = instance.decision
        peers = [self.carrier.peers[place] for place in self.into[index]]
        ids = np.array([int(self.speakers[h.sender].router_id) for h in peers])[:, None]
        order = sorted({peer.sender_address for peer in peers}, key=int)
        addresses = np.array([order.index(h.sender_address) for h in peers])[:, None]
        missing = _WORST_MED if options.missing_med is MissingMed.WORST else 0
        med = known.med[at]
        med = np.where(med < 0, missing, med)
        group = np.zeros_like(at) if options.compare_med_always else known.group[at]
        rungs: list[Ints] = [known.weight[at], known.preference[at]]
        if not options.ignore_as_path_length:
            rungs.append(known.length[at])
        rungs.append(known.origin[at])
        for values in rungs:
            alive = _least(alive, values)
        alive = _least_med(alive, group, med)
        if not options.ignore_interior_cost:
            alive = _least(alive, cost[known.next_hop[at]])
        originator = known.originator[at]
        alive = _least(alive, np.where(originator < 0, ids, originator))
        alive = _least(alive, known.clusters[at])
        alive = _least(alive, np.broadcast_to(addresses, at.shape))
        best = alive.argmax(axis=0)
        path = np.where(alive.any(axis=0), at[best, np.arange(at.shape[1])], _NOTHING)
        return self._rows_of(index, path, known, ways, members, of)

    def _rows_of(
        self,
        index: int,
        path: Ints,
        known: _Attributes,
        ways: _Ways,
        members: Ints,
        of: Ints,
    ) -> Rows:
        """The rows of one such speaker, from the path it chose for each class."""
        speaker = self.speakers[index]
        instance, table = speaker.instance, speaker.table
        if instance is None or table is None:
            raise ValueError(f"{speaker.name} has no table")
        kinds = [
            self.interning.kinds.add(
                RouteKind(
                    Protocol.BGP, instance.internal_distance, PathType.INTERNAL, discard=discard
                )
            )
            for discard in (False, True)
        ]
        at = np.maximum(path, 0)
        way = known.next_hop[at]
        mine = path[of]
        holding = mine >= 0
        classes = of[holding]
        rows = np.zeros(int(holding.sum()), dtype=ROW)
        rows["table"] = self.interning.table_numbers[table]
        rows["prefix"] = members[holding]
        rows["metric"] = np.maximum(known.med[at], 0)[classes]
        rows["kind"] = np.where(ways.drops[way], kinds[1], kinds[0])[classes]
        rows["next_hops"] = ways.sets[way][classes]
        return rows


def _names(paths: PathNumbers, number: int) -> tuple[Any, ...]:
    """The routers a path names."""
    path = paths[number]
    return path.next_hop, path.gateway, path.originator, *path.cluster_list


def _least(alive: NDArray[np.bool_], values: Ints) -> NDArray[np.bool_]:
    """What a rung leaves: of each column the least values."""
    least = np.where(alive, values, np.iinfo(np.int64).max).min(axis=0)
    result: NDArray[np.bool_] = alive & (values == least)
    return result


def _least_med(alive: NDArray[np.bool_], group: Ints, med: Ints) -> NDArray[np.bool_]:
    """Without those whose MED is above that of another of their group."""
    beaten = np.zeros_like(alive)
    for other in range(len(alive)):
        beaten |= alive[other] & (group == group[other]) & (med[other] < med)
    return alive & ~beaten

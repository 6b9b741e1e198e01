"""All BGP speakers of a network: from one view of the tables to the routes of BGP."""

from __future__ import annotations

import operator
from collections import defaultdict
from collections.abc import Hashable, Iterator, Mapping, Sequence
from dataclasses import replace
from functools import cached_property, partial

import numpy as np
from numpy.typing import NDArray

from routrel.forwarding.reach import Reach
from routrel.model.bgp import BgpMultipath
from routrel.model.place import Place
from routrel.model.policy import PolicyUse
from routrel.policy.redistribute import Injected, injected_key
from routrel.protocols.bgp.carrying import Carrier
from routrel.protocols.bgp.classes import Grouping
from routrel.protocols.bgp.conditions import closed_announcements
from routrel.protocols.bgp.decision import Decision
from routrel.protocols.bgp.memory import BgpMemory, leads_as_before
from routrel.protocols.bgp.origination import local_paths, outside_paths
from routrel.protocols.bgp.paths import OwnKind
from routrel.protocols.bgp.receive_only import is_receive_only
from routrel.protocols.bgp.resolve import Resolver
from routrel.protocols.bgp.result import BgpResult
from routrel.protocols.bgp.round import Onward, Round
from routrel.protocols.bgp.sessions import DirectedPeer, Session, Sessions
from routrel.protocols.bgp.speakers import Speaker, bgp_speakers
from routrel.protocols.bgp.spreading import History, Pinned, Spreading
from routrel.protocols.bgp.treatment import Chain, chain_of
from routrel.protocols.contract import Domain, Inputs, Process, Result
from routrel.rib.candidates import Interning, Protocol, Table
from routrel.rib.table import Rib
from routrel.topology.segments import Topology

__all__ = ["BgpDomain"]

#: Own paths of prefixes by number: speaker and path.
_Origins = dict[int, list[tuple[int, int]]]


#: How many rounds are kept: they may alternate between a few.
_MOST_ROUNDS = 4


class BgpDomain(Domain):
    """All speakers, and what their sessions carry.

    Args:
        memory: What the computation of much the same network left, as a copy; it is added to.
    """

    protocol = Protocol.BGP
    versions = (4, 6)

    def __init__(
        self, topology: Topology, interning: Interning, memory: BgpMemory | None = None
    ) -> None:
        self.topology, self.interning = topology, interning
        self.memory = memory or BgpMemory()
        self.speakers = tuple(bgp_speakers(topology.network))
        tables = tuple((speaker.name, speaker.table) for speaker in self.speakers)
        if self.memory.speakers != tables:
            self.memory.speakers, self.memory.judged = tables, {}
        self.index_of = {s.table: number for number, s in enumerate(self.speakers) if s.table}
        self.processes = tuple(self._processes())
        self.decisions = [
            Decision(s.decision, s.instance.multipath if s.instance else BgpMultipath())
            for s in self.speakers
        ]
        self._rounds: list[Round] = []
        self._chains, self._chain_at = self._bound_policies()
        self._grouping: tuple[object, Grouping] | None = None
        self._outside_places: dict[tuple[int, int, int], Place] = {}
        self._outside: list[list[tuple[int, int]]] = []
        for index, speaker in enumerate(self.speakers):
            place = "outside", index
            made = partial(self._announced_outside, index, speaker)
            found, places = self.memory.parts.of(place, (speaker.outside,), made)
            self._outside.append(found)
            self._outside_places.update(places)

    def _announced_outside(
        self, index: int, speaker: Speaker
    ) -> tuple[list[tuple[int, int]], dict[tuple[int, int, int], Place]]:
        """What an outside network announces: prefixes with their paths, and where that is said."""
        found: list[tuple[int, int]] = []
        places: dict[tuple[int, int, int], Place] = {}
        for prefix, path, place in outside_paths(speaker):
            pair = (self.interning.prefixes.add(prefix), self.memory.paths.add(path))
            places.setdefault((index, *pair), place)
            found.append(pair)
        return found, places

    def _processes(self) -> Iterator[Process]:
        """Those of devices, which come first among the speakers."""
        for index, speaker in enumerate(self.speakers):
            instance = speaker.instance
            if instance is None or not (speaker.table and speaker.device and speaker.vrf):
                continue
            yield Process(
                protocol=Protocol.BGP,
                index=index,
                table=speaker.table,
                device=speaker.device,
                vrf=speaker.vrf,
                versions=self.versions,
                redistribute=instance.redistribute,
                import_policy=instance.import_policy,
                networks=tuple((network.prefix, network.place) for network in instance.networks),
                distances=(instance.internal_distance,),
            )

    def looks_at(self) -> Iterator[Table]:
        """Those of all its processes: sessions and next hops rest on them."""
        return (process.table for process in self.processes)

    def nearest_return(self, table: Table, result: Result, prefixes: NDArray[np.int32]) -> int:
        """That of external routes only if another AS announces one of the prefixes."""
        process = self.processes[self.index_of[table]]
        instance = process.vrf.bgp
        found = list(process.distances)
        if (
            isinstance(result, BgpResult)
            and instance is not None
            and result.others_announce(process.index, prefixes.tolist())
        ):
            found.append(instance.external_distance)
        return min(found)

    def _bound_policies(self) -> tuple[list[Chain], dict[object, int]]:
        """All policies bound to neighbours, each binding once."""
        chains: list[Chain] = []
        at: dict[object, int] = {}
        for speaker in self.speakers:
            for _, settings in speaker.neighbours:
                for uses in (settings.import_policies, settings.export_policies):
                    chain = chain_of(speaker.device, uses)
                    key = _chain_key(speaker, uses)
                    if chain is not None and key not in at:
                        at[key] = len(chains)
                        chains.append(chain)
        return chains, at

    # --- one look ------------------------------------------------------------------------------

    def asked(self, inputs: Inputs) -> Hashable:
        """All tables: packets of sessions may pass any. What goes on from before rests on that."""
        if isinstance(inputs.choice, Onward):
            return None
        return inputs.view.tables, injected_key(inputs.injected), inputs.choice

    def compute(self, inputs: Inputs, asked: Hashable, before: Result | None) -> BgpResult:
        """The routes of all devices, worked out anew only if what they rest on has changed.

        The choice is the state to take of a class that has several (`Pinned`), or to go on from
        what speakers chose before (`Onward`).
        """
        choice, view = inputs.choice, inputs.view
        onward = choice if isinstance(choice, Onward) else Onward()
        made = replace(self._look(view), onward=onward)
        origins, own_places = self._origins(view, inputs.injected)
        silenced = self._silenced(view)
        owners = {speaker for own in origins.values() for speaker, _ in own}
        made = replace(made, receive_only=[i for i in made.receive_only if i not in owners])
        speakers = self._identities
        key = (
            *(made.ids, speakers, tuple(made.receive_only)),
            origins,
            tuple(held.tobytes() for held in silenced),
            choice,
            made.closed,
        )
        known = before if isinstance(before, BgpResult) and before.domain is self else None
        history = None
        if isinstance(choice, Onward):
            if known is not None:
                ids, codes = known.round.ids, known.round.carrier.codes
                history = History(known.classes.all, known.classes.class_of, ids, codes)
        elif (
            known is not None
            and known.key == key
            and leads_as_before(made.resolver, known.resolutions)
        ):
            made.resolver.known.update(known.resolutions)
            return replace(known, inputs=inputs, round=made)
        core = [(made.ids[place], made.carrier.chains[place]) for place in made.core]
        environment = tuple(core), speakers, tuple(made.receive_only), tuple(made.ranks)
        classes = Spreading(
            self.topology.network,
            self.interning,
            made,
            origins=origins,
            own_places=own_places,
            silenced=silenced,
            grouping=self._grouped(sorted(origins)),
            remembered=self.memory.remembered(environment),
            history=history,
            pinned=choice if isinstance(choice, Pinned) else None,
            parts=self.memory.parts,
        ).run()
        return BgpResult(
            domain=self,
            inputs=inputs,
            by_table=classes.rows,
            key=key,
            resolutions=dict(made.resolver.known),
            memory=self.memory,
            round=made,
            classes=classes,
        )

    def _look(self, view: Rib) -> Round:
        """Sessions and their peers as the tables let them be.

        Each rests on what is looked up for it; while that is as it was, so is the session.
        """
        reach = Reach(self.topology, view, self.memory.conversations)
        judged = Sessions(self.topology, self.speakers, reach, self.memory.judged)
        sessions = judged.all()
        for known in self._rounds:
            if all(map(operator.is_, known.sessions, sessions)):
                return replace(
                    known,
                    resolver=Resolver(view, self.speakers),
                    closed=tuple(closed_announcements(self.speakers, known.peers, view)),
                    contenders={},
                )
        made = self._round(view, judged, sessions)
        self._rounds = [made, *self._rounds[: _MOST_ROUNDS - 1]]
        return made

    def _round(self, view: Rib, judged: Sessions, sessions: list[Session]) -> Round:
        peers = list(judged.peers(sessions))
        out_of: list[list[int]] = [[] for _ in self.speakers]
        into: list[list[int]] = [[] for _ in self.speakers]
        chains = []
        for place, peer in enumerate(peers):
            out_of[peer.sender].append(place)
            into[peer.receiver].append(place)
            sender, receiver = self.speakers[peer.sender], self.speakers[peer.receiver]
            exports = _chain_key(sender, peer.sender_settings.export_policies)
            imports = _chain_key(receiver, peer.receiver_settings.import_policies)
            chains.append((self._chain_at.get(exports, -1), self._chain_at.get(imports, -1)))
        memory = self.memory
        return Round(
            speakers=self.speakers,
            decisions=self.decisions,
            paths=memory.paths,
            sessions=tuple(sessions),
            resolver=Resolver(view, self.speakers),
            peers=peers,
            ids=tuple(self._peer_number(peer) for peer in peers),
            carrier=Carrier(
                self.speakers, peers, chains, memory.paths, memory.numbers, memory.passed
            ),
            out_of=out_of,
            into=into,
            receive_only=[
                index
                for index, speaker in enumerate(self.speakers)
                if is_receive_only(
                    speaker,
                    [peers[place] for place in out_of[index]],
                    [peers[place] for place in into[index]],
                )
            ],
            ranks=[
                max([1, *(peers[place].sender_settings.add_paths or 1 for place in places)])
                for places in out_of
            ],
            borders=self._borders(peers),
            closed=tuple(closed_announcements(self.speakers, peers, view)),
        )

    def _borders(self, peers: Sequence[DirectedPeer]) -> list[list[int]]:
        """The peers between devices of different AS, those from one into another together."""
        found: dict[tuple[int, int], list[int]] = defaultdict(list)
        for place, peer in enumerate(peers):
            sender, receiver = self.speakers[peer.sender], self.speakers[peer.receiver]
            if sender.autonomous_system != receiver.autonomous_system and receiver.instance:
                found[sender.autonomous_system, receiver.autonomous_system].append(place)
        return list(found.values())

    @cached_property
    def _identities(self) -> tuple[int, ...]:
        """By speaker: a number for all it is, apart from its neighbours and what it announces."""
        return tuple(map(self._identity, range(len(self.speakers))))

    def _identity(self, index: int) -> int:
        speaker = self.speakers[index]
        if speaker.outside:
            what: Hashable = (speaker.outside.accepts, speaker.outside.addresses)
        elif speaker.instance:
            what = replace(
                speaker.instance,
                neighbours=(),
                groups=(),
                networks=(),
                redistribute=(),
                aggregates=(),
            )
        else:
            what = None
        return self.memory.numbers[
            index,
            speaker.name,
            speaker.table,
            speaker.autonomous_system,
            speaker.router_id,
            speaker.vrf.maximum_paths if speaker.vrf else None,
            what,
        ]

    def _peer_number(self, peer: DirectedPeer) -> int:
        ends = self._identities[peer.sender], self._identities[peer.receiver]
        return self.memory.numbers[peer, *ends]

    def _origins(
        self, view: Rib, injected: Mapping[int, Sequence[Injected]]
    ) -> tuple[_Origins, dict[tuple[int, int, int], Place]]:
        """Who announces a prefix of its own, with which path, and where that is written."""
        found: _Origins = defaultdict(list)
        places = self._outside_places.copy()
        prefixes, paths = self.interning.prefixes, self.memory.paths
        for index, speaker in enumerate(self.speakers):
            for prefix, number in self._outside[index]:
                found[prefix].append((index, number))
            own: dict[tuple[int, OwnKind | None], int] = {}
            for held, path, place in local_paths(
                self.interning, speaker, view, injected.get(index, ())
            ):
                number = paths.add(path)
                own[prefixes.add(held), path.own] = number
                places[index, prefixes.add(held), number] = place
            for (prefix, _), number in own.items():
                found[prefix].append((index, number))
            instance = speaker.instance
            for aggregate in instance.aggregates if instance else ():
                found.setdefault(prefixes.add(aggregate.prefix), [])
            if any(settings.default_route for _, settings in speaker.neighbours):
                for version in (4, 6):
                    found.setdefault(self.interning.default_prefix(version), [])
        return found, places

    def _silenced(self, view: Rib) -> list[NDArray[np.int32]]:
        """By speaker: prefixes it keeps to itself, since another protocol's route is active."""
        tables = self.interning.table_numbers
        return [
            view.held_by_others(tables[speaker.table], Protocol.BGP)
            if speaker.table and speaker.instance and speaker.instance.announce_active_only
            else np.zeros(0, dtype=np.int32)
            for speaker in self.speakers
        ]

    def _grouped(self, numbers: list[int]) -> Grouping:
        if self._grouping is None or self._grouping[0] != numbers:
            summaries = [
                [a.prefix for a in s.instance.aggregates if a.summary_only] if s.instance else []
                for s in self.speakers
            ]
            prefixes = [self.interning.prefixes.prefixes[number] for number in numbers]
            made = Grouping(numbers, prefixes, self._chains, summaries, self.memory.numbers)
            self._grouping = (numbers, made)
        return self._grouping[1]


def _chain_key(speaker: Speaker, uses: tuple[PolicyUse, ...] | None) -> object:
    return speaker.table, tuple(use.policy for use in uses or ())

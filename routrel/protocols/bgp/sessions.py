"""BGP sessions: which come up, through the tables and filters as they are, and why others do not.

A session needs both sides to have configured each other, with the AS numbers they show each other,
by addresses each of them owns, and packets of TCP port 179 that arrive both ways (RFC 4271 8).
Either side may open the connection; one that can is enough.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from enum import Enum

from routrel.forwarding.reach import Probe, Reach, Rests, Start, Unreachable
from routrel.model.addresses import Address, InterfaceAddress
from routrel.model.bgp import BgpNeighbour, NeighbourSettings
from routrel.model.place import NOWHERE, Place
from routrel.model.traffic import TCP, Header
from routrel.protocols.bgp.paths import PathSource
from routrel.protocols.bgp.speakers import NO_ID, Speaker
from routrel.rib.candidates import Table
from routrel.topology.segments import Topology

__all__ = [
    "BGP_PORT",
    "EPHEMERAL_PORT",
    "DirectedPeer",
    "Judged",
    "Session",
    "SessionState",
    "Sessions",
    "judged_alike",
]

BGP_PORT = 179
EPHEMERAL_PORT = 49152
_INTERNAL_TTL = 64
_LARGEST_TTL = 255


class SessionState(Enum):
    """Whether a session is up, or what keeps it down. Values are stable identifiers."""

    UP = "up"
    SHUT = "shut"
    UNKNOWN_NEIGHBOUR = "unknown_neighbour"  #: nobody in the model has the address
    NOT_SPEAKING = "not_speaking"  #: whoever has the address speaks no BGP there
    NOT_CONFIGURED = "not_configured"  #: the other side does not expect this one
    WRONG_SOURCE = "wrong_source"  #: it expects another address of this side
    AS_MISMATCH = "as_mismatch"
    NO_ROUTER_ID = "no_router_id"  #: one side has none, and no IPv4 address to take one from
    ID_CONFLICT = "id_conflict"  #: two internal neighbours with one router id
    AUTHENTICATION_MISMATCH = "authentication_mismatch"
    NO_COMMON_FAMILY = "no_common_family"
    NO_SOURCE = "no_source"  #: this side has no address to speak from
    NOT_CONNECTED = "not_connected"  #: external, without multihop, on no common subnet
    UNREACHABLE = "unreachable"  #: packets do not arrive


@dataclass(frozen=True, slots=True, kw_only=True)
class Session:
    """One configured neighbour of a device, and what became of it."""

    local: int  #: index of the speaker
    remote: int | None  #: None where it is not known
    neighbour: BgpNeighbour
    settings: NeighbourSettings
    relation: PathSource
    local_address: Address | None
    state: SessionState
    reason: str = ""  #: in words; empty where it is up
    place: Place = NOWHERE  #: what causes it
    remote_settings: NeighbourSettings | None = None
    versions: tuple[int, ...] = ()

    @property
    def remote_address(self) -> Address:
        """The other side's address, as this side names it."""
        return self.neighbour.address


@dataclass(frozen=True, slots=True, kw_only=True)
class DirectedPeer:
    """One direction of a session that is up: what its sender announces to its receiver."""

    sender: int
    receiver: int
    relation: PathSource  #: what the two are to each other
    sender_address: Address
    receiver_address: Address
    sender_settings: NeighbourSettings
    receiver_settings: NeighbourSettings
    versions: tuple[int, ...]
    shares_subnet: InterfaceAddress | None  #: the sender's address where the two share its subnet
    own_addresses: tuple[Address, ...]  #: what the sender may name as itself, one a family


@dataclass(frozen=True, slots=True)
class _JudgedOnce:
    """A session as it was judged, and what that rests on."""

    session: Session
    rests: Rests
    owners: tuple[tuple[str, str], ...]  #: who has the neighbour's address


#: What came of each neighbour lately, the latest first; by speaker and position of the neighbour.
Judged = dict[tuple[int, int], tuple[_JudgedOnce, ...]]
#: How many are kept of one neighbour: rounds may alternate between a few.
_MOST_JUDGED = 4


class Sessions:
    """All sessions of a network, judged against one state of the tables.

    Args:
        known: Sessions as they were judged in other states of the same network; it is added to.
    """

    def __init__(
        self, topology: Topology, speakers: tuple[Speaker, ...], reach: Reach, known: Judged
    ) -> None:
        self.topology, self.speakers, self.reach, self.known = topology, speakers, reach, known
        self._by_table = {s.table: number for number, s in enumerate(speakers) if s.table}
        #: Neighbours of a table's speaker, by whose table has their address.
        self._by_owner: dict[Table | None, dict[Table, list[_Neighbour]]] = {}
        self._by_outside = {
            address.ip: number
            for number, speaker in enumerate(speakers)
            if speaker.outside
            for address in speaker.outside.addresses
        }

    def all(self) -> list[Session]:
        """Every configured neighbour of every device, in order of device and file.

        One that rests on what it rested on before is the same object as then.
        """
        return [
            self._judged(number, place)
            for number, speaker in enumerate(self.speakers)
            for place in range(len(speaker.neighbours))
        ]

    def _judged(self, number: int, place: int) -> Session:
        speaker = self.speakers[number]
        neighbour, settings = speaker.neighbours[place]
        before = self.known.get((number, place), ())
        for item in before:
            if self.reach.still(item.rests):
                return item.session
        session, rests = self.reach.resting(
            lambda: self._session(number, speaker, neighbour, settings)
        )
        owners = _owners_of(self.topology, neighbour.address)
        made = _JudgedOnce(session, rests, owners)
        self.known[number, place] = (made, *before[: _MOST_JUDGED - 1])
        return session

    def peers(self, sessions: list[Session]) -> Iterator[DirectedPeer]:
        """Both directions of every session that is up, each once."""
        seen = set()
        for session in sessions:
            if session.state is not SessionState.UP or session.remote is None:
                continue
            mine, theirs = session.local_address, session.remote_address
            there, settings = session.remote, session.remote_settings
            if mine is None or settings is None:
                raise ValueError("a session is up without its two ends")
            for sender, receiver, out, into, from_, to in (
                (session.local, there, session.settings, settings, mine, theirs),
                (there, session.local, settings, session.settings, theirs, mine),
            ):
                key = (sender, receiver, from_, to)
                if key in seen:
                    continue
                seen.add(key)
                yield DirectedPeer(
                    sender=sender,
                    receiver=receiver,
                    relation=session.relation,
                    sender_address=from_,
                    receiver_address=to,
                    sender_settings=out,
                    receiver_settings=into,
                    versions=session.versions,
                    shares_subnet=self._shared_subnet(self.speakers[sender], from_, to),
                    own_addresses=tuple(self._own_addresses(self.speakers[sender], from_)),
                )

    # --- one session ---------------------------------------------------------------------------

    def _session(
        self, number: int, speaker: Speaker, neighbour: BgpNeighbour, settings: NeighbourSettings
    ) -> Session:
        relation = speaker.relation(settings)
        made = Session(
            local=number,
            remote=None,
            neighbour=neighbour,
            settings=settings,
            relation=relation,
            local_address=None,
            state=SessionState.UP,
            place=neighbour.place,
        )
        if settings.enabled is False:
            return replace(made, state=SessionState.SHUT, reason="it is shut on this side")
        remote, why = self._owner(neighbour.address)
        if remote is None:
            return replace(made, state=why, reason=_NOBODY[why].format(neighbour.address))
        source = self._source(speaker, settings, neighbour.address)
        made = replace(made, remote=remote, local_address=source)
        return self._matched(made, speaker, self.speakers[remote])

    def _owner(self, address: Address) -> tuple[int | None, SessionState]:
        outside = self._by_outside.get(address)
        if outside is not None:
            return outside, SessionState.UP
        owners = self.topology.owners.get(address, ())
        for end in owners:
            self.reach.meet(end.device.name)
            found = self._by_table.get((end.device.name, end.interface.vrf))
            if found is not None:
                return found, SessionState.UP
        known = bool(owners) or any(
            address == own.ip for other in self.topology.network.outside for own in other.addresses
        )
        return None, SessionState.NOT_SPEAKING if known else SessionState.UNKNOWN_NEIGHBOUR

    def _matched(self, made: Session, speaker: Speaker, other: Speaker) -> Session:
        """Holds the two sides' settings against each other, then sends packets."""
        address = made.neighbour.address
        for side in (speaker, other):
            if side.device is not None:
                self.reach.meet(side.device.name)
        failed = self._failed(speaker, other)
        if failed:
            reason = f"{failed} has failed in this lens"
            return replace(made, state=SessionState.UNREACHABLE, reason=reason)
        back, expected = self._configured_back(made, speaker, other)
        if back is None:
            if made.local_address is None and not expected:
                reason = f"no interface of {speaker.name} leads to {address}"
                return replace(made, state=SessionState.NO_SOURCE, reason=reason)
            if expected:
                text = (
                    f"{speaker.name} speaks from {made.local_address}, {other.name} expects "
                    f"{' or '.join(map(str, expected))}"
                )
                return replace(made, state=SessionState.WRONG_SOURCE, reason=text)
            text = f"{other.name} has no neighbour {made.local_address}"
            return replace(made, state=SessionState.NOT_CONFIGURED, reason=text, place=other.place)
        mine, theirs, source = made.settings, back, expected[0]
        made = replace(made, local_address=source, remote_settings=theirs)
        for side, neighbour in ((speaker, address), (other, source)):
            named = (side.device.name, neighbour) if side.device else None
            if named in self.topology.failed.sessions:
                reason = f"{self.topology.failed.sessions[named]} has failed in this lens"
                return replace(made, state=SessionState.UNREACHABLE, reason=reason)
        shown, wanted = other.shown_as(theirs), mine.autonomous_system
        back_shown, back_wanted = speaker.shown_as(mine), theirs.autonomous_system
        families = [
            {family.version for family in found.families} if found.families else {address.version}
            for found in (mine, theirs)
        ]
        state, reason, place = SessionState.UP, "", made.neighbour.place
        if theirs.enabled is False:
            state, reason, place = SessionState.SHUT, f"it is shut at {other.name}", theirs.place
        elif shown != wanted:
            state = SessionState.AS_MISMATCH
            reason = f"{speaker.name} expects AS {wanted}, {other.name} is AS {shown}"
        elif back_shown != back_wanted:
            state, place = SessionState.AS_MISMATCH, theirs.place
            reason = f"{other.name} expects AS {back_wanted}, {speaker.name} is AS {back_shown}"
        elif made.relation is not other.relation(theirs):
            state = SessionState.AS_MISMATCH
            reason = "only one side takes the other for a member of its confederation"
        elif NO_ID in (speaker.router_id, other.router_id):
            without = speaker if speaker.router_id == NO_ID else other
            state, place = SessionState.NO_ROUTER_ID, without.place
            reason = f"{without.name} has no router id, nor an IPv4 address to take one from"
        elif made.relation is PathSource.INTERNAL and speaker.router_id == other.router_id:
            # RFC 6286 2.1: within an AS router ids are unique.
            state, reason = SessionState.ID_CONFLICT, f"both have the router id {other.router_id}"
        elif other.outside is None and mine.authentication != theirs.authentication:
            state = SessionState.AUTHENTICATION_MISMATCH
            reason = (
                f"key {mine.authentication or 'none'} against {theirs.authentication or 'none'}"
            )
        elif not families[0] & families[1]:
            state, reason = SessionState.NO_COMMON_FAMILY, "they carry different address families"
        else:
            problem = self._apart(speaker, other, made)
            if problem is not None:
                state, reason, place = problem
        versions = tuple(sorted(families[0] & families[1]))
        return replace(made, state=state, reason=reason, place=place, versions=versions)

    def _failed(self, *sides: Speaker) -> str:
        """What of the two sides has failed whole; empty: nothing."""
        failed = self.topology.failed
        for side in sides:
            if side.device is not None and side.device.name in failed.devices:
                return failed.devices[side.device.name]
            if side.outside is not None and side.outside.name in failed.lines:
                return failed.lines[side.outside.name]
        return ""

    def _configured_back(
        self, made: Session, speaker: Speaker, other: Speaker
    ) -> tuple[NeighbourSettings | None, list[Address]]:
        """The other side's settings for this one, with the address it knows it by.

        Without any that fit: None, and the addresses of this side it expects instead.
        """
        address = made.neighbour.address
        if other.outside is not None:
            peers = other.outside.peers
            if made.local_address is None:
                return None, []
            if peers is None:
                shown = NeighbourSettings(
                    autonomous_system=speaker.shown_as(made.settings), place=other.place
                )
                return shown, [made.local_address]
            for stated in peers:
                if stated.address == made.local_address:
                    expected = NeighbourSettings(
                        autonomous_system=stated.autonomous_system, place=stated.place
                    )
                    return expected, [stated.address]
            return None, [stated.address for stated in peers if self._has(speaker, stated.address)]
        fitting: list[tuple[NeighbourSettings, Address]] = []
        known: list[Address] = []
        for neighbour, settings in self._towards(other, speaker):
            known.append(neighbour.address)
            # This side opens from the address the other expects, or the other opens from the one
            # that this side expects.
            if neighbour.address == made.local_address:
                fitting.insert(0, (settings, neighbour.address))
            elif self._source(other, settings, neighbour.address) == address:
                fitting.append((settings, neighbour.address))
        if fitting:
            return fitting[0][0], [fitting[0][1]]
        return None, known

    def _towards(self, other: Speaker, speaker: Speaker) -> Sequence[_Neighbour]:
        """The neighbours of one side whose address the other side has, in order."""
        if speaker.outside is not None:
            return [one for one in other.neighbours if self._has(speaker, one[0].address)]
        found = self._by_owner.get(other.table)
        if found is None:
            found = self._by_owner[other.table] = defaultdict(list)
            for one in other.neighbours:
                owners = self.topology.owners.get(one[0].address, ())
                for table in dict.fromkeys((e.device.name, e.interface.vrf) for e in owners):
                    found[table].append(one)
        return found.get(speaker.table or ("", ""), ())

    def _apart(
        self, speaker: Speaker, other: Speaker, made: Session
    ) -> tuple[SessionState, str, Place] | None:
        """What keeps packets of the session from arriving, one way or back."""
        source, address = made.local_address, made.neighbour.address
        if source is None or made.remote_settings is None:
            raise ValueError("packets need two addresses")
        ends = (
            (speaker, made.settings, source, address),
            (other, made.remote_settings, address, source),
        )
        if made.relation is not PathSource.INTERNAL:
            for here, settings, mine, theirs in ends:
                far = settings.multihop or settings.ttl_security
                if here.device and not far and self._shared_subnet(here, mine, theirs) is None:
                    text = (
                        f"{theirs} is on no subnet of {here.name}; an external neighbour behind "
                        "other routers needs multihop"
                    )
                    return SessionState.NOT_CONNECTED, text, settings.place
        found: list[Unreachable] = []
        for opens, answers in (ends, ends[::-1]):
            if self._source(opens[0], opens[1], opens[3]) not in (opens[2], None):
                continue
            obstacle = self._conversation(opens, answers)
            if obstacle is None:
                return None
            found.append(obstacle)
        if not found:
            return None
        place = found[0].place if found[0].place.line else made.neighbour.place
        return SessionState.UNREACHABLE, found[0].text, place

    def _conversation(self, opens: _End, answers: _End) -> Unreachable | None:
        """What stops packets to port 179, or the answers to them."""
        there = self._packet(opens, answers, (EPHEMERAL_PORT, BGP_PORT), {"syn"})
        back = self._packet(answers, opens, (BGP_PORT, EPHEMERAL_PORT), {"syn", "ack"})
        return self.reach.conversation(there, back)

    def _packet(
        self, sender: _End, receiver: _End, ports: tuple[int, int], flags: set[str]
    ) -> Probe:
        here, settings, mine, theirs = sender
        external = here.relation(settings) is not PathSource.INTERNAL
        ttl = _INTERNAL_TTL
        if settings.ttl_security or here.outside:
            ttl = _LARGEST_TTL
        elif external:
            ttl = settings.multihop or 1
        header = Header(
            source=mine,
            destination=theirs,
            protocol=TCP,
            source_port=ports[0],
            destination_port=ports[1],
            flags=frozenset(flags),
            ttl=ttl,
        )
        asked = receiver[1].ttl_security
        least = _LARGEST_TTL + 1 - asked if asked else 1
        starts = tuple(self._starts(here, receiver[0], mine, theirs))
        return Probe(starts, header, least)

    def _starts(
        self, here: Speaker, there: Speaker, mine: Address, theirs: Address
    ) -> Iterator[Start]:
        """Where a speaker's packets begin; those of an outside network come in by its segment."""
        if here.table:
            yield Start(*here.table)
            return
        for segment in self.topology.segments:
            if not any(end.address.ip == mine for end in self.topology.outside_ends(segment)):
                continue
            for end in segment.ends:
                self.reach.meet(end.device.name)
            ends = [end for end in segment.ends if self.topology.is_up(*end.key)]
            owning = [e for e in ends if any(a.ip == theirs for a in e.interface.addresses)]
            near = [e for e in ends if there.device and there.device.name == e.device.name]
            for end in (owning or near or ends)[:1]:
                yield Start(end.device.name, end.interface.vrf, end.interface.name)

    # --- addresses -----------------------------------------------------------------------------

    def _has(self, speaker: Speaker, address: Address) -> bool:
        if speaker.outside:
            return any(own.ip == address for own in speaker.outside.addresses)
        return any(
            (end.device.name, end.interface.vrf) == speaker.table
            for end in self.topology.owners.get(address, ())
        )

    def _source(
        self, speaker: Speaker, settings: NeighbourSettings, towards: Address
    ) -> Address | None:
        """The address a speaker opens a session from.

        That of the interface it names, else of the one that shares a subnet with the neighbour,
        else of the one its table leads out of.
        """
        if speaker.outside is not None:
            own = [a for a in speaker.outside.addresses if towards in a.network]
            return own[0].ip if own else None
        device, table = speaker.device, speaker.table
        if device is None or table is None:
            raise ValueError(f"{speaker.name} is neither a device nor an outside network")
        if settings.source is not None:
            interface = device.interface(settings.source)
            found = [
                address.ip
                for address in (device.addresses_on(interface) if interface else ())
                if address.version == towards.version and not address.ip.is_link_local
            ]
            return found[0] if found else None
        for interface in device.interfaces:
            if interface.vrf == table[1]:
                for address in interface.addresses:
                    if towards in address.network and towards != address.ip:
                        return address.ip
        route = self.reach.route(self.reach.view.interning.table_numbers[table], towards)
        if route is None or route.discard or not route.next_hops:
            return None
        hop = route.next_hops[0]
        interface = device.interface(hop.interface or "")
        own = [
            address
            for address in (device.addresses_on(interface) if interface else ())
            if address.version == towards.version and not address.ip.is_link_local
        ]
        near = [a for a in own if hop.address is not None and hop.address in a.network]
        return (near or own)[0].ip if own else None

    def _shared_subnet(
        self, speaker: Speaker, mine: Address, theirs: Address
    ) -> InterfaceAddress | None:
        """The interface address of a speaker whose subnet holds both addresses and is up."""
        if speaker.outside:
            return next(
                (a for a in speaker.outside.addresses if a.ip == mine and theirs in a.network), None
            )
        for end in self.topology.owners.get(mine, ()):
            if speaker.device and end.device.name == speaker.device.name:
                for address in end.interface.addresses:
                    if address.ip == mine and theirs in address.network:
                        return address
        return None

    def _own_addresses(self, speaker: Speaker, mine: Address) -> Iterator[Address]:
        """The session's own address, and one of the other family on the same interface."""
        yield mine
        addresses: tuple[InterfaceAddress, ...] = ()
        if speaker.outside:
            addresses = speaker.outside.addresses
        for end in self.topology.owners.get(mine, ()):
            if speaker.device and end.device.name == speaker.device.name:
                addresses = end.interface.addresses
        for address in addresses:
            if address.version != mine.version and not address.ip.is_link_local:
                yield address.ip
                return


def _owners_of(topology: Topology, address: Address) -> tuple[tuple[str, str], ...]:
    """The interfaces that have an address, in order."""
    return tuple(end.key for end in topology.owners.get(address, ()))


def judged_alike(known: Judged, now: Topology, touched: frozenset[str] | None) -> Judged:
    """Of sessions judged in one network those that are the same in much the same network.

    Args:
        touched: The devices that may see the network otherwise; None: it may be any.
    """
    if touched is None:
        return {}
    found = {}
    for key, items in known.items():
        alike = tuple(
            item
            for item in items
            if not item.rests.devices & touched
            and item.owners == _owners_of(now, item.session.neighbour.address)
        )
        if alike:
            found[key] = alike
    return found


_Neighbour = tuple[BgpNeighbour, NeighbourSettings]
_End = tuple[Speaker, NeighbourSettings, Address, Address]

_NOBODY = {
    SessionState.UNKNOWN_NEIGHBOUR: "nobody in the model has the address {}",
    SessionState.NOT_SPEAKING: "whoever has the address {} speaks no BGP there",
}

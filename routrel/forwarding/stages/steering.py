"""Policy-based routing: rules that lead packets elsewhere than the table would."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

from routrel.forwarding.evidence import Cause, Evidence, Result, StageName, Stopped, Verdict
from routrel.forwarding.filters import later_fragment
from routrel.forwarding.forwarder import Forwarder, Outcomes
from routrel.forwarding.lookup import SteeringTried
from routrel.forwarding.packet import Packet
from routrel.model.steering import Steering, SteeringRule
from routrel.model.traffic import Fragment

__all__ = ["SteeringEvidence", "steering"]


@dataclass(frozen=True, slots=True, kw_only=True)
class SteeringEvidence(Evidence):
    """Policy-based routing and how it decided; `rule` is None where no rule was usable."""

    steering: Steering
    rule: SteeringRule | None
    tried: tuple[SteeringTried, ...]

    def cause(self, at: Stopped) -> Cause:
        return Cause(
            device=at.device.name,
            kind="steering_discard",
            interface=at.interface_in,
            rule=self.rule.id if self.rule else None,
            place=self.rule.place if self.rule else self.steering.place,
        )


def steering(packet: Packet, forwarder: Forwarder) -> Outcomes:
    """The rules of the interface, then those of what is forwarded; or of what the device sends."""
    interface = packet.arrived_by
    rules = packet.device.transit_traffic if interface else packet.device.local_traffic
    uses = [use for use in (interface.steering if interface else None, rules.steering) if use]
    return _steered_by(packet, forwarder, [use.steering for use in uses])


def _steered_by(packet: Packet, forwarder: Forwarder, names: Sequence[str]) -> Outcomes:
    """A packet through rules in order; fragments that are steered apart part here."""
    for number, name in enumerate(names):
        rules = packet.device.steering(name)
        if rules is None:
            continue
        device, vrf = packet.device, packet.vrf
        found = forwarder.lookup.steered(device, vrf, rules, packet.header, packet.context)
        if packet.header.fragment is Fragment.FIRST and not device.tracks_connections:
            first, later = _parted(packet)
            of_later = forwarder.lookup.steered(device, vrf, rules, later.header, later.context)
            if replace(of_later, tried=()) != replace(found, tried=()):
                left = names[number:]
                return (
                    *_steered_by(first, forwarder, left),
                    *_steered_by(later, forwarder, left),
                )
        evidence = SteeringEvidence(steering=rules, rule=found.rule, tried=found.tried)
        if found.discards:
            stage = StageName.STEERING
            return (forwarder.stop(packet, stage, evidence, Verdict.DISCARDED),)
        if found.rule is not None:
            packet = packet.noting(StageName.STEERING, Result.PASSED, evidence)
            return (packet.but(steered=found.next_hops, table=found.rule.table or ""),)
        packet = packet.noting(StageName.STEERING, Result.NONE, evidence)
    return (packet,)


def _parted(packet: Packet) -> tuple[Packet, Packet]:
    """The first fragment of a packet that was cut, and its later ones, each by itself."""
    half = packet.on_path(share=packet.path.share / 2)
    return (
        half.but(header=replace(packet.header, fragment=Fragment.ALONE)),
        half.but(header=later_fragment(packet.header), mark=packet.later_mark),
    )

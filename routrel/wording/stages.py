"""What each stage of a hop did, in words."""

from __future__ import annotations

from collections.abc import Iterable
from fractions import Fraction

from routrel.forwarding.evidence import (
    Direction,
    Hop,
    Result,
    Stage,
    StageName,
)
from routrel.forwarding.filters import dscp_name
from routrel.forwarding.stages.answer import AnswerEvidence
from routrel.forwarding.stages.loop import LoopEvidence
from routrel.forwarding.stages.mtu import MtuEvidence, PiecesEvidence
from routrel.forwarding.stages.neighbour import NeighbourEvidence
from routrel.forwarding.stages.packet_filter import FilterEvidence, ZoneEvidence
from routrel.forwarding.stages.reverse_path import ReversePathEvidence
from routrel.forwarding.stages.route import ReceiveEvidence, RouteEvidence
from routrel.forwarding.stages.steering import SteeringEvidence
from routrel.forwarding.stages.translation import TranslationEvidence
from routrel.forwarding.stages.ttl import TtlEvidence
from routrel.model.filters import Action, ConnectionState, Match, Rule
from routrel.model.network import ReversePathCheck
from routrel.model.steering import SteeringRule
from routrel.model.traffic import Header, icmp_type_name, protocol_name
from routrel.model.translation import Side, TranslationRule
from routrel.rib.table import Route
from routrel.wording.routes import route_type_words

__all__ = [
    "STAGE_TITLES",
    "answer_words",
    "bound_words",
    "match_words",
    "mtu_words",
    "neighbour_words",
    "protocol_words",
    "reverse_path_words",
    "rule_words",
    "share_words",
    "stage_words",
    "steered_words",
    "steering_words",
    "translation_words",
    "zone_words",
]

STAGE_TITLES: dict[StageName, str] = {
    StageName.ARRIVAL: "Arrival",
    StageName.FILTER_IN: "Filter in",
    StageName.FILTER_ARRIVING: "Arriving traffic",
    StageName.REVERSE_PATH: "Reverse path",
    StageName.TRANSLATION: "Translation",
    StageName.STEERING: "Steering",
    StageName.ROUTE: "Route",
    StageName.FILTER_LOCAL: "Own traffic",
    StageName.TTL: "Time to live",
    StageName.FILTER_TRANSIT: "Filter through",
    StageName.SOURCE_TRANSLATION: "Source translation",
    StageName.FILTER_OUT: "Filter out",
    StageName.MTU: "MTU",
    StageName.NEIGHBOUR: "Neighbour",
    StageName.ANSWER: "Answer",
}


#: Parts of which a share is told exactly.
_MOST_PARTS = 1024


def share_words(share: Fraction) -> str:
    """A share of traffic: "all", "1/2", or about a percentage where the fraction is unwieldy."""
    if share == 1:
        return "all"
    exact = share.denominator <= _MOST_PARTS
    return str(share) if exact else f"about {float(share) * 100:.2g}%"


def protocol_words(route: Route) -> str:
    """A route's protocol with its path type, as "OSPF intra-area"."""
    return route_type_words(route)


def rule_words(rule: Rule) -> str:
    """A rule as it is read aloud: "deny tcp 10.64.0.0/12 → any port 5000-6000"."""
    action = rule.action.value if rule.action else f"ask {rule.asks} about" * bool(rule.asks)
    mark = "" if rule.mark is None else f", marked {rule.mark}"
    return f"{action or 'continue'} {match_words(rule.match)}{mark}"


def match_words(match: Match) -> str:
    """What a match asks for: "tcp 10.64.0.0/12 → any port 5000-6000"."""
    words = ["any" if match.protocol is None else protocol_name(match.protocol)]
    words.append(_side(match.sources, match.source_ports))
    words.append("→")
    words.append(_side(match.destinations, match.destination_ports))
    if match.icmp_types:
        kinds = [icmp_type_name(match.protocol or 0, number) for number in match.icmp_types]
        words.append(", ".join(kinds))
    if match.icmp_codes:
        words.append("code " + _joined(match.icmp_codes))
    flags = [*match.flags_set, *(f"not {flag}" for flag in match.flags_clear)]
    if flags:
        words.append("flags " + _joined(flags))
    if match.dscps:
        words.append("code point " + ", ".join(dscp_name(number) for number in match.dscps))
    if match.fragments:
        words.append(f"fragments {match.fragments.value}")
    if match.connection_states:
        words.append("session " + ", ".join(state.value for state in match.connection_states))
    if match.in_interfaces:
        words.append("arriving by " + _joined(match.in_interfaces))
    if match.out_interfaces:
        words.append("leaving by " + _joined(match.out_interfaces))
    if match.marks:
        words.append("marked " + _joined(match.marks))
    return " ".join(words)


def steering_words(rule: SteeringRule) -> str:
    """A steering rule as it is read aloud."""
    if rule.drops:
        action = f"reject as {rule.reject.value}" if rule.reject else "discard"
    elif rule.table:
        longer = "" if rule.longer_than is None else f", if longer than {rule.longer_than}"
        action = f"by table {rule.table}{longer}"
    else:
        action = f"to {_joined(rule.next_hops)}"
    only = f"of IPv{rule.version}, " if rule.version is not None else ""
    return f"{only}{'all but ' if rule.invert else ''}{match_words(rule.match)}: {action}"


def translation_words(rule: TranslationRule) -> str:
    """A translation rule as it is read aloud."""
    if rule.keep:
        action = "keep"
    else:
        way = "arrival" if rule.side is Side.DESTINATION else "outgoing"
        to = _joined(rule.to) or f"the {way} interface's address"
        ports = f" port {rule.ports}" if rule.ports else ""
        side = rule.side.value if rule.side else ""
        action = f"{side} becomes {to}{ports}"
    own = "the device's own " if rule.own else ""
    return f"{own}{match_words(rule.match)}: {action}"


def _joined(values: Iterable[object]) -> str:
    return ", ".join(str(value) for value in values)


def _side(prefixes: tuple[object, ...], ports: tuple[object, ...]) -> str:
    where = ", ".join(str(prefix) for prefix in prefixes) or "any"
    return f"{where} port {', '.join(str(port) for port in ports)}" if ports else where


def stage_words(stage: Stage, hop: Hop) -> str:
    """What a stage decided, in one sentence without its title."""
    if stage.result is Result.NOT_REACHED:
        return "not reached: the packet is stopped before"
    match stage.evidence:
        case FilterEvidence() as evidence:
            return _filter_words(evidence)
        case ZoneEvidence() as evidence:
            return zone_words(evidence)
        case ReversePathEvidence() as evidence:
            return reverse_path_words(evidence, stage.result is Result.STOPPED)
        case TranslationEvidence() as evidence:
            return _translation_words(evidence)
        case SteeringEvidence() as evidence:
            return steered_words(evidence)
        case RouteEvidence() as evidence:
            return _route_words(evidence)
        case AnswerEvidence() as evidence:
            return answer_words(evidence)
        case PiecesEvidence():
            return "it puts fragments together, and the others of this packet go another way"
        case ReceiveEvidence(interface=None, address=address):
            return f"{hop.device} does not forward, and {address} is not its own"
        case ReceiveEvidence(interface=interface, address=address):
            return f"{address} is its own, on {interface}"
        case TtlEvidence(arrived=arrived) if stage.result is Result.STOPPED:
            return f"arrived with {arrived}, which would become 0"
        case TtlEvidence(arrived=arrived):
            return f"{arrived} becomes {arrived - 1}"
        case MtuEvidence() as evidence:
            return mtu_words(evidence)
        case NeighbourEvidence() as evidence:
            return neighbour_words(evidence)
        case LoopEvidence(devices=devices):
            return "comes back the same way: " + " → ".join((*devices, devices[0]))
        case _:
            if hop.interface_in is None and stage.name is StageName.FILTER_IN:
                return "none: the packet begins here"
            interface = hop.interface_in if stage.name is StageName.FILTER_IN else hop.interface_out
            return f"none on {interface}"


def answer_words(evidence: AnswerEvidence) -> str:
    """Who was asked, and who answers."""
    asked, arrived = evidence.asked, evidence.arrived
    why = ""
    if evidence.translator:
        why = f"; {evidence.translator} translated it and does not see the answer"
    if arrived.destination != asked.source:
        return f"{asked.source} asked, and the answer goes to {arrived.destination}{why}"
    was = _address_words(asked.destination, asked.destination_port)
    return f"{was} was asked, {_address_words(arrived.source, arrived.source_port)} answers{why}"


def _address_words(address: object, port: int | None) -> str:
    return str(address) if port is None else f"{address} port {port}"


def _filter_words(evidence: FilterEvidence) -> str:
    result = evidence.result
    verb = "permits it" if result.action is Action.PERMIT else "drops it"
    asked = f", asked by {result.bound}," if result.bound != result.filter.name else ""
    where = f"{result.filter.name}{asked}{bound_words(evidence)}"
    if result.connection is ConnectionState.ESTABLISHED:
        return f"{where}: permits it as the answer to a packet this device let pass"
    if result.connection is ConnectionState.INVALID:
        return f"{where}: drops it: an answer, but this device saw nothing that it answers"
    marked = f"; it is marked {result.mark}" if result.mark and result.permits else ""
    piece = "later fragments: " if result.fragment else ""
    if result.rule is None:
        none = "no rule decides" if result.mark else "no rule matches"
        return f"{where}: {piece}{none}, and its default {verb}{marked}"
    return f"{where}: {piece}rule {result.rule.id} {verb} ({rule_words(result.rule)}){marked}"


def bound_words(evidence: FilterEvidence) -> str:
    """Where a filter is bound, as " on port1"."""
    if evidence.zones:
        return f" from zone {evidence.zones[0]} to {evidence.zones[1]}"
    if evidence.interface:
        return f" on {evidence.interface}"
    return {
        Direction.IN: " for own traffic in",
        Direction.OUT: " for own traffic out",
        Direction.THROUGH: " for through traffic",
        Direction.ARRIVING: " for arriving traffic",
    }[evidence.direction]


def zone_words(evidence: ZoneEvidence) -> str:
    names = [f"zone {name}" if name else "no zone" for name in
             (evidence.source, evidence.destination)]  # fmt: skip
    return f"from {names[0]} to {names[1]} no filter lets anything begin"


def reverse_path_words(evidence: ReversePathEvidence, stopped: bool) -> str:
    if evidence.own:
        return f"its source {evidence.source} is this device's own address"
    if evidence.route is None:
        return f"no route back to {evidence.source}"
    ways = _joined(dict.fromkeys(str(hop.interface) for hop in evidence.route.next_hops))
    back = f"the way back to {evidence.source} is by {ways} ({evidence.route.prefix})"
    if stopped:
        return f"{back}, not by {evidence.interface} where it came in"
    strict = evidence.mode is ReversePathCheck.STRICT
    return back if strict else f"{back}; loose: any way back will do"


def _translation_words(evidence: TranslationEvidence) -> str:
    side, before, after = evidence.side.value, evidence.before, evidence.after
    if before == after:
        return f"{side} kept by rule {evidence.rule.id}" if evidence.rule else f"{side} kept"
    was, now = (_end_words(header, evidence.side, before, after) for header in (before, after))
    if evidence.taken:
        return f"{side} {was} becomes {now}: another session of this device has the first"
    by = f"rule {evidence.rule.id}" if evidence.rule else "its session, translated back"
    more = f"; one of {evidence.choices} addresses" if evidence.choices > 1 else ""
    return f"{side} {was} becomes {now}, by {by}{more}"


def _end_words(header: Header, side: Side, before: Header, after: Header) -> str:
    source = side is Side.SOURCE
    ports = [h.source_port if source else h.destination_port for h in (before, after)]
    address = header.source if source else header.destination
    port = header.source_port if source else header.destination_port
    return f"{address} port {port}" if ports[0] != ports[1] else str(address)


def steered_words(evidence: SteeringEvidence) -> str:
    if evidence.rule is None:
        return f"{evidence.steering.name}: no rule decides, so the table does"
    return f"{evidence.steering.name}: rule {evidence.rule.id} ({steering_words(evidence.rule)})"


def _route_words(evidence: RouteEvidence) -> str:
    route = evidence.route
    if route is None and evidence.next_hop is not None:
        chosen = evidence.next_hop
        return f"not asked: steering sends it to {chosen.address} by {chosen.interface}"
    table = f" in table {evidence.table}" if evidence.table else ""
    if evidence.unread:
        return "no table of it was read, so none is known"
    if route is None:
        return f"no route to {evidence.destination}{table}"
    if route.pass_on:
        return f"{route.prefix} passes on ({protocol_words(route)}), and nothing else is asked"
    if route.discard:
        return f"{route.prefix} is a discard route ({protocol_words(route)})"
    hop = evidence.next_hop
    words = f"{route.prefix}, {protocol_words(route)}"
    if hop is not None:
        target = f"to {hop.address} " if hop.address else ""
        through = f", resolved from {hop.via}" if hop.via and hop.via != hop.address else ""
        words = f"{words}, {target}by {hop.interface}{through}"
    if route.observed:
        words += "; as the table was read"
    if route.prefix.prefixlen == 0:
        words += "; matched by the default route only"
    if len(route.next_hops) > 1:
        words += f"; one of {len(route.next_hops)} equal ways"
    return words


def mtu_words(evidence: MtuEvidence) -> str:
    if evidence.arriving:
        return (
            f"{evidence.size} bytes arrive, but {evidence.interface} takes only {evidence.mtu}: "
            "the two ends differ"
        )
    if evidence.cut:
        return f"{evidence.size} bytes are sent in fragments of up to {evidence.mtu} bytes"
    if evidence.size is None:
        return f"up to {evidence.mtu} bytes by {evidence.interface}; no size was asked"
    verb = "fit" if evidence.size <= evidence.mtu else "do not fit"
    return f"{evidence.size} bytes {verb} into {evidence.mtu} bytes of {evidence.interface}"


def neighbour_words(evidence: NeighbourEvidence) -> str:
    where = f"on {evidence.segment}" if evidence.segment else f"behind {evidence.interface}"
    if evidence.device is not None:
        virtual = f" as master of virtual router {evidence.virtual}" if evidence.virtual else ""
        return f"{evidence.device} answers for {evidence.address}{virtual}"
    if evidence.outside is not None:
        return f"{evidence.outside}, outside, answers for {evidence.address}"
    if evidence.failed:
        return f"{evidence.failed} has failed in this lens: nobody {where} is reached"
    return f"no device {where} owns {evidence.address}"

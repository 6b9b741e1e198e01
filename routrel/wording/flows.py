"""Evidence in words. Every sentence an answer shows is made here and nowhere else."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from fractions import Fraction

from routrel.forwarding.evidence import (
    Branch,
    Cause,
    Direction,
    Evidence,
    Hop,
    Obstacle,
    Result,
    Stage,
    StageName,
    Verdict,
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
from routrel.model.network import DEFAULT_VRF, ReversePathCheck
from routrel.model.steering import SteeringRule
from routrel.model.traffic import Header, icmp_type_name, protocol_name
from routrel.model.translation import Side, TranslationRule
from routrel.questions.flow import DirectionAnswer, FlowAnswer
from routrel.questions.flow_classes import ClassAnswer
from routrel.rib.table import Route
from routrel.wording.routes import protocol_type_words

__all__ = [
    "STAGE_TITLES",
    "VERDICT_TITLES",
    "answer_sentence",
    "class_sentence",
    "classes_sentence",
    "direction_sentence",
    "match_words",
    "obstacle_sentence",
    "protocol_words",
    "rule_words",
    "share_words",
    "stage_words",
    "steering_words",
    "translation_words",
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

VERDICT_TITLES: dict[Verdict, str] = {
    Verdict.DELIVERED: "Delivered",
    Verdict.FILTERED: "Blocked by a filter",
    Verdict.NO_ROUTE: "No route",
    Verdict.DISCARDED: "Discarded",
    Verdict.NEXT_HOP_UNRESOLVED: "Next hop does not answer",
    Verdict.LOOPED: "Goes round in a loop",
    Verdict.TOO_BIG: "Too big",
    Verdict.TTL_EXPIRED: "Time to live expired",
    Verdict.LEAVES_NETWORK: "Leaves the network",
    Verdict.LABEL_BROKEN: "Label switching broken",
    Verdict.NOT_CONVERGED: "Routing never settles",
    Verdict.MIXED: "Branches disagree",
}


def share_words(share: Fraction) -> str:
    """A share of traffic: "all", "1/2", or a percentage where the fraction is unwieldy."""
    if share == 1:
        return "all"
    return str(share) if share.denominator <= 16 else f"{float(share):.1%}"


def protocol_words(route: Route) -> str:
    """A route's protocol with its path type, as "OSPF intra-area"."""
    return protocol_type_words(route.protocol, route.path_type)


def rule_words(rule: Rule) -> str:
    """A rule as it is read aloud: "deny tcp 10.64.0.0/12 → any port 5000-6000"."""
    action = rule.action.value if rule.action else "continue"
    mark = "" if rule.mark is None else f", marked {rule.mark}"
    return f"{action} {match_words(rule.match)}{mark}"


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
    return f"{'all but ' if rule.invert else ''}{match_words(rule.match)}: {action}"


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
            return _zone_words(evidence)
        case ReversePathEvidence() as evidence:
            return _reverse_path_words(evidence, stage.result is Result.STOPPED)
        case TranslationEvidence() as evidence:
            return _translation_words(evidence)
        case SteeringEvidence() as evidence:
            return _steering_words(evidence)
        case RouteEvidence() as evidence:
            return _route_words(evidence)
        case AnswerEvidence() as evidence:
            return _answer_words(evidence)
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
            return _mtu_words(evidence)
        case NeighbourEvidence() as evidence:
            return _neighbour_words(evidence)
        case LoopEvidence(devices=devices):
            return "comes back the same way: " + " → ".join((*devices, devices[0]))
        case _:
            if hop.interface_in is None and stage.name is StageName.FILTER_IN:
                return "none: the packet begins here"
            interface = hop.interface_in if stage.name is StageName.FILTER_IN else hop.interface_out
            return f"none on {interface}"


def _answer_words(evidence: AnswerEvidence) -> str:
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
    where = f"{result.filter.name}{_bound(evidence)}"
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


def _bound(evidence: FilterEvidence) -> str:
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


def _zone_words(evidence: ZoneEvidence) -> str:
    names = [f"zone {name}" if name else "no zone" for name in
             (evidence.source, evidence.destination)]  # fmt: skip
    return f"from {names[0]} to {names[1]} no filter lets anything begin"


def _reverse_path_words(evidence: ReversePathEvidence, stopped: bool) -> str:
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


def _steering_words(evidence: SteeringEvidence) -> str:
    if evidence.rule is None:
        return f"{evidence.steering.name}: no rule decides, so the table does"
    return f"{evidence.steering.name}: rule {evidence.rule.id} ({steering_words(evidence.rule)})"


def _route_words(evidence: RouteEvidence) -> str:
    route = evidence.route
    if route is None and evidence.next_hop is not None:
        chosen = evidence.next_hop
        return f"not asked: steering sends it to {chosen.address} by {chosen.interface}"
    table = f" in table {evidence.table}" if evidence.table else ""
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
    if route.prefix.prefixlen == 0:
        words += "; only the default matches"
    if len(route.next_hops) > 1:
        words += f"; one of {len(route.next_hops)} equal ways"
    return words


def _mtu_words(evidence: MtuEvidence) -> str:
    if evidence.arriving:
        return (
            f"{evidence.size} bytes arrive, but {evidence.interface} takes only {evidence.mtu}: "
            "the two ends differ"
        )
    if evidence.cut:
        return f"{evidence.size} bytes are cut into fragments of {evidence.mtu} bytes"
    if evidence.size is None:
        return f"up to {evidence.mtu} bytes by {evidence.interface}; no size was asked"
    verb = "fit" if evidence.size <= evidence.mtu else "do not fit"
    return f"{evidence.size} bytes {verb} into {evidence.mtu} bytes of {evidence.interface}"


def _neighbour_words(evidence: NeighbourEvidence) -> str:
    where = f"on {evidence.segment}" if evidence.segment else f"behind {evidence.interface}"
    if evidence.device is not None:
        virtual = f" as master of virtual router {evidence.virtual}" if evidence.virtual else ""
        return f"{evidence.device} answers for {evidence.address}{virtual}"
    if evidence.outside is not None:
        return f"{evidence.outside}, outside, answers for {evidence.address}"
    return f"nobody {where} answers for {evidence.address}"


# --- the sentences an answer begins with ---------------------------------------------------------


def answer_sentence(answer: FlowAnswer, outcomes: Sequence[str] = ()) -> str:
    """Both directions in a sentence or two that can go into a ticket as it stands.

    Args:
        outcomes: Where it depends on who came first: what tells each outcome from the others.
    """
    if answer.outcomes:
        told = [answer_sentence(one.answer) for one in answer.outcomes]
        named = outcomes or [f"outcome {number}" for number in range(1, len(told) + 1)]
        parts = [f"With {name}: {words}" for name, words in zip(named, told, strict=True)]
        return " ".join(["Not certain, it depends on who settles first.", *parts])
    words = direction_sentence(answer.forward)
    if answer.back is None:
        return words
    if answer.back.verdict is Verdict.DELIVERED:
        if answer.forward.verdict is Verdict.DELIVERED:
            return f"{words} The return direction is delivered too, {_ways_back(answer)}."
        return f"{words} The return direction is open."
    if answer.back.verdict is Verdict.LEAVES_NETWORK:
        return f"{words} The return direction leaves the network."
    back = _lower_first(direction_sentence(answer.back))
    if answer.forward.verdict in (Verdict.DELIVERED, Verdict.LEAVES_NETWORK):
        return f"{words.removesuffix('.')}, but answers do not come back: {back}"
    return f"{words} Return direction: {back}"


def classes_sentence(classes: tuple[ClassAnswer, ...]) -> str:
    """How many pairs of ends there are, and what becomes of the classes they fall into."""
    pairs = sum(len(one.pairs) for one in classes)
    parts: dict[str, int] = {}
    for one in classes:
        if one.answer is None:
            words = "cannot be asked"
        else:
            words = VERDICT_TITLES[one.answer.forward.verdict].lower()
            back = one.answer.back
            if back is not None and back.obstacles and not one.answer.forward.obstacles:
                words += ", but answers do not come back"
        parts[words] = parts.get(words, 0) + len(one.pairs)
    told = "; ".join(f"{count} {words}" for words, count in parts.items())
    ways = "one way" if len(classes) == 1 else f"{len(classes)} ways"
    ends = "One pair" if pairs == 1 else f"{pairs} pairs"
    return f"{ends} of ends, treated in {ways}: {told}."


def _ways_back(answer: FlowAnswer) -> str:
    """How the ways of the answers are to those of the question."""
    there = {
        tuple((hop.device, hop.interface_in, hop.interface_out) for hop in branch.hops)
        for branch in answer.forward.branches
    }
    back = {
        tuple((hop.device, hop.interface_out, hop.interface_in) for hop in reversed(branch.hops))
        for branch in (answer.back.branches if answer.back else ())
    }
    if there == back:
        return "the same way"
    return "partly by another way" if there & back else "by another way"


def class_sentence(one: ClassAnswer) -> str:
    """What becomes of a class's traffic, in words that are true of all its pairs."""
    if one.answer is None:
        return one.problem
    if len(one.pairs) == 1:
        return answer_sentence(one.answer)
    words = f"{_neutral(one.answer.forward)}."
    back = one.answer.back
    if back is None or back.verdict in (Verdict.DELIVERED, Verdict.LEAVES_NETWORK):
        return words if back is None else f"{words} The return direction is open."
    return f"{words} Return direction: {_lower_first(_neutral(back))}."


def _neutral(direction: DirectionAnswer) -> str:
    """A verdict with the device and the rule, without the ends of one pair."""
    title = VERDICT_TITLES[direction.verdict]
    if direction.verdict is Verdict.LEAVES_NETWORK:
        named = dict.fromkeys(str(branch.outside) for branch in direction.branches)
        return f"{title} to {', '.join(named)}"
    cause = direction.cause
    if cause is None or direction.verdict is Verdict.MIXED:
        return title
    by = f", {cause.filter}" if cause.filter else ""
    by += f" rule {cause.rule}" if cause.filter and cause.rule is not None else ""
    return f"{title} at {cause.device}{by}"


def _lower_first(text: str) -> str:
    return text[:1].lower() + text[1:]


def direction_sentence(answer: DirectionAnswer) -> str:
    """The verdict of one direction with its cause, by the tables as they are shown."""
    if answer.verdict is Verdict.NOT_CONVERGED:
        return "Routing has no stable answer on the way."
    if len({branch.verdict for branch in answer.branches}) > 1 or answer.trace.unfollowed:
        return _mixed_sentence(answer)
    sentence = _branch_sentence(answer.branches[0], len(answer.branches))
    if answer.branches[0].verdict is Verdict.FILTERED:
        bare = answer.routing_verdict
        if bare is Verdict.DELIVERED:
            sentence += " Routing would deliver it."
        elif bare is Verdict.LEAVES_NETWORK:
            sentence += " Routing would take it out of the network."
        else:
            sentence += f" Routing alone: {VERDICT_TITLES[bare].lower()}."
    return sentence


def _mixed_sentence(answer: DirectionAnswer) -> str:
    shares: dict[Verdict, Fraction] = {}
    for branch in answer.branches:
        shares[branch.verdict] = shares.get(branch.verdict, Fraction(0)) + branch.share
    order = list(Verdict)
    largest_first = sorted(shares.items(), key=lambda item: (-item[1], order.index(item[0])))
    parts = [f"{share_words(share)} {VERDICT_TITLES[v].lower()}" for v, share in largest_first]
    if answer.trace.unfollowed:
        parts.append(f"{share_words(answer.trace.unfollowed)} not followed, too many branches")
    stopped = next((branch for branch in answer.branches if branch.cause), None)
    detail = f" {_branch_sentence(stopped, 1)}" if stopped else ""
    return f"Equal-cost branches disagree: {', '.join(parts)}.{detail}"


def _branch_sentence(branch: Branch, count: int) -> str:
    last = branch.hops[-1]
    on_all = (
        f", on all {count} branches" if count > 2 else ", on both branches" if count == 2 else ""
    )
    if branch.verdict is Verdict.DELIVERED:
        return f"Delivered to {last.device}{on_all}."
    if branch.verdict is Verdict.LEAVES_NETWORK:
        return f"Leaves the network to {branch.outside}{on_all}."
    if branch.cause is None:
        raise ValueError("a branch that does not arrive has a cause")
    stage = next(stage for stage in last.stages if stage.result is Result.STOPPED)
    if branch.verdict is Verdict.TTL_EXPIRED:
        hops = len(branch.hops) - 1
        return f"The time to live expires at {last.device}, after {hops} hops{on_all}."
    words = _stopped_words(branch.verdict, branch.cause, stage.evidence, count)
    return f"{words}{on_all}."


def obstacle_sentence(obstacle: Obstacle) -> str:
    """What stands in the way, in a sentence of its own."""
    stage = obstacle.hop.stages[-1]
    return _stopped_words(obstacle.verdict, obstacle.cause, stage.evidence, 1) + "."


def _stopped_words(verdict: Verdict, cause: Cause, evidence: Evidence | None, count: int) -> str:
    """A stop without its full stop; with the interface where all branches share it."""
    at = f"at {cause.device}"
    match verdict, evidence:
        case Verdict.FILTERED, FilterEvidence() as found:
            return _filtered_sentence(found, cause, at, count)
        case Verdict.FILTERED, ZoneEvidence() as found:
            return f"Blocked {at}: {_zone_words(found)}"
        case Verdict.FILTERED, ReversePathEvidence() as found:
            return f"Blocked {at} by its reverse-path check: {_reverse_path_words(found, True)}"
        case Verdict.DISCARDED, SteeringEvidence() as found:
            return f"Discarded {at}: {_steering_words(found)}"
        case Verdict.DISCARDED, AnswerEvidence() as answer:
            return f"Arrives, but is not taken for the answer: {_answer_words(answer)}"
        case Verdict.DISCARDED, PiecesEvidence():
            return (
                f"Discarded {at}: it puts fragments together, and the others of this packet go "
                "another way"
            )
        case Verdict.NO_ROUTE, RouteEvidence(route=Route() as route):
            return f"No route {at}: {route.prefix} passes on, and nothing else is asked"
        case Verdict.NO_ROUTE, RouteEvidence(destination=destination) as evidence:
            table = "its table"
            if evidence.table or cause.vrf not in ("", DEFAULT_VRF):
                table = f"VRF {evidence.table or cause.vrf}"
            return f"No route {at}: {table} holds nothing for {destination}"
        case Verdict.DISCARDED, RouteEvidence(route=Route() as route):
            return f"Discarded {at} by the discard route to {route.prefix}"
        case Verdict.DISCARDED, _:
            return f"Discarded {at}: it does not forward packets of others"
        case Verdict.NEXT_HOP_UNRESOLVED, NeighbourEvidence() as found:
            return f"Stops {at}: {_neighbour_words(found)}"
        case Verdict.LOOPED, LoopEvidence(devices=devices):
            return f"Goes round in a loop: {' → '.join((*devices, devices[0]))}"
        case Verdict.TOO_BIG, MtuEvidence() as found:
            return f"Too big {at}: {_mtu_words(found)}"
        case Verdict.TTL_EXPIRED, _:
            return f"The time to live expires {at}"
        case _:
            return f"{VERDICT_TITLES[verdict]} {at}"


def _filtered_sentence(found: FilterEvidence, cause: Cause | None, at: str, count: int) -> str:
    result = found.result
    where = _bound(found) if count == 1 or found.interface is None else ""
    if cause is not None and cause.kind == "no_session":
        if not found.answer:
            return (
                f"Blocked {at}: filter {result.filter.name}{where} drops it, because it answers or "
                "reports on nothing that passed there"
            )
        return (
            f"Blocked {at}: filter {result.filter.name}{where} drops the answer, because the "
            "packet it answers did not pass there"
        )
    moment = {
        Direction.IN: "on arrival",
        Direction.OUT: "on the way out",
        Direction.THROUGH: "on the way through",
        Direction.ARRIVING: "on arrival",
    }[found.direction]
    rule = f"rule {result.rule.id}" if result.rule else "its default (no rule matches)"
    piece = "later fragments" if result.fragment else "it"
    return f"Blocked {at}: filter {result.filter.name}{where} drops {piece} {moment} by {rule}"

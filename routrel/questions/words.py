"""Evidence in words. Every sentence an answer shows is made here and nowhere else."""

from __future__ import annotations

from fractions import Fraction

from routrel.control.rib.table import Route
from routrel.forwarding.hops import (
    Branch,
    Direction,
    FilterEvidence,
    Hop,
    LoopEvidence,
    MtuEvidence,
    NeighbourEvidence,
    ReceiveEvidence,
    Result,
    RouteEvidence,
    Stage,
    StageName,
    TtlEvidence,
    Verdict,
)
from routrel.model.filters import Action, Rule
from routrel.model.traffic import icmp_type_name, protocol_name
from routrel.questions.flow import DirectionAnswer, FlowAnswer
from routrel.questions.route_words import protocol_type_words

__all__ = [
    "STAGE_TITLES",
    "VERDICT_TITLES",
    "answer_sentence",
    "direction_sentence",
    "protocol_words",
    "rule_words",
    "share_words",
    "stage_words",
]

STAGE_TITLES: dict[StageName, str] = {
    StageName.FILTER_IN: "Filter in",
    StageName.ROUTE: "Route",
    StageName.TTL: "Time to live",
    StageName.FILTER_OUT: "Filter out",
    StageName.MTU: "MTU",
    StageName.NEIGHBOUR: "Neighbour",
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
    match = rule.match
    protocol = "any" if match.protocol is None else protocol_name(match.protocol)
    words = [rule.action.value, protocol]
    words.append(_side(match.sources, match.source_ports))
    words.append("→")
    words.append(_side(match.destinations, match.destination_ports))
    if match.icmp_types:
        kinds = [icmp_type_name(match.protocol or 0, number) for number in match.icmp_types]
        words.append(", ".join(kinds))
    if match.icmp_codes:
        words.append("code " + ", ".join(str(code) for code in match.icmp_codes))
    return " ".join(words)


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
        case RouteEvidence() as evidence:
            return _route_words(evidence)
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


def _filter_words(evidence: FilterEvidence) -> str:
    result = evidence.result
    verb = "permits it" if result.action is Action.PERMIT else "drops it"
    where = f"{result.filter.name} on {evidence.interface}"
    if result.rule is None:
        return f"{where}: no rule matches, and its default {verb}"
    return f"{where}: rule {result.rule.id} {verb} ({rule_words(result.rule)})"


def _route_words(evidence: RouteEvidence) -> str:
    route = evidence.route
    if route is None:
        return f"no route to {evidence.destination}"
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
    if evidence.size is None:
        return f"up to {evidence.mtu} bytes by {evidence.interface}; no size was asked"
    verb = "fit" if evidence.size <= evidence.mtu else "do not fit"
    return f"{evidence.size} bytes {verb} into {evidence.mtu} bytes of {evidence.interface}"


def _neighbour_words(evidence: NeighbourEvidence) -> str:
    where = f"on {evidence.segment}" if evidence.segment else f"behind {evidence.interface}"
    if evidence.device is not None:
        return f"{evidence.device} answers for {evidence.address}"
    if evidence.outside is not None:
        return f"{evidence.outside}, outside, answers for {evidence.address}"
    return f"nobody {where} answers for {evidence.address}"


# --- the sentences an answer begins with ---------------------------------------------------------


def answer_sentence(answer: FlowAnswer) -> str:
    """Both directions in a sentence or two that can go into a ticket as it stands."""
    words = direction_sentence(answer.forward)
    if answer.back is None:
        return words
    if answer.back.verdict is Verdict.DELIVERED:
        if answer.forward.verdict is Verdict.DELIVERED:
            other = _way(answer.back)[::-1] != _way(answer.forward)
            return f"{words} The return direction is delivered too" + (
                ", by another way." if other else ", the same way."
            )
        return f"{words} The return direction is open."
    if answer.back.verdict is Verdict.LEAVES_NETWORK:
        return f"{words} The return direction leaves the network."
    back = _lower_first(direction_sentence(answer.back))
    if answer.forward.verdict in (Verdict.DELIVERED, Verdict.LEAVES_NETWORK):
        return f"{words.removesuffix('.')}, but answers do not come back: {back}"
    return f"{words} Return direction: {back}"


def _way(answer: DirectionAnswer) -> list[str]:
    hops = answer.branches[0].hops if len(answer.branches) == 1 else ()
    return [hop.device for hop in hops]


def _lower_first(text: str) -> str:
    return text[:1].lower() + text[1:]


def direction_sentence(answer: DirectionAnswer) -> str:
    """The verdict of one direction with its cause."""
    if answer.verdict is Verdict.NOT_CONVERGED:
        return "Routing has no stable answer on the way."
    if answer.verdict is Verdict.MIXED:
        return _mixed_sentence(answer)
    sentence = _branch_sentence(answer.branches[0], len(answer.branches))
    if answer.verdict is Verdict.FILTERED:
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
    if answer.walk.unfollowed:
        parts.append(f"{share_words(answer.walk.unfollowed)} not followed, too many branches")
    stopped = next((branch for branch in answer.branches if branch.cause), None)
    detail = f" {_branch_sentence(stopped, 1)}" if stopped else ""
    return f"Equal-cost branches disagree: {', '.join(parts)}.{detail}"


def _branch_sentence(branch: Branch, count: int) -> str:
    last = branch.hops[-1]
    on_all = (
        f", on all {count} branches" if count > 2 else ", on both branches" if count == 2 else ""
    )
    stage = next((s for s in last.stages if s.result is Result.STOPPED), None)
    evidence = stage.evidence if stage else None
    at = f"at {last.device}"
    match branch.verdict, evidence:
        case Verdict.DELIVERED, _:
            return f"Delivered to {last.device}{on_all}."
        case Verdict.LEAVES_NETWORK, _:
            return f"Leaves the network to {branch.outside}{on_all}."
        case Verdict.FILTERED, FilterEvidence(direction=direction, result=result) as found:
            moment = "on arrival" if direction is Direction.IN else "on the way out"
            rule = f"rule {result.rule.id}" if result.rule else "its default (no rule matches)"
            where = f" on {found.interface}" if count == 1 else ""
            return (
                f"Blocked {at}: filter {result.filter.name}{where} drops it {moment} by "
                f"{rule}{on_all}."
            )
        case Verdict.NO_ROUTE, RouteEvidence(destination=destination):
            return f"No route {at}: its table holds nothing for {destination}{on_all}."
        case Verdict.DISCARDED, RouteEvidence(route=Route() as route):
            return f"Discarded {at} by the discard route to {route.prefix}{on_all}."
        case Verdict.DISCARDED, _:
            return f"Discarded {at}: it does not forward packets of others{on_all}."
        case Verdict.NEXT_HOP_UNRESOLVED, NeighbourEvidence() as found:
            return f"Stops {at}: {_neighbour_words(found)}{on_all}."
        case Verdict.LOOPED, LoopEvidence(devices=devices):
            return f"Goes round in a loop: {' → '.join((*devices, devices[0]))}{on_all}."
        case Verdict.TOO_BIG, MtuEvidence() as found:
            return f"Too big {at}: {_mtu_words(found)}{on_all}."
        case Verdict.TTL_EXPIRED, _:
            return f"The time to live expires {at}, after {len(branch.hops) - 1} hops{on_all}."
        case _:
            return f"{VERDICT_TITLES[branch.verdict]} {at}{on_all}."

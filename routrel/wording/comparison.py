"""What is not the same in two states, in sentences."""

from __future__ import annotations

from collections.abc import Sequence

from routrel.convergence.converge import State
from routrel.forwarding.evidence import Verdict
from routrel.model.network import protocol_title
from routrel.questions.comparison.compare import Comparison
from routrel.questions.comparison.entries import EntryChange
from routrel.questions.comparison.flows import FlowChange, Shift, exits_of
from routrel.questions.comparison.meetings import RoleChange
from routrel.questions.comparison.reasons import Reason
from routrel.questions.comparison.routes import RouteChange
from routrel.questions.flow import DirectionAnswer
from routrel.rib.table import Route
from routrel.wording.absence import absence_sentence
from routrel.wording.routes import RUNG_TITLES, protocol_type_words, rung_value, table_name

__all__ = [
    "asked_traffic",
    "counted",
    "ends_words",
    "entry_reason",
    "entry_words",
    "flow_words",
    "group_words",
    "reason_words",
    "role_words",
    "route_words",
    "summary_words",
]

_VERDICTS = {
    Verdict.DELIVERED: "arrives",
    Verdict.FILTERED: "is blocked by a filter",
    Verdict.NO_ROUTE: "finds no route",
    Verdict.DISCARDED: "is discarded",
    Verdict.NEXT_HOP_UNRESOLVED: "finds no next hop that answers",
    Verdict.LOOPED: "loops",
    Verdict.TOO_BIG: "is too big",
    Verdict.TTL_EXPIRED: "outlives its hops",
    Verdict.LEAVES_NETWORK: "leaves the network",
    Verdict.NOT_CONVERGED: "never settles",
    Verdict.MIXED: "takes ways that end differently",
}


def route_words(state: State, route: Route) -> str:
    """A route in short: its protocol, and where it leads."""
    name = protocol_type_words(route.protocol, route.path_type)
    if route.discard:
        return f"{name}, discarded"
    ways = []
    for hop in route.next_hops:
        interface = state.topology.devices[route.device].interface(hop.interface or "")
        found = None
        if interface is not None and hop.address is not None:
            found = state.topology.receiver(route.device, interface, hop.address)
        named = getattr(found, "device", None) or getattr(found, "neighbour", None)
        who = named.name if named else hop.address or "the link"
        ways.append(f"{who} by {hop.interface}")
    return f"{name}, to {' and '.join(ways)}"


def reason_words(before: State, after: State, reason: Reason) -> str:
    """Why a route is not the same."""
    change = reason.change
    for state, route in ((after, change.after), (before, change.before)):
        failed = state.topology.failed.devices.get(change.table[0])
        if failed and route is None:
            return f"{failed} has failed in {'this lens' if state is after else 'the other lens'}"
    if change.after is None:
        return absence_sentence(reason.absent) if reason.absent else "its table is gone"
    if change.before is None:
        return f"before: {absence_sentence(reason.absent)}" if reason.absent else "a new table"
    then, now = change.before, change.after
    if reason.rung is not None and reason.loser is not None:
        title = RUNG_TITLES.get(reason.rung, reason.rung)
        if reason.rung == "usable":
            return f"the former way is not usable: {reason.loser.problem}"
        values = rung_value(reason.loser, reason.rung)
        if reason.winner is not None and values:
            values = f": {values} against {rung_value(reason.winner, reason.rung)}"
        return f"the former way loses on {title}{values}"
    ways = [{(hop.interface, hop.address) for hop in route.next_hops} for route in (then, now)]
    if ways[0] == ways[1]:
        told = [
            f"{name} {old} → {new}"
            for name, old, new in (
                (
                    "protocol",
                    protocol_type_words(then.protocol, then.path_type),
                    protocol_type_words(now.protocol, now.path_type),
                ),
                ("distance", then.distance, now.distance),
                ("metric", then.metric, now.metric),
                ("tag", then.tag, now.tag),
            )
            if old != new
        ]
        return f"the same way: {', '.join(told)}" if told else "the same way, resolved otherwise"
    if ways[0] < ways[1]:
        return f"{counted(len(ways[1] - ways[0]), 'equal way')} more"
    if ways[0] > ways[1]:
        down = _down(after, then)
        fewer = f"{counted(len(ways[0] - ways[1]), 'equal way')} fewer"
        return f"{fewer}: {down}" if down else fewer
    if not reason.is_known_now:
        why = _down(after, then) or (reason.kept_out.text if reason.kept_out else "")
        return f"the former way is gone{f': {why}' if why else ''}"
    return "other equal ways"


def _down(state: State, route: Route) -> str:
    """Why an interface that a route left by does not carry it any more; empty: it does."""
    device = state.topology.devices.get(route.device)
    for hop in route.next_hops:
        if device is None or hop.interface is None or device.interface(hop.interface) is None:
            continue
        down = state.topology.why_down(route.device, hop.interface)
        if down is not None:
            return str(down)
    return ""


def group_words(before: State, after: State, change: RouteChange, count: int) -> str:
    """Some routes of a table that changed alike, in a line."""
    where = table_name(*change.table)
    what = str(change.prefix) if count == 1 else f"{count} prefixes"
    if change.after is None:
        return f"{where} has no route to {what} any more"
    if change.before is None:
        return f"{where} has a route to {what} now: {route_words(after, change.after)}"
    then, now = route_words(before, change.before), route_words(after, change.after)
    return f"{where} reaches {what} otherwise: {then} before, {now} now"


def flow_words(change: FlowChange) -> str:
    """What became of a flow; that it is of IPv6, where the names of its ends do not say so."""
    ends = [end.text for end in (change.source, change.destination) if end is not None]
    is_six = bool(ends) and change.question.source.count(":") > 1
    words = _moved_words(change)
    return f"IPv6: {words}" if is_six and not any(":" in text for text in ends) else words


def _moved_words(change: FlowChange) -> str:
    then, now = change.before, change.after
    if change.shift in (Shift.LOST, Shift.WON, Shift.VERDICT):
        if then.forward.verdict is not now.forward.verdict:
            old, new = _ending(then.forward), _ending(now.forward)
            return f"{old} before, {new} now"
        if then.back is not None and now.back is not None:
            return f"its answer {_ending(then.back)} before, {_ending(now.back)} now"
        return "its ways end otherwise"
    if change.shift is Shift.EXIT:
        return f"leaves by {_exits(then.forward)} before, by {_exits(now.forward)} now"
    told = []
    if change.shift is Shift.WAY:
        told.append("goes " + _ways(then.forward, now.forward))
    backs = (then.back, now.back)
    if backs[0] is not None and backs[1] is not None and _courses(backs[0]) != _courses(backs[1]):
        told.append("answers come " + _ways(backs[0], backs[1]))
    return "; ".join(told) or "parts otherwise over the same devices"


def _ending(direction: DirectionAnswer) -> str:
    if direction.verdict is Verdict.LEAVES_NETWORK:
        return f"leaves by {_exits(direction)}"
    where = direction.cause.device if direction.cause else ""
    words = _VERDICTS.get(direction.verdict, direction.verdict.value)
    return f"{words} at {where}" if where else words


def _exits(direction: DirectionAnswer) -> str:
    devices: dict[str, dict[str, None]] = {}
    for outside, device, _ in exits_of(direction):
        devices.setdefault(outside, {})[device] = None
    exits = [f"{outside} at {' or '.join(found)}" for outside, found in devices.items()]
    return " or ".join(exits) or "no exit"


def _courses(direction: DirectionAnswer) -> list[tuple[str, ...]]:
    """The devices of each way but its ends, outside networks included."""
    return list(
        dict.fromkeys(
            tuple(
                dict.fromkeys(
                    hop.device
                    for place, hop in enumerate(branch.hops)
                    if hop.outside or 0 < place < len(branch.hops) - 1
                )
            )
            for branch in direction.branches
        )
    )


def _ways(then: DirectionAnswer, now: DirectionAnswer) -> str:
    """The first ways of both, from the last device that they share to the next that they do.

    Of several ways the first that the other does not have.
    """
    courses = [_courses(then), _courses(now)]
    old = next((way for way in courses[0] if way not in courses[1]), (courses[0] or [()])[0])
    new = next((way for way in courses[1] if way not in courses[0]), (courses[1] or [()])[0])
    head = tail = 0
    while head < min(len(old), len(new)) and old[head] == new[head]:
        head += 1
    while tail < min(len(old), len(new)) - head and old[-1 - tail] == new[-1 - tail]:
        tail += 1
    begin, end = max(head - 1, 0), max(tail - 1, 0)
    told = []
    for way, ways in ((old, courses[0]), (new, courses[1])):
        part = way[begin : len(way) - end]
        more = f" and {counted(len(ways) - 1, 'other way')}" if len(ways) > 1 else ""
        told.append(f"by {', '.join(part)}{more}" if part else "directly")
    return f"{told[0]} before, {told[1]} now"


def entry_words(change: EntryChange) -> str:
    """Where an outside network sends packets to a prefix in."""
    who, prefix, then, now = change.outside, change.prefix, change.before, change.after
    if now is None:
        return f"{who} has no way in to {prefix} any more" + (
            f", it was {then.device}" if then else ""
        )
    if then is None:
        return f"{who} sends {prefix} in at {now.device} now, before it had no way in"
    lines = (then.device, now.device)
    if lines[0] == lines[1]:
        lines = (f"{then.device} ({then.neighbour})", f"{now.device} ({now.neighbour})")
    return f"{who} sends {prefix} in at {lines[0]} before, at {lines[1]} now"


def role_words(change: RoleChange) -> str:
    """Who has a role of a protocol now, and who had it."""
    name = protocol_title(change.protocol.id)
    then, now = (", ".join(devices) or "nobody" for devices in (change.before, change.after))
    return f"{name} {change.role} of {change.where}: {then} before, {now} now"


def entry_reason(change: EntryChange) -> str:
    """Why an outside network sends packets in elsewhere."""
    if change.after is None:
        return "nothing of it is announced there any more"
    if change.before is None:
        return "before nothing of it was announced there"
    loser = change.loser
    if loser is None:
        return f"{change.before.device} announces it there no more"
    rung = loser.lost_on or ""
    values = rung_value(loser, rung)
    against = f": {values} against {rung_value(change.after.path, rung)}" if values else ""
    return f"the former way loses on {RUNG_TITLES.get(rung, rung)}{against}"


_SHIFTS = {
    Shift.LOST: ("no longer arrives or is no longer answered", "no longer arrive or are answered"),
    Shift.WON: ("arrives and is answered now", "arrive and are answered now"),
    Shift.VERDICT: ("fails otherwise", "fail otherwise"),
    Shift.EXIT: ("leaves elsewhere", "leave elsewhere"),
    Shift.WAY: ("takes another way", "take another way"),
    Shift.RETURN_WAY: ("is answered by another way", "are answered by another way"),
}


def summary_words(found: Comparison) -> str:
    """What matters most, in a sentence or two."""
    flows = found.flows.changes
    told = []
    for shift in Shift:
        alike = [flow for flow in flows if flow.shift is shift]
        if alike:
            stands = sum(1 + _others(flow) for flow in alike)
            one, many = _SHIFTS[shift]
            verb = one if stands == 1 else many
            told.append(f"{counted(stands, 'flow')} {verb}: {_named(alike[0])}")
    if not told:
        told.append("No flow is treated otherwise")
    sentence = ". ".join(told) + ". "
    if found.routes:
        prefixes = {change.prefix for change in found.routes}
        devices = {change.table[0] for change in found.routes}
        sentence += (
            f"Routes to {counted(len(prefixes), 'prefix', 'prefixes')} changed on "
            f"{counted(len(devices), 'device')}"
        )
    else:
        sentence += "No route changed"
    if found.entries:
        count = counted(len(found.entries), "prefix", "prefixes")
        verb = "comes" if len(found.entries) == 1 else "come"
        sentence += f"; {count} {verb} in elsewhere: {entry_words(found.entries[0])}"
    others = _meetings(found)
    sentence += f"; {others}." if others else "."
    asymmetric = [flow for flow in flows if flow.is_asymmetric_now]
    if asymmetric:
        count = counted(len(asymmetric), "flow")
        sentence += f" Of {count} the answers come another way than the packets go now."
    if found.flows.left:
        sentence += f" {found.flows.left} more pairs of ends were not asked; there are too many."
    return sentence[0].upper() + sentence[1:]


def _others(flow: FlowChange) -> int:
    ends = [end for end in (flow.source, flow.destination) if end is not None]
    count = 1
    for end in ends:
        count *= 1 + len(end.alike)
    return count - 1


def _named(flow: FlowChange) -> str:
    if flow.name:
        return f"the kept flow {flow.name}: {flow_words(flow)}"
    traffic = asked_traffic(flow.question.traffic, flow.question.source_port)
    return f"{ends_words(flow)}{f' {traffic}' if traffic else ''}: {flow_words(flow)}"


def asked_traffic(traffic: str, source_port: int | None) -> str:
    """Traffic as it is asked about, with the port it comes from if that is not the usual one."""
    return traffic if source_port is None else f"{traffic} from port {source_port}"


def ends_words(flow: FlowChange) -> str:
    """A flow by its name, or its two ends."""
    source, destination = flow.source, flow.destination
    return flow.name or (
        f"{source.text if source else ''} → {destination.text if destination else ''}"
    )


def _meetings(found: Comparison) -> str:
    counts: Sequence[tuple[int, str, str]] = (
        (len(found.sessions_down), "session", "down"),
        (len(found.sessions_up), "session", "up"),
        (len(found.adjacencies_down), "adjacency", "gone"),
        (len(found.adjacencies_up), "adjacency", "new"),
        (len(found.roles), "elected role", "elsewhere"),
        (len(found.findings_new), "finding", "new"),
        (len(found.findings_gone), "finding", "gone"),
    )
    return ", ".join(
        f"{counted(count, what, 'adjacencies' if what == 'adjacency' else None)} {how}"
        for count, what, how in counts
        if count
    )


def counted(count: int, one: str, many: str | None = None) -> str:
    """A number with what it counts."""
    return f"{count} {one if count == 1 else many or one + 's'}"

"""Typical mistakes in what two states differ by, each with a stable code and its evidence."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator
from dataclasses import dataclass

import numpy as np

from routrel.convergence.converge import State
from routrel.forwarding.evidence import Verdict
from routrel.model.changes import Change
from routrel.model.network import Device, protocol_title
from routrel.model.place import Place
from routrel.model.policy import Policy
from routrel.protocols.evidence import CandidatePath
from routrel.protocols.register import bgp_of
from routrel.questions.candidates import candidates
from routrel.questions.comparison.compare import Comparison
from routrel.questions.comparison.entries import entry_for
from routrel.questions.comparison.flows import FlowChange, Shift, exits_of
from routrel.questions.comparison.meetings import is_up, sessions_of
from routrel.questions.comparison.routes import route_changes
from routrel.rib.candidates import Protocol
from routrel.wording.comparison import counted, ends_words, flow_words
from routrel.wording.routes import RUNG_TITLES, rung_value

__all__ = ["Evidence", "Warned", "warnings_of"]

#: Candidate paths of so many prefixes are held against each other to say what still decides.
_MOST_LOOKED_AT = 2000
#: How an absence says that a policy's default rejects a route.
_BY_DEFAULT = re.compile(
    r"the default of policy (\S+)|policy (\S+) of \S+ rejects it by its default"
)
#: Pieces of evidence that one warning tells.
_MOST_EVIDENCE = 5


@dataclass(frozen=True, slots=True, kw_only=True)
class Evidence:
    """What a warning rests on."""

    text: str
    place: Place | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class Warned:
    """A mistake that may have been made. `code` is a stable identifier."""

    code: str
    text: str
    evidence: tuple[Evidence, ...]


def warnings_of(found: Comparison, changes: tuple[Change, ...] = ()) -> list[Warned]:
    """What in a comparison looks like a mistake.

    Args:
        changes: Those that lead from the one to the other, where it is known.
    """
    warned = [one for rule in _RULES for one in rule(found)]
    warned += _more_than_purposed(found, changes)
    return warned


def _warned(code: str, text: str, evidence: list[Evidence]) -> Warned:
    return Warned(code=code, text=text, evidence=tuple(evidence[:_MOST_EVIDENCE]))


# --- metrics -------------------------------------------------------------------------------------


def _one_end(found: Comparison) -> Iterator[Warned]:
    """A cost was changed at one end of a link, and not at the other."""
    for protocol, result in found.after.results.items():
        before = found.before.results.get(protocol)
        if before is None:
            continue
        then = {(cost.key, cost.where): cost.cost for cost in before.costs()}
        now = {(cost.key, cost.where): cost.cost for cost in result.costs()}
        by_end = {key: (then.get((key, where)), cost) for (key, where), cost in now.items()}
        for adjacency in result.domain.adjacent():
            one, other = adjacency.ends
            if one not in by_end or other not in by_end:
                continue
            if (by_end[one][0] != by_end[one][1]) == (by_end[other][0] != by_end[other][1]):
                continue
            moved, kept = (one, other) if by_end[one][0] != by_end[one][1] else (other, one)
            old, new = by_end[moved]
            if old is None or new == by_end[kept][1]:
                continue
            name = protocol_title(protocol.id)
            yield _warned(
                "one_direction",
                f"the {name} cost of {':'.join(moved)} is {new} now, and that of the other end, "
                f"{':'.join(kept)}, is {by_end[kept][1]} as before: only one direction moves",
                [_at(found.after, *moved), _at(found.after, *kept)],
            )


def _at(state: State, device: str, interface: str) -> Evidence:
    owner = state.topology.devices[device]
    port = owner.interface(interface)
    return Evidence(text=f"{device}:{interface}", place=port.place if port else owner.place)


# --- what moved ----------------------------------------------------------------------------------


def _return_elsewhere(found: Comparison) -> Iterator[Warned]:
    flows = [flow for flow in found.flows.changes if flow.is_asymmetric_now]
    if flows:
        yield _warned(
            "return_elsewhere",
            f"the answers of {counted(len(flows), 'flow')} come another way than their packets go "
            "now; before both went over the same devices",
            [Evidence(text=f"{ends_words(flow)}: {flow_words(flow)}") for flow in flows],
        )


def _entry_unmoved(found: Comparison) -> Iterator[Warned]:
    """Packets leave by another line than their answers come in, and before it was the same."""
    evidence = []
    for flow in found.flows.changes:
        if flow.shift is not Shift.EXIT or flow.source is None:
            continue
        exits = [
            {(outside, device) for outside, device, _ in exits_of(answer.forward)}
            for answer in (flow.before, flow.after)
        ]
        for outside in sorted({outside for outside, _ in exits[1]}):
            source = flow.source.address
            former, entry = (entry_for(each, outside, source) for each in found.sends_in)
            if former is None or entry is None:
                continue
            stays = entry.device == former.device
            left_there = [(outside, former.device) in each for each in exits]
            if stays and left_there == [True, False]:
                leaves = sorted(device for who, device in exits[1] if who == outside)
                evidence.append(
                    Evidence(
                        text=f"{ends_words(flow)}: leaves by {' or '.join(leaves)} now; "
                        f"{outside} sends {entry.prefix} in at {entry.device}",
                        place=entry.path.place if entry.path.place.line else None,
                    )
                )
    if evidence:
        yield _warned(
            "entry_unmoved",
            f"the answers of {counted(len(evidence), 'flow')} still come in where the packets left "
            "before: the way out alone has moved",
            evidence,
        )


def _past_state(found: Comparison) -> Iterator[Warned]:
    """Answers, or later packets, that miss the device that remembers the first."""
    for flow in found.flows.changes:
        back = flow.after.back
        if flow.shift is not Shift.LOST or back is None or back.verdict is not Verdict.FILTERED:
            continue
        cause = back.cause
        device = found.after.topology.devices.get(cause.device) if cause else None
        if cause is not None and device is not None and device.tracks_connections:
            yield _warned(
                "past_stateful",
                f"the answers of {ends_words(flow)} are dropped at {device.name}, which has not "
                "seen the packets that they answer",
                [Evidence(text=flow_words(flow), place=cause.place)],
            )
            return


def _loops(found: Comparison) -> Iterator[Warned]:
    flows = [
        flow
        for flow in found.flows.changes
        for then, now in (
            (flow.before.forward, flow.after.forward),
            (flow.before.back, flow.after.back),
        )
        if now is not None
        and now.verdict is Verdict.LOOPED
        and (then is None or then.verdict is not Verdict.LOOPED)
    ]
    if flows:
        yield _warned(
            "new_loop",
            f"packets of {counted(len(flows), 'flow')} loop now",
            [Evidence(text=f"{ends_words(flow)}: {flow_words(flow)}") for flow in flows],
        )


def _covered(found: Comparison) -> Iterator[Warned]:
    """Routes that are gone, with a shorter one left that hides it."""
    hidden: dict[str, list[Evidence]] = {}
    rib = found.after.rib
    held = {rib.interning.prefixes.prefixes[number] for number in np.unique(rib.active["prefix"])}
    for change in found.routes:
        if change.after is not None or change.prefix not in held:
            continue  # what nobody has any more is hidden from nobody
        table = rib.interning.table_numbers.get(change.table)
        shorter = rib.lookup(table, change.prefix.network_address) if table is not None else None
        if shorter is not None:
            text = f"{change.table[0]}: {change.prefix} is matched by {shorter.prefix} now"
            kind = "the default route" if shorter.prefix.prefixlen == 0 else "a shorter route"
            hidden.setdefault(kind, []).append(Evidence(text=text, place=shorter.place))
    for kind, evidence in hidden.items():
        yield _warned(
            "hidden_by_default" if kind == "the default route" else "hidden_by_aggregate",
            f"{counted(len(evidence), 'route')} {'is' if len(evidence) == 1 else 'are'} gone, "
            f"which {kind} hides: packets go on by that",
            evidence,
        )


def _silent_reject(found: Comparison) -> Iterator[Warned]:
    """A policy that was changed rejects by its default what it let pass before."""
    evidence: dict[tuple[str, str], list[Evidence]] = {}
    for reason in found.reasons:
        steps = reason.absent.reasons if reason.absent and reason.change.after is None else ()
        steps = (*steps, reason.kept_out) if reason.kept_out else steps
        for step in steps:
            named = _BY_DEFAULT.search(step.text)
            policy = (named[1] or named[2]) if named else ""
            if policy and _policy_changed(found, step.device, policy):
                told = Evidence(text=f"{reason.change.prefix}: {step.text}", place=step.place)
                evidence.setdefault((step.device, policy), []).append(told)
    for (device, policy), rejected in evidence.items():
        gone = "is" if len(rejected) == 1 else "are"
        yield _warned(
            "silent_reject",
            f"policy {policy} of {device} rejects by its default what no statement takes: "
            f"{counted(len(rejected), 'route')} that it let pass before {gone} gone",
            rejected,
        )


def _policy_changed(found: Comparison, device: str, policy: str) -> bool:
    """Whether a policy is another, or the device's protocols, which may use it, are."""
    then, now = found.before.topology.devices.get(device), found.after.topology.devices.get(device)
    if then is None or now is None:
        return then is not now
    return then.policy(policy) != now.policy(policy) or then.vrfs != now.vrfs


# --- what did not move ---------------------------------------------------------------------------


def _nothing_moved(found: Comparison) -> Iterator[Warned]:
    moved = (
        found.routes, found.flows.changes, found.entries, found.sessions_up, found.sessions_down,
        found.adjacencies_up, found.adjacencies_down, found.roles,
    )  # fmt: skip
    if any(moved) or found.before.network == found.after.network:
        return
    evidence = list(_still_decides(found))
    yield _warned(
        "nothing_moved",
        "the configuration is another, and no route, flow, session or adjacency is"
        + (f": {evidence[0].text}" if evidence else ""),
        evidence or [Evidence(text=f"{d.name} is configured otherwise", place=d.place)
                     for d in _changed_devices(found)],
    )  # fmt: skip


def _changed_devices(found: Comparison) -> Iterator[Device]:
    for name, device in found.after.topology.devices.items():
        if found.before.topology.devices.get(name) != device:
            yield device


def _still_decides(found: Comparison) -> Iterator[Evidence]:
    """Candidate paths whose values changed, and the rung on which they lose as before."""
    for device, prefix, old, new, winner in _changed_losers(found):
        rung = new.lost_on or ""
        changed = [
            f"{RUNG_TITLES[name]} {rung_value(old, name)} → {rung_value(new, name)}"
            for name in RUNG_TITLES
            if rung_value(old, name) != rung_value(new, name) and rung_value(new, name)
        ]
        if not changed:
            continue
        who = f"from {new.advertiser}" if new.advertiser else "by another way"
        yield Evidence(
            text=f"{device}: the path to {prefix} {who} has {', '.join(changed)}, and still loses "
            f"on {RUNG_TITLES.get(rung, rung)} ({rung_value(new, rung)} against "
            f"{rung_value(winner, rung)})",
            place=new.place if new.place.line else None,
        )


def _changed_losers(
    found: Comparison,
) -> Iterator[tuple[str, object, CandidatePath, CandidatePath, CandidatePath]]:
    """Losers of the second state that were losers before, with other values."""
    looked = 0
    rib = found.after.rib
    for table, name in enumerate(rib.interning.tables):
        before = found.before.rib.interning.table_numbers.get(name)
        if before is None:
            continue
        for number in dict.fromkeys(rib.table_candidates(table)["prefix"].tolist()):
            prefix = rib.interning.prefixes.prefixes[number]
            known = found.before.rib.interning.prefixes.number(prefix)
            looked += 1
            if known is None or looked > _MOST_LOOKED_AT:
                continue
            now = candidates(found.after, table, number)
            if len(now) < 2:
                continue
            then = candidates(found.before, before, known)
            for path in now[1:]:
                old = next((one for one in then if _is_same(one, path)), None)
                if old is not None and path.lost_on and _values(old) != _values(path):
                    yield name[0], prefix, old, path, now[0]


def _is_same(one: CandidatePath, other: CandidatePath) -> bool:
    return (one.protocol, one.advertiser, one.next_hops) == (
        other.protocol,
        other.advertiser,
        other.next_hops,
    )


def _values(path: CandidatePath) -> object:
    return [path.distance, path.metric, *(rung_value(path, name) for name in RUNG_TITLES)]


def _med_not_compared(found: Comparison) -> Iterator[Warned]:
    """A MED was set that is not compared, since the paths come from different neighbouring AS."""
    if not _actions_changed(found, "med"):
        return
    evidence = [
        Evidence(
            text=f"{device}: {prefix} from {new.advertiser} has MED {new.values.get('med')}, which "
            "is not compared with that of the path in use: their neighbouring AS differ",
            place=new.place if new.place.line else None,
        )
        for device, prefix, old, new, winner in _changed_losers(found)
        if new.protocol is Protocol.BGP
        and old.values.get("med") != new.values.get("med")
        and new.values.get("med_group") != winner.values.get("med_group")
    ]
    if evidence:
        yield _warned(
            "med_not_compared",
            "a MED changed towards a device that does not compare it: paths of different "
            "neighbouring AS are only compared with compare-med-always",
            evidence,
        )


def _stays_local(found: Comparison) -> Iterator[Warned]:
    """Weight decides on one device and is told to none."""
    evidence = [
        Evidence(text=f"policy {policy.name} of {device.name} sets weight", place=policy.place)
        for device, policy in _actions_changed(found, "weight")
    ]
    if evidence:
        yield _warned(
            "stays_local",
            "weight counts on the device that sets it alone; its neighbours choose as before",
            evidence,
        )


def _actions_changed(found: Comparison, name: str) -> list[tuple[Device, Policy]]:
    """Policies whose statements set an attribute otherwise than before."""
    changed = []
    for device in found.after.network.devices:
        then = found.before.topology.devices.get(device.name)
        for policy in device.policies:
            old = then.policy(policy.name) if then else None
            values = [
                [getattr(statement.actions, name) for statement in one.statements] if one else []
                for one in (old, policy)
            ]
            if values[0] != values[1] and any(value is not None for value in values[1]):
                changed.append((device, policy))
    return changed


# --- how it rests --------------------------------------------------------------------------------


def _never_settles(found: Comparison) -> Iterator[Warned]:
    if found.after.oscillating and not found.before.oscillating:
        yield _warned(
            "not_converged",
            f"{counted(len(found.after.oscillating), 'route')} never come to rest now",
            [Evidence(text=f"{r.device}: {r.prefix}") for r in found.after.oscillating],
        )


def _by_order(found: Comparison) -> Iterator[Warned]:
    """From today's tables it may come to rest otherwise than from a restart."""
    others = found.after.others
    if not others:
        return
    counts = [len(route_changes(found.before.rib, other.rib)) for other in others]
    if len(found.before.others) == len(others) and min(counts) >= len(found.routes):
        return
    nearest = min(range(len(others)), key=lambda n: counts[n])
    first = ", ".join(sorted({table[0] for table in others[nearest].first})) or "another device"
    if counts[nearest] < len(found.routes):
        text = (
            f"on the running network {counted(counts[nearest], 'route')} "
            f"{'changes' if counts[nearest] == 1 else 'change'}; after a restart "
            f"{len(found.routes)} would, unless {first} settles first"
        )
    else:
        text = f"where {first} settles first it comes to rest otherwise"
    yield _warned(
        "depends_on_order",
        text,
        [Evidence(text=f"{r.device}: {r.prefix}") for r in found.after.order_dependent],
    )


def _flaps(found: Comparison) -> Iterator[Warned]:
    """A floating route that another protocol's takes the place of, and that keeps it away."""
    tables = {(r.device, r.vrf, r.prefix) for r in found.after.oscillating}
    told = [
        Evidence(text=f"{change.table[0]}: {change.prefix}", place=change.after.place)
        for change in found.routes
        if change.after is not None
        and (*change.table, change.prefix) in tables
        and change.before is not None
        and change.before.protocol is not change.after.protocol
    ]
    if told:
        yield _warned(
            "flaps",
            "routes change between two protocols for ever, each taking the other away",
            told,
        )


def _last_exit(found: Comparison) -> Iterator[Warned]:
    """One way out of the network is left."""
    then, now = _lines(found.before), _lines(found.after)
    if len(then) > 1 and len(now) == 1:
        (left,) = now
        yield _warned(
            "last_exit",
            f"{left} is the only outside network left with a working line; before there were "
            f"{len(then)}",
            [Evidence(text=f"{name} is not reached any more") for name in sorted(then - now)],
        )


def _lines(state: State) -> set[str]:
    """Outside networks that somebody reaches: with a session that is up, or else a line that is."""
    bgp = bgp_of(state.results)
    by_session: dict[str, bool] = {}
    for session in sessions_of(state).values():
        remote = bgp.speakers[session.remote] if session.remote is not None else None
        if remote is not None and remote.outside is not None:
            name = remote.outside.name
            by_session[name] = by_session.get(name, False) or is_up(session)
    reached = set()
    for segment in state.topology.segments:
        ups = [end for end in segment.ends if state.topology.is_up(*end.key)]
        for end in state.topology.outside_ends(segment) if ups else ():
            if by_session.get(end.neighbour.name, True):
                reached.add(end.neighbour.name)
    return reached


# --- what it was for -----------------------------------------------------------------------------


def _more_than_purposed(found: Comparison, changes: tuple[Change, ...]) -> Iterator[Warned]:
    """Flows that moved of which the purpose names no end and no exit, where it names any."""
    purpose = " ".join(change.purpose for change in changes).lower()
    network = found.after.network
    sites = {device.name: (device.site or "") for device in network.devices}
    titles = {site.name: site.title for site in network.sites}

    def names(name: str) -> bool:
        pattern = rf"(?<![\w-]){re.escape(name.lower())}(?![\w-])"
        return bool(name) and re.search(pattern, purpose) is not None

    outside = {one.name: one.title for one in network.outside}
    if not any(map(names, (*sites, *titles, *titles.values(), *outside, *outside.values()))):
        return

    def is_named(text: str, owner: str | None) -> bool:
        site = sites.get(owner or "", "")
        return any(map(names, (text, owner or "", site, titles.get(site, ""))))

    def exit_is_named(flow: FlowChange) -> bool:
        ways = (flow.before.forward, flow.before.back, flow.after.forward, flow.after.back)
        exits = {one for way in ways if way is not None for one in exits_of(way)}
        return any(
            is_named(device, device) or names(who) or names(outside.get(who, ""))
            for who, device, _ in exits
        )

    others = [
        flow
        for flow in found.flows.changes
        if flow.source is not None
        and flow.destination is not None
        and not is_named(flow.source.text, flow.source.owner)
        and not is_named(flow.destination.text, flow.destination.owner)
        and not exit_is_named(flow)
    ]
    if others:
        yield _warned(
            "more_moved",
            f"{counted(len(others), 'flow')} moved of which the purpose names neither an end nor "
            "the exit",
            [Evidence(text=f"{ends_words(flow)}: {flow_words(flow)}") for flow in others],
        )


_RULES: tuple[Callable[[Comparison], Iterator[Warned]], ...] = (
    _one_end,
    _return_elsewhere,
    _entry_unmoved,
    _past_state,
    _loops,
    _silent_reject,
    _covered,
    _nothing_moved,
    _med_not_compared,
    _stays_local,
    _never_settles,
    _flaps,
    _by_order,
    _last_exit,
)

"""What promises say of routes, held against the tables."""

from __future__ import annotations

from collections.abc import Iterator

from routrel.convergence.converge import State
from routrel.files.shapes import closest
from routrel.forwarding.evidence import Verdict
from routrel.model.addresses import Address, Prefix, is_within
from routrel.model.network import DEFAULT_VRF, Device
from routrel.model.promises import HasDefault, Holds, LeavesBy, NobodyHears, NoFinding, RouteClaim
from routrel.protocols.register import bgp_of
from routrel.questions.errors import QuestionError, UnknownName
from routrel.questions.flow import FlowQuestion, WaysAlone, ask_flow
from routrel.questions.promises.breaches import exits_otherwise
from routrel.questions.promises.tellers import tellers
from routrel.questions.promises.usage import Things, Usage
from routrel.rib.candidates import Protocol

__all__ = ["wrong_claim"]


def wrong_claim(things: Things, claim: RouteClaim, usage: Usage) -> str | None:
    """What is otherwise than a claim says, in every outcome of routing; None: nothing.

    Args:
        usage: What the claim rests on is added to it.
    Raises:
        UnknownName: it names a device, a VRF, a site or a protocol that does not exist.
    """
    state = things.state
    match claim:
        case NoFinding(code=code):
            found = [finding for finding in state.findings if finding.code == code]
            usage.devices.update(dict.fromkeys(one.device for one in found if one.device))
            return found[0].text if found else None
        case NobodyHears(prefix=prefix):
            return next(_heard(state, prefix, usage), None)
        case HasDefault(site=site, version=version):
            return _without_default(state, site, version, usage)
        case Holds():
            return _not_held(things, claim, usage)


def _device(state: State, name: str) -> Device:
    if name not in state.topology.devices:
        raise UnknownName(f"there is no device “{name}”", closest(name, state.topology.devices))
    return state.topology.devices[name]


def _heard(state: State, prefix: Prefix, usage: Usage) -> Iterator[str]:
    """Which outside network hears what it should not, in each outcome."""
    for one in (state, *state.others_alone):
        bgp = bgp_of(one.results)
        for speaker in bgp.speakers:
            if not speaker.outside:
                usage.devices[speaker.name] = None
        prefixes = bgp.interning.prefixes.prefixes
        outside = [index for index, speaker in enumerate(bgp.speakers) if speaker.outside]
        for number in bgp.classes.announced:
            if not is_within(prefixes[number], prefix):
                continue
            for index in outside:
                for path in bgp.heard_by(index, number):
                    teller = path.advertiser
                    if teller in one.topology.devices and not path.problem:
                        name = bgp.speakers[index].name
                        yield f"{name} hears {prefixes[number]} from {teller}"


def _without_default(state: State, site: str, version: int, usage: Usage) -> str | None:
    known = [one.name for one in state.network.sites]
    if site not in known:
        raise UnknownName(f"there is no site “{site}”", closest(site, known))
    number = state.rib.interning.default_prefix(version)
    default = state.rib.interning.prefixes.prefixes[number]
    devices = [d for d in state.network.devices if d.site == site and d.role.forwards]
    usage.devices.update(dict.fromkeys(device.name for device in devices))
    outcomes = (state, *state.others_alone)
    for device in devices:
        table = state.rib.interning.table_numbers[device.name, DEFAULT_VRF]
        if not all(one.rib.active_route(table, default) for one in outcomes):
            return f"{device.name} holds no {'IPv6 ' * (version == 6)}default route"
    return None


def _not_held(things: Things, claim: Holds, usage: Usage) -> str | None:
    state = things.state
    device = _device(state, claim.device)
    vrf = claim.vrf or DEFAULT_VRF
    if device.vrf(vrf) is None:
        names = [one.name for one in device.vrfs]
        raise UnknownName(f"{device.name} has no VRF “{vrf}”", closest(vrf, names))
    if claim.protocol is not None and claim.protocol not in {one.id for one in Protocol}:
        names = [one.id for one in Protocol]
        raise UnknownName(f"“{claim.protocol}” is no protocol", closest(claim.protocol, names))
    usage.devices[device.name] = None
    usage.routes[device.name, vrf, claim.prefix] = None
    table = state.rib.interning.table_numbers[device.name, vrf]
    for each in (state, *state.others_alone):
        wrong = _otherwise(each, table, claim)
        if wrong is not None:
            return wrong
    return _exits_elsewhere(things, claim, usage) if claim.exit is not None else None


def _otherwise(state: State, table: int, claim: Holds) -> str | None:
    route = state.rib.active_route(table, claim.prefix)
    if route is None:
        return f"{claim.device} holds no route to {claim.prefix}"
    who = f"{claim.device} holds {claim.prefix}"
    if claim.protocol not in (None, route.protocol.id):
        return f"{who} by {route.protocol.id}, not by {claim.protocol}"
    hops = [hop.address for hop in route.next_hops if hop.address is not None]
    if claim.next_hop is not None and claim.next_hop not in hops:
        return f"{who} via {_listed(hops)}, not via {claim.next_hop}"
    if claim.neighbour is not None:
        told_by = tellers(state, table, route)
        names = [end.device.name for a in told_by for end in state.topology.owners.get(a, ())]
        names += [
            one.name
            for one in state.network.outside
            if any(own.ip in told_by for own in one.addresses)
        ]
        if claim.neighbour not in (*map(str, told_by), *names):
            return f"{who} from {', '.join(names) or _listed(told_by)}, not from {claim.neighbour}"
    return None


def _listed(addresses: list[Address]) -> str:
    return ", ".join(map(str, addresses)) or "its interface"


def _exits_elsewhere(things: Things, claim: Holds, usage: Usage) -> str | None:
    """Where packets to the prefix leave, if not by the exit that is claimed."""
    state, prefix = things.state, claim.prefix
    address = prefix.network_address + (1 if prefix.num_addresses > 2 else 0)
    question = FlowQuestion(source=claim.device, destination=str(address), both=False)
    try:
        answer = ask_flow(state, question, WaysAlone())
    except QuestionError as error:
        return error.text
    usage.add(state, answer)
    if claim.exit is None:
        return None
    clause = LeavesBy((claim.exit,))
    for way in (one.forward for one in answer.each):
        if way.verdict is not Verdict.LEAVES_NETWORK:
            return f"packets to {address} do not leave the network: {way.verdict.value}"
        elsewhere = exits_otherwise(things, clause, way)
        if elsewhere is not None:
            return f"packets to {prefix} leave by {elsewhere}, not by {claim.exit.name}"
    return None

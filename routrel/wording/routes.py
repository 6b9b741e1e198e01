"""Routes, candidates and rungs in words."""

from __future__ import annotations

from collections.abc import Sequence

from routrel.model.addresses import Address, Prefix
from routrel.model.network import DEFAULT_VRF, protocol_title
from routrel.protocols.evidence import CandidatePath
from routrel.rib.candidates import NEVER, PathType, Protocol
from routrel.rib.table import Route

__all__ = [
    "RUNG_TITLES",
    "loses_words",
    "matched_sentence",
    "outside_sentence",
    "path_type_words",
    "protocol_type_words",
    "route_type_words",
    "rung_value",
    "table_name",
    "why_sentence",
]

RUNG_TITLES = {
    "usable": "usable",
    "distance": "distance",
    "path_type": "kind of route",
    "exit_kind": "way to the exit",
    "metric": "metric",
    "forward_metric": "cost to the exit",
    "feasible": "neighbour is closer",
    "weight": "weight",
    "local_preference": "local preference",
    "originated": "originated here",
    "as_path_length": "AS path length",
    "origin": "origin",
    "med": "MED (same neighbour AS)",
    "ebgp": "eBGP before iBGP",
    "igp_cost": "interior cost",
    "oldest": "oldest",
    "router_id": "router id",
    "cluster_list": "cluster list length",
    "neighbour_address": "neighbour address",
    "maximum_paths": "kept next hops",
}

#: Rungs that part what is equally good.
_TIE_BREAKS = frozenset({"oldest", "router_id", "cluster_list", "neighbour_address"})


def loses_words(rung: str) -> str:
    """How a candidate loses on a rung: as "loses the neighbour-address tie-break"."""
    title = RUNG_TITLES.get(rung)
    if title is None:
        return "never settles"
    if rung == "usable":
        return "is not usable"
    return (
        f"loses the {title.replace(' ', '-')} tie-break"
        if rung in _TIE_BREAKS
        else f"loses on {title}"
    )


_PATH_TYPES = {
    PathType.NONE: "",
    PathType.INTRA_AREA: "intra-area",
    PathType.INTER_AREA: "inter-area",
    PathType.EXTERNAL_1: "external type 1",
    PathType.EXTERNAL_2: "external type 2",
    PathType.NSSA_1: "NSSA type 1",
    PathType.NSSA_2: "NSSA type 2",
    PathType.LEVEL_1: "level 1",
    PathType.LEVEL_2: "level 2",
    PathType.LEVEL_1_DOWN: "let down from level 2",
    PathType.ATTACHED: "towards the nearest attached system",
    PathType.INTERNAL: "internal",
    PathType.EXTERNAL: "external",
    PathType.SUMMARY: "summary",
    PathType.CONFEDERATION: "confederation",
    PathType.AGGREGATE: "aggregate",
}


_BGP_WORDS = {
    PathType.NONE: "BGP, own",
    PathType.EXTERNAL: "eBGP",
    PathType.INTERNAL: "iBGP",
    PathType.CONFEDERATION: "BGP of the confederation",
    PathType.AGGREGATE: "BGP aggregate",
}


def path_type_words(path_type: PathType) -> str:
    """A path type as people say it; empty where a protocol has none."""
    return _PATH_TYPES[path_type]


def protocol_type_words(protocol: Protocol, path_type: PathType) -> str:
    """A protocol with its path type, as "OSPF inter-area"."""
    if protocol is Protocol.BGP and path_type in _BGP_WORDS:
        return _BGP_WORDS[path_type]
    return f"{protocol_title(protocol.id)} {path_type_words(path_type)}".strip()


def table_name(device: str, vrf: str) -> str:
    """How a table is called: by its device, and its VRF where that is not the default one."""
    return device if vrf == DEFAULT_VRF else f"{device} {vrf}"


def route_type_words(route: Route) -> str:
    """The same of a route; what was read tells no path type."""
    if route.observed:
        return protocol_title(route.protocol.id)
    return protocol_type_words(route.protocol, route.path_type)


def rung_value(candidate: CandidatePath, rung: str) -> str:
    """What a candidate shows on a rung; empty where the rung does not concern it."""
    if rung == "usable":
        return candidate.problem or "yes"
    if rung == "distance":
        return (
            f"{candidate.distance}, never"
            if candidate.distance >= NEVER
            else str(candidate.distance)
        )
    if candidate.protocol is Protocol.BGP:
        return _bgp_rung_value(candidate, rung)
    if rung == "path_type":
        return path_type_words(candidate.path_type)
    if rung == "metric":
        return str(candidate.metric)
    if rung == "exit_kind":
        rank = candidate.values.get("exit_rank")
        return "" if rank is None else ("by the backbone" if rank else "inside one area")
    if rung == "forward_metric":
        value = candidate.values.get("forward_metric")
        return "" if value is None else str(value)
    if rung == "maximum_paths":
        return "beyond the limit" if candidate.lost_on == rung else ""
    if rung != "feasible" or "feasible" not in candidate.values:
        return ""  # a step of another protocol
    reported, own = candidate.values["reported_distance"], candidate.values["feasible_distance"]
    sign = "below" if candidate.values["feasible"] else "not below"
    return f"{reported} is {sign} {own}"


def why_sentence(device: str, matched: Route | None, found: Sequence[CandidatePath]) -> str:
    """Why the route in use is the one, as one sentence."""
    if matched is None:
        if not found:
            return f"{device} has no route, and nothing offers it one."
        return f"{device} has no route: {found[0].problem or 'nothing it heard is usable'}."
    kind = route_type_words(matched)
    if matched.observed:
        kind = f"{kind}, as its table was read"
    if found and "from_vrf" in found[0].values:
        kind = f"a route leaked from VRF {found[0].values['from_vrf']}"
    ways = len(matched.next_hops)
    shared = f", over {ways} next hops" if ways > 1 else ""
    what = f"{device} reaches {matched.prefix} by {kind}{shared}"
    if matched.discard:
        what = f"{device} discards what goes to {matched.prefix}: {kind}"
    if matched.observed:
        return f"{what}."
    losers = [candidate for candidate in found if candidate.lost_on and not candidate.problem]
    if not losers:
        return f"{what}; nothing else offers a usable route."
    return f"{what}; {_beaten(matched, found[0], losers[0])}."


def outside_sentence(
    name: str,
    matched: Prefix | None,
    asked: Prefix | Address | None,
    found: Sequence[CandidatePath],
) -> str:
    """Which way into the network an outside neighbour takes, as one sentence."""
    used = [candidate for candidate in found if candidate.lost_on is None]
    if matched is None or not used:
        why = next((f": {c.problem}" for c in found if c.problem), "")
        return f"{name} hears of no way to {asked} from us{why}."
    if any(candidate.advertiser is None for candidate in used):
        return f"{name} announces {matched} to us itself."
    ways = " and ".join(str(candidate.advertiser) for candidate in used)
    losers = [candidate for candidate in found if candidate.lost_on and not candidate.problem]
    if not losers:
        return f"{name} reaches {matched} by {ways}; it hears of no other way."
    return f"{name} reaches {matched} by {ways}; {_bgp_beaten(used[0], losers[0])}."


def _bgp_rung_value(candidate: CandidatePath, rung: str) -> str:
    values = candidate.values
    if rung == "maximum_paths":
        return "beyond the limit" if candidate.lost_on == rung else ""
    if not values:
        return ""  # of a table that was read, which tells no attributes
    if rung == "originated":
        return str(values["originated"] or "no")
    if rung == "as_path_length":
        path = values["as_path"] or "empty"
        return f"{values['as_path_length']}: {path}"
    if rung == "med":
        text = "none" if values["med"] is None else str(values["med"])
        return f"{text}, not compared" if values["med_compared"] is False else text
    if rung == "ebgp":
        return "" if values["originated"] else _side(candidate)
    if rung == "oldest":
        return "" if values["age_s"] is None else f"{values['age_s']} s"
    if rung == "cluster_list":
        clusters = values["cluster_list"]
        return f"{len(clusters)}: {', '.join(clusters)}" if clusters else "0"
    value = values.get(rung)
    return "" if value is None else str(value)


def _side(candidate: CandidatePath) -> str:
    """Whether the decision takes a path for external or internal."""
    return "eBGP" if candidate.values["ebgp"] else "iBGP"


#: Why the winner stands before a loser, by the rung where that one lost.
_BGP_BEATEN = {
    "weight": "its weight {mine} is above the {theirs} of {other}",
    "local_preference": "its local preference {mine} is above the {theirs} of {other}",
    "originated": "the device originates it itself, and comes before {other}",
    "as_path_length": "its AS path is shorter than that of {other}, {mine} against {theirs}",
    "origin": "its origin {mine} comes before the {theirs} of {other}",
    "med": "its MED {mine} is below the {theirs} of {other}, which came by the same AS",
    "ebgp": "a path from an external neighbour comes before {other}",
    "igp_cost": "its next hop is nearer than that of {other}, interior cost {mine} against "
    "{theirs}",
    "oldest": "it has been there longer than {other}, {mine} s against {theirs} s",
    "router_id": "its router id {mine} is below the {theirs} of {other}",
    "cluster_list": "it passed fewer reflectors than {other}",
    "neighbour_address": "its neighbour's address {mine} is below the {theirs} of {other}",
}
_VALUE_OF = {"oldest": "age_s"}


def _bgp_beaten(winner: CandidatePath, loser: CandidatePath) -> str:
    """Why one path of BGP stands before another."""
    other = protocol_type_words(loser.protocol, loser.path_type)
    if loser.advertiser:
        other += f" from {loser.advertiser}"
    rung = loser.lost_on or ""
    mine, theirs = (item.values[_VALUE_OF.get(rung, rung)] for item in (winner, loser))
    if rung == "med":
        mine, theirs = mine or 0, theirs or 0
    return _BGP_BEATEN[rung].format(mine=mine, theirs=theirs, other=other)


def _beaten(matched: Route, winner: CandidatePath, loser: CandidatePath) -> str:
    other = protocol_type_words(loser.protocol, loser.path_type)
    if loser.advertiser:
        other += f" from {loser.advertiser}"
    if loser.lost_on == "distance":
        if loser.distance == matched.distance:
            return f"{other} has the same distance {loser.distance} and ranks behind it"
        return f"its distance {matched.distance} is below the {loser.distance} of {other}"
    if loser.lost_on in _BGP_BEATEN and winner.protocol is Protocol.BGP:
        return _bgp_beaten(winner, loser)
    if loser.lost_on == "path_type":
        return f"that kind of route is preferred to {other}"
    if loser.lost_on == "metric":
        ways = ", ".join(dict.fromkeys(str(hop.interface) for hop in loser.next_hops))
        by = f" by {ways}" if ways else ""
        return (
            f"its metric {matched.metric} is below the {loser.metric} of {other}{by}"
            f"{_switching(matched, winner, loser)}"
        )
    if loser.lost_on == "exit_kind":
        return (
            f"its exit is reached inside one area, that of {other} by the backbone "
            "(RFC 2328 16.4.1)"
        )
    if loser.lost_on == "forward_metric":
        return f"the exit is nearer than that of {other}"
    if loser.lost_on == "maximum_paths":
        return f"{other} is as good, but beyond the number of next hops that is kept"
    return f"{other} is not closer itself, so it might lead back"


def _switching(matched: Route, winner: CandidatePath, loser: CandidatePath) -> str:
    """At which cost of a way out the loser would share, and beyond which it would win."""
    mine, theirs = ({hop.interface for hop in c.next_hops} for c in (winner, loser))
    if len(mine) != 1 or len(theirs) != 1 or mine == theirs:
        return ""
    (here,), (there,) = mine, theirs
    more = loser.metric - matched.metric
    own, other = winner.values.get("way_cost"), loser.values.get("way_cost")
    if own is not None:
        point = own + more
        return f"; above cost {point} of {here} (now {own}) it goes by {there}, at {point} by both"
    if other is not None and other > more:
        point = other - more
        return f"; below cost {point} of {there} (now {other}) it goes there, at {point} by both"
    return ""


def matched_sentence(device: str, address: Address | None, matches: Sequence[Route]) -> str:
    """Which prefix an address matched, and what stands behind it."""
    if not matches:
        return f"{device} has no route that holds {address}."
    first, *others = matches
    if first.prefix.prefixlen == 0:
        return (
            f"{device} has no specific route for {address}; it uses its "
            f"{protocol_type_words(first.protocol, first.path_type)} default route."
        )
    behind = "; nothing stands behind it"
    if others:
        behind = "; behind it stand " + ", ".join(str(route.prefix) for route in others)
    return f"At {device} {address} matches {first.prefix}{behind}."

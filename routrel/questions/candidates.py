"""Every candidate path for one prefix of one table, and the decision step where each lost.

The table compares distances first. What wins there was chosen inside its own protocol by that
protocol's order, so a loser of the winning protocol shows the step of that order. Of a protocol
that lost on distance every path is out at once.
"""

from __future__ import annotations

from dataclasses import replace

from routrel.convergence.converge import State
from routrel.protocols.bgp.decision import BGP_RUNGS
from routrel.protocols.contract import Result
from routrel.protocols.evidence import CandidatePath, of_row, rejected_by
from routrel.protocols.register import bgp_of
from routrel.rib.candidates import NEVER, Protocol, rank
from routrel.rib.table import Route

__all__ = ["RUNGS", "candidates", "speaker_candidates"]

#: The rungs in order. BGP chooses by its own before it offers the table its best path; the table
#: compares distances; the rest is the order of the other protocols.
RUNGS = (
    *BGP_RUNGS, "distance", "path_type", "exit_kind", "metric", "forward_metric", "feasible",
    "maximum_paths",
)  # fmt: skip


#: Why a path of a protocol is not in a table that is taken as it was read.
_NOT_ASKED = "the table is taken as it was read"


def candidates(state: State, table: int, prefix: int) -> list[CandidatePath]:
    """The candidate paths of a table for a prefix number, those in use first.

    Costs what this one prefix needs: nothing is computed or copied for others.
    """
    rows = state.rib.candidate_rows(table, prefix)
    active = state.rib.active_route(table, state.rib.interning.prefixes.prefixes[prefix])
    found: list[CandidatePath] = []
    installed: dict[Protocol, Route] = {}
    if table in state.pinned:
        return _beside_what_was_read(state, table, prefix, active)
    for row in rows:
        route = state.rib.route(row)
        result = state.results.get(route.protocol)
        if result is not None and result.explains(route):
            installed[route.protocol] = route
        else:
            found.append(result.of_row(state.rib, route) if result else of_row(route))
    for protocol, result in state.results.items():
        held = installed.get(protocol)
        for path in result.candidates(state.rib, table, prefix):
            if held is not None and path.lost_on is None and not path.problem:
                path = replace(path, distance=held.distance, tag=held.tag)
            elif held is None and not path.problem and path.lost_on is None:
                path = _kept_out(state, result, path, table)
            found.append(path)
    return sorted((_judge(path, active) for path in found), key=_order)


def _beside_what_was_read(
    state: State, table: int, prefix: int, active: Route | None
) -> list[CandidatePath]:
    """The entry that was read, and what protocols know besides, which is not asked there."""
    found = [of_row(active)] if active is not None else []
    computed = [
        path if path.problem else replace(path, problem=_NOT_ASKED)
        for result in state.results.values()
        for path in result.candidates(state.rib, table, prefix)
    ]
    return sorted((_judge(path, active) for path in (*found, *computed)), key=_order)


def speaker_candidates(state: State, index: int, prefix: int) -> list[CandidatePath]:
    """The candidate paths of a BGP speaker that has no table in the model, those in use first."""
    return sorted(bgp_of(state.results).heard_by(index, prefix), key=_order)


def _order(path: CandidatePath) -> tuple[bool, bool, int, int]:
    return (
        path.lost_on is not None,
        bool(path.problem),
        rank(path.distance, path.protocol),
        path.metric,
    )


def _judge(path: CandidatePath, active: Route | None) -> CandidatePath:
    """The first rung where a candidate path lost against the active route."""
    if path.problem:
        return replace(path, lost_on="usable")
    if path.lost_on is None and path.distance >= NEVER:
        return replace(path, lost_on="distance")
    if active is None:
        return path
    if path.decided:
        return path
    if path.protocol is not active.protocol:
        return replace(path, lost_on="distance")
    if path.discard != active.discard:
        return replace(path, lost_on="distance" if path.distance > active.distance
                       else "path_type")  # fmt: skip
    if path.lost_on is None and path.distance > active.distance:
        return replace(path, lost_on="distance")
    kept = {(hop.interface, hop.address) for hop in active.next_hops}
    ways = {(hop.interface, hop.address) for hop in path.next_hops}
    if path.lost_on is None and ways and not ways & kept:
        return replace(path, lost_on="maximum_paths")
    return path


def _kept_out(state: State, result: Result, path: CandidatePath, table: int) -> CandidatePath:
    """The candidate path, or that its protocol's policy for the table keeps it out."""
    process = result.domain.process_in(state.rib.interning.tables[table])
    if process is None or process.import_policy is None:
        return path
    return rejected_by(path, process.device, process.import_policy)

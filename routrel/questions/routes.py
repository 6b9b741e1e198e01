"""The route question: which routes there are, and why this one."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from routrel.convergence.converge import State
from routrel.files.shapes import closest
from routrel.model.addresses import Address, Prefix, prefix_order
from routrel.protocols.evidence import CandidatePath
from routrel.protocols.register import bgp_of
from routrel.questions.absence import absence
from routrel.questions.answers import Json, absence_data, candidate_data, route_data, step_data
from routrel.questions.candidates import candidates, speaker_candidates
from routrel.questions.doubts import outcomes_of_prefix
from routrel.questions.errors import UnknownName
from routrel.questions.redistributing import redistributions
from routrel.questions.route_words import matched_sentence, outside_sentence, why_sentence
from routrel.rib.table import Route

__all__ = ["RouteQuestion", "ask_routes", "explain_route"]


@dataclass(frozen=True, slots=True, kw_only=True)
class RouteQuestion:
    """Which routes are asked for. At most one of `prefix` and `address`."""

    device: str | None = None  #: a device, or an outside network that speaks BGP; None: all
    vrf: str | None = None  #: None: all VRFs
    prefix: Prefix | None = None  #: exactly this one
    address: Address | None = None  #: the longest match for this


def ask_routes(state: State, question: RouteQuestion) -> list[Route]:
    """The active routes asked for, by device, VRF and prefix.

    Raises:
        UnknownName: there is no such device or VRF.
    """
    routes: list[Route] = []
    for table in _tables(state, question):
        if question.address is not None:
            found = state.rib.lookup(table, question.address)
            routes.extend([found] if found else [])
        elif question.prefix is not None:
            found = state.rib.active_route(table, question.prefix)
            routes.extend([found] if found else [])
        else:
            routes.extend(state.rib.table_routes(table))
    return sorted(routes, key=lambda r: (r.device, r.vrf, prefix_order(r.prefix)))


def _tables(state: State, question: RouteQuestion) -> Iterator[int]:
    devices = state.topology.devices
    if _outside_speaker(state, question) is not None:
        return
    if question.device is not None and question.device not in devices:
        raise UnknownName(
            f"there is no device “{question.device}”", closest(question.device, devices)
        )
    vrfs = {vrf for _, vrf in state.rib.interning.tables}
    if question.vrf is not None and question.vrf not in vrfs:
        raise UnknownName(f"there is no VRF “{question.vrf}”", closest(question.vrf, vrfs))
    for number, (device, vrf) in enumerate(state.rib.interning.tables):
        if question.device in (None, device) and question.vrf in (None, vrf):
            yield number


def _outside_speaker(state: State, question: RouteQuestion) -> int | None:
    """The BGP speaker asked for, where it is an outside network."""
    for index, speaker in enumerate(bgp_of(state.results).speakers):
        if speaker.outside is not None and speaker.name == question.device:
            return index
    return None


def _explain_outside(state: State, question: RouteQuestion, index: int) -> Json:
    """What an outside network hears from us, and which way in it takes."""
    prefixes = state.rib.interning.prefixes
    speaker = bgp_of(state.results).speakers[index]
    if question.address is not None:
        numbers = prefixes.matches(question.address)
    else:
        number = prefixes.number(question.prefix) if question.prefix else None
        numbers = [] if number is None else [number]
    found: list[CandidatePath] = []
    matched = None
    for number in numbers:
        found = speaker_candidates(state, index, number)
        if any(candidate.lost_on is None for candidate in found):
            matched = prefixes.prefixes[number]
            break
    sentence = outside_sentence(speaker.name, matched, question.address or question.prefix, found)
    return {
        "device": speaker.name,
        "vrf": "",
        "matched": str(matched) if matched else None,
        "sentence": sentence,
        "why": sentence,
        "behind": [],
        "candidates": [candidate_data(state, speaker.name, item) for item in found],
        "absent": None,
        "redistributions": [],
        "doubt": None,
    }


def _doubt(state: State, device: str, vrf: str, prefix: Prefix) -> str | None:
    """Why a table's route to a prefix is not certain; None where it is."""
    for doubts, text in (
        (state.unsettled, "Routing never comes to rest here; this is one moment of it"),
        (state.ordered, "This depends on who came first; other outcomes are as stable"),
    ):
        if not any((d.device, d.vrf, d.prefix) == (device, vrf, prefix) for d in doubts):
            continue
        number = state.rib.interning.table_numbers[device, vrf]
        told = [f"{text}."]
        outcomes = outcomes_of_prefix(state, number, prefix)
        if doubts is state.ordered and len(outcomes) > 1:
            told.append(f"The route here is {', or '.join(outcomes)}.")
        told += [f"{text}." for result in state.results.values() for text in result.doubts(prefix)]
        if not state.searched:
            told.append("The search for other outcomes was not made to its end.")
        return " ".join(told)
    return None


def explain_route(state: State, question: RouteQuestion) -> list[Json]:
    """For each table asked for: the candidates of the matched prefix and where each one lost.

    Where a table holds no route, or only its default for an address, `absent` says who has one,
    how far it got and what stopped it. `redistributions` says what becomes of the route there.
    """
    outside = _outside_speaker(state, question)
    if outside is not None:
        return [_explain_outside(state, question, outside)]
    answers: list[Json] = []
    for table in _tables(state, question):
        device, vrf = state.rib.interning.tables[table]
        if question.address is not None:
            matches = list(state.rib.matches(table, question.address))
        else:
            route = state.rib.active_route(table, question.prefix) if question.prefix else None
            matches = [route] if route else []
        matched = matches[0] if matches else None
        prefix = matched.prefix if matched else question.prefix
        number = state.rib.interning.prefixes.number(prefix) if prefix else None
        found = candidates(state, table, number) if number is not None else []
        lacking = None
        if question.prefix is not None or question.address is not None:
            falls_back = matched is not None and matched.prefix.prefixlen == 0
            wanted = question.prefix or question.address
            if wanted is not None and (matched is None or (falls_back and question.address)):
                lacking = absence(state, table, wanted)
        answers.append(
            {
                "device": device,
                "vrf": vrf,
                "matched": str(matched.prefix) if matched else None,
                "sentence": matched_sentence(device, question.address, matches)
                if question.address is not None
                else why_sentence(device, matched, found),
                "why": why_sentence(device, matched, found),
                "behind": [route_data(state, route) for route in matches[1:]],
                "candidates": [candidate_data(state, device, item) for item in found],
                "absent": absence_data(lacking) if lacking else None,
                "redistributions": [
                    step_data(step)
                    for step in (
                        redistributions(state, table, number) if number is not None else ()
                    )
                ],
                "doubt": _doubt(state, device, vrf, prefix) if prefix else None,
            }
        )
    return answers

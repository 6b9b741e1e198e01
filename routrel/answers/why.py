"""Why a route is what it is, or is not there, as answers."""

from __future__ import annotations

from collections.abc import Iterator

from routrel.answers.base import Answer
from routrel.answers.routes import (
    AbsenceData,
    AbsenceStepData,
    CandidateData,
    RouteData,
    absence_data,
    candidate_data,
    route_data,
    step_data,
)
from routrel.convergence.converge import State
from routrel.model.addresses import Prefix
from routrel.protocols.evidence import CandidatePath
from routrel.protocols.register import bgp_of
from routrel.questions.absence import absence
from routrel.questions.candidates import candidates, speaker_candidates
from routrel.questions.redistributing import redistributions
from routrel.questions.routes import RouteQuestion, asked_tables, outside_speaker
from routrel.wording.absence import absence_sentence
from routrel.wording.doubts import outcomes_of_prefix
from routrel.wording.routes import matched_sentence, outside_sentence, why_sentence

__all__ = ["WhyData", "explain_route"]


class WhyData(Answer):
    """The candidate paths of a matched prefix at one table, or why there is no route."""

    device: str
    vrf: str
    matched: str | None
    sentence: str
    why: str
    behind: list[RouteData]
    candidates: list[CandidateData]
    absent: AbsenceData | None
    redistributions: list[AbsenceStepData]
    doubt: str | None


def explain_route(state: State, question: RouteQuestion) -> list[WhyData]:
    """For each table asked for: the candidates of the matched prefix and where each one lost.

    Where a table holds no route, or only its default for an address, `absent` says who has one,
    how far it got and what stopped it. `redistributions` says what becomes of the route there.

    Raises:
        UnknownName: there is no such device or VRF.
    """
    outside = outside_speaker(state, question)
    if outside is not None:
        return [_explain_outside(state, question, outside)]
    return [_explain(state, question, table) for table in asked_tables(state, question)]


def _explain(state: State, question: RouteQuestion, table: int) -> WhyData:
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
    wanted = question.prefix or question.address
    falls_back = matched is not None and matched.prefix.prefixlen == 0
    if wanted is not None and (matched is None or (falls_back and question.address)):
        lacking = absence(state, table, wanted)
    why = why_sentence(device, matched, found)
    sentence = why
    if matched is None and lacking is not None and lacking.as_read:
        why = sentence = absence_sentence(lacking)
    elif question.address is not None:
        sentence = matched_sentence(device, question.address, matches)
    taken = redistributions(state, table, number) if number is not None else ()
    return WhyData(
        device=device,
        vrf=vrf,
        matched=str(matched.prefix) if matched else None,
        sentence=sentence,
        why=why,
        behind=[route_data(state, route) for route in matches[1:]],
        candidates=[candidate_data(state, device, item) for item in found],
        absent=absence_data(lacking) if lacking else None,
        redistributions=[step_data(step) for step in taken],
        doubt=_doubt(state, device, vrf, prefix) if prefix else None,
    )


def _explain_outside(state: State, question: RouteQuestion, index: int) -> WhyData:
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
    return WhyData(
        device=speaker.name,
        vrf="",
        matched=str(matched) if matched else None,
        sentence=sentence,
        why=sentence,
        behind=[],
        candidates=[candidate_data(state, speaker.name, item) for item in found],
        absent=None,
        redistributions=[],
        doubt=None,
    )


def _doubt(state: State, device: str, vrf: str, prefix: Prefix) -> str | None:
    """Why a table's route to a prefix is not certain; None where it is."""
    told: list[str] = []
    if any((d.device, d.vrf, d.prefix) == (device, vrf, prefix) for d in state.oscillating):
        told.append("Routing never comes to rest here; this is one moment of it.")
    elif any((d.device, d.vrf, d.prefix) == (device, vrf, prefix) for d in state.order_dependent):
        told.append("This depends on who came first; other outcomes are as stable.")
        number = state.rib.interning.table_numbers[device, vrf]
        outcomes = outcomes_of_prefix(state, number, prefix)
        if len(outcomes) > 1:
            told.append(f"The route here is {', or '.join(outcomes)}.")
    else:
        return None
    told += _doubts_of_protocols(state, prefix)
    if not state.searched:
        told.append("The search for other outcomes was not made to its end.")
    return " ".join(told)


def _doubts_of_protocols(state: State, prefix: Prefix) -> Iterator[str]:
    for result in state.results.values():
        yield from (f"{text}." for text in result.doubts(prefix))

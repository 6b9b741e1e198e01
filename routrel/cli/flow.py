"""`routrel flow`: a flow through the network, what stops it, and remedies."""

from __future__ import annotations

from typing import Annotated

import typer
from msgspec.structs import asdict
from rich.markup import escape

from routrel.answers.commands import FlowCommandData
from routrel.answers.evidence import FilterEvidenceData, MtuEvidenceData, SteeringEvidenceData
from routrel.answers.flow_sets import FlowData, answer_flow
from routrel.answers.flows import DirectionData, FlowDoubtData, StageData
from routrel.answers.remedies import RemediesData, remedies_data
from routrel.cli.common import (
    AsJson,
    At,
    ChangeFiles,
    EventFiles,
    Fail,
    Folder,
    Tables,
    Through,
    cited,
    computed_view,
    out,
    print_edits,
    print_json,
    refuse,
)
from routrel.forwarding.evidence import Result, StageName
from routrel.questions.errors import QuestionError
from routrel.questions.flow import FlowQuestion
from routrel.questions.moves import kept_flows
from routrel.questions.remedies.search import find_remedies

__all__ = ["flow"]

_RESULT_MARKS = {
    Result.PASSED: "[green]✓[/]",
    Result.NONE: "[dim]·[/]",
    Result.STOPPED: "[red]✗[/]",
    Result.NOT_REACHED: "[dim]–[/]",
}
#: Stages that say nothing new where the packet passes them, unless its size was asked.
_QUIET_STAGES = (StageName.MTU, StageName.NEIGHBOUR)


def flow(
    folder: Folder,
    source: Annotated[
        str,
        typer.Option("--from", help="device, device:interface, address, prefix, site or group"),
    ],
    destination: Annotated[str, typer.Option("--to", help="as --from")],
    traffic: Annotated[str, typer.Option("--as", help="protocol and port, as “tcp 5432”")] = "",
    from_port: Annotated[int | None, typer.Option(min=0, max=65535, help="source port")] = None,
    size: Annotated[int | None, typer.Option(min=20, max=65535, help="bytes of the packet")] = None,
    ttl: Annotated[int, typer.Option(min=1, max=255, help="time to live at the source")] = 64,
    dscp: Annotated[int, typer.Option(min=0, max=63, help="code point")] = 0,
    may_fragment: Annotated[
        bool, typer.Option("--may-fragment", help="fragmentation allowed (IPv4)")
    ] = False,
    both: Annotated[bool, typer.Option("--both", help="the return direction too")] = False,
    remedies: Annotated[
        bool,
        typer.Option(
            "--remedies", help="also edits that were tried and make both directions arrive"
        ),
    ] = False,
    patience: Annotated[float, typer.Option(min=0, help="seconds to look for remedies")] = 30,
    change: ChangeFiles = None,
    fail: Fail = None,
    tables: Tables = None,
    events: EventFiles = None,
    at: At = None,
    as_json: AsJson = False,
) -> None:
    """Follow a flow through the network and say what stops it."""
    state, view = computed_view(folder, Through.of(change, fail, tables, events, at))
    question = FlowQuestion(
        source=source,
        destination=destination,
        traffic=traffic,
        source_port=from_port,
        size=size,
        ttl=ttl,
        dscp=dscp,
        may_fragment=may_fragment,
        both=both or remedies,
    )
    try:
        answer = answer_flow(state, question)
        found = None
        if remedies:
            if answer.classes:
                raise QuestionError(
                    "remedies are searched for one source and one destination",
                    "ask for one of the pairs",
                )
            kept = kept_flows(view.cases)
            searched = find_remedies(state, view.texts, question, kept, patience_s=patience)
            found = remedies_data(searched)
    except QuestionError as error:
        refuse(error.text, error.suggestion)
    if as_json:
        more = asdict(found) if found else {}
        print_json(FlowCommandData(**asdict(answer), **more))
        return
    out.print(f"[bold]{escape(answer.sentence)}[/]")
    _print_causes(answer)
    if not answer.classes:
        for fact in answer.facts:
            out.print(f"  {escape(fact)}")
        _print_doubt(answer.doubt)
        _print_direction("Forward", answer.forward)
        if answer.back:
            _print_direction("Return", answer.back)
    if found:
        _print_remedies(found)


def _print_causes(answer: FlowData) -> None:
    """Of many pairs of ends: what becomes of them by cause, with their ways."""
    for cause in answer.causes:
        verdict = cause.verdict.value if cause.verdict else "not asked"
        out.print(f"\n[bold]{verdict}[/]: {escape(cause.sentence)}" + cited(cause))
        for number in cause.classes:
            one = answer.classes[number]
            for pair in one.pairs:
                out.print(f"    {escape(pair.source)} → {escape(pair.destination)}")
            for words in filter(None, (one.way, one.differs)):
                out.print(f"      [dim]{escape(words)}[/]")


def _print_doubt(doubt: FlowDoubtData | None) -> None:
    """Who decides which outcome comes about, and the way in each."""
    if doubt is None:
        return
    for one in doubt.deciders:
        lines = "".join(cited(line) for line in one.lines)
        out.print(f"  [yellow]decided at[/] {escape(one.device)}{lines}")
    for outcome in doubt.outcomes:
        out.print(f"  [yellow]with {escape(outcome.name)}[/]: {outcome.verdict.value}")
        for ways, title in ((outcome.ways, ""), (outcome.return_ways, "back ")):
            for way in ways:
                out.print(f"       {title}{escape(' → '.join(way))}")
    if not doubt.searched:
        out.print("  the search for other outcomes was not made to its end")


def _print_direction(title: str, answer: DirectionData) -> None:
    out.print(f"\n[bold]{title}[/]: {answer.verdict.value}. {escape(answer.sentence)}")
    out.print(f"  {escape(answer.way)}")
    for branch in answer.branches:
        if len(answer.branches) > 1:
            entry = f", {branch.entry}" if answer.entries else ""
            out.print(f"  [bold]branch {branch.share_text}[/]: {branch.verdict.value}{entry}")
        for number, hop in enumerate(branch.hops, start=1):
            ways = f" in {hop.into}" if hop.into else ""
            ways += f" out {hop.out}" if hop.out else ""
            out.print(f"  {number:2} [bold]{escape(hop.device)}[/]{escape(ways)}")
            for stage in hop.stages:
                _print_stage(stage)

    if len(answer.obstacles) > 1:
        out.print("  [bold]everything in the way[/]:")
        for obstacle in answer.obstacles:
            out.print(f"    {obstacle.side}: {escape(obstacle.text)}" + cited(obstacle))


def _print_stage(stage: StageData) -> None:
    """What a stage decided, and the rules that it tried first where that is of interest."""
    evidence = stage.evidence
    tried = []
    if isinstance(evidence, FilterEvidenceData | SteeringEvidenceData):
        tried = [one for one in evidence.tried if one.mismatch]
    steering = stage.stage is StageName.STEERING
    steered_past = stage.result is Result.NONE and steering
    if stage.result not in (Result.PASSED, Result.STOPPED) and not (steered_past and tried):
        return
    quiet = stage.result is Result.PASSED and stage.stage in _QUIET_STAGES
    if quiet and not (isinstance(evidence, MtuEvidenceData) and evidence.size is not None):
        return
    mark = _RESULT_MARKS[stage.result]
    out.print(f"       {mark} {stage.title}: {escape(stage.text)}" + cited(evidence))
    if stage.result is Result.STOPPED or steering:
        of_one = len({one.filter for one in tried}) < 2
        for one in tried:
            where = "" if of_one or one.filter is None else f"{escape(one.filter)} "
            out.print(
                f"           [dim]{where}rule {one.rule} ({escape(one.text)}): "
                f"{escape(one.mismatch or '')}[/]" + cited(one)
            )


def _print_remedies(answer: RemediesData) -> None:
    out.print(f"\n[bold]Remedies[/]: {escape(answer.remedies_sentence)}")
    if answer.missed:
        if answer.missed.text:
            out.print(f"  nearest: {escape(answer.missed.text)}")
        out.print(f"  left: {escape(answer.missed.left)}" + cited(answer.missed))
    for number, remedy in enumerate(answer.remedies, start=1):
        out.print(f"  {number:2} [bold]{escape(remedy.text)}[/]")
        out.print(f"       {escape(remedy.opens_text)}; {escape(remedy.moves.text)}")
        print_edits(remedy.edits)

"""The `routrel` command: the engine without the web."""

from __future__ import annotations

import ipaddress
import json
import shutil
import sys
from collections.abc import Mapping
from pathlib import Path
from typing import Annotated, Any, NoReturn

import typer
from rich.console import Console
from rich.markup import escape
from rich.table import Table

from routrel import __version__
from routrel.convergence.converge import State
from routrel.files.reader import UnusableInput
from routrel.files.schema import json_schema
from routrel.lens.look import View, look_at_folder
from routrel.model.findings import Finding, Severity
from routrel.model.network import DEFAULT_VRF
from routrel.questions.answers import answer_flow, finding_data, route_data
from routrel.questions.bounce import bounce_data
from routrel.questions.errors import QuestionError
from routrel.questions.flow import FlowQuestion
from routrel.questions.policies import read_route, try_policy
from routrel.questions.remedies.search import find_remedies
from routrel.questions.remedies.words import remedies_data
from routrel.questions.routes import RouteQuestion, ask_routes, explain_route
from routrel.questions.sessions import sessions_data

__all__ = ["app"]

DEMO = Path(__file__).resolve().parent.parent / "demo"
ERRORS_FOUND = 1
UNUSABLE = 2

app = typer.Typer(
    help="Routes, forwarding paths and faults of a network, from its device files.",
    no_args_is_help=True,
    add_completion=False,
    pretty_exceptions_enable=False,
)
#: Wide where nobody watches: a pipe has no edge at which a table must break.
out = Console(highlight=False, soft_wrap=True, width=None if sys.stdout.isatty() else 200)
err = Console(stderr=True, highlight=False, soft_wrap=True)

Folder = Annotated[Path, typer.Argument(help="the folder of a network's files", show_default=False)]
AsJson = Annotated[bool, typer.Option("--json", help="print JSON")]

_COLOURS = {Severity.ERROR: "red", Severity.WARNING: "yellow", Severity.NOTE: "blue"}
_RESULT_MARKS = {
    "passed": "[green]✓[/]",
    "none": "[dim]·[/]",
    "stopped": "[red]✗[/]",
    "not_reached": "[dim]–[/]",
}


def _version(wanted: bool) -> None:
    if wanted:
        out.print(f"routrel {__version__}")
        raise typer.Exit


@app.callback()
def options(
    version: Annotated[
        bool, typer.Option("--version", callback=_version, is_eager=True, help="print the version")
    ] = False,
) -> None:
    """Routes, forwarding paths and faults of a network, from its device files."""


@app.command()
def check(folder: Folder, as_json: AsJson = False) -> None:
    """Read all files and report everything wrong or suspicious.

    Exit code 0: no errors; 1: errors found; 2: there is nothing to read.
    """
    view = _look(folder)
    findings = view.findings
    more = view.reading.problem_count - len(view.reading.problems)
    shown = sum(1 for finding in findings if finding.severity is Severity.ERROR)
    errors = shown + more
    if as_json:
        told = [finding_data(finding) for finding in findings]
        _print_json({"findings": told, "problem_count": view.reading.problem_count})
    else:
        for finding in findings:
            _print_finding(finding, out)
        if more:
            out.print(f"and {more} more problems in the files")
        devices = len(view.reading.network.devices)
        others = len(findings) - shown
        out.print(f"{devices} devices read: {errors} errors, {others} warnings and notes")
    raise typer.Exit(ERRORS_FOUND if errors else 0)


@app.command()
def routes(
    folder: Folder,
    device: Annotated[str | None, typer.Option(help="only this device")] = None,
    vrf: Annotated[str | None, typer.Option(help="only this VRF")] = None,
    prefix: Annotated[str | None, typer.Option(help="only routes to exactly this prefix")] = None,
    address: Annotated[str | None, typer.Option(help="the longest match for this address")] = None,
    why: Annotated[bool, typer.Option("--why", help="show every candidate")] = False,
    as_json: AsJson = False,
) -> None:
    """Print the computed routes of one or all devices."""
    if prefix and address:
        _refuse("--prefix and --address exclude each other", "give one of them")
    if why and not (prefix or address):
        _refuse("--why needs to know which route", "add --prefix or --address")
    state = _state(folder)
    try:
        question = RouteQuestion(
            device=device,
            vrf=vrf,
            prefix=ipaddress.ip_network(prefix) if prefix else None,
            address=ipaddress.ip_address(address) if address else None,
        )
    except ValueError as error:
        _refuse(str(error), "write 10.64.7.0/24 or 10.64.7.21")
    try:
        found = [route_data(state, route) for route in ask_routes(state, question)]
        explained = explain_route(state, question) if why else []
    except QuestionError as error:
        _refuse(error.text, error.suggestion)
    if as_json:
        answer: dict[str, Any] = {"converged": state.converged, "routes": found}
        if why:
            answer["why"] = explained
            if len(explained) == 1:
                answer.update(
                    {
                        key: explained[0][key]
                        for key in ("candidates", "matched", "behind", "absent", "doubt")
                    }
                )
        _print_json(answer)
        return
    if not state.converged:
        out.print("[red]Routing has no stable answer; these tables are one moment of it.[/]")
    _print_routes(found)
    for table in explained:
        _print_why(table)


@app.command()
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
        bool, typer.Option("--may-fragment", help="routers may cut the packet (IPv4)")
    ] = False,
    both: Annotated[bool, typer.Option("--both", help="the return direction too")] = False,
    remedies: Annotated[
        bool,
        typer.Option(
            "--remedies", help="also edits that were tried and make both directions arrive"
        ),
    ] = False,
    patience: Annotated[float, typer.Option(min=0, help="seconds to look for remedies")] = 30,
    as_json: AsJson = False,
) -> None:
    """Follow a flow through the network and say what stops it."""
    state, texts = _state_and_texts(folder)
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
        if remedies:
            if answer["classes"]:
                raise QuestionError(
                    "remedies are searched for one source and one destination",
                    "ask for one of the pairs",
                )
            found = find_remedies(state, texts, question, patience_s=patience)
            answer |= remedies_data(state, found)
    except QuestionError as error:
        _refuse(error.text, error.suggestion)
    if as_json:
        _print_json(answer)
        return
    out.print(f"[bold]{escape(answer['sentence'])}[/]")
    for one in answer["classes"]:
        out.print(f"\n[bold]{one['verdict']}[/]: {escape(one['sentence'])}")
        for pair in one["pairs"]:
            out.print(f"    {escape(pair['source'])} → {escape(pair['destination'])}")
    if not answer["classes"]:
        _print_doubt(answer["doubt"])
        _print_direction("Forward", answer["forward"])
        if answer["return"]:
            _print_direction("Return", answer["return"])
    if remedies:
        _print_remedies(answer)


@app.command()
def sessions(
    folder: Folder,
    device: Annotated[str, typer.Option(help="the device whose session bounces")] = "",
    bounce: Annotated[
        str, typer.Option(help="a neighbour's address: what if its session goes down and comes up?")
    ] = "",
    vrf: Annotated[str, typer.Option(help="its VRF")] = DEFAULT_VRF,
    as_json: AsJson = False,
) -> None:
    """List all BGP sessions with their state, and why those that are down are down."""
    state = _state(folder)
    if bounce:
        _bounce(state, device, vrf, bounce, as_json)
        return
    answer = sessions_data(state)
    if as_json:
        _print_json(answer)
        return
    out.print(f"[bold]{escape(answer['sentence'])}[/]")
    table = Table(box=None, header_style="bold")
    for title in ("device", "neighbour", "who", "AS", "relation", "state", "taken/sent", "why"):
        table.add_column(title)
    for found in answer["sessions"]:
        up = found["state"] == "up"
        table.add_row(
            found["device"],
            found["neighbour"],
            escape(found["remote"] or "unknown"),
            str(found["remote_as"]),
            found["relation"],
            f"[{'green' if up else 'red'}]{found['state']}[/]",
            f"{found['taken']}/{found['sent']}" if up else "",
            "" if up else escape(found["reason"] or "") + _cited(found),
        )
    out.print(table)


def _bounce(state: State, device: str, vrf: str, neighbour: str, as_json: bool) -> None:
    try:
        answer = bounce_data(state, device, vrf, neighbour)
    except QuestionError as error:
        _refuse(error.text, error.suggestion)
    if as_json:
        _print_json(answer)
        return
    out.print(f"[bold]{escape(answer['sentence'])}[/]")
    for title, moved in (("while down", answer["while_down"]), ("then", answer["afterwards"])):
        if moved is not None:
            out.print(
                f"  {title:<12}{moved['prefixes']} prefixes at {moved['devices']} devices, "
                f"{len(moved['flows'])} of {moved['flows_asked']} kept flows otherwise"
            )
    table = Table(box=None, header_style="bold")
    for title in ("device", "prefix", "before", "after"):
        table.add_column(title)
    for row in answer["routes"]:
        where = row["device"] if row["vrf"] == DEFAULT_VRF else f"{row['device']} {row['vrf']}"
        table.add_row(where, row["prefix"], escape(row["before"]), escape(row["after"]))
    if answer["routes"]:
        out.print(table)
    left = answer["routes_in_all"] - len(answer["routes"])
    if left:
        out.print(f"  and {left} more")


@app.command()
def policy(
    folder: Folder,
    device: Annotated[str, typer.Option(help="the device whose policy it is")],
    policy_name: Annotated[str, typer.Option("--policy", help="the policy's name")],
    route: Annotated[str, typer.Option(help="the route as JSON; - reads standard input")],
    as_json: AsJson = False,
) -> None:
    """Put one route through one policy and show what each statement makes of it."""
    view = _look(folder)
    if not view.reading.good:
        _state(folder)
    text = sys.stdin.read() if route == "-" else route
    try:
        given = json.loads(text)
    except (ValueError, RecursionError) as error:
        _refuse(f"the route is no JSON: {error}", """write '{"prefix": "198.51.100.0/24"}'""")
    try:
        answer = try_policy(view.reading.network, device, policy_name, read_route(given))
    except QuestionError as error:
        _refuse(error.text, error.suggestion)
    if as_json:
        _print_json(answer)
        return
    out.print(f"[bold]{escape(answer['sentence'])}[/]")
    for step in answer["steps"]:
        _print_step(step, "  ")
    for behind in answer["not_reached"]:
        out.print(f"  [dim]– {behind['statement']}: not reached[/]")


@app.command()
def demo(
    folder: Annotated[Path, typer.Argument(help="a new or empty folder", show_default=False)],
) -> None:
    """Write the demo network, Marram Coast Ferries, into a folder."""
    try:
        if folder.exists() and (not folder.is_dir() or any(folder.iterdir())):
            _refuse(f"{folder} is there already and not empty", "name a new folder")
        shutil.copytree(DEMO, folder, dirs_exist_ok=True)
    except OSError as error:
        _refuse(f"{folder} cannot be written: {error.strerror}", "name another folder")
    files = sum(1 for path in folder.rglob("*.yaml"))
    out.print(f"wrote {files} files to {folder}; try: routrel check {folder}")


@app.command()
def schema() -> None:
    """Print the JSON Schema of the device-file language, for editors."""
    _print_json(json_schema())


# --- reading -------------------------------------------------------------------------------------


def _look(folder: Path) -> View:
    try:
        return look_at_folder(folder)
    except UnusableInput as error:
        _refuse(str(error))


def _state(folder: Path) -> State:
    """The computed network; files with problems are refused, since answers would be guesses."""
    return _state_and_texts(folder)[0]


def _state_and_texts(folder: Path) -> tuple[State, Mapping[str, str]]:
    view = _look(folder)
    if view.state is None:
        for problem in view.reading.problems:
            _print_finding(problem, err)
        _refuse(
            f"{view.reading.problem_count} problems in the files; nothing is computed from them",
            f"correct them and check again: routrel check {folder}",
        )
    return view.state, view.texts


def _refuse(text: str, suggestion: str = "") -> NoReturn:
    err.print(f"[red]{escape(text)}[/]" + (f"; {escape(suggestion)}" if suggestion else ""))
    raise typer.Exit(UNUSABLE)


# --- printing ------------------------------------------------------------------------------------


def _print_json(value: dict[str, Any]) -> None:
    print(json.dumps(value, indent=2, ensure_ascii=False))


def _print_finding(finding: Finding, console: Console) -> None:
    colour = _COLOURS[finding.severity]
    where = f"{finding.place}: " if finding.place.line else ""
    console.print(
        f"{escape(where)}[{colour}]{finding.severity.value}[/] {escape(finding.text)}"
        + (f" [dim]({escape(finding.suggestion)})[/]" if finding.suggestion else "")
    )


def _print_routes(found: list[dict[str, Any]]) -> None:
    table = Table(box=None, header_style="bold")
    for title in ("device", "VRF", "prefix", "protocol", "distance/metric", "next hops"):
        table.add_column(title)
    for route in found:
        kind = route["protocol"] + (f" ({route['path_type']})" if route["path_type"] else "")
        table.add_row(
            route["device"],
            route["vrf"],
            route["prefix"],
            kind,
            f"{route['distance']}/{route['metric']}",
            "discard" if route["discard"] else _hops_words(route["next_hops"]),
        )
    out.print(table)
    out.print(f"{len(found)} routes")


def _hops_words(hops: list[dict[str, Any]]) -> str:
    return ", ".join(
        f"{hop['address']} by {hop['interface']}" if hop["address"] else str(hop["interface"])
        for hop in hops
    )


def _print_step(step: dict[str, Any], indent: str) -> None:
    for inner in step["called"]:
        _print_step(inner, indent + "  ")
    name = escape(step["statement"])
    if not step["matched"]:
        out.print(f"{indent}[dim]· {name}: no match on {escape(step['failed'])}[/]" + _cited(step))
        return
    changes = ", ".join(
        f"{change['attribute']} {change['before'] or 'none'} → {change['after'] or 'none'}"
        for change in step["changes"]
    )
    result = step["result"] or "goes on"
    out.print(
        f"{indent}✓ {name}: {result}{', ' + escape(changes) if changes else ''}" + _cited(step)
    )


def _print_why(answer: dict[str, Any]) -> None:
    out.print(f"\n[bold]{escape(answer['sentence'])}[/]")
    if answer["matched"] and answer["why"] != answer["sentence"]:
        out.print(f"  {escape(answer['why'])}")
    if answer["doubt"]:
        out.print(f"  [yellow]{escape(answer['doubt'])}[/]")
    for candidate in answer["candidates"]:
        lost = candidate["lost_on"]
        mark = "[green]in use[/]" if lost is None else f"[yellow]lost on {lost}[/]"
        values = candidate["values"]
        detail = values["problem"] or f"{values['distance']}/{values['metric']}"
        ways = _hops_words(candidate["next_hops"])
        told = f" from {candidate['advertiser']}" if candidate["advertiser"] else ""
        if candidate["protocol"] == "bgp" and values["usable"]:
            detail += f", {_attributes(values)}"
        out.print(
            f"  {escape(candidate['title'])}{escape(told)} {escape(ways)} {escape(detail)}: {mark}"
            + _cited(candidate)
        )
        for one in values.get("set_by", ()):
            out.print(
                f"      {one['attribute']} {escape(one['value'])} set by statement "
                f"{escape(one['statement'])} of {escape(one['policy'])} at {escape(one['device'])}"
                + _cited(one)
            )
    for step in answer["redistributions"]:
        out.print(f"  {escape(step['text'])}" + _cited(step))
    for route in answer["behind"]:
        out.print(f"  behind it: {route['prefix']} {route['protocol']}")
    if answer["absent"]:
        out.print(f"  {escape(answer['absent']['sentence'])}")
        for step in answer["absent"]["steps"]:
            out.print(f"    {escape(step['text'])}" + _cited(step))


def _attributes(values: dict[str, Any]) -> str:
    """What tells a path of BGP from others."""
    words = [
        f"local preference {values['local_preference']}",
        f"AS path {values['as_path'] or '-'}",
    ]
    if values["weight"]:
        words.insert(0, f"weight {values['weight']}")
    words.append(f"origin {values['origin']}")
    if values["med"] is not None:
        words.append(f"MED {values['med']}")
    if values["router_id"]:
        words.append(f"router id {values['router_id']}")
    if values["age_s"] is not None:
        words.append(f"age {values['age_s']} s")
    return ", ".join(words)


def _print_doubt(doubt: dict[str, Any] | None) -> None:
    """Who decides which outcome comes about, and the way in each."""
    if doubt is None:
        return
    for one in doubt["deciders"]:
        lines = "".join(_cited(line) for line in one["lines"])
        out.print(f"  [yellow]decided at[/] {escape(one['device'])}{lines}")
    for outcome in doubt["outcomes"]:
        out.print(f"  [yellow]with {escape(outcome['name'])}[/]: {outcome['verdict']}")
        for key, title in (("ways", ""), ("return_ways", "back ")):
            for way in outcome[key]:
                out.print(f"       {title}{escape(' → '.join(way))}")
    if not doubt["searched"]:
        out.print("  the search for other outcomes was not made to its end")


def _print_direction(title: str, answer: dict[str, Any]) -> None:
    out.print(f"\n[bold]{title}[/]: {answer['verdict']}. {escape(answer['sentence'])}")
    for branch in answer["branches"]:
        if len(answer["branches"]) > 1:
            entry = f", entering from {branch['entry']}" if branch["entry"] else ""
            out.print(f"  [bold]branch {branch['share_text']}[/]: {branch['verdict']}{entry}")
        for number, hop in enumerate(branch["hops"], start=1):
            ways = f" in {hop['in']}" if hop["in"] else ""
            ways += f" out {hop['out']}" if hop["out"] else ""
            out.print(f"  {number:2} [bold]{escape(hop['device'])}[/]{escape(ways)}")
            for stage in hop["stages"]:
                _print_stage(stage)

    if len(answer["obstacles"]) > 1:
        out.print("  [bold]everything in the way[/]:")
        for obstacle in answer["obstacles"]:
            out.print(f"    {obstacle['side']}: {escape(obstacle['text'])}" + _cited(obstacle))


#: Stages that say nothing new where the packet passes them, unless its size was asked.
_QUIET_STAGES = ("mtu", "neighbour")


def _print_stage(stage: dict[str, Any]) -> None:
    """What a stage decided, and the rules that it tried first where that is of interest."""
    evidence = stage["evidence"] or {}
    tried = [one for one in evidence.get("tried", ()) if one["mismatch"]]
    steered_past = stage["result"] == "none" and stage["stage"] == "steering"
    if stage["result"] not in ("passed", "stopped") and not (steered_past and tried):
        return
    quiet = stage["result"] == "passed" and stage["stage"] in _QUIET_STAGES
    if quiet and evidence.get("size") is None:
        return
    mark = _RESULT_MARKS[stage["result"]]
    out.print(f"       {mark} {stage['title']}: {escape(stage['text'])}" + _cited(evidence))
    if stage["result"] == "stopped" or stage["stage"] == "steering":
        for one in tried:
            out.print(
                f"           [dim]rule {one['rule']} ({escape(one['text'])}): "
                f"{escape(one['mismatch'])}[/]" + _cited(one)
            )


def _print_remedies(answer: dict[str, Any]) -> None:
    out.print(f"\n[bold]Remedies[/]: {escape(answer['remedies_sentence'])}")
    for number, remedy in enumerate(answer["remedies"], start=1):
        out.print(f"  {number:2} [bold]{escape(remedy['text'])}[/]")
        out.print(f"       {escape(remedy['opens_text'])}; {escape(remedy['moves_text'])}")
        for edit in remedy["edits"]:
            out.print(f"       [dim]{escape(edit['file'])}:{edit['line']}[/]")
            for sign, colour in (("before", "red"), ("after", "green")):
                mark = "-" if sign == "before" else "+"
                for line in edit[sign].splitlines():
                    out.print(f"       [{colour}]{mark} {escape(line)}[/]")


def _cited(evidence: dict[str, Any]) -> str:
    return f" [dim]{evidence['file']}:{evidence['line']}[/]" if evidence.get("file") else ""

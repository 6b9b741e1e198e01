"""`routrel routes`: tables, and why a route is what it is."""

from __future__ import annotations

import ipaddress
from typing import Annotated

import typer
from msgspec import UNSET
from msgspec.structs import replace
from rich.markup import escape
from rich.table import Table

from routrel.answers.commands import RoutesData
from routrel.answers.routes import CandidateValuesData, RouteData, route_data
from routrel.answers.why import WhyData, explain_route
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
    computed,
    hops_words,
    out,
    print_json,
    refuse,
)
from routrel.questions.errors import QuestionError
from routrel.questions.routes import RouteQuestion, ask_routes

__all__ = ["routes"]


def routes(
    folder: Folder,
    device: Annotated[str | None, typer.Option(help="only this device")] = None,
    vrf: Annotated[str | None, typer.Option(help="only this VRF")] = None,
    prefix: Annotated[str | None, typer.Option(help="only routes to exactly this prefix")] = None,
    address: Annotated[str | None, typer.Option(help="the longest match for this address")] = None,
    why: Annotated[bool, typer.Option("--why", help="show every candidate")] = False,
    change: ChangeFiles = None,
    fail: Fail = None,
    tables: Tables = None,
    events: EventFiles = None,
    at: At = None,
    as_json: AsJson = False,
) -> None:
    """Print the computed routes of one or all devices."""
    if prefix and address:
        refuse("--prefix and --address exclude each other", "give one of them")
    if why and not (prefix or address):
        refuse("--why needs to know which route", "add --prefix or --address")
    state = computed(folder, Through.of(change, fail, tables, events, at))
    try:
        question = RouteQuestion(
            device=device,
            vrf=vrf,
            prefix=ipaddress.ip_network(prefix) if prefix else None,
            address=ipaddress.ip_address(address) if address else None,
        )
    except ValueError as error:
        refuse(str(error), "write 10.64.7.0/24 or 10.64.7.21")
    try:
        found = [route_data(state, route) for route in ask_routes(state, question)]
        explained = explain_route(state, question) if why else []
    except QuestionError as error:
        refuse(error.text, error.suggestion)
    if as_json:
        told = explained if why else UNSET
        answer = RoutesData(converged=state.converged, routes=found, why=told)
        if len(explained) == 1:
            (one,) = explained
            answer = replace(
                answer,
                matched=one.matched,
                candidates=one.candidates,
                behind=one.behind,
                absent=one.absent,
                doubt=one.doubt,
            )
        print_json(answer)
        return
    if not state.converged:
        out.print("[red]Routing has no stable answer; these tables are one moment of it.[/]")
    _print_routes(found)
    for table in explained:
        _print_why(table)


def _print_routes(found: list[RouteData]) -> None:
    table = Table(box=None, header_style="bold")
    for title in ("device", "VRF", "prefix", "protocol", "distance/metric", "next hops"):
        table.add_column(title)
    for route in found:
        kind = route.protocol + (f" ({route.path_type})" if route.path_type else "")
        table.add_row(
            route.device,
            route.vrf,
            route.prefix,
            kind,
            f"{route.distance}/{route.metric}",
            "discard" if route.discard else hops_words(route.next_hops),
        )
    out.print(table)
    out.print(f"{len(found)} routes")


def _print_why(answer: WhyData) -> None:
    out.print(f"\n[bold]{escape(answer.sentence)}[/]")
    if answer.matched and answer.why != answer.sentence:
        out.print(f"  {escape(answer.why)}")
    if answer.doubt:
        out.print(f"  [yellow]{escape(answer.doubt)}[/]")
    for candidate in answer.candidates:
        lost = candidate.lost_on
        mark = "[green]in use[/]" if lost is None else f"[yellow]lost on {lost}[/]"
        values = candidate.values
        detail = values.problem or f"{values.distance}/{values.metric}"
        ways = hops_words(candidate.next_hops)
        told = f" from {candidate.advertiser}" if candidate.advertiser else ""
        if candidate.protocol == "bgp" and values.usable:
            detail += f", {_attributes(values)}"
        out.print(
            f"  {escape(candidate.title)}{escape(told)} {escape(ways)} {escape(detail)}: {mark}"
            + cited(candidate)
        )
        for one in values.set_by or ():
            out.print(
                f"      {one.attribute} {escape(one.value)} set by statement "
                f"{escape(one.statement)} of {escape(one.policy)} at {escape(one.device)}"
                + cited(one)
            )
    for step in answer.redistributions:
        out.print(f"  {escape(step.text)}" + cited(step))
    for route in answer.behind:
        out.print(f"  behind it: {route.prefix} {route.protocol}")
    if answer.absent:
        out.print(f"  {escape(answer.absent.sentence)}")
        for step in answer.absent.steps:
            out.print(f"    {escape(step.text)}" + cited(step))


def _attributes(values: CandidateValuesData) -> str:
    """What tells a path of BGP from others."""
    words = [
        f"local preference {values.local_preference}",
        f"AS path {values.as_path or '-'}",
    ]
    if values.weight:
        words.insert(0, f"weight {values.weight}")
    words.append(f"origin {values.origin}")
    if values.med is not None and values.med is not UNSET:
        words.append(f"MED {values.med}")
    if values.router_id:
        words.append(f"router id {values.router_id}")
    if values.age_s is not None and values.age_s is not UNSET:
        words.append(f"age {values.age_s} s")
    return ", ".join(words)

"""`routrel sessions`: BGP sessions, and what a bounce of one would leave behind."""

from __future__ import annotations

from typing import Annotated

import typer
from rich.markup import escape
from rich.table import Table

from routrel.answers.bounce import bounce_data
from routrel.answers.sessions import sessions_data
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
    print_json,
    refuse,
)
from routrel.convergence.converge import State
from routrel.lens.look import View
from routrel.model.network import DEFAULT_VRF
from routrel.protocols.bgp.sessions import SessionState
from routrel.questions.errors import QuestionError
from routrel.questions.moves import kept_flows
from routrel.wording.routes import table_name

__all__ = ["sessions"]


def sessions(
    folder: Folder,
    device: Annotated[str, typer.Option(help="the device whose session bounces")] = "",
    bounce: Annotated[
        str, typer.Option(help="a neighbour's address: what if its session goes down and comes up?")
    ] = "",
    vrf: Annotated[str, typer.Option(help="its VRF")] = DEFAULT_VRF,
    change: ChangeFiles = None,
    fail: Fail = None,
    tables: Tables = None,
    events: EventFiles = None,
    at: At = None,
    as_json: AsJson = False,
) -> None:
    """List all BGP sessions with their state, and why those that are down are down."""
    state, view = computed_view(folder, Through.of(change, fail, tables, events, at))
    if bounce:
        _bounce(state, view, device, vrf, bounce, as_json)
        return
    answer = sessions_data(state)
    if as_json:
        print_json(answer)
        return
    out.print(f"[bold]{escape(answer.sentence)}[/]")
    table = Table(box=None, header_style="bold")
    for title in ("device", "neighbour", "who", "AS", "relation", "state", "taken/sent", "why"):
        table.add_column(title)
    for found in answer.sessions:
        up = found.state is SessionState.UP
        table.add_row(
            found.device,
            found.neighbour,
            escape(found.remote or "unknown"),
            str(found.remote_as),
            found.relation,
            f"[{'green' if up else 'red'}]{found.state.value}[/]",
            f"{found.taken}/{found.sent}" if up else "",
            "" if up else escape(found.reason or "") + cited(found),
        )
    out.print(table)


def _bounce(state: State, view: View, device: str, vrf: str, neighbour: str, as_json: bool) -> None:
    try:
        answer = bounce_data(state, device, vrf, neighbour, kept_flows(view.cases))
    except QuestionError as error:
        refuse(error.text, error.suggestion)
    if as_json:
        print_json(answer)
        return
    out.print(f"[bold]{escape(answer.sentence)}[/]")
    for title, moved in (("while down", answer.while_down), ("then", answer.afterwards)):
        if moved is not None:
            out.print(
                f"  {title:<12}{moved.prefixes} prefixes at {moved.devices} devices, "
                f"{len(moved.flows)} of {moved.flows_asked} kept flows otherwise"
            )
    table = Table(box=None, header_style="bold")
    for title in ("device", "prefix", "before", "after"):
        table.add_column(title)
    for row in answer.routes:
        where = table_name(row.device, row.vrf)
        table.add_row(where, row.prefix, escape(row.before), escape(row.after))
    if answer.routes:
        out.print(table)
    left = answer.routes_in_all - len(answer.routes)
    if left:
        out.print(f"  and {left} more")

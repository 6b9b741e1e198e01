"""`routrel policy`: one route through one policy."""

from __future__ import annotations

import json
import sys
from typing import Annotated

import typer
from rich.markup import escape

from routrel.answers.policies import PolicyStepData, read_route, try_policy
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
    look,
    out,
    print_json,
    refuse,
)
from routrel.questions.errors import QuestionError

__all__ = ["policy"]


def policy(
    folder: Folder,
    device: Annotated[str, typer.Option(help="the device whose policy it is")],
    policy_name: Annotated[str, typer.Option("--policy", help="the policy's name")],
    route: Annotated[str, typer.Option(help="the route as JSON; - reads standard input")],
    change: ChangeFiles = None,
    fail: Fail = None,
    tables: Tables = None,
    events: EventFiles = None,
    at: At = None,
    as_json: AsJson = False,
) -> None:
    """Put one route through one policy and show what each statement makes of it."""
    through = Through.of(change, fail, tables, events, at)
    view = look(folder, through)
    if not view.reading.good:
        computed(folder, through)
    text = sys.stdin.read() if route == "-" else route
    try:
        given = json.loads(text)
    except (ValueError, RecursionError) as error:
        refuse(f"the route is no JSON: {error}", """write '{"prefix": "198.51.100.0/24"}'""")
    try:
        answer = try_policy(view.reading.network, device, policy_name, read_route(given))
    except QuestionError as error:
        refuse(error.text, error.suggestion)
    if as_json:
        print_json(answer)
        return
    out.print(f"[bold]{escape(answer.sentence)}[/]")
    for step in answer.steps:
        _print_step(step, "  ")
    for behind in answer.not_reached:
        out.print(f"  [dim]– {behind.statement}: not reached[/]")


def _print_step(step: PolicyStepData, indent: str) -> None:
    for inner in step.called:
        _print_step(inner, indent + "  ")
    name = escape(step.statement)
    if not step.matched:
        out.print(
            f"{indent}[dim]· {name}: no match on {escape(step.failed or '')}[/]" + cited(step)
        )
        return
    changes = ", ".join(
        f"{change.attribute} {change.before or 'none'} → {change.after or 'none'}"
        for change in step.changes
    )
    result = step.result.value if step.result else "goes on"
    out.print(
        f"{indent}✓ {name}: {result}{', ' + escape(changes) if changes else ''}" + cited(step)
    )

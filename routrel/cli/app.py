"""The command line as a whole."""

from __future__ import annotations

from typing import Annotated

import typer

from routrel import __version__
from routrel.cli import change
from routrel.cli.agreement import agreement_
from routrel.cli.check import check
from routrel.cli.common import out
from routrel.cli.compare import compare
from routrel.cli.convert import convert
from routrel.cli.demo import demo
from routrel.cli.events import eras, events
from routrel.cli.flow import flow
from routrel.cli.health import health
from routrel.cli.importing import import_
from routrel.cli.kept import kept
from routrel.cli.messages import messages
from routrel.cli.policy import policy
from routrel.cli.promises import promises
from routrel.cli.push import push
from routrel.cli.routes import routes
from routrel.cli.schema import schema
from routrel.cli.sessions import sessions
from routrel.cli.suggest import suggest
from routrel.cli.sweep import sweep

__all__ = ["app"]

app = typer.Typer(
    help="Routes, forwarding paths and faults of a network, from its device files.",
    no_args_is_help=True,
    add_completion=False,
    pretty_exceptions_enable=False,
)


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


for command in (
    check,
    routes,
    flow,
    sessions,
    policy,
    compare,
    events,
    eras,
    health,
    kept,
    messages,
    promises,
    suggest,
    sweep,
    push,
    convert,
    demo,
    schema,
):
    app.command()(command)
app.command("agreement")(agreement_)
app.command("import")(import_)
app.add_typer(change.app, name="change")

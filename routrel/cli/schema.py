"""`routrel schema`: the JSON Schema of the device-file language, or of answers."""

from __future__ import annotations

from typing import Annotated

import typer

from routrel.answers.schema import answers_schema
from routrel.cli.common import print_json
from routrel.files.schema import json_schema

__all__ = ["schema"]


def schema(
    answers: Annotated[
        bool, typer.Option("--answers", help="of what commands print with --json")
    ] = False,
) -> None:
    """Print the JSON Schema of the device-file language, for editors, or that of answers."""
    print_json(answers_schema() if answers else json_schema())

"""`routrel demo`: the demo network, to try things with."""

from __future__ import annotations

import shutil
from pathlib import Path
from typing import Annotated

import typer

from routrel.cli.common import (
    out,
    refuse,
)

__all__ = ["demo"]

DEMO = Path(__file__).resolve().parents[2] / "demo"


def demo(
    folder: Annotated[Path, typer.Argument(help="a new or empty folder", show_default=False)],
) -> None:
    """Write the demo network, Marram Coast Ferries, into a folder."""
    try:
        if folder.exists() and (not folder.is_dir() or any(folder.iterdir())):
            refuse(f"{folder} is there already and not empty", "name a new folder")
        shutil.copytree(DEMO, folder, dirs_exist_ok=True)
    except OSError as error:
        refuse(f"{folder} cannot be written: {error.strerror}", "name another folder")
    files = sum(1 for path in folder.rglob("*.yaml"))
    out.print(f"wrote {files} files to {folder}; try: routrel check {folder}")

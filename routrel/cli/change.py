"""`routrel change`: change files, from two folders and into one."""

from __future__ import annotations

import shutil
from pathlib import Path
from typing import Annotated

import typer
from rich.markup import escape

from routrel.answers.change_sheet import change_sheet_data
from routrel.answers.comparison import comparison_data
from routrel.answers.sheet_markdown import sheet_markdown
from routrel.cli.common import (
    ERRORS_FOUND,
    AsJson,
    Folder,
    Through,
    change_in,
    computed_view,
    err,
    kept_in,
    out,
    print_finding,
    print_json,
    refuse,
)
from routrel.files.reader import UnusableInput, load_texts, read_texts
from routrel.files.writer import write_change
from routrel.lens.change_between import change_between
from routrel.lens.changes import with_change
from routrel.questions.steps import order_of_steps

__all__ = ["app"]

app = typer.Typer(help="Change files: named edits of a network's files.", no_args_is_help=True)


@app.command()
def apply(
    folder: Folder,
    change: Annotated[Path, typer.Argument(help="the change file", show_default=False)],
    target: Annotated[
        Path | None,
        typer.Option("--out", help="a new or empty folder; left out: the files are edited"),
    ] = None,
) -> None:
    """Make the edits of a change and write the files.

    Exit code 0: done; 1: an edit conflicts with what stands there now, or the files would have
    problems (nothing is written); 2: there is nothing to read or to write to.
    """
    made = change_in(change)
    texts = _texts(folder)
    if target is not None and target.exists() and (not target.is_dir() or any(target.iterdir())):
        refuse(f"{target} is there already and not empty", "name a new folder")
    changed = with_change(texts, made)
    for conflict in changed.conflicts:
        err.print(f"[red]{escape(str(conflict))}[/]")
    if changed.conflicts:
        err.print("nothing is written; write these edits anew, or take them out")
        raise typer.Exit(ERRORS_FOUND)
    before = read_texts(texts).problem_count
    reading = read_texts(changed.texts)
    if reading.problem_count > before:
        for problem in reading.problems:
            print_finding(problem, err)
        err.print("nothing is written; the files would have problems")
        raise typer.Exit(ERRORS_FOUND)
    files = {
        file for file in {*texts, *changed.texts} if texts.get(file) != changed.texts.get(file)
    }
    try:
        if target is not None:
            shutil.copytree(folder, target, dirs_exist_ok=True)
        _write(target or folder, {file: changed.texts.get(file) for file in files})
    except OSError as error:
        refuse(f"{error.filename} cannot be written: {error.strerror}", "name another folder")
    for file in sorted(files):
        out.print(escape(file))
    out.print(f"{len(files)} files changed by {escape(made.name)}")


@app.command()
def new(
    folder: Folder,
    other: Annotated[Path, typer.Argument(help="the folder it leads to", show_default=False)],
    name: Annotated[str, typer.Option(help="the change's name")] = "change",
    purpose: Annotated[str, typer.Option(help="what it is for")] = "",
) -> None:
    """Print the change that leads from one folder to the other."""
    found = change_between(_texts(folder), _texts(other), name, purpose)
    if found is None:
        refuse("the two folders hold the same", "edit one of them first")
    typer.echo(write_change(found), nl=False)


@app.command()
def sheet(
    folder: Folder,
    change: Annotated[Path, typer.Argument(help="the change file", show_default=False)],
    patience: Annotated[
        float, typer.Option(min=0, help="seconds after which the search for an order of steps ends")
    ] = 60,
    as_json: AsJson = False,
) -> None:
    """Print the sheet of a change: what moves, steps that break nothing, the way back. Markdown.

    Exit code 0, whatever moves; 2: the change does not fit, or one of the two is not computed.
    """
    made = change_in(change)
    state, before = computed_view(folder)
    after_state, after = computed_view(folder, Through(changes=(made,), failed=()), before)
    kept = kept_in(before, after)
    told = ((state, before.findings), (after_state, after.findings))
    moves = comparison_data(*told, kept, (made,))
    steps = order_of_steps(before, made, after_state, kept, patience_s=patience)
    found = change_sheet_data(before.texts, made, steps, moves)
    if as_json:
        print_json(found)
        return
    typer.echo(sheet_markdown(found), nl=False)


def _texts(folder: Path) -> dict[str, str]:
    """The files of a folder; where one cannot be read, nothing is done."""
    try:
        texts, report = load_texts(folder)
    except UnusableInput as error:
        refuse(str(error))
    for problem in report.problems:
        print_finding(problem, err)
    if report.problems:
        refuse("not all files can be read", "correct them first")
    return texts


def _write(folder: Path, texts: dict[str, str | None]) -> None:
    for file, text in texts.items():
        path = folder / file
        if text is None:
            path.unlink()
            continue
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_text(text, encoding="utf-8", newline="")

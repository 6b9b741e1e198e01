"""`routrel sweep`: what every failure of a kind does to what is promised."""

from __future__ import annotations

from enum import StrEnum
from typing import Annotated

import typer
from rich.markup import escape

from routrel.answers.sweeps import SweepData, sweep_data
from routrel.cli.common import (
    AsJson,
    ChangeFiles,
    Fail,
    Folder,
    Through,
    computed_view,
    err,
    kept_in,
    out,
    print_json,
    refuse,
)
from routrel.lens.failures import named_failures
from routrel.lens.look import Lens, content_hash
from routrel.model.failures import FailureKind
from routrel.questions.sweep.cases import Case, cases_of
from routrel.questions.sweep.record import Base, Record
from routrel.questions.sweep.run import Job, keep, pool, run

__all__ = ["sweep"]

#: Cases that are printed; --json has all.
_SHOWN = 20
#: Cases beyond which a sweep is refused: nobody waits for it.
_MOST_CASES = 200_000


class Kind(StrEnum):
    """What fails."""

    LINK = "link"
    DEVICE = "device"
    INTERFACE = "interface"
    SITE = "site"
    GROUP = "group"
    LINE = "line"
    SESSION = "session"


def sweep(
    folder: Folder,
    kind: Annotated[
        list[Kind], typer.Option("--kind", help="what fails; may be repeated", show_default=False)
    ],
    pairs: Annotated[bool, typer.Option("--pairs", help="every two of them as well")] = False,
    workers: Annotated[
        int | None,
        typer.Option(min=1, max=256, help="processes; left out: as many as there are cores"),
    ] = None,
    change: ChangeFiles = None,
    fail: Fail = None,
    as_json: AsJson = False,
) -> None:
    """Fail every thing of a kind, one after another, and see what breaks.

    Exit code 0, whatever breaks; 2: the network cannot be computed.
    """
    through = Through.of(change, fail)
    state, view = computed_view(folder, through)
    cases = cases_of(state.topology, [FailureKind(one) for one in kind], pairs=pairs)
    if len(cases) > _MOST_CASES:
        refuse(f"{len(cases)} cases are too many", "sweep fewer kinds, or without --pairs")
    lens = Lens(texts=view.texts, failures=named_failures(through.failed))
    promised, kept = view.reading.promises, kept_in(view)
    name = f"{content_hash(view.texts)} {' '.join(map(str, lens.failures.things))}"
    job = Job(name=name, lens=lens, promises=promised, kept=kept)
    base = Base(state, promised, kept)
    base.prepare()
    keep(job, base)
    records: dict[Case, Record] = {}
    for case, made in run(job, cases, lambda: pool(workers), workers=workers):
        records[case] = made
        if err.is_terminal:
            err.print(f"case {len(records)} of {len(cases)}", end="\r")
    answer = sweep_data(state.topology, [promise.name for promise in promised], records)
    if as_json:
        print_json(answer)
        return
    _print(answer)


def _print(answer: SweepData) -> None:
    out.print(f"[bold]{escape(answer.summary)}[/]")
    told = [case for case in answer.cases if case.broken or case.rerouted or case.cut_off]
    for case in told[:_SHOWN]:
        mark = "[red]✗[/]" if case.broken else "[yellow]~[/]"
        out.print(f"{mark} [bold]{escape(case.title)}[/]: {escape(case.text)}")
    if len(told) > _SHOWN:
        out.print(f"  and {len(told) - _SHOWN} more; --json has all")
    if len(answer.cases) > len(told):
        out.print(f"  {len(answer.cases) - len(told)} more break nothing and move no promise")
    for name, sets in answer.breaking_sets.items():
        out.print(f"\n[bold]{escape(name)}[/] is broken by")
        for one in sets[:_SHOWN]:
            out.print(f"    {escape(' + '.join(one))}")
        if len(sets) > _SHOWN:
            out.print(f"    and {len(sets) - _SHOWN} more sets")

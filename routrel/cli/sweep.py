"""`routrel sweep`: what every failure of a kind does to what is promised."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace
from enum import StrEnum
from pathlib import Path
from typing import Annotated

import typer
from rich.markup import escape

from routrel.answers.sweeps import SweepData, sweep_data
from routrel.cli.common import (
    AsJson,
    At,
    ChangeFiles,
    EventFiles,
    Fail,
    Folder,
    Tables,
    Through,
    computed_view,
    err,
    kept_in,
    out,
    print_json,
    refuse,
)
from routrel.files.shapes import closest
from routrel.lens.failures import named_failures
from routrel.lens.look import Lens, content_hash
from routrel.model.failures import FailureKind
from routrel.questions.processes import pool
from routrel.questions.promises.surviving import things_that_fail
from routrel.questions.sweep.breaking import MOST_IN_A_SET, SetSearch
from routrel.questions.sweep.cases import Case, cases_of
from routrel.questions.sweep.record import Base, Record
from routrel.questions.sweep.run import Job, keep, run
from routrel.questions.sweep.shift import shift_of

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
    sets: Annotated[
        str,
        typer.Option(
            "--sets", metavar="PROMISE", help="search for all smallest sets that break a promise"
        ),
    ] = "",
    size: Annotated[
        int, typer.Option(min=1, max=MOST_IN_A_SET, help="the size of the largest, with --sets")
    ] = MOST_IN_A_SET,
    before: Annotated[
        bool, typer.Option("--before", help="the same without the changes, and what they shift")
    ] = False,
    workers: Annotated[
        int | None,
        typer.Option(min=1, max=256, help="processes; left out: as many as there are cores"),
    ] = None,
    change: ChangeFiles = None,
    fail: Fail = None,
    tables: Tables = None,
    events: EventFiles = None,
    at: At = None,
    as_json: AsJson = False,
) -> None:
    """Fail every thing of a kind, one after another, and see what breaks.

    Exit code 0, whatever breaks; 2: the network cannot be computed.
    """
    through = Through.of(change, fail, tables, events, at)
    if before and not through.changes:
        refuse("there is no change to look before", "name one with --change")
    kinds = [FailureKind(one) for one in kind]
    after = _Swept(folder, through, workers)
    names = [promise.name for promise in after.view.reading.promises]
    search = None
    if sets:
        if sets not in names:
            refuse(f"there is no promise “{sets}”", closest(sets, names))
        things = [thing for one in kinds for thing in things_that_fail(after.state.topology, one)]
        search = SetSearch(after.state, sets, things)
        for count in range(1, size + 1):
            if search.count_of(count) > _MOST_CASES:
                break  # the answer says how far it went
            for case, made in after.run(search.of_size(count)):
                search.learn(case, made)
    else:
        for _ in after.run(cases_of(after.state.topology, kinds, pairs=pairs)):
            pass
    shift = None
    if before:
        then = _Swept(folder, replace(through, changes=()), workers)
        there = {thing for one in kinds for thing in things_that_fail(then.state.topology, one)}
        for _ in then.run([case for case in after.records if there.issuperset(case)]):
            pass
        shift = shift_of(then.records, after.records, then.broken, after.broken)
    answer = sweep_data(
        after.state.topology, names, after.records, search=search, wanted=size, shift=shift
    )
    if as_json:
        print_json(answer)
        return
    _print(answer)


class _Swept:
    """A network whose things fail, and what came of it."""

    def __init__(self, folder: Path, through: Through, workers: int | None) -> None:
        self.state, self.view = computed_view(folder, through)
        self._workers = workers
        promised, kept = self.view.reading.promises, kept_in(self.view)
        lens = Lens(
            texts=self.view.texts,
            failures=named_failures(through.failed),
            tables=through.tables,
            events=through.events,
            at=through.at,
        )
        name = f"{content_hash(self.view.texts)} {replace(through, changes=())}"
        self._job = Job(name=name, lens=lens, promises=promised, kept=kept)
        base = Base(self.state, promised, kept)
        base.prepare()
        keep(self._job, base)
        #: The promises that are broken without any failure.
        self.broken = {name for name, one in base.known.items() if not one.kept}
        self.records: dict[Case, Record] = {}

    def run(self, cases: list[Case]) -> Iterator[tuple[Case, Record]]:
        """Try cases, telling each that is done."""
        if len(cases) > _MOST_CASES:
            refuse(f"{len(cases)} cases are too many", "sweep fewer kinds, or smaller sets")
        for number, (case, made) in enumerate(
            run(self._job, cases, lambda: pool(self._workers), workers=self._workers), 1
        ):
            self.records[case] = made
            if err.is_terminal:
                err.print(f"case {number} of {len(cases)}", end="\r")
            yield case, made


def _print(answer: SweepData) -> None:
    out.print(f"[bold]{escape(answer.summary)}[/]")
    if answer.shift is not None:
        out.print(escape(answer.shift.summary))
    for mark, cases in (("fatal now", _fatal(answer)), ("survived now", _survived(answer))):
        for title, names in cases[:_SHOWN]:
            out.print(f"{mark}: [bold]{escape(title)}[/] ({escape(', '.join(names))})")
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


def _fatal(answer: SweepData) -> list[tuple[str, list[str]]]:
    shift = answer.shift
    cases = [*shift.fatal, *shift.otherwise] if shift else []
    return [(one.title, one.breaks_now) for one in cases if one.breaks_now]


def _survived(answer: SweepData) -> list[tuple[str, list[str]]]:
    shift = answer.shift
    cases = [*shift.survivable, *shift.otherwise] if shift else []
    return [(one.title, one.survived_now) for one in cases if one.survived_now]

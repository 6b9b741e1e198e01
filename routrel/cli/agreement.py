"""`routrel agreement`: computed tables held against those that were read from devices."""

from __future__ import annotations

import csv
import sys
from typing import Annotated

import typer
from msgspec.structs import asdict
from rich.markup import escape

from routrel.answers.agreement import AgreementData, EntryDifferenceData, agreement_data
from routrel.answers.mending import MendingData, mending_data
from routrel.cli.common import (
    ERRORS_FOUND,
    AsJson,
    At,
    ChangeFiles,
    EventFiles,
    Folder,
    Tables,
    Through,
    computed_view,
    hops_words,
    out,
    print_edits,
    print_json,
    refuse,
)
from routrel.model.observed import TableSource
from routrel.questions.agreement.mending import find_mending
from routrel.questions.agreement.reasons import agreement

__all__ = ["AgreementCommandData", "agreement_"]

_SHOWN = 20


class AgreementCommandData(AgreementData):
    """The agreement, and what mends it where that was asked for."""

    mending: MendingData | None = None


def agreement_(
    folder: Folder,
    device: Annotated[list[str] | None, typer.Option(help="of these devices alone")] = None,
    change: ChangeFiles = None,
    tables: Tables = None,
    events: EventFiles = None,
    at: At = None,
    as_csv: Annotated[bool, typer.Option("--csv", help="print every difference as CSV")] = False,
    mend: Annotated[
        bool, typer.Option("--mend", help="also edits that were tried and make more agree")
    ] = False,
    patience: Annotated[float, typer.Option(min=0, help="seconds to look for edits")] = 30,
    as_json: AsJson = False,
) -> None:
    """Hold computed tables against those that were read from devices.

    All tables are computed unless --tables says otherwise; those that are taken as they were read
    are not compared.
    """
    through = Through.of(change, None, tables or [TableSource.COMPUTED.value], events, at)
    state, view = computed_view(folder, through)
    for name in device or ():
        if name not in state.topology.devices:
            refuse(f"there is no device “{name}”")
    found = agreement(state, device)
    answer = agreement_data(state, found)
    mending = None
    if mend:
        mending = mending_data(find_mending(state, view.texts, device, patience_s=patience))
    if as_json:
        print_json(AgreementCommandData(**asdict(answer), mending=mending) if mend else answer)
    elif as_csv:
        _print_csv(answer)
    else:
        _print(answer)
        if mending:
            _print_mending(mending)
    if not found.agrees:
        raise typer.Exit(ERRORS_FOUND)


def _print(answer: AgreementData) -> None:
    out.print(f"[bold]{escape(answer.sentence)}[/]")
    for table in answer.devices:
        out.print(escape(table.text))
        for reason in table.reasons:
            out.print(f"  {reason.count:>7,}  {escape(reason.reason)}")
        for one in table.differences[:_SHOWN]:
            where = f" [dim]{one.evidence.file}:{one.evidence.line}[/]" if one.evidence else ""
            out.print(f"    {one.prefix:<20} {_sides(one)}{where}")
        if len(table.differences) > _SHOWN:
            more = len(table.differences) - _SHOWN
            out.print(f"    and {more:,} more; --csv or --json has all")


def _print_mending(answer: MendingData) -> None:
    out.print(f"\n[bold]What mends it[/]: {escape(answer.sentence)}")
    for number, step in enumerate(answer.steps, start=1):
        out.print(f"  {number:2} [bold]{escape(step.text)}[/] ({_counted(step.mended)})")
    print_edits(answer.edits)
    for step in answer.others:
        out.print(f"   instead of the first: {escape(step.text)} ({_counted(step.mended)})")


def _counted(mended: int) -> str:
    return "one entry" if mended == 1 else f"{mended:,} entries"


def _sides(one: EntryDifferenceData) -> str:
    mine = "none"
    if one.computed:
        ways = "discard" if one.computed.discard else hops_words(one.computed.next_hops)
        mine = f"{one.computed.protocol} {ways}"
    theirs = "none"
    if one.observed:
        hops = ", ".join(
            " by ".join(word for word in (hop.address, hop.interface) if word)
            for hop in one.observed.next_hops
        )
        theirs = f"{one.observed.protocol} {hops or one.observed.drops}"
    return f"computed: {escape(mine)}; read: {escape(theirs)}"


def _print_csv(answer: AgreementData) -> None:
    writer = csv.writer(sys.stdout, lineterminator="\n")
    writer.writerow(("device", "vrf", "prefix", "kind", "reason", "file", "line"))
    for table in answer.devices:
        for one in table.differences:
            place = (one.evidence.file, one.evidence.line) if one.evidence else ("", "")
            writer.writerow(
                (table.device, table.vrf, one.prefix, one.kind.value, one.reason, *place)
            )

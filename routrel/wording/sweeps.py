"""What is said of a sweep of failures."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from routrel.questions.sweep.breaking import SetSearch
from routrel.questions.sweep.record import Record
from routrel.questions.sweep.shift import Shift
from routrel.topology.segments import Topology

__all__ = [
    "case_words",
    "link_titles",
    "shift_words",
    "skipped_words",
    "sweep_words",
    "title_words",
]

#: Things that a sentence names; the rest is counted.
_NAMED = 3
#: Ends of a link that its title names.
_FEW_ENDS = 3


def link_titles(topology: Topology) -> dict[str, str]:
    """What to call links that have only a subnet for a name: by who is on them."""
    found: dict[str, list[str]] = {}
    for segment in topology.segments:
        ends = [end.device.name for end in segment.ends]
        ends += [end.neighbour.name for end in segment.outside]
        if not segment.stated and 1 < len(ends) <= _FEW_ENDS:
            found.setdefault(" – ".join(ends), []).append(segment.name)
    return {
        name: f"{ends} ({name})" if len(names) > 1 else ends
        for ends, names in found.items()
        for name in names
    }


def title_words(failed: Sequence[str], links: Mapping[str, str]) -> str:
    """What fails, in words: link ald-core-1 – brk-core-1 and risk group quay-duct."""
    words = []
    for one in failed:
        kind, _, name = one.partition(":")
        titles = {"group": "risk group", "line": "the line to", "session": "the session"}
        called = links.get(name, name) if kind == "link" else name
        words.append(f"{titles.get(kind, kind)} {called}")
    return " and ".join(filter(None, (", ".join(words[:-1]), words[-1])))


def case_words(one: Record) -> str:
    """What a failure does, in a line."""
    parts = []
    if one.broken:
        parts.append(f"breaks {_listed(one.broken)}")
    if one.rerouted:
        count = len(one.rerouted)
        longer = f", up to {_links(one.longest_detour)} longer" if one.longest_detour > 0 else ""
        parts.append(f"{count} promise{'s' * (count != 1)} kept another way{longer}")
    if one.mended:
        parts.append(f"keeps {_listed(one.mended)}, broken without it")
    if one.cut_off:
        count = sum(map(len, one.cut_off))
        parts.append(f"cuts off {count} device{'s' * (count != 1)}")
    if not parts and one.flows_lost:
        parts.append(f"loses {_listed(one.flows_lost)}")
    if not parts:
        parts.append("moves routes only" if one.routes_moved else "moves nothing")
    return "; ".join(parts)


def sweep_words(
    ranked: Sequence[Record], promises: int, links: Mapping[str, str], *, complete: bool
) -> str:
    """What cannot be survived, in a sentence or two."""
    count = len(ranked)
    fatal = [one for one in ranked if one.broken]
    cases = f"{count} case{'s' * (count != 1)}"
    tried = f"{cases} tried" if complete else f"{cases} tried, the rest not yet"
    if not promises:
        return f"Nothing is promised, so nothing can break; {tried}."
    if not fatal:
        return f"Every promise survives each failure that was tried; {tried}."
    broken = {name for one in fatal for name in one.broken}
    worst = fatal[0]
    what = title_words(worst.failed, links)
    return (
        f"{len(broken)} of {promises} promises do not survive some failure; "
        f"what hurts most is {what}, which breaks {len(worst.broken)}; {tried}."
    )


def shift_words(shift: Shift) -> str:
    """What a change does to what is survived, in a sentence or two."""
    makes = [
        f"{_failures(len(cases))} {what}"
        for cases, what in ((shift.survivable, "survivable"), (shift.fatal, "fatal"))
        if cases
    ]
    parts = [f"makes {' and '.join(makes)}"] if makes else []
    if shift.broken:
        parts.append(f"breaks {_listed(shift.broken)} without any failure")
    if shift.mended:
        parts.append(f"mends {_listed(shift.mended)}")
    if shift.otherwise:
        count = len(shift.otherwise)
        parts.append(f"lets {_failures(count)} break other promises than before")
    if not parts:
        return "This change makes no failure fatal and none survivable."
    return f"This change {'; it '.join(parts)}."


def skipped_words(search: SetSearch, tried: int, wanted: int) -> str:
    """How a search for the smallest sets that break a promise went."""
    most, skipped = search.largest, search.skipped
    left = [
        f"{count} left out since {why}"
        for count, why in (
            (skipped.not_minimal, "a part of them breaks it already"),
            (skipped.no_effect, "one of the failures adds nothing to the others"),
        )
        if count
    ]
    count = len(search.sets)
    found = f"{count} smallest set{'s' * (count != 1)}" if count else "No set"
    size = f"of up to {most} failures" if most > 1 else "of one failure"
    words = f"{found} {size} break{'s' * (count < 2)} {search.promise}: {tried:,} tried"
    text = f"{', '.join([words, *left])}."
    if most < wanted:
        more = search.count_of(most + 1)
        text += f" Sets of {most + 1} are too many, {more:,}; let fewer kinds fail."
    return text


def _failures(count: int) -> str:
    return f"{count} failure{'s' * (count != 1)}"


def _links(count: int) -> str:
    return f"{count} link{'s' * (count != 1)}"


def _listed(names: Sequence[str]) -> str:
    shown = ", ".join(names[:_NAMED])
    return shown if len(names) <= _NAMED else f"{shown} and {len(names) - _NAMED} more"

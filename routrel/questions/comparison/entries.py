"""Where outside networks send packets to prefixes of ours in: their own choice of our paths."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from typing import TypeAlias

from routrel.convergence.converge import State
from routrel.model.addresses import Address, Prefix
from routrel.protocols.bgp.result import BgpResult
from routrel.protocols.evidence import CandidatePath
from routrel.protocols.register import bgp_of

__all__ = ["Entries", "Entry", "EntryChange", "entries_of", "entry_changes", "entry_for"]


@dataclass(frozen=True, slots=True, kw_only=True)
class Entry:
    """The path of ours that an outside network uses to one of our prefixes."""

    outside: str
    prefix: Prefix
    path: CandidatePath
    others: tuple[CandidatePath, ...]  #: what it hears besides, each with where it lost

    @property
    def device(self) -> str:
        """The device of ours at which it comes in."""
        return _line(self.path)[0]

    @property
    def neighbour(self) -> str:
        """That device's address on the line."""
        return _line(self.path)[1]


@dataclass(frozen=True, slots=True, kw_only=True)
class EntryChange:
    """A prefix of ours that comes in elsewhere; None: it is not announced there."""

    outside: str
    prefix: Prefix
    before: Entry | None
    after: Entry | None

    @property
    def loser(self) -> CandidatePath | None:
        """The former path as the outside network judges it now; None: it hears it no more."""
        if self.before is None or self.after is None:
            return None
        former = _line(self.before.path)
        return next((path for path in self.after.others if _line(path) == former), None)


#: By outside network and prefix.
Entries: TypeAlias = Mapping[tuple[str, Prefix], Entry]


def entries_of(state: State) -> Entries:
    """By outside network and prefix: where it sends in what some device of ours announces.

    Outside networks choose as the decision process says (RFC 4271 9.1), with the settings that the
    model has of them. That they hear of a prefix from each other is not in the model.
    """
    return {(entry.outside, entry.prefix): entry for entry in _entries(bgp_of(state.results))}


def _entries(bgp: BgpResult) -> Iterator[Entry]:
    outside = [index for index, speaker in enumerate(bgp.speakers) if speaker.outside]
    ours = {
        number
        for number, (members, _) in enumerate(bgp.classes.all)
        if any(not bgp.speakers[speaker].outside for speaker, _ in members.origins)
    }
    prefixes = bgp.interning.prefixes.prefixes
    for number in bgp.classes.announced:
        if bgp.classes.class_of.get(number) not in ours:
            continue
        for index in outside:
            heard = [p for p in bgp.heard_by(index, number) if not p.problem and p.advertiser]
            used = next((path for path in heard if path.lost_on is None), None)
            if used is not None:
                yield Entry(
                    outside=bgp.speakers[index].name,
                    prefix=prefixes[number],
                    path=used,
                    others=tuple(path for path in heard if path is not used),
                )


def entry_changes(then: Entries, now: Entries) -> tuple[EntryChange, ...]:
    """What outside networks send in elsewhere, by network and prefix."""
    return tuple(
        EntryChange(outside=key[0], prefix=key[1], before=then.get(key), after=now.get(key))
        for key in dict.fromkeys((*then, *now))
        if _where(then.get(key)) != _where(now.get(key))
    )


def entry_for(entries: Entries, outside: str, address: Address) -> Entry | None:
    """Where an outside network sends packets to an address in: by its longest prefix."""
    held = [e for (who, prefix), e in entries.items() if who == outside and address in prefix]
    return max(held, key=lambda entry: entry.prefix.prefixlen, default=None)


def _where(entry: Entry | None) -> tuple[str, str] | None:
    return _line(entry.path) if entry else None


def _line(path: CandidatePath) -> tuple[str, str]:
    return path.advertiser or "", str(path.values.get("neighbour_address") or "")

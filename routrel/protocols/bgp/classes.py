"""Prefixes that are announced alike and treated alike, as classes that spread as one."""

from __future__ import annotations

from collections.abc import Hashable, Iterator, Mapping, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from routrel.model.addresses import Prefix
from routrel.protocols.bgp.carrying import PolicySignature
from routrel.protocols.bgp.conditions import Closed
from routrel.protocols.bgp.treatment import Chain, PrefixArrays, Ranges, ranges_used, reduced

__all__ = ["Grouping", "PrefixClass"]

#: Own paths of a prefix: speaker and path number, in order of speaker.
Origins = tuple[tuple[int, int], ...]


@dataclass(frozen=True, slots=True, kw_only=True)
class PrefixClass:
    """Prefixes that spread as one."""

    members: NDArray[np.int32]  #: prefix numbers, rising
    prefix: Prefix  #: one of them, for policies to look at
    origins: Origins
    signature: PolicySignature  #: what peers look at of it
    alone: bool  #: a class of its own: its prefix holds next hops, or is an aggregate

    @property
    def key(self) -> Hashable:
        """What decides how the class spreads, apart from the peers that conditions keep it from."""
        return (
            self.prefix if self.alone else self.prefix.version,
            self.origins,
            self.signature.treatments,
            self.signature.kept_back,
            self.signature.not_active,
        )


class Grouping:
    """Groups prefixes, given what policies there are.

    Args:
        chains: Policies bound in one place, each named by its position.
        numbers: Gives equal contents equal numbers.
        summaries: By speaker: the prefixes whose parts it does not announce.
    """

    def __init__(
        self,
        numbers: Sequence[int],
        prefixes: Sequence[Prefix],
        chains: Sequence[Chain],
        summaries: Sequence[Sequence[Prefix]],
        number_of: Mapping[Hashable, int],
    ) -> None:
        self.numbers = np.array(numbers, dtype=np.int32)
        self.prefixes = prefixes
        self.arrays = PrefixArrays(prefixes)
        self.chains, self._number_of = chains, number_of
        self._ranges = [tuple(dict.fromkeys(ranges_used(chain))) for chain in chains]
        columns = list(dict.fromkeys(ranges for used in self._ranges for ranges in used))
        self._columns = {ranges: place for place, ranges in enumerate(columns)}
        self._held = np.zeros((len(prefixes), len(columns)), dtype=bool)
        for place, ranges in enumerate(columns):
            self._held[:, place] = self.arrays.within(ranges)
        self._parts = np.zeros((len(prefixes), len(summaries)), dtype=bool)
        for speaker, stated in enumerate(summaries):
            for summary in stated:
                self._parts[:, speaker] |= self.parts_of(summary)
        self._reductions: dict[tuple[int, tuple[Ranges, ...]], int] = {}

    def parts_of(self, prefix: Prefix) -> NDArray[np.bool_]:
        """For each prefix whether it is more specific than the given one."""
        result: NDArray[np.bool_] = self.arrays.inside(prefix) & (
            self.arrays.lengths > prefix.prefixlen
        )
        return result

    def classes(
        self,
        origins: Sequence[Origins],
        silenced: NDArray[np.bool_],
        alone: NDArray[np.bool_],
        closed: Sequence[Closed] = (),
    ) -> Iterator[PrefixClass]:
        """The classes, in order of their first prefix.

        Args:
            origins: Of each prefix; those without any are in no class.
            silenced: [prefix, speaker].
            alone: For each prefix whether it is a class of its own.
            closed: What peers do not carry now.
        """
        kept = self._closed(closed)
        known: dict[Origins, int] = {}
        marks = np.concatenate(
            [np.packbits(block, axis=1) for block in (self._held, self._parts, silenced, kept)],
            axis=1,
        )
        groups: dict[tuple[int, bytes], list[int]] = {}
        for place, found in enumerate(origins):
            if found:
                number = known.setdefault(found, len(known))
                group = -1 - place if alone[place] else number
                groups.setdefault((group, marks[place].tobytes()), []).append(place)
        for places in groups.values():
            first = places[0]
            yield self._class(
                places, origins[first], silenced, closed, kept, alone=bool(alone[first])
            )

    def single(
        self,
        place: int,
        origins: Origins,
        silenced: NDArray[np.bool_],
        closed: Sequence[Closed] = (),
    ) -> PrefixClass:
        """A class of one prefix."""
        return self._class([place], origins, silenced, closed, self._closed(closed), alone=True)

    def _closed(self, closed: Sequence[Closed]) -> NDArray[np.bool_]:
        """[prefix, closed]: whether it is kept back."""
        kept = np.zeros((len(self.prefixes), len(closed)), dtype=bool)
        for column, item in enumerate(closed):
            kept[:, column] = self.arrays.within(item.ranges or ())
        return kept

    def _class(
        self,
        places: list[int],
        origins: Origins,
        silenced: NDArray[np.bool_],
        closed: Sequence[Closed],
        kept: NDArray[np.bool_],
        *,
        alone: bool,
    ) -> PrefixClass:
        first = places[0]
        prefix = self.prefixes[first]
        # Kept back is what an aggregate stands for; not active, where another protocol's route is.
        kept_back = tuple(self._parts[first].tolist())
        not_active = tuple(silenced[first].tolist())
        return PrefixClass(
            members=self.numbers[places],
            prefix=prefix,
            origins=origins,
            signature=PolicySignature(
                prefix,
                (*self._treatments(first), -1),
                kept_back,
                not_active,
                frozenset(
                    item.place for item, is_kept in zip(closed, kept[first], strict=True) if is_kept
                ),
            ),
            alone=alone,
        )

    def _treatments(self, place: int) -> tuple[int, ...]:
        found = []
        for chain, ranges in enumerate(self._ranges):
            holding = tuple(r for r in ranges if self._held[place, self._columns[r]])
            key = (chain, holding)
            number = self._reductions.get(key)
            if number is None:
                number = self._number_of[reduced(self.chains[chain], holding)]
                self._reductions[key] = number
            found.append(number)
        return tuple(found)

"""What one computation of a network leaves for the next look at it, and for the next computation.

Everything that is remembered is held by what it was made of. Tables and blocks of rows that did not
change are one and the same object, so whether two things are made alike is told without reading
them. Nothing that is taken from here differs from what would be computed anew.
"""

from __future__ import annotations

import operator
from collections.abc import Callable, Hashable, Iterable

from routrel.model.findings import Finding
from routrel.model.network import Network
from routrel.protocols.contract import Domain, Result
from routrel.protocols.shared.recent import Parts, Recent
from routrel.rib.candidates import Protocol, Rows
from routrel.rib.table import Blocks, RowsByTable, TableRows, same_rows

__all__ = ["Memory", "are_the_same"]

#: How many results of a protocol are kept, and how many rows they may have in all but the latest.
_MOST_RESULTS = 32
_MOST_ROWS = 1_000_000


class Memory:
    """Blocks of rows, tables and results of the latest looks, and parts of results."""

    def __init__(self) -> None:
        self.tables: Recent[TableRows] = Recent()
        self.parts: Parts = Recent()
        self._made: Recent[TableRows] = Recent()
        self._blocks: Recent[Rows] = Recent()
        #: By protocol, the latest first: what was asked, what came of it, and how many rows.
        self._results: dict[Protocol, list[tuple[Hashable, Result, int]]] = {}
        self._written: tuple[Network, tuple[Finding, ...]] | None = None

    def __reduce__(self) -> tuple[type[Memory], tuple[()]]:
        """What is stored begins anew: it saves work, and nothing rests on it."""
        return Memory, ()

    def onward(self) -> Memory:
        """For the next computation of much the same network, whose numbers begin with these.

        Results stay behind: they tell of the network that they are of.
        """
        copied = Memory()
        copied.tables, copied._made = self.tables.onward(), self._made.onward()
        copied._blocks, copied.parts = self._blocks.onward(), self.parts.onward()
        copied._written = self._written
        return copied

    def written(
        self, network: Network, find: Callable[[], Iterable[Finding]]
    ) -> tuple[Finding, ...]:
        """What is found in a network as it is written, or was found in that very one."""
        if self._written is None or self._written[0] is not network:
            self._written = network, tuple(find())
        return self._written[1]

    # --- results -------------------------------------------------------------------------------

    def result(self, domain: Domain, asked: Hashable) -> Result | None:
        """What a protocol came to when it was asked the same; None: that is not known."""
        known = self._results.get(domain.protocol, [])
        for at, (other, result, _) in enumerate(known):
            if result.domain is domain and other == asked:
                known.insert(0, known.pop(at))
                return result
        return None

    def keep(self, asked: Hashable, result: Result) -> None:
        """Remember what a protocol came to; what was long ago is forgotten."""
        known = self._results.setdefault(result.domain.protocol, [])
        mine = sum(len(block) for blocks in result.by_table.values() for block in blocks)
        known.insert(0, (asked, result, mine))
        rows = 0
        for at, (_, _, other) in enumerate(known[1:], 1):
            rows += other
            if at >= _MOST_RESULTS or rows > _MOST_ROWS:
                del known[at:]
                break

    # --- rows ----------------------------------------------------------------------------------

    def shared(
        self, protocol: Protocol, rows: RowsByTable, latest: RowsByTable | None = None
    ) -> RowsByTable:
        """A protocol's rows, each block as it was before where it is equal to that.

        Args:
            latest: What came of this a moment ago: what is in it is shared already.
        """
        known = latest or {}
        return {
            table: blocks
            if are_the_same(blocks, known.get(table, ()))
            else tuple(
                self._blocks.as_before((protocol, table, at), block, same_rows)
                for at, block in enumerate(blocks)
            )
            for table, blocks in rows.items()
        }

    def table(self, number: int, made: TableRows) -> TableRows:
        """A table as it was before where it is equal to that."""
        return self._made.as_before(number, made, TableRows.is_like)


def are_the_same(blocks: Blocks, others: Blocks) -> bool:
    """Whether blocks are those very objects."""
    return len(blocks) == len(others) and all(map(operator.is_, blocks, others))

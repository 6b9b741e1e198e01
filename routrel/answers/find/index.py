"""The index of a network: what it holds by the words in its names, and the lines of its files.

Titles and details lie in one text, a line for each thing, in the order in which equal matches are
told. A word is looked up in that text as it stands, so parts of words are found as well.
"""

from __future__ import annotations

from bisect import bisect_left, bisect_right
from collections.abc import Iterator, Mapping, Sequence
from functools import cached_property
from itertools import accumulate

from routrel.answers.find.asked import asked_questions
from routrel.answers.find.catalogue import ENDPOINT_KINDS, Found, everything
from routrel.convergence.converge import State
from routrel.model.place import Place

__all__ = ["FindIndex"]

#: Kinds in the order in which equal matches are told.
_KINDS = (
    "site", "group", "outside", "name", "device", "interface", "address", "VRF", "session",
    "filter", "policy", "steering", "communities", "prefixes", "tags", "AS paths", "rule",
    "statement", "prefix",
)  # fmt: skip


class FindIndex:
    """What can be found in one network. Made once for it, in time linear in its size.

    Args:
        texts: The files' texts by path; searched last, line by line.
    """

    def __init__(self, state: State, texts: Mapping[str, str]) -> None:
        order = {kind: rank for rank, kind in enumerate(_KINDS)}
        self.state, self._texts = state, texts
        self.things = sorted(
            everything(state),
            key=lambda item: (order[item.kind], len(item.title), item.title),
        )
        self._all = _Things(self.things)
        self._ends = _Things([item for item in self.things if item.kind in ENDPOINT_KINDS])

    def find(self, words: str, *, endpoints_only: bool = False, limit: int = 20) -> list[Found]:
        """What matches every word, best first.

        Equal titles come first, then questions that the words ask, titles that begin so, that hold
        all words, then what holds them elsewhere, then lines of files.

        Args:
            words: Blank-separated; letter case does not matter. Empty finds the first things.
            endpoints_only: Leave out what cannot be a flow's source or destination.
        """
        wanted = words.lower().split()
        if endpoints_only or not wanted:
            return (self._ends if endpoints_only else self._all).first(wanted, limit)
        results = self._all.first(wanted, limit)
        # What is called exactly so comes before what may be asked about it.
        called_so = 0
        while called_so < len(results) and results[called_so].title.lower() == " ".join(wanted):
            called_so += 1
        asked = asked_questions(self, words)
        results = [*results[:called_so], *asked, *results[called_so:]][:limit]
        if len(results) < limit:
            results += self._lines_with(wanted, limit - len(results))
        return results

    def endpoints(self, word: str, limit: int) -> list[Found]:
        """The ends of flows that a word may mean: equal, or beginning so, or holding it."""
        return self.find(word, endpoints_only=True, limit=limit)

    @cached_property
    def _files(self) -> tuple[_Lines, list[str], list[int]]:
        """All lines of all files; the files, and the number of the first line of each."""
        paths = sorted(self._texts)
        lines: list[str] = []
        first: list[int] = []
        for path in paths:
            first.append(len(lines))
            lines += self._texts[path].splitlines()
        return _Lines([line.lower() for line in lines]), paths, first

    def _lines_with(self, wanted: Sequence[str], limit: int) -> Iterator[Found]:
        lines, paths, first = self._files
        for count, number in enumerate(lines.with_all(wanted)):
            if count == limit:
                return
            at = bisect_left(first, number + 1) - 1
            path, line = paths[at], number - first[at]
            text = self._texts[path].splitlines()[line]
            yield Found(
                kind="line",
                title=text.strip()[:120],
                detail=f"{path}:{line + 1}",
                value=path,
                place=Place(path, line + 1, 1),
            )


class _Things:
    """Things in the order in which equal matches are told, to find some by their words."""

    def __init__(self, things: Sequence[Found]) -> None:
        self.things = things
        self._titles = _Lines([item.title.lower() for item in things])
        self._all = _Lines([f"{item.title}\t{item.detail}".lower() for item in things])
        self._by_title: dict[str, list[int]] = {}
        for number, item in enumerate(things):
            self._by_title.setdefault(item.title.lower(), []).append(number)
        self._sorted_titles = sorted(self._by_title)

    def first(self, wanted: Sequence[str], limit: int) -> list[Found]:
        """The best matches of all words, so many at most."""
        found: dict[int, None] = {}
        for number in self._ranked(wanted):
            found.setdefault(number)
            if len(found) == limit:
                break
        return [self.things[number] for number in found]

    def _ranked(self, wanted: Sequence[str]) -> Iterator[int]:
        """Numbers of things, better matches first; the same may come again."""
        if not wanted:
            yield from range(len(self.things))
            return
        whole = " ".join(wanted)
        yield from self._by_title.get(whole, ())
        first = bisect_left(self._sorted_titles, whole)
        last = bisect_left(self._sorted_titles, whole + chr(0x10FFFF))
        begun = [n for title in self._sorted_titles[first:last] for n in self._by_title[title]]
        yield from sorted(begun, key=lambda number: (len(self.things[number].title), number))
        yield from self._titles.with_all(wanted)
        yield from self._all.with_all(wanted)


class _Lines:
    """Many lines as one text, to ask which of them hold some words."""

    def __init__(self, lines: Sequence[str]) -> None:
        self.text = "\n".join(lines)
        self.starts = [0, *accumulate(len(line) + 1 for line in lines)][: len(lines)]

    def with_all(self, words: Sequence[str]) -> Iterator[int]:
        """The numbers of the lines that hold every word, in order.

        They are looked for one after the other, so that whoever has enough stops.
        """
        counts = [self.text.count(word) for word in words] if len(words) > 1 else [1]
        if not all(counts):
            return
        rarest = words[counts.index(min(counts))]
        others = [word for word in words if word != rarest]
        text = self.text
        place = text.find(rarest)
        while place >= 0:
            begin, end = text.rfind("\n", 0, place) + 1, text.find("\n", place)
            line = text[begin:end] if end >= 0 else text[begin:]
            if all(word in line for word in others):
                yield bisect_right(self.starts, begin) - 1
            if end < 0:
                return
            place = text.find(rarest, end)

"""Tries edits until both directions arrive, the most promising first.

Every edit is made in the files' text, read, computed and asked. Edits that remove one obstacle of
several are combined with edits against what is left.
"""

from __future__ import annotations

import time
from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass, replace

from routrel.convergence.converge import State, reconverge, with_own_places, with_same_tables
from routrel.files.patching import FilePatch, edited_texts, lines_changed
from routrel.files.reader import reread_devices
from routrel.forwarding.evidence import Obstacle
from routrel.forwarding.header_sets import Box, count_headers, newly_permitted
from routrel.lens.file_edits import DoesNotApply, FileEdit, edited
from routrel.model.filters import Action, Filter
from routrel.questions.flow import DirectionAnswer, FlowAnswer, FlowQuestion, arrives, ask_flow
from routrel.questions.moves import KeptFlows, Moves, moves, ways_of_flows
from routrel.questions.remedies.access import access_proposals
from routrel.questions.remedies.proposals import Proposal, Scene
from routrel.questions.remedies.routing import routing_proposals

__all__ = ["NearMiss", "Progress", "Remedies", "Remedy", "find_remedies"]

#: Edits combined into one remedy at most, and remedies shown.
_DEEPEST = 4
_SHOWN = 6
#: Partial remedies that are followed up at each depth.
_FOLLOWED = 3
#: Remedies of which it is worked out what they move; of these the best are shown.
_WEIGHED = 10
#: Edits tried at most, whatever time is left.
_MOST = 400


@dataclass(frozen=True, slots=True, kw_only=True)
class Remedy:
    """Edits that were tried and make both directions arrive."""

    text: str
    changes: tuple[FileEdit, ...]
    patches: tuple[FilePatch, ...]
    opened: tuple[Box, ...]  #: headers that filters permit and did not before
    opens: int  #: how many
    moves: Moves
    after: FlowAnswer

    @property
    def size(self) -> int:
        """How many lines change."""
        return lines_changed(self.patches)


@dataclass(frozen=True, slots=True, kw_only=True)
class NearMiss:
    """The edits that came farthest without making the flow arrive, and what is left in the way."""

    text: str  #: empty: nothing that was tried leaves fewer obstacles
    changes: tuple[FileEdit, ...]
    patches: tuple[FilePatch, ...]
    left: Obstacle  #: the first thing in the way after the edits


@dataclass(frozen=True, slots=True, kw_only=True)
class Remedies:
    """What the search came to. `given_up` tells that time ran out before it was through."""

    found: tuple[Remedy, ...]  #: the best first
    tried: int
    given_up: bool
    needed: bool  #: False: the flow arrives as it is
    missed: NearMiss | None = None  #: where nothing was found, and an obstacle is known


@dataclass(frozen=True, slots=True)
class Progress:
    """How far a search has come."""

    tried: int
    found: int


@dataclass(frozen=True, slots=True)
class _Node:
    """A network with some edits made."""

    texts: Mapping[str, str]  #: the files that differ
    state: State
    answer: FlowAnswer
    words: tuple[str, ...]
    changes: tuple[FileEdit, ...] = ()
    settled: bool = True  #: False: routes are cited where they stood before the last edits


def find_remedies(
    state: State,
    texts: Mapping[str, str],
    question: FlowQuestion,
    kept: KeptFlows,
    *,
    patience_s: float = 30,
    on_progress: Callable[[Progress], None] | None = None,
) -> Remedies:
    """Search for the smallest edits that make a flow arrive both ways.

    Ranked by lines changed, then by kept flows broken, by headers opened, and by kept flows and
    routes moved.

    Args:
        texts: The files the network was read from.
        kept: The flows of which it is told whether a remedy moves them.
        patience_s: Seconds after which no more is tried.
        on_progress: Called after each edit tried; what it raises ends the search.
    """
    search = _Search(state, texts, question, kept, time.monotonic() + patience_s, on_progress)
    return search.run()


class _Search:
    def __init__(
        self,
        state: State,
        texts: Mapping[str, str],
        question: FlowQuestion,
        kept: KeptFlows,
        until: float,
        on_progress: Callable[[Progress], None] | None,
    ) -> None:
        self.state, self.texts, self.question, self.kept = state, texts, question, kept
        self.until, self.on_progress = until, on_progress
        self.tried = 0
        self.found: list[_Node] = []
        self.nearest: _Node  # what leaves the fewest obstacles; of those the fewest edits
        self.seen: set[object] = set()

    def run(self) -> Remedies:
        first = ask_flow(self.state, self.question)
        if arrives(first):
            return Remedies(found=(), tried=0, given_up=False, needed=False)
        self.nearest = _Node({}, self.state, first, ())
        frontier = [self.nearest]
        in_time = True
        for _ in range(_DEEPEST):
            partial: list[_Node] = []
            for node in frontier:
                in_time = in_time and self._expand(node, partial)
            if self.found or not in_time:
                break
            partial.sort(key=lambda node: (_in_the_way(node.answer), self._size(node)))
            frontier = partial[:_FOLLOWED]
        return Remedies(
            found=tuple(self._best()[:_SHOWN]),
            tried=self.tried,
            given_up=not in_time,
            needed=True,
            missed=None if self.found else self._missed(),
        )

    def _expand(self, node: _Node, partial: list[_Node]) -> bool:
        """Try the edits against a node's first obstacle; whether there was time for all."""
        node = self._settled(node)
        scene = self._scene(node)
        if scene is None:
            return True
        before = _in_the_way(node.answer)
        for proposal in (*access_proposals(scene), *routing_proposals(scene)):
            if time.monotonic() > self.until or self.tried >= _MOST:
                return False
            made = self._try(node, proposal)
            if made is None:
                continue
            if arrives(made.answer):
                self.found.append(made)
            elif _in_the_way(made.answer) < before or _first(made.answer) != _first(node.answer):
                partial.append(made)
                self.nearest = min(self.nearest, made, key=_nearness)
        return True

    def _missed(self) -> NearMiss | None:
        node = self._settled(self.nearest)
        first = _first_obstacle(node.answer)
        if first is None:
            return None
        return NearMiss(
            text="; ".join(node.words),
            changes=node.changes,
            patches=self._patches(node),
            left=first[1],
        )

    def _scene(self, node: _Node) -> Scene | None:
        """The first obstacle of a node; None where nobody can say what is in the way."""
        first = _first_obstacle(node.answer)
        if first is None:
            return None
        direction, obstacle = first
        return Scene(
            state=node.state,
            texts={**self.texts, **node.texts},
            obstacle=obstacle,
            answering=direction is node.answer.back,
            forward=_way(node.answer.forward),
            back=_way(node.answer.back),
        )

    def _settled(self, node: _Node) -> _Node:
        """A node whose evidence stands where its own files have it."""
        if node.settled:
            return node
        state = with_own_places(node.state)
        return replace(node, state=state, answer=ask_flow(state, self.question), settled=True)

    def _try(self, node: _Node, proposal: Proposal) -> _Node | None:
        """A node with an edit more; None where it cannot be made, or was made before."""
        try:
            tried = edited({**self.texts, **node.texts}, proposal.changes)
        except DoesNotApply:
            return None
        files = {*node.texts, *(change.file for change in proposal.changes)}
        texts = {file: tried[file] for file in sorted(files)}
        key = tuple(sorted(texts.items()))
        if key in self.seen:
            return None
        self.seen.add(key)
        others = {f: t for f, t in texts.items() if t != node.texts.get(f, self.texts[f])}
        reading = reread_devices(node.state.network, others)
        self.tried += 1
        made = None
        if reading.good:
            network = reading.network
            quick = with_same_tables(node.state, network)
            state = quick or reconverge(self.state, network, search=False)
            if state.converged >= self.state.converged:
                answer = ask_flow(state, self.question)
                if quick is None and arrives(answer):
                    state = reconverge(self.state, network)
                    answer = ask_flow(state, self.question)
                words = (*node.words, proposal.text)
                changes = (*node.changes, *proposal.changes)
                made = _Node(texts, state, answer, words, changes, settled=quick is None)
        if self.on_progress:
            self.on_progress(Progress(self.tried, len(self.found)))
        return made

    # --- what a remedy costs -------------------------------------------------------------------

    def _size(self, node: _Node) -> int:
        return lines_changed(self._patches(node))

    def _patches(self, node: _Node) -> tuple[FilePatch, ...]:
        return edited_texts(self.texts, node.texts)

    def _best(self) -> list[Remedy]:
        """The remedies in order; of those that change and open least, also what they move."""
        costs = []
        for node in self.found:
            opened = tuple(_opened(self.state, node.state))
            costs.append((node, self._patches(node), opened, count_headers(opened)))
        costs.sort(key=lambda cost: (lines_changed(cost[1]), cost[3]))
        ways = ways_of_flows(self.state, self.kept) if costs else {}
        remedies = []
        for node, patches, opened, opens in costs[:_WEIGHED]:
            settled = self._settled(node)
            remedies.append(
                Remedy(
                    text="; ".join(node.words),
                    changes=node.changes,
                    patches=patches,
                    opened=opened,
                    opens=opens,
                    moves=moves(self.state, settled.state, self.kept, ways),
                    after=settled.answer,
                )
            )
        return sorted(remedies, key=_rank)


def _rank(remedy: Remedy) -> tuple[int, int, int, int, int]:
    moved = remedy.moves
    return remedy.size, len(moved.breaks), remedy.opens, len(moved.flows), moved.prefixes


def _in_the_way(answer: FlowAnswer) -> int:
    """How many obstacles both directions have, as far as anybody can see."""
    return sum(len(d.obstacles) for d in (answer.forward, answer.back) if d is not None)


def _nearness(node: _Node) -> tuple[int, int]:
    return _in_the_way(node.answer), len(node.words)


def _first_obstacle(answer: FlowAnswer) -> tuple[DirectionAnswer, Obstacle] | None:
    """The first thing in the way, and of which direction."""
    for direction in (answer.forward, answer.back):
        if direction is not None and direction.obstacles:
            return direction, direction.obstacles[0]
    return None


def _first(answer: FlowAnswer) -> object:
    """The first obstacle, wherever its line has moved to."""
    found = _first_obstacle(answer)
    return found and (found[0] is answer.back, found[1].cause)


def _way(direction: DirectionAnswer | None) -> tuple[tuple[str, str | None], ...]:
    """The devices of the first branch with the interfaces they are entered by."""
    if direction is None:
        return ()
    hops = direction.beyond.branches[0].hops
    return tuple((hop.device, hop.interface_in) for hop in hops if not hop.outside)


_NOTHING = Filter(name="", rules=(), default=Action.DENY)


def _opened(before: State, after: State) -> Iterator[Box]:
    """What the filters of all devices permit that they did not before."""
    for old, new in zip(before.network.devices, after.network.devices, strict=True):
        for packet_filter in new.filters:
            was = old.filter(packet_filter.name) or _NOTHING
            if was != packet_filter:
                yield from newly_permitted(was, packet_filter)

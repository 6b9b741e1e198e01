"""A flow at a glance in words: its devices in one line, how many ways, what is unusual."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping, Sequence
from itertools import pairwise

from routrel.forwarding.evidence import Branch, Hop
from routrel.forwarding.round_trip import ARRIVED
from routrel.forwarding.stages.mtu import MtuEvidence
from routrel.forwarding.stages.route import RouteEvidence
from routrel.forwarding.stages.steering import SteeringEvidence
from routrel.forwarding.stages.translation import TranslationEvidence
from routrel.model.network import Device
from routrel.questions.flow import DirectionAnswer, FlowAnswer
from routrel.questions.flow_facts import Decided, entries_of

__all__ = ["DECIDED_WORDS", "fact_sentences", "unusual_words", "way_words", "ways_back_words"]

#: Things not known of one device that a fact names.
_MOST_UNKNOWN = 3

DECIDED_WORDS: dict[Decided, str] = {
    Decided.STOPS: "it stops here",
    Decided.STEERS: "a steering rule decides here",
    Decided.DEFAULT: "matched by the default route only",
    Decided.TRANSLATES: "an address is translated here",
    Decided.PARTS: "here the answer takes another way",
    Decided.SPLITS: "here equal ways begin",
    Decided.ENDS: "it ends here",
}


def way_words(direction: DirectionAnswer, by_default: Iterable[str] = ()) -> str:
    """A direction's devices in one line, and what is unusual on the way.

    Where branches part, what all of them meet is named and the ways between are counted.

    Args:
        by_default: The devices that have only their default.
    """
    ways = list(dict.fromkeys(_names(branch) for branch in direction.branches))
    line = " → ".join(ways[0] if len(ways) == 1 else _with_gaps(ways))
    defaults = set(by_default)
    unusual: dict[str, dict[str, None]] = {}
    for branch in direction.branches:
        for hop in branch.hops:
            words = unusual_words(hop, hop.device in defaults)
            if words:
                unusual.setdefault(words, {})[hop.device] = None
    return "; ".join((line, *(f"{words} at {', '.join(at)}" for words, at in unusual.items())))


def _names(branch: Branch) -> tuple[str, ...]:
    return tuple(hop.device for hop in branch.hops)


def _with_gaps(ways: Sequence[tuple[str, ...]]) -> list[str]:
    """The devices on every way, in order, with how many ways there are between two of them."""
    shared = [d for d in ways[0] if all(way.count(d) == 1 for way in ways)]
    in_order = [d for d in shared if all(_keeps_order(way, shared, d) for way in ways)]
    told: list[str] = []
    places = [[-1, *(way.index(d) for d in in_order), len(way)] for way in ways]
    for number in range(len(in_order) + 1):
        between = {
            way[here[number] + 1 : here[number + 1]] for way, here in zip(ways, places, strict=True)
        }
        if len(between) > 1:
            told.append(f"({len(between)} ways)")
        else:
            told += between.pop()
        told += in_order[number : number + 1]
    return told


def _keeps_order(way: tuple[str, ...], shared: list[str], device: str) -> bool:
    """Whether a way meets a device behind all that come before it, as the first way does."""
    before = shared[: shared.index(device)]
    return all(way.index(other) < way.index(device) for other in before)


def unusual_words(hop: Hop, only_default: bool = False) -> str:
    """What a device does with a packet that most do not; empty where it does nothing such.

    Args:
        only_default: Whether it has only its default, where others have a specific route.
    """
    told: list[str] = []
    for stage in hop.stages:
        match stage.evidence:
            case SteeringEvidence(rule=rule) if rule is not None:
                told.append(f"steered by rule {rule.id}")
            case TranslationEvidence(before=before, after=after) as found if before != after:
                told.append(f"{found.side.value} translated")
            case RouteEvidence(route=route) if only_default and route is not None:
                if not route.prefix.prefixlen:
                    told.append("default route only")
            case MtuEvidence(cut=cut) if cut:
                told.append("fragmented")
    return ", ".join(told)


def fact_sentences(answer: FlowAnswer, devices: Mapping[str, Device]) -> tuple[str, ...]:
    """How many ways there are, where they part, what fits through, and how answers return.

    What is not known of devices on the way comes last.
    """
    told = [_ways_fact("Forward", answer.forward)]
    if answer.back:
        told.append(_ways_fact("Back", answer.back))
    mtus = [
        f"{size:,} bytes {word}"
        for word, direction in (("forward", answer.forward), ("back", answer.back))
        if direction and (size := _path_mtu(direction.branches)) is not None
    ]
    if mtus:
        told.append(f"Largest packet that fits: {', '.join(mtus)}.")
    if answer.back and {answer.forward.verdict, answer.back.verdict} <= set(ARRIVED):
        told.append(f"Answers return {ways_back_words(answer)}.")
    return (*told, *_unknown_facts(answer, devices))


def _unknown_facts(answer: FlowAnswer, devices: Mapping[str, Device]) -> Iterator[str]:
    """What of the devices that are met is not known."""
    ways = (answer.forward, *((answer.back,) if answer.back else ()))
    met = dict.fromkeys(h.device for way in ways for b in way.branches for h in b.hops)
    for name in met:
        unknown = devices[name].unknown if name in devices else ()
        if unknown:
            shown = "; ".join(unknown[:_MOST_UNKNOWN])
            more = f"; and {len(unknown) - _MOST_UNKNOWN} more" * (len(unknown) > _MOST_UNKNOWN)
            yield f"Not known of {name}: {shown}{more}. The answer may be another one."


def _path_mtu(branches: Iterable[Branch]) -> int | None:
    return min((b.path_mtu for b in branches if b.path_mtu is not None), default=None)


def _ways_fact(title: str, direction: DirectionAnswer) -> str:
    entries = entries_of(direction.branches)
    count = len(direction.branches)
    onward: dict[str, set[tuple[str, str | None]]] = {}
    for branch in direction.branches:
        for a, b in pairwise(branch.hops):
            if not a.outside:
                onward.setdefault(a.device, set()).add((b.device, a.interface_out))
    parts = [f"{len(ways)} equal at {device}" for device, ways in onward.items() if len(ways) > 1]
    told = f"{title}: {'one way' if count == 1 else f'{count} ways'}"
    if entries:
        told += f" from {len(entries)} entries"
    return f"{told}{', ' if parts else ''}{', '.join(parts)}."


def ways_back_words(answer: FlowAnswer) -> str:
    """How the ways of the answers are to those of the question: as "by another way"."""
    there = {
        tuple((hop.device, hop.interface_in, hop.interface_out) for hop in branch.hops)
        for branch in answer.forward.branches
    }
    back = {
        tuple((hop.device, hop.interface_out, hop.interface_in) for hop in reversed(branch.hops))
        for branch in (answer.back.branches if answer.back else ())
    }
    if there == back:
        return "the same way"
    return "partly by another way" if there & back else "by another way"

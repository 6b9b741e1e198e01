"""Holds what the kernel did with packets against what the engine says.

python -m tests.kernel.agreement --labs 500
"""

from __future__ import annotations

import argparse
import collections
import contextlib
import ipaddress
import time
from dataclasses import dataclass
from typing import Any

import yaml

from routrel.convergence.converge import State, converge
from routrel.files.reader import read_texts
from routrel.forwarding.evidence import Branch, Result, StageName, Verdict
from routrel.forwarding.stages.packet_filter import FilterEvidence
from routrel.forwarding.stages.translation import TranslationEvidence
from routrel.model.traffic import Fragment
from routrel.questions.errors import QuestionError
from routrel.questions.flow import FlowAnswer, FlowQuestion, ask_flow
from tests.kernel.captures import captured, imported, state_of_captures
from tests.kernel.kernel import WIRES, build, rule_key, shut
from tests.kernel.labs import Lab, random_lab
from tests.kernel.namespaces import Namespaces, why_impossible
from tests.kernel.probes import Event, Probe, Seen, rule_hits, send
from tests.kernel.rulesets import random_oddities, random_ruleset

__all__ = ["Comparison", "compare_lab", "state_of"]

#: A busy machine may not come to listen before a lab's packets are gone: then nothing at all is
#: seen of any, and the lab is built anew.
_ATTEMPTS = 3

#: How long the kernel may take to tell everybody that a link lost its carrier.
_CARRIER_SECONDS = 1.1

#: What an ICMP error says about the end of a packet: by (IP version, type, code).
_ERRORS = {
    (4, 3, 0): {"no_route", "discarded"}, (4, 3, 1): {"discarded", "next_hop_unresolved", "no_route"},
    (4, 3, 3): {"delivered"}, (4, 3, 4): {"too_big"}, (4, 3, 13): {"discarded"},
    (4, 11, 0): {"ttl_expired", "looped"}, (6, 1, 0): {"no_route", "discarded"},
    (6, 1, 1): {"discarded"}, (6, 1, 3): {"next_hop_unresolved"}, (6, 1, 4): {"delivered"},
    (6, 2, 0): {"too_big"}, (6, 3, 0): {"ttl_expired", "looped"},
}  # fmt: skip


@dataclass(frozen=True)
class Comparison:
    """One packet. `difference` is empty where engine and kernel agree."""

    probe: Probe
    verdict: str
    difference: str


def state_of(lab: Lab) -> State:
    """The lab as the engine computes it."""
    texts = {f"{n}.yaml": yaml.safe_dump(d, sort_keys=False) for n, d in lab.devices.items()}
    reading = read_texts(texts)
    assert not reading.problems, [f"{p.place} {p.text}" for p in reading.problems]
    return converge(reading.network)


def compare_lab(
    lab: Lab, *, from_captures: bool = False, rulesets: int | None = None
) -> list[Comparison]:
    """Build a lab, send its packets, and compare each.

    Args:
        from_captures: Whether the engine knows the lab from nothing but what its kernels say.
            Then rules have other names, so which of them decided is not compared.
        rulesets: The seed of further filters, of which only captures tell; None: there are none.
    """
    more: dict[str, tuple[str, list[str]]] = {}
    if rulesets is not None:
        more = {
            name: (random_ruleset(rulesets, lab, name), random_oddities(rulesets, lab, name))
            for name in lab.devices
        }
    for _ in range(_ATTEMPTS):
        seen, hits, captures = _built_and_sent(lab, more, capture=from_captures)
        if any(one.there for one in seen.values()):
            break
    if from_captures:
        state, known = state_of_captures(imported(captures, lab.segments)), None
    else:
        state, known = state_of(lab), hits
    return [_compare(state, probe, seen[probe.number], known) for probe in lab.probes]


def _built_and_sent(
    lab: Lab, more: dict[str, tuple[str, list[str]]], *, capture: bool
) -> tuple[dict[int, Seen], dict[str, Any], dict[str, bytes]]:
    """What was seen of a lab's packets, which rules of whom they met, and its captures."""
    with Namespaces([*lab.devices, WIRES]) as space:
        build(space, lab.devices, lab.segments)
        shutting = {name: lines for name, device in lab.devices.items() if (lines := shut(device))}
        for name, lines in shutting.items():
            space.ip(name, lines)
        if shutting:
            time.sleep(_CARRIER_SECONDS)
        for name, (ruleset, oddities) in more.items():
            space.nft(name, ruleset or "list ruleset")
            for line in oddities:
                with contextlib.suppress(RuntimeError):  # not all of them can be
                    space.ip(name, [line], lab.version)
        captures = captured(space, list(lab.devices)) if capture else {}
        seen = send(space, lab.probes, list(lab.devices))
        return seen, {name: rule_hits(space, name) for name in lab.devices}, captures


def _compare(state: State, probe: Probe, seen: Seen, hits: dict[str, Any] | None) -> Comparison:
    question = FlowQuestion(
        source=probe.source_address,
        destination=probe.destination,
        traffic=f"{probe.protocol} {probe.port}",
        source_port=probe.number,
        size=probe.size,
        ttl=probe.ttl,
        may_fragment=probe.may_fragment,
        dscp=probe.dscp,
    )
    source = ipaddress.ip_address(probe.source_address)
    if seen.refused and source not in state.topology.owners:
        return Comparison(probe, "refused", "")  # a kernel forgets IPv6 addresses of what is shut
    try:
        answer = ask_flow(state, question)
    except QuestionError as error:
        return Comparison(probe, "refused", f"the engine refuses the question: {error}")
    return Comparison(
        probe, answer.forward.verdict.value, _difference(state, answer, probe, seen, hits)
    )


def _difference(
    state: State, answer: FlowAnswer, probe: Probe, seen: Seen, hits: dict[str, Any] | None
) -> str:
    if any(_left_out(branch) for branch in answer.forward.branches):
        return ""
    problems = []
    for branch in answer.forward.branches:
        problem = _unlike(state, branch, probe, seen.there, hits, seen, answers=False)
        if not problem:
            break
        problems.append(problem)
    else:
        return "there: " + " / ".join(dict.fromkeys(problems))
    waits = branch.hops[-1].device not in seen.received
    if branch.verdict is not Verdict.DELIVERED or waits or answer.back is None:
        return ""
    problems = []
    for back in answer.back.branches:
        problem = _unlike(state, back, probe, seen.back, hits, seen, answers=True)
        if not problem:
            return ""
        problems.append(problem)
    return "back: " + " / ".join(dict.fromkeys(problems))


def _unlike(
    state: State,
    branch: Branch,
    probe: Probe,
    events: list[Event],
    hits: dict[str, Any] | None,
    seen: Seen,
    *,
    answers: bool,
) -> str:
    """How what was seen differs from a branch; empty where it does not."""
    expected = _expected_events(branch)
    found = [(e.device, e.interface, "in" if e.arrives else "out") for e in events]
    if branch.verdict is Verdict.LOOPED or _only_later_pieces(branch):
        found = found[: len(expected)]
    if seen.refused and not answers:
        return "" if not expected else f"{_words(branch)}, but the source's kernel refuses to send"
    if found != expected:
        if _asks_in_vain(state, expected, found):
            return ""
        return f"{_words(branch)}: expected {_way(expected)}, seen {_way(found)}"
    if branch.cause is not None and branch.cause.kind == "untranslated_answer":
        # The probes' UDP sockets take whatever comes.
        return "" if probe.protocol == "udp" or not seen.answered else f"{_words(branch)}: taken"
    arrived = seen.answered if answers else branch.hops[-1].device in seen.received
    if arrived != (branch.verdict is Verdict.DELIVERED):
        return f"{_words(branch)}: received is {arrived}"
    if branch.verdict is Verdict.LOOPED or _only_later_pieces(branch):
        return ""
    if hits is None:
        return "" if answers else _unlike_error(branch, probe, seen)
    wanted, had = _expected_hits(branch, probe.number, answers), _hits(probe, hits, answers)
    if wanted != had:
        return f"{_words(branch)}: rules {sorted(wanted)}, seen {sorted(had)}"
    return "" if answers else _unlike_error(branch, probe, seen)


def _left_out(branch: Branch) -> bool:
    """Whether a packet is not compared; fragments that part are seen by the first alone."""
    parted = any(hop.header.fragment in (Fragment.ALONE, Fragment.LATER) for hop in branch.hops)
    ended = branch.header is not None and branch.header.fragment is Fragment.ALONE
    return _to_itself(branch) or _chosen_port(branch) or parted or ended


def _only_later_pieces(branch: Branch) -> bool:
    """Whether a filter drops the later pieces of a packet alone: the first goes on."""
    return any(
        isinstance(stage.evidence, FilterEvidence) and stage.evidence.result.fragment
        for stage in branch.hops[-1].stages
    )


def _to_itself(branch: Branch) -> bool:
    """Translated to its own sender, where connection tracking trips over its own entries."""
    return any(hop.header.source == hop.header.destination for hop in branch.hops)


def _chosen_port(branch: Branch) -> bool:
    """Whether a rule looks at a port that a translator was free to choose."""
    chosen = False
    for hop in branch.hops:
        for stage in hop.stages:
            evidence = stage.evidence
            if isinstance(evidence, TranslationEvidence):
                chosen = chosen or evidence.taken
            if chosen and isinstance(evidence, FilterEvidence):
                tried = [one.rule.match for one in evidence.result.tried]
                if any(match.source_ports for match in tried):
                    return True
    return False


def _asks_in_vain(
    state: State, expected: list[tuple[str, str, str]], found: list[tuple[str, str, str]]
) -> bool:
    """Whether a packet waits in front of an interface with a reverse-path check.

    The kernel checks the sender of ARP requests there too, and does not answer those that fail; so
    the packet may wait at the device before, unless that knew its neighbour already.
    """
    if found != expected[: len(found)] or len(found) == len(expected):
        return False
    onward = [event for event in expected[len(found) :] if event[2] == "in"]
    if not onward:
        return False
    device, name, _ = onward[0]
    interface = state.topology.devices[device].interface(name)
    return interface is not None and interface.reverse_path_check is not None


def _unlike_error(branch: Branch, probe: Probe, seen: Seen) -> str:
    """The first ICMP error about a packet must fit its end."""
    if branch.cause is None:
        return ""
    for (kind, code), senders in seen.errors.items():
        if branch.cause.device in senders:
            fits = _ERRORS.get((probe.version, kind, code), set())
            if branch.verdict.value not in fits:
                return f"{_words(branch)}: {branch.cause.device} sends ICMP {kind}/{code}"
    return ""


def _expected_events(branch: Branch) -> list[tuple[str, str, str]]:
    events = []
    for number, hop in enumerate(branch.hops):
        stages = {stage.name: stage.result for stage in hop.stages}
        if stages.get(StageName.ARRIVAL) is Result.STOPPED:
            break  # the driver drops it before anybody sees it
        if number:
            events.append((hop.device, str(hop.interface_in), "in"))
        if stages.get(StageName.NEIGHBOUR) is Result.PASSED:
            events.append((hop.device, str(hop.interface_out), "out"))
    return events


def _expected_hits(branch: Branch, number: int, answers: bool) -> set[tuple[str, str]]:
    return {
        (
            hop.device,
            rule_key(evidence.result.filter.name, rule.id if rule else None, answers=answers),
        )
        for hop in branch.hops
        if hop.header.source_port == number or hop.header.destination_port == number
        for stage in hop.stages
        if isinstance(evidence := stage.evidence, FilterEvidence)
        and not evidence.result.by_connection
        and not evidence.result.fragment
        for rule in [evidence.result.rule]
    }


def _hits(probe: Probe, hits: dict[str, Any], answers: bool) -> set[tuple[str, str]]:
    kind = "b_" if answers else "h_"
    return {
        (device, name)
        for device, by_port in hits.items()
        for name in by_port.get(probe.number, ())
        if name.startswith(kind)
    }


def _words(branch: Branch) -> str:
    where = f" at {branch.cause.device} ({branch.cause.kind})" if branch.cause else ""
    return f"{branch.verdict.value}{where}"


def _way(events: list[tuple[str, str, str]]) -> str:
    return " ".join(f"{d}:{i}{'<' if way == 'in' else '>'}" for d, i, way in events) or "nothing"


def main() -> int:
    parser = argparse.ArgumentParser(description="Compare the engine with this machine's kernel.")
    parser.add_argument("--labs", type=int, default=100)
    parser.add_argument("--first", type=int, default=0, help="the first seed")
    parser.add_argument(
        "--captured", action="store_true", help="know the labs from their kernels' captures alone"
    )
    parser.add_argument(
        "--rulesets", action="store_true", help="with random filters besides; then --captured too"
    )
    options = parser.parse_args()
    if reason := why_impossible():
        print(reason)
        return 1
    verdicts: collections.Counter[str] = collections.Counter()
    differences = 0
    for seed in range(options.first, options.first + options.labs):
        for one in compare_lab(
            random_lab(seed),
            from_captures=options.captured or options.rulesets,
            rulesets=seed if options.rulesets else None,
        ):
            verdicts[one.verdict] += 1
            if one.difference:
                differences += 1
                print(f"lab {seed}, {one.probe}\n    {one.difference}")
    total = sum(verdicts.values())
    print(
        f"{options.labs} labs, {total} packets: {total - differences} agree, {differences} differ"
    )
    for verdict, count in verdicts.most_common():
        print(f"  {verdict:<22}{count:>6}")
    return 1 if differences else 0


if __name__ == "__main__":
    raise SystemExit(main())

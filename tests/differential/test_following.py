"""What follows a state, edit by edit and failure by failure, is what is computed from nothing.

`ROUTREL_FOLLOWED` tells how many random networks are tried; more than a few hundred take minutes.
"""

from __future__ import annotations

import os
import re
from dataclasses import dataclass

from hypothesis import given, settings
from hypothesis import strategies as st

from routrel.convergence.converge import State
from routrel.lens.failures import named_failures
from routrel.lens.look import Lens, View, look_through
from tests import nets
from tests.differential.test_any_network import STATICS, mixtures
from tests.differential.test_failures import told

EXAMPLES = int(os.environ.get("ROUTREL_FOLLOWED", "120"))


@st.composite
def point_to_point_links(draw, size):
    """OSPF links between routers, and what their ports say: only the ways over them change."""
    pairs = [(draw(st.integers(1, n - 1)), n) for n in range(2, size + 1)]
    pairs += draw(st.lists(st.tuples(st.integers(1, size), st.integers(1, size)), max_size=4))
    pairs = [(a, b) for a, b in pairs if a != b]
    ports = {
        f"r{end}:e{number}": f"ospf: {{area: 0, network: point-to-point, cost: {draw(st.integers(1, 5))}}}"
        for number, pair in enumerate(pairs, start=1)
        for end in pair
    }
    return pairs, ports | {f"r{n}:lo": "ospf: {area: 0}" for n in range(1, size + 1)}


def links_of(pairs):
    return " ".join(f"r{a}-r{b}" for a, b in pairs)


@st.composite
def point_to_point(draw):
    """Up to seven OSPF routers; some announce a static route."""
    size = draw(st.integers(3, 7))
    pairs, ports = draw(point_to_point_links(size))
    taking = "ospf: {redistribute: [{from: static}]}"
    tops = {
        f"r{n}": f"{STATICS[1]}\n{taking}" if draw(st.integers(0, 2)) == 0 else "ospf: {}"
        for n in range(1, size + 1)
    }
    return links_of(pairs), tops, ports


@st.composite
def reflected(draw):
    """Five to eight OSPF routers in one AS; several announce what the nearest is taken for."""
    size = draw(st.integers(5, 8))
    pairs, ports = draw(point_to_point_links(size))
    reflectors = draw(st.sampled_from([(1,), (1, 2)]))
    more = ["", "", "multipath: {internal: 2}, ", "decision: {compare-med-always: true}, "]
    tops = {}
    for n in range(1, size + 1):
        peers = [p for p in range(1, size + 1) if p != n and (n in reflectors or p in reflectors)]
        client = ", reflector-client: true" if n in reflectors else ""
        neighbours = ", ".join(
            f"10.255.0.{p}: {{as: 65001, source: lo{client if p not in reflectors else ''}}}"
            for p in peers
        )
        kept = [f"10.9{k}.0.0/16" for k in range(3) if draw(st.integers(0, 3)) == 0]
        link = draw(st.integers(1, len(pairs)))
        way = draw(
            st.sampled_from(["discard: true", f"via: 10.0.{link}.{1 + (pairs[link - 1][0] == n)}"])
        )
        static = "".join(f"{{to: {prefix}, {way}}}, " for prefix in kept)
        networks = "".join(f"{{prefix: {prefix}}}, " for prefix in kept)
        tops[f"r{n}"] = (
            f"static: [{static}]\nospf: {{}}\nbgp: {{as: 65001, {draw(st.sampled_from(more))}"
            f"networks: [{networks}], neighbours: {{{neighbours}}}}}"
        )
    return links_of(pairs), tops, ports


@dataclass
class Written:
    """A random network as it is written at the moment, and what has failed in it."""

    links: str
    tops: dict[str, str]
    ports: dict[str, str]
    fail: tuple[str, ...] = ()

    def lens(self) -> Lens:
        texts = nets.wired_texts(self.links, port="", top=self.tops, ports=self.ports)
        return Lens(
            texts={f"{number}.yaml": text for number, text in enumerate(texts)},
            failures=named_failures(list(self.fail)),
        )

    def change(self, draws: st.DataObject) -> None:
        """One thing becomes another."""
        device = draws.draw(st.sampled_from(sorted(self.tops)), label="device")
        port = draws.draw(
            st.sampled_from([p for p in self.ports if p.startswith(f"{device}:")]), label="port"
        )
        kind = draws.draw(
            st.sampled_from(
                ["static", "words", "shut", "cost", "lines", "quiet", "policy", "fail", "mend"]
            ),
            label="kind",
        )
        words, top = self.ports[port], self.tops[device]
        if kind == "static":
            others = re.sub(r"^static: .*\n", "", top, flags=re.MULTILINE)
            self.tops[device] = f"{draws.draw(st.sampled_from(STATICS))}\n{others}"
        elif kind == "words":
            same = [w for p, w in self.ports.items() if p.startswith(f"{device}:")]
            self.ports[port] = draws.draw(st.sampled_from(same))
        elif kind == "shut":
            shut = ", ".join(filter(None, [words, "enabled: false"]))
            self.ports[port] = (
                words.replace("enabled: false", "mtu: 1500") if "enabled" in words else shut
            )
        elif kind == "cost":
            cost = draws.draw(st.integers(1, 9))
            words = re.sub(r", cost: \d+", "", words)
            self.ports[port] = re.sub(
                r"ospf: {area: (\d)", rf"ospf: {{area: \1, cost: {cost}", words
            )
        elif kind == "quiet":
            quiet = words.replace("ospf: {", "ospf: {passive: true, ")
            self.ports[port] = (
                words.replace("passive: true, ", "") if "passive: true," in words else quiet
            )
        elif kind == "lines":
            self.tops[device] = "# one line more\n" + top
        elif kind == "policy":
            self.tops[device] = top.replace("set: {tag: 7}", "set: {tag: 9}")
        elif kind == "fail":
            self.fail = draws.draw(
                st.sampled_from(
                    [(f"device:{device}",), (f"interface:{port}",), (f"direction:{port}",)]
                )
            )
        else:
            self.fail = ()


def everything(state: State) -> list[object]:
    """All that a state says: rows with the lines they cite, doubts, findings, explanations."""
    outcomes = [state.look, *(other.look for other in state.others)]
    return [
        *(sorted(map(str, map(look.rib.route, look.rib.candidates))) for look in outcomes),
        *(sorted(map(str, map(look.rib.route, look.rib.active))) for look in outcomes),
        (state.oscillating, state.order_dependent, state.searched),
        [(str(finding.place), finding) for finding in state.findings],
        told(state),
    ]


def seen(view: View) -> object:
    return everything(view.state) if view.state else view.reading.problems


@settings(max_examples=EXAMPLES, deadline=None, derandomize=True)
@given(st.one_of(mixtures(), point_to_point(), reflected()), st.data())
def test_what_follows_is_what_is_computed_from_nothing(mixture, draws):
    written = Written(*mixture)
    view = look_through(written.lens())
    before = seen(view)
    first = view
    for _ in range(3):
        written.change(draws)
        followed = look_through(written.lens(), since=view)
        assert seen(followed) == seen(look_through(written.lens()))
        view = followed if followed.state else view
    assert seen(first) == before  # what is followed does not change

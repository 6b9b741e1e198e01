"""Everything in the way, remedies that were tried, classes of traffic, and comparisons."""

from __future__ import annotations

import ipaddress
import random

import pytest

from routrel.convergence.converge import with_own_places, with_same_tables
from routrel.files.reader import read_texts
from routrel.lens.look import look
from routrel.questions.errors import TooManyClasses
from routrel.questions.flow import FlowQuestion, arrives, ask_flow
from routrel.questions.flow_classes import ask_classes
from routrel.questions.moves import kept_flows
from routrel.questions.remedies import search
from routrel.questions.remedies.search import Progress, find_remedies
from routrel.wording.differences import first_difference
from tests.engine.forwarding.test_stages import SHUT, A, B, filters, middle
from tests.nets import device
from tests.told import answer_flow, remedies_data


def searched(*texts: str, traffic: str = "tcp 80", destination: str = "b", **more):
    """The network's files, its state and what a search for remedies finds."""
    named = {f"{number}.yaml": text for number, text in enumerate(texts)}
    view = look(named)
    assert view.state is not None, view.reading.problems
    question = FlowQuestion(source="a", destination=destination, traffic=traffic, **more)
    return (
        named,
        view.state,
        question,
        find_remedies(view.state, named, question, kept_flows(view.cases)),
    )


def redone(named: dict[str, str], remedy, question: FlowQuestion) -> bool:
    """Whether the flow arrives in the files as the remedy's lines leave them, read from nothing."""
    texts = dict(named)
    for file in named:
        lines = texts[file].splitlines()
        for patch in reversed([p for p in remedy.patches if p.file == file]):
            at = patch.line - 1
            assert tuple(lines[at : at + len(patch.before)]) == patch.before
            lines[at : at + len(patch.before)] = patch.after
        texts[file] = "\n".join(lines) + "\n"
    assert not read_texts(texts).problems
    return arrives(ask_flow(look(texts).state, question))


HTTP = "rules: [{id: 10, permit: udp, to-port: 80}, {id: 20, deny: tcp, to-port: 70-90}], default: permit"
OSPF_PAIR = [
    device("m", "ospf: {router-id: 1.1.1.1}\ninterfaces:\n  l: {addresses: [10.0.1.1/24], ospf: {area: 0, passive: true}}\n"
           "  r: {addresses: [10.0.9.1/30], ospf: {area: 0}}"),
    device("n", "ospf: {router-id: 2.2.2.2}\ninterfaces:\n  l: {addresses: [10.0.9.2/30], ospf: {area: 0}}\n"
           "  r: {addresses: [10.0.2.1/24]}"),
]  # fmt: skip

#: The same pair, n with b's subnet behind it as a redistributed route, which a policy may reject.
TAKEN_IN = OSPF_PAIR[1].replace(
    "ospf: {router-id: 2.2.2.2}", "ospf: {router-id: 2.2.2.2, redistribute: [{from: static}]}"
)
REJECTED = TAKEN_IN.replace("{from: static}", "{from: connected, policy: p}") + (
    "policies:\n  p:\n    statements:\n      - {name: none, then: reject}\n    default: reject\n"
)  # fmt: skip
BGP_PAIR = [
    device("m", "interfaces:\n  l: {addresses: [10.0.1.1/24]}\n  r: {addresses: [10.0.9.1/30]}\nbgp:\n  as: 64500\n"
           "  networks: [{prefix: 10.0.1.0/24}]\n  neighbours:\n    10.0.9.2: {as: 64501}\n"),
    device("n", "interfaces:\n  l: {addresses: [10.0.9.2/30]}\n  r: {addresses: [10.0.2.1/24]}\nbgp:\n  as: 64501\n"
           "  networks: [{prefix: 10.0.2.0/24}]\n  neighbours:\n    10.0.9.1: {as: 64500}\n"),
]  # fmt: skip
#: Files beside a and b, and a remedy that must be among those found.
FAULTS = [
    ("rule before", [middle(", filters: {in: f}", more=filters(f=HTTP))], {}, "new rule 15 in filter f"),
    ("protocol", [middle(", filters: {in: f}", more=filters(f=HTTP))], {}, "rule 10 of filter f for tcp instead of udp"),
    ("narrow", [middle(", filters: {in: f}", more=filters(f=HTTP))], {}, "rule 20 of filter f spares port 80"),
    ("move", [middle(", filters: {in: f}", more=filters(
        f="rules: [{id: 10, deny: any, to: 10.0.2.0/24}, {id: 20, permit: tcp, to-port: 80}], default: deny"))], {},
     "move rule 20 of filter f in front of rule 10"),
    ("the answer's rule", [middle(right=", filters: {in: f}", more=filters(f=SHUT))], {}, "new rule 10 in filter f for these answers alone"),
    ("sessions", [middle(right=", filters: {in: f, out: f}", more=filters(f="rules: [{id: 10, permit: tcp, to-port: 80}], default: deny"))], {},
     "let filter f remember sessions"),
    ("zones", [middle(", zone: x", ", zone: y", "zones: {x: {}, y: {}}\nfilters: {g: {default: deny}}\n")], {}, "a filter from zone x to y"),
    ("discard", [middle(more="static:\n  - {to: 10.0.2.9/32, discard: true}\n")], {}, "remove the static route to 10.0.2.9/32"),
    ("MTU", [middle(mtu=1400)], {"size": 1500}, "MTU 1500 on r instead of 1400"),
    ("shut", [middle(right=", enabled: false")], {}, "m: enable r"),
    ("steering", [middle(", steering: s", more="steering:\n  s:\n    rules:\n      - {id: 10, discard: true}\n")], {}, "remove rule 10 of steering s"),
    ("reverse path", [middle(", reverse-path-check: strict", more="static: [{to: 10.0.1.9/32, discard: true}]\n")], {},
     "no reverse-path check on l"),
    ("attached elsewhere", [middle(", vrf: x", more="vrfs: {x: {}}\n")], {"both": False}, "m: l in VRF default"),
    ("session", [BGP_PAIR[0].replace("64501}", "64501, enabled: false}"), BGP_PAIR[1]], {}, "m: the session with 10.0.9.2 comes up"),
    ("network statement", [BGP_PAIR[0], BGP_PAIR[1].replace("  networks: [{prefix: 10.0.2.0/24}]\n", "")], {}, "n: announce 10.0.2.0/24 in BGP"),
    ("taken in", [OSPF_PAIR[0], TAKEN_IN], {}, "n: connected routes into ospf"),
    ("accepted", [OSPF_PAIR[0], REJECTED], {}, "n: policy p accepts 10.0.2.0/24"),
    ("announced", OSPF_PAIR, {}, "n: ospf on r, passive"),
    ("answers past the translator", [
        middle(more="translation:\n  - {id: 10, to: 10.0.1.1, new-destination: 10.0.3.9}\nstatic:\n  - {to: 10.0.3.0/24, via: 10.0.2.2}\n"),
        device("n", "interfaces:\n  l: {addresses: [10.0.1.2/24]}\n  r: {addresses: [10.0.2.2/24]}\n  s: {addresses: [10.0.3.1/24]}"),
        device("c", "gateway: 10.0.3.1\ninterfaces:\n  e: {addresses: [10.0.3.9/24]}", "host")],
     {"destination": "10.0.1.1"}, "m: hide 10.0.1.9 behind the device's own address towards 10.0.3.9"),
]  # fmt: skip


@pytest.mark.parametrize(("texts", "more", "wanted"), [f[1:] for f in FAULTS], ids=[f[0] for f in FAULTS])  # fmt: skip
def test_a_remedy_is_found_and_its_lines_help_when_read_from_nothing(texts, more, wanted):
    named, _, question, found = searched(A, B, *texts, **more)
    assert any(wanted in remedy.text for remedy in found.found), [r.text for r in found.found]
    for remedy in found.found:
        assert redone(named, remedy, question), remedy.text
    sizes = [(r.size, r.opens) for r in found.found]
    assert sizes == sorted(sizes)


def test_the_least_is_opened_first_and_counted():
    """One port between two hosts is 65,536 headers; from any to any would be 2^32 times 2^32 more."""
    _, _, _, found = searched(A, B, middle(", filters: {in: f}", more=filters(f=HTTP)))
    data = remedies_data(found)
    assert data["remedies"][0]["opens"] == 65536
    best, *others = data["remedies"]
    assert best["opens_text"] == "opens nothing beyond this flow"
    assert "it opens nothing beyond this flow" in best["take"]
    assert [other["take"] for other in others] == [""] * len(others)
    assert all(found.found[0].opens <= r.opens for r in found.found if r.size == 1)


#: A missing route, behind it a filter, and a filter for the answers.
THREE = [
    middle(right="", more=""),
    device("n", "interfaces:\n  l: {addresses: [10.0.2.2/24], filters: {in: f}}\n  r: {addresses: [10.0.3.1/24], filters: {in: g}}\n"
           "static: [{to: 10.0.1.0/24, via: 10.0.2.1}]\n" + filters(f=SHUT, g=SHUT)),
    device("c", "gateway: 10.0.3.1\ninterfaces:\n  e: {addresses: [10.0.3.9/24]}", "host"),
]  # fmt: skip


def test_obstacles_behind_obstacles_are_listed_and_remedied_together():
    named, state, question, found = searched(A, B, *THREE, destination="c")
    answer = answer_flow(state, question)
    assert [(o["device"], o["kind"], o["side"]) for o in answer["forward"]["obstacles"]] == [
        ("m", "no_route", "routing"),
        ("n", "filter_default", "access"),
    ]
    assert answer["forward"]["obstacles"][0]["absence"]["steps"]
    assert [(o["device"], o["filter"]) for o in answer["return"]["obstacles"]] == [("n", "g")]
    assert answer["forward"]["verdict"] == "no_route"
    best = found.found[0]
    assert {patch.file for patch in best.patches} == {"2.yaml", "3.yaml"}
    assert redone(named, best, question)


def test_a_search_can_be_watched_stopped_and_come_to_nothing():
    named, state, question, found = searched(A, B, *THREE, destination="c")
    seen: list[Progress] = []
    find_remedies(state, named, question, {}, on_progress=seen.append)
    assert [p.tried for p in seen] == list(range(1, found.tried + 1))

    def stop(progress: Progress) -> None:
        raise KeyboardInterrupt

    with pytest.raises(KeyboardInterrupt):
        find_remedies(state, named, question, {}, on_progress=stop)
    late = find_remedies(state, named, question, {}, patience_s=0)
    assert (late.found, late.given_up) == ((), True)
    fine = searched(A, B, middle())[3]
    assert (fine.needed, fine.tried) == (False, 0)
    nobody = searched(A, B, middle(), destination="10.0.2.200")[3]
    assert (nobody.found, nobody.given_up) == ((), False)


def test_a_search_in_vain_tells_what_nothing_passes_and_the_nearest_miss():
    """10.0.2.200 has no device: behind m's filter nothing can be done about that."""
    nobody = searched(A, B, middle(), destination="10.0.2.200")[3]
    told = remedies_data(nobody)
    assert told["missed"]["text"] == ""
    assert "no device on 10.0.2.0/24 owns 10.0.2.200" in told["missed"]["left"]
    shut = middle(", filters: {in: f}", more=filters(f=HTTP))
    behind = remedies_data(searched(A, B, shut, destination="10.0.2.200")[3])
    assert behind["remedies"] == []
    assert "no device on 10.0.2.0/24 owns 10.0.2.200" in behind["missed"]["left"]
    assert behind["missed"]["text"]
    assert behind["missed"]["edits"]


def test_a_class_holds_what_is_treated_alike(monkeypatch):
    """Each address of a prefix, drawn at random, fares as the piece that holds it says."""
    mid = middle(", filters: {in: f}", more=filters(
        f="rules: [{id: 10, deny: any, to: 10.0.2.8/29}, {id: 20, permit: tcp, to: 10.0.0.0/16}], default: deny")
        + "static: [{to: 10.0.2.64/26, discard: true}, {to: 10.0.4.0/24, via: 10.0.2.9}]\n")  # fmt: skip
    view = look({"a.yaml": A, "b.yaml": B, "m.yaml": mid})
    state = view.state
    question = FlowQuestion(source="a", destination="10.0.0.0/20", traffic="tcp 80", both=False)
    classes = ask_classes(state, question)

    def told(address: str) -> str:
        for one in classes:
            for pair in one.pairs:
                ends = pair.destination.split("–")
                if len(ends) == 2:
                    first, last = map(ipaddress.ip_address, ends)
                    if first <= ipaddress.ip_address(address) <= last:
                        return one.answer.forward.verdict.value
                elif ipaddress.ip_address(address) in ipaddress.ip_network(ends[0]):
                    return one.answer.forward.verdict.value
        raise AssertionError(f"no class holds {address}")

    dice = random.Random(1)
    for _ in range(300):
        address = str(ipaddress.ip_address("10.0.0.0") + dice.randrange(1, 4095))
        if address in ("10.0.1.0", "10.0.1.255", "10.0.2.0", "10.0.2.255", "10.0.1.9"):
            continue  # a subnet's own and broadcast addresses, and the asker
        one = FlowQuestion(source="a", destination=address, traffic="tcp 80", both=False)
        assert told(address) == ask_flow(state, one).forward.verdict.value, address
    monkeypatch.setattr("routrel.questions.flow_classes.MAXIMUM_PAIRS", 3)
    with pytest.raises(TooManyClasses):
        ask_classes(state, FlowQuestion(source="10.0.0.0/8", destination="10.0.0.0/8"))


def test_two_flows_part_at_the_first_difference():
    _, state, question, _ = searched(A, B, middle(", filters: {in: f}", more=filters(f=HTTP)))
    mine = ask_flow(state, question)
    other = ask_flow(state, FlowQuestion(source="a", destination="b", traffic="tcp 443"))
    found = first_difference(mine, other, ("this", "that"))
    assert (found.direction, found.device, found.hop) == ("forward", "m", 1)
    assert "rule 20 drops it" in found.sentence
    assert "default permits it" in found.sentence
    assert first_difference(mine, mine, ("x", "y")).device is None


#: a behind m, b behind n; n drops tcp and, by its export policy, keeps b's subnet from m.
RIP_PAIR = [
    device("m", "rip: {}\ninterfaces:\n  l: {addresses: [10.0.1.1/24], rip: {passive: true}}\n"
           "  r: {addresses: [10.0.9.1/30], rip: {}}"),
    device("n", "rip: {}\nfilters:\n  f:\n    rules:\n      - {id: 10, deny: tcp}\n    default: permit\n"
           "interfaces:\n  l: {addresses: [10.0.9.2/30], filters: {in: f}, rip: {export: p}}\n"
           "  r: {addresses: [10.0.2.1/24], rip: {}}\n"
           "policies:\n  p:\n    statements:\n      - {name: none, then: reject}\n    default: reject\n"),
]  # fmt: skip


@pytest.mark.parametrize(
    "texts",
    [RIP_PAIR, [OSPF_PAIR[0], REJECTED.replace("interfaces:", "filters:\n  f:\n    rules:\n"
     "      - {id: 10, deny: tcp}\n    default: permit\nthrough-traffic: {filters: f}\ninterfaces:")]],
    ids=["rip", "ospf"],
)  # fmt: skip
def test_keeping_tables_finds_what_computing_anew_finds(texts, monkeypatch):
    """A filter and a rejecting policy in the way: edits of the filter keep the tables, and what is
    found, cited and weighed afterwards is the same as with tables computed for every edit."""
    _, _, _, quick = searched(A, B, *texts)
    monkeypatch.setattr(search, "with_same_tables", lambda *_: None)
    _, _, _, cold = searched(A, B, *texts)

    def told(found):
        return [remedies_data(found)["remedies"], found.tried, found.needed]

    assert told(quick) == told(cold)
    assert quick.found
    causes = [[o.cause for o in remedy.after.forward.obstacles] for remedy in quick.found]
    assert causes == [[o.cause for o in remedy.after.forward.obstacles] for remedy in cold.found]


def test_tables_that_are_kept_are_cited_where_the_new_files_have_them():
    """Two lines more in a filter push everything below them down, in the explanation too."""
    text = RIP_PAIR[1]
    longer = text.replace(
        "- {id: 10, deny: tcp}", "- {id: 5, permit: udp}\n      - {id: 10, deny: tcp}"
    )
    before, after = (look({"a": A, "b": B, "m": RIP_PAIR[0], "n": t}) for t in (text, longer))
    kept = with_own_places(with_same_tables(before.state, after.reading.network))
    question = FlowQuestion(source="a", destination="b", traffic="tcp 80")
    assert answer_flow(kept, question) == answer_flow(after.state, question)
    assert [kept.rib.route(row) for row in kept.rib.active] == [
        after.state.rib.route(row) for row in after.state.rib.active
    ]

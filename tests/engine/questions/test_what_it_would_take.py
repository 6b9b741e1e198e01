"""What it would take for a loser to win, and that less than everything is computed for it."""

from __future__ import annotations

import difflib
import ipaddress
import textwrap
from dataclasses import replace

import msgspec
import pytest
from hypothesis import given, settings

from routrel.convergence.converge import State, converge
from routrel.lens.file_edits import FileEdit, edited
from routrel.protocols.bgp.explaining import offers
from routrel.protocols.register import bgp_of
from routrel.questions.edits import Edit, ImportEdit, changes_of
from tests.bgp_nets import P, edge, mesh, used, why
from tests.differential.test_plain_bgp import nets, with_numbers
from tests.nets import device, last_texts, network, route, state, ways
from tests.told import what_it_would_take

PREFIX = ipaddress.ip_network(P)
EXITS = ("65000 65000 65000 65004 65005", "r1-r2:10 r1-r3:20 r2-r4 r3-r5")
SELF = {f"r{a}-r{b}": "next-hop: self" for a in (2, 3) for b in (1, 2, 3) if a != b}


def with_edit(net: State, edit: Edit) -> State:
    """The net made last, with an edit written into its files and read from nothing."""
    texts = last_texts()
    device = net.topology.devices[edit.device]
    return converge(network(*edited(texts, changes_of(edit, device, texts)).values()))


def who(candidate: dict) -> tuple[object, ...]:
    """What a candidate is told apart by."""
    return candidate["title"], candidate["advertiser"]


def with_lines(texts: dict[str, str], edits: list[dict]) -> dict[str, str]:
    """The files with lines exchanged, the last first so that numbers stay true."""
    lines = {file: text.splitlines() for file, text in texts.items()}
    for edit in reversed(edits):
        before, after = (edit[key].split("\n") if edit[key] else [] for key in ("before", "after"))
        start = edit["line"] - 1
        assert lines[edit["file"]][start : start + len(before)] == before
        lines[edit["file"]][start : start + len(before)] = after
    return {
        file: "\n".join(kept) + "\n" if kept != texts[file].splitlines() else texts[file]
        for file, kept in lines.items()
    }


def two(a: str, b: str, **more) -> State:
    return edge(
        {
            name: f"{place} as: {number}, announces: [{{prefixes: [{P}, 203.0.113.0/24]{said}}}]"
            for name, place, number, said in (("a", 1, 65001, a), ("b", 2, 65002, b))
        },
        **more,
    )


@pytest.mark.parametrize(
    ("made", "device", "lost_on", "first"),
    [
        (lambda: two("", ", as-path: 65009"), "r1", "as_path_length",
         f"2 times AS 65001 in front of the path for {P} alone on import from 10.9.1.2 (a) at r1"),
        (lambda: two(", med: 9", ", med: 20", bgp="decision: {compare-med-always: true}"), "r1",
         "med", f"MED ≤ 8 for {P} alone on import from 10.9.2.2 (b) at r1"),
        (lambda: two("", ""), "r1", "router_id",
         f"local preference ≥ 101 for {P} alone on import from 10.9.2.2 (b) at r1"),
        (lambda: two("", "", neighbours={"1": "weight: 7"}), "r1", "weight",
         f"weight ≥ 8 for {P} alone on import from 10.9.2.2 (b) at r1"),
        # The far exit wins where its path enters the AS, at r3, not at r1 which asks.
        (lambda: mesh(*EXITS, own="r4 r5", says=SELF), "r1", "igp_cost",
         "local preference ≥ 101 on import from 10.0.4.2 (r5) at r3"),
        (lambda: mesh(*EXITS, own="r4"), "r1", "usable",
         "next-hop: self at r2 towards 10.255.0.1 (r1)"),
        (lambda: mesh("65000 65001", "r1-r2", own="r2", says={"r1-r2": "import: p"},
                      top={"r1": "policies: {p: {statements: [], default: reject}}"}), "r1",
         "usable", "a last statement in policy p of r1 that accepts it"),
        (lambda: mesh("65000 65001", "r1-r2", own="r2",
                      top={"r1": f"static: [{{to: {P}, discard: true, distance: 15}}]"}), "r1",
         "distance", f"distance 14 or less for eBGP to {P} alone at r1"),
        # A tie is enough where the protocols rank the other way: static comes before BGP at 20.
        (lambda: edge({"a": f"1 as: 65001, announces: [{{prefixes: [{P}, 203.0.113.0/24]}}]"},
                      top=f"static: [{{to: {P}, discard: true, distance: 25}}]"), "r1", "distance",
         f"distance 20 or less for static to {P} alone at r1"),
        # b's MED 10 is lower than a's 60, but of another AS: then the router id decided.
        (lambda: two(", med: 60", ", med: 10"), "r1", "router_id",
         "MED compared always at r1 (10 was not compared with 60)"),
        # The statement for longer prefixes nearly matches; it comes before a new one beside it.
        (lambda: mesh("65000 65001", "r1-r2", own="r2", says={"r1-r2": "import: p"},
                      top={"r1": "sets: {prefixes: {long: 198.51.100.0/24 from /25 to /28}}\n"
                           "policies: {p: {statements: [{name: s, match: {prefixes: long}, then: accept}], default: reject}}"}),
         "r1", "usable", f"{P} in set long, for which statement s of policy p of r1 asks"),
    ],
)  # fmt: skip
def test_the_change_that_lets_a_loser_win(made, device, lost_on, first):
    """Each told change, written into the files that are then read from nothing, lets it win."""
    answers = what_it_would_take(made(), device, "default", PREFIX)
    answer = next(one for one in answers if one["changes"])
    assert answer["lost_on"] == lost_on
    assert answer["changes"][0]["text"] == first
    texts = last_texts()
    for told in answer["changes"]:
        assert told["moves"]["prefixes"] >= 1
        after = edited(texts, msgspec.convert(told["changes"], list[FileEdit]))
        assert after == with_lines(texts, told["edits"])
        assert who(answer) in {
            who(candidate)
            for candidate in why(converge(network(*after.values())), device)["candidates"]
            if candidate["lost_on"] is None
        }


def test_patience_has_an_end_and_says_so():
    """Nothing is tried once the time is up, and the answer does not pretend otherwise."""
    (answer,) = what_it_would_take(two("", ""), "r1", "default", PREFIX, patience_s=-1)
    assert (answer["changes"], answer["tried"]) == ([], [])
    assert "takes too long" in answer["sentence"]


def test_what_was_tried_in_vain_is_told_with_the_next_rung():
    """One number in front makes the paths equally long: then the router id decides."""
    (answer,) = what_it_would_take(two("", ", as-path: 65009"), "r1", "default", PREFIX)
    assert answer["tried"][0]["then_loses_on"] == "router_id"
    # First what moves the prefix alone, then the same for the whole of what b announces.
    assert [change["moves"]["prefixes"] for change in answer["changes"][:2]] == [1, 2]
    # Two times wins, so three times is not offered; nor is the smaller one, which lost.
    prepended = [c["value"] for c in answer["changes"] if c["attribute"] == "prepend"]
    assert prepended == [[65001, 65001]] * 2


@pytest.mark.parametrize(
    "made",
    [lambda: two(", med: 9", ", med: 20", bgp="decision: {compare-med-always: true}"),
     lambda: two("", "", neighbours={"1": "weight: 7"}), lambda: two("", ", as-path: 65009 65010"),
     lambda: mesh(*EXITS, own="r4 r5", says=SELF)],
)  # fmt: skip
def test_no_smaller_value_of_the_same_attribute_wins(made):
    """Every value between what is now and what is told leaves the loser a loser."""
    net = made()
    (answer,) = what_it_would_take(net, "r1", "default", PREFIX)
    told = [
        c for c in answer["changes"] if isinstance(c["value"], int) and "set." not in c["target"]
    ]
    assert told
    for change in told:
        now = {"local-preference": 100, "weight": 0, "med": 20}[change["attribute"]]
        low, high = sorted((now, change["value"]))
        for value in range(low, high + 1):
            if value in (now, change["value"]):
                continue
            edit = ImportEdit(
                device=change["device"], vrf="default",
                neighbour=ipaddress.ip_address(change["neighbour"]),
                attribute=change["attribute"], value=value,
            )  # fmt: skip
            assert answer["advertiser"] not in used(with_edit(net, edit), "r1"), value


def test_an_address_stands_for_the_prefix_it_matches():
    net = two("", "")
    asked = ipaddress.ip_address("198.51.100.77")
    assert what_it_would_take(net, "r1", "default", asked) == what_it_would_take(
        net, "r1", "default", PREFIX
    )
    assert what_it_would_take(net, "r1", "default", ipaddress.ip_address("192.0.2.1")) == []


def test_the_statement_that_decides_is_the_one_that_changes():
    """A policy that two neighbours share is copied, so that the other keeps its own."""
    top = """
        policies:
          both: {statements: [{name: all, set: {local-preference: 120}, then: accept}], default: reject}
    """
    net = two("", "", top=top, neighbours={"1": "import: both", "2": "import: both"})
    (answer,) = what_it_would_take(net, "r1", "default", PREFIX)
    change = answer["changes"][0]
    assert change["value"] == 121
    assert change["target"] == "policies.both.statements"
    assert answer["changes"][1]["target"] == "policies.both.statements.all.set.local-preference"
    edit = ImportEdit(
        device="r1", vrf="default", neighbour=ipaddress.ip_address("10.9.2.2"),
        attribute="local-preference", value=121, policy="both", statement="all",
    )  # fmt: skip
    after = with_edit(net, edit)
    assert used(after, "r1") == {"b"}
    assert [p.name for p in after.network.devices[0].policies] == ["both", "both-2"]


FILE = """\
routrel: 1
device: r1
role: router
vrfs:
  blue:
    bgp:
      as: 65000
      router-id: 10.255.0.1
      groups: {far: {import: [shared]}}
      neighbours:
        "2001:DB8:0::2":
          group: far   # by the lock
          as: 65001
        10.9.2.2: {as: 65002, group: far}
        10.9.3.2: {as: 65003, import: mine}
policies:
  # for both exits
  shared:
    statements:
      - name: all
        set:
          prepend:
            - 65009
        then: accept
    default: reject
  mine:
    statements:
      - {name: ours, match: {prefixes: ours}, then: accept}
    default: accept
sets: {prefixes: {ours: 10.64.0.0/12 or longer}}
interfaces:
  e1: {addresses: ["2001:db8::1/64"], vrf: blue}
  e2: {addresses: [10.9.2.1/24], vrf: blue}
  e3: {addresses: [10.9.3.1/24], vrf: blue}
"""


@pytest.mark.parametrize(
    ("neighbour", "more", "changes"),
    [
        # A policy of a group is copied, comments and all, and the neighbour names the copy.
        ("2001:db8::2", {"attribute": "prepend", "value": (65001,), "policy": "shared", "statement": "all"},
         """\
        +          import: [shared-2]
        +  shared-2:
        +    statements:
        +      - name: all
        +        then: accept
        +        set: {prepend: [65001, 65009]}
        +    default: reject"""),
        # One prefix alone: a copy of the statement that decides, in front of it.
        ("10.9.2.2", {"attribute": "med", "value": 7, "policy": "shared", "statement": "all", "prefix": P},
         """\
        -        10.9.2.2: {as: 65002, group: far}
        +        10.9.2.2: {as: 65002, group: far, import: [shared-2]}
        -sets: {prefixes: {ours: 10.64.0.0/12 or longer}}
        +  shared-2:
        +    statements:
        +      - name: one
        +        set:
        +          prepend:
        +            - 65009
        +          med: 7
        +        then: accept
        +        match: {prefixes: only-198.51.100.0-24}
        +      - name: all
        +        set:
        +          prepend:
        +            - 65009
        +        then: accept
        +    default: reject
        +sets: {prefixes: {ours: 10.64.0.0/12 or longer, only-198.51.100.0-24: [198.51.100.0/24]}}"""),
        # The default decides now: a last statement does.
        ("10.9.3.2", {"attribute": "local-preference", "value": 90, "policy": "mine"},
         """\
        +      - {name: more-local-preference, set: {local-preference: 90}, then: accept}"""),
        ("10.9.3.2", {"attribute": "weight", "value": 5, "policy": "mine", "statement": "ours"},
         """\
        -      - {name: ours, match: {prefixes: ours}, then: accept}
        +      - {name: ours, match: {prefixes: ours}, then: accept, set: {weight: 5}}"""),
    ],
)  # fmt: skip
def test_an_edit_touches_nothing_else_of_its_file(neighbour, more, changes):
    """What differs line by line, in a file with blocks, comments, a VRF and an address spelled oddly."""
    if "prefix" in more:
        more = {**more, "prefix": PREFIX}
    device = network(FILE).devices[0]
    edit = ImportEdit(
        device="r1", vrf="blue", neighbour=ipaddress.ip_address(neighbour), **more
    )  # fmt: skip
    after = edited({"0.yaml": FILE}, changes_of(edit, device, {"0.yaml": FILE}))["0.yaml"]
    network(after)
    told = [
        line
        for line in difflib.unified_diff(FILE.splitlines(), after.splitlines(), n=0, lineterm="")
        if line[:1] in "+-" and line[:3] not in ("+++", "---")
    ]
    assert told == textwrap.dedent(changes).splitlines()


def test_a_policy_that_another_protocol_uses_is_copied_too():
    """OSPF takes routes in through the same policy; the edit leaves that alone."""
    top = """
        ospf: {redistribute: [{from: static, policy: all}]}
        policies: {all: {statements: [{name: s, then: accept}], default: reject}}
    """
    net = two("", "", top=top, neighbours={"2": "import: all"})
    edit = ImportEdit(
        device="r1", vrf="default", neighbour=ipaddress.ip_address("10.9.2.2"),
        attribute="local-preference", value=150, policy="all", statement="s",
    )  # fmt: skip
    changed = with_edit(net, edit).network.devices[0]
    assert changed.policies[0] == net.network.devices[0].policies[0]
    assert changed.policies[1].name == "all-2"


# --- computing only what a change touches --------------------------------------------------------


def tables(made: State) -> dict[tuple[str, str], set[tuple[object, ...]]]:
    """All active routes by table, without numbers of the computation."""
    return {
        table: {
            (r.prefix, r.protocol, r.path_type, r.distance, r.metric, r.next_hops)
            for r in made.rib.table_routes(number)
        }
        for number, table in enumerate(made.rib.interning.tables)
    }


@settings(max_examples=40, deadline=None, derandomize=True)
@given(nets(), nets())
def test_following_a_change_gives_what_computing_anew_gives(one, other):
    """From one network to another that shares a device's name or not, or to one changed policy."""
    first = state(*with_numbers(one.texts, one.net))
    for drawn in (other, one):
        second = state(*with_numbers(drawn.texts, drawn.net))
        followed = converge(second.network, since=first)
        assert tables(followed) == tables(second)
        assert followed.oscillating == second.oscillating
        assert followed.order_dependent == second.order_dependent


def test_following_a_change_of_what_is_sent_by_default():
    """The policy of a default route, and how many next hops a table keeps, are looked at too."""

    def made(med: int, paths: int) -> State:
        both = {name: f"{place} as: {number}, announces: [{{prefixes: {P}}}]"
                for name, place, number in (("a", 1, 65001), ("b", 2, 65002))}  # fmt: skip
        top = f"maximum-paths: {paths}\npolicies: {{d: {{statements: [{{name: s, set: {{med: {med}}}}}], default: accept}}}}"
        return edge(
            both, top=top, neighbours={"1": "default-route: {policy: d}"},
            bgp="multipath: {external: 4, any-as-path: true}",
        )  # fmt: skip

    first = made(5, 4)
    for second in (made(6, 4), made(5, 1)):
        followed = converge(second.network, since=first)
        assert tables(followed) == tables(second)
        assert heard_by_default(followed) == heard_by_default(second)
    assert heard_by_default(followed) == [5]


def heard_by_default(made: State) -> list[int | None]:
    """The MED of the default routes that outside network a hears."""
    domain = bgp_of(made.results)
    index = next(n for n, speaker in enumerate(domain.speakers) if speaker.name == "a")
    number = made.rib.interning.default_prefix(4)
    return [offer.path.med for offer in offers(domain, index, number) if offer.path]


@pytest.mark.parametrize(
    ("first", "second", "way"),
    [
        ("ospf: {area: 0, passive: true}", "mtu: 1400", None),  # the next hop is in no table
        ("ospf: {area: 0, passive: true, cost: 1}", "ospf: {area: 0, passive: true, cost: 9}", "b"),
        ("ospf: {area: 0, passive: true, cost: 9}", "ospf: {area: 0, passive: true, cost: 1}", "a"),
    ],
)
def test_sessions_as_before_and_next_hops_that_are_not(first, second, way):
    """r2 takes P by r1 or r4, where its next hop, on their lines outside, is nearer.

    To r1's line it costs 1 and what r1 counts there, to r4's line 1 and 5.
    """

    def made(out: str) -> State:
        def router(n: int, ports: str, peers: str) -> str:
            return device(
                f"r{n}",
                f"ospf: {{}}\nbgp: {{as: 65000, router-id: 10.255.0.{n}, neighbours: {{{peers}}}}}\n"
                f"interfaces:\n{textwrap.indent(textwrap.dedent(ports), '  ')}",
            )

        link = "ospf: {area: 0, cost: 1, network: point-to-point}"
        ours = "as: 65000, reflector-client: true"
        return state(
            router(1, f"""
                a: {{addresses: [10.0.1.1/30], {link}}}
                out: {{addresses: [192.0.2.1/30], {out}}}
            """, "10.0.1.2: {as: 65000}, 192.0.2.2: {as: 65001}"),
            router(2, f"""
                a: {{addresses: [10.0.1.2/30], {link}}}
                b: {{addresses: [10.0.2.1/30], {link}}}
            """, f"10.0.1.1: {{{ours}}}, 10.0.2.2: {{{ours}}}"),
            router(4, f"""
                b: {{addresses: [10.0.2.2/30], {link}}}
                out: {{addresses: [192.0.2.5/30], ospf: {{area: 0, passive: true, cost: 5}}}}
            """, "10.0.2.1: {as: 65000}, 192.0.2.6: {as: 65001}" if way else "10.0.2.1: {as: 65000}"),
            f"routrel: 1\noutside: one\nas: 65001\naddresses: [192.0.2.2/30, 192.0.2.6/30]\n"
            f"announces: [{{prefixes: [{P}]}}]\n",
        )  # fmt: skip

    other = made(second)
    followed = converge(other.network, since=made(first))
    assert tables(followed) == tables(other)
    found = route(followed, "r2", P)
    assert (ways(found) or {None}) == {way}


def test_a_statement_recomputes_only_the_prefixes_it_touches():
    """Of 300 prefixes 40 are in the set whose statement changes."""
    some = ", ".join(f"10.77.{n}.0/24" for n in range(40))
    rest = ", ".join(f"10.78.{n}.0/24" for n in range(260 - 4))
    top = """
        sets: {{prefixes: {{some: 10.77.0.0/16 or longer}}}}
        policies:
          p:
            statements: [{{name: s, match: {{prefixes: some}}, set: {{local-preference: {0}}}, then: accept}}]
            default: accept
    """
    said = {"a": f"1 as: 65001, announces: [{{prefixes: [{some}, {rest}]}}]"}
    made = [edge(said, top=top.format(n), neighbours={"1": "import: p"}) for n in (150, 160)]
    followed = converge(made[1].network, since=made[0])
    classes = bgp_of(followed.results).classes
    assert (len(classes.anew), len(classes.announced)) == (40, 296)
    assert tables(followed) == tables(made[1])
    again = converge(replace(made[1].network, description="x"), since=followed)
    assert len(bgp_of(again.results).classes.anew) == 0

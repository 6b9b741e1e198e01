"""Two lenses side by side: what moves, why, and what looks like a mistake. Worked by hand."""

from __future__ import annotations

from textwrap import dedent

import pytest

from routrel.answers.base import data
from routrel.answers.comparison import comparison_data
from routrel.files.reader import read_change
from routrel.lens.failures import named_failures
from routrel.lens.look import Lens, look_through
from routrel.questions.moves import kept_flows
from tests.nets import device, feedback_texts


def square() -> dict[str, str]:
    """a - r1 - r2 - r4 - b, and r1 - r3 - r4 behind it: 10 + 10 + 10 against 10 + 20 + 10.

    The last 10 is that of the far subnet. A filter at r1 guards what comes to a.
    """
    link = "addresses: [{}], ospf: {{area: 0, cost: {}, network: point-to-point}}"
    lan = "addresses: [{}], ospf: {{area: 0, cost: 10, passive: true}}"

    def router(name: str, *ports: str, more: str = "") -> str:
        inside = "\n".join(f"  {port}" for port in ports)
        return device(
            name,
            f"site: quay\nospf: {{router-id: 10.255.0.{name[1]}}}\ninterfaces:\n{inside}\n{more}",
        )

    guard = dedent("""\
        filters:
          to-a:
            rules:
              - {id: 10, permit: icmp}
              - {id: 20, permit: tcp, from: 10.4.0.0/24, from-port: 443}
            default: deny
        """)
    return {
        "network.yaml": "routrel: 1\nnetwork: N\nsites: {quay: {title: the quay}}\n",
        "a.yaml": device("a", "site: quay\ninterfaces: {e: {addresses: [10.1.0.10/24]}}\ngateway: 10.1.0.1", "host"),
        "b.yaml": device("b", "site: quay\ninterfaces: {e: {addresses: [10.4.0.10/24]}}\ngateway: 10.4.0.1", "host"),
        "r1.yaml": router(
            "r1",
            f"lan: {{{lan.format('10.1.0.1/24')}, filters: {{out: to-a}}}}",
            f"e2: {{{link.format('10.0.12.1/30', 10)}}}",
            f"e3: {{{link.format('10.0.13.1/30', 10)}}}",
            more=guard,
        ),
        "r2.yaml": router(
            "r2", f"e1: {{{link.format('10.0.12.2/30', 10)}}}", f"e4: {{{link.format('10.0.24.1/30', 10)}}}"
        ),
        "r3.yaml": router(
            "r3", f"e1: {{{link.format('10.0.13.2/30', 10)}}}", f"e4: {{{link.format('10.0.34.1/30', 20)}}}"
        ),
        "r4.yaml": router(
            "r4",
            f"lan: {{{lan.format('10.4.0.1/24')}}}",
            f"e2: {{{link.format('10.0.24.2/30', 10)}}}",
            f"e3: {{{link.format('10.0.34.2/30', 20)}}}",
        ),
        "case.yaml": dedent("""\
            routrel: 1
            case: a-asks-b
            title: a asks b
            story: as it should be
            question: {from: a, to: b, as: tcp 443}
            expect: {forward: delivered}
            """),
    }  # fmt: skip


def compared(texts: dict[str, str], *edits: str, fail: tuple[str, ...] = (), purpose: str = ""):
    """What `routrel compare --json` prints of a folder and of it with edits and failures."""
    changes = ()
    if edits:
        lines = "".join(f"  - {edit}\n" for edit in edits)
        change, problems = read_change(
            f"routrel: 1\nchange: try\npurpose: {purpose or 'none'}\nedits:\n{lines}", "try.yaml"
        )
        assert change is not None, problems
        changes = (change,)
    before = look_through(Lens(texts=texts))
    after = look_through(Lens(texts=texts, changes=changes, failures=named_failures(fail)))
    assert before.state is not None, before.reading.problems
    assert after.state is not None, after.reading.problems
    return data(
        comparison_data(
            (before.state, before.findings),
            (after.state, after.findings),
            kept_flows(before.cases),
            changes,
        )
    )


def flows(told) -> dict[tuple[str, str, str], str]:
    return {(f["from"], f["to"], f["as"]): f["shift"] for f in told["flows"] if not f["name"]}


def codes(told) -> set[str]:
    return {warning["code"] for warning in told["warnings"]}


COST = "{{at: r1 interfaces {} ospf cost, was: 10, set: {}}}"


def test_a_cost_raised_at_one_end_moves_one_direction():
    """r1 pays 30 by r2 now: 30 + 10 + 10 = 50 against 40 by r3; r4 pays 30 by r2 as before."""
    told = compared(square(), COST.format("e2", 30), purpose="b is reached by r3")
    (moved,) = [c for c in told["routes"]["changed"] if c["before"]["prefix"] == "10.4.0.0/24"]
    assert (moved["before"]["device"], moved["before"]["metric"]) == ("r1", 30)
    assert [hop["device"] for hop in moved["after"]["next_hops"]] == ["r3"]
    assert moved["reason"] == "the former way loses on metric: 50 against 40"
    assert flows(told)["a", "b", ""] == "way"
    assert flows(told)["b", "a", ""] == "return_way"
    (kept,) = [flow for flow in told["flows"] if flow["name"]]
    assert (kept["name"], kept["as"], kept["before"], kept["after"]) == (
        "a-asks-b", "tcp 443", "delivered", "delivered",
    )  # fmt: skip
    assert kept["asymmetric"]
    assert kept["text"] == "goes by r1, r2, r4 before, by r1, r3, r4 now"
    assert {"one_direction", "return_elsewhere"} <= codes(told)
    (one,) = [warning for warning in told["warnings"] if warning["code"] == "one_direction"]
    assert "OSPF cost of r1:e2 is 30 now, and that of the other end, r2:e1, is 10" in one["text"]
    assert [(e["file"], e["line"]) for e in one["evidence"]] == [("r1.yaml", 8), ("r2.yaml", 7)]
    assert told["summary"].startswith(
        "3 flows take another way: the kept flow a-asks-b: goes by r1"
    )
    both = compared(
        square(),
        COST.format("e2", 30),
        "{at: r2 interfaces e1 ospf cost, was: 10, set: 30}",
    )
    assert codes(both) == set()
    assert not any(flow["asymmetric"] for flow in both["flows"])


@pytest.mark.parametrize(
    ("fail", "shift", "down", "reason"),
    [
        (("interface:r1:e2",), "way", 1, "interface r1:e2 has failed in this lens"),
        (("link:10.0.12.0/30",), "way", 1, "link 10.0.12.0/30 has failed in this lens"),
        (("direction:r2:e1",), "way", 1, "the former way is gone"),
        (("device:r2",), "way", 2, "device r2 has failed in this lens"),
        (("device:r3",), None, 2, None),
        (("device:r2", "device:r3"), "lost", 4, None),
    ],
)
def test_what_fails_moves_flows_or_ends_them(fail, shift, down, reason):
    told = compared(square(), fail=fail)
    assert flows(told).get(("a", "b", "")) == shift
    assert len(told["adjacencies"]["down"]) == down
    assert all(adjacency["where"] == "area 0" for adjacency in told["adjacencies"]["down"])
    for change in told["routes"]["changed"]:
        if change["before"]["prefix"] == "10.4.0.0/24":
            assert reason is not None
            assert reason in change["reason"]
    if shift == "lost":
        assert {(c["device"], c["prefix"]) for c in told["routes"]["gone"]} >= {
            ("r1", "10.4.0.0/24")
        }
        (kept,) = [flow for flow in told["flows"] if flow["name"]]
        assert (kept["before"], kept["after"]) == ("delivered", "no_route")
        assert "3 flows no longer arrive" not in told["summary"]
        assert "no longer arrive or are answered" in told["summary"]


def test_a_rule_newly_permits_a_set_of_headers():
    """Ports 8000 to 8443 of tcp from anywhere; the ping between the same ends is as before."""
    rule = "{id: 30, permit: tcp, to-port: 8000-8443}"
    told = compared(square(), f"{{at: r1 filters to-a rules, add: {rule}}}")
    assert flows(told) == {("b", "a", "tcp 8000"): "won"}
    (flow,) = told["flows"]
    assert (flow["before"], flow["after"]) == ("filtered", "delivered")
    assert flow["text"] == "is blocked by a filter at r1 before, arrives now"
    denied = compared(square(), "{at: r1 filters to-a default, was: deny, set: permit}")
    won = {words.split()[0] for _, _, words in flows(denied)}
    assert {"tcp", "udp"} <= won


@pytest.mark.parametrize(
    ("rule", "moved"),
    [
        # One type of ICMP; pings are as before. Nobody answers a timestamp that is not asked for.
        ("{id: 5, deny: icmp, icmp-type: 13}, before: 10", {("b", "a", "icmp 13/0"): "lost"}),
        # Answers of a server; and whatever that sends from there by itself.
        ("{id: 30, permit: udp, from: 10.4.0.0/24, from-port: 53}",
         {("a", "b", "udp 53"): "won", ("b", "a", "udp 0 from port 53"): "won"}),
        # From one port to another, neither of which is a client's.
        ("{id: 30, permit: udp, from-port: 500, to-port: 500}",
         {("b", "a", "udp 500 from port 500"): "won", ("a", "b", "udp 500 from port 500"): "won"}),
        # All but the first packet of a session.
        ("{id: 30, permit: tcp, to-port: 9000, tcp-flags: ack}",
         {("b", "a", "tcp 9000 ack"): "won"}),
    ],
)  # fmt: skip
def test_parts_of_a_set_of_headers_are_told_apart(rule, moved):
    """What r1 lets through to a; of the flows those between the two hosts."""
    told = compared(square(), f"{{at: r1 filters to-a rules, add: {rule}}}")
    found = {
        (f["from"], f["to"], f["as"] + (f" from port {f['source_port']}" if f["source_port"] else "")):
        f["shift"]
        for f in told["flows"]
        if {f["from"], f["to"]} == {"a", "b"}
    }  # fmt: skip
    assert found == moved


def test_what_moves_nothing_is_said_with_what_still_decides():
    """e3 costs 5 instead of 10: by r3 it is 35, by r2 still 30."""
    told = compared(square(), COST.format("e3", 5))
    changed = {(c["before"]["device"], c["before"]["prefix"]) for c in told["routes"]["changed"]}
    assert ("r1", "10.4.0.0/24") not in changed
    assert not any(key[:2] == ("a", "b") for key in flows(told))
    told = compared(square(), "{at: r1 interfaces e2 description, set: to r2}")
    assert codes(told) == {"nothing_moved"}
    assert told["summary"] == "No flow is treated otherwise. No route changed."
    same = compared(square())
    assert same["warnings"] == []


def test_a_check_of_the_way_back_counts_where_neither_way_moves():
    """r4 answers by r3 (100 by r2). r2 pays 100 to r1 now: its own way to a is by r4, r3 and r1
    (10 + 20 + 10), so what r1 sends it fails the strict check (RFC 3704 2.2). No route that the
    packets or their answers follow is another."""
    texts = square()
    texts["r2.yaml"] = texts["r2.yaml"].replace("e1: {", "e1: {reverse-path-check: strict, ")
    texts["r4.yaml"] = texts["r4.yaml"].replace(
        "10.0.24.2/30], ospf: {area: 0, cost: 10", "10.0.24.2/30], ospf: {area: 0, cost: 100"
    )
    told = compared(texts, "{at: r2 interfaces e1 ospf cost, was: 10, set: 100}")
    assert flows(told)["a", "b", ""] == "lost"


def test_what_the_purpose_does_not_name_is_told():
    told = compared(square(), COST.format("e2", 30), purpose="only for r3")
    assert "more_moved" in codes(told)
    told = compared(square(), COST.format("e2", 30), purpose="the quay goes by r3")
    assert "more_moved" not in codes(told)


BORDER = """
    bgp:
      as: 64500
      networks: [{prefix: 203.0.113.0/24}]
      neighbours:
        192.0.2.1: {as: 64510, import: from-one, export: to-all}
        198.51.100.1: {as: 64511, import: from-two, export: to-all}
    interfaces:
      e1: {addresses: [192.0.2.2/30]}
      e2: {addresses: [198.51.100.2/30]}
    static: [{to: 203.0.113.0/24, discard: true}]
    sets: {prefixes: {ours: 203.0.113.0/24}}
    policies:
      from-one:
        statements: [{name: all, set: {local-preference: 200}, then: accept}]
        default: reject
      from-two:
        statements: [{name: all, set: {local-preference: 100}, then: accept}]
        default: reject
      to-all:
        statements: [{name: ours, match: {prefixes: ours}, then: accept}]
        default: reject
"""
WORLD = """
    routrel: 1
    network: two providers
    outside:
      one:
        as: 64510
        addresses: [192.0.2.1/30]
        prefixes: [0.0.0.0/0, 10.9.0.0/16]
        announces: [{prefixes: [0.0.0.0/0, 10.9.0.0/16]}]
      two:
        as: 64511
        addresses: [198.51.100.1/30]
        prefixes: [0.0.0.0/0, 10.9.0.0/16]
        announces: [{prefixes: [0.0.0.0/0, 10.9.0.0/16]}]
"""


def border() -> dict[str, str]:
    return {"r1.yaml": device("r1", BORDER), "network.yaml": dedent(WORLD)}


POLICY = "r1 policies {} statements all set"


@pytest.mark.parametrize(
    ("edits", "warned", "says"),
    [
        # Weight is compared before local preference, and told to nobody (RFC 4271 knows none).
        ((f"{{at: {POLICY.format('from-two')} weight, set: 50}}",), {"stays_local"}, None),
        # MED 50 at the one in use: of another neighbouring AS, so local preference decides anyway.
        ((f"{{at: {POLICY.format('from-two')} med, set: 50}}",), {"nothing_moved", "med_not_compared"},
         "still loses on local preference (100 against 200)"),
        ((f"{{at: {POLICY.format('from-two')} local-preference, was: 100, set: 150}}",),
         {"nothing_moved"}, "local preference 100 → 150, and still loses on local preference"),
        # A statement that takes one prefix alone leaves the rest to the silent reject.
        (("{at: r1 policies from-one statements all match, set: {prefixes: ours}}",),
         {"silent_reject"}, None),
    ],
)  # fmt: skip
def test_settings_that_are_not_compared_or_stay_local(edits, warned, says):
    told = compared(border(), *edits)
    assert warned <= codes(told)
    if says:
        texts = [w["text"] for w in told["warnings"] if w["code"] == "nothing_moved"]
        assert says in texts[0]


def test_the_last_exit_is_told_and_sessions_are_listed():
    told = compared(border(), fail=("line:one",))
    assert "last_exit" in codes(told)
    assert [(s["device"], s["neighbour"]) for s in told["sessions"]["down"]] == [
        ("r1", "192.0.2.1")
    ]
    assert told["sessions"]["down"][0]["reason"] == "line one has failed in this lens"
    assert told["sessions"]["up"] == []
    reasons = {c["before"]["prefix"]: c["reason"] for c in told["routes"]["changed"]}
    assert reasons["0.0.0.0/0"].startswith("the former way is gone: line one has failed")


def test_two_folders_compare_like_two_lenses():
    """A device and its subnet are new; what is numbered otherwise is the same route."""
    before = look_through(Lens(texts=square()))
    texts = {**square(), "aa.yaml": device("aa", "interfaces: {e: {addresses: [10.1.0.11/24]}}\n"
                                           "gateway: 10.1.0.1", "host")}  # fmt: skip
    after = look_through(Lens(texts=texts))
    assert before.state is not None
    assert after.state is not None
    told = data(comparison_data((before.state, ()), (after.state, ()), {}))
    assert {row["device"] for row in told["routes"]["added"]} == {"aa"}
    assert told["routes"]["gone"] == told["routes"]["changed"] == []
    assert not any(
        flow["to"] in ("a", "b") and flow["from"] in ("a", "b") for flow in told["flows"]
    )


def test_many_routes_that_move_for_one_reason_are_one_line():
    texts = square()
    more = "".join(
        f"  x{n}: {{addresses: [10.5.{n}.1/24], ospf: {{area: 0}}}}\n" for n in range(40)
    )
    texts["r4.yaml"] = texts["r4.yaml"].replace("interfaces:\n", "interfaces:\n" + more)
    told = compared(texts, fail=("device:r2",))
    group = told["routes"]["groups"][0]
    assert group["count"] >= 40
    assert group["text"].startswith(
        f"r1 reaches {group['count']} prefixes otherwise: OSPF intra-area"
    )
    assert len(group["prefixes"]) == 5


def two_lines() -> dict[str, str]:
    """web behind r0; r1 and r2 are its exits to one provider, which hears MED 10 and 20.

    r0 has the same cost to both, and takes r1 by its lower router id. Without other settings the
    provider compares the MED of one neighbouring AS (RFC 4271 9.1.2.2 (c)) and sends in at r1.
    """

    def edge(number: int, med: int) -> str:
        other = 3 - number
        return device(
            f"r{number}",
            f"""
            ospf: {{router-id: 10.255.0.{number}}}
            bgp:
              as: 64500
              router-id: 10.255.0.{number}
              networks: [{{prefix: 203.0.113.0/24}}]
              neighbours:
                10.0.{number}.1: {{as: 64500, next-hop: self}}
                10.0.{other}.2: {{as: 64500, next-hop: self}}
                192.0.2.{4 * number + 1}: {{as: 64510, import: from-isp, export: to-isp}}
            interfaces:
              lan: {{addresses: [10.0.{number}.2/30], ospf: {{area: 0, cost: 10}}}}
              wan: {{addresses: [192.0.2.{4 * number + 2}/30]}}
            static: [{{to: 203.0.113.0/24, via: 10.0.{number}.1}}]
            policies:
              from-isp: {{statements: [{{name: all, set: {{local-preference: 100}}, then: accept}}], default: reject}}
              to-isp: {{statements: [{{name: all, set: {{med: {med}}}, then: accept}}], default: reject}}
            """,
        )

    return {
        "network.yaml": dedent("""\
            routrel: 1
            network: two lines
            outside:
              isp:
                as: 64510
                addresses: [192.0.2.5/30, 192.0.2.9/30]
                prefixes: [198.51.100.0/24]
                announces: [{prefixes: 198.51.100.0/24}]
            """),
        "r0.yaml": device(
            "r0",
            """
            ospf: {router-id: 10.255.0.9}
            bgp:
              as: 64500
              router-id: 10.255.0.9
              neighbours: {10.0.1.2: {as: 64500}, 10.0.2.2: {as: 64500}}
            interfaces:
              web: {addresses: [203.0.113.1/24]}
              e1: {addresses: [10.0.1.1/30], ospf: {area: 0, cost: 10}}
              e2: {addresses: [10.0.2.1/30], ospf: {area: 0, cost: 10}}
            """,
        ),
        "r1.yaml": edge(1, 10),
        "r2.yaml": edge(2, 20),
        "web.yaml": device(
            "web", "interfaces: {e: {addresses: [203.0.113.10/24]}}\ngateway: 203.0.113.1", "host"
        ),
    }


PREFERRED = "{at: r2 policies from-isp statements all set local-preference, was: 100, set: 200}"
CHEAPER_IN = "{at: r2 policies to-isp statements all set med, was: 20, set: 5}"


def test_the_way_out_moves_alone_and_then_the_way_in_too():
    """Two lines of one provider: another device of ours is another exit."""
    told = compared(two_lines(), PREFERRED)
    assert flows(told)["web", "198.51.100.0/24", ""] == "exit"
    assert told["entries"] == []
    warned = next(w for w in told["warnings"] if w["code"] == "entry_unmoved")
    assert "leaves by r2 now; isp sends 203.0.113.0/24 in at r1" in warned["evidence"][0]["text"]

    told = compared(two_lines(), PREFERRED, CHEAPER_IN)
    assert "entry_unmoved" not in codes(told)
    (entry,) = told["entries"]
    assert (entry["outside"], entry["prefix"]) == ("isp", "203.0.113.0/24")
    assert (entry["before"]["device"], entry["after"]["device"]) == ("r1", "r2")
    assert entry["reason"] == "the former way loses on MED (same neighbour AS): 10 against 5"


def test_an_edit_after_which_two_protocols_take_a_route_from_each_other_for_ever():
    """r1 takes RIP into OSPF, and r2 gives it back by EIGRP. At distance 170 r1 keeps to RIP (120).
    At 100 it prefers what comes back; then it has nothing from RIP to announce, and loses that."""
    named = {f"{number}.yaml": text for number, text in enumerate(feedback_texts(170))}
    told = compared(named, "{at: r1 eigrp external-distance, was: 170, set: 100}")
    warned = {warning["code"]: warning for warning in told["warnings"]}
    assert {"flaps", "not_converged"} <= warned.keys()
    assert [line["text"] for line in warned["flaps"]["evidence"]] == ["r1: 10.255.0.3/32"]


def test_who_is_elected_otherwise_is_told():
    """Three on one network: r3 has the highest id and is designated (RFC 2328 9.4 (2)); without it
    r2 is. Of the NSSA's borders the one with the higher id translates (RFC 3101 3.1)."""
    nssa = "areas: {6: {type: nssa}}"

    def router(number: int) -> str:
        return device(
            f"r{number}",
            f"""
            ospf: {{router-id: {number}.{number}.{number}.{number}, {nssa}}}
            interfaces:
              lan: {{addresses: [10.0.0.{number}/24], ospf: {{area: 0}}}}
              in: {{addresses: [10.6.0.{number}/24], ospf: {{area: 6}}}}
            """,
        )

    told = compared({f"r{n}.yaml": router(n) for n in (1, 2, 3)}, fail=("device:r3",))
    assert [(role["role"], role["before"], role["after"]) for role in told["roles"]] == [
        ("designated router", ["r3"], ["r2"]),
        ("designated router", ["r3"], ["r2"]),
        ("translator", ["r3"], ["r2"]),
    ]
    assert told["roles"][2]["text"] == "OSPF translator of area 6: r3 before, r2 now"
    assert "3 elected roles elsewhere" in told["summary"]


def test_a_med_alone_moves_what_comes_in():
    told = compared(two_lines(), CHEAPER_IN)
    assert told["routes"]["changed"] == []
    assert "nothing_moved" not in codes(told)
    assert "isp sends 203.0.113.0/24 in at r1 before, at r2 now" in told["summary"]
    told = compared(two_lines(), fail=("session:r1:192.0.2.5",))
    (entry,) = told["entries"]
    assert entry["reason"] == "r1 announces it there no more"

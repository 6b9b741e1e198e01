"""What a packet meets, stage by stage: each row's answer follows from the RFC named beside it."""

from __future__ import annotations

import pytest

from routrel.convergence.converge import State
from routrel.files.reader import read_texts
from routrel.questions.flow import FlowQuestion, ask_flow
from tests.nets import device, state
from tests.told import answer_flow

#: a - m - b; the middle device m has interfaces l (10.0.1.1) and r (10.0.2.1).
A = device(
    "a", "gateway: 10.0.1.1\ninterfaces:\n  e: {addresses: [10.0.1.9/24], mtu: 9000}", "host"
)
B = device(
    "b", "gateway: 10.0.2.1\ninterfaces:\n  e: {addresses: [10.0.2.9/24], mtu: 9000}", "host"
)


def middle(left: str = "", right: str = "", more: str = "", mtu: int = 9000) -> str:
    return (
        f"routrel: 1\ndevice: m\nrole: router\ninterfaces:\n"
        f"  l: {{addresses: [10.0.1.1/24], mtu: 9000{left}}}\n"
        f"  r: {{addresses: [10.0.2.1/24], mtu: {mtu}{right}}}\n{more}"
    )


def filters(**rules: str) -> str:
    """Filters by name; a text is its rules and default."""
    return "filters:\n" + "".join(
        f"  {name}: {{{text}}}\n".replace("_", "-") for name, text in rules.items()
    )


def said(net: State, source: str = "a", destination: str = "b", traffic: str = "tcp 80", **more):
    """Verdicts both ways, and of the direction that fails the cause's device, kind and stage."""
    answer = ask_flow(
        net, FlowQuestion(source=source, destination=destination, traffic=traffic, **more)
    )
    ways = [d for d in (answer.forward, answer.back) if d is not None]
    cause = next((d.cause for d in ways if d.cause is not None), None)
    verdicts = tuple(d.verdict.value for d in ways)
    return verdicts, (cause.device, cause.kind) if cause else None


GOOD = (("delivered", "delivered"), None)
OPEN = "rules: [{id: 10, permit: any}], default: deny"
SHUT = "default: deny"
#: A stateful filter towards b: what begins on the left passes.
STATEFUL = "sessions: true, rules: [{id: 10, permit: tcp, to-port: 80}], default: deny"

ROWS = [
    # Filters: several in order, each must permit; own and through traffic.
    ("both permit", middle(", filters: {in: [f, g]}", more=filters(f=OPEN, g=OPEN)), {}, GOOD),
    ("the second denies", middle(", filters: {in: [f, g]}", more=filters(f=OPEN, g=SHUT)), {},
     (("filtered", "delivered"), ("m", "filter_default"))),
    ("through traffic", middle(more="through-traffic: {filters: f}\n" + filters(f=SHUT)), {},
     (("filtered", "filtered"), ("m", "filter_default"))),
    ("own traffic is not through traffic", middle(more="own-traffic: {filters: {in: f}}\n" + filters(f=SHUT)), {}, GOOD),
    ("code point", middle(", filters: {in: f}", more=filters(f="rules: [{id: 10, permit: tcp, dscp: ef}], default: deny")),
     {"dscp": 46}, GOOD),
    ("leaves by", middle(more="through-traffic: {filters: f}\n" + filters(
        f="rules: [{id: 10, deny: any, leaves: l}], default: permit")), {},
     (("delivered", "filtered"), ("m", "filter_rule"))),
    # RFC 9293 3.5: an answer carries SYN and ACK, so "syn, not ack" opens one direction only.
    ("flags", middle(", filters: {in: f, out: f}", more=filters(
        f="rules: [{id: 10, deny: tcp, tcp-flags: [syn, not ack], from: 10.0.2.0/24}], default: permit")), {}, GOOD),
    # Sessions: the answer passes a filter that saw what it answers ...
    ("stateful", middle(right=", filters: {in: f, out: f}", more=filters(f=STATEFUL)), {}, GOOD),
    # ... and the same rules without sessions drop it.
    ("stateless", middle(right=", filters: {in: f, out: f}", more=filters(f=STATEFUL.replace("sessions: true, ", ""))), {},
     (("delivered", "filtered"), ("m", "filter_default"))),
    ("zones", middle(", zone: x", ", zone: y", "zones: {x: {to: {y: {filter: f}}}, y: {}}\n" + filters(f=OPEN)), {}, GOOD),
    ("no way between zones", middle(", zone: x", ", zone: y", "zones: {x: {}, y: {to: {x: {filter: f}}}}\n" + filters(f=OPEN)), {},
     (("filtered", "delivered"), ("m", "zone"))),
    ("an interface in no zone", middle(", zone: x", "", "zones: {x: {}}\n"), {"both": False},
     (("filtered",), ("m", "zone"))),
    # RFC 3704: strict 2.2, loose 2.4.
    ("strict, the way back", middle(", reverse-path-check: strict"), {}, GOOD),
    ("strict, another way back", middle(", reverse-path-check: strict",
        more="static: [{to: 10.0.1.9/32, via: 10.0.2.9}]\n"), {"both": False},
     (("filtered",), ("m", "reverse_path"))),
    ("loose, another way back", middle(", reverse-path-check: loose",
        more="static: [{to: 10.0.1.9/32, via: 10.0.2.9}]\n"), {"both": False}, (("delivered",), None)),
    ("loose, none", middle(", reverse-path-check: loose", more="static: [{to: 10.0.1.9/32, discard: true}]\n"),
     {"both": False}, (("filtered",), ("m", "reverse_path"))),
    # MTU: RFC 1191; cut where don't-fragment is clear (RFC 791 3.2), then later pieces have no ports.
    ("too big", middle(mtu=1500), {"size": 1501, "both": False}, (("too_big",), ("m", "mtu"))),
    ("cut", middle(mtu=1500), {"size": 1501, "may_fragment": True, "both": False}, (("delivered",), None)),
    ("later pieces have no ports", middle(mtu=1500, right=", filters: {out: f}",
        more=filters(f="rules: [{id: 10, permit: any}], default: deny")),
     {"size": 1501, "may_fragment": True, "both": False}, (("delivered",), None)),
    ("rejected as unreachable", middle(more="static: [{to: 10.0.2.9/32, reject: unreachable}]\n"), {"both": False},
     (("discarded",), ("m", "discard_route"))),
    # Steering: the first rule that matches and is usable; else the table.
    ("steered into nothing", middle(", steering: s", more="steering: {s: {rules: [{id: 10, protocol: tcp, discard: true}]}}\n"),
     {"both": False}, (("discarded",), ("m", "steering_discard"))),
    ("another protocol", middle(", steering: s", more="steering: {s: {rules: [{id: 10, protocol: udp, discard: true}]}}\n"), {}, GOOD),
    ("an unusable next hop falls back", middle(", steering: s",
        more="steering: {s: {rules: [{id: 10, next-hop: 10.0.2.77}]}}\n"), {}, GOOD),
    ("or does not", middle(", steering: s",
        more="steering: {s: {rules: [{id: 10, next-hop: 10.0.2.77, fall-back: false}]}}\n"), {"both": False},
     (("discarded",), ("m", "steering_discard"))),
    ("a table without a route", middle(", steering: s", more="vrfs: {t: {}}\nsteering: {s: {rules: [{id: 10, table: t}]}}\n"),
     {"both": False}, (("no_route",), ("m", "no_route"))),
    ("which Linux passes over", middle(more="processing: linux\nvrfs: {t: {}}\nthrough-traffic: {steering: s}\n"
        "steering: {s: {rules: [{id: 10, table: t}]}}\n"), {"both": False}, (("delivered",), None)),
    # A rule of steering for all but what it names, one that rejects, and what tables leave open.
    *((f"steering {word}", middle(more="through-traffic: {steering: s}\nvrfs: {t: {static: ["
        f"{{to: 10.0.2.0/24, {route}}}]}}}}\nsteering: {{s: {{rules: [{{id: 10, {rule}}}]}}}}\n"),
       {"both": False}, verdict)
      for word, route, rule, verdict in (
          ("all but others' packets", "discard: true", "from: 10.9.0.0/16, invert: true, discard: true", (("discarded",), ("m", "steering_discard"))),
          ("all but this", "discard: true", "from: 10.0.1.0/24, invert: true, discard: true", (("delivered",), None)),
          ("rejects", "discard: true", "reject: prohibited", (("discarded",), ("m", "steering_discard"))),
          ("by a table", "discard: true", "table: t", (("discarded",), ("m", "discard_route"))),
          ("by a table that passes on", "pass-on: true", "table: t", (("delivered",), None)),
          ("only by routes longer than /23", "discard: true", "table: t, longer-than: 23", (("discarded",), ("m", "discard_route"))),
          ("only by routes longer than /24", "discard: true", "table: t, longer-than: 24", (("delivered",), None)))),
    # A kernel keeps short routes apart only where they lead somewhere.
    ("steering by a short route that drops, Linux", middle(more="processing: linux\nthrough-traffic: {steering: s}\nvrfs: {t: {static: ["
        "{to: 10.2.0.0/16, discard: true}, {to: 10.0.2.0/24, discard: true}]}}\nsteering: {s: {rules: [{id: 10, table: t, longer-than: 24}]}}\n"),
     {"both": False}, (("discarded",), ("m", "discard_route"))),
    # The kernel cuts packets behind its filters, which see them whole.
    *((f"cut behind the filters, {processing}", middle(mtu=1500, more=f"processing: {processing}\nthrough-traffic: {{filters: f}}\n" + filters(
        f="rules: [{id: 10, permit: any, fragments: none}], default: deny")), {"size": 1600, "may_fragment": True, "both": False}, (("delivered",), None))
      for processing in ("router", "linux")),
    ("its own table passes on", middle(more="static: [{to: 10.0.2.9/32, pass-on: true}]\n"), {"both": False},
     (("no_route",), ("m", "no_route"))),
    # Marks: set by one filter, asked for by the next, by steering and by translation of the device.
    *((f"marked {word}", middle(", filters: {in: f}", more=f"arriving-traffic: {{filters: g}}\n{rest}\n" + filters(
        f="rules: [{id: 10, continue: tcp, to-port: 80, mark: 7}, {id: 20, permit: any}], default: deny", g=then)), {"both": False}, verdict)
      for word, then, rest, verdict in (
          ("and asked for", "rules: [{id: 10, permit: any, marked: 7}], default: deny", "", (("delivered",), None)),
          ("otherwise", "rules: [{id: 10, permit: any, marked: [0, 8]}], default: deny", "", (("filtered",), ("m", "filter_default"))),
          ("anew", "rules: [{id: 10, continue: any, mark: 0}, {id: 20, deny: any, marked: 0}], default: permit", "", (("filtered",), ("m", "filter_rule"))),
          ("and steered", "default: permit", "through-traffic: {steering: s}\nsteering: {s: {rules: [{id: 10, marked: 7, discard: true}]}}",
           (("discarded",), ("m", "steering_discard"))))),
    # What arrives is known by its session before it is looked up, with either processing.
    *((f"arriving traffic, {processing}", middle(more=f"processing: {processing}\narriving-traffic: {{filters: f}}\n" + filters(
        f="rules: [{id: 10, permit: any, session: new, arrives: l}, {id: 20, permit: any, session: established}], default: deny")),
       {"source": source, "destination": "b" if source == "a" else "a", "both": source == "a"}, verdict)
      for processing in ("router", "linux")
      for source, verdict in (("a", GOOD), ("b", (("filtered",), ("m", "filter_default"))))),
    # Translation (RFC 3022): the answer comes back translated; b never sees a's address.
    *((f"translated {word}", middle(right=", filters: {out: f}", more=f"translation: [{{id: 10, {rule}}}]\n" + filters(f=f"rules: [{{id: 10, permit: any, {seen}}}], default: deny")),
       {"destination": "10.0.1.1" if "arrives" in rule else "10.7.7.9" if "10.7.7" in rule else "b"}, GOOD)
      for word, rule, seen in (
          ("to one of two ranges", "leaves: r, new-source: [10.0.2.7-10.0.2.8, 10.0.2.30]", "from: [10.0.2.7, 10.0.2.8, 10.0.2.30]"),
          ("prefix to prefix", "leaves: r, protocol: tcp, from: 10.0.1.8/29, new-source: 10.0.2.72/29, prefix-to-prefix: true", "from: 10.0.2.73"),
          ("prefix to prefix, the destination", "to: 10.7.7.0/24, new-destination: 10.0.2.0/24, prefix-to-prefix: true", "to: 10.0.2.9"))),
    # The answer does not pass the device that translated what was asked (RFC 2663 2.4): a asked m.
    ("an answer that goes by another device", middle(more="translation: [{id: 10, to: 10.0.1.1, new-destination: 10.0.2.9}]\n")
        + "---\n" + device("n", "interfaces:\n  l: {addresses: [10.0.1.2/24]}\n  r: {addresses: [10.0.2.2/24]}"),
     {"destination": "10.0.1.1"}, GOOD),
    ("an answer past the translator", middle(more="translation: [{id: 10, to: 10.0.1.1, new-destination: 10.0.3.9}]\nstatic: [{to: 10.0.3.0/24, via: 10.0.2.2}]\n")
        + "---\n" + device("n", "interfaces:\n  l: {addresses: [10.0.1.2/24]}\n  r: {addresses: [10.0.2.2/24]}\n  s: {addresses: [10.0.3.1/24]}")
        + "---\n" + device("c", "gateway: 10.0.3.1\ninterfaces:\n  e: {addresses: [10.0.3.9/24]}", "host"),
     {"destination": "10.0.1.1"}, (("delivered", "discarded"), ("m", "untranslated_answer"))),
    # Redirected to the device itself: m takes what goes to b, and answers as b.
    ("redirected", middle(", filters: {in: f, out: g}", more="translation: [{id: 10, protocol: tcp, to: 10.0.2.9, arrives: l, new-destination: interface, new-destination-port: 8080}]\n"
        "own-traffic: {filters: {in: h}}\n" + filters(f=OPEN, g="rules: [{id: 10, permit: tcp, from: 10.0.2.9, from-port: 80}], default: deny",
        h="rules: [{id: 10, permit: tcp, to: 10.0.1.1, to-port: 8080}], default: deny")), {}, GOOD),
    # A kernel checks the way back as if the answer came by the interface the packet leaves by.
    *((f"the way back is steered by {port}", middle(", reverse-path-check: loose", more="processing: linux\nthrough-traffic: {steering: s}\n"
        "vrfs: {t: {static: [{to: 10.0.1.0/24, discard: true}]}}\n"
        f"steering: {{s: {{rules: [{{id: 10, arrives: {port}, to: 10.0.1.0/24, table: t}}]}}}}\n"), {"both": False}, verdict)
      for port, verdict in (("r", (("filtered",), ("m", "reverse_path"))), ("l", (("delivered",), None)))),
    # What the device itself sends meets its own rules, on either side of the look-up.
    *((f"own packets, {processing}", middle(more=f"processing: {processing}\ntranslation: [{{id: 10, own-traffic: true, to: {asked}, new-destination: 10.0.2.9}}]\n{more}"),
       {"source": "m", "destination": asked, "both": good}, GOOD if good else (("no_route",), ("m", "no_route")))
      for processing, asked, more, good in (
          ("router", "10.7.7.7", "", True), ("linux", "10.7.7.7", "static: [{to: 10.7.0.0/16, via: 10.0.1.9}]\n", True),
          # A kernel looks a packet up before it translates it.
          ("linux", "10.7.7.7", "", False), ("linux", "10.0.1.1", "", True), ("router", "10.0.1.1", "", True))),
    # Led back to itself, the device answers itself by the address that was asked.
    *((f"own packets to itself, {processing}", middle(more=f"processing: {processing}\nstatic: [{{to: 10.7.0.0/16, via: 10.0.1.9}}]\n"
        "translation: [{id: 10, own-traffic: true, to: 10.7.7.7, new-destination: 10.0.2.1}]\n"), {"source": "m", "destination": "10.7.7.7"}, GOOD)
      for processing in ("router", "linux")),
    ("own rules are not for others' packets", middle(more="translation: [{id: 10, own-traffic: true, new-destination: 10.9.9.9}]\n"), {}, GOOD),
    ("hidden source", middle(more="translation: [{id: 10, leaves: r, new-source: interface}]\n"), {}, GOOD),
    ("kept", middle(right=", filters: {out: f}", more="translation: [{id: 10, to: 10.0.2.9, keep: true}, "
        "{id: 20, leaves: r, new-source: interface}]\n" + filters(f="rules: [{id: 10, permit: any, from: 10.0.1.9}], default: deny")), {}, GOOD),
    ("filter out sees the new source", middle(right=", filters: {out: f}",
        more="translation: [{id: 10, leaves: r, new-source: interface}]\n" + filters(f="rules: [{id: 10, permit: any, from: 10.0.2.1}], default: deny")), {}, GOOD),
    ("one-to-one, called from outside", middle(more="translation: [{id: 10, leaves: l, from: 10.0.2.9, new-source: 10.0.1.99, one-to-one: true}]\n"),
     {"destination": "10.0.1.99"}, GOOD),
    ("a port of another host", middle(more="translation: [{id: 10, protocol: tcp, arrives: l, to: 10.0.1.1, to-port: 80, new-destination: 10.0.2.9, new-destination-port: 8080}]\n"),
     {"destination": "10.0.1.1"}, GOOD),
    # A device's own addresses, whichever processing it has; own traffic meets its filters twice.
    ("to oneself", middle(), {"source": "m", "destination": "10.0.2.1"}, GOOD),
    ("a host to itself", middle(), {"source": "a", "destination": "10.0.1.9"}, GOOD),
    ("to oneself, Linux", middle(more="processing: linux\n"), {"source": "m", "destination": "10.0.2.1"}, GOOD),
    ("own traffic in", middle(more="own-traffic: {filters: {in: f}}\n" + filters(f=SHUT)),
     {"source": "m", "destination": "10.0.2.1", "both": False}, (("filtered",), ("m", "filter_default"))),
    ("own traffic out", middle(more="own-traffic: {filters: {out: f}}\n" + filters(f=SHUT)),
     {"source": "m", "destination": "10.0.2.1", "both": False}, (("filtered",), ("m", "filter_default"))),
    # RFC 792, RFC 4443: errors and answers open nothing, the four kinds of request do.
    *((f"icmp {kind} towards a stateful filter", middle(right=", filters: {out: f}",
        more=filters(f="sessions: true, rules: [{id: 10, permit: any}], default: deny")),
       {"traffic": f"icmp {kind}", "both": False},
       (("delivered",), None) if kind in (8, 13, 15, 17) else (("filtered",), ("m", "no_session")))
      for kind in (0, 3, 4, 5, 8, 11, 12, 13, 14, 15, 16, 17, 18)),
    # What a kernel does with a packet from its own address, sent by a neighbour that has it too:
    # dropped; with accept-own-source taken, but a strict check wants the interface that has it.
    *((f"own source of {source}{more}", middle(more + ", filters: {in: f}",
        more="processing: linux\n" + filters(f=OPEN)).replace("[10.0.1.1/24]", "[10.0.1.1/24, 10.0.1.2/24]")
        + "---\n" + device("c", "static: [{to: 10.0.2.0/24, via: 10.0.1.1}]\ninterfaces:\n  e: {addresses: [10.0.1.8/24]}\n"
        "  other: {kind: loopback, addresses: [10.0.2.1/32]}\n  same: {kind: loopback, addresses: [10.0.1.2/32]}"),
       {"source": f"c:{source}", "both": False}, verdict)
      for more, source, verdict in (
          ("", "other", (("filtered",), ("m", "own_source"))),
          (", accept-own-source: true", "other", (("delivered",), None)),
          (", accept-own-source: true, reverse-path-check: loose", "other", (("delivered",), None)),
          (", accept-own-source: true, reverse-path-check: strict", "other", (("filtered",), ("m", "reverse_path"))),
          (", accept-own-source: true, reverse-path-check: strict", "same", (("delivered",), None)))),
    # RFC 8519 4.2: flags of the question's own packet.
    *((f"a packet with {flags}", middle(", filters: {in: f}", more=filters(
        f="rules: [{id: 10, permit: tcp, tcp-flags: rst}], default: deny")),
       {"traffic": f"tcp 80 {flags}", "both": False}, verdict)
      for flags, verdict in (("rst ack", (("delivered",), None)), ("syn", (("filtered",), ("m", "filter_default"))),
                             ("none", (("filtered",), ("m", "filter_default"))))),
    ("the answer to a timestamp request", middle(right=", filters: {in: f, out: f}",
        more=filters(f="sessions: true, rules: [{id: 10, permit: icmp, icmp-type: 13}], default: deny")),
     {"traffic": "icmp 13"}, GOOD),
    # The address a hidden source gets lies in the next hop's subnet, if one of the interface's does.
    ("hidden behind the near address", middle(", filters: {in: f}", right="", more="translation: [{id: 10, leaves: r, new-source: interface}]\n"
        "static: [{to: 10.0.9.0/24, via: 10.0.3.9}]\n" + filters(f=OPEN)).replace("[10.0.2.1/24]", "[10.0.2.1/24, 10.0.3.1/24]")
        + "---\n" + device("c", "static: [{to: 0.0.0.0/0, via: 10.0.3.1}]\ninterfaces:\n  e: {addresses: [10.0.3.9/24], filters: {in: g}}\n"
        "  lan: {kind: loopback, addresses: [10.0.9.9/24]}\nfilters: {g: {rules: [{id: 10, permit: any, from: 10.0.3.1}], default: deny}}"),
     {"destination": "10.0.9.9", "both": False}, (("delivered",), None)),
]  # fmt: skip


@pytest.mark.parametrize(("net", "more", "expected"), [r[1:] for r in ROWS], ids=[r[0] for r in ROWS])  # fmt: skip
def test_each_stage(net, more, expected):
    assert said(state(A, B, *net.split("---\n")), **more) == expected


def test_a_rule_with_ports_never_matches_a_later_fragment():
    """RFC 8519 4.1: ports stand in the first fragment alone; the default takes the others."""
    only_http = filters(f="rules: [{id: 10, permit: tcp, to-port: 80}], default: deny")
    net = state(A, B, middle(mtu=1500), device("n", "interfaces: {}"))
    assert said(net, size=1600, may_fragment=True, both=False) == (("delivered",), None)
    cut_before = device(
        "m2", "interfaces:\n  l: {addresses: [10.0.2.2/24], mtu: 9000, filters: {in: f}}\n"
        "  r: {addresses: [10.0.3.1/24]}\nstatic: [{to: 10.0.1.0/24, via: 10.0.2.1}]\n" + only_http,
    )  # fmt: skip
    far = device("c", "gateway: 10.0.3.1\ninterfaces:\n  e: {addresses: [10.0.3.9/24]}", "host")
    way = middle(mtu=1500, more="static: [{to: 10.0.3.0/24, via: 10.0.2.2}]\n")
    net = state(A, way, cut_before, far)
    assert said(net, destination="c", both=False) == (("delivered",), None)
    assert said(net, destination="c", size=1600, may_fragment=True, both=False) == (
        ("filtered",),
        ("m2", "filter_default"),
    )


#: What becomes of a packet cut in front of m, where steering or marks ask for its port.
PARTED = [
    ("discard: true", "", (("mixed",), ("m", "steering_discard"))),
    ("next-hop: 10.0.4.9", "", (("delivered",), None)),  # another way to the same end
    (
        "next-hop: 10.0.4.9",
        "through-traffic: {filters: f}\n",
        (("discarded",), ("n", "fragments_apart")),
    ),
]


@pytest.mark.parametrize(("action", "stateful", "expected"), PARTED)
@pytest.mark.parametrize("by_mark", [False, True])
def test_fragments_that_are_steered_apart(action, stateful, expected, by_mark):
    """A later fragment has no port (RFC 8519 4.1), so steering by the port, or by a mark that was
    set by it, leaves it to the table. m has two links to n, which may put fragments together."""
    match = "marked: 7" if by_mark else "protocol: udp, to-port: 53"
    m = device(
        "m", "interfaces:\n  l: {addresses: [10.0.1.1/24], filters: {in: g}}\n  r: {addresses: [10.0.3.1/24]}\n"
        "  r2: {addresses: [10.0.4.1/24]}\nstatic: [{to: 10.0.2.0/24, via: 10.0.3.9}]\nthrough-traffic: {steering: s}\n"
        f"steering: {{s: {{rules: [{{id: 10, {match}, {action}}}]}}}}\n"
        + filters(g="rules: [{id: 10, continue: udp, to-port: 53, mark: 7}], default: permit"),
    )  # fmt: skip
    n = device(
        "n", "interfaces:\n  l: {addresses: [10.0.3.9/24]}\n  l2: {addresses: [10.0.4.9/24]}\n  r: {addresses: [10.0.2.1/24], mtu: 9000}\n"
        f"static: [{{to: 10.0.1.0/24, via: 10.0.3.1}}]\n{stateful}" + filters(f="sessions: true, default: permit"),
    )  # fmt: skip
    host = A.replace("mtu: 9000", "mtu: 1500")
    if not stateful:
        n = n.replace("sessions: true, ", "")
    net = state(host, B, m, n)
    asked = {"traffic": "udp 53", "size": 1600, "may_fragment": True, "both": False}
    assert said(net, **asked) == expected
    assert said(net, **(asked | {"size": 900}))[0] == (
        ("discarded",) if "discard" in action else ("delivered",)
    )


#: The order decides which obstacle comes first: no route, an MTU of 1400 and a filter at once.
ORDERS = [
    ("router", "static: []", "filter_default"),
    ("linux", "static: []", "mtu"),
    ("router", "static: [{to: 10.0.2.9/32, discard: true}]", "discard_route"),
    ("linux", "static: [{to: 10.0.2.9/32, discard: true}]", "discard_route"),
]


@pytest.mark.parametrize(("processing", "static", "kind"), ORDERS)
def test_the_device_says_in_which_order(processing, static, kind):
    """A router filters what it forwards before it looks at the size, Linux the other way round."""
    net = state(
        A, B,
        middle(mtu=1400, more=f"processing: {processing}\n{static}\nthrough-traffic: {{filters: f}}\n" + filters(f=SHUT)),
    )  # fmt: skip
    assert said(net, size=1450, both=False)[1] == ("m", kind)


def test_an_answer_by_another_firewall_is_dropped_for_lack_of_a_session():
    """Two firewalls that both permit it, and share no sessions."""
    walls = [
        device(
            name,
            f"interfaces:\n  l: {{addresses: [10.0.1.{host}/24]}}\n  r: {{addresses: [10.0.2.{host}/24]}}\n"
            "through-traffic: {filters: f}\n" + filters(f="sessions: true, rules: [{id: 10, permit: tcp}], default: deny"),
            "firewall",
        )
        for name, host in (("w1", 1), ("w2", 2))
    ]  # fmt: skip
    other_way = B.replace("gateway: 10.0.2.1", "gateway: 10.0.2.2")
    assert said(state(A, B, *walls)) == GOOD
    assert said(state(A, other_way, *walls)) == (("delivered", "filtered"), ("w2", "no_session"))
    # UDP has no first packet: what the rules permit passes as a new session.
    udp = [w.replace("permit: tcp", "permit: any") for w in walls]
    assert said(state(A, other_way, *udp), traffic="udp 53") == GOOD


def test_the_master_answers_for_the_virtual_router():
    """RFC 9568 6.4: the highest priority, then the highest address; a shut one has no say."""

    def pair(first: str = "", priorities: tuple[int, int] = (110, 100)) -> list[str]:
        return [
            device(name, f"interfaces:\n  l: {{addresses: [10.0.1.{host}/24]{more}, "
                   f"vrrp: [{{id: 7, addresses: 10.0.1.254, priority: {priority}}}]}}\n  r: {{addresses: [10.0.2.{host}/24]}}")
            for name, host, priority, more in (("v1", 1, priorities[0], first), ("v2", 2, priorities[1], ""))
        ]  # fmt: skip

    host = A.replace("gateway: 10.0.1.1", "gateway: 10.0.1.254")
    for routers, master in (
        (pair(), "v1"),
        (pair(priorities=(100, 100)), "v2"),
        (pair(first=", enabled: false"), "v2"),
    ):
        answer = ask_flow(state(host, B, *routers), FlowQuestion(source="a", destination="b"))
        assert [hop.device for hop in answer.forward.branches[0].hops] == ["a", master, "b"]
        assert "virtual router 7" in answer_flow_text(state(host, B, *routers))
    # Not the owner: packets to the virtual address itself are taken only with accept (6.4.3).
    assert said(state(host, B, *pair()), destination="10.0.1.254", both=False) == (
        ("next_hop_unresolved",),
        ("v1", "no_neighbour"),
    )
    taking = [router.replace("priority", "accept: true, priority") for router in pair()]
    assert said(state(host, B, *taking), destination="10.0.1.254", both=False) == (
        ("delivered",),
        None,
    )


def answer_flow_text(net: State) -> str:
    stages = answer_flow(net, FlowQuestion(source="a", destination="b"))["forward"]["branches"][0]
    return " ".join(s["text"] for hop in stages["hops"] for s in hop["stages"])


def test_pools_are_followed_address_by_address():
    """Any address of the pool may be chosen; a filter behind that knows only one makes it mixed."""
    pool = middle(
        right=", filters: {out: f}",
        more="translation: [{id: 10, leaves: r, new-source: 10.0.2.32/31}]\n"
        + filters(f="rules: [{id: 10, permit: any, from: 10.0.2.32}], default: deny"),
    )
    answer = ask_flow(
        state(A, B, pool), FlowQuestion(source="a", destination="b", traffic="tcp 80")
    )
    assert [(str(b.share), b.verdict.value) for b in answer.forward.branches] == [
        ("1/2", "delivered"),
        ("1/2", "filtered"),
    ]


def test_the_path_mtu_knows_both_ends():
    """What a link takes in counts as well as what is sent into it: 9000 out, 1500 in."""
    net = state(A.replace("mtu: 9000", "mtu: 1500"), B, middle())
    back = ask_flow(net, FlowQuestion(source="a", destination="b")).back
    assert [branch.path_mtu for branch in back.branches] == [1500]


def test_weights_share_the_traffic():
    """A route of weight 3 beside one of weight 1 takes three quarters."""
    way = device(
        "r1", "interfaces:\n  a: {addresses: [10.0.1.1/24]}\n  x: {addresses: [10.1.0.1/30]}\n  y: {addresses: [10.2.0.1/30]}\n"
        "static:\n  - {to: 10.0.2.0/24, via: 10.1.0.2, weight: 3}\n  - {to: 10.0.2.0/24, via: 10.2.0.2}",
    )  # fmt: skip
    far = device(
        "r2", "interfaces:\n  b: {addresses: [10.0.2.1/24]}\n  x: {addresses: [10.1.0.2/30]}\n  y: {addresses: [10.2.0.2/30]}",
    )  # fmt: skip
    answer = ask_flow(state(A, B, way, far), FlowQuestion(source="a", destination="b", both=False))
    assert [str(branch.share) for branch in answer.forward.branches] == ["3/4", "1/4"]


#: What a device file may not ask for, and the line that says so.
REFUSED = [
    ("processing: linux", ", filters: {in: f}", "filters: {f: {sessions: true, default: deny}}", "bad_filter_use"),
    ("processing: router", ", filters: {in: f}", "filters: {f: {rules: [{id: 10, deny: any, leaves: r}], default: deny}}", "bad_filter_use"),
    ("processing: router", ", steering: s", "steering: {t: {}}", "unknown_steering"),
    ("processing: router", ", zone: x", "zones: {y: {}}", "unknown_zone"),
    ("processing: router", "", "zones: {y: {to: {y: {filter: f}}}}", "unknown_filter"),
    ("processing: router", "", "steering: {s: {rules: [{id: 10, table: t}]}}", "unknown_vrf"),
    ("processing: router", "", "steering: {s: {rules: [{id: 10, discard: true, table: default}]}}", "bad_rule"),
    ("processing: router", "", "translation: [{id: 10, leaves: r, new-source: 10.0.9.0/24, one-to-one: true}]", "bad_rule"),
    ("processing: router", "", "translation: [{id: 20, new-source: 10.0.9.1}, {id: 10, keep: true}]", "rule_order"),
    ("processing: router", "", "filters: {f: {rules: [{id: 10, deny: udp, tcp-flags: syn}], default: deny}}", "bad_rule"),
    ("processing: router", ", vrrp: [{id: 1, addresses: 10.0.1.9, priority: 255}]", "", "bad_virtual_router"),
    ("processing: router", "", "filters: {f: {rules: [{id: 10, deny: any, arrives: z}], default: deny}}", "unknown_interface"),
]  # fmt: skip


@pytest.mark.parametrize(("first", "left", "more", "code"), REFUSED, ids=[r[3] + r[1][:9] for r in REFUSED])  # fmt: skip
def test_what_cannot_be_meant_is_refused_by_line(first, left, more, code):
    reading = read_texts({"m.yaml": middle(left, more=f"{first}\n{more}\n")})
    assert [problem.code for problem in reading.problems] == [code]
    assert reading.problems[0].place.line > 3


def test_a_second_passage_takes_another_port():
    """t hides a behind its end of r and sends everything on by x, which sends it back by y. The
    packet comes again with ends that the first session has (b's answers to t), so its port becomes
    another one; its answer is told from the first one's by that port. x drops what has not the
    first port, so that it goes round once and is stopped, not for ever."""

    def net(drop: str):
        return state(
            device("a", "gateway: 10.0.1.1\ninterfaces:\n  e: {addresses: [10.0.1.9/24]}", "host"),
            device("t", """
                interfaces:
                  l: {addresses: [10.0.1.1/24]}
                  r: {addresses: [10.0.2.1/24]}
                  y: {addresses: [10.0.3.1/24]}
                static: [{to: 10.0.9.0/24, via: 10.0.2.2}]
                translation: [{id: 10, arrives: l, leaves: r, new-source: interface}]
            """),
            device("x", f"""
                interfaces:
                  r: {{addresses: [10.0.2.2/24]{drop}}}
                  y: {{addresses: [10.0.3.2/24]}}
                static: [{{to: 10.0.9.0/24, via: 10.0.3.1}}]
                filters: {{f: {{rules: [{{id: 10, permit: tcp, from-port: 20000}}], default: deny}}}}
            """),
        )  # fmt: skip

    question = FlowQuestion(source="a", destination="10.0.9.9", traffic="tcp 80", source_port=20000)
    looping = ask_flow(net(""), question).forward.branches[0]
    assert looping.verdict.value == "looped"
    ports = [hop.header.source_port for hop in looping.hops if hop.device == "x"]
    assert ports[:2] == [20000, 20001]
    stopped = ask_flow(net(", filters: {in: f}"), question).forward
    assert (stopped.verdict.value, stopped.cause.device) == ("filtered", "x")
    (branch,) = stopped.branches
    assert [hop.device for hop in branch.hops] == ["a", "t", "x", "t", "x"]
    assert len({connection.went.source_port for connection in branch.connections}) == 2


def test_a_route_by_an_interface_of_another_vrf():
    """The route in red leads out of e2, which belongs to blue: with next-vrf it is meant so, alone
    or with a next hop; without it is refused, and the hint is what then works."""
    near = device("r2", "interfaces:\n  e: {addresses: [10.0.2.2/24]}\n"
                  "  lan: {kind: loopback, addresses: [10.9.0.1/24]}\nstatic: [{to: 10.0.1.0/24, via: 10.0.2.1}]")  # fmt: skip
    for via in ("", "via: 10.0.2.2, "):
        body = f"""
            vrfs:
              red: {{static: [{{to: 10.9.0.0/24, {via}interface: e2, next-vrf: blue}}]}}
              blue: {{}}
            interfaces:
              e1: {{addresses: [10.0.1.1/24], vrf: red}}
              e2: {{addresses: [10.0.2.1/24], vrf: blue}}
        """
        net = state(A, device("m", body), near)
        answer = ask_flow(net, FlowQuestion(source="a", destination="10.9.0.1", both=False))
        # Without a next hop the destination itself is asked for on the link, where r2 has it not.
        assert answer.forward.verdict.value == ("delivered" if via else "next_hop_unresolved")
        texts = {"m.yaml": device("m", body.replace(", next-vrf: blue", ""))}
        (problem,) = read_texts(texts).problems
        assert (problem.code, problem.suggestion.endswith("next-vrf: blue")) == ("wrong_vrf", True)

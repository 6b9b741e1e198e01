"""The sentences people read, and finding things by their words."""

from __future__ import annotations

from fractions import Fraction

import pytest

from routrel.wording.stages import share_words
from tests.engine.forwarding.test_verdicts import DENY_TCP, HOST_A, HOST_B, ask, r1, r2
from tests.nets import device, state
from tests.told import chart_data, device_data

SENTENCES = [
    ([r1(), r2()], {}, "Delivered to b. The return direction is delivered too, the same way."),
    (
        [r1(lan=", filters: {in: f}", more=DENY_TCP), r2()],
        {},
        "Blocked at r1: filter f on lan drops it on arrival by rule 20. Routing would deliver it. The return direction is open.",
    ),
    (
        [r1(static="- {to: 10.0.2.0/24, discard: true}"), r2(static="- {to: 10.3.0.0/16, via: 10.0.0.1}")],
        {},
        "Discarded at r1 by the discard route to 10.0.2.0/24. Return direction: no route at r2: its table holds nothing for 10.0.1.9.",
    ),
    (
        [r1(), r2(static="- {to: 10.3.0.0/16, via: 10.0.0.1}")],
        {},
        "Delivered to b, but answers do not come back: no route at r2: its table holds nothing for 10.0.1.9.",
    ),
    (
        [r1(static="- {to: 10.0.2.0/24, via: 10.0.1.77}"), r2()],
        {},
        "Stops at r1: no device on 10.0.1.0/24 owns 10.0.1.77. The return direction is open.",
    ),
    (
        [r1(), r2(static="- {to: 10.0.2.8/29, via: 10.0.0.1}")],
        {"both": False},
        "Loops: r2 → r1 → r2.",
    ),
    (
        [r1(link=", mtu: 1400"), r2(link=", mtu: 1400")],
        {"size": 1500, "both": False},
        "Too big at r1: 1500 bytes do not fit into 1400 bytes of up.",
    ),
    (
        [r1(), r2()],
        {"ttl": 2, "both": False},
        "The time to live expires at r2, after 2 hops.",
    ),
    (
        [r1(static="- {to: 10.0.2.0/24, via: 10.0.0.2}\n  - {to: 10.0.2.0/24, via: 10.0.1.77}"), r2()],
        {"both": False},
        "Equal-cost paths differ: 1/2 delivered, 1/2 next hop does not answer. Stops at r1: no device on 10.0.1.0/24 owns 10.0.1.77.",
    ),
]  # fmt: skip


@pytest.mark.parametrize(
    ("routers", "more", "sentence"), SENTENCES, ids=[s[2][:24] for s in SENTENCES]
)
def test_an_answer_begins_with_a_sentence_for_the_ticket(routers, more, sentence):
    assert ask(state(HOST_A, HOST_B, *routers), **more)["sentence"] == sentence


def test_a_return_by_another_way_is_said():
    """Forward by the upper, back by the lower of two links."""
    upper = "routrel: 1\ndevice: {0}\nrole: router\ninterfaces:\n  lan: {{addresses: [10.0.{1}.1/24]}}\n  u: {{addresses: [10.0.8.{1}/30]}}\n  d: {{addresses: [10.0.9.{1}/30]}}\nstatic:\n  - {{to: 10.0.{2}.0/24, via: {3}}}\n"
    middle = device("m", "interfaces:\n  a: {addresses: [10.0.9.1/30, 10.0.7.1/30]}")
    net = state(
        HOST_A,
        HOST_B,
        upper.format("r1", 1, 2, "10.0.8.2").replace("10.0.9.1/30", "10.0.7.2/30"),
        upper.format("r2", 2, 1, "10.0.9.1").replace("10.0.8.2/30", "10.0.8.2/30"),
        middle + "static:\n  - {to: 10.0.1.0/24, via: 10.0.7.2}\n",
    )
    assert ask(net)["sentence"] == (
        "Delivered to b. The return direction is delivered too, by another way."
    )


@pytest.mark.parametrize(
    ("share", "words"),
    [
        (Fraction(1), "all"),
        (Fraction(1, 2), "1/2"),
        (Fraction(3, 16), "3/16"),
        (Fraction(1, 81), "1/81"),
        (Fraction(1, 7919), "about 0.013%"),
    ],
)
def test_shares_are_fractions_while_they_are_short(share, words):
    assert share_words(share) == words


NET = [HOST_A, HOST_B, r1(lan=", filters: {in: f}", more=DENY_TCP), r2()]


def test_the_chart_shows_both_costs_of_a_link():
    """Costs may differ by direction; each end carries its own."""
    port = (
        "ospf: {{}}\ninterfaces:\n  e: {{addresses: [10.0.0.{0}/30], ospf: {{area: 0, cost: {1}}}}}"
    )
    net = state(device("r1", port.format(1, 5)), device("r2", port.format(2, 50)))
    (segment,) = chart_data(net)["segments"]
    assert [(e["device"], e["costs"][0]["cost"], e["up"]) for e in segment["ends"]] == [
        ("r1", 5, True),
        ("r2", 50, True),
    ]
    (interface,) = device_data(net, net.topology.devices["r1"])["interfaces"]
    assert interface["neighbours"] == ["r2:e"]
